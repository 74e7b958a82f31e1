//! Which edits a selection means, and what an acceptance of them covers.

use std::collections::{HashMap, HashSet};

use emendo_lang::Certainty;
use emendo_text::{Digest, RelPath};

use crate::edits::{Decision, Decisions, Edit, Standing, Status, Verdict};
use crate::review::proposal::Proposal;

/// Why a selection selects nothing: it fits nothing, or names something that is not there.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub struct SelectionError(pub String);

/// Which edits are meant.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Steps, by id or `recipe/step`; any of them.
    pub steps: Vec<String>,
    /// Files or folders; any of them.
    pub files: Vec<String>,
    /// This certainty and above.
    pub certainty: Option<Certainty>,
    /// Edits, by the beginnings of their ids.
    pub edits: Vec<String>,
    /// All edits.
    pub all: bool,
}

/// Why an edit that was meant is not decided.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Refusal {
    /// It is held back, for this reason.
    Withheld(String),
    /// It is a choice: one of its alternatives must be picked.
    Choice,
    /// It calls for caution: it must be named, by its step or itself.
    Caution,
    /// It is unsure: it must be asked for.
    Unsure,
    /// Another reason, in words.
    Other(String),
}

/// What became of a selection.
#[derive(Clone, Debug, Default)]
pub struct Decided {
    /// Edits that are decided now.
    pub decided: Vec<Edit>,
    /// Edits that were accepted along, since others build on them.
    pub along: Vec<Edit>,
    /// Edits that were meant and not decided, with the reason.
    pub refused: Vec<(Edit, Refusal)>,
}

/// The decidable edits of a selection, in order.
pub(crate) fn select<'p>(
    proposal: &'p Proposal,
    s: &Selection,
) -> Result<Vec<&'p Edit>, SelectionError> {
    let fail = |message: String| Err(SelectionError(message));
    for step in &s.steps {
        if !proposal.header.steps.iter().any(|i| i.key.is(step)) {
            let known: Vec<&str> =
                proposal.header.steps.iter().map(|i| i.key.step.as_str()).collect();
            return fail(format!("no step is called `{step}`; the steps: {}", known.join(", ")));
        }
    }
    for prefix in &s.edits {
        let hits =
            proposal.edits().filter(|e| e.id.to_string().starts_with(prefix.as_str())).count();
        match hits {
            0 => return fail(format!("no edit has an id that begins with `{prefix}`")),
            1 => {}
            n => return fail(format!("`{prefix}` is the beginning of {n} ids: give more of it")),
        }
        if proposal.edits().any(|e| e.derived && e.id.to_string().starts_with(prefix.as_str())) {
            return fail(format!(
                "`{prefix}` is an import that follows from other edits: decide on those"
            ));
        }
    }
    for file in &s.files {
        if !proposal.files.iter().any(|f| is_file(&f.path, file)) {
            return fail(format!("the proposal has nothing for `{file}`"));
        }
    }
    let hit = |e: &&Edit| {
        (s.steps.is_empty() || s.steps.iter().any(|w| e.step.is(w)))
            && (s.files.is_empty() || s.files.iter().any(|w| is_file(&e.path, w)))
            && (s.edits.is_empty()
                || s.edits.iter().any(|w| e.id.to_string().starts_with(w.as_str())))
            && s.certainty.is_none_or(|c| e.certainty >= c)
    };
    Ok(proposal.decidable().filter(hit).collect())
}

fn is_file(path: &RelPath, word: &str) -> bool {
    let word = word.trim_start_matches("./").trim_end_matches('/');
    path.as_str() == word || path.as_str().strip_prefix(word).is_some_and(|r| r.starts_with('/'))
}

/// What an acceptance covers: undecided edits, with those that they build on. Never a `caution` that is
/// not named, an unpicked choice, or an unsure edit that was not asked for.
pub(crate) fn accept(
    proposal: &Proposal,
    decisions: &Decisions,
    s: &Selection,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    let by_id: HashMap<Digest, &Edit> = proposal.decidable().map(|e| (e.id, e)).collect();
    let mut by_tie: HashMap<Digest, Vec<Digest>> = HashMap::new();
    for e in proposal.decidable() {
        if let Some(tie) = e.provides {
            by_tie.entry(tie).or_default().push(e.id);
        }
    }
    let named = |e: &Edit| !s.edits.is_empty() || s.steps.iter().any(|w| e.step.is(w));
    let mut out = Decided::default();
    let mut log = Vec::new();
    let mut seen: HashSet<Digest> = HashSet::new();
    for e in select(proposal, s)? {
        let explicit = !s.edits.is_empty();
        let status = decisions.status(e);
        let refuse = |why: Refusal| Some((e.clone(), why));
        let refused = match (&e.standing, &status) {
            (_, Status::Accepted(_)) => continue,
            (_, Status::Rejected) if !explicit => continue,
            (Standing::Withheld(why), _) if e.behind.is_none() || !explicit => {
                refuse(Refusal::Withheld(why.clone()))
            }
            _ if !e.options.is_empty() => refuse(Refusal::Choice),
            _ if e.caution.is_some() && !named(e) => refuse(Refusal::Caution),
            _ if e.certainty == Certainty::Unsure
                && !explicit
                && !s.all
                && s.certainty != Some(Certainty::Unsure) =>
            {
                refuse(Refusal::Unsure)
            }
            _ => None,
        };
        if let Some(refused) = refused {
            out.refused.push(refused);
            continue;
        }
        match parents(e, &by_id, &by_tie, decisions) {
            Err(why) => out.refused.push((e.clone(), Refusal::Other(why))),
            Ok(parents) => {
                for p in parents.into_iter().filter(|p| seen.insert(p.id)) {
                    log.push(Decision::about(p, Verdict::Accepted { seal: p.seal }));
                    out.along.push(p.clone());
                }
                if seen.insert(e.id) {
                    log.push(Decision::about(e, Verdict::Accepted { seal: e.seal }));
                    out.decided.push(e.clone());
                }
            }
        }
    }
    let own: HashSet<Digest> = out.decided.iter().map(|e| e.id).collect();
    out.along.retain(|e| !own.contains(&e.id));
    Ok((out, log))
}

/// The undecided edits that an edit builds on or needs, all the way down.
fn parents<'p>(
    e: &Edit,
    by_id: &HashMap<Digest, &'p Edit>,
    by_tie: &HashMap<Digest, Vec<Digest>>,
    decisions: &Decisions,
) -> Result<Vec<&'p Edit>, String> {
    let mut out: Vec<&Edit> = Vec::new();
    let needed = |e: &Edit| {
        let tied = e.needs.and_then(|tie| by_tie.get(&tie)).into_iter().flatten();
        e.parents.iter().chain(tied).copied().filter(|id| *id != e.id).collect::<Vec<_>>()
    };
    let mut todo: Vec<Digest> = needed(e);
    while let Some(id) = todo.pop() {
        let Some(p) = by_id.get(&id) else { continue };
        match decisions.status(p) {
            Status::Accepted(_) => continue,
            Status::Rejected => {
                return Err(format!("it builds on `{}`, which is rejected", id.short(8)));
            }
            _ if !p.options.is_empty() => {
                return Err(format!(
                    "it builds on `{}`, a choice that nobody has made",
                    id.short(8)
                ));
            }
            _ => {}
        }
        if !out.iter().any(|o| o.id == id) {
            out.push(p);
            todo.extend(needed(p));
        }
    }
    Ok(out)
}
