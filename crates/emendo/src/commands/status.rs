//! `status`: where this migration stands.

use std::collections::HashSet;
use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use emendo_core::{
    Decision, Decisions, Journal, OpenWork, Phase, Proposal, RealDisk, Summary, summarize,
};
use emendo_report::json;
use emendo_text::{Digest, RelPath, one_line};

use crate::commands::apply::{short, title_width};
use crate::commands::verify;
use crate::globals::Globals;
use crate::open;
use crate::show::{self, BOLD, DIM, LOOK, count};

/// Places of a list that are shown.
const FEW: usize = 10;

/// Where this migration stands
///
/// Shows the last proposal with its decisions, what was applied, what is open with the command that lists it, and what to do next. Computes nothing.
#[derive(Args)]
pub(crate) struct StatusCommand {
    /// List what was applied: numbers, times, steps, commits
    #[arg(long)]
    applies: bool,
}

impl StatusCommand {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let proposal = session.proposal()?;
        let decisions = session.decisions()?;
        let journals = session.journals()?;
        let disk = RealDisk::open(session.project().root())?;
        let mut changed = Vec::new();
        for f in proposal.iter().flat_map(|p| &p.files) {
            use emendo_core::Disk;
            if disk.read(&f.path)?.map(|b| Digest::of(&b)) != Some(f.base) {
                changed.push(f.path.clone());
            }
        }
        let ids: HashSet<Digest> = proposal.iter().flat_map(|p| p.edits()).map(|e| e.id).collect();
        let stale = if proposal.is_some() { decisions.stale(&ids) } else { Vec::new() };
        let summary = proposal.as_ref().map(|p| summarize(p, &decisions));
        let unfinished = journals.iter().any(Journal::unfinished);
        let done: Vec<_> = journals.iter().filter(|j| j.phase == Phase::Done).collect();
        let verified = verify::last(&session)?;
        let mut out = anstream::stdout().lock();
        if globals.json {
            let value = json::status(
                session.project().root(),
                (proposal.as_ref(), summary.as_ref()),
                (&changed, &stale),
                (&done, unfinished),
                verified.as_ref(),
            );
            return show::json(&mut out, &value);
        }
        if !session.trusted()? {
            writeln!(
                out,
                "{LOOK}the state folder was not made on this machine by you{LOOK:#}: it is shown, and nothing is written by it"
            )?;
        }
        if self.applies {
            return list(&mut out, &done, unfinished);
        }
        if unfinished {
            writeln!(out, "{LOOK}an apply was interrupted{LOOK:#}: `emendo undo` takes it back")?;
        }
        titles(&mut out, proposal.as_ref(), &done)?;
        applied(&mut out, &done)?;
        match (&proposal, &summary) {
            (Some(p), Some(s)) => of_proposal(&mut out, p, s, &decisions)?,
            _ => writeln!(out, "no proposal: `emendo propose RECIPE` makes one")?,
        }
        if let Some(v) = &verified {
            verify::said::line(&mut out, v)?;
        }
        moved_on(&mut out, &changed, &stale)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// What was applied, in numbers.
fn applied(out: &mut impl Write, done: &[&Journal]) -> io::Result<()> {
    let edits: usize = done.iter().map(|j| j.ops.decisions.len()).sum();
    let files: HashSet<RelPath> = done.iter().flat_map(|j| j.ops.files()).collect();
    let (edits, files) = (count(edits, "edit"), count(files.len(), "file"));
    let commits = done.iter().filter(|j| j.commit().is_some()).count();
    let commits =
        if commits > 0 { format!(", {}", count(commits, "commit")) } else { String::new() };
    match done {
        [] => return Ok(()),
        [_] => writeln!(out, "applied: {edits} in {files}{commits}")?,
        more => {
            let n = more.len();
            writeln!(
                out,
                "applied: {edits} in {files}, by {n} applies{commits}; `emendo status --applies` lists them"
            )?;
        }
    }
    writeln!(out, "{DIM}`emendo undo` takes the last apply back{DIM:#}")
}

/// What was applied, the oldest first.
fn list(out: &mut impl Write, done: &[&Journal], unfinished: bool) -> anyhow::Result<ExitCode> {
    let titles: Vec<String> = done.iter().map(|j| one_line(&j.title())).collect();
    let width = title_width(titles.iter().map(String::as_str));
    for (j, title) in done.iter().zip(&titles) {
        let (edits, files) =
            (count(j.ops.decisions.len(), "edit"), count(j.ops.files().len(), "file"));
        let commit = j.commit();
        let commit = commit.as_deref().map_or("no commit", short);
        writeln!(
            out,
            "{BOLD}{:>4}{BOLD:#}  {}  {commit:<10}  {title:<width$}  {DIM}{edits} in {files}{DIM:#}",
            j.id,
            show::when(j.ops.time),
        )?;
    }
    if unfinished {
        writeln!(out, "{LOOK}an apply was interrupted{LOOK:#}: `emendo undo` takes it back")?;
    }
    match done {
        [] if !unfinished => writeln!(out, "nothing is applied")?,
        [] | [_] => {}
        [first, ..] => writeln!(
            out,
            "{DIM}`emendo undo` takes the last one back, `emendo undo --to {}` all of them{DIM:#}",
            first.id
        )?,
    }
    Ok(ExitCode::SUCCESS)
}

/// The recipes: of the proposal, or of the last apply.
fn titles(out: &mut impl Write, proposal: Option<&Proposal>, done: &[&Journal]) -> io::Result<()> {
    let last = done.iter().rev().find_map(|j| j.ops.from.as_deref());
    let header = proposal.map(|p| &p.header).or(last);
    for r in header.map_or(&[][..], |h| &h.recipes) {
        let (title, id) = (one_line(&r.title), one_line(&r.id));
        writeln!(out, "{BOLD}{title}{BOLD:#} {DIM}({id}){DIM:#}")?;
    }
    Ok(())
}

fn of_proposal(
    out: &mut impl Write,
    p: &Proposal,
    s: &Summary,
    decisions: &Decisions,
) -> io::Result<()> {
    if s.total.edits + s.total.withheld > 0 {
        writeln!(out)?;
        show::steps(out, s, show::Rows::Open)?;
    }
    writeln!(out)?;
    open::table(out, &s.open)?;
    let work = OpenWork::of(p, decisions);
    let notes = work.notes.len();
    if notes > 0 && notes + work.leftovers.len() <= FEW {
        writeln!(out)?;
        for n in &work.notes {
            show::note(out, n)?;
        }
        for (path, l) in &work.leftovers {
            show::place(out, path, l)?;
        }
    }
    writeln!(out)?;
    open::line(out, &s.open)
}

/// What does not fit the proposal any more: files, and decisions.
fn moved_on(out: &mut impl Write, changed: &[RelPath], stale: &[&Decision]) -> io::Result<()> {
    if !changed.is_empty() {
        let files = count(changed.len(), "file");
        writeln!(
            out,
            "{LOOK}{files} changed since{LOOK:#}: run `emendo propose` again; decisions are kept"
        )?;
        for p in changed.iter().take(FEW) {
            writeln!(out, "  {}", emendo_text::visible_name(p.as_str()))?;
        }
        if changed.len() > FEW {
            writeln!(out, "  ... and {} more", changed.len() - FEW)?;
        }
    }
    if !stale.is_empty() {
        writeln!(out, "decisions that fit no edit any more: {}", stale.len())?;
        for d in stale.iter().take(FEW) {
            let path = d.path.as_ref().map_or("", RelPath::as_str);
            let (id, path) = (d.edit.short(8), emendo_text::visible_name(path));
            writeln!(out, "  {id} {path} {DIM}[{}]{DIM:#}", d.step.step)?;
        }
    }
    Ok(())
}
