//! `completions` and `man`: what a shell and a manual know of the command line.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use anyhow::Context;
use clap::{Args, Command};
use clap_complete::Shell;

use crate::globals::Globals;

/// Print a script with which a shell completes commands and options
///
/// Put it where the shell looks for such scripts, or read it at its start: `source <(emendo completions bash)`.
#[derive(Args)]
pub(crate) struct Completions {
    /// The shell
    #[arg(value_enum)]
    shell: Shell,
}

impl Completions {
    /// `command` is the command line of the program.
    pub(crate) fn run(self, mut command: Command) -> anyhow::Result<ExitCode> {
        let mut text = Vec::new();
        clap_complete::generate(self.shell, &mut command, "emendo", &mut text);
        std::io::stdout().lock().write_all(&text)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// Print the manual page, or write the pages of all commands into a folder
#[derive(Args)]
pub(crate) struct Man {
    /// Write a page for each command into this folder, which is made if it is not there
    #[arg(long, value_name = "DIR")]
    out: Option<PathBuf>,
}

impl Man {
    /// `command` is the command line of the program.
    pub(crate) fn run(self, globals: &Globals, command: Command) -> anyhow::Result<ExitCode> {
        let Some(out) = &self.out else {
            let mut text = Vec::new();
            clap_mangen::Man::new(command).render(&mut text)?;
            std::io::stdout().lock().write_all(&text)?;
            return Ok(ExitCode::SUCCESS);
        };
        let folder = globals.path(out);
        std::fs::create_dir_all(&folder)
            .with_context(|| format!("cannot make `{}`", folder.display()))?;
        clap_mangen::generate_to(command, &folder)
            .with_context(|| format!("cannot write pages into `{}`", folder.display()))?;
        writeln!(anstream::stdout(), "a page for each command is in {}", folder.display())?;
        Ok(ExitCode::SUCCESS)
    }
}
