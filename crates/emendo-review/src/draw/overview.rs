//! The overview: how big, how sure, what waits.

use std::collections::HashSet;

use emendo_core::Certainty;
use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::draw::canvas::Canvas;
use crate::input::Hit;
use crate::keys::Action;
use crate::state::filter::Kind;
use crate::state::items::{Item, State};
use crate::state::{Model, OverviewRow};

/// A column of the table of steps: its head, and which places of a step it counts.
type Column = (&'static str, fn(&Item) -> bool);

const COLUMNS: [Column; 8] = [
    ("edits", |i| i.is_edit()),
    ("waiting", |i| i.state.waits()),
    ("taken", |i| i.state.taken()),
    ("certain", |i| i.is_edit() && i.certainty == Some(Certainty::Certain)),
    ("likely", |i| i.is_edit() && i.certainty == Some(Certainty::Likely)),
    ("unsure", |i| i.is_edit() && i.certainty == Some(Certainty::Unsure)),
    ("notes", |i| matches!(i.state, State::ToDo)),
    ("old uses", |i| matches!(i.state, State::Remains)),
];

pub(crate) fn draw(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().list;
    // What comes first stays in sight with the cursor among the last.
    let mut lines = Lines { at, y: 0, skip: 0 };
    let cursor = cursor_line(m);
    let height = usize::from(at.height);
    lines.skip = (cursor + 3).saturating_sub(height);
    intro(m, c, &mut lines);
    if m.overview.is_empty() {
        lines.text(c, "The proposal holds nothing: no edit, no note, no leftover.", Style::new());
        return;
    }
    let kinds = m.overview.iter().take_while(|r| matches!(r, OverviewRow::Kind(..))).count();
    if at.height > 26 {
        lines.text(c, "", Style::new());
    }
    lines.text(c, "What needs you", c.look.title());
    for (i, row) in m.overview.iter().enumerate() {
        if i == kinds {
            lines.text(c, "", Style::new());
            lines.text(c, &table_head(m, at.width), c.look.title());
        }
        let (text, style) = match row {
            OverviewRow::Kind(kind, n) => {
                let style = match kind {
                    Kind::Cautions | Kind::Choices | Kind::Again => c.look.warns(),
                    Kind::Taken => c.look.come(),
                    Kind::OnPurpose => c.look.quiet(),
                    _ => Style::new(),
                };
                // These are among the undecided already.
                let among = matches!(kind, Kind::Cautions | Kind::Unsure | Kind::Likely);
                let says = kind.counted(*n);
                let text = match among {
                    true => format!(
                        "{:>10}  of these {}",
                        n,
                        says.trim_start_matches("undecided that ")
                    ),
                    false => format!("{n:>6}  {says}"),
                };
                (text, style)
            }
            OverviewRow::Step(s) => (step_row(m, *s, at.width), Style::new()),
        };
        let selected = i == m.overview_cursor;
        if let Some(y) = lines.next() {
            let line = Rect::new(at.x, y, at.width, 1);
            c.put(at.x + 1, y, at.width - 1, &text, style);
            if selected {
                c.line(line, c.look.cursor());
            }
            c.hits.push((line, Hit::Row(i)));
        }
        if let OverviewRow::Step(s) = row
            && let Some(step) = m.proposal.header.steps.get(*s)
            && let Some(caution) = &step.caution
        {
            let words = format!("    caution: {}", emendo_text::one_line(caution));
            lines.text(c, &words, c.look.warns());
        }
    }
}

/// The lines of the page, from the top; those that are scrolled away are counted only.
struct Lines {
    at: Rect,
    y: usize,
    skip: usize,
}

impl Lines {
    fn next(&mut self) -> Option<u16> {
        let row = self.y.checked_sub(self.skip);
        self.y += 1;
        let row = u16::try_from(row?).ok()?;
        (row < self.at.height).then_some(self.at.y + row)
    }

    fn text(&mut self, c: &mut Canvas<'_>, text: &str, style: Style) {
        if let Some(y) = self.next() {
            c.put(self.at.x + 1, y, self.at.width - 1, text, style);
        }
    }
}

/// The line of the page that the cursor is on.
fn cursor_line(m: &Model) -> usize {
    let kinds = m.overview.iter().take_while(|r| matches!(r, OverviewRow::Kind(..))).count();
    let cautions = m.overview.iter().take(m.overview_cursor).filter(|r| match r {
        OverviewRow::Step(s) => {
            m.proposal.header.steps.get(*s).is_some_and(|s| s.caution.is_some())
        }
        OverviewRow::Kind(..) => false,
    });
    let table = if m.overview_cursor >= kinds { 2 } else { 0 };
    4 + usize::from(m.check.is_some()) + m.overview_cursor + table + cautions.count()
}

fn intro(m: &Model, c: &mut Canvas<'_>, lines: &mut Lines) {
    let edits = m.items.iter().filter(|i| i.is_edit()).count();
    let files: HashSet<usize> =
        m.items.iter().filter(|i| i.is_edit()).filter_map(|i| i.file).collect();
    let sure =
        |c: Certainty| m.items.iter().filter(|i| i.is_edit() && i.certainty == Some(c)).count();
    let (certain, likely, unsure) =
        (sure(Certainty::Certain), sure(Certainty::Likely), sure(Certainty::Unsure));
    let says = format!(
        "{edits} edits in {} files: {certain} certain, {likely} likely, {unsure} unsure",
        files.len()
    );
    lines.text(c, &says, Style::new());
    let (waiting, taken, left, _) = m.tally();
    let all = (waiting + taken + left).max(1);
    let wide = usize::from(lines.at.width.saturating_sub(2)).min(60);
    let part = |n: usize| n * wide / all;
    let bar = format!(
        "{}{}{}",
        "#".repeat(part(taken)),
        "x".repeat(part(left)),
        ".".repeat(wide.saturating_sub(part(taken) + part(left)))
    );
    let apply = m.keys.shown(Action::Apply);
    lines.text(c, &bar, c.look.quiet());
    let says = match (waiting, taken) {
        (0, 0) => "Nothing waits, and nothing is taken.".to_owned(),
        (0, n) => format!("Nothing waits: {apply} writes the {n} that are taken."),
        (w, t) => format!("# {t} taken   x {left} left as it is   . {w} waiting"),
    };
    lines.text(c, &says, c.look.quiet());
    if let Some(check) = &m.check {
        lines.text(c, check, Style::new());
    }
}

/// The columns that are shown: those that hold something, as far as there is room.
fn columns(m: &Model, width: u16) -> Vec<&'static Column> {
    let some = |c: &&Column| m.items.iter().any(c.1);
    let room = usize::from(width).saturating_sub(LEAST_TITLE + 4) / 9;
    COLUMNS.iter().filter(some).take(room.max(2)).collect()
}

