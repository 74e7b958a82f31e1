//! Declarations whose uses in other files change with them: all of them, or none.

use std::collections::{BTreeMap, BTreeSet};

use emendo_lang::Visible;
use emendo_text::{Digest, Hasher, RelPath, Span};

/// What a match of an action declares, and what its slots hold there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Declaration {
    /// The symbol.
    pub visible: Visible,
    /// What the slots of the match hold.
    pub slots: BTreeMap<String, String>,
}

/// Uses of a declaration in another file.
#[derive(Clone, Copy, Debug, Default)]
pub struct Uses {
    /// There are some.
    pub any: bool,
    /// One that nothing rewrites.
    pub left: Option<Span>,
}

/// A declaration, with where else it is used.
#[derive(Clone, Debug)]
pub struct Followed {
    /// The place of the action in its step.
    pub runner: usize,
    /// The declaration.
    pub declaration: Declaration,
    /// The file that declares it.
    pub path: RelPath,
    /// The other files that use it.
    pub users: BTreeSet<RelPath>,
    /// A use that nothing rewrites: none changes.
    pub left: Option<(RelPath, u32)>,
}

impl Followed {
    /// True if an action has uses to rewrite in a file.
    pub fn leads(&self, runner: usize, path: &RelPath) -> bool {
        self.runner == runner && self.left.is_none() && self.users.contains(path)
    }

    /// True if a file uses it, by an action.
    pub fn used_in(&self, runner: usize, path: &RelPath) -> bool {
        self.runner == runner && self.users.contains(path)
    }

    /// What its declaration and its uses hold together by.
    pub fn tie(&self, digest: Digest) -> Digest {
        Hasher::new()
            .part("followed")
            .digest(digest)
            .part(&self.declaration.visible.symbol)
            .finish()
    }
}
