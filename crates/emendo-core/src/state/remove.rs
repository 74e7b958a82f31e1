//! What the program keeps in a state folder, removed.

use std::io;
use std::path::Path;

/// What the program keeps in the state folder, the lock last.
const KEPT: [&str; 14] = [
    "child",
    "index.lock",
    "aside",
    "checks",
    "index",
    "unsettled",
    "proposal.jsonl.new",
    "proposal.jsonl",
    "decisions.jsonl",
    "seen",
    "told",
    "made-by",
    ".gitignore",
    "lock",
];

/// Removes all that the program made in a state folder, and the folder itself if nothing else is in it.
///
/// # Errors
/// If something of it cannot be removed.
pub(crate) fn remove_all(state: &Path) -> io::Result<()> {
    gone(std::fs::remove_dir_all(state.join("journal")))?;
    for name in KEPT {
        gone(remove(&state.join(name)))?;
    }
    // A folder that holds something else stays.
    drop(std::fs::remove_dir(state));
    Ok(())
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
