//! Java properties files, as described for `java.util.Properties.load`.

use emendo_text::Span;

use crate::doc::{Doc, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style, one_map};

pub(super) const PROPERTIES: Format = Format {
    id: "properties",
    title: "properties",
    extensions: &["properties"],
    names: &[],
    style: Style::Lines,
    comments: &["#", "!"],
    sign: "=",
    dotted: true,
    split: false,
    relaxed: crate::formats::format::relaxed,
    mentions_anywhere: false,
    constant: false,
    typed: false,
    read,
    write_key: |key, _| escape(key, true),
    write_value: |value, _| escape(value, false),
};

fn read(text: &str) -> Doc {
    let mut out = Vec::new();
    let mut at = 0;
    while at < text.len() {
        let end = logical_end(text, at);
        out.extend(entry(text, at, end));
        at = next_line(text, end);
    }
    one_map(text, out)
}

/// The end of the line that begins at `start`, with the lines it is continued on.
fn logical_end(text: &str, start: usize) -> usize {
    let blanks = text[start..].len() - text[start..].trim_start_matches([' ', '\t', '\x0c']).len();
    let comment = text[start + blanks..].starts_with(['#', '!']);
    let mut from = start;
    loop {
        let end = text[from..].find(['\n', '\r']).map_or(text.len(), |i| from + i);
        let slashes = text[start..end].bytes().rev().take_while(|b| *b == b'\\').count();
        if comment || slashes % 2 == 0 || end == text.len() {
            return end;
        }
        from = next_line(text, end);
    }
}

fn next_line(text: &str, end: usize) -> usize {
    if text[end..].starts_with("\r\n") { end + 2 } else { (end + 1).min(text.len().max(end + 1)) }
}

fn entry(text: &str, start: usize, end: usize) -> Option<Pair> {
    let line = &text[start..end];
    let blank = |c: char| matches!(c, ' ' | '\t' | '\x0c');
    let key_start = start + line.find(|c| !blank(c))?;
    if text[key_start..end].starts_with(['#', '!']) {
        return None;
    }
    let key_end = unescaped(text, key_start, end, |c| blank(c) || c == '=' || c == ':');
    let mut value_start = skip(text, key_end, end, blank);
    if text[value_start..end].starts_with(['=', ':']) {
        value_start = skip(text, value_start + 1, end, blank);
    }
    let (key, value) = (Span::new(key_start, key_end), Span::new(value_start, end));
    let part = KeyPart { text: unescape(key.of(text)), span: key };
    let node = Node { span: value, kind: NodeKind::Text(unescape(value.of(text))) };
    Some(Pair { keys: vec![part], node, span: Span::new(key_start, end), heading: false })
}

fn unescaped(text: &str, start: usize, end: usize, stop: impl Fn(char) -> bool) -> usize {
    let mut escaped = false;
    for (i, c) in text[start..end].char_indices() {
        if !escaped && stop(c) {
            return start + i;
        }
        escaped = !escaped && c == '\\';
    }
    end
}

fn skip(text: &str, at: usize, end: usize, over: impl Fn(char) -> bool) -> usize {
    text[at..end].find(|c| !over(c)).map_or(end, |i| at + i)
}

fn unescape(raw: &str) -> String {
    let mut out = String::new();
    let mut chars = raw.chars().peekable();
    while let Some(c) = chars.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match chars.next() {
            Some('t') => out.push('\t'),
            Some('n') => out.push('\n'),
            Some('r') => out.push('\r'),
            Some('f') => out.push('\x0c'),
            Some('u') => {
                let digits: String =
                    std::iter::from_fn(|| chars.next_if(char::is_ascii_hexdigit)).take(4).collect();
                let code = u32::from_str_radix(&digits, 16).ok().and_then(char::from_u32);
                out.push(code.unwrap_or('\u{fffd}'));
            }
            // A continued line: its leading blanks do not count.
            Some(c @ ('\n' | '\r')) => {
                if c == '\r' {
                    chars.next_if_eq(&'\n');
                }
                while chars.next_if(|c| matches!(c, ' ' | '\t' | '\x0c')).is_some() {}
            }
            Some(other) => out.push(other),
            None => {}
        }
    }
    out
}

/// Non-ASCII characters are written as escapes, since the encoding of the reader is not known.
fn escape(text: &str, key: bool) -> String {
    let mut out = String::new();
    for (i, c) in text.chars().enumerate() {
        match c {
            '\\' => out.push_str("\\\\"),
            '\t' => out.push_str("\\t"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            ' ' if key || i == 0 => out.push_str("\\ "),
            '=' | ':' if key => {
                out.push('\\');
                out.push(c);
            }
            '#' | '!' if key && i == 0 => {
                out.push('\\');
                out.push(c);
            }
            c if c.is_ascii() => out.push(c),
            c => {
                let mut units = [0; 2];
                c.encode_utf16(&mut units)
                    .iter()
                    .for_each(|u| out.push_str(&format!("\\u{u:04x}")));
            }
        }
    }
    out
}
