//! From text to recipe, along the tables of keys. Serde would stop at the first error; this walk finds all.

mod check;
mod examples;
pub(crate) mod faults;
mod inputs;
mod slips;
mod steps;
mod tables;
mod types;

use std::collections::BTreeMap;

use emendo_text::{Diagnostic, Hasher, Severity, Span};
use toml::Spanned;
use toml::de::DeTable;

use crate::keys::{
    ActionKind, COMMON, EXAMPLE, INCLUDE, INPUT, Key, LIBRARY, LIBRARY_TYPE, RECIPE, SLOT, STEP,
};
use crate::model::{Condition, Input, InputKind, Library, Recipe, Scope, Source};
use crate::value::{Table, Text, Value};

/// What came of loading: a recipe, as far as it could be read, and all that is wrong with it.
pub struct Loaded {
    /// The recipe; only to be run if no diagnostic is an error.
    pub recipe: Recipe,
    /// Errors and warnings in the order of the file.
    pub diagnostics: Vec<Diagnostic>,
}

impl Loaded {
    /// True if anything is an error.
    pub fn failed(&self) -> bool {
        self.diagnostics.iter().any(|d| d.severity == Severity::Error)
    }
}

/// Loads a recipe. `kinds` are the kinds of actions that are built; `given` are values for its inputs.
pub fn load(
    source: Source,
    kinds: &[&'static dyn ActionKind],
    given: &BTreeMap<String, String>,
) -> Loaded {
    let text = source.text.clone();
    let mut loader =
        Loader { text: &text, kinds, inputs: BTreeMap::new(), unset: Vec::new(), out: Vec::new() };
    let (root, errors) = DeTable::parse_recoverable(&text);
    let mut errors: Vec<(Span, String)> = errors
        .iter()
        .map(|e| {
            let span = e.span().unwrap_or(0..0);
            (Span::new(span.start, span.end), e.message().to_owned())
        })
        .collect();
    errors.sort_by_key(|(span, _)| span.start);
    loader.out.extend(faults::messages(&text, &errors));
    let inputs = loader.read_inputs(&root, given);
    let table = loader.table(root.get_ref());
    Diagnostic::all_about(&mut loader.out, "input");
    let recipe = loader.recipe(&table, inputs, source);
    let mut diagnostics = loader.out;
    Diagnostic::all_about(&mut diagnostics, "key");
    diagnostics.sort_by_key(Diagnostic::start);
    diagnostics.dedup();
    Loaded { recipe, diagnostics }
}

struct Loader<'a> {
    text: &'a str,
    kinds: &'a [&'static dyn ActionKind],
    inputs: BTreeMap<String, String>,
    /// Inputs without a value.
    unset: Vec<String>,
    out: Vec<Diagnostic>,
}

fn span_of<T>(s: &Spanned<T>) -> Span {
    Span::new(s.span().start, s.span().end)
}

impl Loader<'_> {
    fn recipe(&mut self, root: &Table, inputs: Vec<Input>, source: Source) -> Recipe {
        self.check_table(root, RECIPE, "the recipe", Span::at(0), &[]);
        if let Some(node) = root.get("emendo")
            && !matches!(node.value, Value::Integer(1))
        {
            self.out.push(
                Diagnostic::error("this version of the recipe format is not known", node.span)
                    .help("write `emendo = 1`"),
            );
        }
        let scope = self.scope(root, &Scope::default());
        let text = |key: &str| root.text(key).map(|t| t.text.clone());
        if let Some(id) = root.text("id") {
            self.check_id(id);
        }
        Diagnostic::all_about(&mut self.out, "key");
        let types = self.types(root, &scope);
        Diagnostic::all_about(&mut self.out, "type");
        Diagnostic::all_about(&mut self.out, "key");
        let steps = self.steps(root, &scope);
        Diagnostic::all_about(&mut self.out, "step");
        let examples = self.examples(root, &steps);
        Diagnostic::all_about(&mut self.out, "example");
        let mut hasher = Hasher::new();
        hasher.part(&source.text);
        for (k, v) in &self.inputs {
            hasher.part(k).part(v);
        }
        self.hash_tables(&steps, &source, &mut hasher);
        Recipe {
            id: text("id").unwrap_or_default(),
            title: text("title").unwrap_or_default(),
            summary: text("summary"),
            docs: text("docs"),
            library: root.table("library").map(library),
            inputs,
            types,
            requires: root.table("requires").cloned(),
            conditions: Condition::of(root),
            steps,
            examples,
            digest: hasher.finish(),
            source,
        }
    }

    fn check_id(&mut self, id: &Text) {
        let plain = !id.text.is_empty()
            && id.text.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.'));
        if !plain {
            self.out.push(
                Diagnostic::error(format!("`{}` is not an id", id.text), id.span)
                    .help("letters, digits, `-`, `_` and `.` make an id"),
            );
        }
    }

    fn errors(&self) -> usize {
        self.out.iter().filter(|d| d.severity == Severity::Error).count()
    }
}

/// What is wrong with the value of an input; `given`: the user's own, not the default.
fn wrong_value(input: &Input, value: &str, given: bool) -> Option<Diagnostic> {
    let listed = input.one_of.is_empty() || input.one_of.iter().any(|v| v == value);
    if listed && input.kind.fits(value) {
        return None;
    }
    let whose = if given { "the input" } else { "the default of the input" };
    let help = if listed {
        let about = InputKind::WORDS.iter().find(|w| w.1 == input.kind).map_or("", |w| w.2);
        format!("it must be {about}")
    } else {
        format!("one of: {}", input.one_of.join(", "))
    };
    let message = format!("{whose} `{}` cannot be `{value}`", input.name);
    Some(Diagnostic::error(message, input.span).help(help))
}

fn library(t: &Table) -> Library {
    Library {
        name: t.text("name").map(|t| t.text.clone()).unwrap_or_default(),
        coordinates: t.texts("coordinates").into_iter().cloned().collect(),
        from: t.text("from").cloned(),
        to: t.text("to").cloned(),
    }
}

fn kind_list(kinds: &[&'static dyn ActionKind]) -> String {
    kinds.iter().map(|k| format!("`{}`", k.name())).collect::<Vec<_>>().join(", ")
}

/// Every place that has keys, for telling where one belongs; true for those that stand around others.
fn places(kinds: &[&'static dyn ActionKind]) -> Vec<(String, &'static [Key], bool)> {
    let fixed: [(&str, &'static [Key], bool); 9] = [
        ("the recipe's top", RECIPE, true),
        ("`[[step]]`", STEP, true),
        ("`[library]`", LIBRARY, false),
        ("`[[library_type]]`", LIBRARY_TYPE, false),
        ("`[inputs.NAME]`", INPUT, false),
        ("`[step.include]`", INCLUDE, false),
        ("every action", COMMON, false),
        ("`slots.NAME`", SLOT, false),
        ("`[[example]]`", EXAMPLE, false),
    ];
    let own = kinds.iter().map(|k| (format!("`[[step.{}]]`", k.name()), k.keys(), false));
    fixed
        .into_iter()
        .map(|(place, keys, around)| (place.to_owned(), keys, around))
        .chain(own)
        .collect()
}

/// True for a file that is a recipe, by its ending and the keys that every recipe has.
pub fn is_recipe(name: &str, text: &str) -> bool {
    let mut lines = text.lines().map(|l| l.trim_start_matches('\u{feff}').trim_end());
    let version =
        |l: &str| l.strip_prefix("emendo").is_some_and(|r| r.trim_start().starts_with('='));
    name.ends_with(".toml") && lines.any(version) && text.contains("[[step")
}
