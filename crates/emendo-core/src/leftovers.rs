//! What is left of the old API: places that no step covers, each with how sure that is, and the advice of its step.

use std::collections::{BTreeMap, HashSet};

use emendo_actions::{Runner, SymbolRunner, TextWatch, What};
use emendo_lang::{Certainty, Language};
use emendo_languages::LANGUAGES;
use serde::{Deserialize, Serialize};

use crate::edit::StepKey;
use crate::plan::PlanStep;

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
