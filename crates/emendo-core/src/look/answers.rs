//! What a run knows of the project: declarations, manifests, answers to questions of actions.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::{Answer, Asked, Code, Followed, Needs, Query, World};
use emendo_docs::Manifest;
use emendo_lang::Project as _;
use emendo_lang::{Index, Resolver};
use emendo_text::RelPath;
use rayon::prelude::*;

use crate::look::moved::StepMoves;
use crate::look::seen::ExtraNames;
use crate::look::truths::Truths;
use crate::plan::{Declared, Narrow};
use crate::project::ProjectFiles;

/// What other files answer.
#[derive(Default)]
pub(crate) struct Answers {
    /// What the project declares, as far as the plan asks about it.
    pub index: Index,
    /// What matters by names that were found on the way.
    pub wide: ExtraNames,
    /// All manifests.
    pub manifests: BTreeMap<RelPath, Arc<Manifest>>,
    /// Declarations whose uses change with them, by step.
    pub followed: BTreeMap<usize, Vec<Followed>>,
    /// What steps do to files as a whole, by step.
    pub moves: BTreeMap<usize, StepMoves>,
    /// Files move that are called after what is in them: every step rests on the one before.
    pub moving: bool,
    /// Where what actions wait for holds.
    pub truths: Arc<Truths>,
    /// Questions about other files, with what was found.
    pub queries: Vec<Asked>,
}

/// Puts questions to all files, as they are by now.
pub(crate) fn ask(
    queries: Vec<Arc<Query>>,
    files: &ProjectFiles,
    (world, index): (&World, &Index),
) -> Vec<Asked> {
    let one = |query: Arc<Query>| {
        let needs = Needs::of(query.pattern.needs());
        let narrow = Narrow::new([&needs], &Declared::default(), &[]);
        let language = query.pattern.language();
        let covered = |p: &&RelPath| {
            query.files.as_ref().map_or_else(|| world.reads(language, p), |files| files.matches(p))
        };
        let found: Vec<Answer> = files
            .paths()
            .par_iter()
            .filter(covered)
            .flat_map_iter(|path| {
                let wanted = |b: &[u8]| narrow.may_matter(b) && narrow.present(b).meets(&needs);
                let text = files.peek_if(path, &wanted);
                text.map_or(Vec::new(), |t| answers_in(&query, path, &t, (world, index)))
            })
            .collect();
        let unread = query.none
            && files.paths().iter().filter(covered).any(|p| files.peek_if(p, &|_| true).is_none());
        Asked { query: query.clone(), found, unread }
    };
    queries.into_iter().map(one).collect()
}

/// What a question finds in one text.
fn answers_in(
    query: &Query,
    path: &RelPath,
    text: &str,
    (world, index): (&World, &Index),
) -> Vec<Answer> {
    let language = query.pattern.language();
    let one = |code: Code| {
        let text = code.text(text);
        let resolver = Resolver::new(language, &code.facts, index, &code.tree, text).in_file(path);
        query.answers(path, &code.tree, text, &resolver)
    };
    Code::all(world, language, (path, index.files()), text).into_iter().flat_map(one).collect()
}
