//! `apply`: writes what is accepted, all of it or nothing, or step by step with a commit of each.

use std::io::Write;
use std::process::ExitCode;
use std::time::{SystemTime, UNIX_EPOCH};

use clap::Args;
use emendo_core::{
    Applied, AppliedPart, ApplyOptions, Certainty, RealDisk, Recovered, Session, Stopped,
};
use emendo_report::json;
use emendo_text::{RelPath, one_line, visible_name};

use crate::commands::decide::level;
use crate::errors::{self, Refused};
use crate::globals::Globals;
use crate::programs::confirmed::{Consent, confirm};
use crate::programs::formatter::ProjectFormatter;
use crate::programs::git;
use crate::programs::history::{GitHistory, Purpose};
use crate::show::{self, BOLD, DIM, LOOK, count};

/// Files that are listed of one apply.
const FILES: usize = 40;

/// Write what is accepted: all of it or nothing
///
/// Files that have changed since the proposal, and files with uncommitted changes, are refused. `emendo undo`
/// reverts an apply. Commands that emendo.toml names as `format` bring the written files into the project's form.
#[derive(Args)]
pub(crate) struct Apply {
    /// Accept this certainty and above first: certain, likely, unsure
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    accept: Option<Certainty>,
    /// Write step by step, and make a git commit of each; what you have staged stays staged
    #[arg(long)]
    commits: bool,
    /// Make this branch for the commits, and switch to it; means `--commits`
    #[arg(long, value_name = "NAME")]
    branch: Option<String>,
    /// Write files with uncommitted changes too; they are in none of the commits
    #[arg(long)]
    with_uncommitted: bool,
    /// Leave out files that have changed since the proposal, and files with uncommitted changes
    #[arg(long)]
    skip_changed: bool,
    /// Leave the written files as they are, whatever emendo.toml says of `format`
    #[arg(long)]
    no_format: bool,
    /// The commands that emendo.toml names may run here, now and later
    #[arg(long)]
    trust_command: bool,
}

/// What an apply is asked for, by the command line or by the review screen.
pub(crate) struct Request {
    pub(crate) accept: Option<Certainty>,
    pub(crate) skip_changed: bool,
    pub(crate) with_uncommitted: bool,
    pub(crate) commits: bool,
    pub(crate) branch: Option<String>,
    pub(crate) format: bool,
    pub(crate) consent: Consent,
}

impl Default for Request {
    /// In one piece, of what is accepted; nobody can be asked anything.
    fn default() -> Self {
        Self {
            accept: None,
            skip_changed: false,
            with_uncommitted: false,
            commits: false,
            branch: None,
            format: true,
            consent: Consent::Silent,
        }
    }
}

impl Apply {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let health = git::health(session.project().root());
        if health == git::Health::NoTree {
            crate::commands::propose::unprotected(&health)?;
        }
        let branch = self.branch.clone();
        let request = Request {
            accept: self.accept,
            skip_changed: self.skip_changed,
            with_uncommitted: self.with_uncommitted,
            commits: self.commits || self.branch.is_some(),
            branch: self.branch,
            format: !self.no_format,
            consent: Consent::of(self.trust_command, globals.json),
        };
        let (applied, warnings) = apply(&session, &health, request)?;
        let mut out = anstream::stdout().lock();
        let code = applied.stopped.as_ref().map_or(ExitCode::SUCCESS, |s| errors::code(&s.error));
        if globals.json {
            let help = applied.stopped.as_ref().and_then(|s| errors::help(&s.error));
            show::json(&mut out, &json::applied(&applied, help.as_deref()))?;
        } else {
            let locks =
                emendo_core::locks_of(session.world(), session.project(), applied.files.iter());
            show_applied(&mut out, &applied, &locks, branch.as_deref())?;
        }
        for warning in warnings {
            writeln!(anstream::stderr(), "{warning}")?;
        }
        Ok(code)
    }
}

