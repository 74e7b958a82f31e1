//! The files of a project as they were before applies, read from the journals; the disk stays as it is.

use std::collections::HashMap;
use std::io;
use std::path::Path;
use std::sync::Arc;

use emendo_text::RelPath;

use crate::apply::Journal;
use crate::project::{FileSource, OnDisk};

/// Files that are otherwise than they lie: their content, or none where there is no file.
pub(super) type Otherwise = HashMap<RelPath, Option<Arc<Vec<u8>>>>;

/// The files of a project before some applies, some of them otherwise than they were.
#[derive(Debug)]
pub(super) struct Past {
    /// The applies, the oldest first.
    journals: Arc<Vec<Journal>>,
    /// Of each path that they wrote, the journal and its file that hold what stood there.
    at: HashMap<RelPath, (usize, usize)>,
    /// What stands instead.
    otherwise: Otherwise,
}

impl Past {
    /// The files before all but the first `n` applies.
    pub(super) fn before(journals: &Arc<Vec<Journal>>, n: usize, otherwise: Otherwise) -> Self {
        let mut at = HashMap::new();
        for (j, journal) in journals.iter().enumerate().skip(n).rev() {
            for (i, op) in journal.ops.ops.iter().enumerate() {
                at.insert(op.path.clone(), (j, i));
            }
        }
        Self { journals: journals.clone(), at, otherwise }
    }

    /// What stands at a path; none where that is what lies on the disk.
    ///
    /// # Errors
    /// If the journal cannot be read.
    fn known(&self, path: &RelPath) -> io::Result<Option<Option<Vec<u8>>>> {
        if let Some(content) = self.otherwise.get(path) {
            return Ok(Some(content.as_ref().map(|bytes| bytes.to_vec())));
        }
        let Some((j, i)) = self.at.get(path) else { return Ok(None) };
        self.journals[*j].content_before(*i).map(Some)
    }

    /// True if there is a file at a path that is not what lies on the disk; none where that says it.
    fn there(&self, path: &RelPath) -> Option<bool> {
        if let Some(content) = self.otherwise.get(path) {
            return Some(content.is_some());
        }
        let (j, i) = self.at.get(path)?;
        Some(!self.journals[*j].ops.ops[*i].born)
    }

    fn paths(&self, there: bool) -> Vec<RelPath> {
        let all = self.at.keys().chain(self.otherwise.keys());
        let mut out: Vec<RelPath> = all.filter(|p| self.there(p) == Some(there)).cloned().collect();
        out.sort_unstable();
        out.dedup();
        out
    }

    /// The paths at which it is otherwise than the disk may be.
    pub(super) fn touched(&self) -> impl Iterator<Item = &RelPath> {
        self.at.keys().chain(self.otherwise.keys().filter(|p| !self.at.contains_key(*p)))
    }
}

impl FileSource for Past {
    fn bytes(&self, full: &Path, path: &RelPath) -> io::Result<Vec<u8>> {
        match self.known(path)? {
            Some(Some(bytes)) => Ok(bytes),
            Some(None) => Err(io::ErrorKind::NotFound.into()),
            None => OnDisk.bytes(full, path),
        }
    }

    fn size(&self, full: &Path, path: &RelPath) -> io::Result<u64> {
        match self.known(path)? {
            Some(Some(bytes)) => Ok(bytes.len() as u64),
            Some(None) => Err(io::ErrorKind::NotFound.into()),
            None => OnDisk.size(full, path),
        }
    }

    fn unsaved(&self) -> Vec<RelPath> {
        self.paths(true)
    }

    fn absent(&self) -> Vec<RelPath> {
        self.paths(false)
    }
}
