//! Manifests that are code, as tokens: words, texts, signs and line ends; comments are passed over. Enough for the few forms in
//! which entries are written, and it never fails.

use emendo_text::Span;

use crate::edits::Patch;
use crate::manifests::ecosystem::{Entry, EntryKind, Value};

/// How a language writes comments and texts.
pub(super) struct Lexis {
    /// What begins a comment to the end of the line.
    pub(super) line: &'static str,
    /// What surrounds a comment; empty if there is none.
    pub(super) block: (&'static str, &'static str),
    /// A comment of lines: only where it begins one.
    pub(super) lines: (&'static str, &'static str),
}

pub(super) const SLASHES: Lexis = Lexis { line: "//", block: ("/*", "*/"), lines: ("", "") };
pub(super) const HASHES: Lexis = Lexis { line: "#", block: ("", ""), lines: ("=begin", "\n=end") };

/// A token.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Token {
    pub(super) kind: TokenKind,
    /// Its place; for texts what stands between the quotes.
    pub(super) span: Span,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum TokenKind {
    Word,
    Text,
    Sign,
    Line,
}

/// A text as tokens.
pub(super) struct Script<'t> {
    pub(super) text: &'t str,
    pub(super) tokens: Vec<Token>,
}

impl<'t> Script<'t> {
    pub(super) fn new(text: &'t str, lexis: &Lexis) -> Self {
        let mut tokens = Vec::new();
        let mut at = 0;
        while let Some(c) = text[at..].chars().next() {
            let rest = &text[at..];
            let (kind, len) = if rest.starts_with(lexis.line) {
                at += rest.find('\n').unwrap_or(rest.len());
                continue;
            } else if !lexis.block.0.is_empty() && rest.starts_with(lexis.block.0) {
                at += rest.find(lexis.block.1).map_or(rest.len(), |i| i + lexis.block.1.len());
                continue;
            } else if !lexis.lines.0.is_empty()
                && (at == 0 || text[..at].ends_with('\n'))
                && rest.starts_with(lexis.lines.0)
            {
                let end = rest.find(lexis.lines.1).map(|i| i + lexis.lines.1.len());
                at += end.unwrap_or(rest.len());
                continue;
            } else if c == '\n' {
                // After a comma nothing ends.
                let comma = tokens
                    .last()
                    .is_some_and(|t: &Token| t.kind == TokenKind::Sign && t.span.of(text) == ",");
                if comma {
                    at += 1;
                    continue;
                }
                (TokenKind::Line, 1)
            } else if c.is_whitespace() || c == '\u{feff}' {
                at += c.len_utf8();
                continue;
            } else if c == '"' || c == '\'' {
                let (lead, len) = quoted(rest, c);
                let span = Span::new(at + lead, at + len - lead.min(len - lead));
                tokens.push(Token { kind: TokenKind::Text, span });
                at += len;
                continue;
            } else if c.is_alphanumeric() || c == '_' {
                let len =
                    rest.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(rest.len());
                (TokenKind::Word, len)
            } else {
                (TokenKind::Sign, c.len_utf8())
            };
            tokens.push(Token { kind, span: Span::new(at, at + len) });
            at += len;
        }
        Self { text, tokens }
    }

    pub(super) fn get(&self, i: usize) -> Option<(TokenKind, &'t str)> {
        self.tokens.get(i).map(|t| (t.kind, t.span.of(self.text)))
    }

    pub(super) fn is(&self, i: usize, text: &str) -> bool {
        self.get(i).is_some_and(|(k, t)| k != TokenKind::Text && t == text)
    }

