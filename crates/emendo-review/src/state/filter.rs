//! Which places are listed.

use emendo_core::{Certainty, Proposal};
use emendo_text::RelPath;

use crate::state::items::{At, Item, State};

/// A kind of places.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Kind {
    All,
    Waiting,
    Undecided,
    Choices,
    Again,
    Cautions,
    Unsure,
    Likely,
    Certain,
    Held,
    Notes,
    Leftovers,
    Taken,
    OnPurpose,
}

/// The kinds, in the order in which they are offered, with how they are called.
pub(crate) const KINDS: [(Kind, &str); 14] = [
    (Kind::Waiting, "waits for you"),
    (Kind::Undecided, "edits undecided"),
    (Kind::Choices, "choices to make"),
    (Kind::Again, "to decide again: they say something else now"),
    (Kind::Cautions, "undecided that call for caution"),
    (Kind::Unsure, "undecided that are unsure"),
    (Kind::Likely, "undecided that are likely"),
    (Kind::Certain, "undecided that are certain"),
    (Kind::Notes, "notes: look at these by hand"),
    (Kind::Leftovers, "leftovers: still use the old API"),
    (Kind::Held, "held back"),
    (Kind::Taken, "taken, to be written"),
    (Kind::OnPurpose, "left on purpose, or ticked off"),
    (Kind::All, "everything"),
];

impl Kind {
    /// How so many of it are called.
    pub(crate) fn counted(self, n: usize) -> String {
        let says = self.says();
        match (n, says.split_once(' ')) {
            (1, Some((first, rest))) if matches!(self, Self::Undecided | Self::Choices) => {
                format!("{} {rest}", first.trim_end_matches('s'))
            }
            (1, _) => match self {
                Self::Notes => "note: look at this by hand".into(),
                Self::Leftovers => "leftover: still uses the old API".into(),
                Self::Cautions => "undecided that calls for caution".into(),
                Self::Unsure => "undecided that is unsure".into(),
                Self::Likely => "undecided that is likely".into(),
                Self::Again => "to decide again: it says something else now".into(),
                _ => says.into(),
            },
            _ => says.into(),
        }
    }

    /// How it is called.
    pub(crate) fn says(self) -> &'static str {
        KINDS.iter().find(|(k, _)| *k == self).map_or("", |(_, says)| says)
    }

    /// True for a place of this kind.
    pub(crate) fn holds(self, i: &Item) -> bool {
        let open = i.state == State::Open;
        match self {
            Self::All => true,
            Self::Waiting => i.state.waits(),
            Self::Undecided => i.state == State::Open,
            Self::Choices => i.state == State::Choose,
            Self::Again => i.state == State::Again,
            Self::Cautions => open && i.caution,
            Self::Unsure => open && i.certainty == Some(Certainty::Unsure),
            Self::Likely => open && i.certainty == Some(Certainty::Likely),
            Self::Certain => open && i.certainty == Some(Certainty::Certain),
            Self::Held => i.state == State::Held,
            Self::Notes => i.state == State::ToDo,
            Self::Leftovers => i.state == State::Remains,
            Self::Taken => i.state.taken(),
            Self::OnPurpose => i.state.on_purpose(),
        }
    }
}

/// Which places are listed: those that all of it holds for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Filter {
    pub(crate) kind: Kind,
    /// Of this step, by number.
    pub(crate) step: Option<usize>,
    /// With this word in their lines, paths, steps or reasons; in small letters.
    pub(crate) word: String,
}

impl Default for Filter {
    fn default() -> Self {
        Self { kind: Kind::Waiting, step: None, word: String::new() }
    }
}

impl Filter {
    /// True for a place that is listed.
    pub(crate) fn holds(&self, p: &Proposal, i: &Item) -> bool {
        self.kind.holds(i)
            && self.step.is_none_or(|s| s == i.step)
            && (self.word.is_empty() || mentions(p, i, &self.word))
    }

    /// In words.
    pub(crate) fn says(&self, p: &Proposal) -> String {
        let mut out = self.kind.says().to_owned();
        if let Some(step) = self.step.and_then(|s| p.header.steps.get(s)) {
            out.push_str(&format!(", step {}", step.key.step));
        }
        if !self.word.is_empty() {
            out.push_str(&format!(", with \"{}\"", self.word));
        }
        out
    }
}

/// True if a place speaks of a word.
fn mentions(p: &Proposal, i: &Item, word: &str) -> bool {
    let has = |text: &str| text.to_lowercase().contains(word);
    let path = i.file.and_then(|f| p.files.get(f)).map_or("", |f| f.path.as_str());
    let step = p.header.steps.get(i.step);
    if has(path) || step.is_some_and(|s| has(&s.key.step) || has(&s.title)) {
        return true;
    }
    match i.at {
        At::Edit(f, e) => p.files.get(f).and_then(|f| f.edits.get(e)).is_some_and(|e| {
            has(&e.before)
                || has(&e.after)
                || e.id.to_string().starts_with(word)
                || e.options.iter().any(|o| has(&o.after) || has(&o.label))
                || e.evidence.iter().any(|f| has(&f.text))
        }),
        At::Note(f, n) => p
            .files
            .get(f)
            .and_then(|f| f.notes.get(n))
            .is_some_and(|n| has(&n.say) || has(&n.source)),
        At::StepNote(n) => p.trailer.notes.get(n).is_some_and(|n| has(&n.say)),
        At::Leftover(f, l) => p
            .files
            .get(f)
            .and_then(|f| f.leftovers.get(l))
            .is_some_and(|l| has(&l.source) || has(&l.symbol) || has(&l.why)),
    }
}

/// True for a path in a folder.
pub(crate) fn below(path: &RelPath, folder: &str) -> bool {
    folder.is_empty() || path.as_str().strip_prefix(folder).is_some_and(|r| r.starts_with('/'))
}
