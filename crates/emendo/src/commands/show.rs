//! `show`: the stored proposal, or a part of it.

use std::process::ExitCode;

use clap::Args;
use emendo_core::{Certainty, Edit, OpenWork, RealDisk, Selection, notes_in, select, summarize};
use emendo_report::json;

use crate::commands::decide::{Which, level};
use crate::globals::Globals;
use crate::pager;
use crate::progress::Progress;
use crate::show;
use crate::view::{DiffWhen, View};

/// Show the stored proposal or a part of it
///
/// Without options: the summary, what needs a person, and the diff where it is short. Options narrow it down to edits, which are shown with their
/// lines, or to a list.
#[derive(Args)]
pub(crate) struct Show {
    #[command(flatten)]
    which: Which,
    /// Edits of exactly this certainty: certain, likely, unsure
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    certainty: Option<Certainty>,
    /// Edits that nobody has decided on, choices among them
    #[arg(long, group = "list")]
    undecided: bool,
    /// Accepted edits that are not written yet
    #[arg(long, group = "list")]
    accepted: bool,
    /// Rejected edits
    #[arg(long, group = "list")]
    rejected: bool,
    /// Choices that nobody has made
    #[arg(long, group = "list")]
    choices: bool,
    /// Edits that are held back, with the reason
    #[arg(long, group = "list")]
    held_back: bool,
    /// Notes that are not ticked off
    #[arg(long, group = "list")]
    notes: bool,
    /// Print the diff however long it is
    #[arg(long, conflicts_with = "brief")]
    diff: bool,
    /// Print the summary without the diff
    #[arg(long)]
    brief: bool,
}

impl Show {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let mut bar = Progress::new();
        let proposal = session.shown(&mut |done, all| bar.at(done, all))?;
        drop(bar);
        let decisions = session.decisions()?;
        let summary = summarize(&proposal, &decisions);
        let disk = RealDisk::open(session.project().root())?;
        let view = View {
            proposal: &proposal,
            summary: &summary,
            decisions: &decisions,
            stored: true,
            disk: Some(&disk),
        };
        let open = OpenWork::of(&proposal, &decisions);
        let chosen = !self.which.is_empty() || self.certainty.is_some();
        let when = match (self.diff, self.brief) {
            (true, _) => DiffWhen::Always,
            (_, true) => DiffWhen::Never,
            _ => DiffWhen::Short,
        };
        let list = self.list(&open);
        let notes = self.notes;
        if !chosen && list.is_none() && !notes {
            if globals.json {
                let mut out = anstream::stdout().lock();
                return show::json(&mut out, &json::proposal(&proposal, &summary, &decisions));
            }
            pager::show(|out| view.show(out, when))?;
            return Ok(ExitCode::SUCCESS);
        }
        let steps = self.which.step.clone();
        let selection = Selection {
            certainty: self.certainty,
            exact: true,
            ..self.which.selection(globals, &session)?
        };
        if notes {
            let mut open = open;
            open.notes = notes_in(&open.notes, &selection.files)?;
            open.notes.retain(|n| steps.is_empty() || steps.iter().any(|s| n.step.is(s)));
            if globals.json {
                let mut out = anstream::stdout().lock();
                return show::json(&mut out, &json::notes(&open.notes));
            }
            pager::show(|out| match open.notes.is_empty() {
                true => said(out, "no note is open"),
                false => view.notes(out, &open, usize::MAX),
            })?;
            return Ok(ExitCode::SUCCESS);
        }
        let edits: Vec<&Edit> = match (list, chosen) {
            (Some(list), true) => {
                let selected = select(&proposal, &selection)?;
                list.into_iter().filter(|e| selected.iter().any(|s| s.id == e.id)).collect()
            }
            (Some(list), false) => list,
            (None, _) => select(&proposal, &selection)?,
        };
        if globals.json {
            let mut out = anstream::stdout().lock();
            return show::json(&mut out, &json::edits(&edits, &decisions));
        }
        pager::show(|out| match edits.is_empty() {
            true => said(out, "no edit is in this list"),
            false if self.brief => heads(out, &edits),
            false => view.edits(out, &edits),
        })?;
        Ok(ExitCode::SUCCESS)
    }

    /// The list of edits that is asked for.
    fn list<'p>(&self, open: &OpenWork<'p>) -> Option<Vec<&'p Edit>> {
        let all = |lists: &[&Vec<&'p Edit>]| lists.iter().flat_map(|l| l.iter().copied()).collect();
        match () {
            () if self.undecided => Some(all(&[&open.undecided, &open.choices, &open.again])),
            () if self.accepted => Some(open.accepted.clone()),
            () if self.rejected => Some(open.rejected.clone()),
            () if self.choices => Some(open.choices.clone()),
            () if self.held_back => Some(open.held_back.clone()),
            () => None,
        }
    }
}

fn said(out: &mut impl std::io::Write, text: &str) -> std::io::Result<()> {
    writeln!(out, "{text}")
}

fn heads(out: &mut impl std::io::Write, edits: &[&Edit]) -> std::io::Result<()> {
    for e in edits {
        writeln!(out, "{}", show::head(e))?;
    }
    Ok(())
}
