//! The windows in front of the page.

use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::cells::{fit_end, width, wrap};
use crate::draw::canvas::Canvas;
use crate::input::Hit;
use crate::keys::{ACTIONS, Action};
use crate::state::scope::files;
use crate::state::{ApplyPlan, FilterRow, LineInput, Model, Popup};

pub(crate) fn draw(m: &Model, c: &mut Canvas<'_>) {
    let Some(popup) = &m.popup else { return };
    match popup {
        Popup::Help { top } => help(m, c, *top),
        Popup::More { scopes, cursor } => more(m, c, scopes, *cursor),
        Popup::Filter { rows, cursor } => filter(m, c, rows, *cursor),
        Popup::Find { line } => {
            let inside = window(c, (70, 3), "find a word; empty lists all again");
            input(c, inside, line);
            foot(c, inside, 2, "Enter lists what mentions it   Esc back");
        }
        Popup::Reword { line, refused, .. } => reword(c, line, refused.as_deref()),
        Popup::Apply(plan) => apply(m, c, plan),
        Popup::Text { title, lines, top } => {
            let inside = window(c, (84, lines.len() as u16 + 2), title);
            let room = inside.height.saturating_sub(1);
            for (y, line) in (inside.y..inside.y + room).zip(lines.iter().skip(*top)) {
                c.put(inside.x, y, inside.width, line, Style::new());
            }
            foot(c, inside, inside.height - 1, "Enter goes on");
        }
    }
}

/// An empty window in the middle, of this size or as large as there is room; gives its inside.
fn window(c: &mut Canvas<'_>, (w, h): (u16, u16), title: &str) -> Rect {
    let screen = c.buf.area;
    let (w, h) = ((w + 4).min(screen.width), (h + 2).min(screen.height));
    let at = Rect::new((screen.width - w) / 2, (screen.height - h) / 2, w, h);
    for y in at.y..at.y + h {
        let inner = w.saturating_sub(2);
        let (left, fill, right) = match y {
            y if y == at.y => ("\u{250c}", "\u{2500}", "\u{2510}"),
            y if y == at.y + h - 1 => ("\u{2514}", "\u{2500}", "\u{2518}"),
            _ => ("\u{2502}", " ", "\u{2502}"),
        };
        let line = format!("{left}{}{right}", fill.repeat(usize::from(inner)));
        for x in at.x..at.x + w {
            if let Some(cell) = c.buf.cell_mut((x, y)) {
                cell.reset();
            }
        }
        c.buf.set_stringn(at.x, y, line, usize::from(w), Style::new());
    }
    let title = format!(" {title} ");
    c.put(at.x + 2, at.y, w.saturating_sub(4), &title, c.look.title());
    Rect::new(at.x + 2, at.y + 1, w.saturating_sub(4), h.saturating_sub(2))
}

/// A line of keys in a window.
fn foot(c: &mut Canvas<'_>, inside: Rect, row: u16, text: &str) {
    let y = inside.y + row.min(inside.height.saturating_sub(1));
    c.put(inside.x, y, inside.width, text, c.look.quiet());
}

/// A line that is typed, with the cursor in it.
fn input(c: &mut Canvas<'_>, inside: Rect, line: &LineInput) {
    let room = usize::from(inside.width).max(4);
    let column = width(&line.text[..line.at]);
    let skip = (column + 2).saturating_sub(room);
    let style = c.look.strong();
    crate::cells::code(c.buf, (inside.x, inside.y, inside.width), &line.text, skip, &|_| style);
    let x = inside.x + (column - skip.min(column)) as u16;
    c.line(Rect::new(x, inside.y, 1, 1), c.look.cursor());
}

