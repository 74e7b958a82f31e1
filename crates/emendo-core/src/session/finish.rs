//! The end of a migration: the state folder goes.

use crate::session::Session;
use crate::session::error::SessionError;
use crate::state::remove_all;

impl Session {
    /// Removes the state: the proposal, the decisions, and the journals, so that nothing can be taken back any more. What the program did
    /// not make stays.
    ///
    /// # Errors
    /// If an apply was interrupted, another run is at work, or the disk fails.
    pub fn finish(&self) -> Result<(), SessionError> {
        let state = self.project().state()?;
        if !state.exists() {
            return Ok(());
        }
        let _lock = self.lock()?;
        self.refuse_unfinished()?;
        Ok(remove_all(&state)?)
    }
}
