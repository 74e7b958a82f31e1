//! `accept`, `reject`, `choose`, `reword`, `reopen`, `done`: scripted decisions.

use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Certainty, Decided, Refusal, Selection, Session};
use emendo_report::json;
use emendo_text::{one_line, visible_name};

use crate::errors::Usage;
use crate::globals::Globals;
use crate::show;
use crate::show::{BOLD, PLACE, count};

/// Which edits are meant; all of the given options must hold.
#[derive(Args)]
pub(crate) struct Which {
    /// Edits of this step; may be given several times
    #[arg(long, value_name = "STEP")]
    pub(crate) step: Vec<String>,
    /// Edits in this file or folder, or in files that a glob fits; may be given several times
    #[arg(long, value_name = "PATH")]
    pub(crate) file: Vec<String>,
    /// The edit whose id begins with this; may be given several times
    #[arg(long, value_name = "ID")]
    pub(crate) edit: Vec<String>,
    /// Edits of the same step that make the same change as this one; may be given several times
    #[arg(long, value_name = "ID")]
    pub(crate) like: Vec<String>,
}

/// A certainty by its word.
pub(crate) fn level(word: &str) -> Result<Certainty, String> {
    match word {
        "certain" => Ok(Certainty::Certain),
        "likely" => Ok(Certainty::Likely),
        "unsure" | "all" => Ok(Certainty::Unsure),
        _ => Err("one of: certain, likely, unsure".into()),
    }
}

impl Which {
    /// True if nothing is given.
    pub(crate) fn is_empty(&self) -> bool {
        [&self.step, &self.file, &self.edit, &self.like].iter().all(|l| l.is_empty())
    }

    /// The selection, with paths as seen from the project's root.
    pub(crate) fn selection(
        self,
        globals: &Globals,
        session: &Session,
    ) -> anyhow::Result<Selection> {
        let files = globals.files(session.project(), &self.file)?;
        let Self { step: steps, edit: edits, like, .. } = self;
        Ok(Selection { steps, files, edits, like, ..Selection::default() })
    }
}

/// Which edits are meant, of exactly one certainty where that is given.
#[derive(Args)]
struct Exactly {
    #[command(flatten)]
    which: Which,
    /// Edits of exactly this certainty: certain, likely, unsure
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    certainty: Option<Certainty>,
    /// All that this command can decide on
    #[arg(long)]
    all: bool,
}

impl Exactly {
    fn selection(self, globals: &Globals, session: &Session) -> anyhow::Result<Selection> {
        let selection = selected(globals, session, self.which, (self.certainty, self.all))?;
        Ok(Selection { exact: true, ..selection })
    }
}

/// The selection of a command that decides; an error if it names nothing.
fn selected(
    globals: &Globals,
    session: &Session,
    which: Which,
    (certainty, all): (Option<Certainty>, bool),
) -> anyhow::Result<Selection> {
    if which.is_empty() && certainty.is_none() && !all {
        return Err(Usage::error(
            "it is not clear which edits you mean",
            "use --step, --file, --certainty, --edit, --like or --all",
        ));
    }
    Ok(Selection { certainty, all, ..which.selection(globals, session)? })
}

/// Accept edits, so that `apply` writes them
///
/// Takes the certain and likely edits of what is selected. Unsure ones are taken only with `--certainty unsure` or by `--edit`; edits that
/// call for caution only where `--step` or `--edit` names them; choices never: pick with `choose`. Edits that the accepted ones depend on
/// are accepted too.
#[derive(Args)]
pub(crate) struct Accept {
    #[command(flatten)]
    which: Which,
    /// Edits of this certainty and above: certain, likely, unsure
    #[arg(long, value_name = "LEVEL", value_parser = level)]
    certainty: Option<Certainty>,
    /// All edits
    #[arg(long)]
    all: bool,
}

