//! What code among loose tokens declares: the arguments of macros have scopes and bindings like other code.

use crate::tree::{Node, TreeCursor};
use emendo_text::Span;

use crate::facts::Scope;
use crate::facts::pass::kinds::bits;
use crate::facts::pass::{Above, Pass};
use crate::tree::{is_page, span};

/// Deeper code in macros declares nothing that is asked for.
const MAX_DEPTH: usize = 200;

impl Pass<'_> {
    /// True for a list of loose tokens that a layer reads as code.
    pub(crate) fn is_layered(&self, node: Node<'_>) -> bool {
        let Some(layer) = &self.language.grammar.layer else { return false };
        if !layer.pages.is_empty() {
            let page = || node.parent().is_some_and(|p| is_page(layer, node, p, self.text));
            return !self.outline && node.kind() == layer.kind && page();
        }
        !self.outline
            && node.kind() == layer.kind
            && self.parents.last().is_some_and(|p| p.kind == layer.parent)
    }

    /// Takes in what the code in a list of loose tokens declares, where it reads as code. `layer` counts from 1.
    pub(crate) fn layered(&mut self, list: Span, layer: usize, depth: usize) {
        let Some(root) = self.tree.roots().nth(layer) else { return };
        let mut cursor = root.node.walk();
        if cursor.goto_first_child_for_byte(list.start as usize).is_none() {
            return;
        }
        loop {
            let node = cursor.node();
            if node.start_byte() >= list.end as usize {
                return;
            }
            if !node.has_error() {
                self.in_layer(&mut cursor, layer, depth);
            }
            if !cursor.goto_next_sibling() {
                return;
            }
        }
    }

    /// Takes in all of the code in a page.
    pub(crate) fn paged(&mut self, page: Span) {
        let Some(root) = self.tree.roots().nth(1) else { return };
        let mut cursor = root.node.walk();
        if cursor.goto_first_child_for_byte(page.start as usize).is_none() {
            return;
        }
        while cursor.node().start_byte() < page.end as usize {
            self.in_page(&mut cursor);
            if !cursor.goto_next_sibling() {
                return;
            }
        }
    }

    fn in_page(&mut self, cursor: &mut TreeCursor<'_>) {
        if !self.enter(cursor) {
            return;
        }
        if cursor.goto_first_child() {
            loop {
                self.in_page(cursor);
                if !cursor.goto_next_sibling() {
                    break;
                }
            }
            cursor.goto_parent();
        }
        self.leave();
    }

    fn in_layer(&mut self, cursor: &mut TreeCursor<'_>, layer: usize, depth: usize) {
        let node = cursor.node();
        let known = self.kind(node);
        if !known.is(bits::NAMED) || node.is_extra() || depth > MAX_DEPTH {
            return;
        }
        self.told_above(cursor, known.name);
        let around = self.open.last().copied().unwrap_or(0);
        let tokens = self.is_layered(node);
        let opened = known.is(bits::SCOPE) || tokens;
        if opened {
            self.open_scope(node, around, around);
        }
        if known.is(bits::BINDS) {
            self.bind(node, around);
        }
        self.parents.push(Above::new(known.name, span(node), opened));
        if tokens {
            self.layered(span(node), layer + 1, depth + 1);
        } else if cursor.goto_first_child() {
            loop {
                self.in_layer(cursor, layer, depth + 1);
                if !cursor.goto_next_sibling() {
                    break;
                }
            }
            cursor.goto_parent();
        }
        self.leave();
    }

    /// Opens a scope for a node, which sees the names of another.
    pub(crate) fn open_scope(&mut self, node: Node<'_>, sees: u32, around: u32) {
        let id = self.facts.scopes.len() as u32;
        let scope = Scope {
            span: span(node),
            parent: Some(sees),
            around: Some(around),
            walled: self.language.scopes.walls.contains(&node.kind()),
            bindings: Vec::new(),
        };
        self.facts.scopes.push(scope);
        self.open.push(id);
    }
}
