//! `leftovers`: what still uses the old API, and what is pending.

use std::io;
use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Certainty, Decisions, Leftover, Proposal, Standing, Status};
use emendo_report::json;
use emendo_text::{one_line, visible_name};

use crate::errors::{TO_DO, Usage};
use crate::globals::{Globals, inputs, load, refuse_faulty};
use crate::progress::Progress;
use crate::show::{BOLD, DIM, GOOD, LOOK, count, place};

/// List what still uses the old API
///
/// A leftover is a place that still uses a name which a recipe replaces, or mentions it in a string, a comment, a
/// configuration, a template or a text, and that no edit covers. Places with an edit that is not written yet are
/// pending. Without a recipe, the recipes of the last proposal or apply are used.
#[derive(Args)]
pub(crate) struct Leftovers {
    /// Recipes in the order in which they run: files, or ids that `recipe list` shows
    #[arg(value_name = "RECIPE")]
    recipes: Vec<String>,
    /// A value for an input of the recipe; may be given several times
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
    /// Only places of this certainty and above
    #[arg(long, value_name = "LEVEL", value_parser = ["certain", "likely", "unsure"], default_value = "unsure")]
    certainty: String,
    /// Exit with 1 if anything is left or pending
    #[arg(long)]
    check: bool,
}

impl Leftovers {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let given = inputs(&self.inputs)?;
        let mut bar = Progress::new();
        let mut progress = |done, all| bar.at(done, all);
        let proposal = if self.recipes.is_empty() {
            session.look_again(&mut progress)?.ok_or_else(|| {
                Usage::error(
                    "no recipe was proposed or applied here yet",
                    "name the recipe: `emendo leftovers RECIPE`",
                )
            })?
        } else {
            let checked = load(globals, &self.recipes, &given)?;
            refuse_faulty(&checked)?;
            session.look(&checked, &given, &mut progress)?
        };
        drop(bar);
        let decisions = session.decisions()?;
        let least = Certainty::ALL.into_iter().find(|c| c.word() == self.certainty);
        let least = least.unwrap_or(Certainty::Unsure);
        let mut out = anstream::stdout().lock();
        let pending = pending(&proposal, &decisions);
        let left: Vec<_> = proposal.leftovers().filter(|(_, l)| l.certainty >= least).collect();
        if globals.json {
            crate::show::json(&mut out, &json::leftovers(&left, &pending))?;
        } else {
            show(&mut out, &left, &pending)?;
        }
        let any = !left.is_empty() || !pending.is_empty();
        Ok(if self.check && any { ExitCode::from(TO_DO) } else { ExitCode::SUCCESS })
    }
}

/// Files with edits that are not written yet, and how many.
fn pending(p: &Proposal, d: &Decisions) -> Vec<(String, usize)> {
    let open = |e: &&emendo_core::Edit| {
        !e.derived
            && !matches!(e.standing, Standing::Withheld(_))
            && d.status(e) != Status::Rejected
    };
    let count = |f: &emendo_core::FileRecord| f.edits.iter().filter(open).count();
    let all = p.files.iter().map(|f| (f.path.as_str().to_owned(), count(f)));
    all.filter(|f| f.1 > 0).collect()
}

fn show(
    out: &mut impl Write,
    left: &[(&emendo_text::RelPath, &Leftover)],
    pending: &[(String, usize)],
) -> io::Result<()> {
    let mut symbols: Vec<&str> = left.iter().map(|(_, l)| l.symbol.as_str()).collect();
    symbols.sort_unstable();
    symbols.dedup();
    for symbol in symbols {
        let places = || left.iter().filter(|(_, l)| l.symbol == symbol);
        let Some((_, first)) = places().next() else { continue };
        writeln!(
            out,
            "{BOLD}{}{BOLD:#} {DIM}{} [{}]{DIM:#}",
            one_line(symbol),
            count(places().count(), "place"),
            visible_name(&first.step.step)
        )?;
        if let Some(advice) = &first.advice {
            writeln!(out, "  {LOOK}{}{LOOK:#}", one_line(advice))?;
        }
        for (path, l) in places() {
            place(out, path, l)?;
        }
        writeln!(out)?;
    }
    if left.is_empty() {
        writeln!(out, "{GOOD}nothing of the old API is left{GOOD:#}")?;
    } else {
        let n = |c: Certainty| left.iter().filter(|(_, l)| l.certainty == c).count();
        writeln!(
            out,
            "{BOLD}{} left{BOLD:#}: {} certain, {} likely, {} unsure",
            count(left.len(), "place"),
            n(Certainty::Certain),
            n(Certainty::Likely),
            n(Certainty::Unsure)
        )?;
    }
    if !pending.is_empty() {
        let edits = pending.iter().map(|p| p.1).sum();
        writeln!(
            out,
            "{LOOK}{} in {} pending{LOOK:#}: proposed, and not written yet (`emendo status`)",
            count(edits, "edit"),
            count(pending.len(), "file")
        )?;
    }
    Ok(())
}
