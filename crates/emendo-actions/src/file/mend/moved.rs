//! Modules and types whose names follow from the paths of their files.

use emendo_lang::Fact;
use emendo_text::{Digest, Span, Splice};

use crate::contract::{Draft, FileMove, Tie};

/// A module or a type that gets another name with its file.
#[derive(Clone)]
pub(super) struct ModuleMove {
    pub(super) action: (usize, usize),
    pub(super) digest: Digest,
    pub(super) tie: Digest,
    pub(super) old: String,
    pub(super) new: String,
}

impl ModuleMove {
    pub(super) fn of(m: &FileMove, old: String, new: String) -> Self {
        Self { action: m.action, digest: m.digest, tie: m.tie(), old, new }
    }

    /// True for the module itself, and for what lies below it.
    pub(super) fn holds(&self, path: &str, separator: &str) -> bool {
        let rest = path.strip_prefix(self.old.as_str());
        rest.is_some_and(|r| r.is_empty() || r.starts_with(separator))
    }

    /// An edit that mends a reference to it, and needs the move.
    pub(super) fn mended(&self, at: Span, fact: Fact, splice: Splice) -> Draft {
        let draft = Draft::new(self.action, self.digest, at, vec![fact]);
        needing(self.tie, draft.writing(vec![splice]))
    }
}

/// An edit that mends a reference to a file that moves, and needs that.
pub(super) fn mended(m: &FileMove, at: Span, fact: Fact, splices: Vec<Splice>) -> Draft {
    needing(m.tie(), Draft::new(m.action, m.digest, at, vec![fact]).writing(splices))
}

fn needing(tie: Digest, draft: Draft) -> Draft {
    Draft { tie: Tie { needs: Some(tie), ..draft.tie }, ..draft }
}
