//! `status`: where this migration stands.

use std::collections::HashSet;
use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Decision, Phase, Proposal, RealDisk, Summary, summarize};
use emendo_report::json;
use emendo_text::{Digest, RelPath, one_line};

use crate::globals::Globals;
use crate::show::{self, BOLD, DIM, LOOK, count};

/// Where this migration stands
///
/// Shows the proposal by step with its decisions, files that have changed since, decisions that no longer match any edit,
/// and what was applied.
#[derive(Args)]
pub(crate) struct StatusCommand {}

impl StatusCommand {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let proposal = session.proposal()?;
        let decisions = session.decisions()?;
        let journals = session.journals()?;
        let disk = RealDisk::open(session.project().root())?;
        let mut changed = Vec::new();
        for f in proposal.iter().flat_map(|p| &p.files).filter(|f| !f.edits.is_empty()) {
            use emendo_core::Disk;
            if disk.read(&f.path)?.map(|b| Digest::of(&b)) != Some(f.base) {
                changed.push(f.path.clone());
            }
        }
        let ids: HashSet<Digest> = proposal.iter().flat_map(|p| p.edits()).map(|e| e.id).collect();
        let stale = if proposal.is_some() { decisions.stale(&ids) } else { Vec::new() };
        let summary = proposal.as_ref().map(|p| summarize(p, &decisions));
        let unfinished = journals.last().is_some_and(emendo_core::Journal::unfinished);
        let done: Vec<_> = journals.iter().filter(|j| j.phase == Phase::Done).collect();
        let mut out = anstream::stdout().lock();
        if globals.json {
            let value = json::status(
                session.project().root(),
                (proposal.as_ref(), summary.as_ref()),
                (&changed, &stale),
                (&done, unfinished),
            );
            return show::json(&mut out, &value);
        }
        if !session.trusted()? {
            writeln!(
                out,
                "{LOOK}the state folder was not made on this machine by you{LOOK:#}: it is shown, and nothing is written by it"
            )?;
        }
        if unfinished {
            writeln!(out, "{LOOK}an apply was interrupted{LOOK:#}: `emendo undo` takes it back")?;
        }
        match (&proposal, &summary) {
            (Some(p), Some(s)) => of_proposal(&mut out, p, s)?,
            _ => writeln!(out, "no proposal: `emendo propose RECIPE` makes one")?,
        }
        moved_on(&mut out, &changed, &stale)?;
        for j in &done {
            writeln!(
                out,
                "applied: {} in {} ({}); `emendo undo` takes the last apply back",
                count(j.ops.decisions.len(), "edit"),
                count(j.ops.ops.len(), "file"),
                one_line(&j.ops.recipes.join(", "))
            )?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn of_proposal(out: &mut impl Write, p: &Proposal, s: &Summary) -> io::Result<()> {
    for r in &p.header.recipes {
        let (title, id) = (one_line(&r.title), one_line(&r.id));
        writeln!(out, "{BOLD}{title}{BOLD:#} {DIM}({id}){DIM:#}")?;
    }
    show::steps(out, s)
}

/// What does not fit the proposal any more: files, and decisions.
fn moved_on(out: &mut impl Write, changed: &[RelPath], stale: &[&Decision]) -> io::Result<()> {
    if !changed.is_empty() {
        writeln!(
            out,
            "{LOOK}changed since the proposal{LOOK:#} (run `emendo propose` again; decisions are kept):"
        )?;
        for p in changed {
            writeln!(out, "  {}", emendo_text::visible_name(p.as_str()))?;
        }
    }
    if !stale.is_empty() {
        writeln!(out, "decisions that fit no edit any more: {}", stale.len())?;
        for d in stale.iter().take(10) {
            let (id, path) = (d.edit.short(8), emendo_text::visible_name(d.path.as_str()));
            writeln!(out, "  {id} {path} {DIM}[{}]{DIM:#}", d.step.step)?;
        }
    }
    Ok(())
}
