//! From checked recipes to what runs: steps with compiled actions, cut into stages.

mod conditions;
mod exported;
mod libraries;
mod narrow;
mod required;
mod stages;
mod step;
mod watches;

use std::collections::BTreeSet;
use std::ops::Range;
use std::sync::Arc;

use emendo_actions::{Asks, CompileCx, Needs, Subject, World, named_symbol, renames};
use emendo_lang::{Language, Learned, LibraryType, Renames, Spellings};
use emendo_recipe::{Condition, Recipe, Text, TypeOf};
use emendo_text::{Diagnostic, Digest};
use rustc_hash::FxHashSet;
use serde::{Deserialize, Serialize};

pub(crate) use conditions::{Ask, Conditions};
pub(crate) use libraries::named;
pub(crate) use narrow::{Declared, Narrow, Present, WordCache};
pub use required::MissingRequirement;
pub(crate) use required::{Required, map as required_map};
pub use step::StepInfo;
pub(crate) use step::{PlanStep, PlannedAction, Watch};
pub use step::{SkippedStep, Unnamed};

use crate::edits::StepKey;
use crate::plan::exported::add_exported;
use crate::plan::stages::{asks_bodies, stages};
use crate::plan::step::RecipeType;
pub(crate) use crate::plan::watches::unnamed;
use crate::plan::watches::watches;

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
    /// The library that it is for, by its name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub library: Option<String>,
    /// The versions that it starts from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// The version that it leads to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
}

impl RecipeInfo {
    fn of(recipe: &Recipe) -> Self {
        let library = recipe.library.as_ref();
        Self {
            id: recipe.id.clone(),
            title: recipe.title.clone(),
            path: recipe.source.path.clone(),
            digest: recipe.digest,
            library: library.map(|l| l.name.clone()),
            from: library.and_then(|l| l.from.as_ref()).map(|t| t.text.clone()),
            to: library.and_then(|l| l.to.as_ref()).map(|t| t.text.clone()),
        }
    }
}

/// Which of the steps run.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Limit {
    /// Only these; all if there are none. A step that includes a recipe means all of that.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub steps: Vec<String>,
    /// None after this one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until: Option<String>,
}

/// What runs.
pub struct Plan {
    /// The recipes in order.
    pub recipes: Vec<RecipeInfo>,
    /// What the program knows, as the recipes were compiled by it.
    pub world: Arc<World>,
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
    pub(crate) types: Vec<RecipeType>,
    /// What actions wait for, with the number of their step.
    pub(crate) conditions: Vec<(usize, Arc<Conditions>)>,
    /// Steps that do not run, of which notes keep code as it is all the same.
    pub(crate) keepers: Vec<PlanStep>,
    limit: Limit,
    /// The paths of all recipes, those that others include too.
    pub(crate) sources: Vec<String>,
}

impl Plan {
    /// Compiles recipes in the order given. Gives the messages for each and those that it includes, in the order of
    /// [`Recipe::whole`]; the plan is only to be run if none is an error.
    pub fn compile(world: &Arc<World>, recipes: &[Recipe]) -> (Self, Vec<Vec<Diagnostic>>) {
        let mut compiler = Compiler::new(world.clone());
        for recipe in recipes {
            let first = compiler.steps.len();
            compiler.root = recipe.id.clone();
            compiler.renamed.clear();
            compiler.recipe((recipe, recipe), "", &[], &[]);
            compiler.packages(first);
            compiler.asked = false;
        }
        let Compiler { mut steps, messages, types, conditions, .. } = compiler;
        for action in steps.iter_mut().flat_map(|s| &mut s.actions) {
            add_exported(&mut action.asks, &types);
        }
        let infos = recipes.iter().map(RecipeInfo::of);
        let whole = recipes.iter().flat_map(Recipe::whole).map(|r| r.source.path.clone());
        let plan = Self::of(world.clone(), infos.collect(), steps, types, conditions);
        (Self { sources: whole.collect(), ..plan }, messages)
    }

