//! What is in a project, before anything changes: languages, ecosystems, modules, libraries and where their versions are held.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::World;
use emendo_docs::{Ecosystem, EntryKind, Manifest, Requirement, lowest};
use emendo_recipe::Recipe;
use emendo_text::{Lines, RelPath};
use rayon::prelude::*;
use serde::Serialize;

use crate::project::Project;
use crate::project::files::ProjectFiles;
use crate::project::walk::{PassedOver, SkipCounts, walk};

/// What a look at a project told.
#[derive(Debug, Serialize)]
pub struct Survey {
    /// Files that were looked at.
    pub files: usize,
    /// What was passed over.
    pub skipped: SkipCounts,
    /// The same by name.
    pub passed: PassedOver,
    /// Languages with their files, most first.
    pub languages: Vec<LanguageCount>,
    /// Ecosystems with their manifests, most first.
    pub ecosystems: Vec<LanguageCount>,
    /// Folders with a manifest.
    pub modules: Vec<Module>,
    /// Libraries in order of ecosystem and name.
    pub libraries: Vec<Library>,
    /// Levels of toolchains.
    pub toolchains: Vec<Level>,
    /// Files that a tool works out, with the command that does it anew.
    pub locks: Vec<Lock>,
    /// Manifests that cannot be read.
    pub unreadable: Vec<Unreadable>,
}

/// A name with a number of files.
#[derive(Debug, Serialize)]
pub struct LanguageCount {
    /// The name.
    pub name: String,
    /// How many.
    pub files: usize,
    /// Recipes can change its code.
    pub supported: bool,
}

/// A folder with a manifest.
#[derive(Debug, Serialize)]
pub struct Module {
    /// The manifest.
    pub path: RelPath,
    /// Its ecosystem.
    pub ecosystem: &'static str,
    /// What it calls itself.
    pub name: Option<String>,
    /// How many libraries it names.
    pub libraries: usize,
}

/// A library that the project names.
#[derive(Debug, Serialize)]
pub struct Library {
    /// Its ecosystem.
    pub ecosystem: &'static str,
    /// Its coordinate.
    pub coordinate: String,
    /// It is a plugin of the build.
    pub plugin: bool,
    /// Where each version is held.
    pub held: Vec<VersionPlace>,
    /// The manifests that name it, with the version that it has there.
    pub named: Vec<ManifestUse>,
}

/// A manifest that names a library.
#[derive(Debug, Serialize)]
pub struct ManifestUse {
    /// The manifest.
    pub path: RelPath,
    /// The version that is said for it, there or elsewhere.
    pub version: Option<String>,
}

/// A version and its place.
#[derive(Debug, PartialEq, Eq, Serialize)]
pub struct VersionPlace {
    /// The version as it is written; none where the entry has none.
    pub version: Option<String>,
    /// The file that holds it.
    pub path: RelPath,
    /// The line there, from 1.
    pub line: u32,
    /// The name of the value that holds it, if it is one.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
}

/// The level of a toolchain.
#[derive(Debug, PartialEq, Eq, Serialize)]
pub struct Level {
    /// Its word.
    pub toolchain: &'static str,
    /// The level as it is written.
    pub level: String,
    /// Where.
    pub path: RelPath,
}

/// A file that a tool works out.
#[derive(Debug, Serialize)]
pub struct Lock {
    /// The file.
    pub path: RelPath,
    /// What does it anew.
    pub refresh: &'static str,
}

/// A manifest that cannot be read.
#[derive(Debug, Serialize)]
pub struct Unreadable {
    /// The file.
    pub path: RelPath,
    /// Why.
    pub why: String,
}

/// How far a recipe fits a project.
#[derive(Debug, Serialize)]
pub struct RecipeFit {
    /// The recipe's id.
    pub id: String,
    /// Its title.
    pub title: String,
    /// Libraries of the recipe that the project names, with their versions.
    pub libraries: Vec<String>,
    /// At least one of them is of a version that the recipe starts from.
    pub fits: bool,
}

/// Languages that recipes cannot change yet, by their endings.
const OTHERS: &[(&str, &[&str])] = &[
    ("Kotlin", &["kt", "kts"]),
    ("Groovy", &["groovy", "gradle"]),
    ("Scala", &["scala", "sbt"]),
    ("Go", &["go"]),
    ("PHP", &["php"]),
    ("Ruby", &["rb"]),
    ("Swift", &["swift"]),
    ("Dart", &["dart"]),
    ("Elixir", &["ex", "exs"]),
    ("C", &["c", "h"]),
    ("C++", &["cc", "cpp", "cxx", "hpp"]),
    ("Shell", &["sh", "bash"]),
    ("HTML", &["html", "htm"]),
    ("CSS", &["css", "scss", "less"]),
    ("SQL", &["sql"]),
    ("XML", &["xml"]),
    ("YAML", &["yaml", "yml"]),
    ("JSON", &["json"]),
    ("TOML", &["toml"]),
    ("properties", &["properties"]),
    ("Markdown", &["md"]),
];

