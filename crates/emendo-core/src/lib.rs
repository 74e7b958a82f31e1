//! Runs recipes over a project: proposes, keeps decisions, writes, takes back. No interface code.
//!
//! The nouns, in the order in which a run meets them:
//!
//! - [`check`] turns recipe texts into a [`Checked`]: recipes, a [`Plan`] of steps with compiled actions, messages.
//! - An [`Engine`] runs a plan over a [`Project`]: it narrows files by their words, finds what each step could do to
//!   a file's text (no decision is known there), and *folds* that with the [`Decisions`] into a new text whose pieces
//!   say which edit wrote what. It pushes [`FileResult`]s into a [`Sink`].
//! - A [`Proposal`] is what a run in [`Mode::View`] found, kept on disk as it grows.
//! - A [`Session`] is the facade: propose, accept, reject, choose, apply, undo.
//! - `apply` runs again in [`Mode::Write`] and writes through a [`Journal`], over a [`Disk`] that tests can make fail.
//!
//! ```no_run
//! use emendo_core::{Session, Shelf, World, check, read_source};
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! let world = std::sync::Arc::new(World::default());
//! let recipe = read_source("tidewire-3.toml".as_ref())?;
//! let checked = check(&world, vec![recipe], &Default::default(), &Shelf::default());
//! let session = Session::open(".".as_ref())?;
//! let proposal = session.propose(&checked, &Default::default(), &[], &mut |_, _| {})?;
//! println!("{} edits", proposal.decidable().count());
//! # Ok(()) }
//! ```

mod apply;
mod edits;
mod look;
mod plan;
mod project;
mod recipes;
mod replay;
mod review;
mod run;
mod session;
mod state;

pub use emendo_docs::TOOLCHAINS;

pub use crate::apply::{
    CommitFailure, CommitRecord, Disk, FileChange, FileMeta, Folder, FormatFailure, Formatter,
    History, Journal, MadeCommit, NoHistory, Op, Ops, Phase, PlannedCommit, RealDisk, StateFile,
    TakenBack, composed,
};
pub use crate::edits::{
    Decision, DecisionError, Decisions, DraftKey, Edit, Evidence, Leftover, Note, OnceWritten,
    ShownAlternative as Alternative, Standing, Status, StepKey, Verdict, Waiting,
};
pub use crate::look::{Hit, Near, Search, UnreadFile, search};
pub use crate::plan::{Limit, Plan, RecipeInfo, SkippedStep, StepInfo, Unnamed};
pub use crate::project::{
    FileSource, FormatRule, LanguageCount, Level, Library, Lock, ManifestUse, Module, PassedOver,
    Project, ProjectError, RecipeFit, SETTINGS, STATE, SkipCounts, SkipReason, Survey, Unreadable,
    VersionPlace, locks_of, survey,
};
pub use crate::recipes::{
    Checked, ExampleResult, Messages, MissingRequirement, RecipePlace, Shelf, ShelvedRecipe,
    Shipped, StayedLine, TestReport, UncoveredRow, Verdict as ExampleVerdict, check, hints,
    read_source, recipe_files, test, unmet,
};
pub use crate::replay::{LibraryChange, LineMap, Rehearsal, RehearsedRun, TreeState, Variant};
pub use crate::review::{
    Decided, DecidedPlace, FileRecord, FileWords, Header, LeftoverAt, OpenCounts, OpenWork,
    Proposal, Refusal, Selection, SelectionError, SelectionWay, StepTally, Summary, Tally, Terms,
    Trailer, accept_edits, notes_in, pick, reject_edits, reopen_edits, select, summarize,
};
pub use crate::run::{
    Counts, Engine, FileAfter, FileFate, FileResult, Mode, Sink, WhyStage, WhyStop,
};
pub use crate::session::{
    Applied, AppliedPart, ApplyOptions, CHILD, Recovered, Remaining, Session, SessionError,
    Stopped, UndoOptions, Undone, WhyLine,
};
pub use crate::state::{Stamp, Trust};
pub use emendo_actions::{Answer, FileOp, Query, World};
pub use emendo_lang::Certainty;
