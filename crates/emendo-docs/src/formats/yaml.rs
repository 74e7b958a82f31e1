//! YAML 1.2 by its grammar: block and flow, anchors, several documents. What a template leaves unreadable is passed over.

use std::cell::RefCell;

use emendo_text::Span;
use tree_sitter::{Node as Tree, Parser};

use crate::doc::{Doc, DocError, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style};
use crate::formats::json::{is_plain, quote, unescape};

pub(super) const YAML: Format = Format {
    id: "yaml",
    title: "YAML",
    extensions: &["yaml", "yml"],
    names: &[],
    style: Style::Indented,
    comments: &["#"],
    sign: ": ",
    dotted: false,
    split: false,
    relaxed: crate::formats::format::relaxed,
    mentions_anywhere: false,
    constant: false,
    typed: true,
    read,
    write_key: |key, old| write_value(key, old),
    write_value,
};

const DEPTH: usize = 200;

thread_local! {
    static PARSER: RefCell<Parser> = RefCell::new(Parser::new());
}

fn read(text: &str) -> Doc {
    let tree = PARSER.with_borrow_mut(|p| {
        p.set_language(&tree_sitter_yaml::LANGUAGE.into()).ok()?;
        p.parse(text, None)
    });
    let Some(mut tree) = tree else { return Doc::default() };
    // What a template writes is not there yet: its places are filled with what can be read.
    if tree.root_node().has_error() && text.contains("{{") {
        let filled = filled(text);
        tree = PARSER.with_borrow_mut(|p| p.parse(&filled, None)).unwrap_or(tree);
    }
    let mut out = Doc::default();
    let root = tree.root_node();
    for document in named(root).into_iter().filter(|n| n.kind() == "document") {
        let value = named(document)
            .into_iter()
            .find(|n| n.kind() != "comment" && !n.kind().contains("directive"));
        out.roots.extend(value.map(|v| node(v, text, 0)));
    }
    if root.has_error() {
        errors(root, &mut out.errors, 0);
    }
    out
}

/// A text of the same length in which a template's own lines are remarks, and its values are words.
fn filled(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let body = line.trim();
        if body.starts_with("{{") && body.ends_with("}}") && body.matches("{{").count() == 1 {
            let indent = line.len() - line.trim_start().len();
            out.push_str(&line[..indent]);
            out.push('#');
            out.extend(std::iter::repeat_n('-', body.len() - 1));
            out.push_str(&line[indent + body.len()..]);
            continue;
        }
        let mut rest = line;
        while let Some(start) = rest.find("{{") {
            let Some(end) = rest[start..].find("}}").map(|i| start + i + 2) else { break };
            out.push_str(&rest[..start]);
            out.extend(std::iter::repeat_n('x', end - start));
            rest = &rest[end..];
        }
        out.push_str(rest);
    }
    out
}

fn errors(node: Tree<'_>, out: &mut Vec<DocError>, depth: usize) {
    if node.is_error() || node.is_missing() || depth > DEPTH {
        let message = "this is not read as YAML".to_owned();
        out.push(DocError { message, at: span(node) });
        return;
    }
    for c in named(node).into_iter().filter(Tree::has_error) {
        errors(c, out, depth + 1);
    }
}

fn span(node: Tree<'_>) -> Span {
    Span::new(node.start_byte(), node.end_byte())
}

