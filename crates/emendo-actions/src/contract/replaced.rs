//! What actions replace, and what is left of it.

use std::sync::Arc;

use emendo_lang::{Certainty, Fact, Wanted};
use emendo_text::Span;

/// What kind of symbols an action is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SymbolKind {
    /// A package or module, with all below.
    Package,
    /// Something that is reached by its own name: a type, a function, a macro.
    Free,
    /// A member that is called.
    Method,
    /// A member that is read or written.
    Property,
    /// A member of a type that is always reached through the type's name.
    Constant,
}

impl SymbolKind {
    pub(crate) fn of(word: &str) -> Self {
        match word {
            "package" | "module" => Self::Package,
            "method" => Self::Method,
            "property" => Self::Property,
            "constant" | "enum-case" => Self::Constant,
            _ => Self::Free,
        }
    }

    /// A word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Package => "package",
            Self::Free => "name",
            Self::Method => "method",
            Self::Property => "property",
            Self::Constant => "constant",
        }
    }

    /// True for members of types.
    pub(crate) fn member(self) -> bool {
        matches!(self, Self::Method | Self::Property | Self::Constant)
    }
}

/// A symbol that an action replaces.
#[derive(Clone, Debug)]
pub struct Old {
    /// The full symbol.
    pub symbol: String,
    /// What it is.
    pub what: SymbolKind,
    /// The types of the parameters of the overload that is meant; nothing for all of them.
    pub parameters: Option<Vec<Wanted>>,
    /// What to do with a use that is left.
    pub advice: Option<String>,
    /// It is said by a pattern, as a member of a symbol: only uses that resolve are meant.
    pub resolved: bool,
}

/// A key of settings that an action renames or takes away.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OldKey {
    /// The key, or what stands before the rest of all keys that begin so.
    pub key: String,
    /// What it becomes.
    pub new: Option<String>,
    /// What to do with a mention that is left.
    pub advice: Option<String>,
}

/// A library that an action renames or takes away.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OldCoordinate {
    /// The word for its ecosystem.
    pub ecosystem: &'static str,
    /// The coordinate, without ecosystem and version.
    pub coordinate: String,
}

/// A path that files are to leave.
#[derive(Clone)]
pub struct OldPath {
    /// As the recipe writes it.
    pub written: String,
    /// True for the paths that are meant.
    pub fits: Arc<dyn Fn(&str) -> bool + Send + Sync>,
}

/// What an action replaces, and by what.
#[derive(Clone)]
pub struct Replaces {
    /// Keys of settings that are to be gone.
    pub keys: Vec<OldKey>,
    /// Libraries that are to be gone.
    pub coordinates: Vec<OldCoordinate>,
    /// What is to be gone.
    pub old: Vec<Old>,
    /// What is there instead.
    pub new: Vec<String>,
    /// What keeps its name below what is to be gone.
    pub kept: Vec<String>,
    /// Paths that files are to leave.
    pub paths: Vec<OldPath>,
    /// What it changes without a name to look for, as the recipe writes it.
    pub unnamed: Vec<String>,
}

impl Replaces {
    /// It replaces nothing.
    pub const NONE: Self = Self {
        keys: Vec::new(),
        coordinates: Vec::new(),
        old: Vec::new(),
        new: Vec::new(),
        kept: Vec::new(),
        paths: Vec::new(),
        unnamed: Vec::new(),
    };
}

/// A place that still means or mentions an old symbol, in the text of a run.
#[derive(Clone, Debug)]
pub struct Remains {
    /// The place.
    pub at: Span,
    /// The old symbol.
    pub symbol: String,
    /// How sure it is that it is meant.
    pub certainty: Certainty,
    /// Why, in plain words; empty where a fact says it.
    pub why: String,
    /// The fact that says it.
    pub fact: Option<Fact>,
}
