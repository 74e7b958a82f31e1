//! The reasons of a place.

use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::cells::wrap;
use crate::draw::canvas::Canvas;
use crate::input::Hit;
use crate::keys::Action;
use crate::reasons::{Tone, reasons};
use crate::state::Model;

pub(crate) fn draw(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().why;
    if at.height < 2 {
        return;
    }
    c.rule(Rect { height: 1, ..at }, "why");
    let room = at.height - 1;
    let width = usize::from(at.width.saturating_sub(3));
    let all = reasons(m);
    let mut lines: Vec<(usize, String, bool)> = Vec::new();
    for (i, r) in all.iter().enumerate() {
        for (n, line) in wrap(&r.text, width).into_iter().enumerate() {
            lines.push((i, line, n == 0));
        }
    }
    // The line under the cursor is in sight.
    let at_cursor = m.why.and_then(|cursor| lines.iter().rposition(|l| l.0 == cursor));
    let top = at_cursor.map_or(0, |row| (row + 1).saturating_sub(usize::from(room)));
    let hidden = lines.len().saturating_sub(top + usize::from(room));
    for (y, (i, line, first)) in (at.y + 1..).zip(lines.iter().skip(top).take(usize::from(room))) {
        let r = &all[*i];
        let style = match r.tone {
            Tone::Title => c.look.title(),
            Tone::Plain if r.jump.is_some() => c.look.link(),
            Tone::Plain => Style::new(),
            Tone::Quiet => c.look.quiet(),
            Tone::Warns => c.look.warns(),
        };
        let here = Rect::new(at.x, y, at.width, 1);
        if *first && r.jump.is_some() {
            c.put(at.x, y, 1, "\u{2192}", c.look.link());
        }
        c.put(at.x + 2, y, at.width.saturating_sub(2), line, style);
        if m.why == Some(*i) {
            c.line(here, c.look.cursor());
        }
        c.hits.push((here, Hit::Why(*i)));
    }
    if hidden > 0 && m.why.is_none() {
        let words = format!(" {hidden} more: {} ", m.keys.shown(Action::Why));
        let wide = words.chars().count() as u16;
        let x = (at.x + at.width).saturating_sub(wide + 1);
        c.put(x, at.y, wide, &words, c.look.title());
    }
}
