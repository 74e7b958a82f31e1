//! What edits made of the files, worked out again over the files as they were before: all of them, or all but some steps'.
//!
//! A [`Rehearsal`] changes nothing of the project. It says who wrote which line, and how the tree would look without a step.

mod libraries;
mod lines;
mod past;
mod reformed;
mod tree;
mod without;

use std::collections::{HashMap, HashSet};
use std::io;
use std::sync::Arc;

use emendo_text::{Digest, RelPath};

pub use libraries::LibraryChange;
pub use lines::LineMap;
pub use tree::TreeState;
pub use without::Variant;

use crate::apply::{FileChange, Journal, changes_of};
use crate::edits::{Decision, Decisions, Edit, OnceWritten, Verdict};
use crate::look::Memory;
use crate::project::Project;
use crate::recipes::Checked;
use crate::replay::past::{Otherwise, Past};
use crate::review::{FileRecord, Header, Proposal, Trailer};
use crate::run::{Engine, FileResult, Mode, Sink};
use crate::session::{Session, SessionError};

/// What a run made of each file, with its edits.
pub struct Rehearsal {
    project: Project,
    /// The applies that stand, the oldest first.
    journals: Arc<Vec<Journal>>,
    /// The runs, one after another: each over what the one before made.
    pub runs: Vec<RehearsedRun>,
    /// The files of the project are as they are after it; else as they are before.
    written: bool,
}

/// One run over the files as they were before it.
pub struct RehearsedRun {
    /// The applies that wrote it; none where it is not written.
    pub applies: Vec<u32>,
    /// Its edits, by file.
    pub proposal: Proposal,
    /// What it made of each file of the proposal, in the same order.
    pub outcomes: Vec<FileChange>,
    /// The same as it was written: commands of the project may have brought files into another form.
    pub written: Vec<FileChange>,
    checked: Checked,
    decisions: Decisions,
    own: Vec<OnceWritten>,
    mode: Mode,
    /// Where looks at the project as it is are remembered.
    memory: Option<Memory>,
    /// How many applies come before it.
    before: usize,
    /// The files that it is limited to.
    only: Option<HashSet<RelPath>>,
}

impl RehearsedRun {
    /// The edits that are in.
    pub fn edits(&self) -> impl Iterator<Item = &Edit> {
        self.proposal.edits().filter(|e| e.standing == crate::edits::Standing::In)
    }

    /// The decisions that it stands on.
    pub fn decisions(&self) -> &Decisions {
        &self.decisions
    }
}

/// Gathers what a run makes of each file.
struct Outcomes<'p> {
    project: &'p Project,
    /// Only what these accept is in, and shown.
    accepted: Option<&'p Decisions>,
    files: Vec<FileRecord>,
    outcomes: Vec<FileChange>,
}

impl Sink for Outcomes<'_> {
    fn file(&mut self, mut file: FileResult) -> io::Result<()> {
        let fate = file.fate.clone();
        let before = match fate.created {
            true => Vec::new(),
            false => self.project.bytes(&file.path)?.to_vec(),
        };
        let after = match fate.deleted {
            true => Vec::new(),
            false => file.after.take().unwrap_or_else(|| before.clone()),
        };
        let to = fate.to.clone().unwrap_or_else(|| file.path.clone());
        self.outcomes.push(FileChange {
            from: (!fate.created).then(|| file.path.clone()),
            to: (!fate.deleted).then_some(to),
            before,
            after,
            executable: !fate.created && self.project.is_executable(&file.path),
        });
        let mut record = FileRecord::of(file, Digest::of(&[]));
        if let Some(decisions) = self.accepted {
            keep_accepted(&mut record, decisions);
        }
        self.files.push(record);
        Ok(())
    }
}

/// Leaves out the edits that are not written, and what is said of the file besides.
fn keep_accepted(record: &mut FileRecord, decisions: &Decisions) {
    let written = |e: &Edit| {
        let accepted = || decisions.status(e).is_accepted();
        e.standing == crate::edits::Standing::In && (e.derived || accepted())
    };
    let mut numbers: Vec<Option<u32>> = Vec::new();
    let mut next = 0;
    for e in &record.edits {
        numbers.push(written(e).then_some(next));
        next += u32::from(written(e));
    }
    record.edits.retain(written);
    record.notes.clear();
    record.leftovers.clear();
    let now = |by: u32| numbers.get(by as usize).copied().flatten();
    let renumber = |by: &mut Vec<u32>| *by = by.iter().filter_map(|b| now(*b)).collect();
    for hunk in &mut record.hunks {
        renumber(&mut hunk.by);
        hunk.runs.iter_mut().for_each(|r| renumber(&mut r.by));
    }
    record.marks.retain_mut(|m| now(m.by).map(|by| m.by = by).is_some());
}

