//! The contract of actions: what a kind is, what its compiled actions see and give, and what they may ask of a run.

mod code;
mod cx;
mod draft;
mod followed;
mod in_page;
mod moves;
mod needs;
mod query;
mod replaced;
mod runner;
mod tables;
mod trace;

pub use code::Code;
pub(crate) use cx::written_before;
pub use cx::{CompileCx, FileCx};
pub(crate) use draft::action_digest;
pub use draft::{Alternative, Change, Draft, FileOp, Found, Kept, NoteDraft, Tie};
pub use followed::{Declaration, Followed, Uses};
pub use in_page::InPage;
pub use moves::{FileMove, Moves, PathChanges, PathRule, PathsCx, TextIfHeld};
pub use needs::{Needs, WORD, lossy, words};
pub use query::{Answer, Asked, Query};
pub use replaced::{Old, OldCoordinate, OldKey, OldPath, Remains, Replaces, SymbolKind};
pub use runner::{Asks, Kind, Runner, Subject};
pub use tables::Tables;
pub use trace::{TraceLog, TraceStage, TraceStop};
