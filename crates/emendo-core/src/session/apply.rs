//! Applying: a run that writes what was accepted.

use std::collections::{HashMap, HashSet};
use std::io;

use emendo_lang::Certainty;
use emendo_text::{Digest, RelPath, Text};

use crate::apply::{Disk, Journal, Packer, Phase, TakenBack};
use crate::edits::{Decision, Decisions, Edit, OnceWritten, Standing, Status, StepKey, Verdict};
use crate::review::{OpenCounts, OpenWork, Proposal, Selection, WrittenFile, accept};
use crate::run::{Engine, FileResult, Mode, Sink};
use crate::session::error::SessionError;
use crate::session::{Session, UNMET, bases, left_out, unmet};

/// What an apply did.
#[derive(Clone, Debug, Default)]
pub struct Applied {
    /// The interrupted apply before this one was taken back.
    pub recovered: Option<TakenBack>,
    /// Files that were written.
    pub files: Vec<RelPath>,
    /// Edits that were written.
    pub written: usize,
    /// Accepted edits that were not written, with the reason.
    pub left_out: Vec<(Edit, String)>,
    /// Files that were left out, since they changed.
    pub skipped: Vec<RelPath>,
    /// What is open afterwards; none if the proposal could not be computed again.
    pub open: Option<OpenCounts>,
}

/// What `apply` is asked to do.
pub struct ApplyOptions<'a> {
    /// Accept this level and above first.
    pub accept: Option<Certainty>,
    /// Leave out files that have changed.
    pub skip_changed: bool,
    /// The time, in seconds since 1970; for people who read the journal.
    pub time: u64,
    /// Of these files, those that hold the user's own changes.
    pub dirty: &'a dyn Fn(&[RelPath]) -> Vec<RelPath>,
    /// Write files with the user's own changes too.
    pub with_uncommitted: bool,
}

/// Packs what an apply writes, file by file.
pub(crate) struct Writing<'a> {
    disk: &'a dyn Disk,
    packer: Packer<'a>,
    accepted: &'a HashMap<Digest, &'a Edit>,
    bases: HashMap<RelPath, Digest>,
    dirty: HashSet<RelPath>,
    /// What of it is in the user's own words.
    own_words: HashMap<Digest, String>,
    used: Vec<Decision>,
    files: Vec<RelPath>,
    underfoot: Vec<RelPath>,
    once: HashSet<StepKey>,
    own: Vec<OnceWritten>,
    /// What became of each file that is written.
    written: HashMap<RelPath, WrittenFile>,
}

impl Sink for Writing<'_> {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        let before = self.disk.read(&file.path)?.unwrap_or_default();
        if Digest::of(&before) != file.base || self.bases.get(&file.path) != Some(&file.base) {
            self.underfoot.push(file.path);
            return Ok(());
        }
        for e in file.edits.iter().filter(|e| e.standing == Standing::In) {
            let Some(shown) = self.accepted.get(&e.id) else { continue };
            if let Some(own) = self.own_words.get(&e.id) {
                let verdict = Verdict::Own { text: own.clone(), seal: e.seal };
                self.used.push(Decision::about(e, verdict));
                continue;
            }
            let verdict = match shown.options.iter().find(|o| o.after == e.after) {
                Some(o) if !e.options.is_empty() => {
                    Verdict::Picked { label: o.label.clone(), seal: o.seal }
                }
                _ => Verdict::Accepted { seal: e.seal },
            };
            self.used.push(Decision::about(e, verdict));
        }
        self.own.extend(OnceWritten::of(file.edits.iter(), &self.once));
        if let Some(after) = &file.after {
            let text = Text::decode(after).map(|t| t.as_str().to_owned()).unwrap_or_default();
            self.own.extend(OnceWritten::reworded(&file.edits, &file.marks, &text));
        }
        if let Some(after) = file.after.filter(|a| *a != before) {
            let dirty = self.dirty.contains(&file.path);
            self.packer.add(file.path.clone(), &before, &after, dirty)?;
            let written = WrittenFile { after: Digest::of(&after), hunks: file.hunks };
            self.written.insert(file.path.clone(), written);
            self.files.push(file.path);
        }
        Ok(())
    }
}

