//! Commands that a project's settings name: they run only once the user has confirmed them on this machine.

use std::io::{BufRead, IsTerminal, Write};
use std::path::Path;

use emendo_text::{Digest, Hasher, visible};

use crate::errors::Refused;
use crate::places;

/// The commands that were confirmed, in the user's own folder.
const CONFIRMED: &str = "commands";

/// How a user may confirm a command.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Consent {
    /// They are asked, where there is a terminal.
    Ask,
    /// They say so on the command line.
    Given,
    /// Nobody can be asked now.
    Silent,
}

impl Consent {
    /// By what the command line says: that they may run, or that the result is for a program.
    pub(crate) fn of(given: bool, json: bool) -> Self {
        match (given, json) {
            (true, _) => Self::Given,
            (false, true) => Self::Silent,
            (false, false) => Self::Ask,
        }
    }
}

/// Makes sure that the user knows these commands of a project.
///
/// # Errors
/// If one is not confirmed.
pub(crate) fn confirm(root: &Path, commands: &[&str], consent: Consent) -> anyhow::Result<()> {
    let known = known();
    let new: Vec<(&str, Digest)> =
        commands.iter().map(|c| (*c, id(root, c))).filter(|c| !known.contains(&c.1)).collect();
    if new.is_empty() {
        return Ok(());
    }
    let list: Vec<String> = new.iter().map(|(c, _)| format!("  {}", visible(c))).collect();
    let yes = match consent {
        Consent::Given => true,
        Consent::Silent => false,
        Consent::Ask => ask(&list)?,
    };
    if !yes {
        return Err(Refused::error(
            "emendo.toml names commands that you have not confirmed on this machine",
            format!("{}\nif they may run here, say so once: `--trust-command`", list.join("\n")),
        ));
    }
    record(&new.iter().map(|c| c.1).collect::<Vec<_>>());
    Ok(())
}

fn ask(list: &[String]) -> std::io::Result<bool> {
    if !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return Ok(false);
    }
    let mut err = anstream::stderr().lock();
    writeln!(err, "emendo.toml names commands that have not run here yet:")?;
    writeln!(err, "{}", list.join("\n"))?;
    write!(err, "may they run in this project, now and later? (yes/no) ")?;
    err.flush()?;
    let mut answer = String::new();
    std::io::stdin().lock().read_line(&mut answer)?;
    Ok(matches!(answer.trim().to_lowercase().as_str(), "y" | "yes"))
}

/// Identity of a command of a project.
fn id(root: &Path, command: &str) -> Digest {
    Hasher::new().part(root.as_os_str().as_encoded_bytes()).part(command).finish()
}

fn known() -> Vec<Digest> {
    let text = places::own_folder().map(|f| std::fs::read_to_string(f.join(CONFIRMED)));
    let text = text.and_then(Result::ok).unwrap_or_default();
    text.lines().filter_map(|l| l.trim().parse().ok()).collect()
}

/// Where there is no place for it, the user is asked again.
fn record(ids: &[Digest]) {
    let write = |folder: std::path::PathBuf| -> std::io::Result<()> {
        std::fs::create_dir_all(&folder)?;
        let mut file =
            std::fs::OpenOptions::new().create(true).append(true).open(folder.join(CONFIRMED))?;
        let lines: String = ids.iter().map(|id| format!("{id}\n")).collect();
        file.write_all(lines.as_bytes())
    };
    drop(places::own_folder().map(write));
}
