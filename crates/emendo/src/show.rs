//! Words, colours and lines that several commands share.

use std::io;
use std::io::Write;
use std::process::ExitCode;

use anstyle::{AnsiColor, Style};
use emendo_core::{Certainty, Edit, Leftover, Note, Summary, Tally, WhyStop};
use emendo_report::LineRole;
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

/// A line of a diff.
pub(crate) fn line(out: &mut impl Write, kind: LineRole, text: &str) -> io::Result<()> {
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

/// What a table of steps holds.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Rows {
    /// All steps, with their reasons.
    All,
    /// All that change something or say something, without.
    Brief,
    /// Those of which something is open, without.
    Open,
}

/// A column of the table of steps: its head, and what of a step it counts.
type Column = (&'static str, fn(&Tally) -> usize);

const COLUMNS: [Column; 7] = [
    ("files", |t| t.files),
    ("edits", |t| t.edits),
    ("certain", |t| t.certain),
    ("likely", |t| t.likely),
    ("unsure", |t| t.unsure),
    ("notes", |t| t.notes),
    ("held back", |t| t.withheld),
];

/// A table of the steps. A column that would be empty is left out.
pub(crate) fn steps(out: &mut impl Write, s: &Summary, rows: Rows) -> io::Result<()> {
    let width =
        s.steps.iter().map(|t| t.step.key.step.chars().count()).max().unwrap_or(4).clamp(4, 24);
    let columns: Vec<&Column> = COLUMNS
        .iter()
        .enumerate()
        .filter(|(i, c)| *i < 3 || c.1(&s.total) > 0)
        .map(|c| c.1)
        .collect();
    let heads: String = columns.iter().map(|c| format!(" {:>5}", c.0)).collect();
    writeln!(out, "{BOLD}{:width$} {heads}  what it does{BOLD:#}", "step")?;
    let row = |out: &mut dyn Write, name: &str, t: &Tally, title: &str| {
        let cell = |c: &&Column| {
            let (n, w) = (c.1(t), c.0.len().max(5));
            format!(" {:>w$}", if n == 0 { "-".to_owned() } else { n.to_string() })
        };
        let cells: String = columns.iter().map(cell).collect();
        writeln!(out, "{}", format!("{name:width$} {cells}  {title}").trim_end())
    };
    for t in &s.steps {
        let some = t.tally.edits + t.tally.notes + t.tally.withheld > 0;
        if rows != Rows::All && !some {
            continue;
        }
        let mut title = one_line(&t.step.title);
        // The way to a step of an included recipe.
        if !t.step.chain.is_empty() {
            let way: Vec<String> = t.step.chain.iter().map(|r| one_line(r)).collect();
            title.push_str(&format!(" {DIM}({}){DIM:#}", way.join(" > ")));
        }
        row(out, &visible_name(&t.step.key.step), &t.tally, &title)?;
        if let Some(why) = t.step.why.as_ref().filter(|_| some && rows == Rows::All) {
            writeln!(out, "{:width$}  {DIM}why: {}{DIM:#}", "", one_line(why))?;
        }
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
    if t.kept > 0 {
        parts.push(format!("{} left as it is", t.kept));
    }
    if t.again > 0 {
        parts.push(format!("{} to decide again, since they say something else now", t.again));
    }
    writeln!(out, "{}", parts.join(", "))
}

/// One note.
pub(crate) fn note(out: &mut impl Write, n: &Note) -> io::Result<()> {
    let place = match (&n.path, n.line) {
        (Some(path), Some(line)) => format!("{}:{line}", visible_name(path.as_str())),
        _ => "the step itself".into(),
    };
    writeln!(
        out,
        "  {BOLD}{}{BOLD:#} {PLACE}{place}{PLACE:#} {DIM}[{}]{DIM:#} {}",
        n.id.short(8),
        visible_name(&n.step.step),
        one_line(&n.say)
    )?;
    if !n.source.is_empty() {
        writeln!(out, "      {DIM}{}{DIM:#}", one_line(&n.source))?;
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
    let also = match l.also.is_empty() {
        true => String::new(),
        false => format!("; also {}", one_line(&l.also.join(", "))),
    };
    writeln!(
        out,
        "  {BOLD}{}{BOLD:#} {PLACE}{place}{PLACE:#} {style}{word}{style:#} {DIM}{}{also}{DIM:#}",
        l.id.short(8),
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

/// Where an action stops at a line, further in by an indentation.
pub(crate) fn stop(out: &mut impl Write, s: &WhyStop, indent: &str) -> io::Result<()> {
    let (step, what) = (visible_name(&s.step.step), one_line(&s.what));
    writeln!(out, "{indent}{DIM}[{step} · {}]{DIM:#} {what}", s.action)?;
    writeln!(out, "{indent}    {LOOK}{}{LOOK:#}: {}", s.stage.word(), one_line(&s.says))
}

/// A time as the clock here shows it.
pub(crate) fn when(seconds: u64) -> String {
    let time = i64::try_from(seconds).ok().and_then(|s| jiff::Timestamp::from_second(s).ok());
    let local = time.map(|t| t.to_zoned(jiff::tz::TimeZone::system()));
    local.map_or_else(String::new, |t| t.strftime("%Y-%m-%d %H:%M").to_string())
}
