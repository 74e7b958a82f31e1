//! Output that may be longer than the screen: on a terminal it goes through the user's pager, as git does it.

use std::io::{self, IsTerminal, Write};
use std::process::{Command, Stdio};

/// Lines of a diff that are printed without being asked for where output goes into a pipe.
const PIPED: usize = 100;

/// How many lines fit: the terminal's, or a hundred in a pipe.
pub(crate) fn room() -> usize {
    match rows() {
        Some(rows) => rows,
        None => PIPED,
    }
}

fn rows() -> Option<usize> {
    let terminal = io::stdout().is_terminal();
    let (_, rows) = terminal.then(terminal_size::terminal_size)??;
    Some(usize::from(rows.0))
}

/// Shows what `write` gives: at once where it fits, else through `$EMENDO_PAGER`, `$PAGER` or `less`.
///
/// # Errors
/// What writing gives. A pager that is left early is no error.
pub(crate) fn show(write: impl FnOnce(&mut Vec<u8>) -> io::Result<()>) -> io::Result<()> {
    let mut text = Vec::new();
    write(&mut text)?;
    let lines = text.iter().filter(|b| **b == b'\n').count();
    match rows() {
        Some(rows) if lines >= rows && paged(&text)? => Ok(()),
        _ => anstream::stdout().lock().write_all(&text),
    }
}

/// Shows a text in the pager; false if there is none.
fn paged(text: &[u8]) -> io::Result<bool> {
    let var = |name: &str| std::env::var(name).ok();
    let pager = var("EMENDO_PAGER").or_else(|| var("PAGER")).unwrap_or_else(|| "less".into());
    let mut words = pager.split_whitespace();
    let Some(program) = words.next().filter(|p| *p != "cat") else { return Ok(false) };
    let mut command = Command::new(program);
    command.args(words).stdin(Stdio::piped());
    // Colours as they are, the end at once where the screen holds all, the text left on the screen.
    if std::env::var_os("LESS").is_none() {
        command.env("LESS", "FRX");
    }
    let Ok(mut child) = command.spawn() else { return Ok(false) };
    let plain = anstream::AutoStream::choice(&io::stdout()) == anstream::ColorChoice::Never;
    let text = match plain {
        true => anstream::adapter::strip_bytes(text).into_vec(),
        false => text.to_vec(),
    };
    if let Some(mut stdin) = child.stdin.take() {
        match stdin.write_all(&text) {
            Err(e) if e.kind() != io::ErrorKind::BrokenPipe => return Err(e),
            _ => {}
        }
    }
    child.wait().map(|_| true)
}
