//! The facade: a project with its proposal, decisions and journal.

use std::collections::{BTreeMap, HashMap, HashSet, VecDeque};
use std::io;
use std::path::{Path, PathBuf};

use emendo_lang::Certainty;
use emendo_text::{Digest, RelPath};

use crate::apply::{Disk, Journal, Packer, Phase, TakenBack};
use crate::edits::{
    Decision, DecisionError, Decisions, Edit, Own, Standing, Status, StepKey, Verdict,
};
use crate::look::Memory;
use crate::project::{Project, ProjectError, Skipped};
use crate::recipes::{Checked, Shelf, check};
use crate::review::{
    Decided, FileRecord, Header, Proposal, ProposalWriter, Selection, Trailer, accept, select,
};
use crate::run::{Engine, FileResult, Mode, Ran, Sink};

/// A project that is being moved.
pub struct Session {
    project: Project,
    build: String,
    shelf: Shelf,
}

/// Why something could not be done.
#[derive(Debug, thiserror::Error)]
pub enum SessionError {
    /// The project.
    #[error(transparent)]
    Project(#[from] ProjectError),
    /// Reading or writing.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// The log of decisions.
    #[error(transparent)]
    Decisions(#[from] DecisionError),
    /// There is no proposal.
    #[error("there is no proposal yet")]
    NoProposal,
    /// An apply was interrupted.
    #[error("an apply was interrupted")]
    Unfinished,
    /// Another run holds the project.
    #[error("another run is at work on this project")]
    Busy,
    /// Files are not as they were proposed.
    #[error("files have changed since the proposal")]
    Changed(Vec<RelPath>),
    /// Files hold changes that are in no commit.
    #[error("files hold changes that are in no commit")]
    Dirty(Vec<RelPath>),
    /// The recipe is not as it was.
    #[error("the recipe `{0}` has changed since the proposal, or cannot be read")]
    Recipe(String),
    /// A selection fits nothing, or names something that is not there.
    #[error("{0}")]
    Selection(String),
    /// There is nothing to take back.
    #[error("there is nothing to take back")]
    NothingApplied,
}

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
    /// Edits that nobody has decided on.
    pub undecided: usize,
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
    pub allow_dirty: bool,
}

impl Session {
    /// Opens the project that a folder belongs to.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn open(dir: &Path) -> Result<Self, SessionError> {
        Ok(Self { project: Project::open(dir)?, build: String::new(), shelf: Shelf::default() })
    }

    /// The same, by a program of this identity: what another one remembers of a project is not used.
    #[must_use]
    pub fn built_as(self, build: String) -> Self {
        Self { build, ..self }
    }

    /// The same, with places where recipes that others include are looked for.
    #[must_use]
    pub fn with_shelf(self, shelf: Shelf) -> Self {
        Self { shelf, ..self }
    }

    /// The project.
    pub fn project(&self) -> &Project {
        &self.project
    }

    fn state(&self) -> Result<PathBuf, SessionError> {
        Ok(self.project.state()?)
    }

    fn log(&self) -> Result<PathBuf, SessionError> {
        Ok(self.state()?.join("decisions.jsonl"))
    }

    /// The decisions so far.
    ///
    /// # Errors
    /// If they cannot be read.
    pub fn decisions(&self) -> Result<Decisions, SessionError> {
        Ok(Decisions::read(&self.log()?)?)
    }

    /// What steps wrote that do their work once, by the journals that stand.
    fn own(&self) -> Result<Vec<Own>, SessionError> {
        let journals = self.journals()?.into_iter().filter(|j| j.phase == Phase::Done);
        Ok(journals.flat_map(|j| j.ops.once).collect())
    }

    /// The journals, the oldest first.
    ///
    /// # Errors
    /// If one cannot be read.
    pub fn journals(&self) -> Result<Vec<Journal>, SessionError> {
        Ok(Journal::all(&self.state()?)?)
    }

