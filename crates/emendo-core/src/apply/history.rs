//! What applies ask of version control: commits of what they wrote. The program brings it along; the core runs no other program.

use emendo_text::RelPath;
use serde::{Deserialize, Serialize};

/// A commit that is about to be made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedCommit {
    /// Its message; the first line is the title.
    pub message: String,
    /// The files that it brings.
    pub paths: Vec<RelPath>,
    /// The commit that it follows.
    pub parent: String,
    /// Identity of what it holds, if nothing changes that on the way.
    pub tree: String,
}

/// A commit that was made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct MadeCommit {
    /// Its id.
    pub id: String,
    /// Files that it holds otherwise than planned: something changed them on the way.
    pub otherwise: Vec<String>,
}

/// Why there is no commit.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{why}")]
pub struct CommitFailure {
    /// The reason, in a sentence.
    pub why: String,
    /// What version control, or a hook, said.
    pub said: String,
    /// What to do.
    pub way_out: Option<String>,
}

impl CommitFailure {
    /// A failure with a way out, of which nothing else was said.
    pub fn new(why: impl Into<String>, way_out: impl Into<String>) -> Self {
        Self { why: why.into(), said: String::new(), way_out: Some(way_out.into()) }
    }
}

/// Version control, as far as applies need it.
pub trait History {
    /// Looks whether commits can be made. Gives those of the files that hold the user's own changes after all.
    ///
    /// # Errors
    /// If no commit can be made.
    fn ready(&self, paths: &[RelPath]) -> Result<Vec<RelPath>, CommitFailure>;
    /// Plans a commit of these files as they are on disk, beside whatever the user has prepared; those among them that it takes in
    /// for the first time are said besides. None if that would hold nothing new.
    ///
    /// # Errors
    /// If they cannot be read.
    fn plan(
        &self,
        message: &str,
        paths: &[RelPath],
        new: &[RelPath],
    ) -> Result<Option<PlannedCommit>, CommitFailure>;
    /// Makes a planned commit, and nothing else: what the user has prepared stays prepared.
    ///
    /// # Errors
    /// If it is refused; then there is no commit.
    fn make(&self, planned: &PlannedCommit) -> Result<MadeCommit, CommitFailure>;
    /// The planned commit, if it was made and is the newest one.
    ///
    /// # Errors
    /// If that cannot be told.
    fn made(&self, planned: &PlannedCommit) -> Result<Option<MadeCommit>, CommitFailure>;
    /// What the user has prepared takes the files of a commit over, as it holds them; all else that is prepared stays.
    ///
    /// # Errors
    /// If that cannot be done now; it takes nothing away.
    fn follow(&self, planned: &PlannedCommit, commit: &str) -> Result<(), CommitFailure>;
    /// Takes a commit off that was made a moment ago.
    ///
    /// # Errors
    /// If it is not the newest one any more.
    fn take_off(&self, planned: &PlannedCommit, made: &MadeCommit) -> Result<(), CommitFailure>;
    /// True if a commit belongs to what the user works on.
    ///
    /// # Errors
    /// If that cannot be told.
    fn holds(&self, commit: &str) -> Result<bool, CommitFailure>;
}

/// No version control.
pub struct NoHistory;

impl NoHistory {
    fn none<T>() -> Result<T, CommitFailure> {
        let help = "without it the files alone can be written and taken back";
        Err(CommitFailure::new("there is no version control to ask", help))
    }
}

impl History for NoHistory {
    fn ready(&self, _: &[RelPath]) -> Result<Vec<RelPath>, CommitFailure> {
        Self::none()
    }
    fn plan(
        &self,
        _: &str,
        _: &[RelPath],
        _: &[RelPath],
    ) -> Result<Option<PlannedCommit>, CommitFailure> {
        Self::none()
    }
    fn make(&self, _: &PlannedCommit) -> Result<MadeCommit, CommitFailure> {
        Self::none()
    }
    fn made(&self, _: &PlannedCommit) -> Result<Option<MadeCommit>, CommitFailure> {
        Self::none()
    }
    fn follow(&self, _: &PlannedCommit, _: &str) -> Result<(), CommitFailure> {
        Self::none()
    }
    fn take_off(&self, _: &PlannedCommit, _: &MadeCommit) -> Result<(), CommitFailure> {
        Self::none()
    }
    fn holds(&self, _: &str) -> Result<bool, CommitFailure> {
        Self::none()
    }
}

/// What brings files into the project's form, once they are written.
pub trait Formatter {
    /// True if nothing is to be done for any of these files.
    fn is_idle(&self, paths: &[RelPath]) -> bool;
    /// Brings the files into form, in place.
    ///
    /// # Errors
    /// If a command fails.
    fn format(&self, paths: &[RelPath]) -> Result<(), FormatFailure>;
}

/// A command that brings files into form failed.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{command}` failed: {why}")]
pub struct FormatFailure {
    /// The command.
    pub command: String,
    /// How it ended.
    pub why: String,
    /// What it said.
    pub said: String,
}
