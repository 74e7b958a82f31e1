//! `accept`, `reject`, `choose`: scripted decisions.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Certainty, Decided, Refusal, Selection};
use emendo_report::json;

use crate::errors::Usage;
use crate::globals::Globals;
use crate::show;
use crate::show::count;

/// Which edits are meant; all of the given options must hold.
#[derive(Args)]
struct Which {
    /// Edits of this step; may be given several times
    #[arg(long, value_name = "STEP")]
    step: Vec<String>,
    /// Edits in this file or folder; may be given several times
    #[arg(long, value_name = "PATH")]
    file: Vec<String>,
    /// Edits of this certainty and above: certain, likely, unsure (`all` is the same as unsure)
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    certainty: Option<Certainty>,
    /// The edit whose id begins with this; may be given several times
    #[arg(long, value_name = "ID")]
    edit: Vec<String>,
    /// All edits
    #[arg(long)]
    all: bool,
}

/// A certainty by its word.
pub(crate) fn level(word: &str) -> Result<Certainty, String> {
    match word {
        "certain" => Ok(Certainty::Certain),
        "likely" => Ok(Certainty::Likely),
        "unsure" | "all" => Ok(Certainty::Unsure),
        _ => Err("one of: certain, likely, unsure, all".into()),
    }
}

impl Which {
    fn selection(self) -> anyhow::Result<Selection> {
        let Self { step, file, certainty, edit, all } = self;
        if step.is_empty() && file.is_empty() && certainty.is_none() && edit.is_empty() && !all {
            return Err(Usage::error(
                "it is not clear which edits you mean",
                "use --step, --file, --certainty, --edit or --all",
            ));
        }
        Ok(Selection { steps: step, files: file, certainty, edits: edit, all })
    }
}

/// Accept edits, so that `apply` writes them
///
/// Edits that the accepted ones depend on are accepted too. Steps with a caution are covered only where `--step`
/// or `--edit` names them, unsure edits only where that level is asked for, and choices never: pick with `choose`.
#[derive(Args)]
pub(crate) struct Accept {
    #[command(flatten)]
    which: Which,
}

/// Reject edits; they stay rejected in later runs
///
/// Edits that depend on a rejected one are computed again.
#[derive(Args)]
pub(crate) struct Reject {
    #[command(flatten)]
    which: Which,
}

/// Pick one of the alternatives of a choice
#[derive(Args)]
pub(crate) struct Choose {
    #[command(flatten)]
    which: Which,
    /// The alternative's label, as `propose` shows it
    label: String,
}

impl Accept {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let decided = globals.session()?.accept(&self.which.selection()?)?;
        report(globals, &decided, "accepted")
    }
}

impl Reject {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let decided = globals.session()?.reject(&self.which.selection()?)?;
        report(globals, &decided, "rejected")
    }
}

impl Choose {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let decided = globals.session()?.choose(&self.which.selection()?, &self.label)?;
        report(globals, &decided, "picked")
    }
}

/// Edits shown one by one; beyond that they are counted.
const SHOWN: usize = 20;

fn report(globals: &Globals, d: &Decided, word: &str) -> anyhow::Result<ExitCode> {
    let mut out = anstream::stdout().lock();
    if globals.json {
        let decisions = globals.session()?.decisions()?;
        return show::json(&mut out, &json::decided(d, &decisions, &refusal));
    }
    writeln!(out, "{word}: {}", count(d.decided.len(), "edit"))?;
    for e in d.decided.iter().take(SHOWN) {
        writeln!(out, "  {}", show::head(e))?;
    }
    if d.decided.len() > SHOWN {
        writeln!(out, "  ... and {} more", d.decided.len() - SHOWN)?;
    }
    if !d.along.is_empty() {
        writeln!(
            out,
            "along with them, since they build on these: {}",
            count(d.along.len(), "edit")
        )?;
        for e in d.along.iter().take(SHOWN) {
            writeln!(out, "  {}", show::head(e))?;
        }
    }
    if !d.refused.is_empty() {
        writeln!(out, "not {word}: {}", count(d.refused.len(), "edit"))?;
        for (e, why) in d.refused.iter().take(SHOWN) {
            let why = refusal(why);
            writeln!(out, "  {} {why}", show::head(e))?;
        }
        if d.refused.len() > SHOWN {
            writeln!(out, "  ... and {} more", d.refused.len() - SHOWN)?;
        }
    }
    Ok(ExitCode::SUCCESS)
}

/// Why an edit is not decided, with the way out.
fn refusal(why: &Refusal) -> String {
    match why {
        Refusal::Withheld(why) => format!("it is held back: {why}"),
        Refusal::Choice => "it is a choice: pick one with `emendo choose`".into(),
        Refusal::Caution => "it calls for caution: name it with `--step` or `--edit`".into(),
        Refusal::Unsure => "it is unsure: ask for it with `--certainty unsure` or `--edit`".into(),
        Refusal::Other(why) => why.clone(),
    }
}
