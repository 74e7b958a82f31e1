//! Proposals, decisions, applies.

use emendo_core::{
    Applied, Decided, Decisions, Edit, MissingRequirement, Note, Proposal, Recovered, Refusal,
    Status, Summary, TakenBack, Undone,
};
use serde_json::{Value, json};

/// A proposal: what it was made from, the summary, and each file with edits, notes and hunks.
pub fn proposal(p: &Proposal, s: &Summary, d: &Decisions) -> Value {
    let files: Vec<Value> = p
        .files
        .iter()
        .map(|f| {
            let edits: Vec<Value> = f.edits.iter().map(|e| edit(e, d)).collect();
            let mut value = json!({ "path": f.path, "edits": edits, "notes": f.notes, "leftovers": f.leftovers, "hunks": f.hunks });
            if let Some(to) = &f.fate.to {
                value["to"] = json!(to);
            }
            for (key, holds) in [("created", f.fate.created), ("deleted", f.fate.deleted)] {
                if holds {
                    value[key] = json!(true);
                }
            }
            value
        })
        .collect();
    json!({
        "recipes": p.header.recipes,
        "inputs": p.header.inputs,
        "counts": p.trailer.counts,
        "steps": s.steps,
        "total": s.total,
        "open": s.open,
        "notes": p.trailer.notes,
        "left_out": p.trailer.left_out,
        "skipped_steps": p.trailer.skipped_steps,
        "files": files,
    })
}

/// An edit by itself. Positions are lines, here and everywhere.
pub(crate) fn plain_edit(e: &Edit) -> Value {
    let mut value = serde_json::to_value(e).unwrap_or_default();
    if let Value::Object(map) = &mut value {
        map.remove("origin");
    }
    value
}

/// An edit, with how it is decided.
pub fn edit(e: &Edit, d: &Decisions) -> Value {
    let (word, label) = match d.status(e) {
        Status::Undecided => ("undecided", None),
        Status::Accepted(label) => ("accepted", label),
        Status::Reworded(_) => ("reworded", None),
        Status::Rejected => ("rejected", None),
        Status::Again => ("again", None),
    };
    let mut value = plain_edit(e);
    if let Value::Object(map) = &mut value {
        map.insert("decision".into(), json!(word));
        if let Some(label) = label {
            map.insert("picked".into(), json!(label));
        }
    }
    value
}

/// A requirement that is not met.
pub fn missing(m: &MissingRequirement) -> Value {
    json!(m)
}

/// A list of edits.
pub fn edits(list: &[&Edit], d: &Decisions) -> Value {
    json!({ "edits": list.iter().map(|e| edit(e, d)).collect::<Vec<_>>() })
}

/// A list of notes.
pub fn notes(list: &[&Note]) -> Value {
    json!({ "notes": list })
}

/// What became of a selection; `why` puts a refusal in words.
pub fn decided(d: &Decided, decisions: &Decisions, why: &dyn Fn(&Refusal) -> String) -> Value {
    let edits = |list: &[Edit]| list.iter().map(|e| edit(e, decisions)).collect::<Vec<_>>();
    let refused = d.refused.iter().map(|(e, r)| json!({ "edit": e.id, "because": why(r) }));
    json!({ "decided": edits(&d.decided), "along": edits(&d.along), "refused": refused.collect::<Vec<_>>(),
        "already": d.already, "places": d.places, "open": d.open })
}

/// What an apply wrote, and what it left.
///
/// `help` is the way out where it stopped.
pub fn applied(a: &Applied, help: Option<&str>) -> Value {
    let left = a.left_out.iter();
    let left: Vec<_> =
        left.map(|(e, why)| json!({ "edit": e.id, "path": e.path, "because": why })).collect();
    let recovered = a.recovered.as_ref().map(|r| match r {
        Recovered::TakenBack(back) => taken_back(back),
        Recovered::Finished(files, commit) => json!({ "finished": files, "commit": commit }),
    });
    let parts = a.parts.iter().map(|p| {
        json!({
            "id": p.id, "title": p.title, "steps": p.steps, "files": p.files, "edits": p.edits,
            "commit": p.commit, "uncommitted": p.uncommitted,
        })
    });
    let stopped = a.stopped.as_ref().map(|s| {
        json!({
            "title": s.title, "steps": s.steps, "because": s.error.to_string(), "help": help,
        })
    });
    json!({
        "files": a.files, "edits": a.written, "left_out": left,
        "applies": parts.collect::<Vec<_>>(), "stopped": stopped,
        "skipped": a.skipped, "own_changes": a.own_changes, "open": a.open, "recovered": recovered,
    })
}

fn taken_back(back: &TakenBack) -> Value {
    let aside = back.aside.iter().map(|(path, kept)| json!({ "path": path, "in": kept }));
    json!({
        "restored": back.restored, "kept": back.kept, "aside": aside.collect::<Vec<_>>(),
    })
}

/// What was taken back.
pub fn undone(u: &Undone) -> Value {
    let mut value = taken_back(&u.back);
    value["interrupted"] = json!(u.interrupted);
    value["applies"] = json!(u.applies);
    value["commits"] = json!(u.commits);
    value["open"] = json!(u.open);
    value
}
