//! A draft with its lasting names and how it stands.

use std::collections::HashMap;

use emendo_actions::{Change, Draft};
use emendo_text::{Digest, Hasher, Splice};

use crate::edits::{DraftKey, Status};
use crate::run::sink::Mode;

/// A draft with its lasting names and how it stands.
pub(crate) struct FoldedDraft {
    pub(crate) draft: Draft,
    pub(crate) id: Digest,
    pub(crate) weak: Digest,
    pub(crate) parents: Vec<u32>,
    pub(crate) seal: Digest,
    /// Label and seal of each alternative.
    pub(crate) options: Vec<(String, Digest)>,
    pub(crate) status: Status,
    /// The user's own text as a change, where that is to be written.
    pub(crate) own: Option<Change>,
    pub(crate) withheld: Option<String>,
    /// What holds it back is that its place is protected.
    pub(crate) protected: bool,
    pub(crate) behind: Option<usize>,
}

impl FoldedDraft {
    pub(crate) fn change(&self) -> Option<&Change> {
        if self.own.is_some() {
            return self.own.as_ref();
        }
        if self.draft.alternatives.is_empty() {
            return Some(&self.draft.change);
        }
        let Status::Accepted(Some(label)) = &self.status else { return None };
        self.draft.alternatives.iter().find(|a| a.label == *label).map(|a| &a.change)
    }

    /// All bytes that the edit may write over, whatever is chosen.
    pub(crate) fn claims(&self) -> Vec<&Splice> {
        let all = self.draft.alternatives.iter().flat_map(|a| &a.change.splices);
        let own = self.own.iter().flat_map(|c| &c.splices);
        self.draft.change.splices.iter().chain(all).chain(own).collect()
    }

    pub(crate) fn wanted(&self, mode: Mode) -> bool {
        match mode {
            Mode::View => self.status != Status::Rejected,
            Mode::Write => self.status.is_accepted(),
        }
    }

    /// Identity of what it writes: its seal, that of what was picked, or the user's own text.
    pub(crate) fn wrote(&self) -> Digest {
        match &self.status {
            Status::Reworded(text) => Hasher::new().digest(self.seal).part(text).finish(),
            Status::Accepted(Some(label)) => {
                self.options.iter().find(|o| o.0 == *label).map_or(self.seal, |o| o.1)
            }
            _ => self.seal,
        }
    }
}

/// Which of the drafts of their step these are, in their order.
pub(crate) fn keys(text: &str, folded: &[FoldedDraft]) -> Vec<DraftKey> {
    let look = |f: &FoldedDraft| {
        let mut h = Hasher::new();
        h.digest(f.draft.digest).number(f.draft.tokens.len() as u64);
        match f.draft.tokens.as_slice() {
            [] => h.part(f.draft.hull.of(text).trim()),
            tokens => tokens.iter().fold(&mut h, |h, t| h.part(t.of(text))),
        };
        h.finish()
    };
    let looks: Vec<Digest> = folded.iter().map(look).collect();
    let mut all: HashMap<Digest, u32> = HashMap::new();
    looks.iter().for_each(|l| *all.entry(*l).or_default() += 1);
    let mut before: HashMap<Digest, u32> = HashMap::new();
    let key = |look: Digest| {
        let n = before.entry(look).or_default();
        *n += 1;
        DraftKey { look, nth: *n - 1, of: all[&look] }
    };
    looks.into_iter().map(key).collect()
}
