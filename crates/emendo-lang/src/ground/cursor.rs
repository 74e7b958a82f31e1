//! Goes through the nodes of a tree, as the tables of a language see them.

use crate::ground::group::Item;
use crate::ground::node::Node;
use crate::ground::shape::GROUP;

/// Goes through the nodes below one.
pub struct TreeCursor<'t> {
    /// Goes through nodes as the grammar has them, from the root or from an item of the last frame on.
    inner: tree_sitter::TreeCursor<'t>,
    /// How far below that it is.
    depth: usize,
    /// The part of a token.
    part: u32,
    /// The nodes with groups, and the groups, that it has gone into.
    frames: Vec<Frame<'t>>,
    /// The node that it began at.
    root: Node<'t>,
}

/// A node with groups, or a group, that a cursor has gone into.
struct Frame<'t> {
    around: Node<'t>,
    /// The number of the item there.
    at: usize,
    /// Where the cursor was.
    inner: tree_sitter::TreeCursor<'t>,
    depth: usize,
}

impl<'t> Frame<'t> {
    fn item(&self) -> Option<Item> {
        self.around.items()?.get(self.at).copied()
    }
}

impl<'t> TreeCursor<'t> {
    pub(super) fn new(root: Node<'t>) -> Self {
        Self { inner: root.inner.walk(), depth: 0, part: root.of_token(), frames: Vec::new(), root }
    }

    /// The node that it stands at.
    pub fn node(&self) -> Node<'t> {
        match self.frames.last() {
            None if self.depth == 0 && self.root.part & GROUP > 0 => return self.root,
            Some(frame) if self.depth == 0 => {
                if let Some(Item::Group(group)) = frame.item() {
                    return frame.around.nth_group(group);
                }
            }
            _ => {}
        }
        Node { inner: self.inner.node(), shape: self.root.shape, part: self.part }
    }

    /// True where it stands at the part of a token that it began at.
    fn at_root(&self) -> bool {
        self.depth == 0 && self.frames.is_empty() && self.root.own_part().is_some()
    }

    /// The item of the innermost frame, where it stands at that.
    fn item(&self) -> Option<Item> {
        let frame = self.frames.last().filter(|_| self.depth == 0 && self.part == 0)?;
        frame.item()
    }

    pub(super) fn reset(&mut self, node: Node<'t>) {
        self.inner.reset(node.inner);
        self.frames.clear();
        (self.depth, self.part, self.root) = (0, node.of_token(), node);
    }

    /// The field that the node stands in.
    pub fn field_name(&self) -> Option<&'t str> {
        if self.part > 0 {
            return None;
        }
        let role = || self.root.shape.and_then(|s| s.role_of(self.inner.node().id()));
        match self.item() {
            Some(Item::Group(_)) => {
                let group = self.node().own_group()?;
                Some(group.role).filter(|r| !r.is_empty())
            }
            Some(Item::Child { field, .. }) => role().or(field),
            None => role().or_else(|| self.inner.field_name()),
        }
    }

    /// The number of that field.
    pub fn field_id(&self) -> Option<u16> {
        if self.frames.is_empty() && self.part == 0 && self.root.shape.is_none() {
            return self.inner.field_id().map(std::num::NonZero::get);
        }
        self.root.field_number(self.field_name()?)
    }

    /// Goes to an item of a node with groups, or of a group.
    fn at_item(&self, around: Node<'t>, item: Item) -> Option<tree_sitter::TreeCursor<'t>> {
        Some(around.item(item)?.inner.walk())
    }

    /// Goes to the first child, if there is one.
    pub fn goto_first_child(&mut self) -> bool {
        if self.root.shape.is_none() {
            return self.inner.goto_first_child();
        }
        let node = self.node();
        if let Some(items) = node.items() {
            let first = items.first().and_then(|item| self.at_item(node, *item));
            let Some(inner) = first else { return false };
            let inner = std::mem::replace(&mut self.inner, inner);
            self.frames.push(Frame { around: node, at: 0, inner, depth: self.depth });
            self.depth = 0;
            return true;
        }
        if self.part > 0 {
            return false;
        }
        if let Some(first) = node.nth_part(0) {
            self.part = first.part;
            return true;
        }
        let goes = self.inner.goto_first_child();
        self.depth += usize::from(goes);
        goes
    }

    /// Goes to the first child that ends behind a byte.
    pub fn goto_first_child_for_byte(&mut self, at: usize) -> Option<usize> {
        if self.root.shape.is_none() {
            return self.inner.goto_first_child_for_byte(at);
        }
        let node = self.node();
        if node.items().is_none() && node.parts().is_empty() {
            let found = self.inner.goto_first_child_for_byte(at);
            self.depth += usize::from(found.is_some());
            return found;
        }
        let mut number = 0;
        let mut goes = self.goto_first_child();
        while goes {
            if self.node().end_byte() > at {
                return Some(number);
            }
            number += 1;
            goes = self.goto_next_sibling();
        }
        if number > 0 {
            self.goto_parent();
        }
        None
    }

    /// Goes to the next sibling, if there is one.
    pub fn goto_next_sibling(&mut self) -> bool {
        if self.part > 0 {
            let next = Node { part: 0, ..self.node() }.nth_part(self.part as usize);
            let next = next.filter(|_| !self.at_root());
            self.part = next.map_or(self.part, |n| n.part);
            return next.is_some();
        }
        if self.depth > 0 || self.frames.is_empty() {
            return self.inner.goto_next_sibling();
        }
        let next = self.frames.last().and_then(|frame| {
            let item = *frame.around.items()?.get(frame.at + 1)?;
            self.at_item(frame.around, item)
        });
        let Some(next) = next else { return false };
        self.inner = next;
        if let Some(frame) = self.frames.last_mut() {
            frame.at += 1;
        }
        true
    }

    /// Goes to the node around, up to the one that it began at.
    pub fn goto_parent(&mut self) -> bool {
        if self.part > 0 {
            let within = !self.at_root();
            self.part = if within { 0 } else { self.part };
            return within;
        }
        if self.depth > 0 || self.frames.is_empty() {
            let goes = self.inner.goto_parent();
            self.depth = self.depth.saturating_sub(usize::from(goes));
            return goes;
        }
        let Some(frame) = self.frames.pop() else { return false };
        (self.inner, self.depth) = (frame.inner, frame.depth);
        true
    }
}

