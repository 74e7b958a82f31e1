//! The state folder: who may write there, one at a time, and whether what stands there is the user's own doing.

mod lock;
mod remove;
mod stamp;
mod trust;

pub(crate) use lock::Lock;
pub(crate) use remove::remove_all;
pub use stamp::Stamp;
pub use trust::Trust;
pub(crate) use trust::{Origin, StateError};
