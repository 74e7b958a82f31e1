//! What a report is about: what was applied, what is proposed, and how it was verified.

use std::collections::{BTreeMap, BTreeSet};

use emendo_core::{
    Decisions, Edit, FileChange, LibraryChange, OpenWork, Proposal, StepInfo, StepKey, World,
};
use emendo_text::RelPath;
use emendo_verify::Verification;

/// A run whose edits a report shows.
pub struct ReportRun<'a> {
    /// The applies that wrote it; none of what is only proposed.
    pub applies: Vec<ReportApply>,
    /// Its edits, by file.
    pub proposal: &'a Proposal,
    /// How they are decided.
    pub decisions: &'a Decisions,
    /// What it made of each file of the proposal, in the same order.
    pub outcomes: &'a [FileChange],
}

/// An apply.
pub struct ReportApply {
    /// Its number.
    pub id: u32,
    /// When, in seconds since 1970.
    pub time: u64,
    /// The titles of its steps.
    pub title: String,
    /// Its commit.
    pub commit: Option<String>,
}

/// A migration as far as it has come.
pub struct Report<'a> {
    /// The project's name: that of its folder.
    pub project: String,
    /// What was applied, one run after another.
    pub applied: Vec<ReportRun<'a>>,
    /// What is proposed.
    pub proposed: Option<ReportRun<'a>>,
    /// What became of each file in all.
    pub changes: Vec<FileChange>,
    /// Libraries whose versions are others.
    pub libraries: Vec<LibraryChange>,
    /// What is open, with the proposal that it is read from.
    pub open: OpenWork<'a>,
    /// The last verification.
    pub verified: Option<Verification>,
    /// Applies whose edits are not known any more, since the recipe is another by now.
    pub unread: bool,
    /// What the words of a file are read by.
    pub world: &'a World,
}

/// What became of a file.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
    /// Its text is another.
    Changed,
    /// It is new.
    Created,
    /// It lies elsewhere.
    Moved,
    /// It is gone.
    Deleted,
}

impl What {
    /// Of a change.
    pub fn of(c: &FileChange) -> Self {
        match (&c.from, &c.to) {
            (None, _) => Self::Created,
            (_, None) => Self::Deleted,
            (from, to) if from != to => Self::Moved,
            _ => Self::Changed,
        }
    }

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Changed => "changed",
            Self::Created => "created",
            Self::Moved => "moved",
            Self::Deleted => "deleted",
        }
    }
}

impl<'a> Report<'a> {
    /// All runs, those that were applied first.
    pub fn runs(&self) -> impl Iterator<Item = &ReportRun<'a>> {
        self.applied.iter().chain(&self.proposed)
    }

    /// The steps of all runs, each once.
    pub fn steps(&self) -> Vec<&'a StepInfo> {
        let mut out: Vec<&StepInfo> = Vec::new();
        for step in self.runs().flat_map(|r| &r.proposal.header.steps) {
            if !out.iter().any(|s| s.key == step.key) {
                out.push(step);
            }
        }
        out
    }

    /// The steps that changed each file, by where it lies or lay.
    pub fn steps_by_file(&self) -> BTreeMap<&'a RelPath, BTreeSet<&'a StepKey>> {
        let mut out: BTreeMap<&RelPath, BTreeSet<&StepKey>> = BTreeMap::new();
        // A later run knows a file by the path that an earlier one gave it.
        for run in self.runs() {
            for (file, outcome) in run.proposal.files.iter().zip(run.outcomes) {
                let is_in = |e: &&Edit| e.standing == emendo_core::Standing::In;
                let steps: BTreeSet<&StepKey> =
                    file.edits.iter().filter(is_in).map(|e| &e.step).collect();
                if steps.is_empty() {
                    continue;
                }
                let before = outcome.from.as_ref().and_then(|f| out.remove(f));
                let Some(path) = outcome.to.as_ref().or(outcome.from.as_ref()) else { continue };
                let all = out.entry(path).or_default();
                all.extend(before.into_iter().flatten());
                all.extend(steps);
            }
        }
        out
    }
}

impl ReportRun<'_> {
    /// True if it is written.
    pub fn is_applied(&self) -> bool {
        !self.applies.is_empty()
    }
}
