//! Where recipes, steps and actions hold: asked of the whole project, or of the module that a file belongs to. All is read
//! on the state in which a run begins.

use std::collections::BTreeSet;
use std::sync::{Arc, RwLock};

use emendo_actions::{
    Declaration, FileCx, Found, Needs, Query, Remains, Replaces, Runner, Subject, Uses,
};
use emendo_docs::{ECOSYSTEMS, Requirement, ecosystem_of, format_of, lowest};
use emendo_lang::{FileFacts, Language, Tree};
use emendo_languages::language_of;
use emendo_recipe::{Action, Condition, Globs, Recipe};
use emendo_text::{Diagnostic, RelPath};
use rayon::prelude::*;

use crate::project::{ProjectFiles, Survey};

/// One question.
#[derive(Clone, Debug)]
enum Ask {
    Library(String),
    File(Globs),
    RefersTo(String),
    Setting(String),
    Lang(String),
}

/// Questions that must all be answered so.
#[derive(Clone, Debug)]
struct Asked {
    wanted: bool,
    asks: Vec<Ask>,
    /// Asked of the module that a file belongs to.
    unit: bool,
    /// Asked just before the step, not when the run begins.
    now: bool,
}

/// What an action waits for, with the answer of the run at hand.
pub(crate) struct Conditions {
    all: Vec<Asked>,
    /// The library that the recipe is for, under its name.
    library: Option<(String, Vec<String>)>,
    truth: RwLock<Option<Truth>>,
    /// The answer to what is asked just before the step.
    late: RwLock<Option<Truth>>,
}

/// Where it holds.
#[derive(Debug)]
struct Truth {
    /// The folders of modules, the longest first.
    units: Vec<String>,
    /// Those in which it holds.
    holds: BTreeSet<String>,
}

impl Conditions {
    /// What an action waits for; nothing if it always holds.
    pub(crate) fn of(recipe: &Recipe, outer: &[Condition], action: &Action) -> Option<Arc<Self>> {
        let project = recipe.conditions.iter().chain(outer).map(|c| asked(c, false));
        let own = Condition::of(&action.table);
        let all: Vec<Asked> = project.chain(own.iter().map(|c| asked(c, true))).collect();
        let library = recipe.library.as_ref().map(|l| {
            (l.name.to_lowercase(), l.coordinates.iter().map(|c| c.text.clone()).collect())
        });
        let (truth, late) = (RwLock::new(None), RwLock::new(None));
        (!all.is_empty()).then(|| Arc::new(Self { all, library, truth, late }))
    }

    /// True if something is asked just before the step.
    pub(crate) fn is_late(&self) -> bool {
        self.all.iter().any(|c| c.now)
    }

    /// Finds out where it holds when a run begins.
    pub(crate) fn decide(&self, files: &ProjectFiles, told: &Survey) {
        let truth = self.truth(files, told, false);
        for (place, value) in [(&self.truth, Some(truth)), (&self.late, None)] {
            if let Ok(mut place) = place.write() {
                *place = value;
            }
        }
    }

    /// Finds out where it holds just before the step, on what the steps before it made of the files.
    pub(crate) fn decide_late(&self, files: &ProjectFiles, told: &Survey) {
        let truth = self.truth(files, told, true);
        if let Ok(mut late) = self.late.write() {
            *late = Some(truth);
        }
    }

    fn truth(&self, files: &ProjectFiles, told: &Survey, now: bool) -> Truth {
        let mut units: Vec<String> = files
            .paths()
            .iter()
            .filter(|p| ecosystem_of(p).is_some())
            .map(|p| p.folder().to_owned())
            .collect();
        units.push(String::new());
        units.sort_by(|a, b| b.len().cmp(&a.len()).then_with(|| a.cmp(b)));
        units.dedup();
        let mut holds: BTreeSet<String> = units.iter().cloned().collect();
        for c in self.all.iter().filter(|c| c.now == now) {
            let mut found: Option<BTreeSet<String>> = None;
            for ask in &c.asks {
                let own = self.answer(ask, files, told, &units);
                found = Some(match found {
                    Some(f) if c.unit => f.intersection(&own).cloned().collect(),
                    Some(f) => {
                        if f.is_empty() || own.is_empty() {
                            BTreeSet::new()
                        } else {
                            f
                        }
                    }
                    None => own,
                });
            }
            let found = found.unwrap_or_default();
            // Asked of the whole project, one place tells for all.
            let fits = |u: &String| if c.unit { found.contains(u) } else { !found.is_empty() };
            holds.retain(|u| fits(u) == c.wanted);
        }
        Truth { units, holds }
    }

    /// True if it holds for a file. Where nothing was asked, as for examples, it does.
    fn holds(&self, path: &RelPath) -> bool {
        self.answered(|t| t.holds.contains(unit_of(path, &t.units)))
    }

    fn any(&self) -> bool {
        self.answered(|t| !t.holds.is_empty())
    }

