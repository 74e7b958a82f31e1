//! Notes and leftovers as what can be ticked off.

use emendo_text::{Digest, RelPath};
use serde::Serialize;

use crate::edits::{Decision, StepKey, Verdict};
use crate::review::proposal::Proposal;

/// A note or a leftover that is decided on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct DecidedPlace {
    /// Its id.
    pub id: Digest,
    /// Its step.
    #[serde(skip)]
    pub step: StepKey,
    /// The file; none for a note at a step.
    pub path: Option<RelPath>,
    /// The line.
    pub line: Option<u32>,
    /// What it says.
    pub says: String,
}

impl DecidedPlace {
    pub(crate) fn decision(&self, verdict: Verdict) -> Decision {
        Decision::of_place(self.id, &self.step, self.path.as_ref(), verdict)
    }
}

/// All places of a proposal that can be ticked off: notes, then leftovers.
pub(crate) fn places(proposal: &Proposal) -> impl Iterator<Item = DecidedPlace> + '_ {
    let notes = proposal.notes().map(|n| DecidedPlace {
        id: n.id,
        step: n.step.clone(),
        path: n.path.clone(),
        line: n.line,
        says: n.say.clone(),
    });
    let leftovers = proposal.leftovers().map(|(path, l)| DecidedPlace {
        id: l.id,
        step: l.step.clone(),
        path: Some(path.clone()),
        line: Some(l.line),
        says: l.symbol.clone(),
    });
    notes.chain(leftovers)
}
