//! What commands give with `--json`, as values: one function a command, whose fields the program's pages describe.

mod project;
mod proposal;
mod recipes;
mod report;
mod safe;

pub use project::{demo, finished, found, leftovers, places, status, survey, verified, why};
pub use proposal::{applied, decided, edit, edits, missing, notes, proposal, undone};
pub use recipes::{checked, coverage, diagnostic, drafted, listed, recipe, tested};
pub use report::{report, reported};
pub use safe::write;

use serde_json::{Value, json};

/// An error: what is wrong, the way out, the exit code, and messages about recipes or patterns.
pub fn error(message: &str, help: Option<&str>, code: u8, messages: &[Value]) -> Value {
    json!({ "error": { "message": message, "help": help, "code": code, "messages": messages } })
}
