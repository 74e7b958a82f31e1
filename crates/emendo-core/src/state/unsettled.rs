//! A mark in the state folder: the proposal does not follow yet what was written or taken back.

use std::io;
use std::path::Path;

const NAME: &str = "unsettled";

/// True if it does not.
pub(crate) fn is_unsettled(state: &Path) -> bool {
    state.join(NAME).exists()
}

/// Says whether it does not.
///
/// # Errors
/// If that cannot be written.
pub(crate) fn mark_unsettled(state: &Path, waits: bool) -> io::Result<()> {
    if waits {
        return std::fs::write(state.join(NAME), "");
    }
    match std::fs::remove_file(state.join(NAME)) {
        Err(e) if e.kind() != io::ErrorKind::NotFound => Err(e),
        _ => Ok(()),
    }
}
