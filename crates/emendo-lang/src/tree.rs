//! Parsed texts.

use emendo_text::Span;
use tree_sitter::{InputEdit, Node, Parser, Point, TreeCursor};

use crate::Language;

/// A parsed text. It owns no text: callers hand the same text in again.
#[derive(Clone, Debug)]
pub struct Tree(tree_sitter::Tree);

impl Tree {
    /// Parses `text`. Syntax errors become error nodes.
    pub fn parse(language: &Language, text: &str) -> Self {
        Self::parse_again(language, text, None)
    }

    fn parse_again(language: &Language, text: &str, old: Option<&tree_sitter::Tree>) -> Self {
        let mut parser = Parser::new();
        let set = parser.set_language((language.grammar)());
        debug_assert!(set.is_ok(), "the grammar of {} fits the runtime", language.id);
        match parser.parse(text, old) {
            Some(tree) => Self(tree),
            // Only a cancelled parse gives no tree, and none is ever cancelled; a fresh one has no state to trip over.
            None => Self::parse_again(language, "", None),
        }
    }

    /// Parses the text that came out of `edits` (old span, new length; in order, not meeting), reusing this tree.
    pub fn parse_edited(
        &self,
        language: &Language,
        old: &str,
        new: &str,
        edits: &[(Span, usize)],
    ) -> Self {
        let mut tree = self.0.clone();
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
        Self::parse_again(language, new, Some(&tree))
    }

    /// The root node.
    pub fn root(&self) -> Node<'_> {
        self.0.root_node()
    }

    /// True if any part could not be parsed.
    pub fn has_error(&self) -> bool {
        self.0.root_node().has_error()
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
            if let Some(name) = rule.and_then(|d| node.child_by_field_name(d.name)) {
                out.push((span(node), span(name).of(text).to_owned()));
            }
            true
        });
        out
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
}

/// A node's range.
pub(crate) fn span(node: Node<'_>) -> Span {
    Span::new(node.start_byte(), node.end_byte())
}

/// Visits nodes in source order without recursion; `visit` says whether to go into a node.
pub(crate) fn walk<'t>(root: Node<'t>, mut visit: impl FnMut(Node<'t>) -> bool) {
    walk_cursor(root, |cursor| visit(cursor.node()), |_| {});
}

/// Visits nodes with the cursor, which knows fields; `leave` is called for each node that was gone into.
pub(crate) fn walk_cursor<'t>(
    root: Node<'t>,
    mut enter: impl FnMut(&TreeCursor<'t>) -> bool,
    mut leave: impl FnMut(&TreeCursor<'t>),
) {
    let mut cursor = root.walk();
    loop {
        if enter(&cursor) && cursor.goto_first_child() {
            continue;
        }
        loop {
            if cursor.goto_next_sibling() {
                break;
            }
            if !cursor.goto_parent() {
                return;
            }
            leave(&cursor);
        }
    }
}

/// A node's children.
pub(crate) fn children<'t>(node: Node<'t>) -> Vec<Node<'t>> {
    let mut cursor = node.walk();
    node.children(&mut cursor).collect()
}

/// A node's children with their fields.
pub(crate) fn children_with_fields<'t>(node: Node<'t>) -> Vec<(Node<'t>, Option<&'t str>)> {
    let mut out = Vec::new();
    let mut cursor = node.walk();
    if cursor.goto_first_child() {
        loop {
            out.push((cursor.node(), cursor.field_name()));
            if !cursor.goto_next_sibling() {
                break;
            }
        }
    }
    out
}

/// The named leaves below a node that are single words, in order: the segments of a dotted name.
pub(crate) fn words_in(node: Node<'_>, text: &str, out: &mut Vec<(String, Span)>) {
    walk(node, |n| {
        if n.child_count() == 0 && n.is_named() && !n.is_extra() {
            out.push((span(n).of(text).to_owned(), span(n)));
        }
        true
    });
}

/// The spans of the tokens (leaves that are no comments) below `root` that lie in `within`.
pub(crate) fn tokens<'t>(root: Node<'t>, within: Span) -> Vec<Node<'t>> {
    let mut out = Vec::new();
    let start =
        root.descendant_for_byte_range(within.start as usize, within.end as usize).unwrap_or(root);
    walk(start, |n| {
        let s = span(n);
        if n.is_extra() || s.end <= within.start || s.start >= within.end {
            return false;
        }
        if n.child_count() == 0 && !s.is_empty() && within.contains(s) {
            out.push(n);
        }
        true
    });
    out
}

/// Splits any text into words, numbers and single other characters, without blanks: what two
/// spellings of the same code have in common whatever their layout.
pub fn token_texts(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut rest = text.char_indices().peekable();
    std::iter::from_fn(move || {
        loop {
            let (start, c) = rest.next()?;
            if c.is_whitespace() {
                continue;
            }
            let word = |c: char| c.is_alphanumeric() || c == '_';
            let mut end = start + c.len_utf8();
            if word(c) {
                while let Some((i, c)) = rest.next_if(|(_, c)| word(*c)) {
                    end = i + c.len_utf8();
                }
            }
            return Some((start, &text[start..end]));
        }
    })
}
