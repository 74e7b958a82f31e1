//! `library`: coordinates, versions and features of dependencies, plugins, parents, repositories, and levels of toolchains,
//! where they are really held.
//!
//! `runner.rs` raises and renames, `held.rs` follows a version to where it is held, `rework.rs` rewrites inside an entry.

mod adding;
mod around;
mod below;
mod features;
mod held;
mod levels;
mod rework;
mod runner;
mod watch;

pub use watch::CoordinateWatch;

use emendo_docs::{Ecosystem, EntryKind, Side, Version};
use emendo_recipe::{Action, ActionKind, Condition, Key, Shape, Table, Text, Value, pairs};
use emendo_text::{Diagnostic, Span};

use crate::contract::{CompileCx, Kind, Needs, Runner, action_digest};
use crate::library::around::Around;
use crate::library::rework::reworks;
use crate::library::runner::{LibraryPart, LibraryRule, LibraryRunner};

/// The kind.
pub(super) static LIBRARY: LibraryKind = LibraryKind;

pub(super) struct LibraryKind;

const WHAT: &[&str] = &["dependency", "plugin", "parent", "toolchain", "repository"];

const FOR: &[&str] = &["dependencies", "plugins"];

const KEYS: &[Key] = &[
    Key::new(
        "ecosystem",
        Shape::Text,
        "maven, gradle, npm, cargo, python, nuget, composer, bundler, hex, pub, swift or go; may also stand before the coordinate, with a colon",
    ),
    Key::new(
        "what",
        Shape::Words(WHAT),
        "dependency (the default), plugin, parent, toolchain or repository",
    ),
    Key::new("old", Shape::Texts, "the coordinate, a list, or one with `*` at its end"),
    Key::new("new", Shape::Text, "the new coordinate"),
    Key::new("version", Shape::Text, "the version to raise to; nothing is ever lowered"),
    Key::new("below", Shape::Text, "only where the version that stands is lower"),
    Key::new("family", Shape::Texts, "coordinates that are raised together, as one decision"),
    Key::new("add", Shape::Text, "a coordinate that is added where it is not there yet"),
    Key::new("remove", Shape::Bool, "the entry is removed"),
    Key::new("scope", Shape::Text, "where it belongs, in the ecosystem's own word"),
    Key::new(
        "features",
        Shape::Map,
        "features by their old names, with the new ones; `\"\"` takes one away",
    ),
    Key::new("features_add", Shape::Texts, "features that come"),
    Key::new("after", Shape::Text, "the new entry is placed after this one, if it is there"),
    Key::new("before", Shape::Text, "the new entry is placed before this one, if it is there"),
    Key::new("id", Shape::Text, "the word of a repository"),
    Key::new("url", Shape::Text, "the new address of a repository"),
    Key::new("for", Shape::Words(FOR), "what comes from a repository: dependencies or plugins"),
    Key::new("rework", Shape::Tables(rework::REWORK), "rewrites inside the entry"),
    Key::new("pairs", Shape::Pairs, "many old and new coordinates"),
    Key::new(
        "table",
        Shape::Text,
        "many old and new coordinates, from a CSV file of the recipe's folder",
    ),
];

impl ActionKind for LibraryKind {
    fn name(&self) -> &'static str {
        "library"
    }
    fn about(&self) -> &'static str {
        "raises versions, and renames, adds and removes entries of manifests"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
    fn about_libraries(&self) -> bool {
        true
    }
}

