//! A toy action: a text becomes another.

use emendo_actions::{
    Alternative, Asks, Change, CompileCx, Draft, FileCx, Found, Kind, Needs, NoteDraft, Runner, Tie,
};
use emendo_core::Certainty;
use emendo_lang::Fact;
use emendo_recipe::{Action, ActionKind, Key, Scope, Shape};
use emendo_text::{Hasher, Part, RelPath, Span, Splice};

/// Replaces a text wherever it stands, in files of any kind.
pub struct Swapping;

const KEYS: &[Key] = &[
    Key::required("old", Shape::Text, "the text that goes"),
    Key::required("new", Shape::Text, "the text that comes"),
    Key::new("or", Shape::Text, "another text that may come: a choice of `new` and `or`"),
    Key::new("until", Shape::Text, "the place goes on to this text; what lies between stays"),
    Key::new("sure", Shape::Text, "certain, likely or unsure"),
    Key::new("note", Shape::Text, "what to say at each place, which stays"),
    Key::new("provides", Shape::Text, "others need its edits by this word"),
    Key::new("needs", Shape::Text, "its edits need what provides this word"),
    Key::new("once", Shape::Bool, "what it wrote is not done again"),
    Key::new("grows", Shape::Bool, "what it writes looks as if it were still to be done"),
    Key::new("changes", Shape::Bool, "it may change what other files see"),
    Key::new("asks", Shape::Bool, "it asks what other files declare"),
];

impl ActionKind for Swapping {
    fn name(&self) -> &'static str {
        "swap"
    }
    fn about(&self) -> &'static str {
        "a text becomes another"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

impl Kind for Swapping {
    fn compile(&self, action: &Action, _: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let text = |key: &str| action.table.text(key).map(|t| t.text.clone());
        let sure = match text("sure").as_deref() {
            Some("likely") => Certainty::Likely,
            Some("unsure") => Certainty::Unsure,
            _ => Certainty::Certain,
        };
        let tie = |key: &str| text(key).map(|word| Hasher::new().part(word).finish());
        Some(Box::new(SwapRunner {
            old: text("old")?,
            new: text("new")?,
            or: text("or"),
            until: text("until"),
            note: text("note"),
            sure,
            tie: Tie { provides: tie("provides"), needs: tie("needs"), uses: Vec::new() },
            once: action.table.is_true("once"),
            grows: action.table.is_true("grows"),
            changes: action.table.is_true("changes"),
            asks: action.table.is_true("asks"),
            scope: action.scope.clone(),
        }))
    }
}

struct SwapRunner {
    old: String,
    new: String,
    or: Option<String>,
    until: Option<String>,
    note: Option<String>,
    sure: Certainty,
    tie: Tie,
    once: bool,
    grows: bool,
    changes: bool,
    asks: bool,
    scope: Scope,
}

impl SwapRunner {
    /// The change that writes a text over a place, and keeps what lies between its ends.
    fn change(&self, old: Span, end: Option<Span>, new: &str) -> Change {
        let splice = match end {
            Some(end) => Splice {
                span: Span::new(old.start as usize, end.end as usize),
                parts: vec![
                    Part::Text(new.to_owned()),
                    Part::Copy(Span::new(old.end as usize, end.start as usize)),
                    Part::Text(self.until.clone().unwrap_or_default()),
                ],
                inner: false,
            },
            None => Splice::text(old, new),
        };
        Change { splices: vec![splice], ..Change::default() }
    }
}

impl Runner for SwapRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "swap",
            needs: Needs::of([vec![self.old.clone()]]),
            changes_declarations: self.changes,
            asks_declarations: self.asks,
            once: self.once,
            grows: self.grows,
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.scope.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        for (at, _) in cx.text.match_indices(&self.old) {
            let old = Span::new(at, at + self.old.len());
            if cx.own.iter().any(|own| own.contains(&self.old)) {
                continue;
            }
            if let Some(say) = &self.note {
                out.notes.push(NoteDraft::new(old, say.clone()));
                continue;
            }
            let end = self.until.as_ref().and_then(|u| {
                let found = cx.text[old.end as usize..].find(u.as_str())? + old.end as usize;
                Some(Span::new(found, found + u.len()))
            });
            let fact = Fact { says: self.sure, text: "it stands there".into(), at: None };
            let digest = Hasher::new().part("swap").part(&self.old).finish();
            let hull = end.map_or(old, |e| old.hull(e));
            let mut draft = Draft::new((action, 0), digest, hull, vec![fact]);
            draft.tokens = [old].into_iter().chain(end).collect();
            draft.tie = self.tie.clone();
            match &self.or {
                None => draft.change = self.change(old, end, &self.new),
                Some(or) => {
                    let ways = [("new", &self.new), ("or", or)];
                    let way = |(label, text): (&str, &String)| Alternative {
                        label: label.to_owned(),
                        why: None,
                        change: self.change(old, end, text),
                        facts: Vec::new(),
                    };
                    draft.alternatives = ways.into_iter().map(way).collect();
                }
            }
            out.drafts.push(draft);
        }
    }
}

/// The kind, as a `World` takes it.
pub static SWAP: Swapping = Swapping;
