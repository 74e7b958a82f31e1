//! What a recipe asks of the project before its steps: asked at its turn, on what the steps before it made of the files.

use emendo_actions::World;
use emendo_docs::{Requirement, lowest};
use emendo_recipe::{Recipe, Table, Value};
use emendo_text::Diagnostic;

use crate::plan::libraries::named;
use crate::project::Survey;

/// What is missing before a recipe may change anything.
#[derive(Clone, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
pub struct MissingRequirement {
    /// The recipe.
    pub recipe: String,
    /// What it asks for, and what is there.
    pub says: String,
    /// What to do.
    pub help: String,
}

/// What a recipe asks of a project.
#[derive(Clone, Debug)]
pub(crate) struct Required {
    recipe: String,
    /// Levels of toolchains that must be declared.
    levels: Vec<(String, String)>,
    /// Libraries with their versions, and why.
    libraries: Vec<(String, String, Option<String>)>,
}

impl Required {
    /// What a recipe asks for that `root`, which includes it or is it, does not raise itself.
    pub(crate) fn of(root: &Recipe, recipe: &Recipe) -> Option<Self> {
        let table = recipe.requires.as_ref()?;
        let mut levels = map(table, "project");
        levels.retain(|(what, _)| !raises(root, what, true));
        let libraries = table.tables("libraries").into_iter().filter_map(|(t, _)| {
            let (name, version) = (t.text("name")?, t.text("version")?);
            let why = t.text("why").map(|w| w.text.clone());
            (!raises(root, &name.text, false))
                .then(|| (name.text.clone(), version.text.clone(), why))
        });
        Some(Self { recipe: recipe.id.clone(), levels, libraries: libraries.collect() })
    }

    /// What of it a project does not have.
    pub(crate) fn missing(&self, world: &World, told: &Survey) -> Vec<MissingRequirement> {
        let mut out = Vec::new();
        let mut push = |says: String, help: String| {
            out.push(MissingRequirement { recipe: self.recipe.clone(), says, help });
        };
        for (what, wanted) in &self.levels {
            for t in told.toolchains.iter().filter(|t| t.toolchain == *what) {
                if !declares(&t.level, what, wanted) {
                    let says =
                        format!("{what} {wanted} must be declared; {} says {}", t.path, t.level);
                    push(says, format!("raise {what} in {} first", t.path));
                }
            }
        }
        for (name, version, why) in &self.libraries {
            let all = named(world, told, name, None);
            let fit = named(world, told, &format!("{name} {version}"), None);
            for path in all.iter().filter(|p| !fit.contains(p)) {
                let why = why.as_ref().map_or(String::new(), |w| format!(": {w}"));
                let places =
                    told.libraries.iter().flat_map(|l| l.named.iter().map(move |n| (l, n)));
                let mut has = places.filter(|(l, n)| {
                    let own =
                        named(world, told, &format!("{}:{}", l.ecosystem, l.coordinate), None);
                    n.path == *path && own.contains(path) && same(name, &l.coordinate)
                });
                let has = has.find_map(|(_, n)| n.version.clone());
                let has = has.map_or("no version".to_owned(), |v| format!("`{v}`"));
                push(
                    format!("{name} {version} is needed{why}; {path} has {has}"),
                    format!("raise {name} in {path} first"),
                );
            }
        }
        out
    }
}

/// Refuses coordinates of the recipe's library that name no ecosystem.
pub(crate) fn coordinates(world: &World, recipe: &Recipe, out: &mut Vec<Diagnostic>) {
    for t in recipe.library.iter().flat_map(|l| &l.coordinates) {
        let head = t.text.split_once(':').map(|(head, _)| head);
        if head.is_some_and(|h| world.ecosystem(h).is_some()) {
            continue;
        }
        let meant = head.and_then(|h| world.meant_ecosystem(h));
        let help = match (meant, head) {
            (Some(meant), Some(head)) => {
                format!("did you mean `{meant}{}`?", &t.text[head.len()..])
            }
            _ => format!(
                "write it before the coordinate: `npm:{}` (there are: {})",
                t.text,
                world.ecosystem_words()
            ),
        };
        let d = Diagnostic::error(format!("`{}` names no ecosystem", t.text), t.span);
        out.push(d.about("library").help(help));
    }
}

/// Refuses toolchains that no manifest declares, or that no machine is asked for, and versions that are none.
pub(crate) fn check(world: &World, recipe: &Recipe, out: &mut Vec<Diagnostic>) {
    let Some(requires) = &recipe.requires else { return };
    let mut levels: Vec<&str> =
        world.ecosystems.iter().flat_map(|e| e.toolchains.iter().copied()).collect();
    levels.sort_unstable();
    levels.dedup();
    let asked = [
        ("project", levels.as_slice(), "no manifest declares a level of"),
        ("machine", emendo_docs::TOOLCHAINS, "no machine is asked for"),
    ];
    for (key, known, says) in asked {
        for e in requires.table(key).map_or(&[][..], |map| &map.entries) {
            if !known.contains(&e.key.as_str()) {
                let d = Diagnostic::error(format!("{says} `{}`", e.key), e.key_span);
                let help = format!("the words are: {}", known.join(", "));
                out.push(d.about("condition").help(help));
            }
            if let Value::Text(t) = &e.node.value
                && Requirement::parse(&t.text).is_err()
            {
                let d = Diagnostic::error(format!("`{}` is not a requirement", t.text), t.span);
                out.push(d.about("condition").help("comparisons between commas: `>=17, <22`"));
            }
        }
    }
    for (table, _) in requires.tables("libraries") {
        if let Some(t) = table.text("name").filter(|t| !t.text.contains(char::is_alphanumeric)) {
            let d = Diagnostic::error(format!("`{}` is not the name of a library", t.text), t.span);
            out.push(
                d.about("condition").help("a coordinate, `npm:tidewire-charts`, or its last part"),
            );
        }
    }
}

/// True if a coordinate is what a recipe calls so.
fn same(name: &str, coordinate: &str) -> bool {
    let last = |t: &str| t.rsplit([':', '/']).next().unwrap_or(t).to_owned();
    name == coordinate
        || name.ends_with(&format!(":{coordinate}"))
        || last(name) == last(coordinate)
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
