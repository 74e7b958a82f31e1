//! What the words of a file are, for colouring. A word that is taken for something else costs nothing but its colour.

use emendo_core::World;
use emendo_docs::markup::{self, Ending, Host};
use emendo_docs::{Node as DocNode, NodeKind};
use emendo_lang::tree::Node;
use emendo_lang::{Language, Tree};
use emendo_text::{RelPath, Span};

/// Files above this size are shown without colours: each key must be answered at once.
const MOST: usize = 1 << 17;

/// What a word is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Class {
    /// A comment.
    Comment,
    /// A literal text.
    Text,
    /// A number.
    Number,
    /// A word of the language.
    Keyword,
    /// The key of a setting.
    Key,
}

/// The words of a text that have a colour, in order.
pub fn classes(world: &World, path: &RelPath, text: &str) -> Vec<(Span, Class)> {
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
        (None, None) => world.host_of(path).map_or(Vec::new(), |h| of_page(world, h, path, text)),
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

/// The words of a page: of its code, and of the markup around it.
fn of_page(world: &World, host: &'static Host, path: &RelPath, text: &str) -> Vec<(Span, Class)> {
    let (mut out, mut code) = (Vec::new(), Vec::new());
    for layer in world.layers_of(path, text).unwrap_or_default() {
        code.extend(layer.pieces.iter().map(|p| p.at));
        let language = world.languages.iter().find(|l| l.reads_ending(layer.ending));
        let Some(language) = language else { continue };
        let tree = Tree::parse_ending(language, layer.ending, &layer.view);
        let own = of_tree(&tree).into_iter().filter(|c| layer.piece_at(c.0).is_some());
        out.extend(own);
    }
    let page = markup::read(host, text);
    out.extend(page.comments.iter().map(|c| (*c, Class::Comment)));
    for e in &page.elements {
        out.push((e.name, Class::Keyword));
        if let Ending::Tag { name, .. } = e.ending {
            out.push((name, Class::Keyword));
        }
        for a in &e.attributes {
            out.push((a.name, Class::Key));
            let plain = a.value.filter(|v| !v.has_code && v.quote.is_some());
            // Code in it has words of its own.
            let value = plain.map(|v| v.inner).filter(|at| !code.iter().any(|c| at.contains(*c)));
            out.extend(value.map(|at| (at, Class::Text)));
        }
    }
    out
}

fn of_code(language: &Language, path: &RelPath, text: &str) -> Vec<(Span, Class)> {
    of_tree(&Tree::parse_file(language, path, text))
}

fn of_tree(tree: &Tree) -> Vec<(Span, Class)> {
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