impl Session {
    /// Writes what is accepted: all of it or nothing.
    ///
    /// # Errors
    /// If files or recipes changed, files hold the user's own changes, or the disk fails; then nothing is written.
    pub fn apply(
        &self,
        disk: &dyn Disk,
        options: &ApplyOptions<'_>,
    ) -> Result<Applied, SessionError> {
        let _lock = self.lock()?;
        let mut out = Applied { recovered: self.recover(disk)?, ..Applied::default() };
        let proposal = self.current()?;
        let decisions = self.decided(&proposal, options, &mut out)?;
        let held = |e: &&Edit| e.standing.barred().is_some();
        // A choice to leave a place as it is writes nothing, and holds on.
        let writes = |e: &&Edit| match decisions.status(e) {
            Status::Accepted(label) => !label.is_some_and(|l| e.leaves(&l)),
            Status::Reworded(_) => true,
            _ => false,
        };
        let accepted: HashMap<Digest, &Edit> =
            proposal.decidable().filter(|e| !held(e)).filter(writes).map(|e| (e.id, e)).collect();
        let open = || OpenWork::of(&proposal, &decisions).counts();
        let mut paths: HashSet<RelPath> = accepted.values().map(|e| e.path.clone()).collect();
        if paths.is_empty() {
            out.open = Some(open());
            return Ok(out);
        }
        out.skipped = self.changed(disk, &proposal, &paths)?;
        if !out.skipped.is_empty() && !options.skip_changed {
            return Err(SessionError::Changed(out.skipped));
        }
        paths.retain(|p| !out.skipped.contains(p));
        let mut sorted: Vec<RelPath> = paths.iter().cloned().collect();
        sorted.sort();
        let dirty = self.dirty(disk, &sorted, options)?;
        if !dirty.is_empty() && !options.with_uncommitted {
            return Err(SessionError::Dirty(dirty));
        }
        let writing = self.pack(disk, (&proposal, &decisions), (&accepted, &paths), dirty)?;
        let Writing { packer, used, files, own, written, .. } = writing;
        let done: HashSet<Digest> = used.iter().map(|d| d.edit).collect();
        out.left_out.extend(left_out(&accepted, &done, &out.skipped));
        if packer.is_empty() {
            packer.abandon();
            out.open = Some(open());
            return Ok(out);
        }
        let mut journal = packer.seal(options.time, &proposal.header, used.clone(), own)?;
        let room = journal.room(false);
        journal.run(disk).map_err(|e| SessionError::of_disk(e, room))?;
        let cleared: Vec<Decision> =
            used.iter().map(|d| Decision { verdict: Verdict::Cleared, ..d.clone() }).collect();
        Decisions::append(&self.log()?, &cleared)?;
        out.written = used.len();
        out.files = files;
        // What is open stays known. The files are written whatever becomes of this.
        out.open = self.keep_open(proposal, &journal, (&done, &written)).ok();
        Ok(out)
    }

    /// Puts the proposal by for an undo, and keeps what is open of it.
    fn keep_open(
        &self,
        proposal: Proposal,
        journal: &Journal,
        (done, files): (&HashSet<Digest>, &HashMap<RelPath, WrittenFile>),
    ) -> Result<OpenCounts, SessionError> {
        let state = self.state()?;
        Proposal::put_by(&state, journal.folder())?;
        let left = proposal.without(done, files);
        left.store(&state)?;
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

    /// Runs again over the files of accepted edits, and packs what is to be written; nothing of the project changes.
    fn pack<'p>(
        &self,
        disk: &'p dyn Disk,
        (proposal, decisions): (&Proposal, &Decisions),
        (accepted, paths): (&'p HashMap<Digest, &'p Edit>, &HashSet<RelPath>),
        dirty: Vec<RelPath>,
    ) -> Result<Writing<'p>, SessionError> {
        let checked = self.recipes_of(&proposal.header)?;
        let project = self.project.within(&proposal.header.below).reading();
        let own = self.own()?;
        let memory = self.memory(false)?;
        let engine = Engine {
            own: &own,
            with: &proposal.header.with,
            only: Some(paths),
            memory: Some(&memory),
            ..Engine::new(&project, &checked.plan, decisions, Mode::Write)
        };
        let mut sink = Writing {
            disk,
            packer: Packer::begin(disk, &self.project.make_state()?)?,
            accepted,
            bases: bases(proposal),
            dirty: dirty.into_iter().collect(),
            own_words: accepted
                .values()
                .filter_map(|e| match decisions.status(e) {
                    Status::Reworded(text) => Some((e.id, text)),
                    _ => None,
                })
                .collect(),
            used: Vec::new(),
            files: Vec::new(),
            underfoot: Vec::new(),
            once: checked.plan.once_steps(),
            own: Vec::new(),
            written: HashMap::new(),
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
            if disk.read(&f.path)?.map(|b| Digest::of(&b)) != Some(f.base) {
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
                Some(op) if !op.dirty => {
                    disk.read(&path)?.map(|b| Digest::of(&b)) == Some(op.after.digest)
                }
                _ => false,
            };
            if !ours {
                out.push(path);
            }
        }
        Ok(out)
    }
}
