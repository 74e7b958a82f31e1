//! What an index has read of files and worked out so far.

use std::collections::{HashMap, HashSet};
use std::sync::{Arc, RwLock};

use emendo_text::RelPath;
use serde::{Deserialize, Serialize};

use crate::facts::FileFacts;
use crate::ground::{Export, Import};
use crate::language::Language;
use crate::project::MemberKey;
use crate::tree::Tree;
use crate::ty::{MemberType, Shape};

/// What a module passes on.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Passed {
    /// Names with the symbols that they stand for, and whether the name is the module's own choice.
    pub(crate) names: HashMap<String, (String, bool)>,
    /// Modules whose names are all passed on.
    pub(crate) all: Vec<String>,
    /// The names that it declares itself: they come before those of others.
    pub(crate) own: HashSet<String>,
}

impl Passed {
    /// True if the module gives a name, or passes on all of others, one of which may.
    pub(crate) fn may_give(&self, name: &str) -> bool {
        self.names.contains_key(name) || self.own.contains(name) || !self.all.is_empty()
    }

    pub(crate) fn of(language: &'static Language, facts: &FileFacts) -> Self {
        let names = &language.names;
        let mut out = Self::default();
        let inside =
            |local: &str| facts.imports.iter().find(|i| !i.passes_on && i.local() == Some(local));
        // What is imported within a function is known there only.
        let whole = |i: &&Import| !i.restricts && i.inside.is_empty() && facts.is_whole(i.scope);
        for import in facts.imports.iter().filter(whole) {
            let passes = import.passes_on || language.exports.exports_all;
            match (passes, import.wildcard, import.local()) {
                (false, ..) => {}
                (true, true, _) => out.all.push(import.path().to_owned()),
                (true, false, Some(local)) if !import.binds_root => {
                    let target = (import.path().to_owned(), import.aliased());
                    out.names.entry(local.to_owned()).or_insert(target);
                }
                _ => {}
            }
        }
        out.own = facts.top_names().map(str::to_owned).collect();
        for Export { outside, inside: local, fixed } in &facts.exports {
            if let Some(import) = inside(local) {
                let fixed = *fixed || import.aliased();
                out.names.insert(outside.clone(), (import.path().to_owned(), fixed));
            } else if outside != local {
                // A name of its own under another: `export default Station`.
                let module = [facts.module.as_str(), local];
                out.names.insert(outside.clone(), (names.join(&module), true));
            }
        }
        out
    }
}

/// A file that was read for what it tells of types.
pub(crate) struct Loaded {
    pub(crate) language: &'static Language,
    pub(crate) path: RelPath,
    pub(crate) text: String,
    pub(crate) tree: Tree,
    pub(crate) facts: FileFacts,
}

/// What was told of types by language and symbol.
pub(crate) type Shapes = HashMap<(&'static str, String), Option<Arc<Shape>>>;

/// What was asked so far.
#[derive(Default)]
pub(crate) struct Asked {
    pub(crate) files: RwLock<Vec<Arc<Loaded>>>,
    pub(crate) shapes: RwLock<Shapes>,
    pub(crate) members: RwLock<HashMap<MemberKey, Option<Arc<[MemberType]>>>>,
}
