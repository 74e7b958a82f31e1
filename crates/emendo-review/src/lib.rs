//! The review screen: what it shows, what keys do to it, how it is drawn. No terminal, no file, no session.
//!
//! - [`Model`] is the state. [`Model::update`] takes an [`Input`] and gives [`Effect`]s: what is to be read, kept, computed. Whoever runs the
//!   screen does these, and hands the result in again.
//! - [`draw`] fills a buffer from the state alone, and says what can be clicked on.
//! - [`Dialog`] asks the same line by line, over the same state.
//! - Decisions are made here, by the same rules as the commands have; each is an effect at once.
//!
//! ```
//! use emendo_review::{Code, Key, KeyMap};
//! use std::collections::BTreeMap;
//!
//! let changed = BTreeMap::from([("take".to_owned(), vec!["ctrl-t".to_owned()])]);
//! assert!(KeyMap::with(&changed).is_ok());
//! let key = Key { code: Code::Char('t'), control: true };
//! assert!(key.control);
//! ```

mod cells;
mod draw;
mod input;
mod keys;
mod layout;
mod place;
mod plain;
mod reasons;
mod state;

pub use draw::{Look, draw};
pub use input::{Effect, Hit, Input};
pub use keys::{Action, Code, Key, KeyMap};
pub use plain::Dialog;
pub use state::Model;
