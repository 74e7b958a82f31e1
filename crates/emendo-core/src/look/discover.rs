//! Names that a run finds on the way: types that are built on those of the library, modules that pass its names on.
//! A file that holds such a name matters, though it never names the library.

use std::collections::{BTreeSet, HashSet};

use emendo_actions::Subject;
use emendo_lang::{Index, Language};
use emendo_text::RelPath;
use serde::{Deserialize, Serialize};

use crate::plan::Present;

/// How many modules that pass names on are told apart; with more, every file with the name is looked into.
const MAX_MODULES: usize = 64;

/// How many members that give objects are told apart; with more, every file with the subject's name is looked into.
const MAX_CARRIERS: usize = 400;

/// Files that matter besides those that hold all words of a symbol: those with one of `names`, and one of `with`.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct ExtraWords {
    /// The last parts of symbols.
    pub(crate) names: Vec<String>,
    /// Names that lead to the library; none if nothing more is asked.
    pub(crate) with: Vec<String>,
    /// The names are those of members that give objects: what steps write changes none of that.
    #[serde(default)]
    pub(crate) carried: bool,
}

impl ExtraWords {
    /// True if a text that holds these words matters.
    pub(crate) fn met(&self, present: &Present<'_>) -> bool {
        self.names.iter().any(|n| present.holds(n))
            && (self.with.is_empty() || self.with.iter().any(|w| present.holds(w)))
    }

    /// All its words.
    pub(crate) fn words(&self) -> impl Iterator<Item = &str> {
        self.names.iter().chain(&self.with).map(String::as_str)
    }
}

/// What was found so far, for the subjects of one language.
#[derive(Debug, Default)]
pub(crate) struct FoundNames {
    /// Last parts of the names of types that are built on types of the subjects.
    types: BTreeSet<String>,
    /// Words by which other files name modules that may pass a subject on.
    modules: BTreeSet<String>,
    /// Subjects that lie in the project itself, or that an import for all files brings in.
    everywhere: BTreeSet<String>,
    /// Names of members and functions that give objects of the subjects' types.
    carriers: BTreeSet<String>,
}

impl FoundNames {
    /// Takes in the types of the index. True if any is new.
    pub(crate) fn types(
        &mut self,
        language: &Language,
        index: &Index,
        subjects: &[Subject],
    ) -> bool {
        let names = &language.names;
        let wanted: HashSet<String> = subjects
            .iter()
            .filter(|s| s.inherited)
            .map(|s| if s.member { names.parent(&s.symbol) } else { s.symbol.clone() })
            .collect();
        let before = self.types.len();
        for (symbol, info) in index.heirs(&wanted) {
            if info.path.is_some() {
                self.types.insert(names.last(symbol).to_owned());
            }
        }
        self.types.len() > before
    }

    /// A file that holds a subject, and may pass it on.
    pub(crate) fn module(&mut self, path: &RelPath, called: &[String]) {
        let stem = path.name().split('.').next().unwrap_or("");
        let folder = path.folder().rsplit('/').next().unwrap_or("");
        let plain = matches!(stem, "__init__" | "index" | "mod" | "lib" | "main");
        let word = if plain { folder } else { stem };
        // A folder's name may hold what is not a letter: any of its words will do.
        let all = std::iter::once(word).chain(called.iter().map(String::as_str));
        let words = all.flat_map(|w| w.split(|c: char| !c.is_alphanumeric() && c != '_'));
        self.modules.extend(words.filter(|w| !w.is_empty()).map(str::to_owned));
    }

    /// A subject that other files may name without its package.
    pub(crate) fn everywhere(&mut self, symbol: &str) {
        self.everywhere.insert(symbol.to_owned());
    }

    /// Members and functions that give objects of the subjects' types. True if any is new.
    pub(crate) fn carried(&mut self, names: impl IntoIterator<Item = String>) -> bool {
        let before = self.carriers.len();
        self.carriers.extend(names);
        self.carriers.len() > before
    }

    /// The names of types so far.
    pub(crate) fn type_names(&self) -> impl Iterator<Item = &String> {
        self.types.iter()
    }

    /// Which more files matter to an action with these subjects.
    pub(crate) fn wider(&self, language: &Language, subjects: &[Subject]) -> Vec<ExtraWords> {
        let names = &language.names;
        let last = |s: &Subject| names.last(&s.symbol).to_owned();
        let mut out = Vec::new();
        let all: Vec<String> = subjects.iter().map(last).collect();
        if !self.modules.is_empty() {
            let many = self.modules.len() > MAX_MODULES;
            let with = if many { Vec::new() } else { self.modules.iter().cloned().collect() };
            out.push(ExtraWords { names: all, with, carried: false });
        }
        let members: Vec<String> = subjects.iter().filter(|s| s.member).map(last).collect();
        if !self.types.is_empty() && !members.is_empty() {
            let with = self.types.iter().cloned().collect();
            out.push(ExtraWords { names: members.clone(), with, carried: false });
        }
        if !self.carriers.is_empty() && !members.is_empty() {
            let many = self.carriers.len() > MAX_CARRIERS;
            let with = if many { Vec::new() } else { self.carriers.iter().cloned().collect() };
            out.push(ExtraWords { names: members, with, carried: true });
        }
        let own = subjects.iter().filter(|s| self.everywhere.contains(&s.symbol));
        let own: Vec<String> = own.map(last).collect();
        if !own.is_empty() {
            out.push(ExtraWords { names: own, with: Vec::new(), carried: false });
        }
        out
    }
}
