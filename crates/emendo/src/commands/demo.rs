//! `demo`: the whole path on sample data.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anyhow::Context;
use clap::Args;
use emendo_core::{
    Applied, Certainty, Decisions, Edit, OpenWork, Proposal, Selection, Session, Standing, Summary,
    summarize,
};
use emendo_report::json;

use crate::commands::apply::{Request, apply};
use crate::commands::bundle;
use crate::errors::Usage;
use crate::globals::{Globals, load};
use crate::programs::git;
use crate::show;
use crate::show::{BOLD, DIM, count};
use crate::view::View;

const RECIPE: &str = "tidewire-3.toml";
/// A file whose edits are all certain.
const SHOWN: &str = "berths/src/main/java/harbour/berths/MoleLight.java";
/// A file with edits that want a look.
const UNDECIDED: &str = "forecast/forecast.py";
/// A look-alike.
const WHY: &str = "berths/src/main/java/harbour/rail/TrainTimes.java:13";

/// Show the whole workflow on sample data: propose, accept what is certain, apply, and see what is left
///
/// The Harbour Board moves its services from Tidewire 2 to Tidewire 3, both made up. Without FOLDER it is written
/// to a scratch folder, which stays until you remove it.
#[derive(Args)]
pub(crate) struct Demo {
    /// A folder for the sample project; it must be empty or not exist yet
    #[arg(value_name = "FOLDER")]
    folder: Option<PathBuf>,
}

impl Demo {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let own = self.folder.is_none();
        // The reader goes there from where they stand.
        let here = globals.dir == Path::new(".");
        let given = self.folder.clone().filter(|_| here);
        let dir = place(globals, self.folder)?;
        let scratch = own.then(|| dir.clone());
        extract(&dir)
            .with_context(|| format!("cannot write the sample project to `{}`", dir.display()))?;
        let project = dir.join("project");
        let recipe = dir.join(RECIPE);
        let with_git = git::init(&project);
        let session = Session::open(&project)?.with_trust(globals.trust());
        let checked = load(globals, &[recipe.display().to_string()], &BTreeMap::new())?;
        crate::globals::refuse_faulty(&checked)?;
        let mut quiet = |_: u64, _: u64| {};
        let first = session.propose(&checked, &BTreeMap::new(), &[], &mut quiet)?;
        let before = summarize(&first, &session.decisions()?);
        let accepted = session
            .accept(&Selection { certainty: Some(Certainty::Certain), ..Selection::default() })?;
        let (applied, _) = apply(&session, &git::health(&project), Request::default())?;
        let second = session.propose(&checked, &BTreeMap::new(), &[], &mut quiet)?;
        let decisions = session.decisions()?;
        let after = summarize(&second, &decisions);
        let mut out = anstream::stdout().lock();
        if globals.json {
            let written = (accepted.decided.len(), applied.files.as_slice());
            let value = json::demo((&project, &recipe), &before, written, (&second, &decisions));
            return show::json(&mut out, &value);
        }
        let shown = given.unwrap_or(dir).join("project");
        let story = Story { project: &shown, scratch, with_git, applied: &applied };
        story.tell(&mut out, (&first, &before), (&second, &after), &decisions)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// What the demo did, for its reader.
struct Story<'s> {
    project: &'s Path,
    /// The folder that nobody asked for, to be removed at the end.
    scratch: Option<PathBuf>,
    with_git: bool,
    applied: &'s Applied,
}

