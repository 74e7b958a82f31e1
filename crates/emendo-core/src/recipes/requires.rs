//! What recipes ask for before they may change anything.

use std::sync::Arc;

use emendo_actions::World;
use emendo_docs::{Requirement, lowest};
use emendo_recipe::Recipe;

pub use crate::plan::MissingRequirement;
use crate::plan::{Required, required_map};
use crate::project::{Project, survey};

/// What the first recipe of a run asks of a project that does not have it, and what any of them asks of this machine. What
/// a later or included one asks of the project is asked at its turn. `installed` tells the version of a toolchain of this
/// machine.
pub fn unmet(
    world: &Arc<World>,
    project: &Project,
    recipes: &[Recipe],
    installed: &dyn Fn(&str) -> Option<String>,
) -> Vec<MissingRequirement> {
    let mut out = Vec::new();
    let all = recipes.iter().flat_map(Recipe::whole);
    for (recipe, table) in all.filter_map(|r| Some((r, r.requires.as_ref()?))) {
        for (what, wanted) in required_map(table, "machine") {
            let have = installed(&what);
            if !allowed(&wanted, have.as_deref()) {
                let has = have.map_or("none is".to_owned(), |h| format!("{h} is"));
                out.push(MissingRequirement {
                    recipe: recipe.id.clone(),
                    says: format!("{what} {wanted} must be installed here; {has}"),
                    help: format!("install {what} {wanted}"),
                });
            }
        }
    }
    if let Some(required) = recipes.first().and_then(|first| Required::of(first, first)) {
        out.extend(required.missing(world, &survey(world, project)));
    }
    out
}

pub(crate) fn allowed(wanted: &str, have: Option<&str>) -> bool {
    let have = have.and_then(lowest);
    Requirement::parse(wanted).is_ok_and(|r| have.is_some_and(|v| r.allows(&v)))
}
