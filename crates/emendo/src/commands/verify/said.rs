//! What a verification says, in words.

use std::cell::RefCell;
use std::io::{self, IsTerminal, Write};
use std::time::Duration;

use emendo_core::{Session, StepKey};
use emendo_text::{one_line, visible, visible_name};
use emendo_verify::{
    Attempt, Blame, CheckResult, Findings, Guilty, Near, PlacedProblem, Trial, Verification,
    gathered,
};
use indicatif::{ProgressBar, ProgressStyle};

use crate::commands::verify::say;
use crate::show::{BAD, BOLD, DIM, GOOD, LOOK, PLACE, count};

/// Problems that are shown of one group.
const FEW: usize = 8;

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

fn name(step: &StepKey) -> String {
    format!("`{}`", visible_name(&step.step))
}

fn names(steps: &[StepKey]) -> String {
    steps.iter().map(name).collect::<Vec<_>>().join(", ")
}

/// `1.2 s`, `3 min 20 s`.
pub(crate) fn seconds(ms: u64) -> String {
    match ms {
        0..10_000 => format!("{}.{} s", ms / 1000, ms % 1000 / 100),
        10_000..60_000 => format!("{} s", ms / 1000),
        _ => format!("{} min {} s", ms / 60_000, ms % 60_000 / 1000),
    }
}

/// All of it.
pub(crate) fn verification(
    out: &mut impl Write,
    v: &Verification,
    session: &Session,
) -> anyhow::Result<()> {
    writeln!(out, "{BOLD}check{BOLD:#}: {}", one_line(&v.command))?;
    match (&v.before, v.after.is_some()) {
        (Some(r), _) => result(out, "before", r)?,
        (None, true) => writeln!(out, "  {:<7} not run", "before")?,
        (None, false) => {}
    }
    if let Some(r) = &v.after {
        result(out, if v.ahead { "ahead" } else { "after" }, r)?;
    }
    writeln!(out)?;
    writeln!(out, "{}", verdict(v))?;
    if v.after.is_none() {
        let failed = v.before.iter().find(|r| !r.passed);
        if let Some(r) = failed {
            problems(out, r)?;
        }
    }
    groups(out, &v.new)?;
    if let Some(f) = &v.findings {
        writeln!(out)?;
        findings(out, f)?;
    }
    let last = v.after.as_ref().or(v.before.as_ref());
    if let Some(r) = last.filter(|r| !r.passed) {
        let path = session.checks()?.join(&r.log);
        let shown =
            path.strip_prefix(session.project().root()).unwrap_or(&path).display().to_string();
        writeln!(out, "{DIM}what it said: {}{DIM:#}", one_line(&shown))?;
    }
    writeln!(out, "next: {}", next(v))?;
    Ok(())
}

fn result(out: &mut impl Write, when: &str, r: &CheckResult) -> io::Result<()> {
    let where_ = if r.in_copy { ", in a copy" } else { "" };
    let time = crate::commands::status::when(r.time);
    let said = match r.passed {
        true => format!("{GOOD}passed{GOOD:#}"),
        false => {
            let code = r.code.map_or("ended by a signal".to_owned(), |c| format!("exit code {c}"));
            format!("{BAD}failed{BAD:#}, {code}, {}", count(r.problems.len(), "error"))
        }
    };
    writeln!(out, "  {when:<7} {said} {DIM}({time}, {}{where_}){DIM:#}", seconds(r.took))
}

/// The last verification in a sentence.
pub(crate) fn verdict(v: &Verification) -> String {
    let passed = |r: &Option<CheckResult>| r.as_ref().map(|r| r.passed);
    let new = v.new.len();
    match (passed(&v.before), passed(&v.after)) {
        (Some(true), None) => format!("{GOOD}passes before the edits{GOOD:#}"),
        (Some(false), None) => format!("{BAD}fails before the edits{BAD:#}"),
        (Some(true), Some(true)) => {
            format!("{GOOD}passed before, and passes with the edits{GOOD:#}")
        }
        (Some(false), Some(true)) => {
            format!("{GOOD}failed before, and passes with the edits{GOOD:#}")
        }
        (None, Some(true)) => {
            format!("{GOOD}passes with the edits{GOOD:#}; before them it was not run")
        }
        (Some(true), Some(false)) => {
            format!("{BAD}passed before, and fails with the edits{BAD:#}: {}", count(new, "error"))
        }
        (Some(false), Some(false)) if new == 0 => {
            format!("{LOOK}failed before the edits too{LOOK:#}, and nothing is new")
        }
        (Some(false), Some(false)) => {
            format!(
                "{BAD}failed before the edits too{BAD:#}; {} new",
                match new {
                    1 => "1 error is".to_owned(),
                    n => format!("{n} errors are"),
                }
            )
        }
        (None, _) => format!("{BAD}fails with the edits{BAD:#}"),
    }
}

/// The errors of a check where nothing is written yet.
fn problems(out: &mut impl Write, r: &CheckResult) -> io::Result<()> {
    for p in r.problems.iter().take(FEW) {
        problem(out, p, "")?;
    }
    more(out, r.problems.len())
}

fn more(out: &mut impl Write, n: usize) -> io::Result<()> {
    if n > FEW { writeln!(out, "    {DIM}... and {} more{DIM:#}", n - FEW) } else { Ok(()) }
}

fn problem(out: &mut impl Write, p: &emendo_verify::Problem, near: &str) -> io::Result<()> {
    let place = match (&p.path, p.line) {
        (Some(path), Some(line)) => format!("{}:{line}", visible_name(path.as_str())),
        (Some(path), None) => visible_name(path.as_str()).into_owned(),
        _ => "no place".to_owned(),
    };
    let code = p.code.as_ref().map_or(String::new(), |c| format!("{} ", one_line(c)));
    let message = one_line(&p.message);
    writeln!(out, "    {PLACE}{place}{PLACE:#} {code}{message}{DIM}{near}{DIM:#}")
}

