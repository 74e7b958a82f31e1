//! Parsed texts.
//!
//! A layer's tree is never written over its separators: `Root::holds` says what stands in the text.

mod page;
mod shown;
mod walk;

use std::ops::ControlFlow;

use emendo_text::{RelPath, Span};
use tree_sitter::{InputEdit, Parser, Point, Range};

pub use crate::ground::{Group, Node, Part, ReadShape, Shape, TreeCursor};
pub(crate) use page::is_page;
pub use shown::{in_line, shown};
pub use walk::{
    at_place, children, children_with_fields, descend, function_rule, holds_code, in_field,
    is_item, is_separator, named, part, skipped, span, spliced, token_before, token_texts, tokens,
    walk, walk_cursor, words_in,
};

use crate::language::{Budget, Language, Layer};

/// Layers within layers: loose tokens within loose tokens.
const MAX_LAYERS: usize = 4;

/// A parsed text. It owns no text: callers hand the same text in again.
#[derive(Clone, Debug)]
pub struct Tree {
    main: tree_sitter::Tree,
    grammar: &'static tree_sitter::Language,
    layers: Vec<Layered>,
    shape: Option<Shape>,
    /// Parsing was given up: the tree is that of an empty text.
    gave_up: bool,
}

/// Loose tokens, parsed once more piece by piece.
#[derive(Clone, Debug)]
struct Layered {
    tree: tree_sitter::Tree,
    shape: Option<Shape>,
    /// What of the text it holds, in order.
    ranges: Vec<Span>,
    /// Bytes that were read as the end of a statement.
    ends: Vec<u32>,
}

impl Layered {
    fn root(&self) -> Node<'_> {
        Node::new(self.tree.root_node(), self.shape.as_ref())
    }
}

/// A tree of a text, or one of its layers.
#[derive(Clone, Copy)]
pub struct Root<'t> {
    /// Its root.
    pub node: Node<'t>,
    ends: &'t [u32],
}

impl Root<'_> {
    /// True for loose tokens that were read once more as code.
    pub fn is_layer(&self) -> bool {
        !self.ends.is_empty()
    }

    /// True if a place stands in the text as the tree has it.
    pub fn holds(&self, at: Span) -> bool {
        let i = self.ends.partition_point(|e| *e < at.start);
        self.ends.get(i).is_none_or(|e| *e >= at.end)
    }
}

thread_local! {
    /// A parser keeps what it allocated for the next text.
    static PARSER: std::cell::Cell<Option<Parser>> = const { std::cell::Cell::new(None) };
}

/// Parses a text unless that takes out of all proportion long; the outcome depends on the text alone, not on the machine.
fn within_budget(
    parser: &mut Parser,
    budget: Budget,
    text: &[u8],
    old: Option<&tree_sitter::Tree>,
) -> Option<tree_sitter::Tree> {
    let mut left = budget.rounds + text.len() / 1024 * budget.per_kb;
    let mut progress = |_: &tree_sitter::ParseState| {
        left = left.saturating_sub(1);
        if left == 0 { ControlFlow::Break(()) } else { ControlFlow::Continue(()) }
    };
    let options = tree_sitter::ParseOptions::new().progress_callback(&mut progress);
    let mut read = |at: usize, _: Point| text.get(at..).unwrap_or_default();
    let tree = parser.parse_with_options(&mut read, old, Some(options));
    if tree.is_none() {
        parser.reset();
    }
    tree
}

impl Tree {
    /// True if parsing was given up, since it takes out of all proportion long: the tree is that of an empty text.
    pub fn gave_up(&self) -> bool {
        self.gave_up
    }

    /// Parses `text`. Syntax errors become error nodes.
    pub fn parse(language: &Language, text: &str) -> Self {
        Self::parse_as(language, (language.grammar.main)(), text, None)
    }

    /// Parses the text of a file, whose name may choose a dialect.
    pub fn parse_file(language: &Language, path: &RelPath, text: &str) -> Self {
        Self::parse_as(language, language.grammar_for(path.extension()), text, None)
    }

    /// Parses a text as that of a file with this ending.
    pub fn parse_ending(language: &Language, ending: &str, text: &str) -> Self {
        Self::parse_as(language, language.grammar_for(Some(ending)), text, None)
    }

