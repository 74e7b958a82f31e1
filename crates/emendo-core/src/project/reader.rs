//! How the bytes of a project's files are read: from disk, or from whoever holds a newer text, and once in a run.

use std::collections::HashMap;
use std::fmt::Debug;
use std::io;
use std::path::Path;
use std::sync::{Arc, Mutex};

use emendo_text::RelPath;

/// Where the bytes of files come from: the disk, or an editor that holds texts which are not saved yet.
pub trait FileSource: Send + Sync + Debug {
    /// The bytes of a file, by its full path and its path in the project.
    ///
    /// # Errors
    /// If it cannot be read.
    fn bytes(&self, full: &Path, path: &RelPath) -> io::Result<Vec<u8>>;

    /// How many bytes it has.
    ///
    /// # Errors
    /// If there is no such file.
    fn size(&self, full: &Path, path: &RelPath) -> io::Result<u64>;

    /// Files whose texts are not those on disk, or that are not there yet. What a run remembers of a project is not used
    /// while there are any.
    fn unsaved(&self) -> Vec<RelPath> {
        Vec::new()
    }

    /// Files on disk that count as not being there.
    fn absent(&self) -> Vec<RelPath> {
        Vec::new()
    }
}

/// The files as they lie on disk.
#[derive(Debug)]
pub(crate) struct OnDisk;

impl FileSource for OnDisk {
    fn bytes(&self, full: &Path, _: &RelPath) -> io::Result<Vec<u8>> {
        // A pipe or a device is never opened: reading it may never end.
        if !full.symlink_metadata()?.is_file() {
            return Err(io::Error::new(io::ErrorKind::InvalidInput, "it is not a regular file"));
        }
        std::fs::read(full)
    }

    fn size(&self, full: &Path, _: &RelPath) -> io::Result<u64> {
        Ok(full.symlink_metadata()?.len())
    }
}

/// What is read first is held up to this many bytes: a small project is read once.
const FIRST: usize = 4 << 20;
/// Files that matter to a run are held up to this many bytes.
const MATTERING: usize = 24 << 20;
/// Larger files are never held.
const LARGE: usize = 1 << 20;

/// The bytes that a run holds.
#[derive(Debug, Default)]
pub(crate) struct HeldBytes(Mutex<Room>);

/// What is held, and how many bytes that is.
#[derive(Debug, Default)]
struct Room {
    bytes: usize,
    files: HashMap<RelPath, Arc<Vec<u8>>>,
}

impl HeldBytes {
    pub(crate) fn get(&self, path: &RelPath) -> Option<Arc<Vec<u8>>> {
        self.0.lock().ok()?.files.get(path).cloned()
    }

    /// Holds what was just read while there is room. What matters to the run has more of it.
    pub(crate) fn add(&self, path: &RelPath, bytes: &Arc<Vec<u8>>, matters: bool) {
        let most = if matters { MATTERING } else { FIRST };
        if bytes.len() > LARGE {
            return;
        }
        let Ok(mut held) = self.0.lock() else { return };
        if held.bytes + bytes.len() <= most && !held.files.contains_key(path) {
            held.bytes += bytes.len();
            held.files.insert(path.clone(), bytes.clone());
        }
    }
}