/// Looks at a project.
pub fn survey(world: &Arc<World>, project: &Project) -> Survey {
    let walked = walk(project, &[]);
    let files = ProjectFiles::new(world.clone(), project, walked.files);
    Survey { skipped: walked.skipped, passed: walked.passed, ..survey_files(&files) }
}

/// Looks at files as they are by now.
pub(crate) fn survey_files(files: &ProjectFiles) -> Survey {
    let world = &*files.world;
    let mut languages: BTreeMap<&str, (usize, bool)> = BTreeMap::new();
    for path in files.paths() {
        let known = world.language_of(path).map(|l| (l.title, true));
        let other = || {
            let ending = path.extension()?;
            // Settings are changed by keys, pages by their markup, whatever the language around them.
            let changed = world.format_of(path).is_some() || world.host_of(path).is_some();
            OTHERS.iter().find(|o| o.1.contains(&ending)).map(|o| (o.0, changed))
        };
        let page = || {
            let host = world.host_of(path).filter(|_| world.ecosystem_of(path).is_none());
            host.map(|h| (h.title, true))
        };
        if let Some((name, supported)) = known.or_else(page).or_else(other) {
            let entry = languages.entry(name).or_insert((0, supported));
            entry.0 += 1;
        }
    }
    let manifests: Vec<Read> = files
        .paths()
        .par_iter()
        .filter_map(|path| Some((path, world.ecosystem_of(path)?)))
        .filter_map(|(path, ecosystem)| read(files, path, ecosystem))
        .collect();
    let mut out = Survey {
        files: files.paths().len(),
        skipped: SkipCounts::default(),
        passed: PassedOver::default(),
        languages: counted(languages.into_iter().map(|(n, c)| (n.to_owned(), c.0, c.1))),
        ecosystems: Vec::new(),
        modules: Vec::new(),
        libraries: Vec::new(),
        toolchains: Vec::new(),
        locks: files.paths().iter().filter_map(|p| lock(world, p)).collect(),
        unreadable: Vec::new(),
    };
    let mut kinds: BTreeMap<&str, usize> = BTreeMap::new();
    for m in &manifests {
        *kinds.entry(m.ecosystem.title).or_default() += 1;
        match &m.told {
            Ok(told) => out.take(m, told, &manifests),
            Err(why) => {
                out.unreadable.push(Unreadable { path: m.path.clone(), why: why.clone() });
            }
        }
    }
    out.ecosystems = counted(kinds.into_iter().map(|(n, c)| (n.to_owned(), c, true)));
    out.libraries.sort_by(|a, b| (a.ecosystem, &a.coordinate).cmp(&(b.ecosystem, &b.coordinate)));
    out
}

fn counted(all: impl Iterator<Item = (String, usize, bool)>) -> Vec<LanguageCount> {
    let mut out: Vec<LanguageCount> =
        all.map(|(name, files, supported)| LanguageCount { name, files, supported }).collect();
    out.sort_by(|a, b| b.files.cmp(&a.files).then_with(|| a.name.cmp(&b.name)));
    out
}

/// A manifest as it was read.
struct Read {
    path: RelPath,
    ecosystem: &'static Ecosystem,
    text: String,
    told: Result<Manifest, String>,
}

fn read(files: &ProjectFiles, path: &RelPath, ecosystem: &'static Ecosystem) -> Option<Read> {
    let text = files.peek(path)?;
    let told = (ecosystem.read)(path, &text).map_err(|e| e.message);
    Some(Read { path: path.clone(), ecosystem, text, told })
}

fn lock(world: &World, path: &RelPath) -> Option<Lock> {
    Some(Lock { path: path.clone(), refresh: world.refresh_of(path)? })
}

/// The files that a tool works out of these manifests, beside them or above, with the command that does it anew.
pub fn locks_of<'p>(
    world: &World,
    project: &Project,
    manifests: impl Iterator<Item = &'p RelPath>,
) -> Vec<Lock> {
    let mut out: Vec<Lock> = Vec::new();
    for path in manifests {
        let Some(ecosystem) = world.ecosystem_of(path) else { continue };
        let mut folder = path.folder();
        loop {
            for (name, refresh) in ecosystem.locks {
                let whole =
                    if folder.is_empty() { (*name).to_owned() } else { format!("{folder}/{name}") };
                let Ok(lock) = RelPath::new(&whole) else { continue };
                let known = out.iter().any(|l| l.path == lock);
                if !known && project.exists(&lock) {
                    out.push(Lock { path: lock, refresh });
                }
            }
            if folder.is_empty() {
                break;
            }
            folder = folder.rsplit_once('/').map_or("", |f| f.0);
        }
    }
    out
}

