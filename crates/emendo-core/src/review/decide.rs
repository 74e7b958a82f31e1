//! Decisions about what a selection means: what is accepted, rejected, ticked off, opened again, and what is not.

use std::collections::{HashMap, HashSet};

use emendo_lang::Certainty;
use emendo_text::Digest;

use crate::edits::{Decision, Decisions, Edit, Standing, Status, Verdict};
use crate::review::open::OpenCounts;
use crate::review::place::{DecidedPlace, places};
use crate::review::proposal::Proposal;
use crate::review::select::{
    Selection, SelectionError, SelectionWay, begins, select, select_places,
};

/// Most bytes of the user's own text for one place.
const MOST_OWN: usize = 1 << 16;

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

/// How edits that are to be decided on were named.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Terms {
    /// Each by itself: then it is meant whatever else is said of it.
    pub each: bool,
    /// Unsure ones are asked for.
    pub unsure: bool,
    /// Ones that call for caution are meant, by their step or themselves.
    pub caution: bool,
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
        let (of_edits, more) = reopen_edits(decisions, &selected);
        (out.already, out.decided) = (of_edits.already, of_edits.decided);
        log.extend(more);
    }
    Ok((out, log))
}

/// Takes back what was decided about these edits.
pub fn reopen_edits(decisions: &Decisions, edits: &[&Edit]) -> (Decided, Vec<Decision>) {
    let mut out = Decided::default();
    let mut log = Vec::new();
    for e in edits {
        match decisions.status(e) {
            Status::Undecided => out.already += 1,
            _ => {
                log.push(Decision::about(e, Verdict::Reopened));
                out.decided.push((*e).clone());
            }
        }
    }
    (out, log)
}

/// What a rejection covers: never an accepted edit that is not named.
pub(crate) fn reject(
    proposal: &Proposal,
    decisions: &Decisions,
    s: &Selection,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    Ok(reject_edits(decisions, &select(proposal, s)?, !s.edits.is_empty()))
}

/// Rejects these edits; accepted ones only where `each` is named by itself.
pub fn reject_edits(
    decisions: &Decisions,
    edits: &[&Edit],
    each: bool,
) -> (Decided, Vec<Decision>) {
    let mut out = Decided::default();
    let mut log = Vec::new();
    for e in edits {
        match decisions.status(e) {
            Status::Rejected => out.already += 1,
            status if status.is_accepted() && !each => {
                out.refused.push(((*e).clone(), Refusal::Accepted));
            }
            _ => {
                log.push(Decision::about(e, Verdict::Rejected));
                out.decided.push((*e).clone());
            }
        }
    }
    (out, log)
}

/// Picks an alternative of each of these choices that has one of this name; a rejected one only where `each` is named by itself. Edits
/// that are no choices are refused only then.
pub fn pick(
    decisions: &Decisions,
    edits: &[&Edit],
    label: &str,
    each: bool,
) -> (Decided, Vec<Decision>) {
    let mut out = Decided::default();
    let mut log = Vec::new();
    for e in edits {
        match e.options.iter().find(|o| o.label == label) {
            Some(_) if !each && decisions.status(e) == Status::Rejected => {
                out.refused.push(((*e).clone(), Refusal::Rejected));
            }
            Some(o) => {
                let verdict = Verdict::Picked { label: label.to_owned(), seal: o.seal };
                log.push(Decision::about(e, verdict));
                out.decided.push((*e).clone());
            }
            // Who means all means all choices.
            None if e.options.is_empty() && !each => {}
            None if e.options.is_empty() => {
                out.refused.push(((*e).clone(), Refusal::Other("it is not a choice".into())));
            }
            None => {
                let labels: Vec<&str> = e.options.iter().map(|o| o.label.as_str()).collect();
                let why = format!("its alternatives are: {}", labels.join(", "));
                out.refused.push(((*e).clone(), Refusal::Other(why)));
            }
        }
    }
    (out, log)
}