    /// The proposal, if there is one.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn proposal(&self) -> Result<Option<Proposal>, SessionError> {
        Ok(Proposal::read(&self.state()?)?)
    }

    /// Only one run writes at a time; the lock goes with the value.
    fn lock(&self) -> Result<std::fs::File, SessionError> {
        let path = self.project.make_state()?.join("lock");
        let file =
            std::fs::OpenOptions::new().create(true).truncate(false).write(true).open(path)?;
        match file.try_lock() {
            Ok(()) => Ok(file),
            Err(std::fs::TryLockError::WouldBlock) => Err(SessionError::Busy),
            Err(std::fs::TryLockError::Error(e)) => Err(e.into()),
        }
    }

    fn refuse_unfinished(&self) -> Result<(), SessionError> {
        if self.journals()?.last().is_some_and(Journal::unfinished) {
            Err(SessionError::Unfinished)
        } else {
            Ok(())
        }
    }

    /// Computes a proposal and keeps it. No file of the project changes.
    ///
    /// # Errors
    /// If the project cannot be read, an apply was interrupted, or the proposal cannot be kept.
    pub fn propose(
        &self,
        checked: &Checked,
        inputs: &BTreeMap<String, String>,
        with: &[Skipped],
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Proposal, SessionError> {
        let _lock = self.lock()?;
        self.refuse_unfinished()?;
        let header = self.header(checked, inputs, with);
        self.run_view(checked, header, progress)
    }

    /// Looks at what recipes would do, and what would be left, and keeps nothing.
    ///
    /// # Errors
    /// If the project cannot be read.
    pub fn look(
        &self,
        checked: &Checked,
        inputs: &BTreeMap<String, String>,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Proposal, SessionError> {
        let header = self.header(checked, inputs, &[]);
        self.look_with(checked, header, progress)
    }

    /// The same for the recipes of the last proposal, or of the last apply; `None` if there is neither.
    ///
    /// # Errors
    /// If the project or a recipe cannot be read.
    pub fn look_again(
        &self,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Option<Proposal>, SessionError> {
        let last = || {
            let mut journals = self.journals()?.into_iter().rev();
            Ok::<_, SessionError>(journals.find_map(|j| j.ops.from.map(|f| *f)))
        };
        let header = match self.proposal()? {
            Some(p) => Some(p.header),
            None => last()?,
        };
        let Some(header) = header else { return Ok(None) };
        let checked = self.recipes_of(&header)?;
        self.look_with(&checked, header, progress).map(Some)
    }

    fn look_with(
        &self,
        checked: &Checked,
        header: Header,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Proposal, SessionError> {
        let mut files = Vec::new();
        let viewed = self.viewed(checked, &header, None, progress, &mut |record| {
            files.push(record);
            Ok(())
        })?;
        Ok(match viewed {
            Viewed::Same(proposal) => *proposal,
            Viewed::Anew(trailer) => Proposal { header, files, trailer },
        })
    }

    fn header(
        &self,
        checked: &Checked,
        inputs: &BTreeMap<String, String>,
        with: &[Skipped],
    ) -> Header {
        Header {
            proposal: 1,
            recipes: checked.plan.recipes.clone(),
            inputs: inputs.clone(),
            with: with.to_vec(),
            below: self.project.below().to_owned(),
            steps: checked.plan.steps.iter().map(|s| s.info.clone()).collect(),
            plan: checked.plan.digest(),
            limit: checked.plan.limited().clone(),
        }
    }

    fn run_view(
        &self,
        checked: &Checked,
        header: Header,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Proposal, SessionError> {
        let state = self.project.make_state()?;
        let mut writer = ProposalWriter::begin(&state, &header)?;
        let memory = self.memory(true)?;
        let result = self
            .viewed(checked, &header, Some(memory), progress, &mut |record| writer.record(&record));
        let trailer = match result.inspect_err(|_| ProposalWriter::discard(&state))? {
            Viewed::Anew(trailer) => trailer,
            Viewed::Same(proposal) => {
                ProposalWriter::discard(&state);
                return Ok(*proposal);
            }
        };
        writer.finish(&trailer).inspect_err(|_| ProposalWriter::discard(&state))?;
        self.proposal()?.ok_or(SessionError::NoProposal)
    }

    /// Where looks are remembered.
    fn memory(&self, keeps: bool) -> Result<Memory, SessionError> {
        Ok(Memory { folder: self.state()?, build: self.build.clone(), keeps })
    }

    /// Runs with undecided edits counted as in. Files of which nothing has changed are as they were in the last proposal.
    fn viewed(
        &self,
        checked: &Checked,
        header: &Header,
        memory: Option<Memory>,
        progress: &mut dyn FnMut(u64, u64),
        out: &mut dyn FnMut(FileRecord) -> io::Result<()>,
    ) -> Result<Viewed, SessionError> {
        let decisions = self.decisions()?;
        // What the proposal was limited to, wherever it is decided on.
        let project = self.project.within(&header.below);
        let own = self.own()?;
        let own_digest = serde_json::to_vec(&own).ok().map(|bytes| Digest::of(&bytes));
        let memory = memory.map_or_else(|| self.memory(false), Ok)?;
        let engine = Engine {
            project: &project,
            plan: &checked.plan,
            decisions: &decisions,
            mode: Mode::View,
            own: &own,
            with: &header.with,
            only: None,
            memory: Some(&memory),
            touched: None,
        };
        let walking = engine.start();
        let exists = |p: &RelPath| project.path(p).exists();
        let view = |path: &RelPath, edits: &[Edit]| decisions.view_of(path, edits, exists);
        let other = |f: &FileRecord| f.decided != view(&f.path, &f.edits);
        let old = self.proposal().ok().flatten();
        let old = old.filter(|o| o.header.is_of(header) && o.trailer.own == own_digest);
        let old = match (walking.as_it_was(), old) {
            (Some(look), Some(old))
                if old.trailer.look == Some(look) && !old.files.iter().any(other) =>
            {
                progress(1, 1);
                return Ok(Viewed::Same(Box::new(old)));
            }
            (_, old) => old,
        };
        let started = walking.look();
        let known = started
            .known
            .as_ref()
            .filter(|k| old.as_ref().is_some_and(|o| o.trailer.look == Some(k.generation)));
        let again: Option<HashSet<RelPath>> = known.zip(old.as_ref()).map(|(known, old)| {
            let other = old.files.iter().filter(|f| other(f));
            known.changed.iter().chain(other.map(|f| &f.path)).cloned().collect()
        });
        // Where steps rest on what others made of other files, all of them run, or none.
        let again = again.filter(|a| a.is_empty() || !started.staged());
        let kept = old.filter(|_| again.is_some()).map_or_else(Vec::new, |o| o.files);
        let kept =
            kept.into_iter().filter(|f| again.as_ref().is_some_and(|a| !a.contains(&f.path)));
        let mut merging = Merging { kept: kept.collect(), out, view: &view, progress };
        let ran = started.run(again.as_ref(), &mut merging)?;
        merging.rest(None)?;
        let Ran { counts, notes, look } = ran;
        Ok(Viewed::Anew(Trailer { counts, notes, look, own: own_digest }))
    }

    /// The recipes of a proposal, loaded again; they must be what they were.
    fn recipes_of(&self, header: &Header) -> Result<Checked, SessionError> {
        let mut sources = Vec::new();
        for r in &header.recipes {
            sources
                .push(self.shelf.read(&r.path).map_err(|_| SessionError::Recipe(r.path.clone()))?);
        }
        let mut checked = check(sources, &header.inputs, &self.shelf);
        if let Err(what) = checked.limit(&header.limit) {
            return Err(SessionError::Selection(what));
        }
        let changed = checked
            .plan
            .recipes
            .iter()
            .zip(&header.recipes)
            .find(|(now, then)| now.digest != then.digest);
        match changed {
            Some((_, r)) => Err(SessionError::Recipe(r.path.clone())),
            None if checked.failed() || checked.plan.digest() != header.plan => {
                Err(SessionError::Recipe(header.recipes[0].path.clone()))
            }
            None => Ok(checked),
        }
    }

    /// Computes again what depends on decisions that changed.
    fn refresh(&self, proposal: &Proposal) -> Result<(), SessionError> {
        let checked = self.recipes_of(&proposal.header)?;
        self.run_view(&checked, proposal.header.clone(), &mut |_, _| {})?;
        Ok(())
    }

    /// Accepts the edits of a selection.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn accept(&self, selection: &Selection) -> Result<Decided, SessionError> {
        let _lock = self.lock()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let (decided, log) = accept(&proposal, &self.decisions()?, selection)?;
        Decisions::append(&self.log()?, &log)?;
        Ok(decided)
    }

    /// Rejects the edits of a selection; what builds on them is computed again.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn reject(&self, selection: &Selection) -> Result<Decided, SessionError> {
        let _lock = self.lock()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let decisions = self.decisions()?;
        let edits = select(&proposal, selection)?;
        let fresh: Vec<Edit> = edits
            .into_iter()
            .filter(|e| decisions.status(e) != Status::Rejected)
            .cloned()
            .collect();
        let log: Vec<Decision> =
            fresh.iter().map(|e| Decision::about(e, Verdict::Rejected)).collect();
        Decisions::append(&self.log()?, &log)?;
        self.refresh(&proposal)?;
        Ok(Decided { decided: fresh, ..Decided::default() })
    }

    /// Picks an alternative of each selected choice that has one of this name.
    ///
    /// # Errors
    /// If there is no proposal, the selection fits nothing, or no edit has that alternative.
    pub fn choose(&self, selection: &Selection, label: &str) -> Result<Decided, SessionError> {
        let _lock = self.lock()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let mut out = Decided::default();
        let mut log = Vec::new();
        for e in select(&proposal, selection)? {
            match e.options.iter().find(|o| o.label == label) {
                Some(o) => {
                    log.push(Decision::about(
                        e,
                        Verdict::Picked { label: label.to_owned(), seal: o.seal },
                    ));
                    out.decided.push(e.clone());
                }
                None if e.options.is_empty() => {
                    out.refused.push((e.clone(), "it is no choice".into()));
                }
                None => {
                    let labels: Vec<&str> = e.options.iter().map(|o| o.label.as_str()).collect();
                    out.refused
                        .push((e.clone(), format!("its alternatives are: {}", labels.join(", "))));
                }
            }
        }
        if out.decided.is_empty() {
            let why = out
                .refused
                .first()
                .map_or(String::new(), |(e, why)| format!(" (`{}`: {why})", e.id.short(8)));
            return Err(SessionError::Selection(format!(
                "no selected edit has an alternative `{label}`{why}"
            )));
        }
        Decisions::append(&self.log()?, &log)?;
        self.refresh(&proposal)?;
        Ok(out)
    }

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
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        if let Some(level) = options.accept {
            let selection = Selection { certainty: Some(level), ..Selection::default() };
            let (_, log) = accept(&proposal, &self.decisions()?, &selection)?;
            Decisions::append(&self.log()?, &log)?;
        }
        let mut decisions = self.decisions()?;
        let unmet = unmet(&proposal, &decisions);
        decisions.forget(unmet.iter().copied());
        out.left_out.extend(unmet.into_iter().map(|e| (e.clone(), UNMET.to_owned())));
        let accepted: HashMap<Digest, &Edit> = proposal
            .decidable()
            .filter(|e| {
                matches!(decisions.status(e), Status::Accepted(_))
                    && !matches!(e.standing, Standing::Withheld(_))
            })
            .map(|e| (e.id, e))
            .collect();
        out.undecided = proposal
            .decidable()
            .filter(|e| {
                !matches!(e.standing, Standing::Withheld(_))
                    && matches!(decisions.status(e), Status::Undecided | Status::Again)
            })
            .count();
        let mut paths: HashSet<RelPath> = accepted.values().map(|e| e.path.clone()).collect();
        if paths.is_empty() {
            return Ok(out);
        }
        let changed = self.changed(disk, &proposal, &paths)?;
        if !changed.is_empty() && !options.skip_changed {
            return Err(SessionError::Changed(changed));
        }
        for p in &changed {
            paths.remove(p);
        }
        out.skipped = changed;
        let mut sorted: Vec<RelPath> = paths.iter().cloned().collect();
        sorted.sort();
        let dirty = self.dirty(disk, &sorted, options)?;
        if !dirty.is_empty() && !options.allow_dirty {
            return Err(SessionError::Dirty(dirty));
        }
        let checked = self.recipes_of(&proposal.header)?;
        let project = self.project.within(&proposal.header.below);
        let own = self.own()?;
        let memory = self.memory(false)?;
        let engine = Engine {
            project: &project,
            plan: &checked.plan,
            decisions: &decisions,
            mode: Mode::Write,
            own: &own,
            with: &proposal.header.with,
            only: Some(&paths),
            memory: Some(&memory),
            touched: None,
        };
        let packer = Packer::begin(disk, &self.project.make_state()?)?;
        let mut sink = Writing {
            disk,
            packer,
            accepted: &accepted,
            bases: bases(&proposal),
            dirty: dirty.into_iter().collect(),
            used: Vec::new(),
            files: Vec::new(),
            underfoot: Vec::new(),
            once: checked.plan.once_steps(),
            own: Vec::new(),
        };
        let run = engine.run(&mut sink);
        let Writing { packer, used, files, underfoot, own, .. } = sink;
        if let Err(e) = run {
            packer.abandon();
            return Err(e.into());
        }
        if !underfoot.is_empty() {
            packer.abandon();
            return Err(SessionError::Changed(underfoot));
        }
        let done: HashSet<Digest> = used.iter().map(|d| d.edit).collect();
        out.left_out.extend(left_out(&accepted, &done, &out.skipped));
        if packer.is_empty() {
            packer.abandon();
            return Ok(out);
        }
        let mut journal = packer.seal(options.time, &proposal.header, used.clone(), own)?;
        journal.run(disk)?;
        let cleared: Vec<Decision> =
            used.iter().map(|d| Decision { verdict: Verdict::Cleared, ..d.clone() }).collect();
        Decisions::append(&self.log()?, &cleared)?;
        out.written = used.len();
        out.files = files;
        Proposal::remove(&self.state()?)?;
        Ok(out)
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

    /// Takes an interrupted apply back, if there is one.
    fn recover(&self, disk: &dyn Disk) -> Result<Option<TakenBack>, SessionError> {
        let mut journals = self.journals()?;
        match journals.last_mut() {
            Some(j) if j.unfinished() => Ok(Some(j.take_back(disk)?)),
            _ => Ok(None),
        }
    }

    /// Takes back the last apply, an interrupted one too. Its acceptances hold again.
    ///
    /// # Errors
    /// If there is none, or the disk fails; calling it again goes on.
    pub fn undo(&self, disk: &dyn Disk) -> Result<(TakenBack, bool), SessionError> {
        let _lock = self.lock()?;
        if let Some(back) = self.recover(disk)? {
            return Ok((back, true));
        }
        let mut journals = self.journals()?;
        let journal = journals
            .iter_mut()
            .rev()
            .find(|j| j.phase == Phase::Done)
            .ok_or(SessionError::NothingApplied)?;
        let back = journal.take_back(disk)?;
        Decisions::append(&self.log()?, &journal.ops.decisions)?;
        Proposal::remove(&self.state()?)?;
        Ok((back, false))
    }
}

/// What a run with undecided edits in gave.
enum Viewed {
    /// Nothing has changed since this proposal.
    Same(Box<Proposal>),
    /// Its files went out one by one.
    Anew(Trailer),
}

/// Puts what a run finds among what stands from the last one, in order of path.
struct Merging<'a> {
    kept: VecDeque<FileRecord>,
    out: &'a mut dyn FnMut(FileRecord) -> io::Result<()>,
    view: &'a dyn Fn(&RelPath, &[Edit]) -> Digest,
    progress: &'a mut dyn FnMut(u64, u64),
}

impl Merging<'_> {
    /// What stands before a path, or to the end.
    fn rest(&mut self, before: Option<&RelPath>) -> io::Result<()> {
        while self.kept.front().is_some_and(|f| before.is_none_or(|b| f.path < *b)) {
            self.kept.pop_front().map_or(Ok(()), &mut *self.out)?;
        }
        Ok(())
    }
}

