//! What a killed run left: taken back, or finished where a commit stands; and decisions that must find their edits again.

use std::collections::{HashMap, HashSet};
use std::io;

use emendo_text::{Digest, RelPath};

use crate::apply::{
    CarriedDecision, CommitKind, CommitRecord, Disk, History, Journal, MadeCommit, Phase,
    TakenBack, Unknown,
};
use crate::edits::{
    Carried, Decision, Decisions, DraftKey, Edit, Standing, Status, StepKey, Verdict, Waiting,
};
use crate::recipes::Checked;
use crate::review::{Header, Proposal};
use crate::run::{Engine, FileResult, Mode, Sink};
use crate::session::error::SessionError;
use crate::session::{ASIDE, CHILD, Session};
use crate::state::{is_free, is_unsettled, mark_unsettled};

/// What became of an interrupted run.
#[derive(Clone, Debug)]
pub enum Recovered {
    /// It was taken back.
    TakenBack(TakenBack),
    /// Its commit was made, so it was finished: the files, and the commit.
    Finished(Vec<RelPath>, String),
}

/// Gathers edits under the ids that they have by now.
#[derive(Default)]
struct Found {
    edits: Vec<(Edit, DraftKey)>,
}

impl Sink for Found {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        let stands = |e: &&Edit| e.standing == Standing::In && !e.derived;
        for e in file.edits.iter().filter(stands) {
            self.edits.extend(file.keys.get(&e.id).map(|key| (e.clone(), *key)));
        }
        Ok(())
    }
}

impl Session {
    /// Brings an interrupted run to an end, if there is one: where git has its commit it is finished, else it is taken back.
    ///
    /// # Errors
    /// If the disk or version control fails; calling it again goes on.
    pub(crate) fn recover(
        &self,
        disk: &dyn Disk,
        history: &dyn History,
    ) -> Result<Option<Recovered>, SessionError> {
        let mut journals = self.journals()?;
        let interrupted = journals.iter_mut().rfind(|j| j.unfinished());
        let Some(journal) = interrupted else { return Ok(None) };
        self.refuse_children()?;
        if journal.phase == Phase::Undoing {
            let (back, _) = self.take_back(disk, history, journal, false)?;
            self.proposal_of(disk, journal)?;
            return Ok(Some(Recovered::TakenBack(back)));
        }
        if let Some(record) = journal.commit_of(CommitKind::Written)? {
            let made = match &record.made {
                Some(id) => Some(MadeCommit { id: id.clone(), otherwise: Vec::new() }),
                None => history.made(&record.planned)?,
            };
            match made {
                Some(MadeCommit { id, otherwise }) if otherwise.is_empty() => {
                    journal.write_again(disk)?;
                    let record = CommitRecord { made: Some(id.clone()), ..record };
                    journal.keep_commit(disk, CommitKind::Written, &record)?;
                    history.follow(&record.planned, &id)?;
                    self.use_up(journal, disk)?;
                    let files = journal.ops.ops.iter().map(|o| o.path.clone()).collect();
                    return Ok(Some(Recovered::Finished(files, id)));
                }
                Some(made) => {
                    history.take_off(&record.planned, &made)?;
                    return self.roll_back(disk, journal, true).map(Some);
                }
                None => {}
            }
        }
        let formatting = journal.phase == Phase::Formatting;
        self.roll_back(disk, journal, formatting).map(Some)
    }

    /// Waits for what a killed run has started and left at work: a commit, or a command of the project.
    fn refuse_children(&self) -> Result<(), SessionError> {
        let child = self.state()?.join(CHILD);
        match child.exists() && !is_free(&child, self.wait)? {
            true => {
                Err(SessionError::Busy(Some("a command that an interrupted run started".into())))
            }
            false => Ok(()),
        }
    }

    /// Takes an apply back that did not come to its end. What is unknown in its files is the doing of a command or a hook, or
    /// someone's own.
    pub(super) fn roll_back(
        &self,
        disk: &dyn Disk,
        journal: &mut Journal,
        by_command: bool,
    ) -> Result<Recovered, SessionError> {
        let aside = self.state()?.join(ASIDE);
        let unknown = if by_command { Unknown::Aside(&aside) } else { Unknown::Keep };
        let room = journal.room(true);
        // Its acceptances may have been used up already.
        Decisions::append(&self.log()?, &journal.ops.decisions)?;
        let back = journal.take_back(disk, unknown).map_err(|e| SessionError::of_disk(e, room))?;
        Ok(Recovered::TakenBack(back))
    }

