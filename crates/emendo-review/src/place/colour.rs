//! What the words of a file are, for colouring. A word that is taken for something else costs nothing but its colour.

use emendo_core::World;
use emendo_docs::{Node as DocNode, NodeKind};
use emendo_lang::{Language, Tree};
use emendo_text::{RelPath, Span};
use tree_sitter::Node;

/// Files above this size are shown without colours: each key must be answered at once.
const MOST: usize = 1 << 17;

/// What a word is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Class {
    Comment,
    Text,
    Number,
    Keyword,
    /// The key of a setting.
    Key,
}

/// The words of a text that have a colour, in order.
pub(crate) fn classes(world: &World, path: &RelPath, text: &str) -> Vec<(Span, Class)> {
    if text.len() > MOST {
        return Vec::new();
    }
    let mut out = match (world.language_of(path), world.format_of(path)) {
        (Some(language), _) => of_code(language, path, text),
        (None, Some(format)) => {
            let mut out = of_comments(text, format.comments);
            let doc = (format.read)(text);
            let mut todo: Vec<&DocNode> = doc.roots.iter().collect();
            while let Some(node) = todo.pop() {
                match &node.kind {
                    NodeKind::Map(pairs) => {
                        for p in pairs {
                            out.extend(p.keys.iter().map(|k| (k.span, Class::Key)));
                            todo.push(&p.node);
                        }
                    }
                    NodeKind::List(items) => todo.extend(items),
                    NodeKind::Text(_) | NodeKind::Other => {}
                }
            }
            out
        }
        (None, None) => Vec::new(),
    };
    out.sort_by_key(|c| (c.0.start, std::cmp::Reverse(c.0.end)));
    let mut end = 0;
    out.retain(|(span, _)| {
        let after = span.start >= end && !span.is_empty();
        end = if after { span.end } else { end };
        after
    });
    out
}

fn of_code(language: &Language, path: &RelPath, text: &str) -> Vec<(Span, Class)> {
    let tree = Tree::parse_file(language, path, text);
    let mut out = Vec::new();
    for root in tree.roots() {
        let mut cursor = root.node.walk();
        loop {
            let node = cursor.node();
            let class = class(node);
            if let Some(class) = class {
                out.push((emendo_lang::tree::span(node), class));
            }
            // What a text holds in braces is code again; it lies inside, and is not told apart here.
            if class.is_none() && cursor.goto_first_child() {
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    break;
                }
            }
            if cursor.node().id() == root.node.id() {
                break;
            }
        }
    }
    out
}

fn class(node: Node<'_>) -> Option<Class> {
    let kind = node.kind();
    let has = |words: &[&str]| words.iter().any(|w| kind.contains(w));
    if has(&["comment"]) {
        return Some(Class::Comment);
    }
    let whole = kind.ends_with("string") || kind.ends_with("string_literal");
    if whole || has(&["char_literal", "character_literal", "string_content"]) {
        return Some(Class::Text);
    }
    if node.child_count() > 0 {
        return None;
    }
    let text_like = kind.chars().all(|c| c.is_ascii_alphabetic() || c == '_');
    match () {
        () if !node.is_named() && text_like && kind.len() > 1 => Some(Class::Keyword),
        () if has(&["integer", "float", "number", "decimal_", "hex_"]) => Some(Class::Number),
        () if matches!(kind, "true" | "false" | "null" | "none" | "this" | "self" | "super") => {
            Some(Class::Keyword)
        }
        () => None,
    }
}

/// Lines that are comments as a whole.
fn of_comments(text: &str, signs: &[&str]) -> Vec<(Span, Class)> {
    let mut out = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let body = line.trim_start();
        if signs.iter().any(|s| body.starts_with(s)) {
            let start = at + line.len() - body.len();
            out.push((Span::new(start, start + body.trim_end().len()), Class::Comment));
        }
        at += line.len();
    }
    out
}
