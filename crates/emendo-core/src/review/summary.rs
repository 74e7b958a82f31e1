//! A proposal in numbers, with the decisions counted in.

use emendo_lang::Certainty;
use serde::Serialize;

use crate::edits::{Decisions, Edit, Standing, Status};
use crate::plan::StepInfo;
use crate::review::open::{OpenCounts, OpenWork};
use crate::review::proposal::Proposal;

/// Counts of edits and notes.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize)]
pub struct Tally {
    /// Files with edits.
    pub files: usize,
    /// Edits, those that are held back not among them.
    pub edits: usize,
    /// Edits by certainty.
    pub certain: usize,
    /// Edits by certainty.
    pub likely: usize,
    /// Edits by certainty.
    pub unsure: usize,
    /// Choices among the edits.
    pub choices: usize,
    /// Notes.
    pub notes: usize,
    /// Edits that are held back.
    pub withheld: usize,
    /// Accepted edits.
    pub accepted: usize,
    /// Choices that were decided to be left as they are.
    pub kept: usize,
    /// Rejected edits.
    pub rejected: usize,
    /// Edits that nobody has decided on.
    pub undecided: usize,
    /// Edits that were accepted once and say something else now.
    pub again: usize,
}

/// A step with its counts.
#[derive(Clone, Debug, Serialize)]
pub struct StepTally {
    /// The step.
    #[serde(flatten)]
    pub step: StepInfo,
    /// Its counts.
    #[serde(flatten)]
    pub tally: Tally,
}

/// A proposal in numbers.
#[derive(Clone, Debug, Serialize)]
pub struct Summary {
    /// By step, in order.
    pub steps: Vec<StepTally>,
    /// In all.
    pub total: Tally,
    /// What is open, and what was left on purpose.
    pub open: OpenCounts,
}

impl Tally {
    fn edit(&mut self, e: &Edit, decisions: &Decisions) {
        let status = decisions.status(e);
        if status != Status::Rejected && e.standing.barred().is_some() {
            self.withheld += usize::from(matches!(e.standing, Standing::Withheld(_)));
            return;
        }
        self.edits += 1;
        match e.certainty {
            Certainty::Certain => self.certain += 1,
            Certainty::Likely => self.likely += 1,
            Certainty::Unsure => self.unsure += 1,
        }
        self.choices += usize::from(!e.options.is_empty());
        match status {
            Status::Accepted(Some(label)) if e.leaves(&label) => self.kept += 1,
            Status::Accepted(_) | Status::Reworded(_) => self.accepted += 1,
            Status::Rejected => self.rejected += 1,
            Status::Undecided => self.undecided += 1,
            Status::Again => self.again += 1,
        }
    }
}

/// Counts a proposal.
pub fn summarize(proposal: &Proposal, decisions: &Decisions) -> Summary {
    let mut steps: Vec<StepTally> = proposal
        .header
        .steps
        .iter()
        .map(|s| StepTally { step: s.clone(), tally: Tally::default() })
        .collect();
    let mut total = Tally::default();
    for f in &proposal.files {
        let live = |e: &&Edit| e.standing.barred().is_none() && !e.derived;
        total.files += usize::from(f.edits.iter().any(|e| live(&e)));
        for s in &mut steps {
            s.tally.files += usize::from(f.edits.iter().any(|e| live(&e) && e.step == s.step.key));
        }
    }
    for e in proposal.decidable() {
        total.edit(e, decisions);
        if let Some(s) = steps.iter_mut().find(|s| s.step.key == e.step) {
            s.tally.edit(e, decisions);
        }
    }
    for n in proposal.notes().filter(|n| !n.protected) {
        total.notes += 1;
        if let Some(s) = steps.iter_mut().find(|s| s.step.key == n.step) {
            s.tally.notes += 1;
        }
    }
    let open = OpenWork::of(proposal, decisions).counts();
    Summary { steps, total, open }
}