/// Applies with git's word on what is the user's own. Gives what it did, and what git could not do beside it.
pub(crate) fn apply(
    session: &Session,
    health: &git::Health,
    request: Request,
) -> anyhow::Result<(Applied, Vec<String>)> {
    let project = session.project();
    let root = project.root().to_owned();
    let sees = request.with_uncommitted && !request.commits;
    if let Some(why) = health.problem().filter(|_| !sees) {
        let help = match request.commits {
            true => "mend that first: no commit can be made",
            false => "mend that first, or write all the same: `--with-uncommitted`",
        };
        return Err(Refused::error(format!("{why}: your own changes cannot be recognised"), help));
    }
    let state = project.make_state().map_err(emendo_core::SessionError::from)?;
    let rules = if request.format { project.format_rules() } else { &[] };
    let commands: Vec<&str> = rules.iter().map(|r| r.command.as_str()).collect();
    confirm(&root, &commands, request.consent)?;
    let formatter = ProjectFormatter { root: root.clone(), state: state.clone(), rules };
    let history = GitHistory::new(&root, &state, Purpose::Apply, request.branch);
    let disk = RealDisk::open(&root)?;
    let dirty = move |paths: &[RelPath]| git::dirty(&root, health, paths);
    let options = ApplyOptions {
        accept: request.accept,
        skip_changed: request.skip_changed,
        with_uncommitted: request.with_uncommitted,
        time: SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_secs()),
        commits: request.commits,
        history: &history,
        formatter: Some(&formatter),
        ..ApplyOptions::new(&dirty)
    };
    let applied = session.apply(&disk, &options)?;
    Ok((applied, history.warnings.take()))
}

pub(crate) fn show_applied(
    out: &mut impl Write,
    a: &Applied,
    locks: &[emendo_core::Lock],
    branch: Option<&str>,
) -> std::io::Result<()> {
    recovered(out, a.recovered.as_ref())?;
    let committed = a.stopped.is_some() || a.parts.iter().any(|p| !p.steps.is_empty());
    match a.parts.as_slice() {
        [] if a.stopped.is_some() => {}
        [] => nothing(out, a)?,
        parts if committed => commits(out, parts, branch)?,
        _ => {
            let (edits, files) = (count(a.written, "edit"), count(a.files.len(), "file"));
            writeln!(out, "{BOLD}written{BOLD:#}: {edits} in {files}")?;
            names(out, &a.files)?;
        }
    }
    let uncommitted: Vec<RelPath> =
        a.parts.iter().flat_map(|p| p.uncommitted.iter().cloned()).collect();
    if committed && !uncommitted.is_empty() {
        writeln!(
            out,
            "{LOOK}written, and in no commit{LOOK:#}: git does not keep these files, or they hold your own changes"
        )?;
        names(out, &uncommitted)?;
    }
    if let Some(s) = &a.stopped {
        stopped(out, s, a.parts.is_empty())?;
    }
    if !a.left_out.is_empty() {
        writeln!(
            out,
            "{LOOK}accepted and not written{LOOK:#}: {}",
            count(a.left_out.len(), "edit")
        )?;
        for (e, why) in a.left_out.iter().take(20) {
            writeln!(out, "  {} {why}", show::head(e))?;
        }
    }
    match a.parts.as_slice() {
        [] => {}
        [_] => writeln!(out, "`emendo undo` takes this back")?,
        [first, ..] => writeln!(
            out,
            "`emendo undo` takes the last one back, `emendo undo --to {}` all of them",
            first.id
        )?,
    }
    crate::show::locks(out, locks)?;
    match &a.open {
        Some(open) => crate::open::line(out, open),
        None => writeln!(out, "what is open could not be computed: run `emendo propose` again"),
    }
}

