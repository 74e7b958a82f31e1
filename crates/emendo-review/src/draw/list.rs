//! The list: headings with their counts, places with how they stand.

use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::cells::{fit, fit_end, width};
use crate::draw::canvas::Canvas;
use crate::input::Hit;
use crate::state::items::Item;
use crate::state::rows::{Group, Row};
use crate::state::{Model, Page};

/// Columns of the word for how a place stands.
const WORD: usize = 9;

pub(crate) fn draw(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().list;
    if at.height == 0 || m.page == Page::Read {
        return;
    }
    if m.list.rows.is_empty() {
        let words = "nothing is left in this list";
        c.put(at.x + 1, at.y, at.width - 1, words, c.look.quiet());
    }
    let shown = m.list.rows.iter().enumerate().skip(m.list.top).take(usize::from(at.height));
    for (y, (i, row)) in (at.y..).zip(shown) {
        let line = Rect::new(at.x, y, at.width, 1);
        match row {
            Row::Head { depth, text, all, waiting, folded, .. } => {
                let sign = if *folded { "+" } else { "-" };
                let counts = match waiting {
                    0 => format!("{all}"),
                    n if n == all => format!("{all}"),
                    n => format!("{n} of {all}"),
                };
                let room = usize::from(at.width).saturating_sub(counts.len() + 2);
                let text = emendo_text::one_line(text);
                let text = format!("{}{sign} {text}", "  ".repeat(*depth));
                c.put(at.x, y, at.width, &fit(&text, room), c.look.title());
                let x = at.x + at.width.saturating_sub(counts.len() as u16 + 1);
                c.put(x, y, counts.len() as u16, &counts, c.look.quiet());
            }
            Row::Place { depth, item } => place(m, c, (line, *depth), &m.items[*item]),
        }
        if i == m.list.cursor {
            c.line(line, c.look.cursor());
        }
        c.hits.push((line, Hit::Row(i)));
    }
    // Between the list and the code beside it.
    if m.areas().code.x > 0 {
        for y in at.y..at.y + at.height {
            c.put(at.x + at.width, y, 1, "\u{2502}", c.look.quiet());
        }
    }
}

fn place(m: &Model, c: &mut Canvas<'_>, (at, depth): (Rect, usize), item: &Item) {
    let indent = (2 * depth).min(12) as u16;
    let x = at.x + indent;
    let room = at.width.saturating_sub(indent);
    let style = c.look.standing(item.state);
    let word = item.state.word();
    c.put(x, at.y, room, word, style);
    let x = x + WORD as u16;
    let room = usize::from(room).saturating_sub(WORD);
    let name = match (m.path(item), m.list.group) {
        (Some(_), Group::File) => format!("{:>4}", item.line),
        (Some(path), Group::Step) => {
            let path = emendo_text::visible_name(path.as_str());
            // Room for what stands there: the title has the whole path.
            let most = room.saturating_sub(22).max(room / 2);
            let name = if width(&path) + 6 > most { path.rsplit('/').next() } else { None };
            format!("{}:{}", fit_end(name.unwrap_or(&path), most), item.line)
        }
        (None, _) => "the step".into(),
    };
    let after = c.put(x, at.y, room as u16, &name, Style::new());
    let end = at.x + at.width;
    let mut from = after + 2;
    let sure = match item.certainty {
        Some(emendo_core::Certainty::Certain) | None => "",
        Some(other) => other.word(),
    };
    let unsure = item.certainty == Some(emendo_core::Certainty::Unsure);
    let sure_style = if unsure { c.look.warns() } else { Style::new() };
    let caution = if item.caution { "caution" } else { "" };
    for (words, style) in [(caution, c.look.warns()), (sure, sure_style)] {
        if !words.is_empty() && from < end {
            from = c.put(from, at.y, end - from, words, style) + 2;
        }
    }
    let left = end.saturating_sub(from);
    if left > 6 {
        let text = m.excerpt(item.at);
        c.put(from, at.y, left, &text, c.look.quiet());
    }
}
