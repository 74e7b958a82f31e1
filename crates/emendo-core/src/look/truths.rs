//! Where what actions wait for holds in a project: found out by a run, and kept by it.

use std::collections::BTreeSet;
use std::sync::{Arc, RwLock};

use emendo_docs::Format;
use emendo_lang::{FileFacts, Language, Tree};
use emendo_text::RelPath;
use rayon::prelude::*;

use crate::plan::{Ask, Conditions, MissingRequirement, Plan, PlannedAction, named};
use crate::project::{ProjectFiles, Survey, survey_files};

impl Conditions {
    fn truth(&self, files: &ProjectFiles, told: &Survey, now: bool) -> Truth {
        let mut units: Vec<String> = files
            .paths()
            .iter()
            .filter(|p| files.world.ecosystem_of(p).is_some())
            .map(|p| p.folder().to_owned())
            .collect();
        units.push(String::new());
        units.sort_by(|a, b| b.len().cmp(&a.len()).then_with(|| a.cmp(b)));
        units.dedup();
        let mut holds: BTreeSet<String> = units.iter().cloned().collect();
        let mut fails = None;
        for c in self.all.iter().filter(|c| c.now == now) {
            let mut found: Option<BTreeSet<String>> = None;
            for ask in &c.asks {
                let own = self.answer(ask, c.unit, files, told, &units);
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
            if holds.is_empty() && fails.is_none() {
                fails = c.fails();
            }
        }
        let asks = self.all.iter().filter(|c| c.now == now).flat_map(|c| &c.asks);
        let missing = asks.filter_map(|a| match a {
            Ask::Required(required) => Some(required.missing(&files.world, told)),
            _ => None,
        });
        Truth { missing: missing.flatten().collect(), units, holds, fails }
    }

    /// The modules in which the answer to a question is yes.
    fn answer(
        &self,
        ask: &Ask,
        unit: bool,
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
        let world = &*files.world;
        match ask {
            Ask::Required(required) => match required.missing(world, told).is_empty() {
                true => units.iter().cloned().collect(),
                false => BTreeSet::new(),
            },
            Ask::Library(wanted) => {
                let known = self.library.as_ref();
                let found = named(world, told, wanted, known);
                found.into_iter().map(|p| of(&p)).collect()
            }
            // Of a module: as its own manifest sees the file.
            Ask::File(globs, _) => where_(&|p| {
                let below = |u: &str| p.as_str().strip_prefix(u)?.strip_prefix('/');
                let own = below(unit_of(p, units)).filter(|_| unit);
                own.and_then(|o| RelPath::new(o).ok())
                    .map_or_else(|| globs.matches(p), |own| globs.matches(&own))
            }),
            Ask::Lang(id) => where_(&|p| world.language_of(p).is_some_and(|l| l.id == id)),
            Ask::Setting(key) => {
                let last = key.rsplit('.').next().unwrap_or(key);
                where_(&|p| {
                    let settings = |_: &&Format| world.ecosystem_of(p).is_none();
                    let Some(format) = world.format_of(p).filter(settings) else {
                        return false;
                    };
                    let word =
                        if format.constant { emendo_docs::constant(key) } else { last.to_owned() };
                    let Some(text) = text(p, &word) else { return false };
                    (format.read)(&text).all().iter().any(|e| format.same_key(p, &e.path(), key))
                })
            }
            Ask::RefersTo(symbol) => where_(&|p| {
                let Some(language) = world.language_of(p) else { return false };
                let names = &language.names;
                let Some(text) = text(p, names.last(symbol)) else { return false };
                refers(language, p, &text, symbol, files)
            }),
        }
    }
}

/// Where it holds.
#[derive(Debug)]
pub(crate) struct Truth {
    /// The folders of modules, the longest first.
    units: Vec<String>,
    /// Those in which it holds.
    holds: BTreeSet<String>,
    /// What a recipe requires and does not find.
    missing: Vec<MissingRequirement>,
    /// Where it holds nowhere: the condition that is not met.
    fails: Option<String>,
}

/// True if an import or a full name in a file is a symbol, or lies below it.
pub(crate) fn refers(
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
pub(crate) fn unit_of<'u>(path: &RelPath, units: &'u [String]) -> &'u str {
    let folder = path.folder();
    let around = |u: &&String| {
        u.is_empty()
            || folder == u.as_str()
            || folder.strip_prefix(u.as_str()).is_some_and(|r| r.starts_with('/'))
    };
    units.iter().find(around).map_or("", String::as_str)
}

