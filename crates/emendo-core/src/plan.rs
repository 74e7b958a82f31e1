//! From checked recipes to what runs: steps with compiled actions, cut into stages.

use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

use emendo_lang::{LANGUAGES, Language, Learned, LibraryType, Spellings};
use emendo_recipe::{Recipe, Text};
use emendo_text::{Diagnostic, Digest};
use serde::{Deserialize, Serialize};

use crate::actions::{CompileCx, KINDS, Kind, Runner, named_symbol, renames};
use crate::conditions::{Conditioned, Conditions};
use crate::discover::Subject;
use crate::edit::StepKey;
use crate::leftovers::{Watch, watches};
use crate::narrow::{Declared, Narrow, Needs};

/// A recipe of a run, as it is remembered.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct RecipeInfo {
    /// Its id.
    pub id: String,
    /// Its title.
    pub title: String,
    /// Where it comes from.
    pub path: String,
    /// Identity of all that was read, inputs included.
    pub digest: Digest,
}

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
}

/// A compiled step.
pub struct PlanStep {
    /// How it is shown.
    pub info: StepInfo,
    /// Its actions in order.
    pub runners: Vec<Box<dyn Runner>>,
    /// The packages of its recipe's symbols.
    pub packages: Vec<String>,
}

/// What runs.
pub struct Plan {
    /// The recipes in order.
    pub recipes: Vec<RecipeInfo>,
    /// All steps in order.
    pub steps: Vec<PlanStep>,
    /// Runs of steps that go file by file; all files finish one before the next begins.
    pub stages: Vec<Range<usize>>,
    /// What a file must hold to pass a subject on to others, by language.
    pub(crate) reach: Vec<(&'static str, Needs)>,
    /// Every step a stage of its own.
    pub single: Vec<Range<usize>>,
    /// The packages of all recipes' symbols.
    pub(crate) packages: Vec<String>,
    /// What looks for leftovers.
    pub(crate) watches: Vec<Watch>,
    /// What files must hold to matter.
    pub narrow: Narrow,
    /// What the recipes tell of types of libraries.
    pub(crate) types: Vec<ToldType>,
    /// What actions wait for, with the number of their step.
    pub(crate) conditions: Vec<(usize, Arc<Conditions>)>,
}

/// What a recipe tells of a type of a library: the language, the symbol, and what is known of it.
pub(crate) type ToldType = (&'static Language, String, Learned);

impl Plan {
    /// Compiles recipes in the order given. Gives the messages for each, in the same order; the plan
    /// is only to be run if none is an error.
    pub fn compile(recipes: &[Recipe]) -> (Self, Vec<Vec<Diagnostic>>) {
        let mut steps = Vec::new();
        let mut messages = Vec::new();
        let mut types = Vec::new();
        let mut conditions = Conditional { first: 0, all: Vec::new() };
        for recipe in recipes {
            let mut out = Vec::new();
            let spellings = spellings_of(recipe);
            let told = told_types(recipe, &spellings, &mut out);
            conditions.first = steps.len();
            steps.extend(compile_recipe(recipe, &spellings, &told, &mut conditions, &mut out));
            types.extend(told);
            out.sort_by_key(Diagnostic::start);
            messages.push(out);
        }
        let infos = recipes.iter().map(|r| RecipeInfo {
            id: r.id.clone(),
            title: r.title.clone(),
            path: r.source.path.clone(),
            digest: r.digest,
        });
        let runners = || steps.iter().flat_map(|s: &PlanStep| &s.runners);
        let own = Declared {
            types: runners()
                .filter(|r| r.asks_declarations())
                .filter(|r| r.language().is_some_and(|l| !l.names.packages.is_empty()))
                .flat_map(|r| type_names(&r.symbols()))
                .collect(),
            packages: runners().flat_map(|r| r.packages()).collect(),
            supers: runners()
                .filter_map(|r| Some((r.language()?, r.subjects())))
                .flat_map(|(l, all)| supers(l, &all))
                .collect(),
            words: BTreeSet::new(),
        };
        let watches = watches(&steps);
        let packages: BTreeSet<String> = steps.iter().flat_map(|s| &s.packages).cloned().collect();
        let reach = reach(runners().map(AsRef::as_ref));
        let needs = runners().map(|r| r.needs()).chain(reach.iter().map(|r| &r.1));
        let needs = needs.chain(watches.iter().map(|w| w.runner.needs()));
        let narrow = Narrow::new(needs, &own, LANGUAGES);
        let plan = Self {
            recipes: infos.collect(),
            stages: stages(&steps, &conditions.all),
            single: (0..steps.len()).map(|n| n..n + 1).collect(),
            steps,
            packages: packages.into_iter().collect(),
            reach,
            watches,
            narrow,
            types,
            conditions: conditions.all,
        };
        (plan, messages)
    }

    /// Identity of the whole plan.
    pub fn digest(&self) -> Digest {
        let mut hasher = emendo_text::Hasher::new();
        for r in &self.recipes {
            hasher.digest(r.digest);
        }
        hasher.finish()
    }

    /// Steps with an action that does its work once.
    pub(crate) fn once_steps(&self) -> std::collections::HashSet<StepKey> {
        let once = self.steps.iter().filter(|s| s.runners.iter().any(|r| r.once()));
        once.map(|s| s.info.key.clone()).collect()
    }

    /// Questions that actions have about other files.
    pub fn queries(&self) -> Vec<std::sync::Arc<crate::actions::Query>> {
        self.steps.iter().flat_map(|s| &s.runners).flat_map(|r| r.queries()).collect()
    }

    /// True if an action asks other files for more than what they declare.
    pub(crate) fn asks_bodies(&self) -> bool {
        let mut all = self.steps.iter().flat_map(|s| &s.runners);
        !self.conditions.is_empty() || all.any(|r| r.follows() || !r.queries().is_empty())
    }

    /// True if any step reads all manifests together.
    pub fn reads_manifests(&self) -> bool {
        self.steps.iter().flat_map(|s| &s.runners).any(|r| r.reads_manifests())
    }
}

/// The renames of a step.
fn renames_of(step: &emendo_recipe::Step, recipe: &Recipe) -> Vec<(String, String)> {
    let symbols = step.actions.iter().filter(|a| a.kind.name() == "symbol" && !a.broken);
    symbols.flat_map(|a| renames(a, &recipe.source)).collect()
}

/// The names under which the symbols of a recipe are known.
fn spellings_of(recipe: &Recipe) -> Spellings {
    let mut spellings = Spellings::default();
    let all: Vec<(String, String)> =
        recipe.steps.iter().flat_map(|s| renames_of(s, recipe)).collect();
    for (old, new) in &all {
        // Names that are swapped, or that another rename gives away, are not one symbol.
        if !all.iter().any(|(other, _)| other == new) {
            spellings.join(old, new);
        }
    }
    spellings
}

/// What a recipe tells of types, under all names that they may have.
fn told_types(recipe: &Recipe, spellings: &Spellings, out: &mut Vec<Diagnostic>) -> Vec<ToldType> {
    let mut all = Vec::new();
    for t in &recipe.types {
        let Some(language) = t.scope.lang.as_ref().and_then(|l| emendo_lang::language(&l.text))
        else {
            let d = Diagnostic::error("no language is given for this library type", t.name.span);
            out.push(d.help("write `lang = \"...\"` in it or in the recipe"));
            continue;
        };
        let texts = |list: &[Text]| list.iter().map(|t| t.text.clone()).collect::<Vec<_>>();
        let member = |m: &emendo_recipe::MemberOf| {
            (m.key.text.clone(), m.gives.text.clone(), texts(&m.lambda))
        };
        let written = LibraryType {
            name: t.name.text.clone(),
            extends: texts(&t.extends),
            members: t.members.iter().map(member).collect(),
            exports: texts(&t.exports),
        };
        let name = |word: &str| named_symbol(language, recipe, &t.scope, word);
        match Learned::read(language, &written, &name) {
            Ok((symbol, told)) => {
                let told = told.spelled(spellings);
                let names = spellings.of(&symbol);
                all.extend(names.into_iter().map(|s| (language, s, told.clone())));
            }
            Err(e) => {
                let parts = t.members.iter().flat_map(|m| [&m.key, &m.gives]);
                let parts = parts.chain(t.members.iter().flat_map(|m| &m.lambda));
                let mut parts = parts.chain(&t.extends).chain([&t.name]);
                let at = parts.find(|p| p.text == e.text || p.text.contains(&e.text));
                let span = at.map_or(t.name.span, |p| p.span);
                let d = Diagnostic::error(format!("`{}`: {}", e.text, e.message), span);
                out.push(d.help("for example `name = \"a.b.Store<T>\"` with `members = { \"find(K)\" = \"T\", size = \"int\" }`"));
            }
        }
    }
    all
}

/// What actions wait for.
struct Conditional {
    /// The number of the recipe's first step.
    first: usize,
    all: Vec<(usize, Arc<Conditions>)>,
}

fn compile_recipe(
    recipe: &Recipe,
    spellings: &Spellings,
    told: &[ToldType],
    conditions: &mut Conditional,
    out: &mut Vec<Diagnostic>,
) -> Vec<PlanStep> {
    let mut renamed: Vec<(String, String)> = Vec::new();
    let mut steps = Vec::new();
    crate::conditions::check(&recipe.conditions, out);
    for step in &recipe.steps {
        crate::conditions::check(&step.conditions, out);
        let mut runners = Vec::new();
        for action in &step.actions {
            crate::conditions::check(&emendo_recipe::Condition::of(&action.table), out);
            let kind: Option<&&dyn Kind> = KINDS.iter().find(|k| k.name() == action.kind.name());
            let mut found = Vec::new();
            let mut cx = CompileCx { recipe, spellings, renamed: &renamed, out: &mut found };
            let runner = kind.and_then(|k| k.compile(action, &mut cx));
            let more = kind.map_or_else(Vec::new, |k| k.more(action, &mut cx));
            if action.broken {
                // What is missing may be what could not be read: only messages about a place of their own count.
                found.retain(|d| d.labels.first().is_some_and(|l| l.span != action.span));
            } else {
                let all = runner.into_iter().chain(more);
                match Conditions::of(recipe, &step.conditions, action) {
                    Some(c) => {
                        conditions.all.push((conditions.first + steps.len(), c.clone()));
                        runners.extend(all.map(|r| Conditioned::around(r, c.clone())));
                    }
                    None => runners.extend(all),
                }
            }
            out.extend(found);
        }
        renamed.extend(renames_of(step, recipe));
        let info = StepInfo {
            key: StepKey { recipe: recipe.id.clone(), step: step.id.clone() },
            title: step.title.clone(),
            why: step.why.clone(),
            caution: step.caution.clone(),
        };
        steps.push(PlanStep { info, runners, packages: Vec::new() });
    }
    let packages: BTreeSet<String> = steps
        .iter()
        .flat_map(|s| &s.runners)
        .filter_map(|r| Some((r.language()?, r.symbols())))
        .flat_map(|(l, all)| all.into_iter().map(|s| l.names.package(&s)).collect::<Vec<_>>())
        .chain(told.iter().map(|(l, symbol, _)| l.names.package(symbol)))
        .collect();
    let packages: Vec<String> = packages.into_iter().filter(|p| !p.is_empty()).collect();
    steps.iter_mut().for_each(|s| s.packages.clone_from(&packages));
    steps
}

/// What files must hold that may pass a subject on.
fn reach<'r>(runners: impl Iterator<Item = &'r dyn Runner>) -> Vec<(&'static str, Needs)> {
    let mut out: Vec<(&'static str, Needs)> = Vec::new();
    for r in runners {
        let Some(language) = r.language().filter(|l| !l.names.passing.is_empty()) else { continue };
        let names = &language.names;
        let one = |s: Subject| {
            let owner = if s.member { names.parent(&s.symbol) } else { s.symbol };
            // Where packages are imported whole, the name itself need not stand there.
            vec![if names.sure_wildcards { names.package(&owner) } else { owner }]
        };
        let needs = Needs::of(r.subjects().into_iter().map(one));
        match out.iter_mut().find(|o| o.0 == language.id) {
            Some(known) => known.1.0.extend(needs.0),
            None => out.push((language.id, needs)),
        }
    }
    for (_, needs) in &mut out {
        needs.0.sort();
        needs.0.dedup();
    }
    out
}

/// Names of types whose heirs have what a subject is a member of.
fn supers(language: &Language, subjects: &[Subject]) -> Vec<String> {
    let names = &language.names;
    let one = |s: &Subject| {
        let owner = if s.member { names.parent(&s.symbol) } else { s.symbol.clone() };
        names.last(&owner).to_owned()
    };
    subjects.iter().map(one).collect()
}

/// Names of types whose declaration in the project contradicts a symbol.
fn type_names(symbols: &[String]) -> Vec<String> {
    let parts =
        symbols.iter().flat_map(|s| s.split('.').filter(|p| p.starts_with(char::is_uppercase)));
    parts.map(str::to_owned).collect()
}

/// A stage ends before a step that asks about other files what a step of the stage may have changed.
fn stages(steps: &[PlanStep], conditions: &[(usize, Arc<Conditions>)]) -> Vec<Range<usize>> {
    let mut out = Vec::new();
    let mut start = 0;
    for i in 1..steps.len() {
        let before = || steps[start..i].iter().flat_map(|s| &s.runners);
        let here = || steps[i].runners.iter();
        let declarations =
            here().any(|r| r.asks_declarations()) && before().any(|r| r.changes_declarations());
        let manifests =
            here().any(|r| r.reads_manifests()) && before().any(|r| r.reads_manifests());
        let late = conditions.iter().any(|(n, c)| *n == i && c.is_late());
        if declarations || manifests || late {
            out.push(start..i);
            start = i;
        }
    }
    out.push(start..steps.len());
    out
}
