//! `library`: coordinates, versions and features of dependencies, plugins, parents, repositories, and levels of toolchains,
//! where they are really held.

mod adding;
mod features;
mod held;
mod levels;
mod rework;

use emendo_docs::{
    ECOSYSTEMS, Ecosystem, Entry, EntryKind, Patch, Raised, Value as ManifestValue, Version, raise,
};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::{Action, ActionKind, Condition, Key, Scope, Shape, Table, Text, Value, pairs};
use emendo_text::{Diagnostic, Digest, RelPath, Span, Splice};

use self::held::Held;
use self::rework::{Rework, rework, reworks};
use crate::contract::{
    Change, CompileCx, Draft, FileCx, Found, Kind, Needs, NoteDraft, Runner, Tie, action_digest,
};

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
    Key::new("family", Shape::Texts, "coordinates that are raised together, as one decision"),
    Key::new("add", Shape::Text, "a coordinate that is added where it is not there yet"),
    Key::new("remove", Shape::Bool, "the entry goes"),
    Key::new("scope", Shape::Text, "where it belongs, in the ecosystem's own word"),
    Key::new(
        "features",
        Shape::Map,
        "features by their old names, with the new ones; `\"\"` takes one away",
    ),
    Key::new("features_add", Shape::Texts, "features that come"),
    Key::new("after", Shape::Text, "what is added comes behind this one, where that is there"),
    Key::new("before", Shape::Text, "what is added comes before this one, where that is there"),
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
}

