//! Runs the examples of a recipe: what comes out, and that a second run finds nothing.

use emendo_lang::{Language, language};
use emendo_recipe::{Example, Recipe, Source};
use emendo_text::{RelPath, Span};
use std::collections::BTreeMap;

use crate::check::check;
use crate::edit::Own;
use crate::engine::run_text;
use crate::plan::{Limit, Plan};
use crate::shelf::Shelf;

/// What an example showed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// All as it says.
    Passed,
    /// Something else came out.
    Differs {
        /// What was expected.
        expected: String,
        /// What came out.
        actual: String,
    },
    /// The result is changed by a second run.
    NotSettled {
        /// What the second run made of it.
        actual: String,
    },
    /// Other notes than expected.
    Notes {
        /// A part of a note that is missing, or a note too many.
        problem: String,
    },
    /// It could not be run.
    Broken(String),
}

/// An example that was run.
#[derive(Clone, Debug)]
pub struct Ran {
    /// Its number in the file, from 1.
    pub number: usize,
    /// Its title.
    pub title: String,
    /// Where it stands.
    pub span: Span,
    /// What it showed.
    pub verdict: Verdict,
}

/// Runs all examples of a recipe.
pub fn test(recipe: &Recipe, inputs: &BTreeMap<String, String>, shelf: &Shelf) -> Vec<Ran> {
    // Examples of one step share a plan.
    let mut plans: BTreeMap<Option<String>, Plan> = BTreeMap::new();
    let run = |(i, e): (usize, &Example)| {
        let title = e.title.clone().unwrap_or_else(|| format!("example {}", i + 1));
        let step = e.step.as_ref().map(|s| s.text.clone());
        let plan = plans
            .entry(step.clone())
            .or_insert_with(|| plan_for(recipe, step.as_deref(), inputs, shelf));
        let verdict = one(recipe, e, plan).unwrap_or_else(Verdict::Broken);
        Ran { number: i + 1, title, span: e.span, verdict }
    };
    recipe.examples.iter().enumerate().map(run).collect()
}

fn one(recipe: &Recipe, e: &Example, plan: &Plan) -> Result<Verdict, String> {
    let path = path_for(recipe, e)?;
    let code = emendo_lang::language_of(&path);
    let head = code.map_or(String::new(), |l| head(recipe, e, l));
    let before = format!("{head}{}", e.before.text);
    let expected = format!("{head}{}", e.after.text);
    let result = run_text(plan, &path, &before, &[]);
    let own = Own::of(result.edits.iter(), &plan.once_steps());
    let actual = text_of(&before, result.after);
    if body(code, &actual, &head) != body(code, &expected, &head) {
        let show = |t: &str| body(code, t, &head);
        return Ok(Verdict::Differs { expected: show(&expected), actual: show(&actual) });
    }
    if let Some(problem) = notes(e, &result.notes.iter().map(|n| n.say.clone()).collect::<Vec<_>>())
    {
        return Ok(Verdict::Notes { problem });
    }
    let again = run_text(plan, &path, &actual, &own);
    if again.after.is_some() {
        let actual = body(code, &text_of(&actual, again.after), &head);
        return Ok(Verdict::NotSettled { actual });
    }
    Ok(Verdict::Passed)
}

fn text_of(before: &str, after: Option<Vec<u8>>) -> String {
    after.map_or_else(|| before.to_owned(), |bytes| String::from_utf8_lossy(&bytes).into_owned())
}

/// The recipe's plan, or that of one step.
fn plan_for(
    recipe: &Recipe,
    step: Option<&str>,
    inputs: &BTreeMap<String, String>,
    shelf: &Shelf,
) -> Plan {
    let source: Source = recipe.source.clone();
    let mut checked = check(vec![source], inputs, shelf);
    if let Some(step) = step {
        // The step was checked when the recipe was loaded.
        let limit = Limit { steps: vec![step.to_owned()], until: None };
        drop(checked.limit(&limit));
    }
    checked.plan
}

