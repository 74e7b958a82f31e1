//! From errors to what the user sees: a sentence, a way out, an exit code.

use std::io::Write;
use std::process::ExitCode;

use emendo_core::{DecisionError, SelectionWay, SessionError};
use emendo_report::json;

/// There is something to do, where a command was asked to check.
pub(crate) const TO_DO: u8 = 1;
/// Wrong usage or a faulty recipe.
pub(crate) const USAGE: u8 = 2;
/// Refused, to protect the user's work.
pub(crate) const REFUSED: u8 = 3;
/// A command of the project failed.
pub(crate) const FAILED: u8 = 4;
/// The system failed: a disk, a permission.
const SYSTEM: u8 = 5;

/// An error that has been shown already; only the code is left.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Shown {
    /// The exit code.
    pub(crate) code: u8,
    /// What is wrong, in a sentence.
    pub(crate) message: &'static str,
    /// The messages as values, for `--json`.
    pub(crate) messages: Vec<serde_json::Value>,
}

/// An error with its way out and exit code.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Usage {
    pub(crate) message: String,
    pub(crate) help: Option<String>,
}

impl Usage {
    pub(crate) fn error(message: impl Into<String>, help: impl Into<String>) -> anyhow::Error {
        Self { message: message.into(), help: Some(help.into()) }.into()
    }
}

/// What is not done, to protect the user's work, with the way out.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Refused {
    message: String,
    help: String,
}

impl Refused {
    pub(crate) fn error(message: impl Into<String>, help: impl Into<String>) -> anyhow::Error {
        Self { message: message.into(), help: help.into() }.into()
    }
}

/// A command of the project failed, with where to look.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub(crate) struct Failed {
    message: String,
    help: String,
}

impl Failed {
    pub(crate) fn error(message: impl Into<String>, help: impl Into<String>) -> anyhow::Error {
        Self { message: message.into(), help: help.into() }.into()
    }
}

/// Gives an error as JSON on standard output, and its exit code.
pub(crate) fn as_json(e: &anyhow::Error) -> ExitCode {
    if is_closed(e) {
        return ExitCode::SUCCESS;
    }
    let (code, help, messages) = match e.downcast_ref::<Shown>() {
        Some(shown) => (shown.code, None, shown.messages.clone()),
        None => {
            let (code, help) = way_out(e);
            (code, help, Vec::new())
        }
    };
    put(&json::error(&format!("{e:#}"), help.as_deref(), code, &messages));
    ExitCode::from(code)
}

/// The same of a command line that cannot be read.
pub(crate) fn usage_as_json(e: &clap::Error) -> ExitCode {
    let text = e.render().to_string();
    let mut lines = text.lines().map(str::trim).filter(|l| !l.is_empty());
    let message = lines.next().unwrap_or("wrong usage").trim_start_matches("error: ").to_owned();
    let help = lines.collect::<Vec<_>>().join("\n");
    put(&json::error(&message, Some(&help), USAGE, &[]));
    ExitCode::from(USAGE)
}

fn put(value: &serde_json::Value) {
    let mut out = anstream::stdout().lock();
    // Nobody is left to be told.
    drop(json::write(&mut out, value));
    drop(writeln!(out));
}

/// True for an error of a pipe whose reader has gone.
fn is_closed(e: &anyhow::Error) -> bool {
    let io = e.chain().find_map(|c| c.downcast_ref::<std::io::Error>());
    let written = e.chain().find_map(|c| c.downcast_ref::<serde_json::Error>());
    let kind = io.map(std::io::Error::kind).or_else(|| written?.io_error_kind());
    kind == Some(std::io::ErrorKind::BrokenPipe)
}

/// Shows an error and gives its exit code. A closed pipe is none.
pub(crate) fn report(e: &anyhow::Error) -> ExitCode {
    if is_closed(e) {
        return ExitCode::SUCCESS;
    }
    if let Some(shown) = e.downcast_ref::<Shown>() {
        return ExitCode::from(shown.code);
    }
    let (code, help) = way_out(e);
    let mut err = anstream::stderr().lock();
    let bold = anstyle::Style::new().bold().fg_color(Some(anstyle::AnsiColor::Red.into()));
    let message = emendo_text::one_line(&format!("{e:#}"));
    drop(writeln!(err, "{bold}error{bold:#}: {message}"));
    for line in help.iter().flat_map(|h| h.lines()) {
        drop(writeln!(err, "  {}", emendo_text::visible(line)));
    }
    ExitCode::from(code)
}

/// An error and its way out in lines, for who shows them elsewhere.
pub(crate) fn lines(e: &anyhow::Error) -> Vec<String> {
    let (_, help) = way_out(e);
    let message = emendo_text::one_line(&format!("{e:#}"));
    let help = help.iter().flat_map(|h| h.lines()).map(|l| emendo_text::visible(l).into_owned());
    std::iter::once(message).chain(help).collect()
}

/// The way out where nothing shows that a state folder was made here.
fn untrusted() -> String {
    let help = "if it is yours (an older version made it, or it came from another machine of yours), go on with `--trust-state`; else remove the folder";
    match crate::places::own_folder() {
        Some(_) => help.to_owned(),
        None => format!(
            "{help}\nnothing can be remembered: set HOME or XDG_CONFIG_HOME, so that there is a folder for settings"
        ),
    }
}

/// True if a disk has no room left.
fn full(e: &SessionError) -> bool {
    use std::io::ErrorKind::{QuotaExceeded, StorageFull};
    match e {
        SessionError::Io(io) | SessionError::Decisions(DecisionError::Io(io)) => {
            matches!(io.kind(), StorageFull | QuotaExceeded)
        }
        _ => false,
    }
}

