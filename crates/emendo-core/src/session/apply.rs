//! Applying: a run that writes what was accepted.

use std::collections::{HashMap, HashSet};

use emendo_text::{Digest, RelPath};

use crate::apply::{Disk, Journal, Packer, Phase};
use crate::edits::{Decisions, Edit, Status, StepKey};
use crate::review::{OpenCounts, OpenWork, Proposal, Selection, WrittenFile, accept};
use crate::run::{Engine, Mode};
use crate::session::error::SessionError;
use crate::session::recover::Recovered;
use crate::session::series::{
    AppliedPart, ApplyOptions, Gathering, Part, Series, ids, paths_of, waiting,
};
use crate::session::{Session, UNMET, bases, unmet};
use crate::state::mark_unsettled;

/// What an apply did.
#[derive(Debug, Default)]
pub struct Applied {
    /// What became of an interrupted apply before this one.
    pub recovered: Option<Recovered>,
    /// Files that were written.
    pub files: Vec<RelPath>,
    /// Edits that were written.
    pub written: usize,
    /// What was written by itself: all of it, or step by step.
    pub parts: Vec<AppliedPart>,
    /// Where it stopped, with commits: what was written before that stays, the rest stays accepted.
    pub stopped: Option<Stopped>,
    /// Accepted edits that were not written, with the reason.
    pub left_out: Vec<(Edit, String)>,
    /// Files that were left out, since they changed.
    pub skipped: Vec<RelPath>,
    /// Files that were left out, since they hold the user's own changes.
    pub own_changes: Vec<RelPath>,
    /// What is open afterwards; none if the proposal could not be computed again.
    pub open: Option<OpenCounts>,
}

/// Where an apply with commits stopped.
#[derive(Debug)]
pub struct Stopped {
    /// The steps whose commit was not made.
    pub steps: Vec<StepKey>,
    /// Their titles.
    pub title: String,
    /// Why.
    pub error: SessionError,
}

/// The accepted edits that write something: a choice to leave a place as it is does not, and holds on.
fn accepted<'p>(proposal: &'p Proposal, decisions: &Decisions) -> HashMap<Digest, &'p Edit> {
    let held = |e: &&Edit| e.standing.barred().is_some();
    let writes = |e: &&Edit| match decisions.status(e) {
        Status::Accepted(label) => !label.is_some_and(|l| e.leaves(&l)),
        Status::Reworded(_) => true,
        _ => false,
    };
    proposal.decidable().filter(|e| !held(e)).filter(writes).map(|e| (e.id, e)).collect()
}

/// Takes out the acceptances of files that are not written, and of edits elsewhere that need one of them.
fn leave_out(proposal: &Proposal, decisions: &mut Decisions, out: &mut Applied) {
    let why = |e: &Edit| match () {
        () if out.skipped.contains(&e.path) => Some("its file has changed since the proposal"),
        () if out.own_changes.contains(&e.path) => Some("its file holds your own changes"),
        () => None,
    };
    let all = accepted(proposal, decisions);
    let mut left: Vec<(Edit, String)> =
        all.values().filter_map(|e| Some(((*e).clone(), why(e)?.to_owned()))).collect();
    if left.is_empty() {
        return;
    }
    decisions.forget(left.iter().map(|l| &l.0));
    loop {
        let more: Vec<Edit> = unmet(proposal, decisions).into_iter().cloned().collect();
        if more.is_empty() {
            break;
        }
        decisions.forget(&more);
        left.extend(more.into_iter().map(|e| (e, "the edit that it needs is left out".to_owned())));
    }
    out.left_out.extend(in_order(left));
}

/// Edits in order of their places.
fn in_order(mut all: Vec<(Edit, String)>) -> Vec<(Edit, String)> {
    all.sort_by(|a, b| (&a.0.path, a.0.line, a.0.id).cmp(&(&b.0.path, b.0.line, b.0.id)));
    all
}

/// Accepted edits that a run did not write.
fn left_out(
    accepted: &HashMap<Digest, &Edit>,
    done: &HashSet<Digest>,
    stopped: &Option<Stopped>,
) -> Vec<(Edit, String)> {
    // Where it stopped, the rest stays accepted.
    let rest = accepted.values().filter(|e| stopped.is_none() && !done.contains(&e.id));
    let why = "it would write something else than what was accepted: decide again";
    in_order(rest.map(|e| ((*e).clone(), why.to_owned())).collect())
}

