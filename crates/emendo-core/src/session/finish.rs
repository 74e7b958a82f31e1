//! The end of a migration: the state folder goes.

use std::io;
use std::path::Path;

use crate::session::Session;
use crate::session::error::SessionError;

/// What the program keeps in the state folder, the lock last.
const KEPT: [&str; 8] = [
    "proposal.jsonl.new",
    "proposal.jsonl",
    "decisions.jsonl",
    "seen",
    "told",
    "made-by",
    ".gitignore",
    "lock",
];

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
        let lock = self.lock()?;
        self.refuse_unfinished()?;
        gone(std::fs::remove_dir_all(state.join("journal")))?;
        for name in KEPT {
            gone(remove(&state.join(name)))?;
        }
        drop(lock);
        // A folder that holds something else stays.
        drop(std::fs::remove_dir(&state));
        Ok(())
    }
}

/// Removes a file; of what is a folder, all that is in it.
fn remove(path: &Path) -> io::Result<()> {
    match std::fs::symlink_metadata(path) {
        Ok(meta) if meta.is_dir() => std::fs::remove_dir_all(path),
        _ => std::fs::remove_file(path),
    }
}

/// What is not there is gone already.
fn gone(done: io::Result<()>) -> io::Result<()> {
    match done {
        Err(e) if e.kind() != io::ErrorKind::NotFound => Err(e),
        _ => Ok(()),
    }
}
