//! `recipe check`: everything that is wrong with a recipe, and what would hurt.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::hints;
use emendo_report::json;
use emendo_text::{Diagnostic, Severity};

use crate::commands::bundle;
use crate::errors::{USAGE, Usage};
use crate::globals::{Globals, inputs, load_to_look};
use crate::messages;
use crate::show;
use crate::show::{GOOD, count};

/// Report everything that is wrong with a recipe, at once
///
/// Errors keep a recipe from running. Warnings are about likely trouble: a pattern that can never match, a step without an
/// example, a very common name.
#[derive(Args)]
pub(crate) struct Check {
    /// The recipe: a file, or an id that `recipe list` shows
    #[arg(required_unless_present = "about")]
    recipe: Option<String>,
    /// Print the page about a word that messages have in brackets, instead of checking
    #[arg(long, value_name = "WORD", conflicts_with = "recipe")]
    about: Option<String>,
    /// A value for an input of the recipe
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
}

impl Check {
    pub(super) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        if let Some(word) = &self.about {
            return page(word);
        }
        let inputs = inputs(&self.inputs)?;
        let recipe = self.recipe.unwrap_or_default();
        let mut checked = load_to_look(globals, &recipe, &inputs)?;
        let more = hints(&checked, &inputs, &globals.shelf());
        for (m, more) in checked.messages.iter_mut().zip(more) {
            m.found.extend(more);
        }
        let all = || checked.messages.iter().flat_map(|m| m.found.iter().map(move |d| (m, d)));
        let errors = all().filter(|(_, d)| d.severity == Severity::Error).count();
        let warnings = all().count() - errors;
        let mut out = anstream::stdout().lock();
        if globals.json {
            let one = |d: &Diagnostic| d.help.as_ref().map(messages::help);
            let list: Vec<_> =
                all().map(|(m, d)| json::diagnostic(d, (&m.name, &m.text), one(d))).collect();
            let name = &checked.messages[0].name;
            show::json(&mut out, &json::checked(name, (errors, warnings), &list))?;
        } else {
            // Errors first: they are to be mended before the rest counts.
            for severity in [Severity::Error, Severity::Warning] {
                for (m, d) in all().filter(|(_, d)| d.severity == severity) {
                    writeln!(out, "{}\n", messages::render(d, &m.name, &m.text))?;
                }
            }
            if errors + warnings == 0 {
                let steps = checked.plan.steps.len();
                let examples = checked.recipes.iter().map(|r| r.examples.len()).sum();
                let (steps, examples) = (count(steps, "step"), count(examples, "example"));
                writeln!(out, "{GOOD}no fault found{GOOD:#}: {steps}, {examples}")?;
            } else {
                writeln!(out, "{}, {}", count(errors, "error"), count(warnings, "warning"))?;
            }
        }
        Ok(if checked.failed() { ExitCode::from(USAGE) } else { ExitCode::SUCCESS })
    }
}

/// Prints the page about a word.
fn page(word: &str) -> anyhow::Result<ExitCode> {
    let pages =
        || bundle::files(bundle::ERRORS).map(|(path, text)| (path.trim_end_matches(".md"), text));
    let Some((_, text)) = pages().find(|(name, _)| *name == word) else {
        let words: Vec<&str> = pages().map(|p| p.0).filter(|w| *w != "README").collect();
        let help = format!("the words are: {}", words.join(", "));
        return Err(Usage::error(format!("there is no page about `{word}`"), help));
    };
    write!(anstream::stdout().lock(), "{text}")?;
    Ok(ExitCode::SUCCESS)
}
