//! Why something could not be done.

use std::io;
use std::path::PathBuf;

use emendo_text::{FillError, RelPath};

use crate::apply::{CommitFailure, FormatFailure};
use crate::edits::DecisionError;
use crate::project::ProjectError;
use crate::review::SelectionError;

/// Why something could not be done.
#[derive(Debug, thiserror::Error)]
pub enum SessionError {
    /// The project.
    #[error(transparent)]
    Project(#[from] ProjectError),
    /// Reading or writing.
    #[error(transparent)]
    Io(#[from] io::Error),
    /// There is no room on the disk for what must be written.
    #[error("{error}")]
    NoRoom {
        /// What the disk said.
        error: io::Error,
        /// How many bytes are needed.
        bytes: u64,
    },
    /// The log of decisions.
    #[error(transparent)]
    Decisions(#[from] DecisionError),
    /// There is no proposal.
    #[error("there is no proposal yet")]
    NoProposal,
    /// The proposal cannot be read back.
    #[error("the proposal is damaged")]
    Damaged,
    /// An apply was interrupted.
    #[error("an apply was interrupted")]
    Unfinished,
    /// Another run holds the project; it says what it does.
    #[error("another run is at work on this project{}", .0.as_ref().map_or(String::new(), |w| format!(": {w}")))]
    Busy(Option<String>),
    /// Nothing shows that the state folder was made here.
    #[error("the state folder `{}` was not made on this machine by you", .0.display())]
    Untrusted(PathBuf),
    /// A newer program wrote the state folder.
    #[error("the state folder `{}` was written by a newer version of this program", .0.display())]
    Newer(PathBuf),
    /// A journal asks for what no apply does.
    #[error("{0}: it is not used")]
    BadJournal(String),
    /// Files are not as they were proposed.
    #[error("files have changed since the proposal")]
    Changed(Vec<RelPath>),
    /// Files hold changes that are in no commit.
    #[error("files hold changes that are in no commit")]
    Dirty(Vec<RelPath>),
    /// The recipe is not as it was.
    #[error("the recipe `{0}` has changed since the proposal, or cannot be read")]
    Recipe(String),
    /// A selection fits nothing, or names something that is not there.
    #[error(transparent)]
    Selection(#[from] SelectionError),
    /// Files were changed since they were written.
    #[error("files were changed since they were written")]
    ChangedSince(Vec<RelPath>),
    /// There is no apply of this number that could be taken back.
    #[error("there is no apply {0} to take back")]
    UnknownApply(u32),
    /// A commit of an apply is not in the history of what the user works on.
    #[error("the commit {0} of the apply is not in the history of the current branch")]
    NotHere(String),
    /// A commit was not made.
    #[error(transparent)]
    NotCommitted(#[from] CommitFailure),
    /// A hook changed files on the way into a commit.
    #[error("a hook changed what was to be committed")]
    HookChanged(Vec<String>),
    /// A command that brings files into the project's form failed.
    #[error(transparent)]
    Format(#[from] FormatFailure),
    /// The template of commit messages gives none.
    #[error("`message` of `[commit]` in emendo.toml gives no message: {0}")]
    Message(FillError),
    /// There is nothing to take back.
    #[error("there is nothing to take back")]
    NothingApplied,
}

impl SessionError {
    /// An error of the disk, with how much room the work needs.
    pub(crate) fn of_disk(error: io::Error, bytes: u64) -> Self {
        match error.kind() {
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
                Self::NoRoom { error, bytes }
            }
            _ => Self::Io(error),
        }
    }
}