fn help(m: &Model, c: &mut Canvas<'_>, top: usize) {
    let mut lines: Vec<(String, String)> =
        ACTIONS.iter().map(|r| (m.keys.all(r.action), r.says.to_owned())).collect();
    lines.push((String::new(), String::new()));
    for text in [
        "Every decision is kept at once: stop when you like, and go on later.",
        "A place is certain, likely or unsure: how sure it is that the place is what the recipe means.",
        "In the code > points at the place; what this edit changes is reversed, what others change underlined.",
        "Keys can be changed: [keys] in emendo.toml, by the words take, leave, later, reword, more, ...",
    ] {
        for (i, line) in wrap(text, 66).into_iter().enumerate() {
            lines.push((if i == 0 { "\u{00b7}".into() } else { String::new() }, line));
        }
    }
    let inside = window(c, (80, lines.len() as u16), "keys");
    let last = lines.len().saturating_sub(usize::from(inside.height));
    let top = top.min(last);
    for (y, (key, says)) in (inside.y..inside.y + inside.height).zip(lines.iter().skip(top)) {
        let style = if says.is_empty() { Style::new() } else { c.look.strong() };
        c.put(inside.x, y, 14, &format!("{key:>13}"), style);
        c.put(inside.x + 15, y, inside.width.saturating_sub(15), says, Style::new());
    }
    let below = last - top;
    if below > 0 {
        let words = format!(" {below} more lines: \u{2193} ");
        let y = inside.y + inside.height;
        c.put(inside.x, y, inside.width, &words, c.look.title());
    }
}

fn more(m: &Model, c: &mut Canvas<'_>, scopes: &[crate::state::scope::Scope], cursor: usize) {
    let chosen = scopes.get(cursor);
    let shown = chosen.map_or(0, |s| s.places.len());
    let rows = scopes.len() as u16;
    let height = rows + 2 + (shown as u16).min(12) + 3;
    let inside = window(c, (96, height), "decide on more at once");
    for (i, s) in scopes.iter().enumerate() {
        let Ok(row) = u16::try_from(i) else { break };
        if row >= inside.height {
            break;
        }
        let waiting = s.places.iter().filter(|p| m.items[**p].state.waits()).count();
        let n = match (s.places.len(), files(&m.items, &s.places)) {
            (1, _) => "1".to_owned(),
            (n, 0 | 1) => format!("{n}"),
            (n, f) => format!("{n} in {f} files"),
        };
        let text = format!("{n:>18}  {}", s.says);
        let line = Rect::new(inside.x, inside.y + row, inside.width, 1);
        let x = c.put(inside.x, line.y, inside.width, &text, Style::new());
        let decided = s.places.len() - waiting;
        if decided > 0 {
            let words = format!("({decided} decided before)");
            c.put(
                x + 1,
                line.y,
                (inside.x + inside.width).saturating_sub(x + 1),
                &words,
                c.look.quiet(),
            );
        }
        if i == cursor {
            c.line(line, c.look.cursor());
        }
        c.hits.push((line, Hit::Choice(i)));
    }
    let Some(chosen) = chosen else { return };
    let mut y = inside.y + rows;
    let end = inside.y + inside.height - 1;
    let rule = Rect::new(inside.x, y, inside.width, 1);
    if y < end {
        c.rule(rule, "these places");
    }
    y += 1;
    let room = usize::from(end.saturating_sub(y));
    let most = if shown > room { room.saturating_sub(1) } else { room };
    for i in chosen.places.iter().take(most) {
        let item = &m.items[*i];
        let path = m.path(item).map_or_else(
            || "the step".to_owned(),
            |p| format!("{}:{}", fit_end(&emendo_text::visible_name(p.as_str()), 44), item.line),
        );
        let x = c.put(inside.x, y, 10, item.state.word(), c.look.standing(item.state));
        let x =
            c.put(x.max(inside.x + 10), y, inside.width.saturating_sub(10), &path, Style::new());
        let left = (inside.x + inside.width).saturating_sub(x + 2);
        c.put(x + 2, y, left, &m.excerpt(item.at), c.look.quiet());
        y += 1;
    }
    if shown > most {
        c.put(inside.x, y, inside.width, &format!("... and {} more", shown - most), c.look.quiet());
    }
    let caution =
        chosen.places.iter().filter_map(|i| m.edit(&m.items[*i])).find_map(|e| e.caution.as_ref());
    let caution = match caution {
        Some(text) => format!("caution: {}   ", emendo_text::one_line(text)),
        None => String::new(),
    };
    let key = |a: Action| m.keys.shown(a);
    let choice =
        chosen.places.iter().any(|i| m.edit(&m.items[*i]).is_some_and(|e| !e.options.is_empty()));
    let pick = if choice { "   1-9 pick" } else { "" };
    let keys = format!(
        "{} take   {} leave   {} open again{pick}   {} back",
        key(Action::Take),
        key(Action::Leave),
        key(Action::Reopen),
        key(Action::Back)
    );
    if !caution.is_empty() && end > inside.y + rows + 1 {
        let at = end - 1;
        for x in inside.x..inside.x + inside.width {
            if let Some(cell) = c.buf.cell_mut((x, at)) {
                cell.reset();
            }
        }
        c.put(inside.x, at, inside.width, &caution, c.look.warns());
    }
    foot(c, inside, inside.height - 1, &keys);
}

