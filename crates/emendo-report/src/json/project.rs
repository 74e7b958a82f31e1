//! The project: what is in it, how far it is, what is left.

use std::path::Path;

use emendo_core::{
    Decision, Decisions, Journal, Leftover, Proposal, RecipeFit, Search, Summary, Survey, summarize,
};
use emendo_text::RelPath;
use serde::Serialize;
use serde_json::{Value, json};

use crate::json::proposal::proposal;

/// What a look at a project found; `git` is the state of its working tree.
pub fn survey(root: &Path, git: &impl Serialize, survey: &Survey, fits: &[RecipeFit]) -> Value {
    json!({ "root": root, "git": git, "survey": survey, "recipes": fits })
}

/// How far the project is: its proposal in numbers, what has changed since, what was applied.
pub fn status(
    root: &Path,
    (proposal, summary): (Option<&Proposal>, Option<&Summary>),
    (changed, stale): (&[RelPath], &[&Decision]),
    (done, interrupted): (&[&Journal], bool),
) -> Value {
    let applied: Vec<_> = done
        .iter()
        .map(|j| {
            let files: Vec<_> = j.ops.ops.iter().map(|o| &o.path).collect();
            json!({ "time": j.ops.time, "recipes": j.ops.recipes, "files": files, "edits": j.ops.decisions.len() })
        })
        .collect();
    json!({
        "root": root,
        "recipes": proposal.map(|p| &p.header.recipes),
        "steps": summary.map(|s| &s.steps),
        "total": summary.map(|s| &s.total),
        "changed": changed,
        "stale": stale,
        "applied": applied,
        "interrupted": interrupted,
    })
}

/// What is left of the old API, and files with edits that are not written yet.
pub fn leftovers(left: &[(&RelPath, &Leftover)], pending: &[(String, usize)]) -> Value {
    let one = |(path, l): &(&RelPath, &Leftover)| {
        let mut value = serde_json::to_value(l).unwrap_or_default();
        value["path"] = json!(path);
        value
    };
    let left: Vec<Value> = left.iter().map(one).collect();
    let by_file: Vec<_> =
        pending.iter().map(|(path, n)| json!({ "path": path, "edits": n })).collect();
    json!({ "leftovers": left, "pending": by_file })
}

/// How many places a search found, and in how many files.
pub fn places(found: &Search, files: usize) -> Value {
    json!({ "places": found.hits.len(), "files": files })
}

/// What a search found, by a pattern that reads in these ways.
pub fn found(found: &Search, files: usize, readings: &[&str]) -> Value {
    json!({
        "readings": readings, "places": found.hits.len(), "files": files, "given_up": found.gave_up,
        "hits": found.hits, "nearest": found.near,
    })
}

/// What the demo did: a proposal, accepted where it is certain and applied, and what is left to decide.
pub fn demo(
    (project, recipe): (&Path, &Path),
    proposed: &Summary,
    (accepted, written): (usize, &[RelPath]),
    (left, decisions): (&Proposal, &Decisions),
) -> Value {
    json!({
        "project": project, "recipe": recipe, "proposed": proposed, "accepted": accepted,
        "written": written, "left": proposal(left, &summarize(left, decisions), decisions),
    })
}