impl Kind for LibraryKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let what = match table.texts("what").first().map(|t| t.text.as_str()) {
            Some("plugin") => What::Entry(EntryKind::Plugin),
            Some("parent") => What::Entry(EntryKind::Parent),
            Some("repository") => What::Entry(EntryKind::Repository),
            Some("toolchain") => What::Toolchain,
            _ => What::Entry(EntryKind::Dependency),
        };
        let source = what == What::Entry(EntryKind::Repository);
        let misplaced = ["id", "url", "for"].iter().find_map(|k| table.entry(k));
        if let Some(e) = misplaced.filter(|_| !source) {
            let d = Diagnostic::error(format!("`{}` is about repositories", e.key), e.key_span);
            cx.out.push(d.help("write `what = \"repository\"`, or leave it out"));
            return None;
        }
        let renamed = || table.text("new").or_else(|| table.text("url")).cloned();
        let family: Vec<Text> = table.texts("family").into_iter().cloned().collect();
        let mut rows: Vec<(Text, Option<Text>)> = Vec::new();
        if let [_, _, ..] = table.texts("old").as_slice() {
            rows.extend(table.texts("old").into_iter().map(|o| (o.clone(), renamed())));
        }
        rows.extend(
            pairs(action, &cx.recipe.source, &|_| ".", cx.out)
                .into_iter()
                .map(|p| (p.old, p.new.or_else(renamed))),
        );
        if rows.is_empty() {
            let single = table.texts("old");
            rows.extend(single.into_iter().map(|o| (o.clone(), renamed())));
        }
        rows.extend(family.iter().map(|f| (f.clone(), None)));
        let add = table.text("add");
        if rows.is_empty() && add.is_none() && table.get("table").is_some() {
            return None;
        }
        if rows.is_empty() && add.is_none() {
            cx.out.push(
                Diagnostic::error("this action names no library", action.span)
                    .help("write `old`, `family` or `add`"),
            );
            return None;
        }
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
        let named = table.text("ecosystem");
        let mut rules = Vec::new();
        let mut ecosystem = None;
        for (old, new) in rows {
            if new.is_none() && !does {
                cx.out.push(
                    Diagnostic::error("nothing happens to this library", old.span)
                        .help("write `version`, `new`, `features` or `remove = true`"),
                );
                return None;
            }
            let (eco, coordinate) = coordinate(&old, named, what, cx)?;
            ecosystem = Some(eco);
            let new = match &new {
                Some(n) => Some(self::coordinate(n, named.or(Some(&derived(eco, n))), what, cx)?.1),
                None => None,
            };
            let starred = coordinate.contains('*');
            if new.as_ref().is_some_and(|n| n.contains('*')) || (new.is_some() && starred) {
                cx.out.push(
                    Diagnostic::error("a coordinate with `*` cannot be renamed", old.span)
                        .help("name each library, or give a `version` only"),
                );
                return None;
            }
            rules.push(Rule { digest: action_digest("library", &old.text), old: coordinate, new });
        }
        let added = match add {
            Some(t) => {
                let (eco, coordinate) = coordinate(t, named, what, cx)?;
                ecosystem = ecosystem.or(Some(eco));
                Some((action_digest("library add", &t.text), coordinate))
            }
            None => None,
        };
        let plain = |t: &str| {
            Version::parse(
                t.trim_start_matches(['^', '~', '>', '=', ' '])
                    .split([',', ' '])
                    .next()
                    .unwrap_or(t),
            )
        };
        if let Some(t) = version.filter(|t| plain(&t.text).is_none() && what != What::Toolchain) {
            let d = Diagnostic::error(format!("`{}` is no version", t.text), t.span);
            cx.out.push(d.help("for example `3.0.2`, or `>=3.0,<4`"));
            return None;
        }
        if let Some(t) = version.filter(|_| what != What::Toolchain)
            && let Some(eco) = ecosystem
        {
            let numbers = t.text.trim_start_matches(['^', '~', '>', '=', '<', ' ']);
            let numbers = numbers.split(['-', '+', ' ']).next().unwrap_or("");
            let has = numbers.split('.').count();
            if has < eco.numbers && !t.text.contains(',') && !t.text.starts_with("~>") {
                let message = format!("a version of {} has {} numbers", eco.title, eco.numbers);
                let whole = format!("{}{}", t.text, ".0".repeat(eco.numbers - has));
                cx.out.push(Diagnostic::error(message, t.span).help(format!("write `{whole}`")));
                return None;
            }
        }
        let mut near = None;
        for (key, behind) in [("after", true), ("before", false)] {
            if let Some(t) = table.text(key) {
                near = Some((coordinate(t, named, what, cx)?.1, behind));
            }
        }
        let ecosystem = ecosystem?;
        if source && add.is_some() && id.is_none() && ecosystem.named_sources {
            let message = format!("{} knows its repositories by a word", ecosystem.title);
            let d = Diagnostic::error(message, action.span);
            cx.out.push(d.help("write `id = \"...\"`"));
            return None;
        }
        if what == What::Toolchain {
            let known = |r: &&Rule| ecosystem.toolchains.contains(&r.old.as_str());
            if let Some(r) = rules.iter().find(|r| !known(r)) {
                let message = format!("{} says no level of `{}`", ecosystem.title, r.old);
                let d = Diagnostic::error(message, action.span);
                cx.out
                    .push(d.help(format!("it says those of: {}", ecosystem.toolchains.join(", "))));
                return None;
            }
        }
        Some(Box::new(LibraryRunner {
            ecosystem,
            what,
            scope: action.scope.clone(),
            rules,
            joined: !family.is_empty(),
            target: version.map(|t| t.text.clone()),
            place: table
                .text("scope")
                .map(|t| t.text.clone())
                .or_else(|| table.texts("for").first().map(|t| t.text.clone())),
            added,
            near,
            chosen: Condition::of(table).iter().any(|c| c.wanted),
            id: id.map(|t| t.text.clone()),
            reworks,
            remove: table.is_true("remove"),
            features,
            features_add: table.texts("features_add").iter().map(|t| t.text.clone()).collect(),
            needs: Needs(vec![vec![]]),
        }))
    }
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

/// What an action is about.
#[derive(Clone, Copy, PartialEq, Eq)]
enum What {
    Entry(EntryKind),
    Toolchain,
}

/// A coordinate with its ecosystem.
fn coordinate(
    t: &Text,
    ecosystem: Option<&Text>,
    what: What,
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
                let message = format!("there is no ecosystem `{}`", name.text);
                let d = Diagnostic::error(message, name.span);
                cx.out.push(d.help(format!("there are: {}", known())));
                return None;
            }
        },
        (None, None) => {
            let d = Diagnostic::error(format!("`{}` names no ecosystem", t.text), t.span);
            cx.out.push(d.help(format!(
                "write it before the coordinate: `maven:{}` (there are: {})",
                t.text,
                known()
            )));
            return None;
        }
    };
    let checked = matches!(what, What::Entry(k) if k != EntryKind::Repository);
    if checked && let Some(wrong) = (eco.check_coordinate)(rest) {
        cx.out.push(Diagnostic::error(wrong, t.span));
        return None;
    }
    Some((eco, rest.to_owned()))
}

