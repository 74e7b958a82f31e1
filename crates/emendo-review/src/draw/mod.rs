//! Drawing: from the state into a buffer. Nothing is told by colour alone.

mod canvas;
mod code;
mod list;
mod look;
mod overview;
mod popup;
mod why;

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

pub use look::Look;

use crate::draw::canvas::Canvas;
use crate::input::Hit;
use crate::keys::{Action, Code, Key};
use crate::state::items::{At, State};
use crate::state::{Model, Page, Popup};

/// Smallest screen on which something can be read.
const LEAST: (u16, u16) = (40, 10);

/// Draws the screen; gives what can be clicked on.
pub fn draw(m: &Model, look: Look, buf: &mut Buffer) -> Vec<(Rect, Hit)> {
    buf.reset();
    let size = (buf.area.width, buf.area.height);
    let mut c = Canvas { buf, look, hits: Vec::new() };
    if size.0 < LEAST.0 || size.1 < LEAST.1 {
        let words = format!("the window needs {} columns and {} lines", LEAST.0, LEAST.1);
        c.put(0, 0, size.0, &words, Style::new());
        return c.hits;
    }
    head(m, &mut c);
    match m.page {
        Page::Overview => overview::draw(m, &mut c),
        _ => {
            list::draw(m, &mut c);
            code::draw(m, &mut c);
            why::draw(m, &mut c);
        }
    }
    message(m, &mut c);
    keys(m, &mut c);
    if m.popup.is_some() {
        // What lies behind a window is not to be clicked on.
        c.hits.clear();
        popup::draw(m, &mut c);
    }
    c.hits
}

/// The first line: the recipes, and how far the review is.
fn head(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().head;
    let style = c.look.bar();
    c.line(at, style);
    let titles: Vec<String> =
        m.proposal.header.recipes.iter().map(|r| emendo_text::one_line(&r.title)).collect();
    let (waiting, taken, left, held) = m.tally();
    let mut counts = format!("{waiting} waiting \u{00b7} {taken} taken \u{00b7} {left} left");
    if held > 0 {
        counts.push_str(&format!(" \u{00b7} {held} held"));
    }
    let width = u16::try_from(counts.chars().count()).unwrap_or(0) + 1;
    let room = at.width.saturating_sub(width + 2);
    let what = match m.page {
        Page::Overview => titles.join(", "),
        _ => format!("{}: {}", titles.join(", "), m.list.filter.says(&m.proposal)),
    };
    c.put(at.x + 1, at.y, room, &what, style);
    c.put(at.width.saturating_sub(width), at.y, width, &counts, style);
}

/// What was done last, or what is at work.
fn message(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().message;
    let works = match (m.work.busy, m.work.computing) {
        (Some(what), _) => format!("{what} ..."),
        (None, true) => "computing what follows from it ...".into(),
        (None, false) => String::new(),
    };
    let room = at.width.saturating_sub(u16::try_from(works.chars().count()).unwrap_or(0) + 2);
    if let Some(message) = &m.message {
        let style = if message.warns { c.look.warns() } else { c.look.strong() };
        let sign = if message.warns { "! " } else { "" };
        c.put(at.x + 1, at.y, room, &format!("{sign}{}", message.text), style);
    }
    c.put(at.x + room + 1, at.y, at.width.saturating_sub(room + 1), &works, c.look.quiet());
}

/// The keys that hold here, the most needed first; what does not fit is in the help.
fn keys(m: &Model, c: &mut Canvas<'_>) {
    let at = m.areas().keys;
    let mut x = at.x + 1;
    let hints = hints(m);
    let help = hints.len().checked_sub(1);
    for (i, (key, word)) in hints.iter().enumerate() {
        let width = key.chars().count() + 1 + word.chars().count();
        let width = u16::try_from(width).unwrap_or(u16::MAX);
        // There is always room for the last: the help.
        let last = help == Some(i);
        let reserve = if last { 0 } else { 9 };
        if x + width + reserve > at.width {
            continue;
        }
        let from = x;
        x = c.put(x, at.y, at.width - x, key, c.look.key());
        x = c.put(x + 1, at.y, at.width.saturating_sub(x + 1), word, Style::new());
        if let Some(key) = key_of(m, i) {
            c.hits.push((Rect::new(from, at.y, x - from, 1), Hit::Key(key)));
        }
        x += 2;
    }
}

