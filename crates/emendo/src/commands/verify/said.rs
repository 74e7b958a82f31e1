//! What a verification says, in words.

use std::io::{self, Write};

use emendo_core::{Session, StepKey};
use emendo_text::{one_line, visible_name};
use emendo_verify::{
    Blame, CheckResult, Findings, Guilty, Near, PlacedProblem, Verification, gathered,
};

use crate::show::{self, BAD, BOLD, DIM, GOOD, LOOK, PLACE, count};

/// Problems that are shown of one group.
const FEW: usize = 8;

pub(super) fn name(step: &StepKey) -> String {
    format!("`{}`", visible_name(&step.step))
}

pub(super) fn names(steps: &[StepKey]) -> String {
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
    writeln!(out, "next: {}", next(v, session.proposal()?.is_some()))?;
    Ok(())
}

fn result(out: &mut impl Write, when: &str, r: &CheckResult) -> io::Result<()> {
    let where_ = if r.in_copy { ", in a copy" } else { "" };
    let time = show::when(r.time);
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
    if f.unfinished {
        let more = 2 * f.attempts.len();
        writeln!(
            out,
            "{LOOK}the tries are used up{LOOK:#}: there may be others; `--tries {more}` looks on"
        )?;
    }
    if f.unexplained > 0 {
        let n = count(f.unexplained, "error");
        writeln!(out, "{LOOK}{n} stay without any one of these{LOOK:#}: look at their places")?;
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
fn next(v: &Verification, proposed: bool) -> String {
    if v.after.is_none() {
        return match v.passed() {
            true if !proposed => "`emendo propose RECIPE`".into(),
            true => "`emendo apply`, then `emendo verify` again; or first `emendo verify --ahead`, which tries what is accepted in a copy".into(),
            false => "mend what fails first, or go on: what is new will be told apart".into(),
        };
    }
    if v.passed() {
        return match v.ahead {
            true => "`emendo apply`".into(),
            false => "`emendo leftovers`, then `emendo report --as markdown`".into(),
        };
    }
    let guilty: Vec<String> =
        v.guilty().iter().map(|g| format!("--step {}", g.step.step)).collect();
    let guilty = (!guilty.is_empty()).then(|| guilty.join(" "));
    match (guilty, v.ahead) {
        (Some(g), true) => format!("look at it: `emendo show {g}`"),
        (Some(g), false) => format!(
            "mend its places by hand, or take it out: `emendo undo`, `emendo reopen {g}`, `emendo reject {g}`, `emendo apply`"
        ),
        (None, _) if v.new.is_empty() => "what fails now failed before".into(),
        (None, _) => "the errors above, one by one".into(),
    }
}

fn guilty_steps(v: &Verification) -> Vec<StepKey> {
    v.guilty().iter().map(|g| g.step.clone()).collect()
}

/// The same in one line without colours.
pub(crate) fn plain_line(v: &Verification) -> String {
    let verdict = anstream::adapter::strip_str(&verdict(v)).to_string();
    let steps = guilty_steps(v);
    let by = if steps.is_empty() { String::new() } else { format!(", by {}", names(&steps)) };
    format!("Check: {verdict}{by} ({})", one_line(&v.command))
}

/// One line for `status` and the like.
pub(crate) fn line(out: &mut impl Write, v: &Verification) -> io::Result<()> {
    let last = v.after.as_ref().or(v.before.as_ref());
    let time = last.map_or(String::new(), |r| show::when(r.time));
    writeln!(
        out,
        "check: {} {DIM}({}, {time}); `emendo verify --last`{DIM:#}",
        verdict(v),
        one_line(&v.command)
    )?;
    let steps = guilty_steps(v);
    if !steps.is_empty() {
        let word = if steps.len() == 1 { "step" } else { "steps" };
        writeln!(out, "       {BAD}broken by {word} {}{BAD:#}", names(&steps))?;
    }
    Ok(())
}