    /// Puts together what is known of all steps.
    fn of(
        world: Arc<World>,
        recipes: Vec<RecipeInfo>,
        steps: Vec<PlanStep>,
        types: Vec<RecipeType>,
        conditions: Vec<(usize, Arc<Conditions>)>,
    ) -> Self {
        let asked = || steps.iter().flat_map(|s: &PlanStep| &s.actions).map(|a| &a.asks);
        let own = Declared {
            types: asked()
                .filter(|a| a.asks_declarations)
                .filter_map(|a| Some((a.language?, &a.symbols)))
                .filter(|(l, _)| !l.imports.packages.is_empty() || l.names.nesting)
                .flat_map(|(l, symbols)| type_names(l, symbols))
                .collect(),
            packages: asked().flat_map(|a| a.packages.clone()).collect(),
            supers: asked()
                .filter_map(|a| Some((a.language?, &a.subjects)))
                .flat_map(|(l, all)| supers(l, all))
                .collect(),
            anywhere: asked()
                .any(|a| a.asks_declarations && a.language.is_some_and(|l| l.names.nesting)),
            words: BTreeSet::new(),
        };
        let watches = watches(&world, &steps);
        let packages: BTreeSet<String> = steps.iter().flat_map(|s| &s.packages).cloned().collect();
        let reach = reach(asked());
        let needs = asked().map(|a| &a.needs).chain(reach.iter().map(|r| &r.1));
        let needs = needs.chain(watches.iter().map(|w| &w.asks.needs));
        let narrow = Narrow::new(needs, &own, &world.languages);
        Self {
            recipes,
            world,
            stages: stages(&steps, &conditions),
            single: (0..steps.len()).map(|n| n..n + 1).collect(),
            steps,
            packages: packages.into_iter().collect(),
            reach,
            watches,
            narrow,
            types,
            conditions,
            keepers: Vec::new(),
            limit: Limit::default(),
            sources: Vec::new(),
        }
    }

    /// Leaves out the steps that are not to run.
    pub(crate) fn limit(&mut self, limit: &Limit) -> Result<(), String> {
        let words = limit.steps.iter().chain(&limit.until);
        let fits = |s: &PlanStep, word: &str| s.info.key.is(word);
        for word in words {
            if !self.steps.iter().any(|s| fits(s, word)) {
                let known: Vec<&str> =
                    self.steps.iter().map(|s| s.info.key.step.as_str()).collect();
                return Err(format!("no step is called `{word}`; there are: {}", known.join(", ")));
            }
        }
        let last = limit.until.as_ref().and_then(|w| self.steps.iter().rposition(|s| fits(s, w)));
        let runs = |(n, s): (usize, &PlanStep)| {
            last.is_none_or(|l| n <= l)
                && (limit.steps.is_empty() || limit.steps.iter().any(|w| fits(s, w)))
        };
        let kept: Vec<bool> = self.steps.iter().enumerate().map(runs).collect();
        let number = |n: usize| kept[..n].iter().filter(|k| **k).count();
        let conditions = std::mem::take(&mut self.conditions).into_iter();
        let conditions = conditions.filter(|c| kept[c.0]).map(|(n, c)| (number(n), c)).collect();
        let all = std::mem::take(&mut self.steps).into_iter().zip(&kept);
        let (steps, others): (Vec<_>, Vec<_>) = all.partition(|s| *s.1);
        let steps = steps.into_iter().map(|s| s.0).collect();
        let keeps = |s: &PlanStep| s.actions.iter().any(|a| a.asks.keeps);
        let keepers = others.into_iter().map(|s| s.0).filter(keeps).collect();
        let (recipes, types) = (std::mem::take(&mut self.recipes), std::mem::take(&mut self.types));
        let sources = std::mem::take(&mut self.sources);
        let plan = Self::of(self.world.clone(), recipes, steps, types, conditions);
        *self = Self { limit: limit.clone(), keepers, sources, ..plan };
        Ok(())
    }

    /// Which of the steps run.
    pub fn limited(&self) -> &Limit {
        &self.limit
    }

    /// Identity of the whole plan.
    pub fn digest(&self) -> Digest {
        let mut hasher = emendo_text::Hasher::new();
        for r in &self.recipes {
            hasher.digest(r.digest);
        }
        for word in self.limit.steps.iter().chain(&self.limit.until) {
            hasher.part(word);
        }
        hasher.finish()
    }

    /// Steps with an action that does its work once.
    pub(crate) fn once_steps(&self) -> std::collections::HashSet<StepKey> {
        let once = self.steps.iter().filter(|s| s.actions.iter().any(|a| a.asks.once));
        once.map(|s| s.info.key.clone()).collect()
    }