/// A key as it is shown, and what it does here.
type Hint = (String, String);

fn hints(m: &Model) -> Vec<Hint> {
    let all = actions(m);
    let shown = |a: Action| match a {
        Action::Pick(n) => format!("1-{n}"),
        a => m.keys.shown(a),
    };
    all.into_iter().map(|(a, word)| (shown(a), word)).collect()
}

fn key_of(m: &Model, i: usize) -> Option<Key> {
    let (action, _) = actions(m).into_iter().nth(i)?;
    match action {
        Action::Pick(_) => Some(Key { code: Code::Char('1'), control: false }),
        a => m.keys.first(a),
    }
}

/// What can be done with any edit.
const AN_EDIT: [(Action, &str); 4] = [
    (Action::Leave, "leave"),
    (Action::Later, "later"),
    (Action::Reword, "reword"),
    (Action::More, "more at once"),
];

/// What can be done here.
fn actions(m: &Model) -> Vec<(Action, String)> {
    let some = |list: &[(Action, &str)]| -> Vec<(Action, String)> {
        list.iter().map(|(a, w)| (*a, (*w).to_owned())).collect()
    };
    let help = (Action::Help, "help");
    match &m.popup {
        Some(Popup::More { scopes, cursor }) => {
            let choice = scopes
                .get(*cursor)
                .is_some_and(|s| s.places.iter().any(|i| m.items[*i].state == State::Choose));
            let mut out = some(&[
                (Action::Take, "take"),
                (Action::Leave, "leave"),
                (Action::Reopen, "open again"),
            ]);
            if choice {
                out.push((Action::Pick(9), "pick".into()));
            }
            out.extend(some(&[(Action::Back, "back")]));
            return out;
        }
        Some(Popup::Filter { .. }) => {
            return some(&[(Action::Open, "list these"), (Action::Back, "back")]);
        }
        Some(_) => return Vec::new(),
        None => {}
    }
    if m.page == Page::Overview {
        return some(&[
            (Action::Open, "list"),
            (Action::Apply, "apply"),
            (Action::Undo, "undo"),
            (Action::Find, "find"),
            (Action::Filter, "filter"),
            (Action::Quit, "stop"),
            help,
        ]);
    }
    if m.why.is_some() {
        return some(&[(Action::Open, "go there"), (Action::Back, "back"), help]);
    }
    let mut out = match m.standing_here() {
        None => some(&[(Action::Open, "fold or open"), (Action::More, "decide on all of it")]),
        Some(State::Choose) => {
            let n = m.current().and_then(|i| m.edit(i)).map_or(1, |e| e.options.len());
            let mut out = vec![(Action::Pick(n.min(9) as u8), "pick".into())];
            out.extend(some(&AN_EDIT));
            out
        }
        Some(_) if m.current().is_some_and(|i| !matches!(i.at, At::Edit(..))) => some(&[
            (Action::Take, "tick off"),
            (Action::Later, "later"),
            (Action::More, "more at once"),
        ]),
        Some(_) => {
            let mut out = some(&[(Action::Take, "take")]);
            out.extend(some(&AN_EDIT));
            out
        }
    };
    if m.standing_here().is_some_and(|s| s.taken() || s.on_purpose()) {
        out.push((Action::Reopen, "open again".into()));
    }
    out.extend(some(&[
        (Action::Undo, "undo"),
        (Action::Why, "why"),
        (Action::View, "view"),
        (Action::Filter, "filter"),
        (Action::Find, "find"),
        (Action::Back, "back"),
        (Action::Quit, "stop"),
        help,
    ]));
    out
}
