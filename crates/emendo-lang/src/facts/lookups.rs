//! What lookups of declarations go by, gathered when it is first asked for.

use std::sync::OnceLock;

use emendo_text::Span;
use rustc_hash::{FxHashMap, FxHashSet};

/// Where declarations are found; numbers are indexes into the facts.
#[derive(Debug, Default)]
pub(super) struct Lookups {
    /// Types, by place.
    pub(super) types: OnceLock<TypePlaces>,
    /// Types, by their own name.
    pub(super) called: OnceLock<FxHashMap<String, Vec<u32>>>,
    /// What scopes that declare much declare, by scope and name.
    pub(super) scopes: OnceLock<FxHashMap<u32, FxHashMap<String, Vec<u32>>>>,
    /// The places of what is declared at the top.
    pub(super) top: OnceLock<FxHashSet<Span>>,
}

/// Types of a file, by place.
#[derive(Debug, Default)]
pub(super) struct TypePlaces {
    /// By the place of the name.
    pub(super) by_name: FxHashMap<Span, u32>,
    /// By the place of a member, the last type that has it.
    pub(super) by_member: FxHashMap<Span, u32>,
    /// For each type, the one that it stands in.
    pub(super) around: Vec<Option<u32>>,
}
