//! Edits, decisions about them, and what is left.

mod carried;
mod decisions;
mod edit;
mod leftover;

pub(crate) use carried::Carried;
pub use carried::{DraftKey, Waiting};
pub use decisions::{Decision, DecisionError, Decisions, Status, Verdict};
pub use edit::{Edit, Evidence, Note, OnceWritten, ShownAlternative, Standing, StepKey};
pub use leftover::Leftover;
pub(crate) use leftover::by_line;
