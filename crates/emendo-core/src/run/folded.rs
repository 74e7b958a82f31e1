//! A draft with its lasting names and how it stands; edits of one step that meet: which one is in, which is held back behind it.

use std::collections::HashMap;

use emendo_actions::{Change, Draft, FileOp};
use emendo_text::{Digest, Hasher, Part, Span, Splice};

use crate::edits::{DraftKey, Status};
use crate::plan::PlanStep;
use crate::run::sink::Mode;

/// A draft with its lasting names and how it stands.
pub(crate) struct FoldedDraft {
    pub(crate) draft: Draft,
    pub(crate) id: Digest,
    pub(crate) weak: Digest,
    pub(crate) parents: Vec<u32>,
    pub(crate) seal: Digest,
    /// Label and seal of each alternative.
    pub(crate) options: Vec<(String, Digest)>,
    pub(crate) status: Status,
    /// The user's own text as a change, where that is to be written.
    pub(crate) own: Option<Change>,
    pub(crate) withheld: Option<String>,
    /// What holds it back is that its place is protected.
    pub(crate) protected: bool,
    pub(crate) behind: Option<usize>,
}

impl FoldedDraft {
    pub(crate) fn change(&self) -> Option<&Change> {
        if self.own.is_some() {
            return self.own.as_ref();
        }
        if self.draft.alternatives.is_empty() {
            return Some(&self.draft.change);
        }
        let Status::Accepted(Some(label)) = &self.status else { return None };
        self.draft.alternatives.iter().find(|a| a.label == *label).map(|a| &a.change)
    }

    /// All bytes that the edit may write over, whatever is chosen.
    pub(crate) fn claims(&self) -> Vec<&Splice> {
        let all = self.draft.alternatives.iter().flat_map(|a| &a.change.splices);
        let own = self.own.iter().flat_map(|c| &c.splices);
        self.draft.change.splices.iter().chain(all).chain(own).collect()
    }

    pub(crate) fn wanted(&self, mode: Mode) -> bool {
        match mode {
            Mode::View => self.status != Status::Rejected,
            Mode::Write => self.status.is_accepted(),
        }
    }

    /// Identity of what it writes: its seal, that of what was picked, or the user's own text.
    pub(crate) fn wrote(&self) -> Digest {
        match &self.status {
            Status::Reworded(text) => Hasher::new().digest(self.seal).part(text).finish(),
            Status::Accepted(Some(label)) => {
                self.options.iter().find(|o| o.0 == *label).map_or(self.seal, |o| o.1)
            }
            _ => self.seal,
        }
    }
}

/// Which of the drafts of their step these are, in their order.
pub(crate) fn keys(text: &str, folded: &[FoldedDraft]) -> Vec<DraftKey> {
    let look = |f: &FoldedDraft| {
        let mut h = Hasher::new();
        h.digest(f.draft.digest).number(f.draft.tokens.len() as u64);
        match f.draft.tokens.as_slice() {
            [] => h.part(f.draft.hull.of(text).trim()),
            tokens => tokens.iter().fold(&mut h, |h, t| h.part(t.of(text))),
        };
        h.finish()
    };
    let looks: Vec<Digest> = folded.iter().map(look).collect();
    let mut all: HashMap<Digest, u32> = HashMap::new();
    looks.iter().for_each(|l| *all.entry(*l).or_default() += 1);
    let mut before: HashMap<Digest, u32> = HashMap::new();
    let key = |look: Digest| {
        let n = before.entry(look).or_default();
        *n += 1;
        DraftKey { look, nth: *n - 1, of: all[&look] }
    };
    looks.into_iter().map(key).collect()
}

/// Marks edits that write over the same bytes as one that stands before them in the recipe.
/// What gives way to all others comes after them.
pub(crate) fn conflicts(step: &PlanStep, folded: &mut [FoldedDraft]) {
    // Deleting beats changing.
    let deletes = |f: &FoldedDraft| {
        f.draft.op == Some(FileOp::Delete) && f.withheld.is_none() && f.status != Status::Rejected
    };
    if let Some(i) = folded.iter().position(deletes) {
        let why = format!("{} of the same step deletes the file", folded[i].id.short(8));
        for f in folded.iter_mut().filter(|f| f.draft.op.is_none() && f.withheld.is_none()) {
            (f.withheld, f.behind) = (Some(why.clone()), Some(i));
        }
        return;
    }
    let mut all: Vec<(Span, usize)> = Vec::new();
    for (i, f) in folded.iter().enumerate() {
        all.extend(f.claims().into_iter().map(|s| (s.span, i)));
    }
    all.sort_by_key(|(s, i)| (s.start, std::cmp::Reverse(s.end), *i));
    let mut open: Vec<(Span, usize)> = Vec::new();
    for (span, i) in all {
        open.retain(|(o, _)| o.end > span.start);
        if folded[i].withheld.is_some() {
            continue;
        }
        let mut lost = false;
        while let Some((_, other)) =
            open.iter().rev().find(|(o, j)| *j != i && o.meets(span)).copied()
        {
            if folded[other].withheld.is_some() {
                open.retain(|(_, j)| *j != other);
                continue;
            }
            if inside(&folded[other], &folded[i]) || inside(&folded[i], &folded[other]) {
                break;
            }
            let rank =
                |f: &FoldedDraft| (step.actions[f.draft.action.0].asks.yields, f.draft.action);
            let first = rank(&folded[other]) <= rank(&folded[i]);
            // What the user wrote stands before what a recipe would.
            let own = (folded[other].own.is_some(), folded[i].own.is_some());
            let stands = if own.0 == own.1 { first } else { own.0 };
            let (winner, loser) = if stands { (other, i) } else { (i, other) };
            let why = match folded[winner].own {
                Some(_) => "of the same step is put in your own words and changes the same code",
                None if rank(&folded[loser]).0 && !rank(&folded[winner]).0 => {
                    "of the same step changes the same text, and knows more of it"
                }
                None => "of the same step changes the same code and stands first in the recipe",
            };
            folded[loser].withheld = Some(format!("{} {why}", folded[winner].id.short(8)));
            folded[loser].behind = Some(winner);
            if loser == i {
                lost = true;
                break;
            }
        }
        if !lost {
            open.push((span, i));
        }
    }
}

/// True if `inner` lies whole in a place that `outer` copies, or leaves alone.
fn inside(outer: &FoldedDraft, inner: &FoldedDraft) -> bool {
    let hull = inner.draft.hull;
    let claims = outer.claims();
    let copied = || claims.iter().any(|s| Part::copies(&s.parts).any(|c| c.contains(hull)));
    // What is copied elsewhere may stand in a place that is written over: two things that change places.
    outer.draft.hull.contains(hull)
        && claims.iter().filter(|s| s.span.meets(hull)).all(|s| s.span.contains(hull) && copied())
}