impl Sink for Merging<'_> {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        self.rest(Some(&file.path))?;
        let decided = (self.view)(&file.path, &file.edits);
        (self.out)(FileRecord::of(file, decided))
    }

    fn progress(&mut self, done: u64, all: u64) {
        (self.progress)(done, all);
    }
}

/// Packs what an apply writes, file by file.
struct Writing<'a> {
    disk: &'a dyn Disk,
    packer: Packer<'a>,
    accepted: &'a HashMap<Digest, &'a Edit>,
    bases: HashMap<RelPath, Digest>,
    dirty: HashSet<RelPath>,
    used: Vec<Decision>,
    files: Vec<RelPath>,
    underfoot: Vec<RelPath>,
    once: HashSet<StepKey>,
    own: Vec<Own>,
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
            let verdict = match shown.options.iter().find(|o| o.after == e.after) {
                Some(o) if !e.options.is_empty() => {
                    Verdict::Picked { label: o.label.clone(), seal: o.seal }
                }
                _ => Verdict::Accepted { seal: e.seal },
            };
            self.used.push(Decision::about(e, verdict));
        }
        self.own.extend(Own::of(file.edits.iter(), &self.once));
        if let Some(after) = file.after.filter(|a| *a != before) {
            let dirty = self.dirty.contains(&file.path);
            self.packer.add(file.path.clone(), &before, &after, dirty)?;
            self.files.push(file.path);
        }
        Ok(())
    }
}