/// What became of an interrupted run.
pub(crate) fn recovered(out: &mut impl Write, r: Option<&Recovered>) -> std::io::Result<()> {
    match r {
        None => Ok(()),
        Some(Recovered::TakenBack(back)) => {
            let files = count(back.restored.len(), "file");
            writeln!(out, "{LOOK}an interrupted apply was taken back first{LOOK:#} ({files})")?;
            aside(out, &back.aside)
        }
        Some(Recovered::Finished(files, id)) => {
            let files = count(files.len(), "file");
            writeln!(
                out,
                "{LOOK}an interrupted apply was finished first{LOOK:#}: its commit {} stands ({files})",
                short(id)
            )
        }
    }
}

/// Where the unfinished work of a command is kept.
pub(crate) fn aside(
    out: &mut impl Write,
    aside: &[(RelPath, std::path::PathBuf)],
) -> std::io::Result<()> {
    for (path, kept) in aside {
        let kept = one_line(&kept.display().to_string());
        writeln!(
            out,
            "  what a command had made of {} is kept in {kept}",
            visible_name(path.as_str())
        )?;
    }
    Ok(())
}

/// The first letters of a commit's id.
pub(crate) fn short(id: &str) -> &str {
    id.get(..10).unwrap_or(id)
}

fn nothing(out: &mut impl Write, a: &Applied) -> std::io::Result<()> {
    let why = match a.left_out.is_empty() {
        true => "no edit is accepted. `emendo accept` accepts, or `emendo apply --accept certain`",
        false => "no accepted edit can be",
    };
    writeln!(out, "nothing was written: {why}")
}

fn commits(
    out: &mut impl Write,
    parts: &[AppliedPart],
    branch: Option<&str>,
) -> std::io::Result<()> {
    let n = parts.iter().filter(|p| p.commit.is_some()).count();
    let edits: usize = parts.iter().map(|p| p.edits).sum();
    let (edits, n) = (count(edits, "edit"), count(n, "commit"));
    let on = branch.map_or_else(String::new, |b| format!(" on the branch `{}`", one_line(b)));
    writeln!(out, "{BOLD}committed{BOLD:#}: {edits} in {n}{on}")?;
    let width = title_width(parts.iter().map(|p| p.title.as_str()));
    for p in parts {
        let id = p.commit.as_deref().map_or("no commit", short);
        let (edits, files) = (count(p.edits, "edit"), count(p.files.len(), "file"));
        writeln!(out, "  {id:<10}  {:<width$}  {DIM}{edits} in {files}{DIM:#}", p.title)?;
        if p.steps.len() > 1 {
            let steps: Vec<&str> = p.steps.iter().map(|s| s.step.as_str()).collect();
            let steps = steps.join(", ");
            writeln!(
                out,
                "              {steps} share a commit: edits of one need edits of another"
            )?;
        }
    }
    Ok(())
}

/// How wide a column of titles is: as its longest, within reason.
pub(crate) fn title_width<'t>(titles: impl Iterator<Item = &'t str>) -> usize {
    titles.map(|t| t.chars().count()).filter(|n| *n <= 60).max().unwrap_or(0)
}

fn stopped(out: &mut impl Write, s: &Stopped, first: bool) -> std::io::Result<()> {
    let rest = match first {
        true => "nothing is written, and all of it stays accepted",
        false => "what was committed before stays, and the rest stays accepted",
    };
    writeln!(out, "{LOOK}stopped at \"{}\"{LOOK:#}: {}; {rest}", s.title, s.error)?;
    for line in errors::help(&s.error).unwrap_or_default().lines() {
        writeln!(out, "  {line}")?;
    }
    Ok(())
}

/// File names, a line each, as far as they are few.
fn names(out: &mut impl Write, files: &[RelPath]) -> std::io::Result<()> {
    for path in files.iter().take(FILES) {
        writeln!(out, "  {}", visible_name(path.as_str()))?;
    }
    if files.len() > FILES {
        writeln!(out, "  ... and {} more", files.len() - FILES)?;
    }
    Ok(())
}
