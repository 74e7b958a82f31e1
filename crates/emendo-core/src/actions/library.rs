//! `library`: coordinates and versions of dependencies, plugins and parents, where they are really held.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_docs::{
    ECOSYSTEMS, Ecosystem, Entry, EntryKind, Manifest, Value as ManifestValue, Version,
};
use emendo_lang::{Certainty, Fact, Splice};
use emendo_recipe::{Action, ActionKind, Key, Scope, Shape, Text, pairs};
use emendo_text::{Diagnostic, Digest, RelPath};

use super::{CompileCx, FileCx, Kind, Runner, action_digest};
use crate::edit::{Change, Draft, Found, NoteDraft, Tie};
use crate::narrow::Needs;

/// The kind.
pub(super) static LIBRARY: LibraryKind = LibraryKind;

pub(super) struct LibraryKind;

const WHAT: &[&str] = &["dependency", "plugin", "parent"];

const KEYS: &[Key] = &[
    Key::new("ecosystem", Shape::Text, "maven; may also stand before the coordinate, with a colon"),
    Key::new("what", Shape::Words(WHAT), "dependency (the default), plugin or parent"),
    Key::new("old", Shape::Texts, "the coordinate, a list, or one with `*` at its end"),
    Key::new("new", Shape::Text, "the new coordinate"),
    Key::new("version", Shape::Version, "the version to raise to; nothing is ever lowered"),
    Key::later("family"),
    Key::later("add"),
    Key::later("remove"),
    Key::later("scope"),
    Key::later("features"),
    Key::later("features_add"),
    Key::later("after"),
    Key::later("before"),
    Key::later("id"),
    Key::later("url"),
    Key::later("for"),
    Key::later("rework"),
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
        "raises versions and renames coordinates in manifests"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

impl Kind for LibraryKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let kinds = match table.texts("what").first().map(|t| t.text.as_str()) {
            Some("plugin") => EntryKind::Plugin,
            Some("parent") => EntryKind::Parent,
            _ => EntryKind::Dependency,
        };
        let mut rows: Vec<(Text, Option<Text>)> = Vec::new();
        if let [_, _, ..] = table.texts("old").as_slice() {
            rows.extend(
                table.texts("old").into_iter().map(|o| (o.clone(), table.text("new").cloned())),
            );
        }
        rows.extend(
            pairs(action, &cx.recipe.source, &|_| ".", cx.out).into_iter().map(|p| (p.old, p.new)),
        );
        if rows.is_empty() {
            let single = table.texts("old");
            rows.extend(single.into_iter().map(|o| (o.clone(), table.text("new").cloned())));
        }
        if rows.is_empty() {
            cx.out.push(
                Diagnostic::error("this action names no library", action.span).help("write `old`"),
            );
            return None;
        }
        let version = table.text("version");
        let mut rules = Vec::new();
        let mut ecosystem = None;
        for (old, new) in rows {
            if new.is_none() && version.is_none() {
                cx.out.push(
                    Diagnostic::error("nothing happens to this library", old.span)
                        .help("write `version` or `new`"),
                );
                return None;
            }
            let (eco, coordinate) = coordinate(&old, table.text("ecosystem"), cx)?;
            ecosystem = Some(eco);
            let new = match &new {
                Some(n) => Some(self::coordinate(n, table.text("ecosystem"), cx)?.1),
                None => None,
            };
            if new.as_ref().is_some_and(|n| n.contains('*'))
                || (new.is_some() && coordinate.contains('*'))
            {
                cx.out.push(
                    Diagnostic::error("a coordinate with `*` cannot be renamed", old.span)
                        .help("name each library, or give a `version` only"),
                );
                return None;
            }
            rules.push(Rule { digest: action_digest("library", &old.text), old: coordinate, new });
        }
        let target = match version {
            Some(t) => match Version::parse(&t.text) {
                Some(v) => Some(v),
                None => {
                    cx.out.push(
                        Diagnostic::error(format!("`{}` is no version", t.text), t.span)
                            .help("for example `3.0.2`"),
                    );
                    return None;
                }
            },
            None => None,
        };
        let needs = Needs(vec![vec![]]);
        Some(Box::new(LibraryRunner {
            ecosystem: ecosystem?,
            kind: kinds,
            scope: action.scope.clone(),
            rules,
            target,
            needs,
        }))
    }
}