/// New problems by what they stand at.
fn groups(out: &mut impl Write, new: &[PlacedProblem]) -> io::Result<()> {
    for (near, all) in gathered(new) {
        let n = count(all.len(), "error");
        let title = match near {
            Near::Edit { step, .. } => format!("{n} at edits of step {}", name(step)),
            Near::Note { .. } => format!("{n} where a note stands"),
            Near::Leftover { .. } => format!("{n} where the old API is left"),
            Near::ChangedFile { .. } => format!("{n} elsewhere in files with edits"),
            Near::UntouchedFile => format!("{n} in files without edits"),
            Near::Nowhere => format!("{n} without a place in the project"),
        };
        writeln!(out, "  {BOLD}{title}{BOLD:#}")?;
        for p in all.iter().take(FEW) {
            let near = match &p.near {
                Near::Edit { edit, lines: 0, .. } => format!("  edit {}", edit.short(8)),
                Near::Edit { edit, lines, .. } => {
                    format!("  edit {}, {} away", edit.short(8), count(*lines as usize, "line"))
                }
                Near::Note { note, say, .. } => {
                    format!("  note {}: {}", note.short(8), one_line(say))
                }
                Near::Leftover { leftover, symbol, .. } => {
                    format!("  leftover {}: {}", leftover.short(8), one_line(symbol))
                }
                Near::ChangedFile { steps } => format!("  steps {}", names(steps)),
                Near::UntouchedFile | Near::Nowhere => String::new(),
            };
            problem(out, &p.problem, &near)?;
        }
        more(out, all.len())?;
    }
    Ok(())
}

/// Who is to blame.
fn findings(out: &mut impl Write, f: &Findings) -> io::Result<()> {
    let tries = count(f.attempts.len(), "run");
    let said = match &f.blame {
        Blame::Steps { guilty } => return blamed(out, f, guilty),
        Blame::NoStep => "no step is to blame: leaving out the suspects does not help".to_owned(),
        Blame::Unstable => {
            "the check is not stable: it does not say the same twice, so no step is blamed".to_owned()
        }
        Blame::FailsInCopy => {
            "in a copy of the project the check says something else even before the edits, so no step is blamed"
                .to_owned()
        }
        Blame::PassesInCopy => {
            "in a copy of the project the check finds nothing new, so no step is blamed".to_owned()
        }
        Blame::TriesUsedUp => {
            format!("not found in {tries}: allow more with `--tries`")
        }
    };
    writeln!(out, "{LOOK}{said}{LOOK:#}")?;
    needed(out, f)
}

fn blamed(out: &mut impl Write, f: &Findings, guilty: &[Guilty]) -> io::Result<()> {
    for g in guilty {
        let along = match g.along {
            0 => String::new(),
            n => format!(" (and {} that need it)", count(n, "edit")),
        };
        let errors = count(g.problems, "error");
        writeln!(
            out,
            "{BAD}step {} breaks the check{BAD:#}: without it{along} {errors} less",
            name(&g.step)
        )?;
    }
    needed(out, f)?;
    writeln!(out, "{DIM}found in {}, each verdict twice{DIM:#}", count(f.attempts.len(), "run"))
}

fn needed(out: &mut impl Write, f: &Findings) -> io::Result<()> {
    if f.needed.is_empty() {
        return Ok(());
    }
    writeln!(
        out,
        "{DIM}{} cannot be judged alone: without {} other errors come{DIM:#}",
        names(&f.needed),
        if f.needed.len() == 1 { "it" } else { "one of them" }
    )
}

/// What to do next.
fn next(v: &Verification) -> String {
    if v.after.is_none() {
        return match v.passed() {
            true => "`emendo apply`, then `emendo verify` again".into(),
            false => "mend what fails first, or go on: what is new will be told apart".into(),
        };
    }
    if v.passed() {
        return match v.ahead {
            true => "`emendo apply`".into(),
            false => "`emendo leftovers`, then `emendo report --as markdown`".into(),
        };
    }
    let guilty = v.findings.as_ref().and_then(|f| match &f.blame {
        Blame::Steps { guilty } => {
            let steps = guilty.iter().map(|g| format!("--step {}", g.step.step));
            Some(steps.collect::<Vec<_>>().join(" "))
        }
        _ => None,
    });
    match (guilty, v.ahead) {
        (Some(g), true) => format!("look at it: `emendo show {g}`"),
        (Some(g), false) => format!(
            "mend its places by hand, or take it out: `emendo undo`, `emendo reopen {g}`, `emendo reject {g}`, `emendo apply`"
        ),
        (None, _) if v.new.is_empty() => "what fails now failed before".into(),
        (None, _) => "the errors above, one by one".into(),
    }
}

/// One line for `status` and the like.
pub(crate) fn line(out: &mut impl Write, v: &Verification) -> io::Result<()> {
    let last = v.after.as_ref().or(v.before.as_ref());
    let time = last.map_or(String::new(), |r| crate::commands::status::when(r.time));
    writeln!(
        out,
        "check: {} {DIM}({}, {time}); `emendo verify --last`{DIM:#}",
        verdict(v),
        one_line(&v.command)
    )?;
    let blamed = v.findings.as_ref().map(|f| &f.blame);
    if let Some(Blame::Steps { guilty }) = blamed {
        let steps: Vec<StepKey> = guilty.iter().map(|g| g.step.clone()).collect();
        let word = if steps.len() == 1 { "step" } else { "steps" };
        writeln!(out, "       {BAD}broken by {word} {}{BAD:#}", names(&steps))?;
    }
    Ok(())
}
