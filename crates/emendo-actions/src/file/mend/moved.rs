//! Modules and types whose names follow from the paths of their files.

use emendo_text::Digest;

use crate::contract::FileMove;

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
}
