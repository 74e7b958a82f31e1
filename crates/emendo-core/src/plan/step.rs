//! A step of a plan, with its compiled actions.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::{Asks, Runner};
use emendo_lang::{Certainty, Language, Learned};
use serde::{Deserialize, Serialize};

use crate::edits::StepKey;
use crate::plan::conditions::Conditions;

/// A step of a run, as it is shown.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct StepInfo {
    /// Its key.
    #[serde(flatten)]
    pub key: StepKey,
    /// Its title.
    pub title: String,
    /// The reason.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
    /// What behaves differently although it compiles.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub caution: Option<String>,
    /// Where the change is described.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub docs: Option<String>,
    /// The recipes on the way to a step of an included one, the outermost first; empty for a recipe's own step.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub chain: Vec<String>,
}

/// A step that a condition keeps from running.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct SkippedStep {
    /// The step.
    #[serde(flatten)]
    pub step: StepKey,
    /// The condition, and what it found.
    pub because: String,
}

/// What a step changes without a name to look for afterwards.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Unnamed {
    /// The step.
    #[serde(flatten)]
    pub step: StepKey,
    /// The pattern or the key, as the recipe writes it.
    pub what: String,
}

/// A compiled action of a step.
pub struct PlannedAction {
    /// What finds its places.
    pub runner: Box<dyn Runner>,
    /// What that asks of a run.
    pub asks: Asks,
    /// Where it stands in its recipe: one action may need several runners.
    pub place: emendo_text::Span,
    /// How sure its edits must be to be proposed.
    pub(crate) at_least: Option<emendo_recipe::AtLeast>,
    /// What it waits for; none if it always applies.
    pub(crate) conditions: Option<Arc<Conditions>>,
}

/// A compiled step.
pub struct PlanStep {
    /// How it is shown.
    pub info: StepInfo,
    /// Its actions in order.
    pub actions: Vec<PlannedAction>,
    /// The path of its recipe.
    pub source: String,
    /// The packages of its recipe's symbols.
    pub packages: Vec<String>,
}

/// What a recipe tells of a type of a library: the language, the symbol, and what is known of it.
pub(crate) type RecipeType = (&'static Language, String, Learned);

/// Symbols, each with its step and what that advises.
pub(crate) type About = BTreeMap<String, (StepKey, Option<String>)>;

/// What looks for leftovers, for one kind of symbol in one language, or in files that are not code.
pub(crate) struct Watch {
    pub(crate) runner: Box<dyn Runner>,
    /// What that asks of a run.
    pub(crate) asks: Asks,
    /// Each symbol with its step and what that advises.
    pub(crate) about: About,
    /// Places that are less sure are passed over.
    pub(crate) least: Certainty,
}

impl Watch {
    /// Looks for these symbols, and says each place, however sure.
    pub(crate) fn new(runner: impl Runner + 'static, about: About) -> Self {
        let (asks, least) = (runner.asks(), Certainty::Unsure);
        Self { runner: Box::new(runner), asks, about, least }
    }
}