impl Kind for LibraryKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let what = what_of(table);
        let source = what == LibraryPart::Entry(EntryKind::Repository);
        let misplaced = ["id", "url", "for"].iter().find_map(|k| table.entry(k));
        if let Some(e) = misplaced.filter(|_| !source) {
            let message = format!("`{}` is about repositories", e.key);
            return cx.refuse(
                message,
                e.key_span,
                "write `what = \"repository\"`, or leave it out",
            );
        }
        let rows = rows_of(action, cx)?;
        let version = table.text("version");
        let features = features(table);
        let reworks = reworks(table, cx)?;
        let id = table.text("id");
        let does = version.is_some()
            || !reworks.is_empty()
            || id.is_some()
            || table.is_true("remove")
            || !features.is_empty()
            || table.get("features_add").is_some();
        let (rules, mut ecosystem) = rules_of(rows, does, (table, what, action.span), cx)?;
        let named = table.text("ecosystem");
        let added = match table.text("add") {
            Some(t) => {
                let (eco, coordinate) = coordinate(t, named, what, cx)?;
                ecosystem = ecosystem.or(Some(eco));
                // One address may be added for several uses.
                let uses = table.texts("for").into_iter().map(|t| t.text.as_str());
                let what: Vec<&str> = std::iter::once(t.text.as_str()).chain(uses).collect();
                Some((action_digest("library add", &what.join(" ")), coordinate))
            }
            None => None,
        };
        if what != LibraryPart::Toolchain {
            check_version(version, ecosystem, cx)?;
        }
        let mut near = None;
        for (key, side) in [("after", Side::After), ("before", Side::Before)] {
            if let Some(t) = table.text(key) {
                if near.is_some() {
                    let message = "`after` and `before` name two places";
                    return cx.refuse(message, t.span, "keep one of the two");
                }
                near = Some((coordinate(t, named, what, cx)?.1, side));
            }
        }
        let below = below::below(table, what, cx)?;
        let around = Around::of(action, cx);
        let ecosystem = ecosystem?;
        if source && added.is_some() && id.is_none() && ecosystem.named_sources {
            let message = format!("{} knows its repositories by a word", ecosystem.title);
            return cx.refuse(message, action.span, "write `id = \"...\"`");
        }
        let unknown = |r: &&LibraryRule| !ecosystem.toolchains.contains(&r.old.as_str());
        let levels = what == LibraryPart::Toolchain;
        if let Some(r) = rules.iter().find(unknown).filter(|_| levels) {
            let message = format!("{} does not declare a level of `{}`", ecosystem.title, r.old);
            let known = format!("it declares those of: {}", ecosystem.toolchains.join(", "));
            let at = table.texts("old").first().map_or(action.span, |t| t.span);
            return cx.refuse(message, at, known);
        }
        if let Some(t) = version.filter(|t| levels && emendo_docs::lowest(&t.text).is_none()) {
            let message = format!("`{}` is not a level of a toolchain", t.text);
            return cx.refuse(message, t.span, "for example `17`, or `>=3.9`");
        }
        let text = |t: &Text| t.text.clone();
        Some(Box::new(LibraryRunner {
            ecosystem,
            what,
            scope: action.scope.clone(),
            rules,
            joined: !table.texts("family").is_empty(),
            target: version.map(text),
            below,
            place: table.text("scope").or(table.texts("for").first().copied()).map(text),
            more_places: table.texts("for").into_iter().skip(1).map(text).collect(),
            added,
            anchors: near.as_ref().map_or(Vec::new(), |(c, _)| around.anchors(c)),
            awaited: near.as_ref().is_some_and(|(c, _)| around.adds(c)),
            near,
            moving: around.moving(version.map(|v| v.text.as_str())),
            chosen: Condition::of(table).iter().any(|c| c.wanted),
            id: id.map(text),
            reworks,
            remove: table.is_true("remove"),
            features,
            features_add: table.texts("features_add").into_iter().map(text).collect(),
            needs: Needs(vec![vec![]]),
        }))
    }
}

fn what_of(table: &Table) -> LibraryPart {
    match table.texts("what").first().map(|t| t.text.as_str()) {
        Some("plugin") => LibraryPart::Entry(EntryKind::Plugin),
        Some("parent") => LibraryPart::Entry(EntryKind::Parent),
        Some("repository") => LibraryPart::Entry(EntryKind::Repository),
        Some("toolchain") => LibraryPart::Toolchain,
        _ => LibraryPart::Entry(EntryKind::Dependency),
    }
}

/// The libraries that an action names, old and new; none, with a message, if it names none and adds none.
fn rows_of(action: &Action, cx: &mut CompileCx<'_>) -> Option<Vec<(Text, Option<Text>)>> {
    let table = &action.table;
    let renamed = || table.text("new").or_else(|| table.text("url")).cloned();
    let old = || table.texts("old").into_iter().map(|o| (o.clone(), renamed()));
    let mut rows: Vec<(Text, Option<Text>)> = Vec::new();
    if table.texts("old").len() > 1 {
        rows.extend(old());
    }
    let pairs = pairs(action, &cx.recipe.source, &|_| ".", cx.out);
    rows.extend(pairs.into_iter().map(|p| (p.old, p.new.or_else(renamed))));
    if rows.is_empty() {
        rows.extend(old());
    }
    rows.extend(table.texts("family").into_iter().map(|f| (f.clone(), None)));
    if !rows.is_empty() || table.text("add").is_some() {
        return Some(rows);
    }
    // A table that cannot be read has a message of its own.
    if table.get("table").is_some() {
        return None;
    }
    cx.refuse("this action names no library", action.span, "write `old`, `family` or `add`")
}