/// A coordinate with its ecosystem.
fn coordinate(
    t: &Text,
    ecosystem: Option<&Text>,
    cx: &mut CompileCx<'_>,
) -> Option<(&'static Ecosystem, String)> {
    let known = || ECOSYSTEMS.iter().map(|e| e.id).collect::<Vec<_>>().join(", ");
    let prefixed =
        ECOSYSTEMS.iter().find(|e| t.text.strip_prefix(e.id).is_some_and(|r| r.starts_with(':')));
    let (eco, rest) = match (prefixed, ecosystem) {
        (Some(e), _) => (e, &t.text[e.id.len() + 1..]),
        (None, Some(name)) => match ECOSYSTEMS.iter().find(|e| e.id == name.text) {
            Some(e) => (e, t.text.as_str()),
            None => {
                cx.out.push(
                    Diagnostic::error(
                        format!("the ecosystem `{}` is not built yet", name.text),
                        name.span,
                    )
                    .help(format!("built so far: {}", known())),
                );
                return None;
            }
        },
        (None, None) => {
            let d =
                Diagnostic::error(format!("`{}` names no ecosystem that is built", t.text), t.span);
            cx.out.push(d.help(format!(
                "write it before the coordinate: `maven:{}` (built so far: {})",
                t.text,
                known()
            )));
            return None;
        }
    };
    if let Some(wrong) = (eco.check_coordinate)(rest) {
        cx.out.push(Diagnostic::error(wrong, t.span));
        return None;
    }
    Some((eco, rest.to_owned()))
}

struct LibraryRunner {
    ecosystem: &'static Ecosystem,
    kind: EntryKind,
    scope: Scope,
    rules: Vec<Rule>,
    target: Option<Version>,
    needs: Needs,
}

struct Rule {
    digest: Digest,
    old: String,
    new: Option<String>,
}

/// A property that holds the version of a library, in the file that defines it.
struct Held<'a> {
    name: &'a str,
    row: usize,
    coordinate: &'a str,
    user: &'a RelPath,
    others: Vec<String>,
}

impl Runner for LibraryRunner {
    fn kind(&self) -> &'static str {
        "library"
    }
    fn covers(&self, path: &RelPath) -> bool {
        (self.ecosystem.claims)(path) && self.scope.covers(path)
    }
    fn needs(&self) -> &Needs {
        &self.needs
    }
    fn reads_manifests(&self) -> bool {
        true
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let manifest = match (self.ecosystem.read)(cx.text) {
            Ok(m) => m,
            Err(e) => {
                let at = e.at;
                out.notes.push(NoteDraft {
                    at,
                    say: format!(
                        "this {} file cannot be read: {}",
                        self.ecosystem.title, e.message
                    ),
                });
                return;
            }
        };
        for entry in &manifest.entries {
            if let Some(row) = self.row(entry) {
                self.entry(cx, (action, row), entry, out);
            }
        }
        for held in self.held_here(cx) {
            for p in manifest.properties.iter().filter(|p| p.name == held.name) {
                self.property(cx, action, &held, &p.value, out);
            }
        }
    }
}

impl LibraryRunner {
    fn row(&self, entry: &Entry) -> Option<usize> {
        if entry.kind != self.kind {
            return None;
        }
        self.rules.iter().position(|r| match r.old.strip_suffix('*') {
            Some(prefix) => entry.coordinate.starts_with(prefix),
            None => entry.coordinate == r.old,
        })
    }

    /// An entry: its coordinate, and its version if it is written here.
    fn entry(&self, cx: &FileCx<'_>, action: (usize, usize), entry: &Entry, out: &mut Found) {
        let rule = &self.rules[action.1];
        let mut splices = Vec::new();
        if let Some(new) = &rule.new {
            let parts = (self.ecosystem.split)(new);
            for (value, part) in entry.names.iter().zip(&parts) {
                if value.text != *part && !value.span.is_empty() {
                    splices.push(Splice::text(value.span, part.clone()));
                }
            }
        }
        if let (Some(version), Some(target)) = (&entry.version, &self.target) {
            match version.property() {
                Some(name) => {
                    if self.definer(cx.manifests, cx.path, name).is_none() {
                        let say = format!(
                            "the version of `{}` is held in `{name}`, which no file of the project defines",
                            entry.coordinate
                        );
                        out.notes.push(NoteDraft { at: version.span, say });
                    }
                }
                None => match self.raise(version, target, rule.new.is_some()) {
                    Ok(true) => splices.push(Splice::text(version.span, target.to_string())),
                    Ok(false) => {}
                    Err(say) => out.notes.push(NoteDraft { at: version.span, say }),
                },
            }
        }
        if splices.is_empty() {
            return;
        }
        let text = format!("the entry names `{}`", entry.coordinate);
        let evidence = Fact { says: Certainty::Certain, text, at: Some(entry.span) };
        self.push(action, rule.digest, entry.span, splices, vec![evidence], out);
    }

    /// A property that holds the version of a library here or in a project below.
    fn property(
        &self,
        cx: &FileCx<'_>,
        action: usize,
        held: &Held<'_>,
        value: &ManifestValue,
        out: &mut Found,
    ) {
        let Some(target) = &self.target else { return };
        let rule = &self.rules[held.row];
        match self.raise(value, target, false) {
            Ok(true) => {
                let place = if held.user == cx.path {
                    "this file".to_owned()
                } else {
                    format!("`{}`", held.user)
                };
                let mut evidence = vec![Fact {
                    says: Certainty::Certain,
                    text: format!(
                        "`{}` holds the version of `{}` in {place}",
                        held.name, held.coordinate
                    ),
                    at: Some(value.span),
                }];
                if let Some(other) = held.others.first() {
                    evidence.push(Fact {
                        says: Certainty::Likely,
                        text: format!("`{}` holds the version of `{other}` too", held.name),
                        at: Some(value.span),
                    });
                }
                let splices = vec![Splice::text(value.span, target.to_string())];
                self.push((action, held.row), rule.digest, value.span, splices, evidence, out);
            }
            Ok(false) => {}
            Err(say) => out.notes.push(NoteDraft { at: value.span, say }),
        }
    }

