//! `recipe new`: first drafts.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use emendo_core::World;
use emendo_recipe::read_table;
use emendo_report::json;
use emendo_text::{Severity, one_line};

use crate::commands::recipe::draft::{About, Guess, Guessed, correct, from_rows, guess, scaffold};
use crate::errors::Usage;
use crate::globals::Globals;
use crate::show;
use crate::show::{DIM, GOOD, LOOK, count};

/// Write a first draft of a recipe: one with comments, or steps from a table of old and new names
///
/// The table is CSV with the columns old, new and advice, by a header or by position. What each row is (a package, a type, a
/// member, a setting, a library, code) is guessed from its shape, and marked with GUESS so that you can check it.
#[derive(Args)]
pub(crate) struct New {
    /// The file to write; it must not exist yet. Its name becomes the recipe's id
    file: PathBuf,
    /// Draft the steps from this table
    #[arg(long, value_name = "CSV")]
    from_table: Option<PathBuf>,
    /// The title
    #[arg(long)]
    title: Option<String>,
    /// The language of the code
    #[arg(long, value_name = "NAME")]
    lang: Option<String>,
    /// The library's name
    #[arg(long, value_name = "NAME")]
    library: Option<String>,
    /// Its coordinate, with the ecosystem: `npm:tidewire`
    #[arg(long, value_name = "COORDINATE")]
    coordinate: Option<String>,
    /// The version to upgrade to
    #[arg(long, value_name = "VERSION")]
    to: Option<String>,
}

impl New {
    pub(super) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let path = globals.path(&self.file);
        let shown = self.file.display().to_string();
        if path.extension().is_none_or(|e| e != "toml") {
            return Err(Usage::error(
                format!("`{shown}` is not TOML file"),
                "give the recipe a name that ends in .toml",
            ));
        }
        if self.lang.is_none() && !path.exists() {
            let known = globals.world.language_words();
            return Err(Usage::error(
                "the language of the code is missing",
                format!("write `--lang LANGUAGE`, one of: {known}"),
            ));
        }
        let about = self.about(&globals.world, &path);
        let unknown = |l: &&String| globals.world.language(l).is_none();
        if let Some(lang) = self.lang.as_ref().filter(unknown) {
            let known = globals.world.language_words();
            return Err(Usage::error(
                format!("there is no language `{lang}`"),
                format!("one of: {known}"),
            ));
        }
        let (text, guessed) = match &self.from_table {
            None => (scaffold(&about), Vec::new()),
            Some(table) => drafted(globals, &about, table)?,
        };
        write_new(&path, &shown, &text)?;
        let mut out = anstream::stdout().lock();
        if globals.json {
            let rows = guessed.iter().map(|(old, guess, why)| (old.as_str(), word(*guess), *why));
            return show::json(&mut out, &json::drafted(&path, &about.id, rows));
        }
        writeln!(out, "{GOOD}written{GOOD:#}  {shown}")?;
        let mut kinds: Vec<(Guess, usize)> = Vec::new();
        for (_, guess, _) in &guessed {
            match kinds.iter_mut().find(|k| k.0 == *guess) {
                Some(k) => k.1 += 1,
                None => kinds.push((*guess, 1)),
            }
        }
        for (guess, n) in kinds {
            writeln!(out, "  {:<22} {DIM}guessed: {}{DIM:#}", count(n, "row"), word(guess))?;
        }
        writeln!(
            out,
            "\nnext: correct what is marked, then `emendo recipe check {shown}` and `emendo recipe test {shown}`"
        )?;
        Ok(ExitCode::SUCCESS)
    }

    /// What the command line says of the recipe.
    fn about<'w>(&self, world: &'w World, path: &Path) -> About<'w> {
        let stem = path.file_stem().map(|s| s.to_string_lossy().into_owned()).unwrap_or_default();
        let plain = |c: char| if c.is_ascii_alphanumeric() || "-_.".contains(c) { c } else { '-' };
        let id: String = stem.chars().map(plain).collect();
        About {
            world,
            title: self.title.clone().unwrap_or_else(|| id.clone()),
            id,
            lang: self.lang.clone().unwrap_or_default(),
            library: self.library.clone().unwrap_or_default(),
            coordinate: self.coordinate.clone().unwrap_or_default(),
            to: self.to.clone().unwrap_or_default(),
        }
    }
}

/// A row of the table: its old name, what it was taken for, and why.
type Row = (String, Guess, &'static str);

/// A draft from a table, with what its rows were taken for.
fn drafted(
    globals: &Globals,
    about: &About<'_>,
    table: &Path,
) -> anyhow::Result<(String, Vec<Row>)> {
    let name = table.display().to_string();
    let bytes = emendo_recipe::read_regular(&globals.path(table)).map_err(|e| {
        Usage::error(format!("cannot read the table `{name}`: {e}"), "give the path of a CSV file")
    })?;
    let (rows, messages) = read_table(&name, &bytes);
    let mut err = anstream::stderr().lock();
    for m in &messages {
        writeln!(err, "{LOOK}{}{LOOK:#}", one_line(&m.message))?;
    }
    if messages.iter().any(|m| m.severity == Severity::Error) {
        return Err(Usage::error("the table contradicts itself", "correct the rows named above"));
    }
    if rows.is_empty() {
        return Err(Usage::error(
            format!("`{name}` has no rows"),
            "the columns are old, new, advice, by a header or by position",
        ));
    }
    let taken_for = |pair| {
        let (guess, why) = guess(about.world, pair);
        Guessed { pair, guess, why }
    };
    let mut all: Vec<Guessed<'_>> = rows.iter().map(taken_for).collect();
    correct(&mut all);
    let guessed = all.iter().map(|g| (g.pair.old.text.clone(), g.guess, g.why)).collect();
    Ok((from_rows(about, &all, &name), guessed))
}

/// Writes a file that is not there yet.
fn write_new(path: &Path, shown: &str, text: &str) -> anyhow::Result<()> {
    let file = std::fs::OpenOptions::new().write(true).create_new(true).open(path);
    let mut file = file.map_err(|e| match e.kind() {
        std::io::ErrorKind::AlreadyExists => Usage::error(
            format!("`{shown}` is there already"),
            "give another name: nothing is written over",
        ),
        _ => Usage::error(
            format!("cannot write `{shown}`: {e}"),
            "give a path in a folder that is there",
        ),
    })?;
    Ok(file.write_all(text.as_bytes())?)
}

fn word(guess: Guess) -> &'static str {
    match guess {
        Guess::Library => "a library",
        Guess::Setting => "a setting",
        Guess::Package => "a package or module",
        Guess::Type => "a type",
        Guess::Member => "a member of a type",
        Guess::Property => "a property of a type",
        Guess::Function => "a function",
        Guess::Code => "code",
        Guess::Note => "to be looked at by hand",
    }
}
