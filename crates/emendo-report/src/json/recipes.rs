//! Recipes: what they hold, what is wrong with them, what their examples show.

use std::path::Path;

use emendo_core::{ExampleVerdict, RecipePlace, TestReport};
use emendo_recipe::Recipe;
use emendo_text::{Diagnostic, Lines, Severity};
use serde_json::{Value, json};

/// A recipe, with those that it includes.
pub fn recipe(r: &Recipe) -> Value {
    let inputs = r.inputs.iter();
    let inputs: Vec<Value> = inputs
        .map(|i| json!({ "name": i.name, "summary": i.summary, "default": i.default, "one_of": i.one_of }))
        .collect();
    let action = |a: &emendo_recipe::Action| json!({ "kind": a.kind.name(), "lang": a.scope.lang.as_ref().map(|t| &t.text) });
    let step = |s: &emendo_recipe::Step| {
        let actions: Vec<Value> = s.actions.iter().map(action).collect();
        let inner = s.include.as_ref().and_then(|i| i.loaded.as_deref()).map(recipe);
        json!({
            "id": s.id, "title": s.title, "why": s.why, "caution": s.caution, "docs": s.docs,
            "actions": actions, "includes": inner,
        })
    };
    let library = r.library.as_ref().map(|l| {
        json!({
            "name": l.name, "from": l.from.as_ref().map(|t| &t.text), "to": l.to.as_ref().map(|t| &t.text),
            "coordinates": l.coordinates.iter().map(|c| &c.text).collect::<Vec<_>>(),
        })
    });
    json!({
        "id": r.id, "title": r.title, "summary": r.summary, "docs": r.docs, "file": r.source.name, "library": library,
        "languages": r.languages(), "ecosystems": r.ecosystems(), "inputs": inputs,
        "steps": r.steps.iter().map(step).collect::<Vec<_>>(), "examples": r.examples.len(),
    })
}

/// Recipes with where each is kept.
pub fn listed(all: &[(RecipePlace, Recipe)]) -> Value {
    let one = |(kept, r): &(RecipePlace, Recipe)| {
        let mut value = recipe(r);
        value["kept"] = json!(kept);
        value
    };
    json!({ "recipes": all.iter().map(one).collect::<Vec<_>>() })
}

/// A message about a text that was read from `name`, with the way out in words.
pub fn diagnostic(d: &Diagnostic, (name, text): (&str, &str), help: Option<String>) -> Value {
    let lines = Lines::new(text);
    let place = |start: u32| {
        let line = lines.line(start);
        let from = lines.start(line as usize - 1, text.len());
        let column = text[from..(start as usize).min(text.len())].chars().count() + 1;
        (line, column)
    };
    let labels = d.labels.iter().map(|l| {
        let (line, column) = place(l.span.start);
        json!({ "line": line, "column": column, "start": l.span.start, "end": l.span.end, "text": l.text })
    });
    let severity = if d.severity == Severity::Error { "error" } else { "warning" };
    json!({
        "severity": severity, "code": d.code, "message": d.message, "file": name,
        "places": labels.collect::<Vec<_>>(), "help": help,
    })
}

/// What a check of a recipe says.
pub fn checked(recipe: &str, (errors, warnings): (usize, usize), messages: &[Value]) -> Value {
    json!({ "recipe": recipe, "errors": errors, "warnings": warnings, "messages": messages })
}

/// What the examples of a recipe showed.
pub fn tested(recipe: &Recipe, tested: &TestReport) -> Value {
    let passed = |v: &ExampleVerdict| *v == ExampleVerdict::Passed;
    let lines = Lines::new(&recipe.source.text);
    let one = |r: &emendo_core::ExampleResult| {
        let stayed = r
            .stayed
            .as_ref()
            .map(|s| json!({ "source": s.source, "withheld": s.withheld, "stops": s.stops }));
        json!({ "number": r.number, "title": r.title, "line": lines.line(r.span.start), "passed": passed(&r.verdict), "verdict": verdict(&r.verdict), "stayed": stayed })
    };
    let list: Vec<_> = tested.ran.iter().map(one).collect();
    let failed = tested.ran.iter().filter(|r| !passed(&r.verdict)).count();
    json!({ "recipe": recipe.id, "examples": list, "failed": failed })
}

/// What no example exercises; `line` gives the line of each.
pub fn coverage(
    tested: &TestReport,
    line: &dyn Fn(&emendo_core::UncoveredRow) -> Option<u32>,
) -> Value {
    let one = |u: &emendo_core::UncoveredRow| json!({ "step": u.step, "action": u.kind, "file": u.source, "line": line(u), "row": u.row });
    let list: Vec<_> = tested.uncovered.iter().map(one).collect();
    json!({ "of": tested.coverable, "uncovered": list })
}

fn verdict(v: &ExampleVerdict) -> Value {
    match v {
        ExampleVerdict::Passed => json!({ "kind": "passed" }),
        ExampleVerdict::Differs { path, expected, actual } => {
            json!({ "kind": "differs", "path": path, "expected": expected, "actual": actual })
        }
        ExampleVerdict::NotSettled { actual } => json!({ "kind": "not-settled", "actual": actual }),
        ExampleVerdict::Notes { problem } => json!({ "kind": "notes", "problem": problem }),
        ExampleVerdict::Broken(why) => json!({ "kind": "broken", "problem": why }),
    }
}

/// A draft of a recipe, with what each row of its table was taken for: old name, guess, and why.
pub fn drafted<'r>(
    file: &Path,
    id: &str,
    rows: impl Iterator<Item = (&'r str, &'r str, &'r str)>,
) -> Value {
    let row = |(old, guess, why)| json!({ "old": old, "guess": guess, "why": why });
    json!({ "file": file, "id": id, "rows": rows.map(row).collect::<Vec<_>>() })
}
