//! What a run knows of the project: declarations, manifests, answers to questions of actions.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::{Answer, Followed, Needs, Query};
use emendo_docs::Manifest;
use emendo_lang::{FileFacts, Index, Resolver, Tree};
use emendo_text::{RelPath, Text};
use rayon::prelude::*;

use crate::look::seen::ExtraNames;
use crate::look::truths::Truths;
use crate::plan::{Declared, Narrow, Plan};
use crate::project::Project;

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
    /// Where what actions wait for holds.
    pub truths: Arc<Truths>,
    /// Questions about other files, with what was found.
    pub queries: Vec<(Arc<Query>, Vec<Answer>)>,
}

/// Puts the questions of a plan to all files.
pub(crate) fn ask(
    plan: &Plan,
    project: &Project,
    files: &[RelPath],
) -> Vec<(Arc<Query>, Vec<Answer>)> {
    let queries = plan.queries();
    let one = |query: Arc<Query>| {
        let needs = Needs::of(query.pattern.needs());
        let narrow = Narrow::new([&needs], &Declared::default(), &[]);
        let language = query.pattern.language();
        let covered = |p: &&RelPath| {
            query.files.as_ref().map_or_else(|| language.reads(p), |files| files.matches(p))
        };
        let found: Vec<Answer> = files
            .par_iter()
            .filter(covered)
            .flat_map_iter(|path| {
                let bytes = project.bytes(path).unwrap_or_default();
                let wanted = narrow.may_matter(&bytes) && narrow.present(&bytes).meets(&needs);
                let text = Text::decode(&bytes).ok().filter(|_| wanted);
                text.map_or(Vec::new(), |t| answers_in(&query, path, t.as_str()))
            })
            .collect();
        (query.clone(), distinct(found))
    };
    queries.into_iter().map(one).collect()
}

/// What a question finds in one text.
pub(crate) fn answers_in(query: &Query, path: &RelPath, text: &str) -> Vec<Answer> {
    let language = query.pattern.language();
    let tree = Tree::parse_file(language, path, text);
    let facts = FileFacts::read(language, &tree, text);
    let project = Index::default();
    let resolver = Resolver::new(language, &facts, &project, &tree, text);
    let found = query.pattern.matches(&tree, text, &resolver);
    let answer = |m: &emendo_pattern::Match| {
        let named = m.slots.iter().filter(|b| b.name != "_");
        named.map(|b| b.held(text)).collect::<Answer>()
    };
    found.iter().map(answer).collect()
}

pub(crate) fn distinct(mut answers: Vec<Answer>) -> Vec<Answer> {
    answers.sort();
    answers.dedup();
    answers
}
