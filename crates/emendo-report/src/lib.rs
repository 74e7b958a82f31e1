//! Pure writers: they are handed data and give lines, each with what it is, or values.
//!
//! Who shows the lines decides on colours; a [`Line`]'s [`LineRole`] never depends on them, and no two
//! kinds are told apart by colour alone. [`json`] holds the values that commands give with `--json`.
//! A [`Report`] is a migration as far as it has come: [`patch`], [`markdown`], [`sarif()`] and [`page()`] write it, and `json::report` gives it as a value.
//!
//! ```
//! use emendo_report::json;
//! use emendo_text::{Diagnostic, Span};
//!
//! let d = Diagnostic::error("this key is unknown", Span::new(2, 5));
//! let value = json::diagnostic(&d, ("tide.toml", "a\nkey = 1\n"), None);
//! assert_eq!(value["places"][0]["line"], 2);
//! ```

mod diff;
pub mod json;
mod markdown;
mod model;
mod page;
mod patch;
mod sarif;
mod words;

pub use diff::{Line, LineRole, diff, diff_len, differing, is_changed};
pub use markdown::markdown;
pub use model::{Report, ReportApply, ReportRun, What};
pub use page::page;
pub use patch::patch;
pub use sarif::sarif;
pub use words::{Class, classes};
