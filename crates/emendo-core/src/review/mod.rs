//! A proposal as it is reviewed: kept, selected from, counted.

mod decide;
mod derived;
mod open;
mod place;
mod proposal;
mod select;
mod summary;

pub use decide::{Decided, Refusal, Terms, accept_edits, pick, reject_edits, reopen_edits};
pub(crate) use decide::{accept, reject, reopen, reword, tick_off};
pub(crate) use derived::WrittenFile;
pub use open::{LeftoverAt, OpenCounts, OpenWork};
pub use place::DecidedPlace;
pub(crate) use proposal::ProposalWriter;
pub use proposal::{FileRecord, Header, Proposal, Trailer};
pub(crate) use select::begins;
pub use select::{FileWords, Selection, SelectionError, SelectionWay, notes_in, select};
pub use summary::{StepTally, Summary, Tally, summarize};
