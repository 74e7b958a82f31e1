//! Environment files: `KEY=value` lines, with `export` before them or not, quoted or not.

use emendo_text::Span;

use crate::doc::{Doc, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style};
use crate::formats::ini::lines;

pub(super) const ENV: Format = Format {
    id: "env",
    title: "environment",
    extensions: &["env"],
    names: &[".env", ".flaskenv"],
    style: Style::Lines,
    comments: &["#"],
    sign: "=",
    dotted: true,
    split: false,
    relaxed: |_| false,
    mentions_anywhere: false,
    constant: true,
    typed: false,
    read,
    write_key: |key, _| key.to_owned(),
    write_value,
};

fn read(text: &str) -> Doc {
    let mut out = Vec::new();
    let mut skip_to = 0;
    for (start, end) in lines(text) {
        if start < skip_to {
            continue;
        }
        let line = &text[start..end];
        let body = line.trim_start_matches(['\u{feff}', ' ', '\t']);
        if body.is_empty() || body.starts_with('#') {
            continue;
        }
        let begin = end - body.len();
        let mut from = begin;
        if let Some(rest) = body.strip_prefix("export ") {
            from = end - rest.trim_start().len();
        }
        let Some(sign) = text[from..end].find('=') else { continue };
        let key_end = from + text[from..from + sign].trim_end().len();
        let key = Span::new(from, key_end);
        if key.is_empty() {
            continue;
        }
        let raw_start = from + sign + 1;
        let start =
            raw_start + text[raw_start..end].len() - text[raw_start..end].trim_start().len();
        let quote = text[start..end].chars().next().filter(|c| matches!(c, '"' | '\'' | '`'));
        let value = match quote {
            // A quoted value may go over several lines.
            Some(q) => {
                let close = text[start + 1..].find(q).map_or(end, |i| start + 1 + i + 1);
                skip_to = close;
                Span::new(start, close)
            }
            None => {
                let plain = &text[start..end];
                let plain = plain.find(" #").map_or(plain, |i| &plain[..i]).trim_end();
                Span::new(start, start + plain.len())
            }
        };
        let inner = value.of(text);
        let inner = match quote {
            Some('"') => crate::formats::json::unescape(inner.trim_matches('"')),
            Some(q) => inner.trim_matches(q).to_owned(),
            None => inner.to_owned(),
        };
        let node = Node { span: value, kind: NodeKind::Text(inner) };
        let keys = vec![KeyPart { text: key.of(text).to_owned(), span: key }];
        out.push(Pair { keys, node, span: Span::at(begin).hull(value), heading: false });
    }
    crate::formats::format::one_map(text, out)
}

fn write_value(value: &str, old: &str) -> String {
    if old.starts_with('\'') && !value.contains('\'') {
        return format!("'{value}'");
    }
    let plain = |c: char| c.is_ascii_alphanumeric() || "_-./:@%+,=".contains(c);
    if !old.starts_with('"') && value.chars().all(plain) {
        value.to_owned()
    } else {
        crate::formats::json::quote(value)
    }
}