    /// Makes the proposal follow what was written or taken back, where a run ended before it did. Accepted edits that wait for a
    /// part of a series are found again: the files are other ones by now, and so may be the ids.
    ///
    /// # Errors
    /// If the project cannot be read.
    pub(crate) fn settle(&self, disk: &dyn Disk) -> Result<(), SessionError> {
        let state = self.state()?;
        if !is_unsettled(&state) {
            return Ok(());
        }
        let journals = self.journals()?;
        let last = journals.iter().rfind(|j| j.phase == Phase::Done);
        let proposal = self.proposal()?;
        if let (Some(last), Some(_)) = (last, &proposal) {
            let first = journals.iter().find(|j| Some(j.id) == last.ops.series).unwrap_or(last);
            if !Proposal::is_by(first.folder()) {
                Proposal::put_by(&state, first.folder())?;
            }
        }
        let newest = || journals.last().and_then(|j| j.ops.from.as_deref().cloned());
        if let Some(header) = proposal.map(|p| p.header).or_else(newest) {
            match self.recipes_of(&header) {
                Ok(checked) => {
                    if let Some(last) = last.filter(|l| !l.ops.waiting.is_empty()) {
                        self.carry_over(disk, last, (&checked, &header))?;
                    }
                    self.run_view(&checked, header, &mut |_, _| {})?;
                }
                // Without its recipe nothing of it can be found.
                Err(_) => Proposal::remove(&state)?,
            }
        }
        Ok(mark_unsettled(&state, false)?)
    }

    /// Carries the decisions of edits that wait for a journal over to the ids that they have by now.
    fn carry_over(
        &self,
        disk: &dyn Disk,
        journal: &Journal,
        (checked, header): (&Checked, &Header),
    ) -> Result<(), SessionError> {
        let mut decisions = self.decisions()?;
        let stands = |w: &Waiting| match &decisions.last(w.edit)?.verdict {
            Verdict::Accepted { .. } => Some(Status::Accepted(None)),
            Verdict::Picked { label, .. } => Some(Status::Accepted(Some(label.clone()))),
            Verdict::Own { text, .. } => Some(Status::Reworded(text.clone())),
            _ => None,
        };
        let waiting: Vec<(Waiting, Status)> =
            journal.ops.waiting.iter().filter_map(|w| Some((w.clone(), stands(w)?))).collect();
        let mut log: Vec<Decision> = waiting
            .iter()
            .filter_map(|(w, _)| decisions.last(w.edit))
            .map(|d| Decision { verdict: Verdict::Cleared, ..d.clone() })
            .collect();
        let before = decisions.clone();
        log.iter().for_each(|d| decisions.add(d.clone()));
        let known: HashMap<(StepKey, RelPath, DraftKey), (Option<Decision>, Status)> = waiting
            .iter()
            .map(|(w, s)| {
                let old = before.last(w.edit).cloned();
                ((w.step.clone(), w.path.clone(), w.key), (old, s.clone()))
            })
            .collect();
        let carried = Carried::of(waiting);
        if carried.is_empty() {
            return Ok(());
        }
        let project = self.project.within(&header.below).reading();
        let own = self.own()?;
        let only: HashSet<RelPath> = carried.paths().cloned().collect();
        let engine = Engine {
            own: &own,
            with: &header.with,
            only: Some(&only),
            by_step: true,
            carried: Some(&carried),
            ..Engine::new(&project, &checked.plan, &decisions, Mode::Write)
        };
        let mut found = Found::default();
        engine.run(&mut found)?;
        let mut carried: Vec<CarriedDecision> = Vec::new();
        for (e, key) in &found.edits {
            let Some((old, status)) = known.get(&(e.step.clone(), e.path.clone(), *key)) else {
                continue;
            };
            let Some(verdict) = verdict(e, status) else { continue };
            log.push(Decision::about(e, verdict));
            carried.extend(old.clone().map(|old| CarriedDecision { old, now: e.id }));
        }
        journal.keep_carried(disk, &carried)?;
        Ok(Decisions::append(&self.log()?, &log)?)
    }

    /// Decisions that were carried over for what a journal left, as they stood before: it is taken back, and so the old ids hold.
    fn carried_back(&self, journal: &Journal) -> Result<Vec<Decision>, SessionError> {
        let decisions = self.decisions()?;
        let mut log = Vec::new();
        for CarriedDecision { old, now } in journal.carried()? {
            let Some(last) = decisions.last(now) else { continue };
            let verdict = match &last.verdict {
                Verdict::Rejected => Verdict::Rejected,
                Verdict::Accepted { .. } | Verdict::Picked { .. } | Verdict::Own { .. } => {
                    old.verdict.clone()
                }
                Verdict::Done | Verdict::Reopened | Verdict::Cleared => continue,
            };
            log.push(Decision { verdict: Verdict::Cleared, ..last.clone() });
            log.push(Decision { verdict, ..old });
        }
        Ok(log)
    }

