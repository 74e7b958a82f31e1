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
    /// The types that slots name there, in full.
    pub types: BTreeMap<String, String>,
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
            let type_of = |b: &emendo_pattern::Bound| {
                let told = resolver.type_named(b.span).filter(|_| b.text.is_none())?;
                let all = told.ty.symbols();
                // Of several that it may be, the one that the project declares, as far as that is known, or the only one
                // that an import brings in.
                let names = &resolver.language.names;
                let own = |s: &&String| {
                    resolver.project.type_of(s).is_some()
                        || resolver.project.holds(
                            resolver.language,
                            &names.parent(s),
                            names.last(s),
                        )
                };
                let imported = |s: &&String| {
                    let package = names.parent(s);
                    resolver.facts.imports.iter().any(|i| i.wildcard && i.path() == package)
                };
                let only = |mut found: std::slice::Iter<'_, String>,
                            fits: &dyn Fn(&&String) -> bool| {
                    let first = found.find(|s| fits(s)).cloned();
                    first.filter(|_| !found.any(|s| fits(&s)))
                };
                let single = all.first().filter(|_| all.len() == 1).cloned();
                let symbol = single
                    .or_else(|| all.iter().find(own).cloned())
                    .or_else(|| only(all.iter(), &imported))?;
                let last = names.last(&symbol);
                (last == b.span.of(text)).then(|| (b.name.clone(), symbol.clone()))
            };
            let types = m.slots.iter().filter(|b| b.name != "_").filter_map(type_of).collect();
            let facts = m.told().map(|f| f.from_file(Some(path), text)).collect();
            let answer = Answer { path: path.clone(), slots, types, facts };
            if !out.iter().any(|a| a.slots == answer.slots && a.types == answer.types) {
                out.push(answer);
            }
        }
        out
    }
}