/// The applies that stand, those of one series together, with how many come before.
fn series(journals: &[Journal]) -> Vec<(usize, Vec<&Journal>)> {
    let mut out: Vec<(usize, Vec<&Journal>)> = Vec::new();
    for (n, j) in journals.iter().enumerate() {
        match out.last_mut() {
            Some((_, all))
                if j.ops.series.is_some()
                    && all.last().is_some_and(|l| l.ops.series == j.ops.series) =>
            {
                all.push(j);
            }
            _ => out.push((n, vec![j])),
        }
    }
    out
}

impl Session {
    /// What the applies that stand made of the files together, by their journals.
    ///
    /// # Errors
    /// If a journal cannot be read.
    pub fn written(&self) -> Result<Vec<FileChange>, SessionError> {
        let journals = self.standing()?;
        Ok(changes_of(&journals.iter().collect::<Vec<_>>())?)
    }

    /// What the applies that stand wrote, edit by edit.
    ///
    /// # Errors
    /// If a journal or the project cannot be read, or a recipe is not what it was.
    pub fn rehearse_applied(&self) -> Result<Rehearsal, SessionError> {
        let journals = Arc::new(self.standing()?);
        let mut runs = Vec::new();
        for (before, all) in series(&journals) {
            let Some(header) = all[0].ops.from.as_deref() else { continue };
            let mut decisions = Decisions::default();
            let used: Vec<&Decision> = all.iter().flat_map(|j| &j.ops.decisions).collect();
            used.iter().for_each(|d| decisions.add((*d).clone()));
            let own = journals[..before].iter().flat_map(|j| j.ops.once.clone()).collect();
            runs.push(RehearsedRun {
                applies: all.iter().map(|j| j.id).collect(),
                only: Some(used.iter().filter_map(|d| d.path.clone()).collect()),
                own,
                before,
                mode: Mode::Write,
                ..RehearsedRun::begin(self.recipes_of(header)?, header.clone(), decisions)
            });
        }
        self.rehearse(journals, runs, true)
    }

    /// What an apply would write now.
    ///
    /// # Errors
    /// If there is no proposal, or the project or a recipe cannot be read.
    pub fn rehearse_accepted(&self) -> Result<Rehearsal, SessionError> {
        self.rehearse_open(Mode::Write)
    }

    /// What is proposed: all that is not rejected, with what was picked where there is a choice.
    ///
    /// # Errors
    /// If there is no proposal, or the project or a recipe cannot be read.
    pub fn rehearse_proposed(&self) -> Result<Rehearsal, SessionError> {
        self.rehearse_open(Mode::View)
    }

    fn rehearse_open(&self, mode: Mode) -> Result<Rehearsal, SessionError> {
        let proposal = self.shown(&mut |_, _| {})?;
        let mut decisions = self.decisions()?;
        let journals = Arc::new(self.standing()?);
        let only = (mode == Mode::Write).then(|| {
            let unmet: Vec<Edit> =
                crate::session::unmet(&proposal, &decisions).into_iter().cloned().collect();
            decisions.forget(&unmet);
            let accepted = proposal.decidable().filter(|e| decisions.status(e).is_accepted());
            accepted.map(|e| e.path.clone()).collect()
        });
        let header = proposal.header;
        let run = RehearsedRun {
            own: self.own()?,
            before: journals.len(),
            memory: if self.trusted()? { Some(self.memory(false)?) } else { None },
            mode,
            only,
            ..RehearsedRun::begin(self.recipes_of(&header)?, header, decisions)
        };
        self.rehearse(journals, vec![run], false)
    }

