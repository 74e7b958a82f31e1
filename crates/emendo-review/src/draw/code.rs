//! The code of a place: old and new, with what each edit changed.

use ratatui::layout::Rect;
use ratatui::style::{Modifier, Style};

use crate::cells::{self, fit_end};
use crate::draw::canvas::Canvas;
use crate::input::Hit;
use crate::keys::Action;
use crate::layout::GUTTER;
use crate::place::{CodeRow, FileText, Sides, WouldText};
use crate::state::Model;
use crate::state::items::At;
use crate::state::rows::Row;

pub(crate) fn draw(m: &Model, c: &mut Canvas<'_>) {
    title(m, c);
    let at = m.areas().code;
    let Some(item) = m.current() else {
        heading(m, c);
        return;
    };
    let Some(text) = m.text(item) else {
        let words = if item.file.is_some() { "reading ..." } else { "it stands at no file" };
        c.put(at.x + 1, at.y, at.width.saturating_sub(1), words, c.look.quiet());
        return;
    };
    let mine = match item.at {
        At::Edit(_, e) => Some(e),
        _ => None,
    };
    let mut lines = Lines { m, text, mine, sides: m.sides() };
    let mut y = at.y;
    if text.changed {
        let words = "the file has changed since the proposal: propose again";
        c.put(at.x + 1, y, at.width.saturating_sub(1), words, c.look.warns());
        y += 1;
    }
    let room = (at.y + at.height).saturating_sub(y);
    let shown = m.code.rows.iter().enumerate().skip(m.code.top).take(usize::from(room));
    for (i, row) in shown {
        let line = Rect::new(at.x, y, at.width, 1);
        lines.row(c, line, row);
        c.hits.push((line, Hit::Code(i)));
        y += 1;
    }
}

/// What a heading stands for.
fn heading(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().code;
    let Some(Row::Head { all, waiting, .. }) = m.list.rows.get(m.list.cursor) else {
        let key = |a: Action| m.keys.shown(a);
        let (_, taken, ..) = m.tally();
        let says = [
            format!("{} goes to the overview", key(Action::Back)),
            format!("{} lists something else", key(Action::Filter)),
            format!("{} writes the {taken} that are taken", key(Action::Apply)),
        ];
        for (y, text) in (at.y + 1..).zip(&says) {
            c.put(at.x + 2, y, at.width.saturating_sub(2), text, Style::new());
        }
        return;
    };
    let says = format!("{all} places under this heading, {waiting} of them waiting");
    let more = m.keys.shown(Action::More);
    let next = format!("{more} decides on all of it at once; Enter folds it or opens it");
    c.put(at.x + 2, at.y, at.width.saturating_sub(2), &says, Style::new());
    c.put(at.x + 2, at.y + 1, at.width.saturating_sub(2), &next, c.look.quiet());
}

/// Which place it is.
fn title(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().title;
    c.rule(at, "");
    let Some(item) = m.current() else { return };
    let path = m.path(item).map_or_else(
        || "a note of the step".to_owned(),
        |p| emendo_text::visible_name(p.as_str()).into_owned(),
    );
    let state = item.state.word();
    let certainty = item.certainty.map_or("", |s| s.word());
    let room = usize::from(at.width).saturating_sub(state.len() + certainty.len() + 18);
    let place = match item.line {
        0 => path,
        n => format!("{}:{n}", fit_end(&path, room.max(12))),
    };
    let x = c.put(at.x + 1, at.y, at.width - 1, &format!(" {place} "), c.look.title());
    let x = c.put(
        x + 1,
        at.y,
        (at.x + at.width).saturating_sub(x + 1),
        &format!(" {state} "),
        c.look.standing(item.state),
    );
    let n = m.list.rows.len();
    let places = |rows: &[Row]| rows.iter().filter(|r| matches!(r, Row::Place { .. })).count();
    let nth = places(&m.list.rows[..(m.list.cursor + 1).min(n)]);
    let count = format!(" {nth} of {} ", places(&m.list.rows));
    let wide = count.len() as u16;
    c.put((at.x + at.width).saturating_sub(wide + 1), at.y, wide, &count, Style::new());
    if !certainty.is_empty() {
        let words = format!(" {certainty} ");
        c.put(x + 1, at.y, (at.x + at.width).saturating_sub(x + 1), &words, Style::new());
    }
}

struct Lines<'m> {
    m: &'m Model,
    text: &'m FileText,
    /// The edit that is looked at, by its number in the file.
    mine: Option<usize>,
    sides: Sides,
}