pub(super) struct LibraryRunner {
    ecosystem: &'static Ecosystem,
    what: What,
    scope: Scope,
    rules: Vec<Rule>,
    /// All that is raised in a file is one decision.
    joined: bool,
    target: Option<String>,
    /// Where entries belong.
    place: Option<String>,
    added: Option<(Digest, String)>,
    /// What is added comes beside this one: behind it, or before.
    near: Option<(String, bool)>,
    /// A condition says where things are added.
    chosen: bool,
    /// The word of a repository.
    id: Option<String>,
    reworks: Vec<Rework>,
    remove: bool,
    features: Vec<(String, String)>,
    features_add: Vec<String>,
    needs: Needs,
}

struct Rule {
    digest: Digest,
    old: String,
    new: Option<String>,
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
    fn rows(&self) -> Vec<String> {
        // A family is one decision.
        if self.joined {
            return Vec::new();
        }
        let added = self.added.iter().map(|a| a.1.clone());
        self.rules.iter().map(|r| r.old.clone()).chain(added).collect()
    }
    fn caution(&self, _: &RelPath, row: usize) -> Option<&'static str> {
        // A version or a name in an entry that stands is what was asked for.
        let added = row >= self.rules.len();
        match self.what {
            What::Entry(EntryKind::Repository) => Some(crate::shared::SOURCE),
            What::Entry(EntryKind::Plugin) if added => Some(crate::shared::BRINGS),
            _ => None,
        }
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let manifest = match (self.ecosystem.read)(cx.path, cx.text) {
            Ok(m) => m,
            Err(e) => {
                let say =
                    format!("this {} file cannot be read: {}", self.ecosystem.title, e.message);
                out.notes.push(NoteDraft { at: e.at, say });
                return;
            }
        };
        if self.what == What::Toolchain {
            return self.toolchains(&manifest, action, out);
        }
        let before = out.drafts.len();
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
        if self.joined {
            join(&mut out.drafts, before);
        }
        self.add(cx, action, &manifest, out);
    }
}

/// Makes one draft of several.
fn join(drafts: &mut Vec<Draft>, from: usize) {
    let rest = drafts.split_off(from);
    let mut rest = rest.into_iter();
    let Some(mut one) = rest.next() else { return };
    for d in rest {
        one.hull = one.hull.hull(d.hull);
        one.tokens.extend(d.tokens);
        one.change.splices.extend(d.change.splices);
        one.certainty = one.certainty.min(d.certainty);
        one.evidence.extend(d.evidence);
    }
    one.change.splices.sort_by_key(|s| (s.span.start, s.span.end));
    drafts.push(one);
}

impl LibraryRunner {
    fn row(&self, entry: &Entry) -> Option<usize> {
        if self.what != What::Entry(entry.kind) {
            return None;
        }
        let placed = self.place.as_ref().is_none_or(|p| self.added.is_some() || entry.scope == *p);
        let plain = self.ecosystem.plain;
        let own = plain(&entry.coordinate);
        let source = entry.kind == EntryKind::Repository;
        let same = |a: &str, b: &str| a.trim_end_matches('/') == b.trim_end_matches('/');
        let fits = |r: &Rule| match r.old.strip_suffix('*') {
            Some(prefix) => own.starts_with(&plain(prefix)),
            // An address, or the word that stands for it.
            None if source => {
                same(&entry.coordinate, &r.old)
                    || entry.names.get(1).is_some_and(|n| n.text == r.old)
            }
            None => own == plain(&r.old),
        };
        self.rules.iter().position(fits).filter(|_| placed)
    }