/// What a run has found out about the conditions of its plan. A plan itself never changes: one plan runs over several
/// projects at once.
#[derive(Default)]
pub(crate) struct Truths {
    /// Asked when the run begins.
    early: Vec<(Arc<Conditions>, Truth)>,
    /// Asked just before a step.
    late: RwLock<Vec<(Arc<Conditions>, Truth)>>,
}

impl Truths {
    /// Finds out where all conditions of a plan hold when a run begins.
    pub(crate) fn decide(plan: &Plan, files: &ProjectFiles) -> Self {
        if plan.conditions.is_empty() {
            return Self::default();
        }
        let told = survey_files(files);
        let decide = |c: &Arc<Conditions>| (c.clone(), c.truth(files, &told, false));
        let early = plan.conditions.iter().map(|(_, c)| decide(c)).collect();
        Self { early, late: RwLock::default() }
    }

    /// Finds out where conditions hold just before their step, on what the steps before it made of the files.
    pub(crate) fn decide_late<'c>(
        &self,
        conditions: impl Iterator<Item = &'c Arc<Conditions>>,
        files: &ProjectFiles,
    ) {
        let told = survey_files(files);
        let found: Vec<_> = conditions.map(|c| (c.clone(), c.truth(files, &told, true))).collect();
        if let Ok(mut late) = self.late.write() {
            late.retain(|l| !found.iter().any(|f| Arc::ptr_eq(&f.0, &l.0)));
            late.extend(found);
        }
    }

    /// True if an action is for a file of this path, and its conditions hold there.
    pub(crate) fn cover(&self, action: &PlannedAction, path: &RelPath) -> bool {
        let holds = |t: &Truth| t.holds.contains(unit_of(path, &t.units));
        action.runner.covers(path) && self.answered(action, holds)
    }

    /// What the recipe of an action requires and does not find.
    pub(crate) fn missing(&self, action: &PlannedAction) -> Vec<MissingRequirement> {
        let Some(conditions) = &action.conditions else { return Vec::new() };
        let late = self.late.read();
        let found = late.iter().flat_map(|l| l.iter()).find(|(c, _)| Arc::ptr_eq(c, conditions));
        found.map_or(Vec::new(), |(_, t)| t.missing.clone())
    }

    /// The condition that keeps an action from running anywhere.
    pub(crate) fn fails(&self, action: &PlannedAction) -> Option<String> {
        let conditions = action.conditions.as_ref()?;
        let one = |all: &[(Arc<Conditions>, Truth)]| {
            let found = all.iter().find(|(c, _)| Arc::ptr_eq(c, conditions));
            found.filter(|(_, t)| t.holds.is_empty()).and_then(|(_, t)| t.fails.clone())
        };
        one(&self.early).or_else(|| self.late.read().ok().and_then(|late| one(&late)))
    }

    /// The note at the step itself, where an action's conditions hold anywhere.
    pub(crate) fn step_note(&self, action: &PlannedAction) -> Option<String> {
        action.asks.step_note.clone().filter(|_| self.answered(action, |t| !t.holds.is_empty()))
    }

    /// What was not asked, as for examples, holds.
    fn answered(&self, action: &PlannedAction, fits: impl Fn(&Truth) -> bool) -> bool {
        let Some(conditions) = &action.conditions else { return true };
        let one = |all: &[(Arc<Conditions>, Truth)]| {
            let found = all.iter().find(|(c, _)| Arc::ptr_eq(c, conditions));
            found.is_none_or(|(_, t)| fits(t))
        };
        one(&self.early) && self.late.read().map_or(true, |late| one(&late))
    }
}
