//! Programs that this one runs: git, tools that say their version, commands of the project.

use std::fs::File;
use std::io::{self, Seek, Write};
use std::path::Path;
use std::process::Stdio;

pub(crate) mod confirmed;
pub(crate) mod formatter;
pub(crate) mod git;
pub(crate) mod history;
pub(crate) mod machine;

/// What a child reads as its input: a file that stays locked as long as the child is at work, even if this program is killed. The
/// next run waits for it.
pub(crate) struct ChildInput(File);

impl ChildInput {
    /// With this text as input, in this state folder.
    ///
    /// # Errors
    /// If it cannot be written, or a child of another run is at work.
    pub(crate) fn new(state: &Path, text: &str) -> io::Result<Self> {
        let path = state.join(emendo_core::CHILD);
        let mut options = File::options();
        options.create(true).truncate(false).read(true).write(true);
        let mut file = options.open(path)?;
        file.try_lock().map_err(io::Error::from)?;
        file.set_len(0)?;
        file.write_all(text.as_bytes())?;
        file.rewind()?;
        Ok(Self(file))
    }

    /// For the child.
    ///
    /// # Errors
    /// If the system has no room for it.
    pub(crate) fn stdio(&mut self) -> io::Result<Stdio> {
        self.0.rewind()?;
        Ok(self.0.try_clone()?.into())
    }
}

/// The last lines of what a program said, of both its outputs.
pub(crate) fn said(out: &std::process::Output) -> String {
    const LINES: usize = 20;
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    let all = format!("{}\n{}", text(&out.stderr).trim_end(), text(&out.stdout).trim_end());
    let lines: Vec<&str> = all.lines().filter(|l| !l.trim().is_empty()).collect();
    lines[lines.len().saturating_sub(LINES)..].join("\n")
}
