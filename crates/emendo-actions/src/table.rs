//! The kinds of actions: one row and one file each, with keys, check, compile and run together.

use emendo_recipe::ActionKind;

use crate::contract::Kind;

/// All kinds that are built.
pub const KINDS: &[&dyn Kind] = &[
    &crate::code::CODE,
    &crate::symbol::SYMBOL,
    &crate::signature::SIGNATURE,
    &crate::library::LIBRARY,
    &crate::setting::SETTING,
    &crate::note::NOTE,
];

/// What recipes may be made of. It is passed in, so that a test can bring an action of its own.
#[derive(Clone)]
pub struct World {
    /// The kinds of actions, in the order in which they are offered.
    pub kinds: Vec<&'static dyn Kind>,
}

impl Default for World {
    fn default() -> Self {
        Self { kinds: KINDS.to_vec() }
    }
}

impl World {
    /// The kinds as the loader of recipes wants them.
    pub fn recipe_kinds(&self) -> Vec<&'static dyn ActionKind> {
        self.kinds.iter().map(|k| *k as &dyn ActionKind).collect()
    }
}

/// All kinds that are built, as the loader of recipes wants them.
pub fn recipe_kinds() -> Vec<&'static dyn ActionKind> {
    World::default().recipe_kinds()
}
