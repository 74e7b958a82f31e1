//! Writing: the disk, the journal of what is written, and the commits of that.

mod content;
mod disk;
mod history;
mod journal;
mod message;
mod ops;
mod pack;
mod phase;

pub(crate) use content::changes_of;
pub use content::{FileChange, composed};
pub use disk::{Disk, RealDisk, StateFile};
pub use history::{
    CommitFailure, FormatFailure, Formatter, History, MadeCommit, NoHistory, PlannedCommit,
};
pub(crate) use journal::Unknown;
pub use journal::{Journal, TakenBack};
pub(crate) use message::{message, title};
pub(crate) use ops::{CarriedDecision, CommitKind, may_write};
pub use ops::{CommitRecord, FileMeta, Folder, Op, Ops};
pub(crate) use pack::{Packer, PathChange};
pub use phase::Phase;
