//! Recipes from their texts: loaded with those that they include, compiled, and with every message about them.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::{NO_LANGUAGE, World};
use emendo_recipe::{Recipe, Source, Text, load};
use emendo_text::{Diagnostic, Help, Label, OTHER_NAMES, Severity, Span};

use crate::plan::{Limit, Plan};
use crate::recipes::shelf::Shelf;

/// How deep recipes may include each other.
const DEEPEST: usize = 32;
/// How many recipes a run may consist of, each counted as often as it is included.
const MOST: usize = 500;

/// Recipes with all that is to say about them.
pub struct Checked {
    /// The recipes that were asked for, in order.
    pub recipes: Vec<Recipe>,
    /// The plan; only to be run if nothing failed.
    pub plan: Plan,
    /// The messages about each text: the recipes, each before those that it includes.
    pub messages: Vec<Messages>,
}

/// The messages about one text.
pub struct Messages {
    /// The name shown for it.
    pub name: String,
    /// The text.
    pub text: String,
    /// Errors and warnings in the order of the text.
    pub found: Vec<Diagnostic>,
}

impl Checked {
    /// True if any message is an error.
    pub fn failed(&self) -> bool {
        self.messages.iter().flat_map(|m| &m.found).any(|d| d.severity == Severity::Error)
    }

    /// Runs only these steps, or only those up to one.
    ///
    /// # Errors
    /// A sentence about a word that is not a step.
    pub fn limit(&mut self, limit: &Limit) -> Result<(), String> {
        self.plan.limit(limit)
    }
}

/// Loads and compiles recipes in the order given, made of what a world knows.
pub fn check(
    world: &Arc<World>,
    sources: Vec<Source>,
    inputs: &BTreeMap<String, String>,
    shelf: &Shelf,
) -> Checked {
    let several = sources.len() > 1;
    let mut recipes: Vec<Recipe> = Vec::new();
    let mut messages: Vec<Messages> = Vec::new();
    for source in sources {
        // With several recipes, an input belongs to those that have it.
        let mut given = inputs.clone();
        if several {
            given.retain(|name, _| {
                source.text.contains(&format!("[inputs.{name}]"))
                    || source.text.contains("[inputs]")
            });
        }
        let at = messages.len();
        let recipe = with_included((world, shelf), source, &given, &mut Vec::new(), &mut messages);
        if let Some(twin) = recipes.iter().find(|r| r.id == recipe.id && !r.id.is_empty()) {
            let message = format!("`{}` has the same id: `{}`", twin.source.name, twin.id);
            let mut d = Diagnostic::error(message, Span::at(0)).help("name each recipe once");
            d.code = Some("key");
            d.labels.clear();
            messages[at].found.push(d);
        }
        recipes.push(recipe);
    }
    let (plan, more) = Plan::compile(world, &recipes);
    for (all, more) in messages.iter_mut().zip(more) {
        all.found.extend(more);
        emendo_recipe::without_consequences(&all.text, &mut all.found);
        without_consequences(&mut all.found);
        all.found.sort_by_key(Diagnostic::start);
        all.found.dedup();
        reserved_together(&mut all.found);
    }
    Checked { recipes, plan, messages }
}

/// Takes out what is said of a text only because an input in it has no value, and what an action says of a value that cannot
/// stand there anyway.
fn without_consequences(found: &mut Vec<Diagnostic>) {
    let wrong: Vec<Span> = found
        .iter()
        .filter(|d| d.code == Some("key") && d.severity == Severity::Error)
        .filter_map(|d| d.labels.first())
        .map(|l| l.span)
        .collect();
    let again = |d: &Diagnostic| {
        d.labels.first().is_some_and(|l| !l.span.is_empty() && wrong.contains(&l.span))
    };
    found.retain(|d| d.code == Some("key") || !again(d));
    // A recipe without a language lacks one, however many actions ask for it.
    let mut asked = false;
    found.retain(|d| !d.message.starts_with(NO_LANGUAGE) || !std::mem::replace(&mut asked, true));
    let unset = |d: &&Diagnostic| matches!(d.help, Some(Help::GiveInput(_)));
    let spans: Vec<Span> =
        found.iter().filter(unset).filter_map(|d| d.labels.first()).map(|l| l.span).collect();
    let within =
        |d: &Diagnostic| d.labels.first().is_some_and(|l| spans.iter().any(|s| s.contains(l.span)));
    found.retain(|d| unset(&d) || !within(d));
}

/// Places beside the first at which a message is shown.
const MORE_PLACES: usize = 4;

