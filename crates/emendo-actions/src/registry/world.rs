//! What a program knows: its tables, and the kinds of actions.

use std::ops::Deref;
use std::sync::Arc;

use emendo_recipe::ActionKind;

use crate::contract::{Kind, Tables};
use crate::registry::table::KINDS;

/// What recipes may be made of, and what they may be about. It is passed in: a test can bring a language or an action of
/// its own.
#[derive(Clone)]
pub struct World {
    /// The languages, formats and ecosystems.
    pub tables: Arc<Tables>,
    /// The kinds of actions, in the order in which they are offered.
    pub kinds: Vec<&'static dyn Kind>,
}

impl Default for World {
    /// All that is built in.
    fn default() -> Self {
        Self { tables: Arc::default(), kinds: KINDS.to_vec() }
    }
}

impl Deref for World {
    type Target = Tables;

    fn deref(&self) -> &Tables {
        &self.tables
    }
}

impl World {
    /// The kinds as the loader of recipes wants them.
    pub fn recipe_kinds(&self) -> Vec<&'static dyn ActionKind> {
        self.kinds.iter().map(|k| *k as &dyn ActionKind).collect()
    }
}
