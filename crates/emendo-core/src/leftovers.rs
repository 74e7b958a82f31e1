//! What is left of the old API: places that no step covers, each with how sure that is, and the advice of its step.

use std::collections::{BTreeMap, HashSet};

use emendo_lang::{Certainty, Fact, Language};
use emendo_languages::LANGUAGES;
use emendo_text::Span;
use serde::{Deserialize, Serialize};

use crate::actions::{Runner, SymbolRunner, TextWatch, What};
use crate::edit::StepKey;
use crate::plan::PlanStep;

/// A symbol that an action replaces.
#[derive(Clone, Debug)]
pub struct Old {
    /// The full symbol.
    pub symbol: String,
    /// What it is.
    pub(crate) what: What,
    /// What to do with a use that is left.
    pub advice: Option<String>,
}

/// What an action replaces, and by what.
#[derive(Clone, Debug, Default)]
pub struct Replaces {
    /// What is to be gone.
    pub old: Vec<Old>,
    /// What is there instead.
    pub new: Vec<String>,
    /// What keeps its name below what is to be gone.
    pub kept: Vec<String>,
}

/// A place that still means or mentions an old symbol, in the text of a run.
#[derive(Clone, Debug)]
pub struct Remains {
    /// The place.
    pub at: Span,
    /// The old symbol.
    pub symbol: String,
    /// How sure it is that it is meant.
    pub certainty: Certainty,
    /// Why, in plain words; empty where a fact says it.
    pub why: String,
    /// The fact that says it.
    pub fact: Option<Fact>,
}

/// A remaining use of the old API that no edit covers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leftover {
    /// The old symbol.
    pub symbol: String,
    /// The line in the original file, from 1.
    pub line: u32,
    /// The line's text.
    pub source: String,
    /// How sure it is that the place means or mentions the symbol.
    pub certainty: Certainty,
    /// Why.
    pub why: String,
    /// The step that is about the symbol.
    #[serde(flatten)]
    pub step: StepKey,
    /// What that step advises.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub advice: Option<String>,
}

/// Symbols, each with its step and what that advises.
pub(crate) type About = BTreeMap<String, (StepKey, Option<String>)>;

/// What looks for leftovers, for one kind of symbol in one language, or in files that are no code.
pub(crate) struct Watch {
    pub(crate) runner: Box<dyn Runner>,
    /// Each symbol with its step and what that advises.
    pub(crate) about: About,
}

/// The watches for what the steps of a plan replace.
pub(crate) fn watches(steps: &[PlanStep]) -> Vec<Watch> {
    let mut by_kind: BTreeMap<(&str, &str), (What, About)> = BTreeMap::new();
    let mut new: HashSet<String> = HashSet::new();
    let mut kept: Vec<String> = Vec::new();
    for step in steps {
        for runner in &step.runners {
            let Some(language) = runner.language() else { continue };
            let replaces = runner.replaces();
            new.extend(replaces.new);
            kept.extend(replaces.kept);
            for old in replaces.old {
                let advice = old.advice.or_else(|| step.info.why.clone());
                let kind = by_kind.entry((language.id, old.what.word()));
                let (_, all) = kind.or_insert_with(|| (old.what, BTreeMap::new()));
                all.entry(old.symbol).or_insert_with(|| (step.info.key.clone(), advice));
            }
        }
    }
    let mut out = Vec::new();
    let mut mentioned: About = BTreeMap::new();
    for ((id, _), (what, mut about)) in by_kind {
        about.retain(|symbol, _| !new.contains(symbol));
        let Some(language) = language_of(id).filter(|_| !about.is_empty()) else { continue };
        mentioned.extend(about.iter().map(|(k, v)| (k.clone(), v.clone())));
        let runner =
            SymbolRunner::watch(language, what, about.keys().cloned().collect(), kept.clone());
        out.push(Watch { runner: Box::new(runner), about });
    }
    if !mentioned.is_empty() {
        let runner = TextWatch::new(mentioned.keys().cloned().collect(), kept);
        out.push(Watch { runner: Box::new(runner), about: mentioned });
    }
    out
}

fn language_of(id: &str) -> Option<&'static Language> {
    LANGUAGES.iter().copied().find(|l| l.id == id)
}