    /// Questions that the actions of some steps have about other files.
    pub fn queries(&self, steps: Range<usize>) -> Vec<Arc<emendo_actions::Query>> {
        let actions = self.steps[steps].iter().flat_map(|s| &s.actions);
        actions.flat_map(|a| a.asks.queries.clone()).collect()
    }

    /// True if an action asks other files for more than what they declare.
    pub(crate) fn asks_bodies(&self) -> bool {
        let mut all = self.steps.iter().flat_map(|s| &s.actions);
        !self.conditions.is_empty() || all.any(asks_bodies)
    }

    /// True if any step reads all manifests together.
    pub fn reads_manifests(&self) -> bool {
        self.steps.iter().flat_map(|s| &s.actions).any(|a| a.asks.reads_manifests)
    }
}

/// Old and new names that one action gives.
type Pairs = Vec<(String, String)>;

/// The renames of a step, by action.
fn renames_of(world: &World, step: &emendo_recipe::Step, recipe: &Recipe) -> Vec<Pairs> {
    let symbols = step.actions.iter().filter(|a| a.kind.renames_symbols() && !a.broken);
    symbols.map(|a| renames(world, a, &recipe.source)).collect()
}

/// What an action is told of the renames of its recipe.
#[derive(Clone, Copy)]
struct Known<'a> {
    spellings: &'a Spellings,
    later: &'a [Renames],
}

/// The names under which the symbols of a recipe are known; `own` are the renames of its own steps.
fn spellings_of(world: &World, recipe: &Recipe, own: &[Vec<Pairs>]) -> Spellings {
    let mut spellings = Spellings::default();
    let included: Vec<Pairs> = (recipe.whole().into_iter())
        .filter(|r| !std::ptr::eq(*r, recipe))
        .flat_map(|r| r.steps.iter().flat_map(|s| renames_of(world, s, r)))
        .collect();
    let all = || own.iter().flatten().chain(&included).flatten();
    let olds: FxHashSet<&String> = all().map(|(old, _)| old).collect();
    for (old, new) in all() {
        // Names that are swapped, or that another rename gives away, are not one symbol.
        if !olds.contains(new) {
            spellings.join(old, new);
        }
    }
    spellings
}

/// What a library type says that tells nothing.
fn means_nothing(t: &TypeOf, language: &Language) -> Option<Diagnostic> {
    let name = &t.name.text;
    if let Some(first) = t.exports.first().filter(|_| language.modules.is_none()) {
        let message = format!("`exports` means nothing in {}", language.title);
        let d = Diagnostic::warning(message, first.span);
        return Some(d.help("there no package passes on the names of another; leave it out"));
    }
    let own = t.exports.iter().find(|e| e.text == *name)?;
    let d = Diagnostic::warning(format!("`{name}` cannot pass itself on"), own.span);
    Some(d.help("`exports` names symbols of other modules"))
}

/// What a recipe says about types, under all names that they may have.
fn told_types(
    world: &World,
    recipe: &Recipe,
    spellings: &Spellings,
    out: &mut Vec<Diagnostic>,
) -> Vec<RecipeType> {
    let mut all = Vec::new();
    for t in &recipe.types {
        let Some(lang) = &t.scope.lang else {
            let d = Diagnostic::error("no language is given for this library type", t.name.span);
            out.push(d.help("write `lang = \"...\"` in it or in the recipe"));
            continue;
        };
        let Some(language) = world.language(&lang.text) else {
            out.push(world.unknown_language(&lang.text, lang.span));
            continue;
        };
        if let Some(d) = means_nothing(t, language) {
            out.push(d);
        }
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
                let told = told.with_renamed(language, &symbol, spellings).spelled(spellings);
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
                out.push(d.help("for example `name = \"a.b.Store<T>\"` with `members = { \"find(K)\" = \"T\", size = \"int\" }`; leave out a member of which nothing is known"));
            }
        }
    }
    all
}

/// What compiling gathers.
struct Compiler {
    world: Arc<World>,
    /// The id of the outermost recipe.
    root: String,
    steps: Vec<PlanStep>,
    messages: Vec<Vec<Diagnostic>>,
    types: Vec<RecipeType>,
    conditions: Vec<(usize, Arc<Conditions>)>,
    /// Symbols that steps before have renamed.
    renamed: Vec<(String, String)>,
    /// What the recipes around a step require, where that is asked at their turn.
    required: Vec<Arc<Required>>,
    /// The first recipe of a run is asked before anything else.
    asked: bool,
}

