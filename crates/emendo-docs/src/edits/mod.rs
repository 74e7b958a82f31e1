//! Changes to a document as places and texts: entries renamed, moved, added, removed, commented out; items of lists.
//! Every other byte stays.

mod append;
mod elements;
mod insert;
mod placing;
mod remove;

use emendo_text::Span;

pub use self::placing::Side;
pub(crate) use self::placing::moved;

use crate::doc::{Doc, Node, Pair};
use crate::formats::{Format, Style};

/// A place with the text that comes there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Patch {
    /// What is replaced; empty where something is added.
    pub span: Span,
    /// What comes there.
    pub text: String,
}

impl Patch {
    fn new(span: Span, text: impl Into<String>) -> Self {
        Self { span, text: text.into() }
    }
}

/// A text, read in its format.
pub struct Edits<'a> {
    /// The format.
    pub format: &'static Format,
    /// The text.
    pub text: &'a str,
    /// What it holds.
    pub doc: &'a Doc,
}

impl Edits<'_> {
    /// Another value where one stands.
    pub fn value(&self, node: &Node, new: &str) -> Patch {
        let old = node.span.of(self.text);
        // An empty value needs the blank after its sign.
        let lead = match self.format.style {
            Style::Indented
                if node.span.is_empty()
                    && !self.text[..node.span.start as usize].ends_with(' ') =>
            {
                " "
            }
            _ => "",
        };
        Patch::new(node.span, format!("{lead}{}", self.format.written(new, old)))
    }

    /// Another name for the last part of a key.
    pub fn key(&self, pair: &Pair, new: &str) -> Patch {
        let last = pair.keys.last().map_or(pair.span, |k| k.span);
        Patch::new(last, (self.format.write_key)(new, last.of(self.text)))
    }

    fn is_flow(&self, span: Span, way: &[&Pair]) -> bool {
        match self.format.style {
            Style::Braces => true,
            Style::Elements | Style::Lines => false,
            Style::Indented | Style::Sections { .. } => way.iter().rev().skip(1).any(|p| {
                let at = p.node.span;
                at.contains(span) && self.text[at.start as usize..].starts_with('{')
            }),
        }
    }

    /// The lines of remarks right above an entry that begins its line: they are about it. With where they begin.
    pub fn remarks_above(&self, span: Span) -> (usize, Vec<&str>) {
        let line = self.line_start(span.start as usize);
        let mut out = Vec::new();
        let mut start = line;
        if self.format.comments.is_empty()
            || !self.text[line..span.start as usize].trim().is_empty()
        {
            return (line, out);
        }
        while let Some(end) = start.checked_sub(1) {
            let above = self.line_start(end);
            let said = self.text[above..end].trim();
            if !self.format.is_comment(said) {
                break;
            }
            out.insert(0, said);
            start = above;
        }
        (start, out)
    }

    /// Where the line begins that a place is on.
    pub(crate) fn line_start(&self, at: usize) -> usize {
        self.text[..at].rfind('\n').map_or(0, |i| i + 1)
    }

    /// True for a text between braces that has no blanks.
    fn is_dense(&self) -> bool {
        matches!(self.format.style, Style::Braces)
            && !self.text.trim_end().contains('\n')
            && ![", ", ": "].iter().any(|s| self.text.contains(s))
    }

    fn blank(&self) -> &'static str {
        if self.is_dense() { "" } else { " " }
    }

    /// What stands between a key and its value.
    fn sign(&self) -> &'static str {
        if self.is_dense() { self.format.sign.trim_end() } else { self.format.sign }
    }

    /// How lines end in the text.
    pub fn line_end(&self) -> &'static str {
        if self.text.contains("\r\n") { "\r\n" } else { "\n" }
    }

    /// The end of the line that a place is on, a remark included, without its line end.
    fn end_of_line(&self, at: usize) -> usize {
        let rest = &self.text[at..];
        let line = &rest[..rest.find('\n').unwrap_or(rest.len())];
        at + line.trim_end_matches('\r').len()
    }
}

/// A path of keys on one line: `a: { b: 1 }`.
fn nested_flow(
    path: &[String],
    raw: &str,
    (sign, blank): (&str, &str),
    key: impl Fn(&str) -> String,
) -> String {
    let Some((first, rest)) = path.split_first() else { return raw.to_owned() };
    let first = key(first);
    if rest.is_empty() {
        return format!("{first}{sign}{raw}");
    }
    format!("{first}{sign}{{{blank}{}{blank}}}", nested_flow(rest, raw, (sign, blank), key))
}
