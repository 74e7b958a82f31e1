//! Programs that this one runs: git, tools that say their version, commands of the project.

use std::fs::File;
use std::io::{self, Read, Seek, Write};
use std::path::Path;
use std::process::{Command, ExitStatus, Output};

pub(crate) mod check;
pub(crate) mod confirmed;
pub(crate) mod formatter;
pub(crate) mod git;
pub(crate) mod history;
pub(crate) mod machine;
pub(crate) mod scratch;

/// How many lines of what a program said are shown.
const LINES: usize = 20;

/// Runs a program that an apply waits for, with this text as its input. The input is a file in the state folder that stays locked as
/// long as the program is at work, even if this one is killed: the next run waits for it. Gives how it ended, and the last lines of
/// what it said.
///
/// # Errors
/// If it cannot be run.
pub(crate) fn run_locked(
    command: &mut Command,
    state: &Path,
    input: &str,
) -> io::Result<(ExitStatus, String)> {
    let mut file = locked(&state.join(emendo_core::CHILD))?;
    file.set_len(0)?;
    file.write_all(input.as_bytes())?;
    file.rewind()?;
    // A file, not a pipe: what a hook leaves running in the background must not be waited for.
    let mut said = tempfile::tempfile()?;
    command.stdin(file.try_clone()?).stdout(said.try_clone()?).stderr(said.try_clone()?);
    let status = command.status()?;
    said.rewind()?;
    let mut bytes = Vec::new();
    said.read_to_end(&mut bytes)?;
    Ok((status, last_lines(&bytes)))
}

/// A file for this run alone. One that something of an ended command still holds is left to that.
fn locked(path: &Path) -> io::Result<File> {
    let open = || File::options().create(true).truncate(false).read(true).write(true).open(path);
    let file = open()?;
    if file.try_lock().is_ok() {
        return Ok(file);
    }
    std::fs::remove_file(path)?;
    let file = open()?;
    file.try_lock().map_err(io::Error::from)?;
    Ok(file)
}

/// The last lines of what a program said, of both its outputs.
pub(crate) fn said(out: &Output) -> String {
    last_lines(&[out.stderr.as_slice(), b"\n", out.stdout.as_slice()].concat())
}

fn last_lines(bytes: &[u8]) -> String {
    let text = String::from_utf8_lossy(bytes);
    let lines: Vec<&str> = text.lines().filter(|l| !l.trim().is_empty()).collect();
    lines[lines.len().saturating_sub(LINES)..].join("\n")
}
