//! A pattern's source with its slots spelled as words, put into the surroundings of a context.

use emendo_lang::language::Language;
use emendo_text::{Filter, Span, Template};

use crate::model::{NameDef, SlotDef};

pub(crate) struct Compiler<'a> {
    pub(super) language: &'static Language,
    pub(super) source: &'a str,
    pub(super) template: &'a Template,
    pub(super) slots: &'a [SlotDef],
    pub(super) names: &'a [NameDef],
    /// The first place that could not be parsed in the reading that came furthest.
    pub(super) best: Option<Span>,
    /// All slots are spelled otherwise where a reading stops, not only those beside the place.
    pub(super) thorough: bool,
}

/// A wrapped text with where the chunks stand in it.
pub(crate) struct Wrapped {
    pub(super) text: String,
    pub(super) chunks: Vec<Placed>,
    pub(super) fragment: Span,
}

/// A chunk of the source where it stands in the wrapped text.
pub(crate) struct Placed {
    /// In the wrapped text, with what a slot's spelling adds.
    pub(super) at: Span,
    /// The placeholder word alone.
    pub(super) word: Span,
    pub(super) source: Span,
    /// Slot and filters; nothing for plain text.
    pub(super) slot: Option<(usize, Vec<Filter>)>,
}

/// Maps a place of the wrapped text back to the source.
pub(crate) fn source_span(wrapped: &Wrapped, at: Span) -> Option<Span> {
    let point = |offset: u32, end: bool| {
        wrapped.chunks.iter().find_map(|c| {
            let (w, s) = (c.at, c.source);
            let holds = if end {
                w.start < offset && offset <= w.end
            } else {
                w.start <= offset && offset < w.end
            };
            if !holds {
                return None;
            }
            // Escapes make a text chunk shorter than its source; its ends stay right.
            let exact = c.slot.is_none() && w.len() == s.len();
            Some(if exact {
                s.start + (offset - w.start)
            } else if end {
                s.end
            } else {
                s.start
            })
        })
    };
    let start = point(at.start, false).or_else(|| point(at.start, true))?;
    let end = point(at.end, true).unwrap_or(start);
    Some(Span { start, end: end.max(start) })
}

impl Wrapped {
    /// The slot that stands exactly here.
    pub(crate) fn slot_at(&self, at: Span) -> Option<&Placed> {
        // A comma behind it makes a list of it, and is no part of it.
        let comma = |c: &Placed| {
            let behind = Span { start: c.word.end, end: c.at.end };
            c.at.start == c.word.start && behind.of(&self.text) == ","
        };
        self.chunks.iter().find(|c| c.slot.is_some() && (c.at == at || c.word == at && comma(c)))
    }

    /// The text of a place, the words of the slots left out.
    pub(crate) fn without_slots(&self, at: Span) -> String {
        let (mut out, mut from) = (String::new(), at.start);
        for c in self.slots_in(at) {
            out.push_str(Span { start: from, end: c.word.start }.of(&self.text));
            from = c.word.end;
        }
        out.push_str(Span { start: from, end: at.end }.of(&self.text));
        out
    }

    /// The slots whose words stand within a place.
    pub(crate) fn slots_in(&self, at: Span) -> impl Iterator<Item = &Placed> {
        self.chunks.iter().filter(move |c| c.slot.is_some() && at.contains(c.word))
    }
}
