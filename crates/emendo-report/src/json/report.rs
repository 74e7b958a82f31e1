//! A report: what was applied and what is proposed, in the same values that `show` gives.

use std::path::Path;

use emendo_core::{FileChange, summarize};
use serde_json::{Value, json};

use crate::json::project::leftover;
use crate::json::proposal::{edit, proposal};
use crate::model::{Report, ReportRun, What};

/// A report, whole.
pub fn report(r: &Report<'_>) -> Value {
    let by = r.steps_by_file();
    let change = |c: &FileChange| {
        let steps: Vec<_> = c.path().and_then(|p| by.get(p)).into_iter().flatten().collect();
        json!({ "path": c.path(), "from": c.from, "to": c.to, "what": What::of(c).word(), "steps": steps })
    };
    let edits = |list: &[&emendo_core::Edit]| -> Vec<Value> {
        let decisions = r.proposed.as_ref().map(|p| p.decisions);
        list.iter().filter_map(|e| Some(edit(e, decisions?))).collect()
    };
    let leftovers: Vec<Value> = r.open.leftovers.iter().map(leftover).collect();
    json!({
        "project": r.project,
        "applied": r.applied.iter().map(applied).collect::<Vec<_>>(),
        "proposal": r.proposed.as_ref().map(run),
        "files": r.changes.iter().map(change).collect::<Vec<_>>(),
        "libraries": r.libraries,
        "open": r.open.counts(),
        "left": { "notes": r.open.notes, "leftovers": leftovers, "held_back": edits(&r.open.held_back) },
        "verified": r.verified,
    })
}

/// Where a report was written.
pub fn reported(path: &Path, bytes: usize) -> Value {
    json!({ "report": path, "bytes": bytes })
}

/// What a run of edits made, as `show` gives a proposal.
fn run(r: &ReportRun<'_>) -> Value {
    proposal(r.proposal, &summarize(r.proposal, r.decisions), r.decisions)
}

fn applied(r: &ReportRun<'_>) -> Value {
    let applies: Vec<Value> = r
        .applies
        .iter()
        .map(|a| json!({ "id": a.id, "time": a.time, "title": a.title, "commit": a.commit }))
        .collect();
    let mut value = run(r);
    value["applies"] = json!(applies);
    value
}