impl Story<'_> {
    fn tell(
        &self,
        out: &mut impl Write,
        (first, before): (&Proposal, &Summary),
        (second, after): (&Proposal, &Summary),
        decisions: &Decisions,
    ) -> anyhow::Result<()> {
        writeln!(
            out,
            "The Harbour Board moves all its parts from Tidewire 2 to Tidewire 3; both are made up.\nThis runs each command in {}.",
            self.project.display()
        )?;
        command(
            out,
            "emendo propose ../tidewire-3.toml",
            "what the recipe would change; no file is touched",
        )?;
        show::steps(out, before, show::Rows::Brief)?;
        command(
            out,
            &format!("emendo show --file {SHOWN}"),
            "a part of it, with what each edit rests on",
        )?;
        let fresh = Decisions::default();
        let view = |proposal, summary, decisions| View {
            proposal,
            summary,
            decisions,
            stored: true,
            disk: None,
        };
        let of_file =
            |e: &&Edit| e.path.as_str() == SHOWN && !e.derived && e.standing == Standing::In;
        let edits: Vec<&Edit> = first.files.iter().flat_map(|f| &f.edits).filter(of_file).collect();
        view(first, before, &fresh).edits(out, &edits)?;
        command(out, "emendo accept --certainty certain", "what needs no second look")?;
        let (edits, files) = (self.applied.written, self.applied.files.len());
        writeln!(out, "accepted: {}", count(edits, "edit"))?;
        command(out, "emendo apply", "write what is accepted: all of it or nothing")?;
        writeln!(out, "written: {} in {}", count(edits, "edit"), count(files, "file"))?;
        command(
            out,
            "emendo propose ../tidewire-3.toml",
            "what is left, each with the reason why it needs you",
        )?;
        show::steps(out, after, show::Rows::Brief)?;
        let open = OpenWork::of(second, decisions);
        let view = view(second, after, decisions);
        view.choices(out, &open.choices, usize::MAX)?;
        view.notes(out, &open, usize::MAX)?;
        view.leftovers(out, &open)?;
        writeln!(out, "\n{BOLD}One of the files with edits to decide on{BOLD:#}")?;
        let undecided: Vec<&Edit> =
            open.undecided.iter().copied().filter(|e| e.path.as_str() == UNDECIDED).collect();
        view.edits(out, &undecided)?;
        self.tips(out, &open)?;
        Ok(())
    }

    /// Commands that work as they are printed, from where the reader stands.
    fn tips(&self, out: &mut impl Write, open: &OpenWork<'_>) -> std::io::Result<()> {
        writeln!(out, "\n{BOLD}What to try next{BOLD:#}\n")?;
        let lines = self.next(open);
        let width = lines.iter().map(|l| l.0.chars().count()).max().unwrap_or(0);
        for (command, what) in lines {
            writeln!(out, "  {command:<width$}  {DIM}# {what}{DIM:#}")?;
        }
        if let Some(scratch) = &self.scratch {
            writeln!(out, "\nThe sample stays until you remove it: rm -r {}", quoted(scratch))?;
        }
        Ok(())
    }

    /// The commands, with what each is for.
    fn next(&self, open: &OpenWork<'_>) -> Vec<(String, &'static str)> {
        let mut out = vec![(format!("cd {}", quoted(self.project)), "the sample project")];
        let mut add = |command: &str, what| out.push((command.to_owned(), what));
        if let Some(program) = unnamed_program() {
            add(&format!("alias emendo={}", quoted(&program)), "until it is installed");
        }
        if self.with_git {
            add("git diff", "what was written");
        }
        add("emendo show --undecided", "what waits for you, with its lines");
        add(&format!("emendo why {WHY}"), "why nothing happens at a line");
        if let Some(choice) = open.choices.first() {
            let label = choice.options.first().map_or("", |o| o.label.as_str());
            add(&format!("emendo choose --edit {} {label}", choice.id.short(8)), "settle a choice");
        }
        if let Some(edit) = open.undecided.first() {
            let command = format!("emendo reject --edit {}", edit.id.short(8));
            add(&command, "it stays rejected in later runs");
        }
        add("emendo accept --certainty likely", "what one inference resolved");
        add("emendo accept --step clock", "a step with a caution must be named");
        add("emendo apply", "write what is accepted");
        if let Some(note) = open.notes.first() {
            add(&format!("emendo done {}", note.id.short(8)), "tick a note off");
        }
        add("emendo leftovers", "what still uses the old API");
        add("emendo status", "where it stands");
        add("emendo undo", "take the last apply back");
        add("emendo recipe test ../tidewire-3.toml", "the recipe's own examples");
        out
    }
}

/// A command as the reader would type it, and what it is for.
fn command(out: &mut impl Write, command: &str, what: &str) -> std::io::Result<()> {
    writeln!(out, "\n{BOLD}$ {command}{BOLD:#}  {DIM}# {what}{DIM:#}\n")
}

/// The path of this program, unless a shell finds it by its name.
fn unnamed_program() -> Option<PathBuf> {
    let own = std::env::current_exe().ok()?;
    let named = |dir: PathBuf| dir.join(own.file_name()?).canonicalize().ok();
    let found = std::env::split_paths(&std::env::var_os("PATH")?).find_map(named);
    (found != own.canonicalize().ok()).then_some(own)
}

/// A path as a shell takes it.
fn quoted(path: &Path) -> String {
    let path = path.display().to_string();
    let plain = |c: char| c.is_ascii_alphanumeric() || "/._-+:~".contains(c);
    if path.chars().all(plain) { path } else { format!("'{}'", path.replace('\'', "'\\''")) }
}

/// The folder for the sample: the user's, if it is free, or one in the scratch folder that stays.
fn place(globals: &Globals, folder: Option<PathBuf>) -> anyhow::Result<PathBuf> {
    let Some(folder) = folder else {
        return Ok(tempfile::Builder::new().prefix("emendo-demo-").tempdir()?.keep());
    };
    let dir = globals.path(&folder);
    let free = std::fs::read_dir(&dir).map_or(true, |mut entries| entries.next().is_none());
    if !free {
        let help = "name a folder that is empty or not there yet; nothing was written";
        return Err(Usage::error(format!("`{}` is not empty", folder.display()), help));
    }
    std::fs::create_dir_all(&dir).with_context(|| format!("cannot make `{}`", dir.display()))?;
    Ok(dir.canonicalize()?)
}

/// Writes the sample project and its recipe.
fn extract(dir: &Path) -> std::io::Result<()> {
    for (path, text) in bundle::files(bundle::DEMO) {
        let path = dir.join(path);
        if let Some(folder) = path.parent() {
            std::fs::create_dir_all(folder)?;
        }
        std::fs::write(path, text)?;
    }
    Ok(())
}