impl<'t> Node<'t> {
    /// The first child in a field.
    pub fn child_by_field_name(self, field: &str) -> Option<Self> {
        let own = self.shape.and_then(|s| s.in_field((self.inner.id(), self.part), field));
        if let Some(found) = own {
            return self.found(found);
        }
        if self.groups().is_some() {
            return self.in_cursor(|c| c.field_name() == Some(field));
        }
        if self.part > 0 {
            return None;
        }
        Some(self.like(self.inner.child_by_field_name(field)?))
    }

    /// The same by the number of the field.
    pub fn child_by_field_id(self, field: u16) -> Option<Self> {
        let Some(shape) = self.shape else {
            return Some(self.like(self.inner.child_by_field_id(field)?));
        };
        let own = || shape.field_name(field);
        let grammar = self.inner.language();
        let name = grammar.field_name_for_id(field).or_else(own)?;
        self.child_by_field_name(name)
    }

    /// The first child at which a cursor is as wanted.
    fn in_cursor(self, wanted: impl Fn(&TreeCursor<'t>) -> bool) -> Option<Self> {
        let mut cursor = self.walk();
        let mut goes = cursor.goto_first_child();
        while goes {
            if wanted(&cursor) {
                return Some(cursor.node());
            }
            goes = cursor.goto_next_sibling();
        }
        None
    }

    /// All children in a field.
    pub fn children_by_field_name(
        self,
        field: &str,
        cursor: &mut TreeCursor<'t>,
    ) -> impl Iterator<Item = Self> + use<'t> {
        let own = self.shape.and_then(|s| s.in_field((self.inner.id(), self.part), field));
        if own.is_some() {
            return self.child_by_field_name(field).into_iter().collect::<Vec<_>>().into_iter();
        }
        let mut out = Vec::new();
        cursor.reset(self);
        if cursor.goto_first_child() {
            loop {
                if cursor.field_name() == Some(field) {
                    out.push(cursor.node());
                }
                if !cursor.goto_next_sibling() {
                    break;
                }
            }
        }
        out.into_iter()
    }

    /// Its children.
    pub fn children(self, cursor: &mut TreeCursor<'t>) -> impl Iterator<Item = Self> + use<'t> {
        let mut out = Vec::with_capacity(self.child_count());
        cursor.reset(self);
        if cursor.goto_first_child() {
            loop {
                out.push(cursor.node());
                if !cursor.goto_next_sibling() {
                    break;
                }
            }
        }
        out.into_iter()
    }

    /// Its named children.
    pub fn named_children(
        self,
        cursor: &mut TreeCursor<'t>,
    ) -> impl Iterator<Item = Self> + use<'t> {
        self.children(cursor).filter(|n| n.is_named())
    }

    /// A cursor that begins at this node.
    pub fn walk(self) -> TreeCursor<'t> {
        TreeCursor::new(self)
    }
}
