//! Decisions carried over to the ids that edits have once what comes before them is written.
//!
//! An id is computed on the original bytes of a file. Where an apply writes only the first of several steps, the bytes change, and so may
//! the ids of edits that later steps make there. What a step finds does not: the same text gives the same drafts in the same
//! order. So an accepted edit is found again by its step, its file, and which of the equal drafts of that step it is.

use std::collections::HashMap;

use emendo_text::{Digest, RelPath};
use serde::{Deserialize, Serialize};

use crate::edits::decisions::Status;
use crate::edits::edit::StepKey;

/// Which of the drafts of a step in a file one is, whatever its id.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub struct DraftKey {
    /// What it looks for, and the tokens that it found.
    pub look: Digest,
    /// How many such drafts come before it.
    pub nth: u32,
    /// How many there are in all.
    pub of: u32,
}

/// An accepted edit that waits until what comes before it is written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Waiting {
    /// Its id in the run that the decisions were made for.
    pub edit: Digest,
    /// Its step.
    #[serde(flatten)]
    pub step: StepKey,
    /// Its file.
    pub path: RelPath,
    /// Which of the drafts of its step it is.
    pub key: DraftKey,
}

/// How drafts stand, by their keys instead of their ids.
#[derive(Debug, Default)]
pub(crate) struct Carried(HashMap<(StepKey, RelPath), HashMap<DraftKey, Status>>);

impl Carried {
    /// Of waiting edits, with how each stands.
    pub(crate) fn of(waiting: impl IntoIterator<Item = (Waiting, Status)>) -> Self {
        let mut out = Self::default();
        for (w, status) in waiting {
            out.0.entry((w.step, w.path)).or_default().insert(w.key, status);
        }
        out
    }

    /// How the drafts of a step in a file stand.
    pub(crate) fn at(&self, step: &StepKey, path: &RelPath) -> Option<&HashMap<DraftKey, Status>> {
        self.0.get(&(step.clone(), path.clone()))
    }

    /// The files.
    pub(crate) fn paths(&self) -> impl Iterator<Item = &RelPath> {
        self.0.keys().map(|k| &k.1)
    }

    /// True if nothing waits.
    pub(crate) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}
