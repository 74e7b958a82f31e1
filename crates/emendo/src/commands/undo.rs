//! `undo`: takes back the last apply.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::RealDisk;
use emendo_report::json;

use crate::errors::REFUSED;
use crate::globals::Globals;
use crate::show;
use crate::show::{LOOK, count};

/// Undo the last apply, even an interrupted one
///
/// Files that have changed since are left as they are and listed; then the exit code is 3.
#[derive(Args)]
pub(crate) struct Undo {}

impl Undo {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let disk = RealDisk::open(session.project().root())?;
        let undone = session.undo(&disk)?;
        let (back, interrupted) = (&undone.back, undone.interrupted);
        let mut out = anstream::stdout().lock();
        if globals.json {
            show::json(&mut out, &json::undone(&undone))?;
        } else {
            let what = if interrupted {
                "an interrupted apply was taken back"
            } else {
                "the last apply was taken back"
            };
            writeln!(out, "{what}: {} as before", count(back.restored.len(), "file"))?;
            if !back.kept.is_empty() {
                writeln!(out, "{LOOK}changed since then, and left as they are{LOOK:#}:")?;
                for path in &back.kept {
                    writeln!(out, "  {}", emendo_text::visible_name(path.as_str()))?;
                }
            }
            match &undone.open {
                Some(open) => crate::open::line(&mut out, open)?,
                None => writeln!(out, "next: `emendo propose RECIPE`")?,
            }
        }
        Ok(if back.kept.is_empty() { ExitCode::SUCCESS } else { ExitCode::from(REFUSED) })
    }
}
