//! How proposals and decisions look in a terminal.

use std::io;
use std::io::Write;
use std::process::ExitCode;

use anstyle::{AnsiColor, Style};
use emendo_core::SkipReason;
use emendo_core::{
    Certainty, Counts, Decisions, Edit, Leftover, Note, Proposal, Standing, Status, Summary, Tally,
};
use emendo_report::{LineRole, diff};
use emendo_text::{one_line, visible_name};

pub(crate) const BOLD: Style = Style::new().bold();
pub(crate) const DIM: Style = Style::new().dimmed();
pub(crate) const GOOD: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Green)));
pub(crate) const BAD: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Red)));
pub(crate) const LOOK: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Yellow)));
pub(crate) const PLACE: Style = Style::new().fg_color(Some(anstyle::Color::Ansi(AnsiColor::Cyan)));

/// `1 file`, `2 files`.
pub(crate) fn count(n: usize, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

/// The whole proposal: summary, notes, what is held back, choices, and the diff.
pub(crate) fn proposal(
    out: &mut impl Write,
    p: &Proposal,
    s: &Summary,
    d: &Decisions,
    with_diff: bool,
) -> io::Result<()> {
    for r in &p.header.recipes {
        writeln!(out, "{BOLD}{}{BOLD:#} {DIM}({}){DIM:#}", one_line(&r.title), one_line(&r.id))?;
    }
    counts(out, &p.trailer.counts)?;
    writeln!(out)?;
    steps(out, s)?;
    left_out(out, p)?;
    notes(out, p)?;
    held_back(out, p, d)?;
    choices(out, p, d)?;
    leftovers(out, p)?;
    if with_diff && p.files.iter().any(|f| !f.hunks.is_empty()) {
        writeln!(out)?;
        for f in &p.files {
            diff(f, d, &mut |l| line(out, l.kind, &l.text))?;
        }
    }
    Ok(())
}

/// Files that a tool works out of manifests that change: they are not edited.
pub(crate) fn locks(out: &mut impl Write, locks: &[emendo_core::Lock]) -> io::Result<()> {
    for l in locks {
        let path = emendo_text::visible_name(l.path.as_str());
        writeln!(
            out,
            "{LOOK}lock file{LOOK:#}: {path} is not edited; `{}` refreshes it",
            l.refresh
        )?;
    }
    Ok(())
}

fn line(out: &mut impl Write, kind: LineRole, text: &str) -> io::Result<()> {
    let style = match kind {
        LineRole::File => BOLD,
        LineRole::Hunk => PLACE,
        LineRole::Edit => DIM,
        LineRole::Same => Style::new(),
        LineRole::Removed => BAD,
        LineRole::Added => GOOD,
    };
    writeln!(out, "{style}{text}{style:#}")
}

fn counts(out: &mut impl Write, c: &Counts) -> io::Result<()> {
    let mut text =
        format!("{} in the project, {} looked into", count(c.files as usize, "file"), c.candidates);
    if c.with_errors > 0 {
        text.push_str(&format!(
            ", {} with syntax errors (handled where they are sound)",
            c.with_errors
        ));
    }
    let skipped: Vec<String> =
        c.skipped.iter().map(|(why, n)| format!("{n} {}", why.word())).collect();
    if !skipped.is_empty() {
        text.push_str(&format!("; passed over: {}", skipped.join(", ")));
    }
    writeln!(out, "{DIM}{text}{DIM:#}")?;
    for why in [SkipReason::Wide, SkipReason::Unreadable, SkipReason::Slow] {
        let Some(files) = c.passed.get(&why) else { continue };
        let named: Vec<_> = files.iter().take(5).map(|f| visible_name(f)).collect();
        let more = if files.len() > 5 { ", ..." } else { "" };
        writeln!(out, "{LOOK}not read{LOOK:#} ({}): {}{more}", why.word(), named.join(", "))?;
    }
    Ok(())
}

/// A table of the steps.
pub(crate) fn steps(out: &mut impl Write, s: &Summary) -> io::Result<()> {
    let width =
        s.steps.iter().map(|t| t.step.key.step.chars().count()).max().unwrap_or(4).clamp(4, 24);
    writeln!(
        out,
        "{BOLD}{:width$}  {:>5} {:>5}  {:>7} {:>6} {:>6}  {:>5} {:>9}  what it does{BOLD:#}",
        "step", "files", "edits", "certain", "likely", "unsure", "notes", "held back"
    )?;
    let row = |out: &mut dyn Write, name: &str, t: &Tally, title: &str| {
        let n = |n: usize| if n == 0 { "-".to_owned() } else { n.to_string() };
        writeln!(
            out,
            "{name:width$}  {:>5} {:>5}  {:>7} {:>6} {:>6}  {:>5} {:>9}  {title}",
            n(t.files),
            n(t.edits),
            n(t.certain),
            n(t.likely),
            n(t.unsure),
            n(t.notes),
            n(t.withheld)
        )
    };
    for t in &s.steps {
        let mut title = one_line(&t.step.title);
        // The way to a step of an included recipe.
        if !t.step.chain.is_empty() {
            let way: Vec<String> = t.step.chain.iter().map(|r| one_line(r)).collect();
            title.push_str(&format!(" {DIM}({}){DIM:#}", way.join(" > ")));
        }
        row(out, &visible_name(&t.step.key.step), &t.tally, &title)?;
        if let Some(caution) = t.step.caution.as_ref().filter(|_| t.tally.edits > 0) {
            writeln!(out, "{:width$}  {LOOK}caution: {}{LOOK:#}", "", one_line(caution))?;
        }
    }
    row(out, "all", &s.total, "")?;
    decided(out, &s.total)
}

/// One line on how the decisions stand.
pub(crate) fn decided(out: &mut impl Write, t: &Tally) -> io::Result<()> {
    if t.edits == 0 {
        return writeln!(out, "nothing to change");
    }
    let mut parts = vec![
        format!("{} accepted", t.accepted),
        format!("{} rejected", t.rejected),
        format!("{} undecided", t.undecided),
    ];
    if t.again > 0 {
        parts.push(format!("{} to decide again, since they say something else now", t.again));
    }
    writeln!(out, "{}", parts.join(", "))
}

/// Recipes whose steps wait for something.
fn left_out(out: &mut impl Write, p: &Proposal) -> io::Result<()> {
    if p.trailer.left_out.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{BOLD}Left out: recipes that cannot run yet{BOLD:#}")?;
    for m in &p.trailer.left_out {
        writeln!(out, "  {}: {}", visible_name(&m.recipe), one_line(&m.says))?;
        writeln!(out, "      {DIM}{}{DIM:#}", one_line(&m.help))?;
    }
    Ok(())
}

fn notes(out: &mut impl Write, p: &Proposal) -> io::Result<()> {
    let mut first = true;
    for n in p.notes() {
        if std::mem::take(&mut first) {
            writeln!(out, "\n{BOLD}Notes: places to look at by hand{BOLD:#}")?;
        }
        note(out, n)?;
    }
    Ok(())
}

/// One note.
pub(crate) fn note(out: &mut impl Write, n: &Note) -> io::Result<()> {
    let place = match (&n.path, n.line) {
        (Some(path), Some(line)) => format!("{}:{line}", visible_name(path.as_str())),
        _ => "the step itself".into(),
    };
    writeln!(
        out,
        "  {PLACE}{place}{PLACE:#} {DIM}[{}]{DIM:#} {}",
        visible_name(&n.step.step),
        one_line(&n.say)
    )?;
    if !n.source.is_empty() {
        writeln!(out, "      {DIM}{}{DIM:#}", one_line(&n.source))?;
    }
    Ok(())
}

fn held_back(out: &mut impl Write, p: &Proposal, d: &Decisions) -> io::Result<()> {
    let mut first = true;
    for e in p.decidable() {
        let Standing::Withheld(why) = &e.standing else { continue };
        if d.status(e) == Status::Rejected {
            continue;
        }
        if std::mem::take(&mut first) {
            writeln!(out, "\n{BOLD}Held back{BOLD:#}")?;
        }
        writeln!(out, "  {} {}", head(e), one_line(why))?;
        writeln!(out, "      {DIM}{}{DIM:#}", one_line(&e.before))?;
    }
    Ok(())
}

/// How many leftovers are shown with a proposal; `leftovers` lists all.
const LEFT: usize = 12;

/// What stays of the old API when all edits are in.
fn leftovers(out: &mut impl Write, p: &Proposal) -> io::Result<()> {
    let all: Vec<_> = p.leftovers().collect();
    if all.is_empty() {
        return Ok(());
    }
    writeln!(
        out,
        "\n{BOLD}Leftovers: {} of the old API that no edit covers{BOLD:#}",
        count(all.len(), "place")
    )?;
    for (path, l) in all.iter().take(LEFT) {
        place(out, path, l)?;
    }
    if all.len() > LEFT {
        writeln!(
            out,
            "  {DIM}and {} more: `emendo leftovers` lists them{DIM:#}",
            all.len() - LEFT
        )?;
    }
    Ok(())
}

fn choices(out: &mut impl Write, p: &Proposal, d: &Decisions) -> io::Result<()> {
    let mut first = true;
    for e in p.decidable().filter(|e| !e.options.is_empty()) {
        if matches!(d.status(e), Status::Accepted(_) | Status::Rejected) {
            continue;
        }
        if std::mem::take(&mut first) {
            writeln!(out, "\n{BOLD}Choices: pick with `emendo choose --edit ID LABEL`{BOLD:#}")?;
        }
        writeln!(out, "  {} {DIM}{}{DIM:#}", head(e), one_line(&e.before))?;
        for o in &e.options {
            let why = o
                .why
                .as_ref()
                .map(|w| format!(" {DIM}({}){DIM:#}", one_line(w)))
                .unwrap_or_default();
            let text =
                if o.after == e.before { "leave it as it is".into() } else { one_line(&o.after) };
            writeln!(out, "      {BOLD}{}{BOLD:#}: {text}{why}", one_line(&o.label))?;
        }
    }
    Ok(())
}

/// Id, place and step of an edit.
pub(crate) fn head(e: &Edit) -> String {
    format!(
        "{BOLD}{}{BOLD:#} {PLACE}{}:{}{PLACE:#} {DIM}[{} · {}]{DIM:#}",
        e.id.short(8),
        visible_name(e.path.as_str()),
        e.line,
        visible_name(&e.step.step),
        e.certainty.word()
    )
}

/// One leftover.
pub(crate) fn place(
    out: &mut impl Write,
    path: &emendo_text::RelPath,
    l: &Leftover,
) -> io::Result<()> {
    let style = if l.certainty == Certainty::Certain { GOOD } else { LOOK };
    let word = l.certainty.word();
    let place = format!("{}:{}", visible_name(path.as_str()), l.line);
    writeln!(
        out,
        "  {PLACE}{place}{PLACE:#} {style}{word}{style:#} {DIM}{}{DIM:#}",
        one_line(&l.why)
    )?;
    writeln!(out, "      {}", one_line(&l.source))
}

/// Shows a value as JSON; nothing else is to be said.
pub(crate) fn json(out: &mut impl Write, value: &serde_json::Value) -> anyhow::Result<ExitCode> {
    emendo_report::json::write(&mut *out, value)?;
    writeln!(out)?;
    Ok(ExitCode::SUCCESS)
}
