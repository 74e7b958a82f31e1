//! The commands: one file each.

mod apply;
mod bundle;
mod decide;
mod demo;
mod examples;
mod find;
mod finish;
mod leftovers;
mod propose;
mod recipe;
mod report;
mod review;
mod shell;
mod show;
mod status;
mod survey;
mod undo;
pub(crate) mod verify;
mod why;

use std::path::PathBuf;
use std::process::ExitCode;
use std::time::Duration;

use clap::{CommandFactory, FromArgMatches, Parser, Subcommand};

use crate::globals::Globals;

/// What is said on Windows before files are written.
const WINDOWS: &str = "note: on Windows, Emendo is built and not tested: owners, modes and several names of a file are not kept";

/// The heading of options that every command has.
const GLOBAL: &str = "Options of every command";

/// Moves a code base to a new version of a library, by recipe, with every change reviewed.
///
/// `survey` shows what is here. The usual way: `propose` a recipe, read the result, `accept` what is right, `apply` it. `undo` reverts an
/// apply. `demo` shows all of it on sample data.
///
/// Exit codes: 0 done; 1 there is something to do (`--check`); 2 wrong usage or a faulty recipe; 3 refused to
/// protect your work; 4 a command of the project failed; 5 the system failed.
#[derive(Parser)]
#[command(name = "emendo", version, max_term_width = 100)]
pub(crate) struct Cli {
    /// Run as if started in this folder
    #[arg(short = 'C', value_name = "DIR", global = true, help_heading = GLOBAL)]
    dir: Option<PathBuf>,
    /// Print the result as JSON
    #[arg(long, global = true, help_heading = GLOBAL)]
    json: bool,
    /// When to use colours
    #[arg(long, value_name = "WHEN", global = true, help_heading = GLOBAL, default_value = "auto", value_parser = color)]
    pub(crate) color: anstream::ColorChoice,
    /// How long to wait while another run is at work
    #[arg(long, value_name = "SECONDS", global = true, help_heading = GLOBAL, default_value_t = 5)]
    wait: u64,
    /// Use the state folder `.emendo` although it was not made here, and remember that it is yours
    #[arg(long, global = true, help_heading = GLOBAL)]
    trust_state: bool,
    #[command(subcommand)]
    command: Command,
}

fn color(word: &str) -> Result<anstream::ColorChoice, String> {
    match word {
        "auto" => Ok(anstream::ColorChoice::Auto),
        "always" => Ok(anstream::ColorChoice::Always),
        "never" => Ok(anstream::ColorChoice::Never),
        _ => Err("one of: auto, always, never".into()),
    }
}

#[derive(Subcommand)]
enum Command {
    Survey(survey::SurveyCommand),
    Propose(propose::Propose),
    Show(show::Show),
    Review(review::Review),
    Accept(decide::Accept),
    Reject(decide::Reject),
    Choose(decide::Choose),
    Reword(decide::Reword),
    Reopen(decide::Reopen),
    Done(decide::Done),
    Apply(apply::Apply),
    Verify(verify::Verify),
    Undo(undo::Undo),
    Status(status::StatusCommand),
    Leftovers(leftovers::Leftovers),
    Why(why::Why),
    Find(find::Find),
    Report(report::ReportCommand),
    Finish(finish::Finish),
    #[command(subcommand)]
    Recipe(recipe::Recipe),
    Demo(demo::Demo),
    Completions(shell::Completions),
    Man(shell::Man),
}

impl Command {
    /// True if it writes files of the project.
    fn writes(&self) -> bool {
        matches!(self, Self::Apply(_) | Self::Undo(_) | Self::Demo(_))
    }
}

impl Cli {
    /// What the command line says.
    ///
    /// # Errors
    /// If it is not a command line of this program, or asks for help.
    pub(crate) fn read() -> Result<Self, clap::Error> {
        Self::from_arg_matches(&Self::described().try_get_matches()?)
    }

    /// The command line as data, with the examples of each command.
    fn described() -> clap::Command {
        examples::with_examples(Self::command())
    }

    /// The result is asked for as JSON.
    pub(crate) fn json(&self) -> bool {
        self.json
    }

    pub(crate) fn run(self) -> anyhow::Result<ExitCode> {
        let dir = self.dir.unwrap_or_else(|| PathBuf::from("."));
        let globals = Globals {
            world: Default::default(),
            dir,
            json: self.json,
            wait: Duration::from_secs(self.wait),
            trust_state: self.trust_state,
        };
        if cfg!(windows) && self.command.writes() {
            use std::io::Write;
            writeln!(anstream::stderr(), "{WINDOWS}")?;
        }
        match self.command {
            Command::Survey(c) => c.run(&globals),
            Command::Propose(c) => c.run(&globals),
            Command::Show(c) => c.run(&globals),
            Command::Review(c) => c.run(&globals),
            Command::Accept(c) => c.run(&globals),
            Command::Reject(c) => c.run(&globals),
            Command::Choose(c) => c.run(&globals),
            Command::Reword(c) => c.run(&globals),
            Command::Reopen(c) => c.run(&globals),
            Command::Done(c) => c.run(&globals),
            Command::Apply(c) => c.run(&globals),
            Command::Verify(c) => c.run(&globals),
            Command::Undo(c) => c.run(&globals),
            Command::Status(c) => c.run(&globals),
            Command::Leftovers(c) => c.run(&globals),
            Command::Why(c) => c.run(&globals),
            Command::Find(c) => c.run(&globals),
            Command::Report(c) => c.run(&globals),
            Command::Finish(c) => c.run(&globals),
            Command::Recipe(c) => c.run(&globals),
            Command::Demo(c) => c.run(&globals),
            Command::Completions(c) => c.run(Self::described()),
            Command::Man(c) => c.run(&globals, Self::described()),
        }
    }
}
