//! XML as settings: an element is the key of its text, an attribute a key below its element, and an element with a name and a
//! value of its own (`<add key="a" value="b"/>`, `<property name="a">b</property>`) is that key: a whole one if it has dots,
//! else one below the elements around it. The outermost element is not part.

use emendo_text::Span;
use roxmltree::{Document, Node as Element, ParsingOptions};

use crate::doc::{Doc, DocError, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style};

pub(super) const XML: Format = Format {
    id: "xml",
    title: "XML",
    extensions: &["xml", "config", "xaml"],
    names: &[],
    style: Style::Elements,
    comments: &[],
    sign: "",
    dotted: false,
    split: false,
    relaxed: |_| false,
    mentions_anywhere: true,
    constant: false,
    typed: false,
    read,
    write_key: |key, _| key.to_owned(),
    write_value: |value, _| escape(value),
};

/// Attributes that hold a key, and those that hold its value.
const NAMED: [&str; 3] = ["key", "name", "id"];

/// Deeper nesting is not read.
const DEPTH: usize = 200;

/// Parses a text as XML, with what is wrong and where.
pub(crate) fn parse(text: &str) -> Result<Document<'_>, DocError> {
    let options = ParsingOptions { allow_dtd: true, ..ParsingOptions::default() };
    Document::parse_with_options(text, options).map_err(|e| {
        let pos = e.pos();
        let before = text.split('\n').take(pos.row.saturating_sub(1) as usize);
        let line: usize = before.map(|l| l.len() + 1).sum();
        let mut at = (line + pos.col.saturating_sub(1) as usize).min(text.len());
        while !text.is_char_boundary(at) {
            at -= 1;
        }
        DocError { message: e.to_string(), at: Span::at(at) }
    })
}

fn read(text: &str) -> Doc {
    match parse(text) {
        Ok(doc) => {
            let root = doc.root_element();
            let mut whole = Vec::new();
            let mut node = element(text, root, 0, &mut whole);
            if let NodeKind::Map(pairs) = &mut node.kind {
                pairs.append(&mut whole);
                pairs.sort_by_key(|p| p.span.start);
            } else if !whole.is_empty() {
                node = Node { span: span(root.range()), kind: NodeKind::Map(whole) };
            }
            Doc { roots: vec![node], errors: Vec::new() }
        }
        Err(e) => Doc { roots: Vec::new(), errors: vec![e] },
    }
}

fn span(range: std::ops::Range<usize>) -> Span {
    Span::new(range.start, range.end)
}

fn element(text: &str, node: Element<'_, '_>, depth: usize, whole: &mut Vec<Pair>) -> Node {
    let mut pairs = Vec::new();
    for a in node.attributes() {
        let name = KeyPart { text: a.name().to_owned(), span: span(a.range_qname()) };
        let value = attribute(text, span(a.range_value()), a.value());
        pairs.push(Pair { keys: vec![name], node: value, span: span(a.range()), heading: false });
    }
    for child in node.children().filter(|c| c.is_element() && depth < DEPTH) {
        let (pair, named) = child_pair(text, child, depth, whole);
        if named { whole.push(pair) } else { pairs.push(pair) }
    }
    let (inner, at) = inner(text, node);
    if pairs.is_empty() {
        return Node { span: at, kind: NodeKind::Text(inner) };
    }
    if !inner.is_empty() && !node.children().any(|c| c.is_element()) {
        // The text beside attributes is the value of the element itself.
        let node = Node { span: at, kind: NodeKind::Text(inner) };
        pairs.push(Pair { keys: Vec::new(), node, span: at, heading: false });
    }
    Node { span: span(node.range()), kind: NodeKind::Map(pairs) }
}

/// An attribute's value as it stands, with its line ends: only what is escaped is read.
fn attribute(text: &str, at: Span, read: &str) -> Node {
    let raw = at.of(text);
    let value = if raw.contains('&') { read } else { raw };
    Node { span: at, kind: NodeKind::Text(value.to_owned()) }
}

/// An element as an entry, and whether an attribute gives it a name of several parts: then it is a key by itself.
fn child_pair(
    text: &str,
    child: Element<'_, '_>,
    depth: usize,
    out: &mut Vec<Pair>,
) -> (Pair, bool) {
    let whole = span(child.range());
    let start = whole.start as usize + 1;
    let tag_len =
        text[start..].find(|c: char| c.is_whitespace() || c == '>' || c == '/').unwrap_or(0);
    // The prefix of a namespace is not part of the name.
    let prefix = text[start..start + tag_len].find(':').map_or(0, |i| i + 1);
    let (start, tag_len) = (start + prefix, tag_len - prefix);
    let tag = KeyPart {
        text: child.tag_name().name().to_owned(),
        span: Span::new(start, start + tag_len),
    };
    let name = NAMED.iter().find_map(|n| child.attributes().find(|a| a.name() == *n));
    let value = child.attributes().find(|a| a.name() == "value");
    let has_children = child.children().any(|c| c.is_element());
    if let Some(name) = name.filter(|_| !has_children) {
        let (inner, at) = inner(text, child);
        let part = KeyPart { text: name.value().to_owned(), span: span(name.range_value()) };
        let node = match value {
            Some(v) => Some(Node {
                span: span(v.range_value()),
                kind: NodeKind::Text(v.value().to_owned()),
            }),
            None if !inner.is_empty() => Some(Node { span: at, kind: NodeKind::Text(inner) }),
            None => None,
        };
        if let Some(node) = node {
            let named = part.text.contains('.');
            return (Pair { keys: vec![part], node, span: whole, heading: false }, named);
        }
    }
    let node = element(text, child, depth + 1, out);
    (Pair { keys: vec![tag], node, span: whole, heading: false }, false)
}

/// The text of an element, and where it stands without blanks at the ends. With CDATA, or with text in several pieces, that is the
/// whole inside; comments around the text are not part of it.
pub(crate) fn inner(text: &str, node: Element<'_, '_>) -> (String, Span) {
    let decoded: String =
        node.children().filter_map(|c| if c.is_text() { c.text() } else { None }).collect();
    let said = |c: &Element<'_, '_>| {
        !(c.is_comment() || c.is_text() && c.text().is_some_and(|t| t.trim().is_empty()))
    };
    let all: Vec<Element<'_, '_>> = node.children().collect();
    let told = all.iter().any(said);
    let mut own = all.iter().filter(|c| !told || said(c));
    let start = own.next().map(|c| c.range().start);
    let end = all.iter().rfind(|c| !told || said(c)).map(|c| c.range().end);
    let (start, end) = match (start, end) {
        (Some(s), Some(e)) => (s, e),
        _ => (node.range().end, node.range().end),
    };
    let raw = text.get(start..end).unwrap_or("");
    let lead = raw.len() - raw.trim_start().len();
    let at = Span::new(start + lead, start + raw.trim_end().len().max(lead));
    (decoded.trim().to_owned(), at)
}

fn escape(value: &str) -> String {
    value.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}
