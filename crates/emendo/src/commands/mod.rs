//! The commands: one file each.

mod apply;
mod decide;
mod demo;
mod find;
mod leftovers;
mod propose;
mod recipe;
mod status;
mod survey;
mod undo;

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Parser, Subcommand};
use emendo_core::{Checked, Session, Shelf, check};

use crate::errors::{Shown, USAGE, Usage};
pub(crate) use leftovers::place as leftover;

/// Moves a code base to a new version of a library, by recipe, with every change reviewed.
///
/// `survey` says what is here. The usual way: `propose` a recipe, read what comes back, `accept` what is right, `apply` it. `undo` takes an
/// apply back. `demo` shows all of it on sample data.
///
/// Exit codes: 0 done; 1 there is something to do (`--check`); 2 wrong usage or a faulty recipe; 3 refused to
/// protect your work; 5 the system failed.
#[derive(Parser)]
#[command(name = "emendo", version, propagate_version = true, max_term_width = 100)]
pub(crate) struct Cli {
    /// Work as if started in this folder
    #[arg(short = 'C', value_name = "DIR", global = true)]
    dir: Option<PathBuf>,
    /// Print the result as JSON
    #[arg(long, global = true)]
    json: bool,
    /// When to use colours
    #[arg(long, value_name = "WHEN", global = true, default_value = "auto", value_parser = color)]
    pub(crate) color: anstream::ColorChoice,
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
    Accept(decide::Accept),
    Reject(decide::Reject),
    Choose(decide::Choose),
    Apply(apply::Apply),
    Undo(undo::Undo),
    Status(status::StatusCommand),
    Leftovers(leftovers::Leftovers),
    Find(find::Find),
    #[command(subcommand)]
    Recipe(recipe::Recipe),
    Demo(demo::Demo),
}

/// What every command may ask of the command line.
pub(crate) struct Globals {
    pub(crate) dir: PathBuf,
    pub(crate) json: bool,
}

impl Globals {
    pub(crate) fn session(&self) -> anyhow::Result<Session> {
        let session = Session::open(&self.dir)?.built_as(build()).with_shelf(self.shelf());
        if crate::git::tracks(session.project().root(), emendo_core::STATE) {
            let help = format!(
                "it holds this machine's state only: `git rm -r --cached {}`",
                emendo_core::STATE
            );
            return Err(Usage::error(
                format!("git tracks the state folder `{}`", emendo_core::STATE),
                help,
            ));
        }
        Ok(session)
    }

    /// Where recipes are looked for.
    pub(crate) fn shelf(&self) -> Shelf {
        crate::places::shelf(&self.dir)
    }

    /// A path that the user wrote, as seen from `-C`.
    pub(crate) fn path(&self, path: &std::path::Path) -> PathBuf {
        self.dir.join(path)
    }
}

/// Identity of this program: another build may see a project otherwise.
fn build() -> String {
    let meta = std::env::current_exe().and_then(std::fs::metadata);
    let when = meta.and_then(|m| Ok((m.len(), m.modified()?)));
    when.map_or_else(|_| String::new(), |(len, time)| format!("{len} {time:?}"))
}

impl Cli {
    pub(crate) fn run(self) -> anyhow::Result<ExitCode> {
        let dir = self.dir.unwrap_or_else(|| PathBuf::from("."));
        let globals = Globals { dir, json: self.json };
        match self.command {
            Command::Survey(c) => c.run(&globals),
            Command::Propose(c) => c.run(&globals),
            Command::Accept(c) => c.run(&globals),
            Command::Reject(c) => c.run(&globals),
            Command::Choose(c) => c.run(&globals),
            Command::Apply(c) => c.run(&globals),
            Command::Undo(c) => c.run(&globals),
            Command::Status(c) => c.run(&globals),
            Command::Leftovers(c) => c.run(&globals),
            Command::Find(c) => c.run(&globals),
            Command::Recipe(c) => c.run(&globals),
            Command::Demo(c) => c.run(&globals),
        }
    }
}

/// Inputs as `NAME=VALUE`.
pub(crate) fn inputs(given: &[String]) -> anyhow::Result<BTreeMap<String, String>> {
    let pair = |g: &String| match g.split_once('=') {
        Some((name, value)) if !name.is_empty() => Ok((name.to_owned(), value.to_owned())),
        _ => Err(Usage::error(format!("`{g}` is no input"), "write `--input NAME=VALUE`")),
    };
    given.iter().map(pair).collect()
}

/// Loads recipes by path or id, with all messages about them.
pub(crate) fn load(
    globals: &Globals,
    recipes: &[String],
    inputs: &BTreeMap<String, String>,
) -> anyhow::Result<Checked> {
    let shelf = globals.shelf();
    let mut sources = Vec::new();
    for word in recipes {
        let mut source = shelf
            .find(word, Some(&globals.dir))
            .map_err(|(what, help)| Usage::error(what, help))?;
        if globals.path(std::path::Path::new(word)).is_file() {
            source.name.clone_from(word);
        }
        sources.push(source);
    }
    Ok(check(sources, inputs, &shelf))
}

/// Shows the messages about recipes on standard error; an error if any is one.
pub(crate) fn refuse_faulty(checked: &Checked) -> anyhow::Result<()> {
    use std::io::Write;
    let mut err = anstream::stderr().lock();
    for m in &checked.messages {
        for d in m.found.iter().filter(|d| d.severity == emendo_text::Severity::Error) {
            writeln!(err, "{}\n", crate::messages::render(d, &m.name, &m.text))?;
        }
    }
    if checked.failed() {
        writeln!(err, "nothing was proposed: mend the recipe first")?;
        return Err(Shown(USAGE).into());
    }
    Ok(())
}
