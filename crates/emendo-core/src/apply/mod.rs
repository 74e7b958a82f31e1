//! Writing: the disk, the journal of what is written, and the commits of that.

mod disk;
mod history;
mod journal;
mod message;
mod ops;
mod pack;
mod phase;

pub use disk::{Disk, RealDisk, StateFile};
pub use history::{
    CommitFailure, FormatFailure, Formatter, History, MadeCommit, NoHistory, PlannedCommit,
};
pub(crate) use journal::Unknown;
pub use journal::{Journal, TakenBack};
pub(crate) use message::{message, title};
pub(crate) use ops::{CarriedDecision, CommitKind};
pub use ops::{CommitRecord, Op, Ops};
pub(crate) use pack::Packer;
pub use phase::Phase;
