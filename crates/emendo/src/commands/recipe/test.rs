//! `recipe test`: runs the examples of a recipe.

use std::collections::BTreeMap;
use std::io;
use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{ExampleResult, ExampleVerdict, StayedLine, TestReport, UncoveredRow, test};
use emendo_recipe::{Beside, Recipe};
use emendo_report::json;
use emendo_text::{Lines, RelPath, Span, one_line, visible, visible_name};
use serde_json::Value;

use crate::errors::{USAGE, Usage};
use crate::globals::{Globals, inputs, load, refuse_faulty};
use crate::show;
use crate::show::{BAD, BOLD, DIM, GOOD, LOOK, count};

/// Run the examples of a recipe
///
/// Each `before` must become its `after`, with the notes that it expects, and running the recipe once more must change
/// nothing. A look-alike (`unchanged`) must stay as it is.
#[derive(Args)]
pub(crate) struct Test {
    /// The recipe: a file, or an id that `recipe list` shows
    recipe: String,
    /// A value for an input of the recipe
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
    /// Say which actions, and which rows of their tables, no example exercises
    #[arg(long)]
    coverage: bool,
    /// Write what came out as what is expected, after showing it; look-alikes stay as they are
    #[arg(long)]
    accept: bool,
}

impl Test {
    pub(super) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let inputs = inputs(&self.inputs)?;
        let checked = load(globals, std::slice::from_ref(&self.recipe), &inputs)?;
        refuse_faulty(&checked)?;
        let recipe = &checked.recipes[0];
        let tested = test(&globals.world, recipe, Some(&checked.plan), &inputs, &globals.shelf());
        let failed = tested.ran.iter().filter(|r| r.verdict != ExampleVerdict::Passed).count();
        let mut out = anstream::stdout().lock();
        if globals.json {
            show::json(&mut out, &self.to_json(recipe, &tested))?;
        } else {
            self.show(&mut out, recipe, &tested, failed)?;
        }
        let mut open = failed;
        if self.accept && failed > 0 {
            let accepted = accept(recipe, &tested)?;
            if !globals.json {
                let n = count(accepted, "example");
                writeln!(out, "taken over for {n}: run `recipe test` again")?;
            }
            open -= accepted;
        }
        Ok(if open > 0 { ExitCode::from(USAGE) } else { ExitCode::SUCCESS })
    }

    fn to_json(&self, recipe: &Recipe, tested: &TestReport) -> Value {
        let mut value = json::tested(recipe, tested);
        if self.coverage {
            value["coverage"] = json::coverage(tested, &|u| line(recipe, u));
        }
        value
    }

    fn show(
        &self,
        out: &mut impl Write,
        recipe: &Recipe,
        tested: &TestReport,
        failed: usize,
    ) -> io::Result<()> {
        let lines = Lines::new(&recipe.source.text);
        // Of many, those that passed are only counted.
        let brief = tested.ran.len() > 60;
        for r in &tested.ran {
            if r.verdict == ExampleVerdict::Passed {
                if !brief {
                    writeln!(out, "{GOOD}passed{GOOD:#}  {}", visible_name(&r.title))?;
                }
                continue;
            }
            let (name, line) = (visible_name(&recipe.source.name), lines.line(r.span.start));
            writeln!(
                out,
                "{BAD}failed{BAD:#}  {} {DIM}({name}:{line}){DIM:#}",
                visible_name(&r.title)
            )?;
            explain(out, &r.verdict)?;
            if let Some(stayed) = &r.stayed {
                show_stayed(out, stayed)?;
            }
        }
        if tested.ran.is_empty() {
            writeln!(
                out,
                "the recipe has no examples: add `[[example]]` with `before` and `after`"
            )?;
        } else {
            writeln!(out, "{} passed, {failed} failed", tested.ran.len() - failed)?;
        }
        if self.coverage {
            coverage(out, recipe, tested)?;
        }
        Ok(())
    }
}

/// The line of an action in the recipe's own text; none where it is one of an included recipe.
fn line(recipe: &Recipe, u: &UncoveredRow) -> Option<u32> {
    let own = recipe.whole().into_iter().find(|r| r.source.path == u.source)?;
    Some(Lines::new(&own.source.text).line(u.span.start))
}

fn coverage(out: &mut impl Write, recipe: &Recipe, tested: &TestReport) -> io::Result<()> {
    let done = tested.coverable - tested.uncovered.len().min(tested.coverable);
    writeln!(out)?;
    if tested.uncovered.is_empty() {
        return writeln!(out, "{GOOD}every action is exercised{GOOD:#} ({})", tested.coverable);
    }
    writeln!(out, "{BOLD}exercised by examples: {done} of {}{BOLD:#}", tested.coverable)?;
    for u in &tested.uncovered {
        let line = line(recipe, u).map_or(String::new(), |l| format!(" {DIM}(line {l}){DIM:#}"));
        let what = match &u.row {
            Some(row) => format!("the row `{}` of {}", one_line(row), u.kind),
            None => u.kind.to_owned(),
        };
        writeln!(out, "  {LOOK}none{LOOK:#}  {}: {what}{line}", visible_name(&u.step))?;
    }
    Ok(())
}

