//! Questions of actions about other files.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_lang::{Fact, Resolver, Tree};
use emendo_pattern::{Conditions, Pattern};
use emendo_text::RelPath;

/// A question about other files: where does this pattern fit, and what do its slots hold there?
#[derive(Debug)]
pub struct Query {
    /// The pattern.
    pub pattern: Pattern,
    /// What must stand around and within, and what the slots must fulfil.
    pub conditions: Conditions,
    /// Only in these files.
    pub files: Option<emendo_recipe::Globs>,
    /// Only in the file of the place.
    pub same_file: bool,
    /// It holds where nothing fits.
    pub none: bool,
}

/// An answer to a [`Query`].
#[derive(Clone, Debug, PartialEq)]
pub struct Answer {
    /// The file.
    pub path: RelPath,
    /// What the slots hold.
    pub slots: BTreeMap<String, String>,
    /// What was found out there; nothing of it is in the file that asks.
    pub facts: Vec<Fact>,
}

/// What a question found.
#[derive(Debug)]
pub struct Asked {
    /// The question.
    pub query: Arc<Query>,
    /// The answers.
    pub found: Vec<Answer>,
    /// A file that may hold more could not be read.
    pub unread: bool,
}

impl Query {
    /// All ways in which the pattern fits in a file.
    pub fn answers(
        &self,
        path: &RelPath,
        tree: &Tree,
        text: &str,
        resolver: &Resolver<'_>,
    ) -> Vec<Answer> {
        let found = self.pattern.ways(tree, text, resolver);
        let found = self.conditions.fulfilled(found, tree, text, resolver);
        let mut out: Vec<Answer> = Vec::new();
        for m in &found {
            let named = m.slots.iter().filter(|b| b.name != "_");
            let slots = named.map(|b| b.held(text)).collect();
            let facts = m.told().map(|f| f.from_file(Some(path), text)).collect();
            let answer = Answer { path: path.clone(), slots, facts };
            if !out.iter().any(|a| a.slots == answer.slots) {
                out.push(answer);
            }
        }
        out
    }
}
