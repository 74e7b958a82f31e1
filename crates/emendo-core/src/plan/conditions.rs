//! Where recipes, steps and actions hold: asked of the whole project, or of the module that a file belongs to. All is read
//! on the state in which a run begins.

use std::sync::Arc;

use emendo_actions::World;
use emendo_recipe::{Action, Condition, Globs, Recipe};
use emendo_text::Diagnostic;

use crate::plan::libraries::split;
use crate::plan::required::Required;

/// One question.
#[derive(Clone, Debug)]
pub(crate) enum Ask {
    Library(String),
    /// Globs, and how they are written.
    File(Globs, Vec<String>),
    RefersTo(String),
    Setting(String),
    Lang(String),
    /// What the recipe of a step requires.
    Required(Arc<Required>),
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

impl Ask {
    /// The question as a sentence that is true, or one that is not; none for what a recipe requires, which is told elsewhere.
    fn said(&self, holds: bool) -> Option<String> {
        let quoted =
            |all: &[String]| all.iter().map(|t| format!("`{t}`")).collect::<Vec<_>>().join(" or ");
        Some(match (self, holds) {
            (Self::Library(l), true) => format!("`{l}` is there"),
            (Self::Library(l), false) => format!("`{l}` is not there"),
            (Self::File(_, globs), true) => format!("there is a file {}", quoted(globs)),
            (Self::File(_, globs), false) => format!("there is no file {}", quoted(globs)),
            (Self::RefersTo(s), true) => format!("a file refers to `{s}`"),
            (Self::RefersTo(s), false) => format!("no file refers to `{s}`"),
            (Self::Setting(k), true) => format!("the key `{k}` is set"),
            (Self::Setting(k), false) => format!("the key `{k}` is not set"),
            (Self::Lang(l), true) => format!("there are files of `{l}`"),
            (Self::Lang(l), false) => format!("there are no files of `{l}`"),
            (Self::Required(_), _) => return None,
        })
    }
}

impl ConditionGroup {
    /// Why it keeps a step from running: the condition, and what it found.
    pub(crate) fn fails(&self) -> Option<String> {
        let said: Vec<String> = self.asks.iter().filter_map(|a| a.said(!self.wanted)).collect();
        let word = if self.wanted { "only_if" } else { "unless" };
        let with = if self.wanted { " or " } else { " and " };
        (!said.is_empty()).then(|| format!("{word}: {}", said.join(with)))
    }
}

/// What an action waits for.
pub(crate) struct Conditions {
    pub(crate) all: Vec<ConditionGroup>,
    /// The library that the recipe is for, under its name.
    pub(crate) library: Option<(String, Vec<String>)>,
}

impl Conditions {
    /// What an action waits for; nothing if it always holds.
    pub(crate) fn of(
        recipe: &Recipe,
        outer: &[Condition],
        required: &[Arc<Required>],
        action: &Action,
    ) -> Option<Arc<Self>> {
        let project = recipe.conditions.iter().chain(outer).map(|c| asked(c, false));
        let own = Condition::of(&action.table);
        let required = required.iter().map(|r| ConditionGroup {
            wanted: true,
            asks: vec![Ask::Required(r.clone())],
            unit: false,
            now: true,
        });
        let own = own.iter().map(|c| asked(c, true));
        let all: Vec<ConditionGroup> = project.chain(own).chain(required).collect();
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
        asks.extend(Globs::compile(&globs).map(|g| Ask::File(g, globs.clone())));
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
