//! Taking back.

use std::collections::HashSet;

use emendo_text::RelPath;

use crate::apply::{Disk, History, Journal, NoHistory, Phase, TakenBack};
use crate::review::{OpenCounts, OpenWork};
use crate::session::Session;
use crate::session::error::SessionError;
use crate::session::recover::{Recovered, changed_since};
use crate::state::mark_unsettled;

/// What `undo` is asked to do.
pub struct UndoOptions<'a> {
    /// Version control, for applies with commits.
    pub history: &'a dyn History,
    /// Take back this apply, and all after it; none for the last one.
    pub to: Option<u32>,
    /// Files that someone changed since may stay as they are; others are refused.
    pub keep_mine: &'a dyn Fn(&RelPath) -> bool,
    /// Take back the files of an apply, and make no commit.
    pub files_only: bool,
}

impl Default for UndoOptions<'_> {
    fn default() -> Self {
        Self { history: &NoHistory, to: None, keep_mine: &|_| false, files_only: false }
    }
}

/// What was taken back.
#[derive(Clone, Debug)]
pub struct Undone {
    /// The files.
    pub back: TakenBack,
    /// It was an interrupted apply.
    pub interrupted: bool,
    /// The numbers of the applies, the newest first.
    pub applies: Vec<u32>,
    /// The commits that take theirs back, in the same order.
    pub commits: Vec<String>,
    /// What is open afterwards; none if there is no proposal any more.
    pub open: Option<OpenCounts>,
}

impl Session {
    /// Takes back the last apply, an interrupted one too, or several. Their acceptances hold again.
    ///
    /// # Errors
    /// If there is none, files were changed since, a commit is refused, or the disk fails; calling it again goes on.
    pub fn undo(&self, disk: &dyn Disk, options: &UndoOptions<'_>) -> Result<Undone, SessionError> {
        let _lock = self.lock()?;
        if let Some(Recovered::TakenBack(back)) = self.recover(disk, options.history)? {
            self.settle(disk)?;
            let (applies, commits) = (Vec::new(), Vec::new());
            return Ok(Undone {
                back,
                interrupted: true,
                applies,
                commits,
                open: self.open_now()?,
            });
        }
        self.settle(disk)?;
        let mut journals = self.journals()?;
        journals.retain(|j| j.phase == Phase::Done);
        journals.reverse();
        let n = match options.to {
            None => 1,
            Some(id) => {
                let at = journals.iter().position(|j| j.id == id);
                at.ok_or(SessionError::UnknownApply(id))? + 1
            }
        };
        if journals.is_empty() {
            return Err(SessionError::NothingApplied);
        }
        journals.truncate(n);
        self.refuse_changed(disk, &journals, options)?;
        let mut out = Undone {
            back: TakenBack::default(),
            interrupted: false,
            applies: Vec::new(),
            commits: Vec::new(),
            open: None,
        };
        let mut failed = None;
        for journal in &mut journals {
            match self.take_back(disk, options.history, journal, options.files_only) {
                Ok((back, commit)) => {
                    out.applies.push(journal.id);
                    out.commits.extend(commit);
                    out.back.restored.extend(back.restored);
                    out.back.kept.extend(back.kept);
                }
                Err(e) => {
                    failed = Some(e);
                    break;
                }
            }
        }
        for list in [&mut out.back.restored, &mut out.back.kept] {
            list.sort();
            list.dedup();
        }
        // A file that was changed since is not what the proposal before was made from.
        let last = journals.iter().rfind(|j| out.applies.contains(&j.id));
        match last {
            Some(last) if out.back.kept.is_empty() => self.proposal_of(disk, last)?,
            Some(_) => {
                crate::review::Proposal::remove(&self.state()?)?;
                mark_unsettled(&self.state()?, false)?;
            }
            None => {}
        }
        match failed {
            Some(e) => Err(e),
            None => Ok(Undone { open: self.open_now()?, ..out }),
        }
    }

    fn open_now(&self) -> Result<Option<OpenCounts>, SessionError> {
        let Some(proposal) = self.proposal()? else { return Ok(None) };
        Ok(Some(OpenWork::of(&proposal, &self.decisions()?).counts()))
    }

    /// Refuses files that someone changed since, and commits that are not there to be taken back.
    fn refuse_changed(
        &self,
        disk: &dyn Disk,
        journals: &[Journal],
        options: &UndoOptions<'_>,
    ) -> Result<(), SessionError> {
        let mut paths: HashSet<RelPath> = HashSet::new();
        let with_commit = journals.iter().filter(|_| !options.files_only);
        for (journal, id) in with_commit.filter_map(|j| Some((j, j.commit()?))) {
            if !options.history.holds(&id)? {
                return Err(SessionError::NotHere(id));
            }
            paths.extend(journal.ops.ops.iter().filter(|o| !o.dirty).map(|o| o.path.clone()));
        }
        let all: Vec<&Journal> = journals.iter().collect();
        let mut changed = changed_since(disk, &all)?;
        changed.retain(|p| !(options.keep_mine)(p));
        if !changed.is_empty() {
            return Err(SessionError::ChangedSince(changed));
        }
        if paths.is_empty() {
            return Ok(());
        }
        let mut paths: Vec<RelPath> = paths.into_iter().collect();
        paths.retain(|p| !(options.keep_mine)(p));
        paths.sort();
        match options.history.ready(&paths)? {
            own if own.is_empty() => Ok(()),
            own => Err(SessionError::Dirty(own)),
        }
    }
}
