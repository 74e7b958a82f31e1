//! The commands of the project that bring changed files into its form.

use std::path::{Path, PathBuf};
use std::process::Command;

use emendo_core::{FormatFailure, FormatRule, Formatter};
use emendo_text::RelPath;

use crate::programs::run_locked;
use crate::progress::while_at;

/// How many bytes of file names one command gets.
const MOST: usize = 64 << 10;
/// Where a command has the files; else they come at its end.
const FILES: &str = "{files}";

/// Runs the commands of `format` in emendo.toml.
pub(crate) struct ProjectFormatter<'s> {
    pub(crate) root: PathBuf,
    /// The state folder.
    pub(crate) state: PathBuf,
    pub(crate) rules: &'s [FormatRule],
}

impl Formatter for ProjectFormatter<'_> {
    fn is_idle(&self, paths: &[RelPath]) -> bool {
        !self.rules.iter().any(|r| paths.iter().any(|p| r.covers(p)))
    }

    fn format(&self, paths: &[RelPath]) -> Result<(), FormatFailure> {
        for rule in self.rules {
            let covered: Vec<&RelPath> = paths.iter().filter(|p| rule.covers(p)).collect();
            for some in chunks(&covered) {
                let what = format!("{} files: {}", some.len(), rule.command);
                while_at(&what, || self.run(&rule.command, some))?;
            }
        }
        Ok(())
    }
}

impl ProjectFormatter<'_> {
    fn run(&self, command: &str, files: &[&RelPath]) -> Result<(), FormatFailure> {
        let failed = |why: String, said: String| FormatFailure {
            command: emendo_text::one_line(command),
            why,
            said,
        };
        let ran = run_locked(&mut shell(&self.root, command, files), &self.state, "");
        let (status, said) = ran.map_err(|e| failed(e.to_string(), String::new()))?;
        if status.success() { Ok(()) } else { Err(failed(status.to_string(), said)) }
    }
}

/// A command of the settings as the system's shell runs it, in the project's root.
fn shell(root: &Path, command: &str, files: &[&RelPath]) -> Command {
    // No name may look like an option.
    let names = files.iter().map(|p| match p.as_str().starts_with('-') {
        true => format!("./{p}"),
        false => p.to_string(),
    });
    if cfg!(windows) {
        let names: Vec<String> = names.map(|n| format!("\"{n}\"")).collect();
        let names = names.join(" ");
        let line = match command.contains(FILES) {
            true => command.replace(FILES, &names),
            false => format!("{command} {names}"),
        };
        let mut out = Command::new("cmd");
        out.arg("/C").arg(line).current_dir(root);
        return out;
    }
    let script = match command.contains(FILES) {
        true => command.replace(FILES, "\"$@\""),
        false => format!("{} \"$@\"", command.trim_end()),
    };
    let mut out = Command::new("sh");
    out.arg("-c").arg(script).arg("sh").args(names).current_dir(root);
    out
}

/// The files in groups whose names a command line holds.
fn chunks<'p, 'f>(files: &'p [&'f RelPath]) -> impl Iterator<Item = &'p [&'f RelPath]> {
    let mut rest = files;
    std::iter::from_fn(move || {
        let mut bytes = 0;
        let fits = |p: &&&RelPath| {
            bytes += p.as_str().len() + 3;
            bytes <= MOST
        };
        let n = rest.iter().take_while(fits).count().max(1).min(rest.len());
        let (head, tail) = rest.split_at(n);
        rest = tail;
        (!head.is_empty()).then_some(head)
    })
}
