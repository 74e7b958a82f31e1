//! Writing: the disk, and the journal of what is written.

mod disk;
mod journal;

pub use disk::{Disk, RealDisk, StateFile};
pub(crate) use journal::Packer;
pub use journal::{Journal, Op, Ops, Phase, TakenBack};