    fn parse_as(
        language: &Language,
        grammar: &'static tree_sitter::Language,
        text: &str,
        old: Option<&tree_sitter::Tree>,
    ) -> Self {
        let mut parser = PARSER.take().unwrap_or_default();
        let set = parser.set_language(grammar);
        debug_assert!(set.is_ok(), "the grammar of {} fits the runtime", language.id);
        let Some(main) = within_budget(&mut parser, language.grammar.budget, text.as_bytes(), old)
        else {
            // A fresh parser has no state to trip over, and nothing is done for an empty text.
            let mut parser = Parser::new();
            drop(parser.set_language(grammar));
            let main = parser.parse("", None);
            let Some(main) = main else { return Self::parse_as(language, grammar, "", None) };
            return Self { main, grammar, layers: Vec::new(), shape: None, gave_up: true };
        };
        let shape = language
            .grammar
            .reshape
            .as_ref()
            .map(|r| Shape::of(r.read, (r.kinds, r.fields), &main, text));
        let mut out = Self { main, grammar, layers: Vec::new(), shape, gave_up: false };
        if let Some(layer) = &language.grammar.layer {
            out.add_layers(layer, language, &mut parser, text);
        }
        PARSER.set(Some(parser));
        out
    }

    fn add_layers(&mut self, layer: &Layer, language: &Language, parser: &mut Parser, text: &str) {
        let (budget, reshape) = (language.grammar.budget, language.grammar.reshape.as_ref());
        for depth in 0..MAX_LAYERS {
            let from = depth.checked_sub(1).map_or(&self.main, |d| &self.layers[d].tree);
            let root = Node::new(from.root_node(), None);
            let (ranges, ends) = match layer.pages {
                [] => loose(layer, root, text),
                // A page holds no pages.
                _ if depth > 0 => return,
                _ => page::pieces(layer, root, text),
            };
            if ranges.is_empty() {
                return;
            }
            let mut shadow = text.as_bytes().to_vec();
            for e in &ends {
                shadow[*e as usize] = layer.end;
            }
            // Bytes are all that the tree is asked for; points only need to grow with them.
            let included: Vec<Range> = ranges
                .iter()
                .map(|r| Range {
                    start_byte: r.start as usize,
                    end_byte: r.end as usize,
                    start_point: Point::new(0, r.start as usize),
                    end_point: Point::new(0, r.end as usize),
                })
                .collect();
            if parser.set_included_ranges(&included).is_err() {
                return;
            }
            let tree = within_budget(parser, budget, &shadow, None);
            let reset = parser.set_included_ranges(&[]);
            debug_assert!(reset.is_ok(), "no ranges are always in order");
            let Some(tree) = tree else { return };
            let shadow = String::from_utf8(shadow).unwrap_or_default();
            let shape = reshape.map(|r| Shape::of(r.read, (r.kinds, r.fields), &tree, &shadow));
            self.layers.push(Layered { tree, shape, ranges, ends });
        }
    }

