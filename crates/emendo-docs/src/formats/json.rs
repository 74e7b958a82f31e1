//! JSON (RFC 8259), with comments and trailing commas as editors and tools write them.

use emendo_text::Span;

use crate::doc::{Doc, DocError, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style};

pub(super) const JSON: Format = Format {
    id: "json",
    title: "JSON",
    extensions: &["json", "jsonc", "json5"],
    names: &[],
    style: Style::Braces,
    comments: &["//"],
    sign: ": ",
    dotted: false,
    split: false,
    relaxed: |_| false,
    mentions_anywhere: false,
    constant: false,
    typed: true,
    read,
    write_key: |key, _| quote(key),
    write_value,
};

/// Deeper nesting is not read.
const DEPTH: usize = 200;

fn read(text: &str) -> Doc {
    let mut p = Parser { text, at: 0, errors: Vec::new() };
    p.blank();
    let root = (p.at < text.len()).then(|| p.value(0)).flatten();
    p.blank();
    if p.at < text.len() && p.errors.is_empty() {
        p.fail("there is text after the end of the value");
    }
    Doc { roots: root.into_iter().collect(), errors: p.errors }
}

struct Parser<'t> {
    text: &'t str,
    at: usize,
    errors: Vec<DocError>,
}

impl Parser<'_> {
    fn rest(&self) -> &str {
        &self.text[self.at..]
    }

    fn fail(&mut self, message: &str) {
        self.errors.push(DocError { message: message.to_owned(), at: Span::at(self.at) });
    }

    /// Passes over blanks and comments.
    fn blank(&mut self) {
        loop {
            let rest = self.rest();
            let skipped = rest.len()
                - rest.trim_start_matches(|c: char| c.is_whitespace() || c == '\u{feff}').len();
            self.at += skipped;
            let rest = self.rest();
            if rest.starts_with("//") {
                self.at += rest.find('\n').unwrap_or(rest.len());
            } else if rest.starts_with("/*") {
                self.at += rest.find("*/").map_or(rest.len(), |i| i + 2);
            } else {
                return;
            }
        }
    }

    fn eat(&mut self, c: char) -> bool {
        let hit = self.rest().starts_with(c);
        self.at += if hit { c.len_utf8() } else { 0 };
        hit
    }

    fn value(&mut self, depth: usize) -> Option<Node> {
        if depth > DEPTH {
            self.fail("this is nested too deep");
            return None;
        }
        let start = self.at;
        let kind = match self.rest().chars().next() {
            Some('{') => self.map(depth)?,
            Some('[') => self.list(depth)?,
            Some('"' | '\'') => NodeKind::Text(self.string()?),
            Some(_) => {
                let rest = self.rest();
                let stop = |c: char| c.is_whitespace() || ",]}:/".contains(c);
                let len = rest.find(stop).unwrap_or(rest.len());
                if len == 0 {
                    self.fail("a value is missing");
                    return None;
                }
                let word = rest[..len].to_owned();
                self.at += len;
                NodeKind::Text(word)
            }
            None => {
                self.fail("a value is missing");
                return None;
            }
        };
        Some(Node { span: Span::new(start, self.at), kind })
    }

    fn map(&mut self, depth: usize) -> Option<NodeKind> {
        self.eat('{');
        let mut pairs = Vec::new();
        loop {
            self.blank();
            if self.eat('}') {
                return Some(NodeKind::Map(pairs));
            }
            let start = self.at;
            let text = match self.rest().chars().next() {
                Some('"' | '\'') => self.string()?,
                Some(c) if c.is_alphanumeric() || c == '_' || c == '$' => {
                    let rest = self.rest();
                    let word = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
                    let len = rest.find(|c| !word(c)).unwrap_or(rest.len());
                    let word = rest[..len].to_owned();
                    self.at += len;
                    word
                }
                _ => {
                    self.fail("a key is missing");
                    return None;
                }
            };
            let key = KeyPart { text, span: Span::new(start, self.at) };
            self.blank();
            if !self.eat(':') {
                self.fail("a colon is missing after the key");
                return None;
            }
            self.blank();
            let node = self.value(depth + 1)?;
            let span = Span::new(start, self.at);
            pairs.push(Pair { keys: vec![key], node, span, heading: false });
            self.blank();
            if !self.eat(',') && !self.rest().starts_with('}') {
                self.fail("a comma is missing");
                return None;
            }
        }
    }

    fn list(&mut self, depth: usize) -> Option<NodeKind> {
        self.eat('[');
        let mut items = Vec::new();
        loop {
            self.blank();
            if self.eat(']') {
                return Some(NodeKind::List(items));
            }
            items.push(self.value(depth + 1)?);
            self.blank();
            if !self.eat(',') && !self.rest().starts_with(']') {
                self.fail("a comma is missing");
                return None;
            }
        }
    }

    fn string(&mut self) -> Option<String> {
        let start = self.at;
        let quote = self.rest().chars().next()?;
        self.at += 1;
        let mut escaped = false;
        let body = &self.text[self.at..];
        for (i, c) in body.char_indices() {
            if !escaped && c == quote {
                let inner = &body[..i];
                self.at += i + 1;
                return Some(unescape(inner));
            }
            if c == '\n' {
                break;
            }
            escaped = !escaped && c == '\\';
        }
        self.at = start;
        self.fail("a string has no end");
        None
    }
}