/// Writes part after part. Gives the edits that are written, and the first journal.
fn write_all<'a>(
    series: &mut Series<'a>,
    parts: Vec<Part>,
    packer: Packer<'a>,
    out: &mut Applied,
) -> Result<(HashSet<Digest>, Option<Journal>), SessionError> {
    let (mut done, mut first) = (HashSet::new(), None);
    let mut packer = Some(packer);
    let waiting = waiting(&parts);
    for (part, waiting) in parts.into_iter().zip(waiting) {
        let (own, steps): (Vec<Digest>, _) = (ids(&part).collect(), part.keys.clone());
        match series.write(part, packer.take(), waiting) {
            Ok(None) => {}
            Ok(Some((written, journal))) => {
                done.extend(own);
                out.written += written.edits;
                out.files.extend(written.files.iter().cloned());
                out.parts.push(written);
                first.get_or_insert(journal);
            }
            Err(error) if out.parts.is_empty() && !series.options.commits => return Err(error),
            Err(error) => {
                let title = crate::apply::title(&series.proposal.header, &steps);
                out.stopped = Some(Stopped { steps, title, error });
                break;
            }
        }
    }
    out.files.sort();
    out.files.dedup();
    Ok((done, first))
}

impl Session {
    /// Writes what is accepted: all of it or nothing; with commits, step by step, until one is refused.
    ///
    /// # Errors
    /// If files or recipes changed, files hold the user's own changes, or the disk fails; then nothing is written.
    pub fn apply(
        &self,
        disk: &dyn Disk,
        options: &ApplyOptions<'_>,
    ) -> Result<Applied, SessionError> {
        let _lock = self.lock()?;
        let recovered = self.recover(disk, options.history)?;
        self.settle(disk)?;
        let mut out = Applied { recovered, ..Applied::default() };
        let proposal = self.current()?;
        let mut decisions = self.decided(&proposal, options, &mut out)?;
        let mut paths = accepted(&proposal, &decisions).values().map(|e| e.path.clone()).collect();
        let dirty = self.left_aside(disk, &proposal, (&mut paths, &mut out), options)?;
        leave_out(&proposal, &mut decisions, &mut out);
        let accepted = accepted(&proposal, &decisions);
        let kept: HashSet<&RelPath> = accepted.values().map(|e| &e.path).collect();
        paths.retain(|p| kept.contains(p));
        if accepted.is_empty() {
            out.open = Some(OpenWork::of(&proposal, &self.decisions()?).counts());
            return Ok(out);
        }
        let gathered =
            self.gather(disk, (&proposal, &decisions), (&accepted, &paths), options, &dirty)?;
        let Gathering { packer, parts, written, moves, .. } = gathered;
        let mut series = Series {
            session: self,
            disk,
            options,
            proposal: &proposal,
            dirty: dirty.into_iter().collect(),
            now: bases(&proposal),
            first: None,
        };
        if options.commits {
            // A template that gives nothing is said before anything is written.
            if let Err(e) = parts.iter().try_for_each(|p| series.message(p, &paths_of(p)).map(drop))
            {
                packer.abandon();
                return Err(e);
            }
        }
        let (done, first) = write_all(&mut series, parts, packer, &mut out)?;
        out.left_out.extend(left_out(&accepted, &done, &out.stopped));
        if done.is_empty() {
            out.open = Some(OpenWork::of(&proposal, &self.decisions()?).counts());
            return Ok(out);
        }
        // What is open stays known. The files are written whatever becomes of this.
        out.open = match (&out.stopped, first) {
            // A file that lies elsewhere holds its edits under other ids.
            (None, Some(first)) if !moves => {
                self.keep_open(proposal, &first, (&done, &written)).ok()
            }
            _ => self.settled_open(disk).ok(),
        };
        Ok(out)
    }

    /// Finds the edits that wait again; what is open then.
    fn settled_open(&self, disk: &dyn Disk) -> Result<OpenCounts, SessionError> {
        self.settle(disk)?;
        Ok(OpenWork::of(&self.current()?, &self.decisions()?).counts())
    }

    /// Files that are not written: those that changed, and those with the user's own changes. Gives those that hold such changes
    /// and are written all the same.
    fn left_aside(
        &self,
        disk: &dyn Disk,
        proposal: &Proposal,
        (paths, out): (&mut HashSet<RelPath>, &mut Applied),
        options: &ApplyOptions<'_>,
    ) -> Result<Vec<RelPath>, SessionError> {
        out.skipped = self.changed(disk, proposal, paths)?;
        if !out.skipped.is_empty() && !options.skip_changed {
            return Err(SessionError::Changed(std::mem::take(&mut out.skipped)));
        }
        paths.retain(|p| !out.skipped.contains(p));
        let mut sorted: Vec<RelPath> = paths.iter().cloned().collect();
        sorted.sort();
        let mut dirty = self.dirty(disk, &sorted, options)?;
        if options.commits && !sorted.is_empty() {
            let clean: Vec<RelPath> = sorted.into_iter().filter(|p| !dirty.contains(p)).collect();
            dirty.extend(options.history.ready(&clean)?);
            dirty.sort();
        }
        if dirty.is_empty() || options.with_uncommitted {
            return Ok(dirty);
        }
        if !options.skip_changed {
            return Err(SessionError::Dirty(dirty));
        }
        paths.retain(|p| !dirty.contains(p));
        out.own_changes = dirty;
        Ok(Vec::new())
    }

