//! `finish`: ends a migration.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::Context;
use clap::Args;
use emendo_core::{OpenWork, Phase};
use emendo_report::json;

use crate::errors::{Refused, Usage};
use crate::globals::Globals;
use crate::open;
use crate::progress::Progress;
use crate::show;

/// End the migration: check that nothing is open, keep a report, remove the state
///
/// Refuses while edits are undecided or accepted and not written. Notes, leftovers and edits that are held back must be ticked off, or kept in a
/// report. The decisions and the way back by `undo` go with the state folder `.emendo`; the files of the project stay as they are.
#[derive(Args)]
pub(crate) struct Finish {
    /// Write what was done, what was left on purpose and what is left to do into this file, as Markdown
    #[arg(long, value_name = "FILE")]
    report: Option<PathBuf>,
    /// End it although edits are undecided or not written
    #[arg(long)]
    with_open: bool,
}

impl Finish {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let mut bar = Progress::new();
        let remaining = session.still_remaining(&mut |done, all| bar.at(done, all))?;
        drop(bar);
        let Some(remaining) = remaining else {
            return Err(Usage::error(
                "there is nothing to finish: no recipe was proposed or applied here",
                "`emendo propose RECIPE` begins a migration",
            ));
        };
        let decisions = session.decisions()?;
        let work = OpenWork::of(&remaining.proposal, &decisions);
        let counts = work.counts();
        if counts.pending() && !self.with_open {
            return Err(refused(
                open::pending(&counts),
                "decide on them and apply, or give them up: `--with-open`",
            ));
        }
        if counts.left() && self.report.is_none() {
            return Err(refused(
                open::left(&counts),
                "tick them off with `emendo done`, or keep the list: `--report FILE`",
            ));
        }
        let journals = session.journals()?;
        let applied: Vec<_> = journals.iter().filter(|j| j.phase == Phase::Done).collect();
        if let Some(path) = &self.report {
            let path = globals.path(path);
            let text = crate::commands::report::as_markdown(&session)?;
            std::fs::write(&path, text)
                .with_context(|| format!("cannot write `{}`", path.display()))?;
        }
        let edits: usize = applied.iter().map(|j| j.ops.decisions.len()).sum();
        session.finish()?;
        let mut out = anstream::stdout().lock();
        if globals.json {
            return show::json(&mut out, &json::finished(edits, &counts, self.report.as_deref()));
        }
        writeln!(
            out,
            "finished: {} applied; the state folder is removed",
            show::count(edits, "edit")
        )?;
        if let Some(path) = &self.report {
            writeln!(out, "report: {}", emendo_text::one_line(&path.display().to_string()))?;
        }
        let left: Vec<String> = open::left(&counts).iter().map(open::OpenList::said).collect();
        if !left.is_empty() {
            writeln!(out, "left to do, as the report lists it: {}", left.join(", "))?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn refused(lists: Vec<open::OpenList>, help: &str) -> anyhow::Error {
    let all: Vec<String> = lists.iter().map(open::OpenList::said).collect();
    Refused::error(format!("not finished: {}", all.join(", ")), help)
}
