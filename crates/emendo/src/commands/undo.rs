//! `undo`: takes back the last apply, or several.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{FileWords, RealDisk, UndoOptions};
use emendo_report::json;
use emendo_text::{RelPath, visible_name};

use crate::commands::apply;
use crate::errors::REFUSED;
use crate::globals::Globals;
use crate::programs::history::{GitHistory, Purpose};
use crate::show;
use crate::show::{LOOK, count};

/// Undo the last apply, even an interrupted one
///
/// An apply that has a git commit is taken back by another commit. If a file has changed since it was written, nothing is done, unless that file may
/// stay as it is.
#[derive(Args)]
pub(crate) struct Undo {
    /// Take back this apply and all that came after it; `emendo status --applies` lists them
    #[arg(long, value_name = "ID")]
    to: Option<u32>,
    /// Leave files as they are that have changed since: these, or all of them
    #[arg(long, value_name = "FILE", num_args = 0..)]
    keep_mine: Option<Vec<String>>,
    /// Take the files back, and make no commit
    #[arg(long)]
    files_only: bool,
}

impl Undo {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let root = session.project().root();
        let state = session.project().state().map_err(emendo_core::SessionError::from)?;
        let history = GitHistory::new(root, &state, Purpose::Undo, None);
        let disk = RealDisk::open(root)?;
        let kept = match &self.keep_mine {
            Some(given) => Some(globals.files(session.project(), given)?),
            None => None,
        };
        let words = FileWords::of(kept.as_deref().unwrap_or_default())
            .map_err(emendo_core::SessionError::from)?;
        let keep_mine = |path: &RelPath| match kept.as_deref() {
            None => false,
            Some([]) => true,
            Some(_) => words.hold(path),
        };
        let options = UndoOptions {
            history: &history,
            to: self.to,
            keep_mine: &keep_mine,
            files_only: self.files_only,
        };
        let undone = session.undo(&disk, &options)?;
        let (back, interrupted) = (&undone.back, undone.interrupted);
        let mut out = anstream::stdout().lock();
        if globals.json {
            show::json(&mut out, &json::undone(&undone))?;
        } else {
            let what = match undone.applies.len() {
                _ if interrupted => "an interrupted apply was taken back".to_owned(),
                1 => "the last apply was taken back".to_owned(),
                n => format!("the last {n} applies were taken back"),
            };
            writeln!(out, "{what}: {} as before", count(back.restored.len(), "file"))?;
            for id in &undone.commits {
                writeln!(out, "  reverted by commit {}", apply::short(id))?;
            }
            apply::aside(&mut out, &back.aside)?;
            if !back.kept.is_empty() {
                writeln!(out, "{LOOK}changed since then, and left as they are{LOOK:#}:")?;
                for path in &back.kept {
                    writeln!(out, "  {}", visible_name(path.as_str()))?;
                }
            }
            match &undone.open {
                Some(open) => crate::open::line(&mut out, open)?,
                None => writeln!(out, "next: `emendo propose RECIPE`")?,
            }
        }
        for warning in history.warnings.take() {
            writeln!(anstream::stderr(), "{warning}")?;
        }
        let asked = self.keep_mine.is_some();
        Ok(if back.kept.is_empty() || asked { ExitCode::SUCCESS } else { ExitCode::from(REFUSED) })
    }
}