    /// Puts the proposal by for an undo, and keeps what is open of it.
    fn keep_open(
        &self,
        proposal: Proposal,
        first: &Journal,
        (done, files): (&HashSet<Digest>, &HashMap<RelPath, WrittenFile>),
    ) -> Result<OpenCounts, SessionError> {
        let state = self.state()?;
        Proposal::put_by(&state, first.folder())?;
        let left = proposal.without(done, files);
        left.store(&state)?;
        mark_unsettled(&state, false)?;
        Ok(OpenWork::of(&left, &self.decisions()?).counts())
    }

    /// The decisions that count, after what the options accept: an acceptance of what others withhold does not.
    fn decided(
        &self,
        proposal: &Proposal,
        options: &ApplyOptions<'_>,
        out: &mut Applied,
    ) -> Result<Decisions, SessionError> {
        if let Some(level) = options.accept {
            let selection = Selection { certainty: Some(level), ..Selection::default() };
            let (_, log) = accept(proposal, &self.decisions()?, &selection)?;
            Decisions::append(&self.log()?, &log)?;
        }
        let mut decisions = self.decisions()?;
        let unmet = unmet(proposal, &decisions);
        decisions.forget(unmet.iter().copied());
        out.left_out.extend(unmet.into_iter().map(|e| (e.clone(), UNMET.to_owned())));
        Ok(decisions)
    }

    /// Runs again over the files of accepted edits, and gathers what is to be written; nothing of the project changes.
    fn gather<'p>(
        &self,
        disk: &'p dyn Disk,
        (proposal, decisions): (&Proposal, &Decisions),
        (accepted, paths): (&'p HashMap<Digest, &'p Edit>, &HashSet<RelPath>),
        options: &ApplyOptions<'_>,
        dirty: &[RelPath],
    ) -> Result<Gathering<'p>, SessionError> {
        let checked = self.recipes_of(&proposal.header)?;
        let plan = &checked.plan;
        let project = self.project.within(&proposal.header.below).reading();
        let own = self.own()?;
        let memory = self.memory(false)?;
        let engine = Engine {
            own: &own,
            with: &proposal.header.with,
            only: Some(paths),
            memory: Some(&memory),
            by_step: options.commits,
            ..Engine::new(&project, plan, decisions, Mode::Write)
        };
        let reworded = |e: &&Edit| match decisions.status(e) {
            Status::Reworded(text) => Some((e.id, text)),
            _ => None,
        };
        let mut sink = Gathering {
            disk,
            packer: Packer::begin(disk, &self.project.make_state()?)?,
            parts: match options.commits {
                true => Part::by_step(plan, accepted),
                false => Part::whole(plan),
            },
            numbers: plan.steps.iter().map(|s| s.info.key.clone()).zip(0..).collect(),
            accepted,
            bases: bases(proposal),
            dirty: dirty.iter().cloned().collect(),
            own_words: accepted.values().filter_map(reworded).collect(),
            underfoot: Vec::new(),
            once: plan.once_steps(),
            written: HashMap::new(),
            moves: false,
        };
        let run = engine.run(&mut sink);
        if let Err(e) = run {
            sink.packer.abandon();
            return Err(e.into());
        }
        if !sink.underfoot.is_empty() {
            sink.packer.abandon();
            return Err(SessionError::Changed(sink.underfoot));
        }
        Ok(sink)
    }

    /// Files of a proposal that are not as they were.
    fn changed(
        &self,
        disk: &dyn Disk,
        proposal: &Proposal,
        paths: &HashSet<RelPath>,
    ) -> Result<Vec<RelPath>, SessionError> {
        let mut out = Vec::new();
        for f in proposal.files.iter().filter(|f| paths.contains(&f.path)) {
            let now = disk.read(&f.path)?;
            let to_come = now.is_none() && f.fate.created;
            if !to_come && now.map(|b| Digest::of(&b)) != Some(f.base) {
                out.push(f.path.clone());
            }
        }
        Ok(out)
    }

    /// Files with the user's own changes: what the last apply wrote over clean files is not theirs.
    fn dirty(
        &self,
        disk: &dyn Disk,
        paths: &[RelPath],
        options: &ApplyOptions<'_>,
    ) -> Result<Vec<RelPath>, SessionError> {
        let journals = self.journals()?;
        let mut out = Vec::new();
        for path in (options.dirty)(paths) {
            let op = journals
                .iter()
                .rev()
                .filter(|j| j.phase == Phase::Done)
                .find_map(|j| j.ops.ops.iter().find(|o| o.path == path));
            let ours = match op {
                Some(op) if !op.dirty => disk.read(&path)?.map(|b| Digest::of(&b)) == op.becomes(),
                _ => false,
            };
            if !ours {
                out.push(path);
            }
        }
        Ok(out)
    }
}
