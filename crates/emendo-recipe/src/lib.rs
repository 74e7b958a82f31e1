//! What a recipe says: from its text to a checked [`Recipe`], with every error of the file at once.
//!
//! A recipe is walked along a table of keys ([`Key`]) from which the checks and the reference of the
//! language come. The kinds of actions are not known here: [`load`] is handed their table, each an
//! [`ActionKind`] with keys of its own.
//!
//! - [`Source`] is a recipe's text with the folder it may read from.
//! - [`Recipe`] holds [`Step`]s, each with [`Action`]s in the order of the file, and [`Example`]s.
//! - [`Table`], [`Node`] and [`Text`] are values with their places, for messages.
//!
//! ```
//! use emendo_recipe::{Source, load};
//!
//! let text = "emendo = 1\nid = \"tide\"\ntitle = \"Tide\"\n".to_owned();
//! let name = "tide.toml".to_owned();
//! let source = Source { path: name.clone(), name, text, beside: Default::default() };
//! let loaded = load(source, &[], &Default::default());
//! assert_eq!(loaded.recipe.id, "tide");
//! assert!(loaded.recipe.steps.is_empty());
//! ```

mod beside;
mod keys;
mod load;
mod model;
mod pairs;
mod schema;
mod value;

pub use crate::beside::read_regular;
pub use crate::keys::{
    ActionKind, COMMON, EXAMPLE, INCLUDE, INPUT, Key, LIBRARY, LIBRARY_TYPE, PLACE, RECIPE, SLOT,
    STEP, Shape,
};
pub use crate::load::faults::without_consequences;
pub use crate::load::{Loaded, is_recipe, load};
pub use crate::model::{
    Action, AtLeast, Beside, Condition, Example, Glob, Globs, Include, Input, InputKind, Library,
    MemberOf, Name, Recipe, Scope, Source, Step, TypeOf, check_glob,
};
pub use crate::pairs::{Pair, pairs, read_table};
pub use crate::schema::schema;
pub use crate::value::{Entry, Node, Table, Text, Value};