/// Reject edits; they stay rejected in later runs
///
/// Edits that depend on a rejected one are computed again. An accepted edit is rejected only where `--edit` names it.
#[derive(Args)]
pub(crate) struct Reject {
    #[command(flatten)]
    exactly: Exactly,
}

/// Pick one of the alternatives of a choice
///
/// A rejected choice is picked only where `--edit` names it.
#[derive(Args)]
pub(crate) struct Choose {
    #[command(flatten)]
    exactly: Exactly,
    /// The alternative's label, as `propose` shows it
    label: String,
}

/// Accept an edit with a text of your own
///
/// The text stands for the whole place of the edit, as `show --edit ID` shows it; edits inside the place are decided with it. It is refused
/// if the file would no longer parse. Once it is applied, the place counts as done until it changes.
#[derive(Args)]
pub(crate) struct Reword {
    /// The edit whose id begins with this
    #[arg(long, value_name = "ID")]
    edit: String,
    /// The text
    #[arg(required_unless_present = "from", allow_hyphen_values = true)]
    text: Option<String>,
    /// Read the text from this file; `-` is standard input
    #[arg(long, value_name = "FILE", conflicts_with = "text")]
    from: Option<PathBuf>,
}

/// Take decisions back that are not written yet
///
/// Accepted and rejected edits, picked alternatives, notes and leftovers that were ticked off are open again. What was applied is reverted
/// with `undo`.
#[derive(Args)]
pub(crate) struct Reopen {
    #[command(flatten)]
    exactly: Exactly,
}

/// Tick off notes and leftovers, in later runs too
///
/// They are listed by `leftovers --on-purpose` from then on. `reopen` takes it back.
#[derive(Args)]
pub(crate) struct Done {
    /// The note or leftover whose id begins with this
    #[arg(value_name = "ID")]
    id: Vec<String>,
    /// Notes and leftovers of this step; may be given several times
    #[arg(long, value_name = "STEP")]
    step: Vec<String>,
    /// Notes and leftovers in this file or folder, or in files that a glob fits; may be given several times
    #[arg(long, value_name = "PATH")]
    file: Vec<String>,
    /// All notes and leftovers
    #[arg(long)]
    all: bool,
}

impl Accept {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let selection = selected(globals, &session, self.which, (self.certainty, self.all))?;
        report(globals, &session, &session.accept(&selection)?, "accepted")
    }
}

impl Reject {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let selection = self.exactly.selection(globals, &session)?;
        let decided = session.reject(&selection)?;
        report(globals, &session, &decided, "rejected")
    }
}

impl Choose {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let selection = self.exactly.selection(globals, &session)?;
        let decided = session.choose(&selection, &self.label)?;
        report(globals, &session, &decided, "picked")
    }
}

impl Reword {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let text = match (self.text, self.from) {
            (Some(text), _) => text,
            (None, Some(path)) => without_last_line_end(own_text(globals, &path)?),
            (None, None) => String::new(),
        };
        report(globals, &session, &session.reword(&self.edit, &text)?, "reworded")
    }
}

/// A text from a file, or from standard input.
fn own_text(globals: &Globals, path: &Path) -> anyhow::Result<String> {
    let read = match path.as_os_str() == "-" {
        true => std::io::read_to_string(std::io::stdin()),
        false => std::fs::read_to_string(globals.path(path)),
    };
    let name = emendo_text::one_line(&path.display().to_string());
    read.map_err(|e| {
        Usage::error(format!("`{name}` cannot be read: {e}"), "give a text file in UTF-8")
    })
}

/// What an editor adds to the end of a file belongs to no place.
pub(crate) fn without_last_line_end(mut text: String) -> String {
    if text.ends_with('\n') {
        text.pop();
        if text.ends_with('\r') {
            text.pop();
        }
    }
    text
}

impl Reopen {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let selection = self.exactly.selection(globals, &session)?;
        let decided = session.reopen(&selection)?;
        report(globals, &session, &decided, "open again")
    }
}

