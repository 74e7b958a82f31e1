//! `apply`: writes what is accepted, all of it or nothing.

use std::io::Write;
use std::process::ExitCode;
use std::time::{SystemTime, UNIX_EPOCH};

use clap::Args;
use emendo_core::{Applied, ApplyOptions, Certainty, RealDisk, Session};
use emendo_report::json;

use crate::commands::decide::level;
use crate::errors::Refused;
use crate::globals::Globals;
use crate::show::{BOLD, LOOK, count};
use crate::{git, show};

/// Write what is accepted: all of it or nothing
///
/// Files that have changed since the proposal, and files with uncommitted changes, are refused. `emendo undo`
/// reverts an apply.
#[derive(Args)]
pub(crate) struct Apply {
    /// Accept this certainty and above first: certain, likely, unsure
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    accept: Option<Certainty>,
    /// Write files with uncommitted changes too
    #[arg(long)]
    with_uncommitted: bool,
    /// Leave out files that have changed since the proposal
    #[arg(long)]
    skip_changed: bool,
}

impl Apply {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let health = git::health(session.project().root());
        if health == git::Health::NoTree {
            crate::commands::propose::unprotected(&health)?;
        }
        let applied =
            apply(&session, &health, self.accept, self.skip_changed, self.with_uncommitted)?;
        let mut out = anstream::stdout().lock();
        if globals.json {
            show::json(&mut out, &json::applied(&applied))?;
        } else {
            let locks =
                emendo_core::locks_of(session.world(), session.project(), applied.files.iter());
            show_applied(&mut out, &applied, &locks)?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// Applies with git's word on what is the user's own.
pub(crate) fn apply(
    session: &Session,
    health: &git::Health,
    accept: Option<Certainty>,
    skip_changed: bool,
    with_uncommitted: bool,
) -> anyhow::Result<Applied> {
    let root = session.project().root().to_owned();
    if let Some(why) = health.problem().filter(|_| !with_uncommitted) {
        return Err(Refused::error(
            format!("{why}: your own changes cannot be recognised"),
            "mend that first, or write all the same: `--with-uncommitted`",
        ));
    }
    let disk = RealDisk::open(&root)?;
    let time = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_secs());
    let dirty = move |paths: &[emendo_text::RelPath]| git::dirty(&root, health, paths);
    Ok(session.apply(
        &disk,
        &ApplyOptions { accept, skip_changed, time, dirty: &dirty, with_uncommitted },
    )?)
}

pub(crate) fn show_applied(
    out: &mut impl Write,
    a: &Applied,
    locks: &[emendo_core::Lock],
) -> std::io::Result<()> {
    if let Some(back) = &a.recovered {
        writeln!(
            out,
            "{LOOK}an interrupted apply was taken back first{LOOK:#} ({})",
            count(back.restored.len(), "file")
        )?;
    }
    if a.files.is_empty() {
        let why = match a.left_out.is_empty() {
            true => {
                "no edit is accepted. `emendo accept` accepts, or `emendo apply --accept certain`"
            }
            false => "no accepted edit can be",
        };
        writeln!(out, "nothing was written: {why}")?;
    } else {
        writeln!(
            out,
            "{BOLD}written{BOLD:#}: {} in {}",
            count(a.written, "edit"),
            count(a.files.len(), "file")
        )?;
        for path in a.files.iter().take(40) {
            writeln!(out, "  {}", emendo_text::visible_name(path.as_str()))?;
        }
        if a.files.len() > 40 {
            writeln!(out, "  ... and {} more", a.files.len() - 40)?;
        }
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
    if !a.files.is_empty() {
        writeln!(out, "`emendo undo` takes this back")?;
    }
    crate::show::locks(out, locks)?;
    match &a.open {
        Some(open) => crate::open::line(out, open),
        None => writeln!(out, "what is open could not be computed: run `emendo propose` again"),
    }
}