    fn rehearse(
        &self,
        journals: Arc<Vec<Journal>>,
        mut runs: Vec<RehearsedRun>,
        written: bool,
    ) -> Result<Rehearsal, SessionError> {
        let project = self.project().clone();
        for run in &mut runs {
            let past = Past::before(&journals, run.before, Otherwise::new());
            let (proposal, outcomes) = run.over(&project, past, &run.decisions, None)?;
            run.written.clone_from(&outcomes);
            (run.proposal, run.outcomes) = (proposal, outcomes);
            if written {
                let of = |j: &&Journal| run.applies.contains(&j.id);
                let journals: Vec<&Journal> = journals.iter().filter(of).collect();
                run.as_written(&changes_of(&journals)?);
            }
        }
        Ok(Rehearsal { project, journals, runs, written })
    }

    /// The files as they are, by what stands in them.
    pub fn tree(&self) -> TreeState {
        TreeState::of(&self.project().within("").reading())
    }

    /// The files as they were before all applies that stand.
    ///
    /// # Errors
    /// If a journal cannot be read.
    pub fn tree_before(&self) -> Result<TreeState, SessionError> {
        let past = Past::before(&Arc::new(self.standing()?), 0, Otherwise::new());
        let project = self.project().within("").with_source(Arc::new(past));
        Ok(TreeState::of(&project))
    }
}

impl RehearsedRun {
    fn begin(checked: Checked, header: Header, decisions: Decisions) -> Self {
        let proposal = Proposal { header, files: Vec::new(), trailer: Trailer::default() };
        Self {
            applies: Vec::new(),
            proposal,
            outcomes: Vec::new(),
            written: Vec::new(),
            checked,
            decisions,
            own: Vec::new(),
            mode: Mode::View,
            memory: None,
            before: 0,
            only: None,
        }
    }

    /// Runs over files as they were, under these decisions; `more` are files that it is not limited to.
    fn over(
        &self,
        project: &Project,
        past: Past,
        decisions: &Decisions,
        more: Option<&HashSet<RelPath>>,
    ) -> Result<(Proposal, Vec<FileChange>), SessionError> {
        let header = self.proposal.header.clone();
        // What is remembered is about the files as they lie.
        let as_is = past.touched().next().is_none();
        let project = project.within(&header.below).with_source(Arc::new(past)).reading();
        let only = self
            .only
            .as_ref()
            .map(|o| o.iter().chain(more.into_iter().flatten()).cloned().collect());
        let engine = Engine {
            own: &self.own,
            with: &header.with,
            only: only.as_ref(),
            memory: self.memory.as_ref().filter(|_| as_is),
            ..Engine::new(&project, &self.checked.plan, decisions, self.mode)
        };
        let accepted = (self.mode == Mode::Write).then_some(decisions);
        let mut sink =
            Outcomes { project: &project, accepted, files: Vec::new(), outcomes: Vec::new() };
        let (counts, notes) = engine.run(&mut sink)?;
        let notes = if accepted.is_some() { Vec::new() } else { notes };
        let trailer = Trailer { counts, notes, ..Trailer::default() };
        let (mut files, mut outcomes) = (sink.files, sink.outcomes);
        if self.mode == Mode::Write {
            // A file of which nothing is written is not part of it.
            let empty: Vec<bool> = files.iter().map(|f| f.edits.is_empty()).collect();
            let mut at = empty.iter();
            files.retain(|_| !at.next().copied().unwrap_or(false));
            let mut at = empty.iter();
            outcomes.retain(|_| !at.next().copied().unwrap_or(false));
        }
        Ok((Proposal { header, files, trailer }, outcomes))
    }

    /// The decisions without some steps, and without what needs an edit of theirs.
    fn without(&self, steps: &HashSet<crate::edits::StepKey>) -> Decisions {
        let mut decisions = self.decisions.clone();
        let edits = || self.proposal.decidable();
        for e in edits().filter(|e| steps.contains(&e.step)) {
            decisions.add(Decision::about(e, Verdict::Rejected));
        }
        loop {
            let more: Vec<Edit> =
                crate::session::unmet(&self.proposal, &decisions).into_iter().cloned().collect();
            if more.is_empty() {
                return decisions;
            }
            decisions.forget(&more);
        }
    }

    /// How many edits of each step it has in, imports that follow from others aside.
    pub fn counts(&self) -> HashMap<crate::edits::StepKey, usize> {
        let mut out = HashMap::new();
        for e in self.edits().filter(|e| !e.derived) {
            *out.entry(e.step.clone()).or_default() += 1;
        }
        out
    }
}
