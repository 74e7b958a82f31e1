//! The kinds of actions that recipes are made of, one file or folder each, with keys, check, compile and run together.
//!
//! - [`Kind`] is a kind of action; [`KINDS`] is the table of them, and a [`World`] what a run
//!   knows: these, the languages, the formats and the ecosystems.
//! - A kind compiles an action of a recipe into a [`Runner`], which finds in one file ([`FileCx`]) what it would do there:
//!   [`Draft`]s and notes, gathered in [`Found`]. It knows no decision and writes nothing.
//! - [`Needs`] say what words a file must hold; [`Query`], [`Declaration`] and [`Replaces`] are what an action wants to know of
//!   other files, what it changes for them, and what is to be gone when it is done.
//!
//! ```
//! let kinds: Vec<&str> = emendo_actions::World::default().kinds.iter().map(|k| k.name()).collect();
//! assert!(kinds.contains(&"code") && kinds.contains(&"note"));
//! ```

mod code;
mod contract;
mod file;
mod library;
mod markup;
mod meaning;
mod registry;
mod remarks;
mod setting;
mod shared;
mod signature;
mod symbol;

pub use contract::{
    Alternative, Answer, Asked, Asks, Change, Code, CompileCx, Declaration, Draft, FileCx,
    FileMove, FileOp, Followed, Found, InPage, Kept, Kind, Moves, Needs, NoteDraft, Old,
    OldCoordinate, OldKey, OldPath, PathChanges, PathRule, PathsCx, Query, Remains, Replaces,
    Runner, Subject, SymbolKind, Tables, TextIfHeld, Tie, TraceLog, TraceStage, TraceStop, Uses,
    WORD, lossy, words,
};
pub use file::{Mended, PathWatch, menders};
pub use library::CoordinateWatch;
pub use meaning::{SymbolRunner, renames};
pub use registry::{KINDS, World};
pub use setting::KeyWatch;
pub use shared::{NO_LANGUAGE, named_symbol};
pub use symbol::TextWatch;
