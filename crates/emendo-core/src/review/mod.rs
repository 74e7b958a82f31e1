//! A proposal as it is reviewed: kept, selected from, counted.

mod proposal;
mod select;
mod summary;

pub(crate) use proposal::ProposalWriter;
pub use proposal::{FileRecord, Header, Proposal, Trailer};
pub use select::{Decided, Refusal, Selection, SelectionError};
pub(crate) use select::{accept, select};
pub use summary::{StepTally, Summary, Tally, summarize};