    /// The proposal that an undone apply was made from holds again: it was put by, or is computed.
    pub(crate) fn proposal_of(
        &self,
        disk: &dyn Disk,
        journal: &Journal,
    ) -> Result<(), SessionError> {
        let state = self.state()?;
        if Proposal::bring_back(&state, journal.folder())? {
            return Ok(mark_unsettled(&state, false)?);
        }
        mark_unsettled(&state, true)?;
        self.settle(disk)
    }

    /// Takes an apply back, and makes the commit that takes its commit back. Where that is refused, the apply stands.
    ///
    /// # Errors
    /// If the disk or version control fails.
    pub(crate) fn take_back(
        &self,
        disk: &dyn Disk,
        history: &dyn History,
        journal: &mut Journal,
        files_only: bool,
    ) -> Result<(TakenBack, Option<String>), SessionError> {
        // First what may need room: with these decisions alone nothing is half done.
        let room = journal.room(true);
        let mut log = self.carried_back(journal)?;
        log.extend(journal.ops.decisions.iter().cloned());
        mark_unsettled(&self.state()?, true).map_err(|e| SessionError::of_disk(e, room))?;
        Decisions::append(&self.log()?, &log).map_err(|e| match e {
            crate::edits::DecisionError::Io(e) => SessionError::of_disk(e, room),
            other => other.into(),
        })?;
        let of_disk = |e| SessionError::of_disk(e, room);
        let commit = match (files_only, journal.commit()) {
            (false, Some(id)) if history.holds(&id)? => id,
            _ => return Ok((journal.take_back(disk, Unknown::Keep).map_err(of_disk)?, None)),
        };
        let back = journal.restore(disk, Unknown::Keep).map_err(of_disk)?;
        match self.commit_back(disk, history, journal, (&commit, &back)) {
            Ok(made) => {
                journal.enter(disk, Phase::Undone)?;
                Ok((back, made))
            }
            Err(e) => {
                // There is no commit that takes it back, so it stands.
                journal.enter(disk, Phase::Written)?;
                journal.write_again(disk)?;
                self.use_up(journal, disk)?;
                Err(e)
            }
        }
    }

    /// The commit that takes one back; none if there is nothing to commit.
    fn commit_back(
        &self,
        disk: &dyn Disk,
        history: &dyn History,
        journal: &Journal,
        (commit, back): (&str, &TakenBack),
    ) -> Result<Option<String>, SessionError> {
        let kind = CommitKind::TakenBack;
        if let Some(record) = journal.commit_of(kind)?
            && let Some(made) = history.made(&record.planned)?.filter(|m| m.otherwise.is_empty())
        {
            history.follow(&record.planned, &made.id)?;
            return Ok(Some(made.id));
        }
        let Some(written) = journal.commit_of(CommitKind::Written)? else { return Ok(None) };
        let title = written.planned.message.lines().next().unwrap_or_default().to_owned();
        let message =
            format!("Revert \"{title}\"\n\nThis reverts commit {commit}, which an apply made.\n");
        let mut paths = written.planned.paths;
        paths.retain(|p| !back.kept.contains(p));
        let came = journal.ops.ops.iter().filter(|o| o.gone).map(|o| o.path.clone());
        let came: Vec<RelPath> = came.collect();
        let Some(planned) = history.plan(&message, &paths, &came)? else { return Ok(None) };
        self.commit(journal, disk, (kind, planned), history).map(Some)
    }
}

/// What an edit's acceptance is under its new id; none if it can no longer be what was accepted.
fn verdict(e: &Edit, status: &Status) -> Option<Verdict> {
    Some(match status {
        Status::Accepted(None) if e.options.is_empty() => Verdict::Accepted { seal: e.seal },
        Status::Accepted(Some(label)) => {
            let option = e.options.iter().find(|o| o.label == *label)?;
            Verdict::Picked { label: label.clone(), seal: option.seal }
        }
        Status::Reworded(text) => Verdict::Own { text: text.clone(), seal: e.seal },
        _ => return None,
    })
}

/// Files of journals that are not as the newest of those that wrote them left them.
///
/// # Errors
/// If one cannot be read.
pub(crate) fn changed_since(
    disk: &dyn Disk,
    newest_first: &[&Journal],
) -> io::Result<Vec<RelPath>> {
    let mut seen: HashMap<RelPath, Vec<Option<Digest>>> = HashMap::new();
    for j in newest_first {
        for op in &j.ops.ops {
            let known = seen.entry(op.path.clone()).or_insert_with(|| vec![op.becomes()]);
            known.push(op.was());
        }
    }
    let mut out = Vec::new();
    for (path, known) in seen {
        let now = disk.read(&path)?.map(|b| Digest::of(&b));
        if !known.contains(&now) {
            out.push(path);
        }
    }
    out.sort();
    Ok(out)
}
