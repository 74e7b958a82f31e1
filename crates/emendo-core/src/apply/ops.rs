//! What an apply is about to do, as data.

use emendo_text::{Digest, RelPath};
use serde::{Deserialize, Serialize};

use crate::apply::history::PlannedCommit;
use crate::edits::{Decision, OnceWritten, StepKey, Waiting};
use crate::project::{SETTINGS, STATE};
use crate::review::Header;

/// A run of bytes in the pack.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub struct Packed {
    pub(super) offset: u64,
    pub(super) len: u64,
    /// Digest of the bytes.
    pub digest: Digest,
}

impl Packed {
    /// Of bytes that stand there.
    pub(super) fn of(offset: u64, bytes: &[u8]) -> Self {
        Self { offset, len: bytes.len() as u64, digest: Digest::of(bytes) }
    }
}

/// What a file has besides its content.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileMeta {
    /// Its mode, as the system counts it.
    pub mode: u32,
    /// Its owner and group, where the system has them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub owner: Option<(u32, u32)>,
}

/// One path of an apply. A file that moves is two: one that is gone, and one that is new.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Op {
    /// The file.
    pub path: RelPath,
    /// Its content before; nothing where there was no file.
    pub before: Packed,
    /// Its content after; nothing where there is no file any more.
    pub after: Packed,
    /// There was no file before.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub born: bool,
    /// There is no file any more.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub gone: bool,
    /// Where a file that is gone has moved to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub moved_to: Option<RelPath>,
    /// What a file has besides its content, where that cannot be read off the path itself.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub meta: Option<FileMeta>,
    /// The name of its temporary file.
    pub temp: String,
    /// It is written over, since it has several names or another owner.
    pub over: bool,
    /// It held changes of the user's that were in no commit.
    pub dirty: bool,
}

impl Op {
    /// Identity of the content before; none where there was no file.
    pub fn was(&self) -> Option<Digest> {
        (!self.born).then_some(self.before.digest)
    }

    /// Identity of the content after; none where there is no file any more.
    pub fn becomes(&self) -> Option<Digest> {
        (!self.gone).then_some(self.after.digest)
    }
}

/// A folder that an apply makes or empties, with its mode.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Folder {
    /// The folder.
    pub path: RelPath,
    /// Its mode; none for one that is new.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mode: Option<u32>,
}

/// What an apply is about to do.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Ops {
    /// When, in seconds since 1970; for people.
    pub time: u64,
    /// The recipes, by title.
    pub recipes: Vec<String>,
    /// What the proposal was made from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<Box<Header>>,
    /// The files.
    pub ops: Vec<Op>,
    /// Folders that files of it are taken out of, the outermost first: those that are left empty go.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left: Vec<Folder>,
    /// Folders that are made for it, the outermost first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub made: Vec<Folder>,
    /// The acceptances that it uses up.
    pub decisions: Vec<Decision>,
    /// What steps wrote that do their work once.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub once: Vec<OnceWritten>,
    /// The steps, where it writes those by themselves.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<StepKey>,
    /// The first apply of the series that it belongs to, where steps are written one after another.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub series: Option<u32>,
    /// The accepted edits of the series that come after it.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub waiting: Vec<Waiting>,
}

impl Ops {
    /// The files, each once: one that moves by where it lies now.
    pub fn files(&self) -> Vec<RelPath> {
        let stays = self.ops.iter().filter(|o| o.moved_to.is_none());
        stays.map(|o| o.path.clone()).collect()
    }

    /// What is about to be done at a time, from a proposal that was made from this; nothing yet.
    pub(crate) fn new(time: u64, from: &Header) -> Self {
        Self {
            time,
            recipes: from.recipes.iter().map(|r| r.title.clone()).collect(),
            from: Some(Box::new(from.clone())),
            ops: Vec::new(),
            left: Vec::new(),
            made: Vec::new(),
            decisions: Vec::new(),
            once: Vec::new(),
            steps: Vec::new(),
            series: None,
            waiting: Vec::new(),
        }
    }
}

/// A commit of an apply, or one that takes such a commit back.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct CommitRecord {
    /// As it was planned.
    pub planned: PlannedCommit,
    /// Its id, once it was made.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made: Option<String>,
}

/// A decision that was carried over to the id that its edit has by now.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct CarriedDecision {
    /// As it stood.
    pub(crate) old: Decision,
    /// The edit by its id now.
    pub(crate) now: Digest,
}

/// Which commit of an apply is meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum CommitKind {
    /// That of what it wrote.
    Written,
    /// The one that takes it back.
    TakenBack,
}

impl CommitKind {
    pub(super) fn name(self) -> &'static str {
        match self {
            Self::Written => "commit.json",
            Self::TakenBack => "revert.json",
        }
    }
}

/// The name of the temporary file of one file of an apply; no other is ever written or removed.
pub(super) fn temp_name(id: u32, n: usize) -> String {
    format!(".emendo-{id}-{n}.tmp")
}

/// True if an apply may write a file: nothing of git's, of the program's own state, nor its settings.
pub(crate) fn may_write(path: &RelPath) -> bool {
    let mut parts = path.as_str().split('/');
    let own = |p: &str| p.eq_ignore_ascii_case(".git");
    let first = parts.next().unwrap_or("");
    !first.eq_ignore_ascii_case(STATE)
        && !path.as_str().eq_ignore_ascii_case(SETTINGS)
        && !own(first)
        && !parts.any(own)
}