impl Done {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        let Self { id, step, file, all } = self;
        if id.is_empty() && step.is_empty() && file.is_empty() && !all {
            return Err(Usage::error(
                "it is not clear which notes or leftovers you mean",
                "give ids, as `emendo show --notes` and `emendo leftovers` list them, or use --step, --file or --all",
            ));
        }
        let files = globals.files(session.project(), &file)?;
        let selection = Selection { steps: step, files, edits: id, all, ..Selection::default() };
        report(globals, &session, &session.tick_off(&selection)?, "ticked off")
    }
}

/// Edits shown one by one; beyond that they are counted.
const SHOWN: usize = 20;

fn report(
    globals: &Globals,
    session: &Session,
    d: &Decided,
    word: &str,
) -> anyhow::Result<ExitCode> {
    let mut out = anstream::stdout().lock();
    if globals.json {
        let decisions = session.decisions()?;
        return show::json(&mut out, &json::decided(d, &decisions, &refusal));
    }
    let places = d.places.len();
    let mut what: Vec<String> = Vec::new();
    if !d.decided.is_empty() || places == 0 {
        what.push(count(d.decided.len(), "edit"));
    }
    if places > 0 {
        what.push(count(places, "place"));
    }
    if word == "ticked off" && places == 0 {
        what = vec!["nothing".into()];
    }
    writeln!(out, "{word}: {}", what.join(", "))?;
    heads(&mut out, &d.decided)?;
    for p in d.places.iter().take(SHOWN) {
        let place = match (&p.path, p.line) {
            (Some(path), Some(line)) => format!("{}:{line}", visible_name(path.as_str())),
            _ => "the step itself".into(),
        };
        writeln!(
            out,
            "  {BOLD}{}{BOLD:#} {PLACE}{place}{PLACE:#} {}",
            p.id.short(8),
            one_line(&p.says)
        )?;
    }
    rest(&mut out, places)?;
    if !d.along.is_empty() {
        let n = count(d.along.len(), "edit");
        writeln!(out, "along with them, since they build on these: {n}")?;
        heads(&mut out, &d.along)?;
    }
    if d.decided.is_empty() && places == 0 && d.already == 0 && d.refused.is_empty() {
        writeln!(out, "the proposal has nothing of what is selected")?;
    }
    if d.already > 0 {
        writeln!(out, "{word} before: {}", d.already)?;
    }
    if !d.refused.is_empty() {
        writeln!(out, "not {word}: {}", count(d.refused.len(), "edit"))?;
        for (e, why) in d.refused.iter().take(SHOWN) {
            let why = refusal(why);
            writeln!(out, "  {} {why}", show::head(e))?;
        }
        rest(&mut out, d.refused.len())?;
    }
    crate::open::line(&mut out, &d.open)?;
    Ok(ExitCode::SUCCESS)
}

fn heads(out: &mut impl Write, edits: &[emendo_core::Edit]) -> std::io::Result<()> {
    for e in edits.iter().take(SHOWN) {
        writeln!(out, "  {}", show::head(e))?;
    }
    rest(out, edits.len())
}

/// How many more there are than are shown.
fn rest(out: &mut impl Write, n: usize) -> std::io::Result<()> {
    match n > SHOWN {
        true => writeln!(out, "  ... and {} more", n - SHOWN),
        false => Ok(()),
    }
}

/// Why an edit is not decided, with the way out.
fn refusal(why: &Refusal) -> String {
    match why {
        Refusal::Withheld(why) => format!("it is held back: {why}"),
        Refusal::Choice => "it is a choice: pick one with `emendo choose`".into(),
        Refusal::Caution => "it calls for caution: name it with `--step` or `--edit`".into(),
        Refusal::Unsure => "it is unsure: ask for it with `--certainty unsure` or `--edit`".into(),
        Refusal::Rejected => "it is rejected: name it with `--edit`, or `emendo reopen` it".into(),
        Refusal::Accepted => "it is accepted: name it with `--edit`, or `emendo reopen` it".into(),
        Refusal::Other(why) => why.clone(),
    }
}
