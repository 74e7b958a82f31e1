//! `recipe test`: runs the examples of a recipe.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{ExampleVerdict, test};
use emendo_text::visible;
use serde_json::json;

use crate::commands::{Globals, inputs, load, refuse_faulty};
use crate::errors::USAGE;
use crate::show::{BAD, BOLD, DIM, GOOD};

/// Run the examples of a recipe
///
/// Each `before` must become its `after`, and running the recipe once more must change nothing.
#[derive(Args)]
pub(crate) struct Test {
    /// The recipe: a file, or an id that `recipe list` shows
    recipe: String,
    /// A value for an input of the recipe
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
}

impl Test {
    pub(super) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let inputs = inputs(&self.inputs)?;
        let checked = load(globals, &[self.recipe], &inputs)?;
        refuse_faulty(&checked)?;
        let recipe = &checked.recipes[0];
        let ran = test(recipe, &inputs, &globals.shelf());
        let failed = ran.iter().filter(|r| r.verdict != ExampleVerdict::Passed).count();
        let mut out = anstream::stdout().lock();
        if globals.json {
            let list: Vec<_> = ran
                .iter()
                .map(|r| json!({ "number": r.number, "title": r.title, "passed": r.verdict == ExampleVerdict::Passed, "verdict": words(&r.verdict) }))
                .collect();
            serde_json::to_writer_pretty(
                &mut out,
                &json!({ "recipe": recipe.id, "examples": list, "failed": failed }),
            )?;
            writeln!(out)?;
        } else {
            let lines = emendo_text::Lines::new(&recipe.source.text);
            for r in &ran {
                let line = lines.line(r.span.start);
                if r.verdict == ExampleVerdict::Passed {
                    writeln!(out, "{GOOD}passed{GOOD:#}  {}", visible(&r.title))?;
                } else {
                    writeln!(
                        out,
                        "{BAD}failed{BAD:#}  {} {DIM}(line {line}){DIM:#}",
                        visible(&r.title)
                    )?;
                    explain(&mut out, &r.verdict)?;
                }
            }
            if ran.is_empty() {
                writeln!(
                    out,
                    "the recipe has no examples: add `[[example]]` with `before` and `after`"
                )?;
            } else {
                writeln!(out, "{} passed, {failed} failed", ran.len() - failed)?;
            }
        }
        Ok(if failed > 0 { ExitCode::from(USAGE) } else { ExitCode::SUCCESS })
    }
}

fn words(v: &ExampleVerdict) -> serde_json::Value {
    match v {
        ExampleVerdict::Passed => json!({ "kind": "passed" }),
        ExampleVerdict::Differs { expected, actual } => {
            json!({ "kind": "differs", "expected": expected, "actual": actual })
        }
        ExampleVerdict::NotSettled { actual } => json!({ "kind": "not-settled", "actual": actual }),
        ExampleVerdict::Notes { problem } => json!({ "kind": "notes", "problem": problem }),
        ExampleVerdict::Broken(why) => json!({ "kind": "broken", "problem": why }),
    }
}

fn explain(out: &mut impl Write, v: &ExampleVerdict) -> std::io::Result<()> {
    let mut block = |title: &str, text: &str| {
        writeln!(out, "  {BOLD}{title}{BOLD:#}")?;
        text.lines().try_for_each(|l| writeln!(out, "    {}", visible(l)))
    };
    match v {
        ExampleVerdict::Passed => Ok(()),
        ExampleVerdict::Differs { expected, actual } => {
            block("expected", expected)?;
            block("came out", actual)
        }
        ExampleVerdict::NotSettled { actual } => {
            block("a second run changes the result again", actual)
        }
        ExampleVerdict::Notes { problem } => block("notes", problem),
        ExampleVerdict::Broken(why) => block("could not be run", why),
    }
}
