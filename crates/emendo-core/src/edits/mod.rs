//! Edits, decisions about them, and what is left.

mod decisions;
mod edit;
mod leftover;

pub use decisions::{Decision, DecisionError, Decisions, Status, Verdict};
pub use edit::{Edit, Evidence, Note, OnceWritten, ShownAlternative, Standing, StepKey};
pub use leftover::Leftover;
pub(crate) use leftover::by_line;
