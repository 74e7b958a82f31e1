//! The kinds of actions: one row and one file each, with keys, check, compile and run together.

use emendo_recipe::ActionKind;

use crate::contract::Kind;

/// All kinds that are built.
pub(crate) const KINDS: &[&dyn Kind] = &[
    &crate::actions::code::CODE,
    &crate::actions::symbol::SYMBOL,
    &crate::actions::signature::SIGNATURE,
    &crate::actions::library::LIBRARY,
    &crate::actions::setting::SETTING,
    &crate::actions::note::NOTE,
];

/// The kinds as the loader of recipes wants them.
pub fn recipe_kinds() -> Vec<&'static dyn ActionKind> {
    KINDS.iter().map(|k| *k as &dyn ActionKind).collect()
}
