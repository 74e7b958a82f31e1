//! Taking back.

use crate::apply::{Disk, Phase, TakenBack};
use crate::edits::{DecisionError, Decisions};
use crate::review::{OpenCounts, OpenWork, Proposal};
use crate::session::Session;
use crate::session::error::SessionError;

/// What was taken back.
#[derive(Clone, Debug)]
pub struct Undone {
    /// The files.
    pub back: TakenBack,
    /// It was an interrupted apply.
    pub interrupted: bool,
    /// What is open afterwards; none if there is no proposal any more.
    pub open: Option<OpenCounts>,
}

impl Session {
    /// Takes an interrupted apply back, if there is one.
    pub(crate) fn recover(&self, disk: &dyn Disk) -> Result<Option<TakenBack>, SessionError> {
        let mut journals = self.journals()?;
        match journals.last_mut() {
            Some(j) if j.unfinished() => {
                let room = j.room(true);
                Ok(Some(j.take_back(disk).map_err(|e| SessionError::of_disk(e, room))?))
            }
            _ => Ok(None),
        }
    }

    /// Takes back the last apply, an interrupted one too. Its acceptances hold again.
    ///
    /// # Errors
    /// If there is none, or the disk fails; calling it again goes on.
    pub fn undo(&self, disk: &dyn Disk) -> Result<Undone, SessionError> {
        let _lock = self.lock()?;
        if let Some(back) = self.recover(disk)? {
            let open = match self.proposal()? {
                Some(p) => Some(OpenWork::of(&p, &self.decisions()?).counts()),
                None => None,
            };
            return Ok(Undone { back, interrupted: true, open });
        }
        let mut journals = self.journals()?;
        let journal = journals
            .iter_mut()
            .rev()
            .find(|j| j.phase == Phase::Done)
            .ok_or(SessionError::NothingApplied)?;
        // First what may need room: with these decisions alone nothing is half done.
        let room = journal.room(true);
        Decisions::append(&self.log()?, &journal.ops.decisions).map_err(|e| match e {
            DecisionError::Io(e) => SessionError::of_disk(e, room),
            other => other.into(),
        })?;
        let back = journal.take_back(disk).map_err(|e| SessionError::of_disk(e, room))?;
        let state = self.state()?;
        Proposal::remove(&state)?;
        // What it was made from is there again, unless someone changed a file since.
        let whole = back.kept.is_empty() && Proposal::bring_back(&state, journal.folder())?;
        let proposal = if whole { self.proposal()? } else { None };
        let open = match proposal {
            Some(p) => Some(OpenWork::of(&p, &self.decisions()?).counts()),
            None => None,
        };
        Ok(Undone { back, interrupted: false, open })
    }
}