/// The exit code of an error of the core.
pub(crate) fn code(e: &SessionError) -> ExitCode {
    ExitCode::from(of_session(e).0)
}

/// The way out of an error of the core.
pub(crate) fn help(e: &SessionError) -> Option<String> {
    of_session(e).1
}

fn way_out(e: &anyhow::Error) -> (u8, Option<String>) {
    if let Some(u) = e.downcast_ref::<Usage>() {
        return (USAGE, u.help.clone());
    }
    if let Some(r) = e.downcast_ref::<Refused>() {
        return (REFUSED, Some(r.help.clone()));
    }
    if let Some(f) = e.downcast_ref::<Failed>() {
        return (FAILED, Some(f.help.clone()));
    }
    e.downcast_ref::<SessionError>().map_or((SYSTEM, None), of_session)
}

fn of_session(s: &SessionError) -> (u8, Option<String>) {
    let list = |paths: &[emendo_text::RelPath]| {
        let mut text: Vec<String> = paths
            .iter()
            .take(20)
            .map(|p| format!("  {}", emendo_text::visible_name(p.as_str())))
            .collect();
        if paths.len() > 20 {
            text.push(format!("  ... and {} more", paths.len() - 20));
        }
        text.join("\n")
    };
    match s {
        SessionError::NoProposal => (USAGE, Some("make one: `emendo propose RECIPE`".into())),
        SessionError::Damaged => (SYSTEM, Some("run `emendo propose` again; decisions are kept".into())),
        SessionError::Unfinished => (
            REFUSED,
            Some("take it back with `emendo undo`, or finish the work with `emendo apply`, which takes it back first".into()),
        ),
        SessionError::Busy(_) => {
            (REFUSED, Some("wait until it is done, or longer than a moment: `--wait SECONDS`".into()))
        }
        SessionError::Untrusted(_) => (REFUSED, Some(untrusted())),
        SessionError::Newer(_) => (REFUSED, Some("use that version, or remove the folder: decisions and the way back are lost then".into())),
        SessionError::BadJournal(_) => (REFUSED, Some("no apply of this program writes such a journal: look at it, and remove its folder below `.emendo/journal`".into())),
        SessionError::Changed(paths) => (
            REFUSED,
            Some(format!("{}\nrun `emendo propose` again; decisions are kept. Or leave these files out: `--skip-changed`", list(paths))),
        ),
        SessionError::Dirty(paths) => {
            (REFUSED, Some(format!("{}\ncommit or stash them first, or write over them all the same: `--with-uncommitted`", list(paths))))
        }
        SessionError::Recipe(_) => (REFUSED, Some("run `emendo propose` again; decisions are kept".into())),
        SessionError::Selection(e) => (USAGE, Some(match &e.way {
            SelectionWay::Look => "`emendo status` shows the steps, `emendo show` the edits with their ids".into(),
            SelectionWay::TickOff(id) => format!("`emendo done {id}` ticks it off"),
            SelectionWay::OtherText(id) => format!("the text stands for the whole place of the edit: `emendo show --edit {id}` shows it"),
            SelectionWay::TakeBack => "`emendo undo` takes the whole apply back".into(),
        })),
        SessionError::ChangedSince(paths) => (
            REFUSED,
            Some(format!("{}\nnothing was taken back. Leave these as they are and take the rest back: `--keep-mine`, or `--keep-mine FILE` for some of them", list(paths))),
        ),
        SessionError::UnknownApply(_) => (USAGE, Some("`emendo status --applies` lists them".into())),
        SessionError::NotHere(_) => (
            REFUSED,
            Some("switch to a branch that holds it, or take the files alone back: `--files-only`".into()),
        ),
        SessionError::NotCommitted(e) => {
            let said = [e.said.as_str(), e.way_out.as_deref().unwrap_or("")];
            let said: Vec<&str> = said.into_iter().filter(|t| !t.is_empty()).collect();
            (REFUSED, Some(emendo_text::visible(&said.join("\n")).into_owned()).filter(|h| !h.is_empty()))
        }
        SessionError::HookChanged(files) => {
            let files: Vec<String> = files.iter().take(20).map(|f| format!("  {}", emendo_text::visible_name(f))).collect();
            (REFUSED, Some(format!("{}\nwhat it made of files of the apply is kept below `.emendo/aside`. If it brings files into form, let an apply do that: `format` in emendo.toml", files.join("\n"))))
        }
        SessionError::Format(e) => (
            FAILED,
            Some(format!("{}\nwhat it had made of files, if anything, is kept below `.emendo/aside`. To write without it: `--no-format`", emendo_text::visible(&e.said))),
        ),
        SessionError::Message(_) => (USAGE, Some("correct the template: names, filters and loops of Jinja, at most 16 kB of text".into())),
        SessionError::NothingApplied => (USAGE, Some("`emendo status` shows what was applied".into())),
        SessionError::NoRoom { bytes, .. } => (
            SYSTEM,
            Some(format!("nothing was changed: free {} kB on the disk of the project, and run the command again", bytes.div_ceil(1024) + 64)),
        ),
        SessionError::Project(_) => (USAGE, None),
        SessionError::Io(_) | SessionError::Decisions(_) if full(s) => (
            SYSTEM,
            Some("free some room on the disk of the project, and run the command again; no file of the project was changed".into()),
        ),
        SessionError::Io(_) | SessionError::Decisions(_) => (SYSTEM, Some("no file of the project was left half written".into())),
    }
}