    fn push(
        &self,
        action: (usize, usize),
        digest: Digest,
        hull: emendo_text::Span,
        splices: Vec<Splice>,
        evidence: Vec<Fact>,
        out: &mut Found,
    ) {
        if out.drafts.iter().any(|d| d.hull == hull && d.action == action) {
            return;
        }
        let certainty = evidence.iter().map(|e| e.says).min().unwrap_or(Certainty::Certain);
        let tokens = splices.iter().map(|s| s.span).collect();
        let change = Change { splices, ..Change::default() };
        out.drafts.push(Draft {
            action,
            digest,
            hull,
            tokens,
            change,
            certainty,
            evidence,
            alternatives: Vec::new(),
            tie: Tie::default(),
        });
    }

    /// True if a written version is older than the target; an error says why it cannot be told.
    fn raise(
        &self,
        written: &ManifestValue,
        target: &Version,
        renamed: bool,
    ) -> Result<bool, String> {
        match Version::parse(&written.text) {
            Some(v) if renamed => Ok(v.to_string() != target.to_string()),
            Some(v) => Ok(v.compare(target).is_lt()),
            None => Err(format!(
                "the version `{}` is no plain version: raise it to {target} by hand",
                written.text
            )),
        }
    }

    /// Properties that this file defines and matching entries use, here or in projects that inherit from it.
    fn held_here<'a>(&self, cx: &'a FileCx<'_>) -> Vec<Held<'a>> {
        let mut out: Vec<Held<'a>> = Vec::new();
        for (user, manifest) in cx.manifests {
            for entry in &manifest.entries {
                let Some(row) = self.row(entry) else { continue };
                let Some(name) = entry.version.as_ref().and_then(ManifestValue::property) else {
                    continue;
                };
                let Some((definer, name)) = self.follow(cx.manifests, user, name) else { continue };
                if definer != cx.path || out.iter().any(|h| h.name == name && h.row == row) {
                    continue;
                }
                let others = self.other_users(cx.manifests, cx.path, name);
                out.push(Held { name, row, coordinate: &entry.coordinate, user, others });
            }
        }
        out
    }

    /// Libraries that the action is not about and that share the property.
    fn other_users(
        &self,
        manifests: &BTreeMap<RelPath, Arc<Manifest>>,
        definer: &RelPath,
        name: &str,
    ) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for (user, manifest) in manifests {
            for e in manifest.entries.iter().filter(|e| self.row(e).is_none()) {
                let uses = e.version.as_ref().and_then(ManifestValue::property) == Some(name);
                if uses
                    && self.definer(manifests, user, name) == Some(definer)
                    && !out.contains(&e.coordinate)
                {
                    out.push(e.coordinate.clone());
                }
            }
        }
        out
    }

    /// The property that really holds a value, through properties that refer to others.
    fn follow<'a>(
        &self,
        manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
        user: &'a RelPath,
        name: &'a str,
    ) -> Option<(&'a RelPath, &'a str)> {
        let (mut at, mut name) = (self.definer(manifests, user, name)?, name);
        for _ in 0..8 {
            let value = &manifests.get(at)?.properties.iter().find(|p| p.name == name)?.value;
            match value.property() {
                Some(next) => {
                    at = self.definer(manifests, at, next)?;
                    name = next;
                }
                None => return Some((at, name)),
            }
        }
        None
    }

    /// The file that defines a property: this one, or the nearest parent in the project.
    fn definer<'a>(
        &self,
        manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
        from: &'a RelPath,
        name: &str,
    ) -> Option<&'a RelPath> {
        let mut at = manifests.get_key_value(from)?;
        for _ in 0..32 {
            if at.1.properties.iter().any(|p| p.name == name) {
                return Some(at.0);
            }
            let parent = at.1.parent.as_ref()?;
            let by_path = beside(at.0, &at.1.parent_path).and_then(|p| manifests.get_key_value(&p));
            let fits = |m: &(&RelPath, &Arc<Manifest>)| m.1.own.as_ref() == Some(parent);
            at = by_path.filter(fits).or_else(|| manifests.iter().find(fits))?;
        }
        None
    }
}

/// A path relative to a file's folder; a folder stands for the manifest in it.
fn beside(file: &RelPath, relative: &str) -> Option<RelPath> {
    let mut parts: Vec<&str> = file.folder().split('/').filter(|p| !p.is_empty()).collect();
    for part in relative.split('/') {
        match part {
            "" | "." => {}
            ".." => drop(parts.pop()?),
            name => parts.push(name),
        }
    }
    let joined = parts.join("/");
    let path = if joined.ends_with(".xml") || joined.ends_with(".pom") {
        joined
    } else {
        format!("{joined}/{}", file.name())
    };
    RelPath::new(path.trim_start_matches('/')).ok()
}
