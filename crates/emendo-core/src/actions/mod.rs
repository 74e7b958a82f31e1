//! The kinds of actions: one row and one file each, with keys, check, compile and run together.

mod code;
mod library;
mod meaning;
mod note;
mod setting;
pub(crate) mod shared;
mod signature;
mod symbol;
mod table;

pub(crate) use crate::actions::meaning::{SymbolRunner, renames};
pub(crate) use crate::actions::symbol::TextWatch;
pub(crate) use crate::contract::Followed;
pub use crate::contract::{Answer, Query};
pub(crate) use shared::{named_symbol, of};
pub(crate) use table::KINDS;
pub use table::recipe_kinds;
