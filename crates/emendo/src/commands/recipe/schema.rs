//! `recipe schema`: the recipe language for editors.

use std::process::ExitCode;

use clap::Args;
use emendo_core::World;
use emendo_recipe::schema;

use crate::globals::Globals;
use crate::show;

/// Print the recipe language as JSON Schema, with a description of every key
///
/// An editor with TOML support can use it to complete and check recipes. Write it to a file, and name that file on the first line of a
/// recipe: `#:schema ./recipe.schema.json`.
#[derive(Args)]
pub(crate) struct Schema {}

impl Schema {
    pub(super) fn run(self, _: &Globals) -> anyhow::Result<ExitCode> {
        let mut out = anstream::stdout().lock();
        show::json(&mut out, &schema(&World::default().recipe_kinds()))
    }
}