/// The rules of the rows, with their ecosystem.
fn rules_of(
    rows: Vec<(Text, Option<Text>)>,
    does: bool,
    (table, what, span): (&Table, LibraryPart, Span),
    cx: &mut CompileCx<'_>,
) -> Option<(Vec<LibraryRule>, Option<&'static Ecosystem>)> {
    let named = table.text("ecosystem");
    let mut rules = Vec::new();
    let mut ecosystem = None;
    for (old, new) in rows {
        if new.is_none() && !does {
            let help = "write `version`, `new`, `features` or `remove = true`";
            let message = format!("nothing happens to `{}`", old.text);
            return cx.refuse(message, span, help);
        }
        let (eco, plain) = coordinate(&old, named, what, cx)?;
        ecosystem = Some(eco);
        let new = match &new {
            Some(n) => Some(coordinate(n, named.or(Some(&derived(eco, n))), what, cx)?.1),
            None => None,
        };
        let starred = plain.contains('*');
        if new.as_ref().is_some_and(|n| n.contains('*') || starred) {
            let help = "name each library, or give a `version` only";
            return cx.refuse("a coordinate with `*` cannot be renamed", old.span, help);
        }
        rules.push(LibraryRule { digest: action_digest("library", &old.text), old: plain, new });
    }
    Some((rules, ecosystem))
}

/// Checks that a version is one, and whole where the ecosystem wants it so.
fn check_version(
    version: Option<&Text>,
    ecosystem: Option<&'static Ecosystem>,
    cx: &mut CompileCx<'_>,
) -> Option<()> {
    let Some(t) = version else { return Some(()) };
    let bare = t.text.trim_start_matches(['^', '~', '>', '=', ' ']);
    if Version::parse(bare.split([',', ' ']).next().unwrap_or(&t.text)).is_none() {
        let message = format!("`{}` is no version", t.text);
        return cx.refuse(message, t.span, "for example `3.0.2`, or `>=3.0,<4`");
    }
    let Some(eco) = ecosystem else { return Some(()) };
    let numbers = t.text.trim_start_matches(['^', '~', '>', '=', '<', ' ']);
    let has = numbers.split(['-', '+', ' ']).next().unwrap_or("").split('.').count();
    if has < eco.numbers && !t.text.contains(',') && !t.text.starts_with("~>") {
        let message = format!("a version of {} has {} numbers", eco.title, eco.numbers);
        let whole = format!("{}{}", t.text, ".0".repeat(eco.numbers - has));
        return cx.refuse(message, t.span, format!("write `{whole}`"));
    }
    Some(())
}

/// The features of a table by their old names.
fn features(table: &Table) -> Vec<(String, String)> {
    let Some(map) = table.table("features") else { return Vec::new() };
    let text = |v: &Value| match v {
        Value::Text(t) => Some(t.text.clone()),
        _ => None,
    };
    map.entries.iter().filter_map(|e| Some((e.key.clone(), text(&e.node.value)?))).collect()
}

/// The ecosystem that another coordinate of the action has told.
fn derived(ecosystem: &Ecosystem, like: &Text) -> Text {
    Text::derived(ecosystem.id.to_owned(), like.span)
}

/// A coordinate with its ecosystem.
fn coordinate(
    t: &Text,
    ecosystem: Option<&Text>,
    what: LibraryPart,
    cx: &mut CompileCx<'_>,
) -> Option<(&'static Ecosystem, String)> {
    let known = || cx.tables.ecosystem_words();
    let heads = |e: &&Ecosystem| t.text.strip_prefix(e.id).is_some_and(|r| r.starts_with(':'));
    let prefixed = cx.tables.ecosystems.iter().copied().find(heads);
    let (eco, rest) = match (prefixed, ecosystem) {
        (Some(e), _) => (e, &t.text[e.id.len() + 1..]),
        (None, Some(name)) => match cx.tables.ecosystem(&name.text) {
            Some(e) => (e, t.text.as_str()),
            None => {
                let message = format!("there is no ecosystem `{}`", name.text);
                let help = match cx.tables.meant_ecosystem(&name.text) {
                    Some(meant) => format!("did you mean `{meant}`?"),
                    None => format!("there are: {}", known()),
                };
                return cx.refuse(message, name.span, help);
            }
        },
        (None, None) => {
            let message = format!("`{}` names no ecosystem", t.text);
            let word = t.text.split_once(':');
            if let Some((meant, rest)) =
                word.and_then(|w| Some((cx.tables.meant_ecosystem(w.0)?, w.1)))
            {
                return cx.refuse(message, t.span, format!("did you mean `{meant}:{rest}`?"));
            }
            let fits = cx.tables.ecosystems_of(&t.text);
            let first = fits.first().copied().unwrap_or("maven");
            let help = format!(
                "write it before the coordinate: `{first}:{}` (there are: {})",
                t.text,
                known()
            );
            return cx.refuse(message, t.span, help);
        }
    };
    let checked = matches!(what, LibraryPart::Entry(k) if k != EntryKind::Repository);
    if checked && let Some(wrong) = (eco.check_coordinate)(rest) {
        let fits = cx.tables.ecosystems_of(rest);
        let others: Vec<String> = fits.iter().map(|e| format!("`{e}:{rest}`")).collect();
        let d = Diagnostic::error(wrong, t.span);
        cx.out.push(if others.is_empty() {
            d
        } else {
            d.help(format!("it is written as in another ecosystem: {}", others.join(" or ")))
        });
        return None;
    }
    Some((eco, rest.to_owned()))
}