    pub(super) fn word(&self, i: usize) -> Option<&'t str> {
        self.get(i).filter(|t| t.0 == TokenKind::Word).map(|t| t.1)
    }

    /// The place of a text, between its quotes.
    pub(super) fn quoted(&self, i: usize) -> Option<Span> {
        self.tokens.get(i).filter(|t| t.kind == TokenKind::Text).map(|t| t.span)
    }

    /// A text as a value.
    pub(super) fn value(&self, i: usize) -> Option<Value> {
        self.quoted(i).map(|s| Value::new(self.text, s))
    }

    /// The first token after a bracket that belongs to it, and the one that closes it.
    pub(super) fn closing(&self, open: usize) -> usize {
        let mut depth = 0i32;
        for i in open..self.tokens.len() {
            match self.get(i) {
                Some((TokenKind::Sign, "(" | "[" | "{")) => depth += 1,
                Some((TokenKind::Sign, ")" | "]" | "}")) => {
                    depth -= 1;
                    if depth <= 0 {
                        return i;
                    }
                }
                _ => {}
            }
        }
        self.tokens.len().saturating_sub(1)
    }

    /// The last token of the statement that begins at one: up to the line's end outside of brackets.
    pub(super) fn statement_end(&self, from: usize) -> usize {
        let mut i = from;
        let mut last = from;
        while let Some((kind, text)) = self.get(i) {
            match (kind, text) {
                (TokenKind::Line, _) if !self.continues(last) => return last,
                (TokenKind::Line, _) => {}
                (TokenKind::Sign, ")" | "]" | "}" | ";") => return last,
                (TokenKind::Sign, "(" | "[" | "{") => {
                    i = self.closing(i);
                    last = i;
                }
                _ => last = i,
            }
            i += 1;
        }
        last
    }

    fn continues(&self, last: usize) -> bool {
        self.is(last, ",") || self.is(last, "=")
    }

    /// The place of tokens, quotes included.
    pub(super) fn hull(&self, from: usize, to: usize) -> Span {
        let out = |t: &Token, n: i64, end: bool| {
            let at = i64::from(if end { t.span.end } else { t.span.start });
            (if t.kind == TokenKind::Text { at + n } else { at }) as u32
        };
        let (a, b) = (&self.tokens[from], &self.tokens[to.min(self.tokens.len() - 1)]);
        Span { start: out(a, -1, false), end: out(b, 1, true) }
    }

    /// What takes a statement away: its lines, or only itself where something else shares them.
    pub(super) fn removal(&self, span: Span) -> Patch {
        let mut patch = crate::manifests::ecosystem::without_lines(self.text, span, |after| {
            let after = after.trim_start_matches([',', ';']).trim();
            after.is_empty() || after.starts_with("//") || after.starts_with('#')
        });
        // On one line with others it takes a comma along.
        if patch.span == span {
            let (before, rest) =
                (&self.text[..span.start as usize], &self.text[span.end as usize..]);
            let lead = before.trim_end_matches([' ', '\t']);
            if rest.trim_start().starts_with(',') {
                let more = rest.find(|c: char| c != ',' && !c.is_whitespace()).unwrap_or(0);
                patch.span.end += more as u32;
            } else if lead.ends_with(',') {
                patch.span.start = lead.len() as u32 - 1;
            }
        }
        patch
    }

    /// An entry that is a statement.
    pub(super) fn entry(
        &self,
        kind: EntryKind,
        coordinate: String,
        names: Vec<Value>,
        version: Option<Value>,
        span: Span,
    ) -> Entry {
        let removal = self.removal(span);
        Entry { coordinate, version, ..Entry::new(kind, names, span, removal) }
    }
}

/// How many bytes the quotes of a text have, and the whole text.
fn quoted(rest: &str, quote: char) -> (usize, usize) {
    let three: String = std::iter::repeat_n(quote, 3).collect();
    if let Some(body) = rest.strip_prefix(three.as_str()) {
        return (3, body.find(three.as_str()).map_or(rest.len(), |i| i + 6));
    }
    let mut escaped = false;
    for (i, c) in rest.char_indices().skip(1) {
        match c {
            '\n' => return (1, i),
            c if c == quote && !escaped => return (1, i + 1),
            _ => {}
        }
        escaped = !escaped && c == '\\';
    }
    (1, rest.len())
}

/// Adds a line after the last of these entries, written like it.
pub(super) fn line_like<'e>(
    text: &str,
    entries: impl Iterator<Item = &'e Entry>,
    coordinate: &str,
    line: &str,
) -> Option<Patch> {
    let all: Vec<&Entry> = entries.collect();
    let sorted = all.windows(2).all(|w| w[0].coordinate <= w[1].coordinate) && all.len() > 1;
    let behind = all.iter().rev().find(|e| !sorted || e.coordinate.as_str() < coordinate);
    let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let start = |e: &Entry| text[..e.span.start as usize].rfind('\n').map_or(0, |i| i + 1);
    let indent = |e: &Entry| {
        let lead = &text[start(e)..e.span.start as usize];
        lead[..lead.len() - lead.trim_start().len()].to_owned()
    };
    match (behind, all.first()) {
        (Some(e), _) => {
            let rest = &text[e.span.end as usize..];
            let end = e.span.end as usize + rest.find('\n').unwrap_or(rest.len());
            // At the beginning of the next line, so that the line before may go by itself.
            match text[end..].starts_with('\n') {
                true => Some(Patch {
                    span: Span::at(end + 1),
                    text: format!("{}{line}{nl}", indent(e)),
                }),
                false => {
                    Some(Patch { span: Span::at(end), text: format!("{nl}{}{line}", indent(e)) })
                }
            }
        }
        (None, Some(first)) => Some(Patch {
            span: Span::at(start(first)),
            text: format!("{}{line}{nl}", indent(first)),
        }),
        (None, None) => None,
    }
}
