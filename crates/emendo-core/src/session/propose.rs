//! Proposing: a run that shows, or the last one again where nothing has changed.

use std::collections::{BTreeMap, HashSet, VecDeque};
use std::io;

use emendo_text::{Digest, RelPath};

use crate::edits::Edit;
use crate::look::Memory;
use crate::project::SkipReason;
use crate::recipes::{Checked, check};
use crate::review::{FileRecord, Header, Proposal, ProposalWriter, Trailer};
use crate::run::{Engine, FileResult, Mode, RunOutcome, Sink};
use crate::session::Session;
use crate::session::error::SessionError;

/// What a run with undecided edits in gave.
pub(crate) enum ViewOutcome {
    /// Nothing has changed since this proposal.
    Same(Box<Proposal>),
    /// Its files went out one by one.
    Anew(Trailer),
}

/// Puts what a run finds among what stands from the last one, in order of path.
pub(crate) struct Merging<'a> {
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

impl Session {
    /// Computes a proposal and keeps it. No file of the project changes.
    ///
    /// # Errors
    /// If the project cannot be read, an apply was interrupted, or the proposal cannot be kept.
    pub fn propose(
        &self,
        checked: &Checked,
        inputs: &BTreeMap<String, String>,
        with: &[SkipReason],
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Proposal, SessionError> {
        let _lock = self.lock_settled()?;
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

    /// The recipes of the last proposal, or of the last apply, with what that was made from; `None` if there is neither.
    pub(crate) fn last_recipes(&self) -> Result<Option<(Checked, Header)>, SessionError> {
        let last = || {
            let mut journals = self.journals()?.into_iter().rev();
            Ok::<_, SessionError>(journals.find_map(|j| j.ops.from.map(|f| *f)))
        };
        let header = match self.proposal()? {
            Some(p) => Some(p.header),
            None => last()?,
        };
        let Some(header) = header else { return Ok(None) };
        Ok(Some((self.recipes_of(&header)?, header)))
    }

    /// The proposal as it holds for the files by now, for who only reads: what an apply left of one is computed, and not kept.
    ///
    /// # Errors
    /// If there is none, or the project or a recipe cannot be read.
    pub fn shown(&self, progress: &mut dyn FnMut(u64, u64)) -> Result<Proposal, SessionError> {
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        if !proposal.trailer.derived {
            return Ok(proposal);
        }
        let checked = self.recipes_of(&proposal.header)?;
        self.look_with(&checked, proposal.header, progress)
    }

    pub(crate) fn look_with(
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
            ViewOutcome::Same(proposal) => *proposal,
            ViewOutcome::Anew(trailer) => Proposal { header, files, trailer },
        })
    }

    pub(crate) fn header(
        &self,
        checked: &Checked,
        inputs: &BTreeMap<String, String>,
        with: &[SkipReason],
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

    pub(crate) fn run_view(
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
            ViewOutcome::Anew(trailer) => trailer,
            ViewOutcome::Same(proposal) => {
                ProposalWriter::discard(&state);
                return Ok(*proposal);
            }
        };
        writer.finish(&trailer).inspect_err(|_| ProposalWriter::discard(&state))?;
        self.proposal()?.ok_or(SessionError::NoProposal)
    }

    /// Where looks are remembered.
    pub(crate) fn memory(&self, keeps: bool) -> Result<Memory, SessionError> {
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
    ) -> Result<ViewOutcome, SessionError> {
        let decisions = self.decisions()?;
        // What the proposal was limited to, wherever it is decided on.
        let project = self.project.within(&header.below).reading();
        let own = self.own()?;
        let own_digest = serde_json::to_vec(&own).ok().map(|bytes| Digest::of(&bytes));
        // What is remembered counts only where the user's own runs wrote it.
        let memory = match memory {
            Some(memory) => Some(memory),
            None if self.trusts(&self.state()?)? => Some(self.memory(false)?),
            None => None,
        };
        let engine = Engine {
            own: &own,
            with: &header.with,
            memory: memory.as_ref(),
            ..Engine::new(&project, &checked.plan, &decisions, Mode::View)
        };
        let walking = engine.start();
        let exists = |p: &RelPath| project.exists(p);
        let view = |path: &RelPath, edits: &[Edit]| decisions.view_of(path, edits, exists);
        let other = |f: &FileRecord| f.decided != view(&f.path, &f.edits);
        let old = memory.as_ref().and_then(|_| self.proposal().ok().flatten());
        let old = old.filter(|o| o.header.is_of(header) && o.trailer.own == own_digest);
        let old = match (walking.as_it_was(), old) {
            (Some(look), Some(old))
                if !old.trailer.derived
                    && old.trailer.look == Some(look)
                    && !old.files.iter().any(other) =>
            {
                progress(1, 1);
                return Ok(ViewOutcome::Same(Box::new(old)));
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
        let RunOutcome { counts, notes, left_out, skipped_steps, look } = ran;
        let own = own_digest;
        Ok(ViewOutcome::Anew(Trailer {
            counts,
            notes,
            left_out,
            skipped_steps,
            derived: false,
            look,
            own,
        }))
    }

    /// The recipes of a proposal, loaded again; they must be what they were.
    pub(crate) fn recipes_of(&self, header: &Header) -> Result<Checked, SessionError> {
        let mut sources = Vec::new();
        for r in &header.recipes {
            sources
                .push(self.shelf.read(&r.path).map_err(|_| SessionError::Recipe(r.path.clone()))?);
        }
        let mut checked = check(&self.world, sources, &header.inputs, &self.shelf);
        if let Err(what) = checked.limit(&header.limit) {
            return Err(SessionError::Selection(crate::review::SelectionError::new(what)));
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
}
