//! The project: what is in it, how far it is, what is left.

use std::path::Path;

use emendo_core::{
    Decision, Decisions, Edit, Journal, LeftoverAt, OpenCounts, OpenWork, Proposal, RecipeFit,
    Remaining, Search, Summary, Survey, WhyLine, summarize,
};
use emendo_text::RelPath;
use emendo_verify::Verification;
use serde::Serialize;
use serde_json::{Value, json};

use crate::json::proposal::{edit, plain_edit, proposal};

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
    verified: Option<&Verification>,
) -> Value {
    let applied: Vec<_> = done
        .iter()
        .map(|j| {
            let files = j.ops.files();
            json!({
                "id": j.id, "time": j.ops.time, "recipes": j.ops.recipes, "steps": j.ops.steps,
                "title": j.title(), "commit": j.commit(), "files": files,
                "edits": j.ops.decisions.len(),
            })
        })
        .collect();
    json!({
        "root": root,
        "recipes": proposal.map(|p| &p.header.recipes),
        "steps": summary.map(|s| &s.steps),
        "total": summary.map(|s| &s.total),
        "open": summary.map(|s| &s.open),
        "changed": changed,
        "stale": stale,
        "applied": applied,
        "interrupted": interrupted,
        "verified": verified,
    })
}

/// What a verification says, and the folder that holds the logs.
pub fn verified(v: &Verification, logs: &Path) -> Value {
    let mut value = serde_json::to_value(v).unwrap_or_default();
    value["passed"] = json!(v.passed());
    value["logs"] = json!(logs);
    value
}

/// A leftover with its file.
pub(crate) fn leftover((path, l): &LeftoverAt<'_>) -> Value {
    let mut value = serde_json::to_value(l).unwrap_or_default();
    value["path"] = json!(path);
    value
}

/// What is left of the old API, what is pending, what was left on purpose, and what was looked for.
pub fn leftovers(work: &OpenWork<'_>, remaining: &Remaining, decisions: &Decisions) -> Value {
    let all = |list: &[LeftoverAt<'_>]| list.iter().map(leftover).collect::<Vec<_>>();
    let edits = |list: &[&Edit]| list.iter().map(|e| edit(e, decisions)).collect::<Vec<_>>();
    json!({
        "counts": work.counts(),
        "leftovers": all(&work.leftovers),
        "notes": work.notes,
        "held_back": edits(&work.held_back),
        "pending": {
            "undecided": edits(&work.undecided), "choices": edits(&work.choices),
            "again": edits(&work.again), "accepted": edits(&work.accepted),
        },
        "on_purpose": {
            "rejected": edits(&work.rejected), "kept": edits(&work.kept),
            "notes": work.done_notes, "leftovers": all(&work.done_leftovers),
            "protected": edits(&work.protected), "protected_notes": work.protected_notes,
            "protected_leftovers": all(&work.protected_leftovers),
        },
        "looked_for": remaining.looked_for,
        "unnamed": remaining.unnamed,
        "unread": remaining.unread,
    })
}

/// What happens at a line, and where the nearest actions stop.
pub fn why(w: &WhyLine) -> Value {
    let edits: Vec<Value> = w.edits.iter().map(plain_edit).collect();
    json!({
        "path": w.path, "line": w.line, "source": w.source, "passed_over": w.passed_over,
        "edits": edits, "notes": w.notes, "leftovers": w.leftovers, "stops": w.stops,
    })
}

/// The end of a migration: what was applied, and what was open.
pub fn finished(edits: usize, open: &OpenCounts, report: Option<&Path>) -> Value {
    json!({ "edits": edits, "open": open, "report": report })
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
