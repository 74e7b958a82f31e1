//! What recipes ask for before they may change anything.

use std::sync::Arc;

use emendo_actions::World;
use emendo_docs::{Requirement, lowest};
use emendo_recipe::{Recipe, Table};

use crate::plan::named;
use crate::project::{Project, survey};

/// What is missing before a recipe may change anything.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize)]
pub struct MissingRequirement {
    /// The recipe.
    pub recipe: String,
    /// What it asks for, and what is there.
    pub says: String,
    /// What to do.
    pub help: String,
}

/// What recipes ask for and a project does not have. `installed` tells the version of a toolchain of this machine.
pub fn unmet(
    world: &Arc<World>,
    project: &Project,
    recipes: &[Recipe],
    installed: &dyn Fn(&str) -> Option<String>,
) -> Vec<MissingRequirement> {
    // What a recipe of the run raises itself is not an obstacle, for those that it includes neither.
    let asking: Vec<(&Recipe, &Recipe, &Table)> = recipes
        .iter()
        .flat_map(|root| root.whole().into_iter().map(move |r| (root, r)))
        .filter_map(|(root, r)| Some((root, r, r.requires.as_ref()?)))
        .collect();
    if asking.is_empty() {
        return Vec::new();
    }
    let told = survey(world, project);
    let mut out = Vec::new();
    for (root, recipe, table) in asking {
        let mut push = |says: String, help: String| {
            out.push(MissingRequirement { recipe: recipe.id.clone(), says, help });
        };
        for (what, wanted) in map(table, "machine") {
            let have = installed(&what);
            if !allowed(&wanted, have.as_deref()) {
                let has = have.map_or("none is".to_owned(), |h| format!("{h} is"));
                push(
                    format!("{what} {wanted} must be installed here; {has}"),
                    format!("install {what} {wanted}"),
                );
            }
        }
        for (what, wanted) in map(table, "project") {
            // What the recipe raises itself is not an obstacle.
            if raises(root, &what, true) {
                continue;
            }
            for t in told.toolchains.iter().filter(|t| t.toolchain == what) {
                if !declares(&t.level, &what, &wanted) {
                    let says =
                        format!("{what} {wanted} must be declared; {} says {}", t.path, t.level);
                    push(says, format!("raise {what} in {} first", t.path));
                }
            }
        }
        for (t, _) in table.tables("libraries") {
            let (Some(name), Some(version)) = (t.text("name"), t.text("version")) else { continue };
            if raises(root, &name.text, false) {
                continue;
            }
            let all = named(world, &told, &name.text, None);
            let fit = named(world, &told, &format!("{} {}", name.text, version.text), None);
            for path in all.iter().filter(|p| !fit.contains(p)) {
                let why = t.text("why").map_or(String::new(), |w| format!(": {}", w.text));
                let says = format!("{} {} is needed{why}", name.text, version.text);
                push(
                    format!("{says}; {path} has another"),
                    format!("raise {} in {path} first", name.text),
                );
            }
        }
    }
    out
}

/// True if a level that a manifest declares is what is wanted.
fn declares(level: &str, what: &str, wanted: &str) -> bool {
    let level = level.trim_start_matches("VERSION_").replace('_', ".");
    let level = emendo_docs::level_of(what, &level);
    let low = lowest(level.trim_start_matches(|c: char| c.is_ascii_alphabetic()));
    Requirement::parse(wanted).is_ok_and(|r| low.is_some_and(|l| r.allows(&l)))
}

pub(crate) fn map(table: &Table, key: &str) -> Vec<(String, String)> {
    let Some(map) = table.table(key) else { return Vec::new() };
    map.entries
        .iter()
        .filter_map(|e| Some((e.key.clone(), map.text(&e.key)?.text.clone())))
        .collect()
}

pub(crate) fn allowed(wanted: &str, have: Option<&str>) -> bool {
    let have = have.and_then(lowest);
    Requirement::parse(wanted).is_ok_and(|r| have.is_some_and(|v| r.allows(&v)))
}

/// True if a recipe raises a library or a toolchain itself.
pub(crate) fn raises(recipe: &Recipe, name: &str, toolchain: bool) -> bool {
    let steps = recipe.whole().into_iter().flat_map(|r| &r.steps);
    steps.flat_map(|s| &s.actions).filter(|a| a.kind.about_libraries()).any(|a| {
        let what = a.table.texts("what").first().is_some_and(|t| t.text == "toolchain");
        let fits = |t: &str| t == name || t.rsplit([':', '/']).next() == Some(name);
        what == toolchain
            && a.table.text("version").is_some()
            && a.table.texts("old").iter().any(|t| fits(&t.text))
    })
}
