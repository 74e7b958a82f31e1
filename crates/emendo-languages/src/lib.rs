//! The languages that Emendo understands, one folder each, as tables of facts: how the grammar's nodes compare, how names,
//! imports and modules work, and how expressions are typed. `LANGUAGES` lists them; nothing else knows a language by name.
//!
//! ```
//! use emendo_languages::{LANGUAGES, language_of};
//! use emendo_text::RelPath;
//!
//! let path = RelPath::new("src/Board.java").expect("a path");
//! let java = language_of(&path).expect("a language claims it");
//! assert!(LANGUAGES.iter().any(|l| l.id == java.id));
//! ```

mod csharp;
mod dart;
mod elixir;
mod java;
mod php;
mod python;
mod ruby;
mod rust;
mod shared;
mod swift;
mod table;
mod typescript;

pub use table::{LANGUAGES, language, language_of};
