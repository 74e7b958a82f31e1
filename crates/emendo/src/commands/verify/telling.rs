//! What goes on while checks run, on standard error.

use std::cell::RefCell;
use std::io::{self, IsTerminal, Write};
use std::time::Duration;

use emendo_text::{one_line, visible};
use emendo_verify::{Attempt, Trial};
use indicatif::{ProgressBar, ProgressStyle};

use crate::commands::verify::said::{names, seconds};
use crate::show::{BAD, BOLD, DIM, GOOD, LOOK, count};

/// Writes a line on standard error.
fn say(text: &str) -> io::Result<()> {
    writeln!(anstream::stderr(), "{text}")
}

/// Says on standard error what goes on.
pub(crate) struct Telling {
    /// Only results are wanted.
    quiet: bool,
    bar: RefCell<Option<ProgressBar>>,
}

impl Telling {
    pub(super) fn new(quiet: bool) -> Self {
        Self { quiet, bar: RefCell::default() }
    }

    /// A check begins, in the project.
    pub(super) fn begins(&self, command: &str, when: &str) -> io::Result<()> {
        if self.quiet {
            return Ok(());
        }
        let command = one_line(command);
        say(&format!("{BOLD}checking {when}{BOLD:#}: {command}"))?;
        if io::stderr().is_terminal() {
            let style = ProgressStyle::with_template("{spinner} {msg}, {elapsed}");
            let style = style.unwrap_or_else(|_| ProgressStyle::default_spinner());
            let bar = ProgressBar::new_spinner().with_style(style).with_message(command);
            bar.enable_steady_tick(Duration::from_millis(100));
            *self.bar.borrow_mut() = Some(bar);
        }
        Ok(())
    }

    /// It says a line.
    pub(super) fn line(&self, line: &str) {
        if self.quiet {
            return;
        }
        let plain = anstream::adapter::strip_str(line).to_string();
        let text = format!("{DIM}  | {}{DIM:#}", visible(&plain));
        match &*self.bar.borrow() {
            Some(bar) => bar.suspend(|| drop(say(&text))),
            None => drop(say(&text)),
        }
    }

    /// It has ended.
    pub(super) fn ended(&self) {
        if let Some(bar) = self.bar.borrow_mut().take() {
            bar.finish_and_clear();
        }
    }

    pub(super) fn warn(&self, text: &str) -> io::Result<()> {
        say(&format!("{LOOK}{}{LOOK:#}", one_line(text)))
    }

    /// The search begins.
    pub(super) fn searching(&self, suspects: usize, tries: usize) -> io::Result<()> {
        if self.quiet {
            return Ok(());
        }
        let suspects = match suspects {
            1 => "one step is suspected".to_owned(),
            n => format!("{n} steps are suspected"),
        };
        say(&format!(
            "{BOLD}looking for the step{BOLD:#}: {suspects}; the check runs in a copy of the project, at most {tries} times"
        ))
    }

    /// What a run in the copy is over, in words.
    pub(super) fn trial(&self, trial: &Trial) -> String {
        format!("checking a copy {}", trial_words(trial))
    }

    pub(super) fn attempt(&self, n: usize, tries: usize, a: &Attempt) {
        if self.quiet {
            return;
        }
        let said = match (&a.trial, a.result.passed) {
            (_, true) => format!("{GOOD}passes{GOOD:#}"),
            (Trial::Without { .. }, false) => outcome(a),
            (_, false) => format!("{BAD}fails{BAD:#}, {}", count(a.result.problems.len(), "error")),
        };
        let along = match a.along {
            0 => String::new(),
            n => format!(" and {} that need it", count(n, "edit")),
        };
        let took = seconds(a.result.took);
        let words = trial_words(&a.trial);
        drop(say(&format!(
            "  {DIM}{n} of {tries}{DIM:#}  {words}{along}: {said} {DIM}{took}{DIM:#}"
        )));
    }
}

/// What leaving steps out changed.
fn outcome(a: &Attempt) -> String {
    match (a.gone, a.came) {
        (0, 0) => format!("{BAD}fails{BAD:#} as before"),
        (0, came) => format!("{BAD}fails{BAD:#}, {} more", count(came, "error")),
        (gone, 0) => format!("{} less", count(gone, "error")),
        (gone, came) => format!("{} less, {came} others", count(gone, "error")),
    }
}

fn trial_words(trial: &Trial) -> String {
    match trial {
        Trial::Before => "as it was before the edits".to_owned(),
        Trial::Whole => "with all edits".to_owned(),
        Trial::Without { steps } => format!("without {}", names(steps)),
    }
}