/// The name that the example's file would have.
fn path_for(recipe: &Recipe, e: &Example) -> Result<RelPath, String> {
    if let Some(path) = &e.path {
        return RelPath::new(&path.text).map_err(|e| e.to_string());
    }
    let lang = e.lang.as_ref().map(|t| t.text.clone()).or_else(|| lang_of(recipe, e));
    let Some(lang) = lang else {
        return Err(
            "nothing says what the example is written in: give it a `lang`, or a `path`".into()
        );
    };
    let format = emendo_docs::FORMATS.iter().find(|f| f.id == lang).map(|f| f.extensions[0]);
    match (language(&lang).map(|l| l.extensions[0]), format) {
        (Some(ending), _) | (None, Some(ending)) => {
            RelPath::new(&format!("Example.{ending}")).map_err(|e| e.to_string())
        }
        (None, None) => Err(format!("`{lang}` is neither a language nor a format that is built")),
    }
}

fn lang_of(recipe: &Recipe, e: &Example) -> Option<String> {
    let steps = recipe.steps.iter().filter(|s| e.step.as_ref().is_none_or(|w| w.text == s.id));
    steps.flat_map(|s| &s.actions).find_map(|a| a.scope.lang.as_ref()).map(|t| t.text.clone())
}

/// Imports for an example that is no whole file: the names of the steps count as imported.
fn head(recipe: &Recipe, e: &Example, language: &'static Language) -> String {
    let tree = emendo_lang::Tree::parse(language, &e.before.text);
    let facts = emendo_lang::FileFacts::read(language, &tree, &e.before.text);
    if !facts.imports.is_empty() || !facts.package.is_empty() {
        return String::new();
    }
    let steps = recipe.steps.iter().filter(|s| e.step.as_ref().is_none_or(|w| w.text == s.id));
    let mut symbols: Vec<(String, String)> = Vec::new();
    // What actions in other languages name is nothing here.
    let reads = |a: &&emendo_recipe::Action| {
        let lang = a.scope.lang.as_ref().and_then(|l| emendo_lang::language(&l.text));
        lang.is_none_or(|l| l.id == language.id)
    };
    for action in steps.flat_map(|s| &s.actions).filter(reads) {
        symbols.extend(action.scope.symbols());
        let old = crate::actions::renames(action, &recipe.source)
            .into_iter()
            .filter(|_| action.kind.name() == "symbol");
        symbols.extend(old.map(|(old, _)| (old.rsplit('.').next().unwrap_or("").to_owned(), old)));
    }
    let declared: Vec<&str> = facts.top_types().collect();
    let mut lines: Vec<String> = symbols
        .into_iter()
        .filter(|(word, symbol)| {
            let simple = language.names.last(symbol);
            // Only what the example really says, and does not declare itself.
            let said = !facts.words(simple).is_empty() || !facts.words(word).is_empty();
            said && language.names.segments(symbol).len() > 1 && !declared.contains(&simple)
        })
        .map(|(_, symbol)| {
            let name = emendo_lang::ImportName::of(language, &symbol, emendo_lang::Space::Value);
            (language.names.write_import)(&name, None)
        })
        .collect();
    lines.sort();
    lines.dedup();
    if lines.is_empty() { String::new() } else { format!("{}\n\n", lines.join("\n")) }
}

/// The text without the imports that were put before it; they are not compared.
fn body(code: Option<&'static Language>, text: &str, head: &str) -> String {
    let (Some(language), false) = (code, head.is_empty()) else { return text.to_owned() };
    let tree = emendo_lang::Tree::parse(language, text);
    let facts = emendo_lang::FileFacts::read(language, &tree, text);
    let from = facts.imports.last().map_or(0, |i| i.span.end as usize);
    text[from..].trim_start().to_owned()
}

fn notes(e: &Example, said: &[String]) -> Option<String> {
    let missing = e.notes.iter().find(|want| !said.iter().any(|s| s.contains(want.as_str())));
    if let Some(missing) = missing {
        return Some(format!("no note says `{missing}`; the notes: {said:?}"));
    }
    let extra = said.iter().find(|s| !e.notes.iter().any(|want| s.contains(want.as_str())));
    extra.map(|s| format!("a note that the example does not expect: `{s}`"))
}
