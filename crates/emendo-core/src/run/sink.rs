//! What a run gives, file by file.

use std::collections::HashMap;

use emendo_text::{Digest, Hunk, LineMark, RelPath};
use serde::{Deserialize, Serialize};

use crate::edits::{DraftKey, Edit, Leftover, Note};
use crate::project::{PassedOver, SkipCounts};

/// What counts as in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Mode {
    /// Propose and review: undecided edits are in.
    View,
    /// Apply: accepted edits only.
    Write,
}

/// Takes what a run finds, file by file in order of path.
pub trait Sink {
    /// A file with edits or notes.
    ///
    /// # Errors
    /// Whatever stops the run.
    fn file(&mut self, file: FileResult) -> std::io::Result<()>;
    /// How far the run is: files done, files in all.
    fn progress(&mut self, _done: u64, _all: u64) {}
}

/// What a run counted.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Counts {
    /// Files that were looked at.
    pub files: u64,
    /// Files that a step looked into.
    pub candidates: u64,
    /// What was passed over.
    pub skipped: SkipCounts,
    /// The same by name.
    #[serde(default, skip_serializing_if = "PassedOver::is_empty")]
    pub passed: PassedOver,
    /// Candidates with syntax errors; they are handled where they are sound.
    pub with_errors: u64,
}

/// What a run made of a file.
pub struct FileResult {
    /// The file.
    pub path: RelPath,
    /// Digest of its bytes as they are.
    pub base: Digest,
    /// All edits, those that are out too, in order of steps and places.
    pub edits: Vec<Edit>,
    /// Notes.
    pub notes: Vec<Note>,
    /// What still uses the old API when all is done.
    pub leftovers: Vec<Leftover>,
    /// The changed lines; `by` are indices into `edits`.
    pub hunks: Vec<Hunk>,
    /// The parts of lines that each edit changed; `by` as in the hunks.
    pub marks: Vec<LineMark>,
    /// The new bytes, where anything changed.
    pub after: Option<Vec<u8>>,
    /// What becomes of it as a whole; a file that is created may move too.
    pub fate: FileFate,
    /// The file after each step that changed it, by the number of the step, where that is asked.
    pub steps: Vec<(usize, FileAfter)>,
    /// Which drafts accepted edits are, where that is asked.
    pub keys: HashMap<Digest, DraftKey>,
}

/// What becomes of a file as a whole.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileFate {
    /// Where it lies in the end, if not where it was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<RelPath>,
    /// It was not there before.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub created: bool,
    /// It is not there any more.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub deleted: bool,
}

impl FileFate {
    /// True if it stays where it is.
    pub fn stays(&self) -> bool {
        *self == Self::default()
    }
}

/// A file after a step: where it lies, and its bytes; none where it is not there any more.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileAfter {
    /// Where it lies.
    pub path: RelPath,
    /// Its bytes.
    pub bytes: Option<Vec<u8>>,
}

/// Actions that found something: the number of the step, that of the runner, and the row, or none where only a note tells.
pub(crate) type CoverageLog =
    std::sync::Mutex<std::collections::BTreeSet<(usize, usize, Option<usize>)>>;