/// One message for slots with the same reserved name, wherever they stand.
fn reserved_together(found: &mut Vec<Diagnostic>) {
    let reserved = |d: &Diagnostic| matches!(&d.help, Some(Help::Text(t)) if t == OTHER_NAMES);
    let mut out: Vec<Diagnostic> = Vec::new();
    for d in std::mem::take(found) {
        let same = |o: &&mut Diagnostic| reserved(o) && o.message == d.message;
        match out.iter_mut().find(same).filter(|_| reserved(&d)) {
            Some(first) if first.labels.len() <= MORE_PLACES => {
                first
                    .labels
                    .extend(d.labels.into_iter().map(|l| Label { text: "here too".into(), ..l }));
            }
            Some(_) => {}
            None => out.push(d),
        }
    }
    *found = out;
}

/// Loads a recipe and what it includes. `stack`: the paths of those that are being loaded.
fn with_included(
    (world, shelf): (&Arc<World>, &Shelf),
    source: Source,
    given: &BTreeMap<String, String>,
    stack: &mut Vec<String>,
    messages: &mut Vec<Messages>,
) -> Recipe {
    let (name, text) = (source.name.clone(), source.text.clone());
    let loaded = load(source, &world.recipe_kinds(), given);
    let mut recipe = loaded.recipe;
    let at = messages.len();
    messages.push(Messages { name, text, found: loaded.diagnostics });
    stack.push(recipe.source.path.clone());
    // What was included, to tell one that would run twice.
    let mut seen: Vec<(String, BTreeMap<String, String>, Span)> = Vec::new();
    let mut digest = emendo_text::Hasher::new();
    digest.digest(recipe.digest);
    for step in &mut recipe.steps {
        let Some(include) = &mut step.include else { continue };
        let word = &include.recipe;
        if let Some(d) = too_many(stack.len(), messages.len(), word.span) {
            messages[at].found.push(d);
            // One message is enough, and what is left would only repeat it.
            break;
        }
        let found = match shelf.included(&word.text, &recipe.source) {
            Ok(found) => found,
            Err((what, help)) => {
                let d = Diagnostic::error(what, word.span).way(help);
                messages[at].found.push(d.about("include"));
                continue;
            }
        };
        let twin = seen.iter().find(|s| s.0 == found.path && s.1 == include.inputs);
        if let Some(d) = again(&found.path, stack, word, twin.map(|t| t.2)) {
            messages[at].found.push(d);
            continue;
        }
        seen.push((found.path.clone(), include.inputs.clone(), word.span));
        let first = messages.len();
        let inner = with_included((world, shelf), found, &include.inputs, stack, messages);
        let faults = messages[first..].iter().flat_map(|m| &m.found);
        let faults = faults.filter(|d| d.severity == Severity::Error).count();
        if faults > 0 {
            let message = format!("the recipe `{}` is faulty", word.text);
            let help = Help::CheckRecipe(word.text.clone());
            let d = Diagnostic::error(message, word.span).way(help);
            messages[at].found.push(d.about("include"));
        }
        digest.digest(inner.digest);
        include.loaded = Some(Box::new(inner));
    }
    recipe.digest = digest.finish();
    stack.pop();
    recipe
}

/// Says that recipes include each other too deep, or that there are too many.
fn too_many(deep: usize, all: usize, at: Span) -> Option<Diagnostic> {
    let message = if deep >= DEEPEST {
        format!("recipes include each other more than {DEEPEST} deep")
    } else if all >= MOST {
        format!("more than {MOST} recipes are included in all")
    } else {
        return None;
    };
    let help = "include fewer: each recipe with its steps is loaded once for each inclusion";
    Some(Diagnostic::error(message, at).about("include").help(help))
}

/// Says that a recipe includes itself, or another one twice with the same inputs.
fn again(path: &String, stack: &[String], word: &Text, twin: Option<Span>) -> Option<Diagnostic> {
    if let Some(from) = stack.iter().position(|p| p == path) {
        let names = stack[from..].iter().chain([path]);
        let way: Vec<&str> = names.map(|p| p.rsplit('/').next().unwrap_or(p)).collect();
        let message = format!("the recipe includes itself: {}", way.join(" -> "));
        let help = "remove one of these inclusions: a recipe runs its own steps anyway";
        return Some(Diagnostic::error(message, word.span).about("include").help(help));
    }
    let message = format!("`{}` is included twice with the same inputs", word.text);
    let d = Diagnostic::error(message, word.span).also(twin?, "here first");
    Some(d.about("include").help("remove one of the two"))
}