fn named(node: Tree<'_>) -> Vec<Tree<'_>> {
    let mut cursor = node.walk();
    node.named_children(&mut cursor).collect()
}

/// The value within what wraps it, and where it stands: tags and anchors before it are not part of it.
fn inner(node: Tree<'_>) -> Tree<'_> {
    let mut at = node;
    while matches!(at.kind(), "block_node" | "flow_node" | "plain_scalar") {
        let next =
            named(at).into_iter().rfind(|n| !matches!(n.kind(), "tag" | "anchor" | "comment"));
        match next {
            Some(next) => at = next,
            None => return at,
        }
    }
    at
}

fn node(tree: Tree<'_>, text: &str, depth: usize) -> Node {
    let value = inner(tree);
    let at = span(value);
    let kind = match value.kind() {
        _ if depth > DEPTH => NodeKind::Other,
        "block_mapping" | "flow_mapping" => {
            let pairs = named(value).into_iter().filter(|n| n.kind().ends_with("_pair"));
            NodeKind::Map(pairs.filter_map(|p| pair(p, text, depth)).collect())
        }
        "block_sequence" => {
            let items = named(value).into_iter().filter(|n| n.kind() == "block_sequence_item");
            let one = |i: Tree<'_>| {
                named(i)
                    .into_iter()
                    .find(|n| n.kind() != "comment")
                    .map(|v| node(v, text, depth + 1))
            };
            NodeKind::List(items.filter_map(one).collect())
        }
        "flow_sequence" => {
            let items = named(value).into_iter().filter(|n| n.kind() != "comment");
            NodeKind::List(items.map(|v| node(v, text, depth + 1)).collect())
        }
        "alias" => NodeKind::Other,
        "block_scalar" => NodeKind::Text(block_text(at.of(text))),
        _ => NodeKind::Text(scalar(at.of(text))),
    };
    // Blanks and remarks at the end belong to what comes next.
    let last = match &kind {
        NodeKind::Map(pairs) => pairs.last().map(|p| p.span.end),
        NodeKind::List(items) => items.last().map(|i| i.span.end),
        _ => None,
    };
    let block = value.kind().starts_with("block_");
    let end = last.filter(|_| block).unwrap_or(at.end);
    Node { span: Span { start: at.start, end }, kind }
}

fn pair(tree: Tree<'_>, text: &str, depth: usize) -> Option<Pair> {
    let key = inner(tree.child_by_field_name("key")?);
    let part = KeyPart { text: scalar(span(key).of(text)), span: span(key) };
    let value = tree.child_by_field_name("value");
    let node = match value {
        Some(v) => node(v, text, depth + 1),
        None => {
            Node { span: Span::at(text[..tree.end_byte()].trim_end().len()), kind: NodeKind::Other }
        }
    };
    let sign = text[part.span.end as usize..].find(':').map_or(0, |i| i + 1);
    let end = (part.span.end as usize + sign).max(node.span.end as usize);
    let whole = Span::new(tree.start_byte(), end);
    Some(Pair { keys: vec![part], node, span: whole, heading: false })
}

fn scalar(raw: &str) -> String {
    if let Some(inner) = raw.strip_prefix('"').and_then(|r| r.strip_suffix('"')) {
        return unescape(inner);
    }
    if let Some(inner) = raw.strip_prefix('\'').and_then(|r| r.strip_suffix('\'')) {
        return inner.replace("''", "'");
    }
    raw.split('\n').map(str::trim).collect::<Vec<_>>().join(" ")
}

fn block_text(raw: &str) -> String {
    let mut lines = raw.lines();
    lines.next();
    let lines: Vec<&str> = lines.collect();
    let indent =
        lines.iter().filter(|l| !l.trim().is_empty()).map(|l| l.len() - l.trim_start().len()).min();
    let cut = |l: &&str| l.get(indent.unwrap_or(0)..).unwrap_or("").to_owned();
    lines.iter().map(cut).collect::<Vec<_>>().join("\n")
}

/// Keeps the quotes that stand; without any, quotes only what would be read as something else.
fn write_value(value: &str, old: &str) -> String {
    if old.starts_with('\'') && !value.contains('\n') {
        return format!("'{}'", value.replace('\'', "''"));
    }
    if old.starts_with('"') {
        return quote(value);
    }
    let first = value.chars().next();
    let odd = first.is_none_or(|c| "!&*-?:{}[],#|>@`'\"% \t".contains(c))
        || value.ends_with([' ', ':'])
        || value.contains(": ")
        || value.contains(" #")
        || value.contains('\n');
    // Text that reads as a number or a truth value stays a text.
    let word = matches!(value, "true" | "false" | "null" | "yes" | "no" | "on" | "off" | "~");
    let was_plain = is_plain(old) || word_like(old) || old.is_empty();
    if odd && !(value.starts_with('-') && is_plain(value))
        || ((word || is_plain(value)) && !was_plain)
    {
        quote(value)
    } else {
        value.to_owned()
    }
}

fn word_like(old: &str) -> bool {
    matches!(old, "true" | "false" | "null" | "yes" | "no" | "on" | "off" | "~")
}