const UNMET: &str = "the edit that it needs is not accepted";

/// Accepted edits that need one that is not.
fn unmet<'p>(proposal: &'p Proposal, decisions: &Decisions) -> Vec<&'p Edit> {
    let is_in = |e: &&Edit| matches!(decisions.status(e), Status::Accepted(_));
    let held = |e: &Edit| matches!(e.standing, Standing::Withheld(_));
    let open: HashSet<Digest> =
        proposal.decidable().filter(|e| !is_in(e) || held(e)).filter_map(|e| e.provides).collect();
    let needs = |e: &&Edit| e.needs.is_some_and(|tie| open.contains(&tie));
    proposal.decidable().filter(is_in).filter(needs).collect()
}

fn bases(proposal: &Proposal) -> HashMap<RelPath, Digest> {
    proposal.files.iter().map(|f| (f.path.clone(), f.base)).collect()
}

fn left_out(
    accepted: &HashMap<Digest, &Edit>,
    done: &HashSet<Digest>,
    skipped: &[RelPath],
) -> Vec<(Edit, String)> {
    let mut out: Vec<(Edit, String)> = accepted
        .values()
        .filter(|e| !done.contains(&e.id))
        .map(|e| {
            let why = if skipped.contains(&e.path) {
                "its file has changed since the proposal"
            } else {
                "it would write something else than what was accepted: decide again"
            };
            ((*e).clone(), why.to_owned())
        })
        .collect();
    out.sort_by(|a, b| (&a.0.path, a.0.line, a.0.id).cmp(&(&b.0.path, b.0.line, b.0.id)));
    out
}
