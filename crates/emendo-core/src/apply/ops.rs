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

/// One file of an apply.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Op {
    /// The file.
    pub path: RelPath,
    /// Its content before.
    pub before: Packed,
    /// Its content after.
    pub after: Packed,
    /// The name of its temporary file.
    pub temp: String,
    /// It is written over, since it has several names or another owner.
    pub over: bool,
    /// It held changes of the user's that were in no commit.
    pub dirty: bool,
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
    /// What is about to be done at a time, from a proposal that was made from this; nothing yet.
    pub(crate) fn new(time: u64, from: &Header) -> Self {
        Self {
            time,
            recipes: from.recipes.iter().map(|r| r.title.clone()).collect(),
            from: Some(Box::new(from.clone())),
            ops: Vec::new(),
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
pub(super) fn may_write(path: &RelPath) -> bool {
    let mut parts = path.as_str().split('/');
    let own = |p: &str| p.eq_ignore_ascii_case(".git");
    let first = parts.next().unwrap_or("");
    !first.eq_ignore_ascii_case(STATE)
        && !path.as_str().eq_ignore_ascii_case(SETTINGS)
        && !own(first)
        && !parts.any(own)
}
