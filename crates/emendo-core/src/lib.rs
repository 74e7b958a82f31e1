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
//! use emendo_core::{Session, Shelf, check, read_source};
//! # fn main() -> Result<(), Box<dyn std::error::Error>> {
//! let checked = check(vec![read_source("tidewire-3.toml".as_ref())?], &Default::default(), &Shelf::default());
//! let session = Session::open(".".as_ref())?;
//! let proposal = session.propose(&checked, &Default::default(), &[], &mut |_, _| {})?;
//! println!("{} edits", proposal.decidable().count());
//! # Ok(()) }
//! ```

mod anchor;
mod check;
mod conditions;
mod conflicts;
mod decisions;
mod discover;
mod disk;
mod edit;
mod engine;
mod example;
mod files;
mod followed;
mod hints;
mod journal;
mod leftovers;
mod look;
mod memory;
mod narrow;
mod plan;
mod project;
mod proposal;
mod run_file;
mod search;
mod select;
mod session;
mod shelf;
mod summary;
mod survey;
mod walk;

/// The words of the languages that recipes can change code of.
pub fn languages() -> Vec<&'static str> {
    emendo_languages::LANGUAGES.iter().map(|l| l.id).collect()
}

/// What holds types in a language, as `what` of a symbol says it.
pub fn holder(language: &str) -> &'static str {
    match emendo_languages::language(language) {
        Some(l) if l.imports.packages.is_empty() => "module",
        _ => "package",
    }
}

pub use crate::check::{Checked, Messages, check};
pub use crate::conditions::{Unmet, unmet};
pub use crate::decisions::{Decision, DecisionError, Decisions, Status, Verdict};
pub use crate::disk::{Disk, RealDisk, StateFile};
pub use crate::edit::{Edit, Evidence, Note, Option_ as Alternative, Own, Standing, StepKey};
pub use crate::engine::{Counts, Engine, Mode, Sink};
pub use crate::example::{Ran, Tested, Uncovered, Verdict as ExampleVerdict, test};
pub use crate::hints::hints;
pub use crate::journal::{Journal, Op, Ops, Phase, TakenBack};
pub use crate::leftovers::Leftover;
pub use crate::plan::{Limit, Plan, RecipeInfo, StepInfo};
pub use crate::project::{Project, ProjectError, SETTINGS, STATE};
pub use crate::proposal::{FileRecord, Header, Proposal, Trailer};
pub use crate::run_file::FileResult;
pub use crate::search::{Hit, Near, Search, search};
pub use crate::select::{Decided, Selection};
pub use crate::session::{Applied, ApplyOptions, Session, SessionError};
pub use crate::shelf::{Kept, KeptRecipe, Shelf, Shipped, read_source, recipe_files};
pub use crate::summary::{StepTally, Summary, Tally, summarize};
pub use crate::survey::{
    Counted, Fit, HeldAt, Level, Library, Lock, Module, NamedIn, Survey, Unreadable, locks_of,
    survey,
};
pub use crate::walk::{Skipped, Skips};
pub use emendo_actions::{Answer, Query, recipe_kinds};
pub use emendo_lang::Certainty;