    /// An entry: its coordinate, its features, and its version if it is written here.
    fn entry(&self, cx: &FileCx<'_>, action: (usize, usize), entry: &Entry, out: &mut Found) {
        let rule = &self.rules[action.1];
        let mut splices = Vec::new();
        let unasked = entry.asks
            && entry
                .features
                .iter()
                .any(|f| self.features.contains(&(f.text.clone(), String::new())));
        if self.remove || unasked {
            let evidence = self.named(entry);
            splices.push(patched(&entry.removal));
            self.push(action, rule.digest, entry.span, splices, vec![evidence], out);
            return;
        }
        if let Some(place) = &entry.elsewhere {
            // No version decides there, and another name may not be what lies there.
            let here = ["workspace:", "file:", "link:", "portal:", ".", "/", "in_umbrella"];
            let remote = !here.iter().any(|w| place.text.starts_with(w));
            if rule.new.is_some() || remote && entry.version.is_none() && self.target.is_some() {
                let say = format!(
                    "`{}` comes from `{}`: see to it by hand",
                    entry.coordinate, place.text
                );
                out.notes.push(NoteDraft { at: entry.span, say });
                return;
            }
        }
        if let Some(new) = &rule.new {
            let parts = match entry.kind {
                EntryKind::Repository => vec![new.clone()],
                _ => (self.ecosystem.split)(new),
            };
            for (value, part) in entry.names.iter().zip(&parts) {
                if value.text != *part && !value.span.is_empty() {
                    splices.push(Splice::text(value.span, part.clone()));
                }
            }
            if entry.names.is_empty() {
                let say = format!("this is `{new}` from now on: write it by hand");
                out.notes.push(NoteDraft { at: entry.span, say });
            }
        }
        if let (EntryKind::Repository, Some(id), Some(own)) =
            (entry.kind, &self.id, entry.names.get(1))
            && own.text != *id
        {
            splices.push(Splice::text(own.span, id.clone()));
        }
        self.feature_changes(cx, entry, &mut splices, out);
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
                None => match self.raised(version, target, rule.new.is_some()) {
                    Ok(Some(text)) => {
                        if entry.sealed {
                            let say = format!(
                                "the checksums of `{}` are those of the old version: work them out anew",
                                entry.coordinate
                            );
                            out.notes.push(NoteDraft { at: version.span, say });
                        }
                        splices.push(Splice::text(version.span, text));
                    }
                    Ok(None) => {}
                    Err(say) => out.notes.push(NoteDraft { at: version.span, say }),
                },
            }
        }
        rework(&self.reworks, cx.text, entry, &mut splices);
        if splices.is_empty() {
            return;
        }
        self.push(action, rule.digest, entry.span, splices, vec![self.named(entry)], out);
    }

    fn named(&self, entry: &Entry) -> Fact {
        let text = format!("the entry names `{}`", entry.coordinate);
        Fact { says: Certainty::Certain, text, at: Some(entry.span) }
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
        match self.raised(value, target, false) {
            Ok(Some(text)) => {
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
                let splices = vec![Splice::text(value.span, text)];
                self.push((action, held.row), rule.digest, value.span, splices, evidence, out);
            }
            Ok(None) => {}
            Err(say) => out.notes.push(NoteDraft { at: value.span, say }),
        }
    }

    fn push(
        &self,
        action: (usize, usize),
        digest: Digest,
        hull: Span,
        mut splices: Vec<Splice>,
        evidence: Vec<Fact>,
        out: &mut Found,
    ) {
        if out.drafts.iter().any(|d| d.hull == hull && d.action == action) {
            return;
        }
        splices.sort_by_key(|s| (s.span.start, s.span.end));
        let hull = splices.iter().map(|s| s.span).fold(hull, Span::hull);
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

    /// What a written version becomes; an error says why it cannot be told.
    fn raised(
        &self,
        written: &ManifestValue,
        target: &str,
        renamed: bool,
    ) -> Result<Option<String>, String> {
        // Another library counts its versions anew.
        let lower = renamed && emendo_docs::lowest(&written.text).is_some();
        match raise(&written.text, target, self.ecosystem.exact) {
            Raised::To(text) => Ok(Some(text)),
            Raised::Stays if lower && written.text != target => {
                let op: String =
                    written.text.chars().take_while(|c| !c.is_ascii_alphanumeric()).collect();
                let text = format!("{op}{}", target.trim_start_matches(['^', '~', '>', '=', ' ']));
                Ok((text != written.text).then_some(text))
            }
            Raised::Stays => Ok(None),
            Raised::Open(why) => Err(format!("{why}: raise it to {target} by hand")),
        }
    }
}

fn patched(patch: &Patch) -> Splice {
    Splice::text(patch.span, patch.text.clone())
}
