//! What lookups of declarations go by, gathered when it is first asked for.

use std::sync::OnceLock;

use emendo_text::Span;
use rustc_hash::{FxHashMap, FxHashSet};

/// What lookups go by, gathered when it is first asked for.
#[derive(Debug, Default)]
pub(super) struct Lookups {
    pub(super) types: OnceLock<TypePlaces>,
    pub(super) called: OnceLock<FxHashMap<String, Vec<u32>>>,
    pub(super) scopes: OnceLock<FxHashMap<u32, FxHashMap<String, Vec<u32>>>>,
    pub(super) top: OnceLock<FxHashSet<Span>>,
}

/// Types of a file by place; numbers are indexes.
#[derive(Debug, Default)]
pub(super) struct TypePlaces {
    /// By the place of the name.
    pub(super) by_name: FxHashMap<Span, u32>,
    /// By the place of a member, the last type that has it.
    pub(super) by_member: FxHashMap<Span, u32>,
    /// For each type, the one that it stands in.
    pub(super) around: Vec<Option<u32>>,
}
