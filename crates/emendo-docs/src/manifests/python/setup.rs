//! setup.py: what a call of `setup` says in plain texts, and what lists at the top of the file hold that it names.

use emendo_text::Span;

use crate::edits::Patch;
use crate::manifests::ecosystem::{Form, Manifest, Toolchain, Value};
use crate::manifests::python::requirement::requirement;
use crate::manifests::script::{Lexis, Script, TokenKind};

/// How Python writes comments.
const LEXIS: Lexis = Lexis { line: "#", block: ("", ""), lines: ("", "") };

/// Reads what `setup(...)` says.
pub(super) fn script(text: &str) -> Manifest {
    let s = Script::new(text, &LEXIS);
    let mut out = Manifest::default();
    let calls = (0..s.tokens.len()).filter(|i| s.word(*i) == Some("setup") && s.is(i + 1, "("));
    for call in calls.collect::<Vec<_>>() {
        arguments(&s, call + 2, s.closing(call + 1), &mut out);
    }
    out
}

/// The arguments between two tokens.
fn arguments(s: &Script<'_>, from: usize, end: usize, out: &mut Manifest) {
    let mut i = from;
    while i < end {
        let next = end_of_item(s, i, end);
        if let Some(name) = s.word(i).filter(|_| s.is(i + 1, "=")) {
            argument(s, name, i + 2, next, out);
        }
        i = next + 1;
    }
}

/// Where an item of a list ends: at its comma, or at the end of the list.
fn end_of_item(s: &Script<'_>, from: usize, end: usize) -> usize {
    let mut i = from;
    while i < end && !s.is(i, ",") {
        let opens = ["(", "[", "{"].iter().any(|b| s.is(i, b));
        i = if opens { s.closing(i).max(i) + 1 } else { i + 1 };
    }
    i.min(end)
}

fn argument(s: &Script<'_>, name: &str, from: usize, end: usize, out: &mut Manifest) {
    // A name stands for the list that is assigned to it.
    let named = s.word(from).filter(|_| from + 1 >= end).and_then(|w| assigned(s, w));
    let (from, end) = named.unwrap_or((from, end));
    match name {
        "python_requires" => {
            let value = s.quoted(from).map(|at| Value::new(s.text, at));
            let level = |value| Toolchain { what: "python", value, form: Form::Plain };
            out.toolchains.extend(value.map(level));
        }
        "install_requires" | "setup_requires" | "tests_require" => {
            texts(s, from, end, name, out);
        }
        "extras_require" if s.is(from, "{") => {
            let (mut i, end) = (from + 1, s.closing(from));
            while i < end {
                let next = end_of_item(s, i, end);
                if let Some(key) = s.quoted(i).filter(|_| s.is(i + 1, ":")) {
                    texts(s, i + 2, next, key.of(s.text), out);
                }
                i = next + 1;
            }
        }
        _ => {}
    }
}

/// The list that is assigned to a name at the beginning of a line.
fn assigned(s: &Script<'_>, name: &str) -> Option<(usize, usize)> {
    let begins = |i: usize| i == 0 || s.get(i - 1).is_some_and(|t| t.0 == TokenKind::Line);
    let at =
        (0..s.tokens.len()).find(|i| begins(*i) && s.word(*i) == Some(name) && s.is(i + 1, "="))?;
    let open = ["[", "(", "{"].iter().any(|b| s.is(at + 2, b));
    open.then(|| (at + 2, s.closing(at + 2) + 1))
}

/// The requirements in the texts between two tokens. Texts that are put together say nothing by themselves.
fn texts(s: &Script<'_>, from: usize, end: usize, scope: &str, out: &mut Manifest) {
    for i in from..end {
        let Some(at) = s.quoted(i) else { continue };
        let joined = |j: usize| ["+", "%", ".", ":"].iter().any(|sign| s.is(j, sign));
        if joined(i + 1) || i.checked_sub(1).is_some_and(joined) {
            continue;
        }
        out.entries.extend(requirement(s.text, at, scope, removal(s.text, at)));
    }
}

/// Takes a text away with its quotes and its comma, and with its line where nothing else stands there.
fn removal(text: &str, at: Span) -> Patch {
    let start = at.start as usize - 1;
    let mut end = at.end as usize + 1;
    let rest = &text[end..];
    let comma = rest.trim_start_matches([' ', '\t']);
    if comma.starts_with(',') {
        end += rest.len() - comma.len() + 1;
    }
    let line = text[..start].rfind('\n').map_or(0, |i| i + 1);
    let next = text[end..].find('\n').map_or(text.len(), |i| end + i + 1);
    let behind = text[end..next].trim();
    let alone =
        text[line..start].trim().is_empty() && (behind.is_empty() || behind.starts_with('#'));
    let span = if alone { Span::new(line, next) } else { Span::new(start, end) };
    Patch { span, text: String::new() }
}
