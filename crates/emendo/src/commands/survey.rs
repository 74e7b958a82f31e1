//! `survey`: what is here, before anything changes.

use std::io::Write;
use std::path::PathBuf;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{RecipeFit, Survey, VersionPlace, check, read_source, recipe_files, survey};
use emendo_recipe::Source;
use emendo_report::json;
use emendo_text::one_line;

use crate::globals::Globals;
use crate::programs::git;
use crate::show;
use crate::show::{BOLD, DIM, LOOK, count};

/// Lines of libraries on the screen.
const SHOWN: usize = 16;
/// Languages on the screen.
const SHOWN_LANGUAGES: usize = 10;
/// Lines of other lists on the screen.
const FEW: usize = 6;

/// What is here: languages, libraries with their versions, git state, recipes that fit
///
/// Reads the manifests of all ecosystems and shows for each library which version is declared, and where. Changes nothing.
#[derive(Args)]
pub(crate) struct SurveyCommand {
    /// The project, or a folder of it; the current folder if not given
    #[arg(value_name = "DIR")]
    folder: Option<PathBuf>,
    /// Further recipes, or folders of recipes, that may fit, besides those that `recipe list` shows
    #[arg(long, value_name = "PATH")]
    recipes: Vec<PathBuf>,
    /// Show everything, however long
    #[arg(long)]
    all: bool,
}

impl SurveyCommand {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let dir = self.folder.as_ref().map_or_else(|| globals.dir.clone(), |d| globals.path(d));
        let at = Globals {
            world: globals.world.clone(),
            dir,
            json: globals.json,
            wait: globals.wait,
            trust_state: globals.trust_state,
        };
        let session = at.session_here()?;
        let project = session.project();
        let found = survey(&globals.world, project);
        let fits = self.fits(globals, &at, &found);
        let tree = git::state(project.root());
        let mut out = anstream::stdout().lock();
        if globals.json {
            return show::json(&mut out, &json::survey(project.root(), &tree, &found, &fits));
        }
        let root = project.root().display().to_string();
        writeln!(out, "{BOLD}{}{BOLD:#}  {}", one_line(&root), count(found.files, "file"))?;
        git_line(&tree, &mut out)?;
        self.show(&found, &mut out)?;
        recipes(&fits, &mut out)?;
        Ok(ExitCode::SUCCESS)
    }

    /// How far recipes fit: those that are known, and those that were named.
    fn fits(&self, globals: &Globals, at: &Globals, found: &Survey) -> Vec<RecipeFit> {
        let shelf = at.shelf();
        let mut paths = Vec::new();
        for p in &self.recipes {
            let p = globals.path(p);
            if p.is_dir() { recipe_files(&p, &mut paths, 0) } else { paths.push(p) }
        }
        let named = paths.iter().filter_map(|p| read_source(p).ok());
        let known = shelf.all().into_iter().map(|k| k.source);
        let mut sources: Vec<Source> = Vec::new();
        for s in named.chain(known) {
            if !sources.iter().any(|o| o.path == s.path) {
                sources.push(s);
            }
        }
        // A file that is not a recipe is none that fits.
        let checked = sources
            .into_iter()
            .map(|s| check(&globals.world, vec![s], &Default::default(), &shelf));
        let recipes: Vec<_> = checked.flat_map(|c| c.recipes).collect();
        // Of recipes that nobody named only those that could be meant.
        let shown = |f: &RecipeFit| !self.recipes.is_empty() || f.fits || !f.libraries.is_empty();
        found
            .fits(&globals.world, &recipes)
            .into_iter()
            .filter(|f| !f.id.is_empty() && shown(f))
            .collect()
    }

    fn modules(&self, found: &Survey, out: &mut impl Write) -> std::io::Result<()> {
        if !found.modules.is_empty() {
            writeln!(out, "\n{BOLD}modules{BOLD:#}")?;
        }
        for m in found.modules.iter().take(if self.all { usize::MAX } else { FEW }) {
            let name = m.name.as_deref().map_or(String::new(), |n| format!("  {}", one_line(n)));
            let many = if m.libraries == 1 { "library" } else { "libraries" };
            writeln!(
                out,
                "  {:<34} {:<9} {:>3} {many}{name}",
                emendo_text::visible_name(m.path.as_str()),
                m.ecosystem,
                m.libraries
            )?;
        }
        more(found.modules.len(), FEW, self.all, out)
    }

    fn libraries(&self, found: &Survey, out: &mut impl Write) -> std::io::Result<()> {
        if !found.libraries.is_empty() {
            writeln!(out, "\n{BOLD}libraries{BOLD:#}")?;
        }
        let mut lines = Vec::new();
        for l in &found.libraries {
            for (i, h) in l.held.iter().enumerate() {
                let name = if i == 0 {
                    format!("{}:{}", l.ecosystem, one_line(&l.coordinate))
                } else {
                    String::new()
                };
                let version = h.version.as_deref().unwrap_or("-");
                lines.push(format!(
                    "  {name:<44} {:<14} {DIM}{}{DIM:#}",
                    one_line(version),
                    place(h)
                ));
            }
        }
        for l in lines.iter().take(if self.all { usize::MAX } else { SHOWN }) {
            writeln!(out, "{l}")?;
        }
        more(lines.len(), SHOWN, self.all, out)
    }

    fn show(&self, found: &Survey, out: &mut impl Write) -> std::io::Result<()> {
        let count = if self.all { usize::MAX } else { SHOWN_LANGUAGES };
        let shown = || found.languages.iter().take(count);
        let mut names: Vec<String> = shown()
            .map(|l| format!("{} {}{}", l.name, l.files, if l.supported { "" } else { "*" }))
            .collect();
        if let Some(rest) = found.languages.len().checked_sub(count).filter(|n| *n > 0) {
            names.push(format!("{DIM}and {rest} more (--all){DIM:#}"));
        }
        if !names.is_empty() {
            writeln!(out, "languages   {}", names.join(", "))?;
            if shown().any(|l| !l.supported) {
                writeln!(out, "            {DIM}* recipes change no code of these yet{DIM:#}")?;
            }
        }
        let kinds: Vec<String> =
            found.ecosystems.iter().map(|e| format!("{} {}", e.name, e.files)).collect();
        if !kinds.is_empty() {
            writeln!(out, "manifests   {}", kinds.join(", "))?;
        }
        let levels: Vec<String> = found
            .toolchains
            .iter()
            .map(|t| format!("{} {} ({})", t.toolchain, one_line(&t.level), t.path))
            .collect();
        for (i, l) in levels.iter().take(if self.all { usize::MAX } else { FEW }).enumerate() {
            writeln!(out, "{:12}{l}", if i == 0 { "toolchains" } else { "" })?;
        }
        more(levels.len(), FEW, self.all, out)?;
        self.modules(found, out)?;
        self.libraries(found, out)?;
        for l in &found.locks {
            writeln!(
                out,
                "lock file   {}: not edited; `{}` refreshes it",
                emendo_text::visible_name(l.path.as_str()),
                l.refresh
            )?;
        }
        for u in &found.unreadable {
            writeln!(
                out,
                "{LOOK}unreadable  {}: {}{LOOK:#}",
                emendo_text::visible_name(u.path.as_str()),
                one_line(&u.why)
            )?;
        }
        Ok(())
    }
}