    fn answered(&self, fits: impl Fn(&Truth) -> bool) -> bool {
        let one = |place: &RwLock<Option<Truth>>| {
            place.read().map_or(true, |t| t.as_ref().is_none_or(&fits))
        };
        one(&self.truth) && one(&self.late)
    }

    /// The modules in which the answer to a question is yes.
    fn answer(
        &self,
        ask: &Ask,
        files: &ProjectFiles,
        told: &Survey,
        units: &[String],
    ) -> BTreeSet<String> {
        let of = |path: &RelPath| unit_of(path, units).to_owned();
        let where_ = |fits: &(dyn Fn(&RelPath) -> bool + Sync)| {
            let all = files.paths().par_iter().filter(|p| fits(p));
            all.map(&of).collect::<BTreeSet<String>>()
        };
        let text = |path: &RelPath, word: &str| {
            files
                .peek(path)
                .filter(|t| memchr::memmem::find(t.as_bytes(), word.as_bytes()).is_some())
        };
        match ask {
            Ask::Library(wanted) => {
                let known = self.library.as_ref();
                let found = named(told, wanted, known);
                found.into_iter().map(|p| of(&p)).collect()
            }
            Ask::File(globs) => where_(&|p| globs.matches(p)),
            Ask::Lang(id) => where_(&|p| language_of(p).is_some_and(|l| l.id == id)),
            Ask::Setting(key) => {
                let last = key.rsplit('.').next().unwrap_or(key);
                where_(&|p| {
                    let Some(format) = format_of(p).filter(|_| ecosystem_of(p).is_none()) else {
                        return false;
                    };
                    let word =
                        if format.constant { emendo_docs::constant(key) } else { last.to_owned() };
                    let Some(text) = text(p, &word) else { return false };
                    (format.read)(&text).all().iter().any(|e| format.same_key(p, &e.path(), key))
                })
            }
            Ask::RefersTo(symbol) => where_(&|p| {
                let Some(language) = language_of(p) else { return false };
                let names = &language.names;
                let Some(text) = text(p, names.last(symbol)) else { return false };
                refers(language, p, &text, symbol, files)
            }),
        }
    }
}

/// True if an import or a full name in a file is a symbol, or lies below it.
fn refers(
    language: &'static Language,
    path: &RelPath,
    text: &str,
    symbol: &str,
    files: &ProjectFiles,
) -> bool {
    let tree = Tree::parse_file(language, path, text);
    let facts = FileFacts::of_file(language, &tree, text, path, files);
    let names = &language.names;
    let owner = names.parent(symbol);
    let below = |p: &str| {
        p == symbol || p.strip_prefix(symbol).is_some_and(|r| r.starts_with(['.', ':', '/']))
    };
    let imported = facts.imports.iter().any(|i| below(i.path()) || i.wildcard && i.path() == owner);
    let word = |c: char| c.is_alphanumeric() || c == '_';
    let full = || {
        text.match_indices(symbol).any(|(i, _)| {
            let before = text[..i].chars().next_back();
            let after = text[i + symbol.len()..].chars().next();
            !before.is_some_and(|c| word(c) || c == '.') && !after.is_some_and(word)
        })
    };
    imported || full()
}

/// The folder of the nearest manifest around a file.
fn unit_of<'u>(path: &RelPath, units: &'u [String]) -> &'u str {
    let folder = path.folder();
    let around = |u: &&String| {
        u.is_empty()
            || folder == u.as_str()
            || folder.strip_prefix(u.as_str()).is_some_and(|r| r.starts_with('/'))
    };
    units.iter().find(around).map_or("", String::as_str)
}

fn asked(condition: &Condition, unit: bool) -> Asked {
    let t = &condition.asks;
    let texts = |key: &str| t.texts(key).into_iter().map(|t| t.text.clone()).collect::<Vec<_>>();
    let mut asks: Vec<Ask> = Vec::new();
    asks.extend(texts("library").into_iter().map(Ask::Library));
    asks.extend(texts("refers_to").into_iter().map(Ask::RefersTo));
    asks.extend(texts("setting").into_iter().map(Ask::Setting));
    asks.extend(texts("lang").into_iter().map(Ask::Lang));
    let globs = texts("file");
    if !globs.is_empty() {
        asks.extend(Globs::compile(&globs).map(Ask::File));
    }
    Asked { wanted: condition.wanted, asks, unit, now: t.is_true("now") }
}

