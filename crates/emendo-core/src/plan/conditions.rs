//! Where recipes, steps and actions hold: asked of the whole project, or of the module that a file belongs to. All is read
//! on the state in which a run begins.

use std::sync::Arc;

use emendo_actions::World;
use emendo_docs::{Requirement, lowest};
use emendo_recipe::{Action, Condition, Globs, Recipe};
use emendo_text::{Diagnostic, RelPath};

use crate::project::Survey;

/// One question.
#[derive(Clone, Debug)]
pub(crate) enum Ask {
    Library(String),
    File(Globs),
    RefersTo(String),
    Setting(String),
    Lang(String),
}

/// Questions that must all be answered so.
#[derive(Clone, Debug)]
pub(crate) struct ConditionGroup {
    pub(crate) wanted: bool,
    pub(crate) asks: Vec<Ask>,
    /// Asked of the module that a file belongs to.
    pub(crate) unit: bool,
    /// Asked just before the step, not when the run begins.
    pub(crate) now: bool,
}

/// What an action waits for.
pub(crate) struct Conditions {
    pub(crate) all: Vec<ConditionGroup>,
    /// The library that the recipe is for, under its name.
    pub(crate) library: Option<(String, Vec<String>)>,
}

impl Conditions {
    /// What an action waits for; nothing if it always holds.
    pub(crate) fn of(recipe: &Recipe, outer: &[Condition], action: &Action) -> Option<Arc<Self>> {
        let project = recipe.conditions.iter().chain(outer).map(|c| asked(c, false));
        let own = Condition::of(&action.table);
        let all: Vec<ConditionGroup> = project.chain(own.iter().map(|c| asked(c, true))).collect();
        let library = recipe.library.as_ref().map(|l| {
            (l.name.to_lowercase(), l.coordinates.iter().map(|c| c.text.clone()).collect())
        });
        (!all.is_empty()).then(|| Arc::new(Self { all, library }))
    }

    /// True if something is asked just before the step.
    pub(crate) fn is_late(&self) -> bool {
        self.all.iter().any(|c| c.now)
    }
}

fn asked(condition: &Condition, unit: bool) -> ConditionGroup {
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
    ConditionGroup { wanted: condition.wanted, asks, unit, now: t.is_true("now") }
}

/// What is wrong with conditions.
pub(crate) fn check(world: &World, conditions: &[Condition], out: &mut Vec<Diagnostic>) {
    for c in conditions {
        for t in c.asks.texts("library") {
            let (name, versions) = split(&t.text);
            let compares = t.text.contains(['>', '<', '=', '!']);
            if name.is_empty() || compares && versions.is_none() {
                let d = Diagnostic::error(
                    format!("`{}` is not a library with versions", t.text),
                    t.span,
                );
                out.push(d.help("for example `tidewire >= 2, < 3`, or `npm:tidewire`"));
            }
        }
        for t in c.asks.texts("lang") {
            if world.language(&t.text).is_none() {
                out.push(world.unknown_language(&t.text, t.span));
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
    world: &World,
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
        let plain = world.ecosystem(library.ecosystem).map(|e| e.plain);
        let fits = own.iter().any(|c| {
            let (ecosystem, rest) = match c.split_once(':') {
                Some((e, rest)) if world.ecosystem(e).is_some() => (Some(e), rest),
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
