//! A token of the old code at a match, and one of the new.

use emendo_text::Span;

use crate::model::Key;

/// What stands around something that is written.
pub(super) type Brackets = (&'static str, &'static str);

pub(super) struct OldToken {
    pub(super) key: Key,
    pub(super) at: Span,
    /// What stands before it in `old`.
    pub(super) gap: String,
    /// Kind and field of the place where it stands in `old`.
    pub(super) place: Option<(&'static str, &'static str)>,
}

/// A token of the new text at this match.
#[derive(Clone)]
pub(super) struct NewToken {
    pub(super) key: Key,
    /// Its text, where it has one of its own.
    pub(super) text: String,
    /// What stands before it in `new`.
    pub(super) gap: String,
    /// The gap is that of the file, with its line ends and indentation.
    pub(super) as_it_stands: bool,
    /// What a slot needs around what it holds here.
    pub(super) brackets: Option<Brackets>,
    pub(super) separator: bool,
    /// It begins a statement, a member, or what else has lines of its own.
    pub(super) starts: bool,
    /// That stands at the level of the whole.
    pub(super) root: bool,
    /// It separates the items of the list whose brackets are around it.
    pub(super) separates: bool,
    /// It ends an item that nothing may follow in its list, no separator either.
    pub(super) final_item: bool,
    /// What it copies.
    pub(super) span: Option<Span>,
}

impl NewToken {
    pub(super) fn comma() -> Self {
        Self::separator(Key::Text(",".to_owned()))
    }

    /// A separator that the file has, and `new` does not.
    pub(super) fn separator(key: Key) -> Self {
        let text = if let Key::Text(text) = &key { text.clone() } else { String::new() };
        Self {
            key,
            text,
            gap: String::new(),
            as_it_stands: false,
            brackets: None,
            separator: true,
            starts: false,
            root: false,
            separates: true,
            final_item: false,
            span: None,
        }
    }
}