/// What is wrong with conditions.
pub(crate) fn check(conditions: &[Condition], out: &mut Vec<Diagnostic>) {
    for c in conditions {
        for t in c.asks.texts("library") {
            let (name, versions) = split(&t.text);
            let compares = t.text.contains(['>', '<', '=', '!']);
            if name.is_empty() || compares && versions.is_none() {
                let d =
                    Diagnostic::error(format!("`{}` is no library with versions", t.text), t.span);
                out.push(d.help("for example `tidewire >= 2, < 3`, or `npm:tidewire`"));
            }
        }
        for t in c.asks.texts("lang") {
            if emendo_languages::language(&t.text).is_none() {
                let d = Diagnostic::error(
                    format!("the language `{}` is not built yet", t.text),
                    t.span,
                );
                let known: Vec<&str> = emendo_languages::LANGUAGES.iter().map(|l| l.id).collect();
                out.push(d.help(format!("built so far: {}", known.join(", "))));
            }
        }
    }
}

/// A library with versions, as `npm:tidewire >= 2`: what stands before the comparison, and the comparison.
fn split(wanted: &str) -> (&str, Option<Requirement>) {
    let at = wanted.find(['>', '<', '=', '!']);
    let (name, rest) = at.map_or((wanted, ""), |i| wanted.split_at(i));
    (name.trim(), Requirement::parse(rest.trim()).ok())
}

/// The manifests that name a library of these versions.
pub(crate) fn named(
    told: &Survey,
    wanted: &str,
    known: Option<&(String, Vec<String>)>,
) -> Vec<RelPath> {
    let (name, versions) = split(wanted);
    let own: Vec<String> = match known {
        Some((own, coordinates)) if *own == name.to_lowercase() => coordinates.clone(),
        _ => vec![name.to_owned()],
    };
    let mut out = Vec::new();
    for library in &told.libraries {
        let plain = ECOSYSTEMS.iter().find(|e| e.id == library.ecosystem).map(|e| e.plain);
        let fits = own.iter().any(|c| {
            let (ecosystem, rest) = match c.split_once(':') {
                Some((e, rest)) if ECOSYSTEMS.iter().any(|k| k.id == e) => (Some(e), rest),
                _ => (None, c.as_str()),
            };
            let same = |a: &str| plain.is_some_and(|p| p(a) == p(rest));
            let last = library.coordinate.rsplit([':', '/']).next().unwrap_or("");
            ecosystem.is_none_or(|e| e == library.ecosystem)
                && (same(&library.coordinate) || ecosystem.is_none() && same(last))
        });
        let fitting = library.named.iter().filter(|_| fits).filter(|n| match &versions {
            None => true,
            Some(v) => n.version.as_deref().and_then(lowest).is_some_and(|low| v.allows(&low)),
        });
        out.extend(fitting.map(|n| n.path.clone()));
    }
    out
}

/// An action that holds only where its conditions do.
pub(crate) struct Conditioned {
    inner: Box<dyn Runner>,
    conditions: Arc<Conditions>,
}

impl Conditioned {
    pub(crate) fn around(inner: Box<dyn Runner>, conditions: Arc<Conditions>) -> Box<dyn Runner> {
        Box::new(Self { inner, conditions })
    }
}

impl Runner for Conditioned {
    fn kind(&self) -> &'static str {
        self.inner.kind()
    }
    fn covers(&self, path: &RelPath) -> bool {
        self.inner.covers(path) && self.conditions.holds(path)
    }
    fn language(&self) -> Option<&'static Language> {
        self.inner.language()
    }
    fn needs(&self) -> &Needs {
        self.inner.needs()
    }
    fn symbols(&self) -> Vec<String> {
        self.inner.symbols()
    }
    fn subjects(&self) -> Vec<Subject> {
        self.inner.subjects()
    }
    fn replaces(&self) -> Replaces {
        self.inner.replaces()
    }
    fn packages(&self) -> Vec<String> {
        self.inner.packages()
    }
    fn asks_declarations(&self) -> bool {
        self.inner.asks_declarations()
    }
    fn changes_declarations(&self) -> bool {
        self.inner.changes_declarations()
    }
    fn reads_manifests(&self) -> bool {
        self.inner.reads_manifests()
    }
    fn queries(&self) -> Vec<Arc<Query>> {
        self.inner.queries()
    }
    fn declares(&self, cx: &FileCx<'_>) -> Vec<Declaration> {
        self.inner.declares(cx)
    }
    fn follows(&self) -> bool {
        self.inner.follows()
    }
    fn spreads(&self) -> bool {
        self.inner.spreads()
    }
    fn uses(&self, declaration: &Declaration, cx: &FileCx<'_>) -> Uses {
        self.inner.uses(declaration, cx)
    }
    fn grows(&self) -> bool {
        self.inner.grows()
    }
    fn rows(&self) -> Vec<String> {
        self.inner.rows()
    }
    fn once(&self) -> bool {
        self.inner.once()
    }
    fn caution(&self, path: &RelPath, row: usize) -> Option<&'static str> {
        self.inner.caution(path, row)
    }
    fn step_note(&self) -> Option<String> {
        self.inner.step_note().filter(|_| self.conditions.any())
    }
    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        self.inner.remains(cx, out);
    }
    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        self.inner.find(cx, action, out);
    }
}