fn filter(m: &Model, c: &mut Canvas<'_>, rows: &[(FilterRow, usize)], cursor: usize) {
    let inside = window(c, (64, rows.len() as u16 + 1), "list only ...");
    let room = usize::from(inside.height.saturating_sub(1)).max(1);
    let top = (cursor + 1).saturating_sub(room);
    for (y, (i, (row, n))) in (inside.y..).zip(rows.iter().enumerate().skip(top).take(room)) {
        let says = match row {
            FilterRow::Kind(kind) => kind.says().to_owned(),
            FilterRow::Step(s) => {
                let step = m.proposal.header.steps.get(*s);
                let title = step.map_or(String::new(), |s| emendo_text::one_line(&s.title));
                format!("step: {title}")
            }
        };
        let line = Rect::new(inside.x, y, inside.width, 1);
        let style = if *n == 0 { c.look.quiet() } else { Style::new() };
        c.put(inside.x, y, inside.width, &format!("{n:>6}  {says}"), style);
        if i == cursor {
            c.line(line, c.look.cursor());
        }
        c.hits.push((line, Hit::Choice(i)));
    }
    foot(c, inside, inside.height - 1, "Enter lists these   Esc back");
}

fn reword(c: &mut Canvas<'_>, line: &LineInput, refused: Option<&str>) {
    let why = refused.map_or_else(Vec::new, |r| wrap(r, 90));
    let height = 4 + why.len() as u16;
    let inside = window(c, (94, height), "in your own words: what stands in the place instead");
    input(c, inside, line);
    for (y, text) in (inside.y + 2..).zip(&why) {
        c.put(inside.x, y, inside.width, text, c.look.warns());
    }
    let row = inside.height - 1;
    foot(
        c,
        inside,
        row,
        "Enter takes it, if the file still parses   Ctrl-e in your editor   Esc back",
    );
}

fn apply(m: &Model, c: &mut Canvas<'_>, plan: &ApplyPlan) {
    let mut lines: Vec<(String, Style)> = Vec::new();
    let counted = |n: usize, one: &str| match n {
        1 => format!("1 {one}"),
        n => format!("{n} {one}s"),
    };
    lines.push((
        format!("Writes {} in {}.", counted(plan.edits, "edit"), counted(plan.files, "file")),
        c.look.strong(),
    ));
    if plan.waiting > 0 {
        let n = counted(plan.waiting, "edit");
        lines.push((format!("{n} wait for a decision: they are not written."), Style::new()));
    }
    lines.push(("All of it is written, or nothing; an undo takes it back.".into(), Style::new()));
    lines.push((String::new(), Style::new()));
    let keys = match &plan.dirty {
        None => "looking for changes of your own ...".to_owned(),
        Some(Ok(dirty)) if dirty.is_empty() => {
            lines.push(("None of these files has changes of your own.".into(), Style::new()));
            format!("Enter writes   {} back", m.keys.shown(Action::Back))
        }
        Some(found) => {
            let warns = c.look.warns();
            match found {
                Ok(dirty) => {
                    let n = counted(dirty.len(), "file");
                    lines.push((
                        format!("{n} with changes of your own that are in no commit:"),
                        warns,
                    ));
                    for p in dirty.iter().take(8) {
                        let name = emendo_text::visible_name(p.as_str()).into_owned();
                        lines.push((format!("  {name}"), Style::new()));
                    }
                    if dirty.len() > 8 {
                        lines.push((format!("  ... and {} more", dirty.len() - 8), Style::new()));
                    }
                }
                Err(why) => {
                    lines.push((format!("{why}: your own changes cannot be told apart."), warns));
                }
            }
            lines.push((
                "Better commit them first: then both can be told apart.".into(),
                Style::new(),
            ));
            format!(
                "{} writes all the same   {} back",
                m.keys.shown(Action::Apply),
                m.keys.shown(Action::Back)
            )
        }
    };
    let inside = window(c, (76, lines.len() as u16 + 2), "apply");
    for (y, (text, style)) in (inside.y..inside.y + inside.height).zip(&lines) {
        c.put(inside.x, y, inside.width, text, *style);
    }
    foot(c, inside, inside.height - 1, &keys);
}
