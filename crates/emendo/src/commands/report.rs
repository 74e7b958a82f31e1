//! `report`: what was done, for who has not the program at hand.

use std::io::{BufWriter, Write};
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::Context;
use clap::{Args, ValueEnum};
use emendo_core::{
    FileChange, Journal, OpenWork, Rehearsal, RehearsedRun, Session, SessionError, composed,
};
use emendo_report::{Report, ReportApply, ReportRun, json, markdown, page, patch, sarif};
use emendo_text::one_line;

use crate::errors::Usage;
use crate::globals::Globals;
use crate::progress::while_at;
use crate::show;

/// In which form.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum Form {
    /// A unified diff that git can apply
    Diff,
    /// For a pull request
    Markdown,
    /// All of it, for programs
    Json,
    /// What is open, for code scanners and editors (SARIF 2.1.0)
    Sarif,
    /// One page to read in a browser
    Html,
}

/// Of what.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum Of {
    /// What is proposed, all but what is rejected
    Proposed,
    /// What was applied
    Applied,
    /// Both, one after the other
    All,
}

/// Write what was done and what is proposed, for people and programs without Emendo
///
/// Without `--of` it is about all there is: what was applied since the migration began, and what is proposed and not written yet.
#[derive(Args)]
pub(crate) struct ReportCommand {
    /// The form
    #[arg(long = "as", value_name = "FORM", value_enum)]
    form: Form,
    /// Of what
    #[arg(long, value_name = "WHAT", value_enum, default_value_t = Of::All)]
    of: Of,
    /// Write it into this file instead of the standard output
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
}

impl ReportCommand {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let mut bytes = Vec::new();
        while_at("working out what was written", || {
            with_report(&session, self.of, self.form, |report| self.write(&report, &mut bytes))
        })??;
        let Some(path) = &self.out else {
            // The bytes are what was asked for: nothing of them is for a terminal.
            let mut out = BufWriter::new(std::io::stdout().lock());
            out.write_all(&bytes)?;
            out.flush()?;
            return Ok(ExitCode::SUCCESS);
        };
        let path = globals.path(path);
        std::fs::write(&path, &bytes)
            .with_context(|| format!("cannot write `{}`", path.display()))?;
        let mut out = anstream::stdout().lock();
        if globals.json {
            return show::json(&mut out, &json::reported(&path, bytes.len()));
        }
        let name = one_line(&path.display().to_string());
        writeln!(out, "written: {name} ({} kB)", bytes.len().div_ceil(1024))?;
        Ok(ExitCode::SUCCESS)
    }

    fn write(&self, report: &Report<'_>, out: &mut Vec<u8>) -> anyhow::Result<()> {
        match self.form {
            Form::Diff => patch(&report.changes, out)?,
            Form::Markdown => out.extend(markdown(report).into_bytes()),
            Form::Html => out.extend(page(report).into_bytes()),
            Form::Json => {
                json::write(&mut *out, &json::report(report))?;
                out.push(b'\n');
            }
            Form::Sarif => {
                json::write(&mut *out, &sarif(report, env!("CARGO_PKG_VERSION")))?;
                out.push(b'\n');
            }
        }
        Ok(())
    }
}

/// Works out a report of what was applied and what is proposed, and hands it over.
fn with_report<T>(
    session: &Session,
    of: Of,
    form: Form,
    then: impl FnOnce(Report<'_>) -> T,
) -> anyhow::Result<T> {
    let journals = session.standing()?;
    let wants = |what: Of| of == what || of == Of::All;
    let written = match wants(Of::Applied).then(|| session.rehearse_applied()).transpose() {
        Err(SessionError::Recipe(_)) => None,
        other => other?,
    };
    let unread = written.is_none() && wants(Of::Applied);
    let proposed = match session.rehearse_proposed() {
        Ok(proposed) => Some(proposed),
        Err(SessionError::NoProposal) => None,
        Err(SessionError::Recipe(_)) if !journals.is_empty() => None,
        Err(e) => return Err(e.into()),
    };
    if journals.is_empty() && proposed.is_none() {
        return Err(Usage::error(
            "there is nothing to report: no recipe was proposed or applied here",
            "`emendo propose RECIPE` begins a migration",
        ));
    }
    let shown = proposed.as_ref().filter(|_| wants(Of::Proposed));
    let written = written.as_ref();
    let mut changes = if wants(Of::Applied) { session.written()? } else { Vec::new() };
    if let Some(p) = shown {
        let all: Vec<FileChange> = p.runs.iter().flat_map(|r| r.outcomes.clone()).collect();
        changes = composed(changes, &all);
    }
    // Both trees are surveyed for them: only where they are shown.
    let libraries = match (written, shown) {
        _ if matches!(form, Form::Diff | Form::Sarif) => Vec::new(),
        (Some(first), then) => session.library_changes(first, then)?,
        (None, Some(only)) => session.library_changes(only, None)?,
        (None, None) => Vec::new(),
    };
    let decisions = session.decisions()?;
    let open = proposed.as_ref().and_then(|p| p.runs.first());
    let open = open.map_or_else(OpenWork::default, |r| OpenWork::of(&r.proposal, &decisions));
    let root = session.project().root();
    let report = Report {
        project: root.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned()),
        applied: runs(written).iter().map(|r| shown_run(r, &journals)).collect(),
        proposed: runs(shown).first().map(|r| shown_run(r, &journals)),
        changes,
        libraries,
        open,
        verified: crate::commands::verify::last(session)?,
        unread,
        world: session.world(),
    };
    Ok(then(report))
}

fn runs(of: Option<&Rehearsal>) -> &[RehearsedRun] {
    of.map_or(&[], |r| &r.runs)
}

/// A run as a report shows it.
fn shown_run<'r>(r: &'r RehearsedRun, journals: &[Journal]) -> ReportRun<'r> {
    let apply = |id: &u32| {
        let j = journals.iter().find(|j| j.id == *id)?;
        Some(ReportApply { id: j.id, time: j.ops.time, title: j.title(), commit: j.commit() })
    };
    ReportRun {
        applies: r.applies.iter().filter_map(apply).collect(),
        proposal: &r.proposal,
        decisions: r.decisions(),
        outcomes: &r.written,
    }
}

/// The Markdown report of all that was done.
///
/// # Errors
/// If it cannot be worked out.
pub(crate) fn as_markdown(session: &Session) -> anyhow::Result<String> {
    with_report(session, Of::All, Form::Markdown, |report| markdown(&report))
}
