//! `demo`: the whole path on sample data.

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use anyhow::Context;
use clap::Args;
use emendo_core::{Certainty, Selection, Session, summarize};
use emendo_report::json;

use crate::commands::apply::{apply, show_applied};
use crate::commands::bundle;
use crate::errors::Usage;
use crate::globals::{Globals, load};
use crate::show::{BOLD, DIM, count};
use crate::view::{DiffWhen, View};
use crate::{git, show};

const RECIPE: &str = "tidewire-3.toml";

/// Show the whole workflow on sample data: propose, accept what is certain, apply, and see what is left
///
/// The Harbour Board's berth service moves from Tidewire 2 to Tidewire 3, both made up. Without DIR it is written
/// to a scratch folder.
#[derive(Args)]
pub(crate) struct Demo {
    /// A folder for the sample project; it must be empty or not exist yet
    #[arg(value_name = "FOLDER")]
    folder: Option<PathBuf>,
}

impl Demo {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let dir = place(globals, self.folder)?;
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
        let applied = apply(&session, &git::health(&project), None, false, false)?;
        let second = session.propose(&checked, &BTreeMap::new(), &[], &mut quiet)?;
        let decisions = session.decisions()?;
        let after = summarize(&second, &decisions);
        let mut out = anstream::stdout().lock();
        if globals.json {
            let written = (accepted.decided.len(), applied.files.as_slice());
            let value = json::demo((&project, &recipe), &before, written, (&second, &decisions));
            return show::json(&mut out, &value);
        }
        writeln!(
            out,
            "The Harbour Board moves all its parts from Tidewire 2 to Tidewire 3 (both are made up)."
        )?;
        writeln!(out, "{DIM}project: {}\nrecipe:  {}{DIM:#}", project.display(), recipe.display())?;
        title(&mut out, "1. propose: what the recipe would change; no file is touched")?;
        show::steps(&mut out, &before, show::Rows::All)?;
        title(&mut out, "2. accept --certainty certain: what needs no second look")?;
        writeln!(
            out,
            "accepted: {}",
            count(accepted.decided.len() + accepted.along.len(), "edit")
        )?;
        title(&mut out, "3. apply: write what was accepted")?;
        show_applied(&mut out, &applied, &[])?;
        title(&mut out, "4. propose again: what is left to decide")?;
        let view = View {
            proposal: &second,
            summary: &after,
            decisions: &decisions,
            stored: true,
            disk: None,
        };
        view.show(&mut out, DiffWhen::Always)?;
        title(&mut out, "What to try next")?;
        tips(&mut out, &project, &recipe, with_git)?;
        Ok(ExitCode::SUCCESS)
    }
}

fn title(out: &mut impl Write, text: &str) -> std::io::Result<()> {
    writeln!(out, "\n{BOLD}== {text}{BOLD:#}\n")
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

fn tips(
    out: &mut impl Write,
    project: &Path,
    recipe: &Path,
    with_git: bool,
) -> std::io::Result<()> {
    let (p, r) = (project.display(), recipe.display());
    writeln!(out, "  cd {p}")?;
    if with_git {
        writeln!(out, "  git diff                                      # what was written")?;
    }
    writeln!(
        out,
        "  emendo show --undecided                       # what waits for you, with its lines"
    )?;
    writeln!(
        out,
        "  emendo why berths/src/main/java/harbour/rail/TrainTimes.java:13   # why nothing happens at a line"
    )?;
    writeln!(
        out,
        "  emendo choose --edit ID LABEL                 # settle a choice; ids and labels stand above"
    )?;
    writeln!(out, "  emendo accept --certainty likely              # what one inference resolved")?;
    writeln!(
        out,
        "  emendo accept --step clock                    # a step with a caution must be named"
    )?;
    writeln!(
        out,
        "  emendo reject --edit ID                       # it stays rejected in later runs"
    )?;
    writeln!(out, "  emendo apply                                  # write what is accepted")?;
    writeln!(
        out,
        "  emendo status; emendo undo                    # where it stands; take the last apply back"
    )?;
    writeln!(out, "  emendo leftovers                              # what still uses the old API")?;
    writeln!(
        out,
        "  emendo done ID; emendo finish                 # tick a place off; end the migration"
    )?;
    writeln!(out, "  emendo propose {r}")?;
    writeln!(out, "  emendo recipe test {r}")
}