/// Undoes the escapes of JSON and of quoted strings in YAML and TOML.
pub(super) fn unescape(raw: &str) -> String {
    if !raw.contains('\\') {
        return raw.to_owned();
    }
    let mut out = String::new();
    let mut chars = raw.chars();
    while let Some(c) = chars.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        match chars.next() {
            Some('n') => out.push('\n'),
            Some('t') => out.push('\t'),
            Some('r') => out.push('\r'),
            Some('b') => out.push('\u{8}'),
            Some('f') => out.push('\u{c}'),
            Some('0') => out.push('\0'),
            Some('u') => out.push(unit(&mut chars)),
            Some(other) => out.push(other),
            None => {}
        }
    }
    out
}

fn unit(chars: &mut std::str::Chars<'_>) -> char {
    let four = |chars: &mut std::str::Chars<'_>| {
        let hex: String = chars.by_ref().take(4).collect();
        u32::from_str_radix(&hex, 16).unwrap_or(0xfffd)
    };
    let first = four(chars);
    // A pair of surrogates is one character.
    if (0xd800..0xdc00).contains(&first) && chars.as_str().starts_with("\\u") {
        let mut ahead = chars.clone();
        ahead.nth(1);
        let second = four(&mut ahead);
        if (0xdc00..0xe000).contains(&second) {
            *chars = ahead;
            let code = 0x10000 + ((first - 0xd800) << 10) + (second - 0xdc00);
            return char::from_u32(code).unwrap_or('\u{fffd}');
        }
    }
    char::from_u32(first).unwrap_or('\u{fffd}')
}

/// A text between double quotes.
pub(super) fn quote(text: &str) -> String {
    let mut out = String::from('"');
    for c in text.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            c if c < ' ' => out.push_str(&format!("\\u{:04x}", c as u32)),
            c => out.push(c),
        }
    }
    out.push('"');
    out
}

/// True for what is not text in most formats: numbers, truth values, nothing.
pub(super) fn is_plain(value: &str) -> bool {
    matches!(value, "true" | "false" | "null")
        || (value.parse::<f64>().is_ok()
            && value.starts_with(|c: char| c.is_ascii_digit() || c == '-')
            && !(value.len() > 1 && value.starts_with('0') && !value.starts_with("0.")))
}

/// A value keeps its kind: what stood in quotes stays in quotes, and what did not needs none if it still is not text.
fn write_value(value: &str, old: &str) -> String {
    if !old.starts_with(['"', '\'']) && is_plain(value) { value.to_owned() } else { quote(value) }
}
