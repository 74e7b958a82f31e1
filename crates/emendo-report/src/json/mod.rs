//! What commands give with `--json`, as values: one function a command, whose fields the program's pages describe.

mod project;
mod proposal;
mod recipes;
mod safe;

pub use project::{demo, found, leftovers, places, status, survey};
pub use proposal::{applied, decided, edit, proposal, undone};
pub use recipes::{checked, coverage, diagnostic, drafted, listed, recipe, tested};
pub use safe::write;
