//! What the tests of all crates share.
//!
//! - A [`Case`] is data: a recipe, files before and after, and what else is expected. Cases lie in the folder of what they
//!   are about, in `tests/`; [`folders`] finds them. [`Case::try_out`] runs one through the engine, within the test.
//! - A [`Sandbox`] is a scratch project, and the built program run on it.
//! - [`REED`] is a language of a few lines, [`SWAP`] an action of a few lines: what a `World` may be given.
//!
//! It panics where a test cannot go on.

mod case;
mod certain;
mod folder;
mod sandbox;
mod swap;
mod toy;

pub use case::{Case, Found};
pub use certain::unexpected;
pub use folder::{Folder, folders, workspace};
pub use sandbox::{HEAD, Run, Sandbox, edits, java};
pub use swap::{SWAP, Swapping};
pub use toy::{REED, SLOW_REED};
