//! The ground floor: plain data that everything else speaks of. It asks nothing above it.

mod certainty;
mod cursor;
mod files;
mod group;
mod import;
mod node;
mod shape;

pub(crate) use certainty::below;
pub use certainty::{Certainty, Fact, Renames, Spellings, weakest};
pub use cursor::TreeCursor;
pub(crate) use files::NoFiles;
pub use files::{Files, Remembered, remembered};
pub use group::Group;
pub use import::{Export, Import, ImportName};
pub use node::Node;
pub use shape::{Part, ReadShape, Shape};
