//! What happens to the screen, and what it asks for.

use std::sync::Arc;

use emendo_core::{Decision, Decisions, Proposal};
use emendo_text::{Digest, RelPath};

use crate::keys::Key;

/// What happens.
#[derive(Debug)]
pub enum Input {
    /// A key.
    Key(Key),
    /// A place of the screen was clicked on.
    Click(Hit),
    /// The wheel was turned by so many lines, over the code or else over the list.
    Wheel {
        /// Down is more than zero.
        lines: i32,
        /// The mouse is over the code.
        code: bool,
    },
    /// The size of the screen, in columns and lines.
    Size(u16, u16),
    /// The bytes of a file that was asked for; none if it cannot be read.
    File(RelPath, Option<Vec<u8>>),
    /// What was asked for could not be done; the decisions as they stand.
    Failed(String, Box<Decisions>),
    /// The proposal and the decisions as they are now.
    Now(Arc<Proposal>, Box<Decisions>),
    /// The same after a place was put in the user's own words.
    Reworded(Arc<Proposal>, Box<Decisions>),
    /// The user's own words are not taken; the text, and why.
    Refused(Digest, String, String),
    /// The decisions that others made meanwhile.
    Decisions(Box<Decisions>),
    /// The text that came back from the editor.
    Edited(Digest, String),
    /// What an apply would meet with: files with the user's own changes, or why that cannot be known.
    Ready(Result<Vec<RelPath>, String>),
    /// Why nothing was written, in lines, and the decisions as they stand.
    NotApplied(Vec<String>, Box<Decisions>),
    /// What an apply did, in lines, and the proposal as it is now, if there is one.
    Applied(Vec<String>, Option<(Arc<Proposal>, Box<Decisions>)>),
}

/// What is asked of who runs the screen.
#[derive(Debug, PartialEq)]
pub enum Effect {
    /// Read a file of the project.
    Read(RelPath),
    /// Keep these decisions, at once.
    Store(Vec<Decision>),
    /// Compute the proposal anew.
    Compute,
    /// Put a place in the user's own words, if the grammar takes them.
    Reword(Digest, String),
    /// Open the user's editor on a text.
    Edit(Digest, String, RelPath),
    /// Look what an apply would meet with, at these files.
    Prepare(Vec<RelPath>),
    /// Write what is accepted; files with the user's own changes too, where that is said.
    Apply {
        /// Those too.
        with_uncommitted: bool,
    },
    /// Stop.
    Quit,
}

/// A place of the screen that can be clicked on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hit {
    /// A row of the list or of the overview.
    Row(usize),
    /// A line of the code.
    Code(usize),
    /// A line of the reasons.
    Why(usize),
    /// A row of a window in front.
    Choice(usize),
    /// A key in the line of keys.
    Key(Key),
}
