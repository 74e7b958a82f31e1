//! What an action sees while it is compiled, and of one file.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_docs::Manifest;
use emendo_lang::{Index, Renames, Resolver, Spellings};
use emendo_recipe::Recipe;
use emendo_text::{Diagnostic, RelPath, Span};

use crate::contract::code::Code;
use crate::contract::followed::Followed;
use crate::contract::moves::Moves;
use crate::contract::query::{Asked, Query};
use crate::contract::tables::Tables;
use crate::contract::trace::TraceLog;

/// What an action may ask while it is compiled.
pub struct CompileCx<'a> {
    /// Languages, formats and ecosystems.
    pub tables: &'a Arc<Tables>,
    /// The recipe.
    pub recipe: &'a Recipe,
    /// All renames of the recipe: symbols are known under both names.
    pub spellings: &'a Spellings,
    /// Renames of earlier steps, old and new.
    pub renamed: &'a [(String, String)],
    /// Renames of the actions of later steps.
    pub later: &'a [Renames],
    /// What is wrong.
    pub out: &'a mut Vec<Diagnostic>,
}

impl CompileCx<'_> {
    /// Says what is wrong at a place, and the way out; nothing can run.
    pub fn refuse<T>(
        &mut self,
        message: impl Into<String>,
        at: Span,
        help: impl Into<String>,
    ) -> Option<T> {
        self.out.push(Diagnostic::error(message.into(), at).help(help.into()));
        None
    }
}

/// What an action sees of one file, and what it may ask.
pub struct FileCx<'a> {
    /// Languages, formats and ecosystems.
    pub tables: &'a Tables,
    /// The file.
    pub path: &'a RelPath,
    /// Its text before the step; of a page, the layer of code.
    pub text: &'a str,
    /// The line end that most lines have.
    pub line_end: &'a str,
    /// Its tree and facts, where it is code.
    pub code: Option<&'a Code>,
    /// What the project declares.
    pub project: &'a Index,
    /// All manifests.
    pub manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
    /// The packages of the recipe's symbols.
    pub packages: &'a [String],
    /// Answers to the questions about other files, in the order of the plan's questions.
    pub answers: &'a [Asked],
    /// Declarations whose uses the step changes with them, in whatever file they are.
    pub followed: &'a [Followed],
    /// What the step wrote in this file before, by the journal; only of actions that do their work once.
    pub own: &'a [&'a str],
    /// Files that the step moves, creates or deletes.
    pub moves: Option<&'a Moves>,
    /// Gathers where actions stop at a place, where someone asks.
    pub trace: Option<&'a TraceLog>,
}

static NO_MANIFESTS: BTreeMap<RelPath, Arc<Manifest>> = BTreeMap::new();

impl<'a> FileCx<'a> {
    /// The same once more.
    pub fn copied(&self) -> Self {
        Self { ..*self }
    }

    /// A text with its line end, and nothing else known.
    pub fn new(
        tables: &'a Tables,
        path: &'a RelPath,
        (text, line_end): (&'a str, &'a str),
        project: &'a Index,
    ) -> Self {
        Self {
            tables,
            path,
            text,
            line_end,
            code: None,
            project,
            manifests: &NO_MANIFESTS,
            packages: &[],
            answers: &[],
            followed: &[],
            own: &[],
            moves: None,
            trace: None,
        }
    }
}

impl FileCx<'_> {
    /// What a question found.
    pub fn asked(&self, query: &Arc<Query>) -> Option<&Asked> {
        self.answers.iter().find(|a| Arc::ptr_eq(&a.query, query))
    }

    /// The resolver for the file.
    pub fn resolver<'a>(&'a self, code: &'a Code) -> Resolver<'a> {
        Resolver::new(code.language, &code.facts, self.project, &code.tree, self.text)
            .in_file(self.path)
    }
}

/// The places that read as what the step wrote before.
pub(crate) fn written_before(cx: &FileCx<'_>) -> Vec<Span> {
    let places = |own: &&str| {
        let found = cx.text.match_indices(*own).filter(|(_, t)| !t.is_empty());
        found.map(|(at, t)| Span::new(at, at + t.len())).collect::<Vec<_>>()
    };
    cx.own.iter().flat_map(places).collect()
}
