//! The state folder: who may write there, one at a time, and whether what stands there is the user's own doing.

mod lock;
mod remove;
mod stamp;
mod trust;
mod unsettled;

pub(crate) use lock::{Lock, is_free};
pub(crate) use remove::remove_all;
pub use stamp::Stamp;
pub use trust::Trust;
pub(crate) use trust::{Origin, StateError};
pub(crate) use unsettled::{is_unsettled, mark_unsettled};