/// Writes what came out as what is expected. Gives how many examples were changed.
fn accept(recipe: &Recipe, tested: &TestReport) -> anyhow::Result<usize> {
    let Beside::Folder(folder) = &recipe.source.beside else {
        return Err(Usage::error(
            "a recipe that came with the program is not changed",
            "copy it into a folder of yours and give the copy its own id",
        ));
    };
    let mut texts: Vec<(Span, String)> = Vec::new();
    let mut accepted = 0;
    for r in &tested.ran {
        let (example, ExampleVerdict::Differs { actual, .. }) =
            (&recipe.examples[r.number - 1], &r.verdict)
        else {
            continue;
        };
        if example.unchanged {
            continue;
        }
        match &example.tree {
            Some(tree) => {
                let path = format!("{}/after", tree.text.trim_end_matches('/'));
                let known = RelPath::new(&path).ok().and_then(|p| recipe.source.tree(&p).ok());
                accept_tree(&folder.join(path), &known.unwrap_or_default(), r)?;
                accepted += 1;
            }
            None if example.after.span != example.before.span => {
                texts.push((example.after.span, quoted(actual)));
                accepted += 1;
            }
            None => {}
        }
    }
    texts.sort_by_key(|t| std::cmp::Reverse(t.0.start));
    let mut text = recipe.source.text.clone();
    for (span, new) in texts {
        text.replace_range(span.range(), &new);
    }
    if text != recipe.source.text {
        std::fs::write(&recipe.source.path, text)?;
    }
    Ok(accepted)
}

fn accept_tree(
    after: &Path,
    before: &BTreeMap<RelPath, Vec<u8>>,
    ran: &ExampleResult,
) -> io::Result<()> {
    for (path, bytes) in &ran.came {
        let full = after.join(path.as_path());
        full.parent().map_or(Ok(()), std::fs::create_dir_all)?;
        std::fs::write(full, bytes)?;
    }
    // What is not there any more is expected no more.
    for path in before.keys().filter(|p| !ran.came.contains_key(*p)) {
        std::fs::remove_file(after.join(path.as_path()))?;
    }
    Ok(())
}

/// A text as TOML, readable where it can be.
fn quoted(text: &str) -> String {
    let plain = !text.contains(|c: char| c.is_control() && c != '\n' && c != '\t');
    if plain && !text.contains("'''") && !text.ends_with('\'') {
        return match text.contains(['\n', '\'']) {
            true => format!("'''\n{text}'''"),
            false => format!("'{text}'"),
        };
    }
    toml::Value::String(text.to_owned()).to_string()
}

/// Reasons that are shown for a line.
const REASONS: usize = 3;

/// Why a line stayed as it was.
fn show_stayed(out: &mut impl Write, stayed: &StayedLine) -> io::Result<()> {
    writeln!(out, "  {BOLD}stayed as it was{BOLD:#}")?;
    writeln!(out, "    {}", visible(stayed.source.trim_start()))?;
    for why in &stayed.withheld {
        writeln!(out, "      {LOOK}held back{LOOK:#}: {}", one_line(why))?;
    }
    let near = stayed.stops.iter().filter(|s| s.fitted > 0);
    let near: Vec<_> = near.take(REASONS).collect();
    if near.is_empty() && stayed.withheld.is_empty() {
        writeln!(out, "      no action has a word on it")?;
    }
    near.into_iter().try_for_each(|s| show::stop(out, s, "      "))
}

fn explain(out: &mut impl Write, v: &ExampleVerdict) -> io::Result<()> {
    let mut block = |title: &str, text: &str| {
        writeln!(out, "  {BOLD}{title}{BOLD:#}")?;
        text.lines().try_for_each(|l| writeln!(out, "    {}", visible(l)))
    };
    match v {
        ExampleVerdict::Passed => Ok(()),
        ExampleVerdict::Differs { path, expected, actual } => {
            let of = path.as_ref().map_or(String::new(), |p| format!(" of {p}"));
            block(&format!("expected{of}"), expected)?;
            block("came out", actual)
        }
        ExampleVerdict::NotSettled { actual } => {
            block("a second run changes the result again", actual)
        }
        ExampleVerdict::Notes { problem } => block("notes", problem),
        ExampleVerdict::Broken(why) => block("could not be run", why),
    }
}