fn more(all: usize, shown: usize, whole: bool, out: &mut impl Write) -> std::io::Result<()> {
    if !whole && all > shown {
        writeln!(out, "  {DIM}... and {} more (--all){DIM:#}", all - shown)?;
    }
    Ok(())
}

fn place(h: &VersionPlace) -> String {
    let path = emendo_text::visible_name(h.path.as_str());
    match &h.by {
        Some(name) => format!("{path}:{} as `{}`", h.line, one_line(name)),
        None => format!("{path}:{}", h.line),
    }
}

fn git_line(tree: &git::State, out: &mut impl Write) -> std::io::Result<()> {
    let text = match tree {
        git::State::None => {
            "no git tree: your own changes cannot be recognised, and nothing keeps them".to_owned()
        }
        git::State::Unreadable { why } => format!("{why}: your own changes cannot be recognised"),
        git::State::Clean { branch } => format!("{branch}, all committed"),
        git::State::Dirty { branch, files } => {
            format!("{branch}, {} with changes that are in no commit", count(*files, "file"))
        }
    };
    let plain = matches!(tree, git::State::Clean { .. });
    if plain {
        writeln!(out, "git         {text}")
    } else {
        writeln!(out, "git         {LOOK}{text}{LOOK:#}")
    }
}

fn recipes(fits: &[RecipeFit], out: &mut impl Write) -> std::io::Result<()> {
    if !fits.is_empty() {
        writeln!(out, "\n{BOLD}recipes{BOLD:#}")?;
    }
    for f in fits {
        let says = match (f.fits, f.libraries.is_empty()) {
            (true, _) => "fits",
            (false, true) => "nothing of it is here",
            (false, false) => "other versions are here",
        };
        writeln!(out, "  {:<20} {says:<24} {}", one_line(&f.id), one_line(&f.title))?;
        for l in f.libraries.chunks(3).take(FEW) {
            let line: Vec<String> = l.iter().map(|l| one_line(l)).collect();
            writeln!(out, "  {:<20} {DIM}{}{DIM:#}", "", line.join(", "))?;
        }
    }
    Ok(())
}
