//! Edits of one step that meet: which one is in, which is held back behind it.

use emendo_actions::FileOp;
use emendo_text::{Part, Span};

use crate::edits::Status;

use crate::plan::PlanStep;
use crate::run::folded::FoldedDraft;

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