impl Compiler {
    fn new(world: Arc<World>) -> Self {
        Self {
            world,
            root: String::new(),
            steps: Vec::new(),
            messages: Vec::new(),
            types: Vec::new(),
            conditions: Vec::new(),
            renamed: Vec::new(),
            required: Vec::new(),
            asked: true,
        }
    }

    /// Compiles a recipe. `lead` stands before the ids of its steps, `outer` is what the steps around it wait for, `chain` the
    /// recipes around it.
    fn recipe(
        &mut self,
        (root, recipe): (&Recipe, &Recipe),
        lead: &str,
        outer: &[Condition],
        chain: &[String],
    ) {
        let mut out = Vec::new();
        let outermost = chain.is_empty() && self.asked;
        let required = Required::of(root, recipe).filter(|_| !outermost).map(Arc::new);
        let depth = self.required.len();
        self.required.extend(required);
        // Tables may be long: they are read once.
        let renames: Vec<Vec<Pairs>> =
            recipe.steps.iter().map(|s| renames_of(&self.world, s, recipe)).collect();
        let spellings = spellings_of(&self.world, recipe, &renames);
        let mut later: Vec<Renames> = renames.iter().flatten().map(|r| Renames::new(r)).collect();
        let told = told_types(&self.world, recipe, &spellings, &mut out);
        Diagnostic::all_about(&mut out, "type");
        crate::plan::conditions::check(&self.world, &recipe.conditions, &mut out);
        crate::plan::required::check(&self.world, recipe, &mut out);
        crate::plan::required::coordinates(&self.world, recipe, &mut out);
        let own = chain.iter().cloned().chain([recipe.id.clone()]);
        let own: Vec<String> = own.collect();
        let place = self.messages.len();
        self.messages.push(Vec::new());
        self.clashes(&told, recipe, &mut out);
        Diagnostic::all_about(&mut out, "type");
        self.types.extend(told);
        for (step, renames) in recipe.steps.iter().zip(renames) {
            later.drain(..renames.len());
            crate::plan::conditions::check(&self.world, &step.conditions, &mut out);
            Diagnostic::all_about(&mut out, "condition");
            let around: Vec<Condition> = outer.iter().chain(&step.conditions).cloned().collect();
            if let Some(include) = &step.include {
                if let Some(inner) = &include.loaded {
                    let around: Vec<Condition> =
                        recipe.conditions.iter().cloned().chain(around).collect();
                    let first = self.steps.len();
                    self.recipe((root, inner), &format!("{lead}{}/", step.id), &around, &own);
                    // What the outer step warns of holds for all that it brings.
                    for s in self.steps.iter_mut().skip(first) {
                        if let Some(caution) = &step.caution {
                            s.info.caution.get_or_insert_with(|| caution.clone());
                        }
                    }
                }
                continue;
            }
            let known = Known { spellings: &spellings, later: &later };
            let actions = self.actions(recipe, step, &around, known, &mut out);
            self.renamed.extend(renames.into_iter().flatten());
            let key = StepKey { recipe: self.root.clone(), step: format!("{lead}{}", step.id) };
            let info = StepInfo {
                key,
                title: step.title.clone(),
                why: step.why.clone(),
                caution: step.caution.clone(),
                docs: step.docs.clone().or_else(|| recipe.docs.clone()),
                chain: if chain.is_empty() { Vec::new() } else { own.clone() },
            };
            let source = recipe.source.path.clone();
            self.steps.push(PlanStep { info, actions, source, packages: Vec::new() });
        }
        out.sort_by_key(Diagnostic::start);
        self.required.truncate(depth);
        self.messages[place] = out;
    }

    /// Types that another recipe tells otherwise.
    fn clashes(&self, told: &[RecipeType], recipe: &Recipe, out: &mut Vec<Diagnostic>) {
        for (language, symbol, own) in told {
            let other = self.types.iter().find(|t| t.0.id == language.id && t.1 == *symbol);
            if other.is_none_or(|o| o.2 == *own) {
                continue;
            }
            let name = language.names.last(symbol);
            let at = recipe.types.iter().find(|t| t.name.text.contains(name));
            let span = at.map_or(emendo_text::Span::at(0), |t| t.name.span);
            let message = format!("another recipe of the run describes `{symbol}` differently");
            let d = Diagnostic::warning(message, span);
            out.push(d.help("the last description counts; included recipes share their types, so one of the two is enough"));
        }
    }