impl Lines<'_> {
    fn row(&mut self, c: &mut Canvas<'_>, at: Rect, row: &CodeRow) {
        match row {
            CodeRow::Fold(n) => {
                let words = format!("{}{n} unchanged lines", " ".repeat(usize::from(GUTTER)));
                c.put(at.x, at.y, at.width, &words, c.look.quiet().add_modifier(Modifier::ITALIC));
            }
            CodeRow::Line { old, new, changed, mine } => match self.sides {
                Sides::Beside => {
                    let half = at.width / 2;
                    let left = Rect { width: half.saturating_sub(1), ..at };
                    let right = Rect { x: at.x + half, width: at.width - half, ..at };
                    c.put(at.x + half - 1, at.y, 1, "\u{2502}", c.look.quiet());
                    if let Some(n) = old {
                        self.side(c, left, (false, *n), (*changed, *mine));
                    }
                    if let Some(n) = new {
                        self.side(c, right, (true, *n), (*changed, *mine));
                    }
                }
                _ => {
                    // Unchanged lines have the number that they have now, as an editor shows it.
                    let side = match (old, new) {
                        (Some(n), Some(_)) => (false, *n),
                        (None, Some(n)) => (true, *n),
                        (Some(n), None) => (false, *n),
                        (None, None) => return,
                    };
                    self.side(c, at, side, (*changed, *mine));
                }
            },
            CodeRow::Would { texts, label } => {
                let n = texts.len().max(1) as u16;
                let wide = at.width / n;
                for (i, text) in (0..n).zip(texts) {
                    let x = at.x + i * wide;
                    c.put(x, at.y, 1, if *label { ">" } else { "\u{2502}" }, c.look.warns());
                    // Alone it stands below the line that it would take the place of.
                    let indent = if n == 1 && !label { GUTTER } else { 2 };
                    let room = wide.saturating_sub(indent + 1);
                    let WouldText { text, differs } = text;
                    if *label {
                        c.put(x + indent, at.y, room, text, c.look.title());
                        continue;
                    }
                    let look = c.look;
                    let style = |byte: usize| match (differs.0..differs.1).contains(&byte) {
                        true => look.mark(true, true),
                        false => Style::new(),
                    };
                    let skip = self.m.code.left;
                    cells::code(c.buf, (x + indent, at.y, room), text, skip, &style);
                }
            }
        }
    }

    /// A line of one side: number, sign, text.
    fn side(
        &self,
        c: &mut Canvas<'_>,
        at: Rect,
        (new, n): (bool, u32),
        (changed, mine): (bool, bool),
    ) {
        let (sign, style) = match (changed, new) {
            (true, true) => ("+", c.look.come()),
            (true, false) => ("-", c.look.gone()),
            (false, _) => (" ", c.look.quiet()),
        };
        let pointer = if mine { ">" } else { " " };
        c.put(at.x, at.y, 1, pointer, c.look.warns());
        // Below one another the numbers of two texts would read as those of one.
        if !(new && self.sides == Sides::Below) {
            c.put(at.x + 1, at.y, GUTTER - 1, &format!("{n:>5}"), c.look.quiet());
        }
        c.put(at.x + 6, at.y, 1, sign, style.add_modifier(Modifier::BOLD));
        let lines = self.text.side(new);
        let classes = lines.classes(n);
        let marks = self.text.marks(new, n);
        let look = c.look;
        let text = lines.line(n);
        // A line that is changed as a whole is not marked where it is blank.
        let blank = text.len() - text.trim_start().len();
        let of_byte = |byte: usize| {
            if byte == usize::MAX {
                return look.quiet();
            }
            let here =
                |m: &&emendo_text::LineMark| (m.from as usize..m.to as usize).contains(&byte);
            // Where edits lie in one another, the one that is looked at is seen.
            let found = marks.iter().filter(here);
            let own = |m: &emendo_text::LineMark| self.mine == Some(m.by as usize);
            if byte >= blank
                && let Some(mark) = found.max_by_key(|m| own(m))
            {
                return look.mark(new, own(mark));
            }
            let i = classes.partition_point(|k| k.1 <= byte);
            let class = classes.get(i).filter(|k| k.0 <= byte);
            class.map_or_else(Style::new, |k| look.class(k.2))
        };
        let room = at.width.saturating_sub(GUTTER);
        cells::code(c.buf, (at.x + GUTTER, at.y, room), text, self.m.code.left, &of_byte);
    }
}