    /// The tree, and the layers that hold a place.
    pub fn roots_at(&self, at: Span) -> impl Iterator<Item = Root<'_>> {
        let main = Root { node: self.root(), ends: &[] };
        let holds = move |l: &&Layered| {
            let i = l.ranges.partition_point(|r| r.end < at.end);
            l.ranges.get(i).is_some_and(|r| r.contains(at))
        };
        let layers = self.layers.iter().filter(holds);
        std::iter::once(main).chain(layers.map(|l| Root { node: l.root(), ends: &l.ends }))
    }

    /// The tree and its layers.
    pub fn roots(&self) -> impl Iterator<Item = Root<'_>> {
        let main = Root { node: self.root(), ends: &[] };
        let layers = self.layers.iter();
        std::iter::once(main).chain(layers.map(|l| Root { node: l.root(), ends: &l.ends }))
    }

    /// Parses the text that came out of `edits` (old span, new length; in order, not meeting), reusing this tree.
    pub fn parse_edited(
        &self,
        language: &Language,
        old: &str,
        new: &str,
        edits: &[(Span, usize)],
    ) -> Self {
        let mut tree = self.main.clone();
        let mut shift = 0isize;
        for (span, len) in edits {
            let start = (span.start as isize + shift) as usize;
            let old_end = (span.end as isize + shift) as usize;
            // Points are only used by grammars that count columns through the lexer, which reads the new text.
            tree.edit(&InputEdit {
                start_byte: start,
                old_end_byte: old_end,
                new_end_byte: start + len,
                start_position: Point::new(0, start),
                old_end_position: Point::new(0, old_end),
                new_end_position: Point::new(0, start + len),
            });
            shift += *len as isize - span.len() as isize;
        }
        debug_assert_eq!(old.len() as isize + shift, new.len() as isize);
        Self::parse_as(language, self.grammar, new, Some(&tree))
    }

    /// The root node.
    pub fn root(&self) -> Node<'_> {
        Node::new(self.main.root_node(), self.shape.as_ref())
    }

    /// True if any part could not be parsed.
    pub fn has_error(&self) -> bool {
        self.gave_up || self.main.root_node().has_error()
    }

    /// The places that could not be parsed: error nodes and missing tokens, outermost first.
    pub fn errors(&self) -> Vec<Span> {
        let mut out = Vec::new();
        if !self.has_error() {
            return out;
        }
        walk(self.root(), |node| {
            if node.is_error() || node.is_missing() {
                out.push(span(node));
                return false;
            }
            node.has_error()
        });
        out
    }

    /// The declarations with names of their own, in source order: whole span and name.
    pub fn declarations(&self, language: &Language, text: &str) -> Vec<(Span, String)> {
        let mut out = Vec::new();
        walk(self.root(), |node| {
            let rule = language
                .declaration(node.kind())
                .filter(|d| !d.name.is_empty() && !d.body.is_empty());
            if let Some(name) = rule.and_then(|d| in_field(node, d.name)) {
                out.push((span(node), span(name).of(text).to_owned()));
            }
            true
        });
        out
    }

    /// The items of the list whose first bracket stands at a place: arguments, parameters.
    pub fn items_at(&self, bracket: usize) -> Vec<Span> {
        let token = self.root().descendant_for_byte_range(bracket, bracket + 1);
        let Some(list) = token.and_then(|t| t.parent()) else { return Vec::new() };
        let items = children(list).into_iter().filter(|n| is_item(*n));
        items.map(span).collect()
    }

    /// The outermost node that covers exactly `at` and has one of these kinds (any, if there are none).
    pub fn node_at(&self, at: Span, kinds: &[&str]) -> Option<Node<'_>> {
        let mut node = self.root().descendant_for_byte_range(at.start as usize, at.end as usize)?;
        let mut best = None;
        while span(node) == at {
            let Some(parent) = node.parent() else { break };
            if kinds.is_empty() || kinds.contains(&node.kind()) || best.is_none() {
                best = Some(node);
            }
            node = parent;
        }
        best
    }

    /// True if the name at a place, after what it is qualified with, is that of a node of these kinds.
    pub fn names_one(&self, at: Span, kinds: &[&str], paths: &[&str]) -> bool {
        let found = self.root().descendant_for_byte_range(at.start as usize, at.end as usize);
        let mut node = found.and_then(|n| n.parent());
        while let Some(n) = node.filter(|n| paths.contains(&n.kind()) && span(*n).end == at.end) {
            node = n.parent();
        }
        node.is_some_and(|n| kinds.contains(&n.kind()))
    }
}

/// The separators that end a piece of loose tokens: not those between the parameters of a closure.
fn separators(layer: &Layer, parts: &[Node<'_>], text: &str) -> Vec<u32> {
    let mut out = Vec::new();
    let mut inside = false;
    for (i, part) in parts.iter().enumerate() {
        let kind = part.kind();
        if kind == layer.closure && !layer.closure.is_empty() {
            // It opens where no value stands before it.
            let before = i.checked_sub(1).map(|b| parts[b]);
            let value =
                before.is_some_and(|b| b.is_named() && !layer.openers.contains(&span(b).of(text)));
            inside = !inside && !value;
        } else if kind == layer.separator && !inside {
            out.push(part.start_byte() as u32);
        }
    }
    out
}

/// Where loose tokens stand, without the first bracket, and which of their bytes end a piece.
fn loose(layer: &Layer, root: Node<'_>, text: &str) -> (Vec<Span>, Vec<u32>) {
    let (mut ranges, mut ends) = (Vec::new(), Vec::new());
    walk(root, |node| {
        if node.kind() != layer.parent {
            return true;
        }
        for list in children(node).into_iter().filter(|c| c.kind() == layer.kind) {
            let parts = children(list);
            if parts.len() < 3 || list.has_error() {
                continue;
            }
            ends.extend(separators(layer, &parts, text));
            ends.push(list.end_byte() as u32 - 1);
            ranges.push(Span::new(list.start_byte() + 1, list.end_byte()));
        }
        false
    });
    (ranges, ends)
}