impl Survey {
    fn take(&mut self, m: &Read, told: &Manifest, all: &[Read]) {
        let libraries = told.entries.iter().filter(|e| e.kind != EntryKind::Repository).count();
        if libraries > 0 || told.own.is_some() {
            self.modules.push(Module {
                path: m.path.clone(),
                ecosystem: m.ecosystem.id,
                name: told.own.clone(),
                libraries,
            });
        }
        let lines = Lines::new(&m.text);
        for e in told.entries.iter().filter(|e| e.kind != EntryKind::Repository) {
            let at = match e.version.as_ref().and_then(|v| Some((v, v.property()?))) {
                Some((v, name)) => held_by(m, name, all).unwrap_or(VersionPlace {
                    version: None,
                    path: m.path.clone(),
                    line: lines.line(v.span.start),
                    by: Some(name.to_owned()),
                }),
                None => VersionPlace {
                    version: e.version.as_ref().map(|v| v.text.clone()),
                    path: m.path.clone(),
                    line: lines.line(e.version.as_ref().map_or(e.span.start, |v| v.span.start)),
                    by: None,
                },
            };
            let plain = m.ecosystem.plain;
            let same = |l: &&mut Library| {
                l.ecosystem == m.ecosystem.id && plain(&l.coordinate) == plain(&e.coordinate)
            };
            let named = ManifestUse { path: m.path.clone(), version: at.version.clone() };
            match self.libraries.iter_mut().find(same) {
                Some(l) => {
                    l.named.push(named);
                    if !l.held.contains(&at) {
                        l.held.push(at);
                    }
                }
                None => self.libraries.push(Library {
                    ecosystem: m.ecosystem.id,
                    coordinate: e.coordinate.clone(),
                    plugin: e.kind == EntryKind::Plugin,
                    held: vec![at],
                    named: vec![named],
                }),
            }
        }
        for t in &told.toolchains {
            let level =
                Level { toolchain: t.what, level: t.level().into_owned(), path: m.path.clone() };
            if !self.toolchains.contains(&level) {
                self.toolchains.push(level);
            }
        }
    }

    /// How far recipes fit, those that fit first.
    pub fn fits(&self, world: &World, recipes: &[Recipe]) -> Vec<RecipeFit> {
        let mut out: Vec<RecipeFit> = recipes.iter().map(|r| self.fit(world, r)).collect();
        out.sort_by_key(|f| (!f.fits, f.libraries.is_empty()));
        out
    }

    fn fit(&self, world: &World, recipe: &Recipe) -> RecipeFit {
        let mut libraries = Vec::new();
        let mut fits = false;
        let known = recipe.library.as_ref();
        let from =
            known.and_then(|l| l.from.as_ref()).and_then(|f| Requirement::parse(&f.text).ok());
        for c in known.iter().flat_map(|l| &l.coordinates) {
            let Some((id, rest)) = c.text.split_once(':') else { continue };
            let plain = world.ecosystem(id).map(|e| e.plain);
            let same = |l: &&Library| {
                l.ecosystem == id
                    && plain.is_some_and(|plain| {
                        let stem = rest.strip_suffix('*');
                        let own = plain(&l.coordinate);
                        stem.map_or(own == plain(rest), |s| own.starts_with(&plain(s)))
                    })
            };
            for l in self.libraries.iter().filter(same) {
                for h in &l.held {
                    let version = h.version.as_deref().unwrap_or("no version");
                    let text = format!("{id}:{} {version}", l.coordinate);
                    if !libraries.contains(&text) {
                        libraries.push(text);
                    }
                    let low = h.version.as_deref().and_then(lowest);
                    fits |= match (&from, low) {
                        (Some(from), Some(low)) => from.allows(&low),
                        (None, _) => true,
                        (Some(_), None) => false,
                    };
                }
            }
        }
        RecipeFit { id: recipe.id.clone(), title: recipe.title.clone(), libraries, fits }
    }
}

/// The place that holds a named value: this file, else the nearest of its ecosystem that defines it.
fn held_by(m: &Read, name: &str, all: &[Read]) -> Option<VersionPlace> {
    let defines = |r: &&Read| {
        r.ecosystem.id == m.ecosystem.id
            && r.told.as_ref().is_ok_and(|t| t.properties.iter().any(|p| p.name == name))
    };
    let shared = |r: &&Read| {
        let folder = m.path.folder();
        r.path.folder().split('/').zip(folder.split('/')).take_while(|(a, b)| a == b).count()
    };
    let own = all.iter().filter(defines).find(|r| r.path == m.path);
    let found = own.or_else(|| all.iter().filter(defines).max_by_key(shared))?;
    let told = found.told.as_ref().ok()?;
    let value = &told.properties.iter().find(|p| p.name == name)?.value;
    if let Some(next) = value.property().filter(|n| *n != name) {
        let at = told.properties.iter().find(|p| p.name == next);
        if let Some(p) = at.filter(|p| p.value.property().is_none()) {
            return Some(place(found, &p.value, next));
        }
    }
    Some(place(found, value, name))
}

fn place(found: &Read, value: &emendo_docs::Value, name: &str) -> VersionPlace {
    VersionPlace {
        version: Some(value.text.clone()),
        path: found.path.clone(),
        line: Lines::new(&found.text).line(value.span.start),
        by: Some(name.to_owned()),
    }
}
