//! Decisions about what a selection means: what is accepted, rejected, ticked off, opened again, and what is not.

use std::collections::{HashMap, HashSet};

use emendo_lang::Certainty;
use emendo_text::Digest;

use crate::edits::{Decision, Decisions, Edit, Standing, Status, Verdict};
use crate::review::open::OpenCounts;
use crate::review::place::{DecidedPlace, places};
use crate::review::proposal::Proposal;
use crate::review::select::{Selection, SelectionError, begins, select, select_places};

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
    /// It is rejected, and was not named.
    Rejected,
    /// It is accepted, and was not named.
    Accepted,
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
    /// Edits that were meant and decided so before.
    pub already: usize,
    /// Notes and leftovers that are decided now: the id, the place, and what is said there.
    pub places: Vec<DecidedPlace>,
    /// What is open after it.
    pub open: OpenCounts,
}

/// Ticks notes and leftovers off: what was decided, with the decisions.
pub(crate) fn tick_off(
    proposal: &Proposal,
    decisions: &Decisions,
    s: &Selection,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    let (done, open): (Vec<DecidedPlace>, Vec<DecidedPlace>) =
        select_places(proposal, s)?.into_iter().partition(|p| decisions.done(p.id));
    let log = open.iter().map(|p| p.decision(Verdict::Done)).collect();
    Ok((Decided { already: done.len(), places: open, ..Decided::default() }, log))
}

/// Takes back what was decided and is not written yet.
pub(crate) fn reopen(
    proposal: &Proposal,
    decisions: &Decisions,
    s: &Selection,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    let place = |w: &String| places(proposal).any(|p| begins(p.id, w));
    let (named, edits): (Vec<String>, Vec<String>) = s.edits.iter().cloned().partition(place);
    let mut out = Decided::default();
    let mut log = Vec::new();
    let chosen = !s.like.is_empty() || s.certainty.is_some();
    // Notes and leftovers have no certainty of an edit, and no shape.
    if !named.is_empty() || (s.edits.is_empty() && !chosen) {
        let of = Selection { edits: named, ..s.clone() };
        let places = select_places(proposal, &of)?.into_iter();
        out.places = places.filter(|p| decisions.done(p.id)).collect();
        log.extend(out.places.iter().map(|p| p.decision(Verdict::Reopened)));
    }
    if s.edits.is_empty() || !edits.is_empty() {
        let of = Selection { edits, ..s.clone() };
        let selected = match select(proposal, &of) {
            // What was ticked off is enough.
            Err(_) if !out.places.is_empty() => Vec::new(),
            other => other?,
        };
        for e in selected {
            match decisions.status(e) {
                Status::Undecided => out.already += 1,
                _ => {
                    log.push(Decision::about(e, Verdict::Reopened));
                    out.decided.push(e.clone());
                }
            }
        }
    }
    Ok((out, log))
}

/// What a rejection covers: never an accepted edit that is not named.
pub(crate) fn reject(
    proposal: &Proposal,
    decisions: &Decisions,
    s: &Selection,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    let mut out = Decided::default();
    let mut log = Vec::new();
    for e in select(proposal, s)? {
        match decisions.status(e) {
            Status::Rejected => out.already += 1,
            Status::Accepted(_) if s.edits.is_empty() => {
                out.refused.push((e.clone(), Refusal::Accepted));
            }
            _ => {
                log.push(Decision::about(e, Verdict::Rejected));
                out.decided.push(e.clone());
            }
        }
    }
    Ok((out, log))
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
            (_, Status::Accepted(_)) => {
                out.already += 1;
                continue;
            }
            (_, Status::Rejected) if !explicit => refuse(Refusal::Rejected),
            (Standing::Protected(why), _) => refuse(Refusal::Withheld(why.clone())),
            (Standing::Withheld(why), _) if e.behind.is_none() || !explicit => {
                refuse(Refusal::Withheld(why.clone()))
            }
            _ if !e.options.is_empty() => refuse(Refusal::Choice),
            _ if e.caution.is_some() && !named(e) => refuse(Refusal::Caution),
            _ if e.certainty == Certainty::Unsure
                && !explicit
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