    fn actions(
        &mut self,
        recipe: &Recipe,
        step: &emendo_recipe::Step,
        around: &[Condition],
        known: Known<'_>,
        out: &mut Vec<Diagnostic>,
    ) -> Vec<PlannedAction> {
        let mut actions: Vec<PlannedAction> = Vec::new();
        for action in &step.actions {
            crate::plan::conditions::check(&self.world, &Condition::of(&action.table), out);
            Diagnostic::all_about(out, "condition");
            let kind = self.world.kinds.iter().find(|k| k.name() == action.kind.name());
            let mut found = Vec::new();
            let mut cx = CompileCx {
                tables: &self.world.tables,
                recipe,
                spellings: known.spellings,
                renamed: &self.renamed,
                later: known.later,
                out: &mut found,
            };
            let runner = kind.and_then(|k| k.compile(action, &mut cx));
            let more = kind.map_or_else(Vec::new, |k| k.more(action, &mut cx));
            if action.broken {
                // What is missing may be what could not be read: only messages about a place of their own count.
                found.retain(|d| d.labels.first().is_some_and(|l| l.span != action.span));
            } else {
                let conditions = Conditions::of(recipe, around, &self.required, action);
                let own = emendo_recipe::AtLeast::of(&action.table);
                let at_least = own.or_else(|| step.at_least.clone());
                self.conditions.extend(conditions.iter().map(|c| (self.steps.len(), c.clone())));
                actions.extend(runner.into_iter().chain(more).map(|runner| PlannedAction {
                    asks: runner.asks(),
                    runner,
                    place: action.span,
                    at_least: at_least.clone(),
                    conditions: conditions.clone(),
                }));
            }
            Diagnostic::all_about(&mut found, action.kind.name());
            out.extend(found);
        }
        actions
    }

    /// Tells the steps from one on the packages of their recipe's symbols.
    fn packages(&mut self, first: usize) {
        let steps = self.steps[first..].iter();
        let packages: BTreeSet<String> = steps
            .flat_map(|s| &s.actions)
            .filter_map(|a| Some((a.asks.language?, &a.asks.symbols)))
            .flat_map(|(l, all)| all.iter().map(|s| l.names.package(s)).collect::<Vec<_>>())
            .chain(self.types.iter().map(|(l, symbol, _)| l.names.package(symbol)))
            .collect();
        let packages: Vec<String> = packages.into_iter().filter(|p| !p.is_empty()).collect();
        self.steps[first..].iter_mut().for_each(|s| s.packages.clone_from(&packages));
    }
}

/// What files must hold that may pass a subject on.
fn reach<'r>(all: impl Iterator<Item = &'r Asks>) -> Vec<(&'static str, Needs)> {
    let mut out: Vec<(&'static str, Needs)> = Vec::new();
    for r in all {
        let Some(language) = r.language.filter(|l| !l.exports.passing.is_empty()) else {
            continue;
        };
        let names = &language.names;
        let one = |s: Subject| {
            let owner = if s.member { names.parent(&s.symbol) } else { s.symbol };
            // Where packages are imported whole, the name itself need not stand there.
            vec![if names.sure_wildcards { names.package(&owner) } else { owner }]
        };
        let needs = Needs::of(r.subjects.iter().cloned().map(one));
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

/// Names of types whose heirs have what a subject means.
fn supers(language: &Language, subjects: &[Subject]) -> Vec<String> {
    let names = &language.names;
    let one = |s: &Subject| {
        let owner = if s.member { names.parent(&s.symbol) } else { s.symbol.clone() };
        names.last(&owner).to_owned()
    };
    subjects.iter().filter(|s| s.inherited).map(one).collect()
}

/// Names of types whose declaration in the project contradicts a symbol; of functions too, where they have packages of their own.
fn type_names(language: &Language, symbols: &[String]) -> Vec<String> {
    let names = &language.names;
    let named = |p: &&str| names.rooted || p.starts_with(char::is_uppercase);
    let parts = symbols.iter().flat_map(|s| names.segments(s)).map(|p| names.last(p));
    parts.filter(named).map(str::to_owned).collect()
}
