//! Does it still build and pass, and if not, whose fault is it? Pure data: who runs commands hands their output over.
//!
//! - [`read`] turns the output of compilers and test programs into [`Problem`]s, by the table in `tools/table.rs`.
//! - A [`CheckResult`] is what one run of the project's check gave; [`new_problems`] says what one has and another has not.
//! - [`Landmarks`] know which lines edits wrote, and where notes and leftovers stand: each problem is joined to the nearest.
//! - [`search`] finds the guilty steps by running the check without them, as often as it is allowed to.
//! - [`History`] keeps results by the tree that they are about, and the last [`Verification`].
//!
//! ```
//! use emendo_text::RelPath;
//!
//! let output = "src/gauge.rs:4:9: error: x\nerror[E0425]: cannot find value `tide`\n --> src/gauge.rs:7:5\n";
//! let problems = emendo_verify::read(output, &|path| RelPath::new(path).ok());
//! assert_eq!(problems[0].line, Some(7));
//! assert_eq!(problems[0].code.as_deref(), Some("E0425"));
//! ```

mod history;
mod landmarks;
mod problem;
mod search;
mod tools;

pub use history::{History, Verification};
pub use landmarks::{Landmarks, Near, PlacedProblem, gathered};
pub use problem::{CheckResult, Problem, new_problems};
pub use search::{Attempt, Blame, Findings, Guilty, Trial, Trials, search};
pub use tools::{TOOLS, read};