/// One edit in the user's own words, with those that it builds on.
pub(crate) fn reword(
    proposal: &Proposal,
    decisions: &Decisions,
    e: &Edit,
    text: &str,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    let fail = |what: &str| {
        let id = e.id.short(8);
        let message = format!("no text is taken for `{id}`: {what}");
        Err(SelectionError { message, way: SelectionWay::OtherText(id) })
    };
    if let Some(why) = e.standing.barred().filter(|_| e.behind.is_none()) {
        return fail(&format!("it is held back: {why}"));
    }
    if text == e.before {
        return fail("this is how the place reads now: reject the edit to leave it as it is");
    }
    if text.contains('\0') {
        return fail("the text holds a NUL character");
    }
    if text.len() > MOST_OWN {
        return fail(&format!("the text has more than {MOST_OWN} bytes"));
    }
    let (by_id, by_tie) = ties(proposal);
    let mut out = Decided::default();
    let mut log = Vec::new();
    match parents(e, &by_id, &by_tie, decisions) {
        Err(why) => return fail(&why),
        Ok(parents) => {
            for p in parents {
                log.push(Decision::about(p, Verdict::Accepted { seal: p.seal }));
                out.along.push(p.clone());
            }
        }
    }
    log.push(Decision::about(e, Verdict::Own { text: text.to_owned(), seal: e.seal }));
    out.decided.push(e.clone());
    Ok((out, log))
}

/// Edits by id, and those that others need by what they provide.
type Ties<'p> = (HashMap<Digest, &'p Edit>, HashMap<Digest, Vec<Digest>>);

fn ties(proposal: &Proposal) -> Ties<'_> {
    let by_id = proposal.decidable().map(|e| (e.id, e)).collect();
    let mut by_tie: HashMap<Digest, Vec<Digest>> = HashMap::new();
    for e in proposal.decidable() {
        if let Some(tie) = e.provides {
            by_tie.entry(tie).or_default().push(e.id);
        }
    }
    (by_id, by_tie)
}

/// What an acceptance covers: undecided edits, with those that they build on. Never a `caution` that is
/// not named, an unpicked choice, or an unsure edit that was not asked for.
pub(crate) fn accept(
    proposal: &Proposal,
    decisions: &Decisions,
    s: &Selection,
) -> Result<(Decided, Vec<Decision>), SelectionError> {
    let each = !s.edits.is_empty();
    // What a selection names by its steps is all of these steps.
    let caution = each || !s.steps.is_empty();
    let terms = Terms { each, unsure: s.certainty == Some(Certainty::Unsure), caution };
    Ok(accept_edits(proposal, decisions, &select(proposal, s)?, terms))
}

/// Accepts these edits on these terms, with those that they build on.
pub fn accept_edits(
    proposal: &Proposal,
    decisions: &Decisions,
    edits: &[&Edit],
    terms: Terms,
) -> (Decided, Vec<Decision>) {
    let (by_id, by_tie) = ties(proposal);
    let mut out = Decided::default();
    let mut log = Vec::new();
    let mut seen: HashSet<Digest> = HashSet::new();
    for e in edits.iter().copied() {
        let explicit = terms.each;
        let status = decisions.status(e);
        let refuse = |why: Refusal| Some((e.clone(), why));
        let refused = match (&e.standing, &status) {
            (_, status) if status.is_accepted() => {
                out.already += 1;
                continue;
            }
            (_, Status::Rejected) if !explicit => refuse(Refusal::Rejected),
            (Standing::Protected(why), _) => refuse(Refusal::Withheld(why.clone())),
            (Standing::Withheld(why), _) if e.behind.is_none() || !explicit => {
                refuse(Refusal::Withheld(why.clone()))
            }
            _ if !e.options.is_empty() => refuse(Refusal::Choice),
            _ if e.caution.is_some() && !terms.caution => refuse(Refusal::Caution),
            _ if e.certainty == Certainty::Unsure && !explicit && !terms.unsure => {
                refuse(Refusal::Unsure)
            }
            _ => None,
        };
        if let Some(refused) = refused {
            out.refused.push(refused);
            continue;
        }
        // What others took along brought along what it needs.
        if seen.contains(&e.id) {
            out.decided.push(e.clone());
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
                }
                out.decided.push(e.clone());
            }
        }
    }
    let own: HashSet<Digest> = out.decided.iter().map(|e| e.id).collect();
    out.along.retain(|e| !own.contains(&e.id));
    (out, log)
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
    // Edits may need one another.
    let mut known = HashSet::from([e.id]);
    let mut todo: Vec<Digest> = needed(e);
    while let Some(id) = todo.pop() {
        let Some(p) = by_id.get(&id) else { continue };
        match decisions.status(p) {
            status if status.is_accepted() => continue,
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
        if known.insert(id) {
            out.push(p);
            todo.extend(needed(p));
        }
    }
    Ok(out)
}