/// Fewest and most columns of a step's title.
const LEAST_TITLE: usize = 30;
const MOST_TITLE: usize = 64;

fn title_width(m: &Model, width: u16) -> usize {
    let room = usize::from(width).saturating_sub(9 * columns(m, width).len() + 4);
    let titles = m.proposal.header.steps.iter().map(|s| crate::cells::width(&s.title));
    room.min(titles.max().unwrap_or(0) + 2).clamp(LEAST_TITLE, MOST_TITLE)
}

fn table_head(m: &Model, width: u16) -> String {
    let heads: String = columns(m, width).iter().map(|c| format!("{:>9}", c.0)).collect();
    format!("{:<w$}{heads}", "Steps", w = title_width(m, width))
}

fn step_row(m: &Model, step: usize, width: u16) -> String {
    let title = m.proposal.header.steps.get(step).map_or("", |s| s.title.as_str());
    let wide = title_width(m, width);
    let title = crate::cells::fit(&emendo_text::one_line(title), wide - 2);
    let cells: String = columns(m, width)
        .iter()
        .map(|c| match m.items.iter().filter(|i| i.step == step && c.1(i)).count() {
            0 => format!("{:>9}", "-"),
            n => format!("{n:>9}"),
        })
        .collect();
    let pad = wide.saturating_sub(crate::cells::width(&title));
    format!("{title}{}{cells}", " ".repeat(pad))
}
