//! Nodes of a tree, as the tables of a language see them.
//!
//! A node is that of the grammar, unless a `Shape` says otherwise: where a grammar has one kind for many things, a shape gives
//! nodes kinds and fields of their own, and takes a token apart that is several words.

use std::hash::{Hash, Hasher};

use crate::ground::shape::Shape;

/// A node of a tree.
#[derive(Clone, Copy)]
pub struct Node<'t> {
    inner: tree_sitter::Node<'t>,
    shape: Option<&'t Shape>,
    /// The number of a part of a token, from one on; zero for the node itself.
    part: u32,
}

impl PartialEq for Node<'_> {
    fn eq(&self, other: &Self) -> bool {
        self.part == other.part && self.inner == other.inner
    }
}

impl Eq for Node<'_> {}

impl Hash for Node<'_> {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.inner.hash(state);
        self.part.hash(state);
    }
}

impl std::fmt::Debug for Node<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{{{} {}..{}}}", self.kind(), self.start_byte(), self.end_byte())
    }
}

impl<'t> Node<'t> {
    /// A node of the grammar, in the shape that its tree has.
    pub(crate) fn new(inner: tree_sitter::Node<'t>, shape: Option<&'t Shape>) -> Self {
        Self { inner, shape, part: 0 }
    }

    fn like(self, inner: tree_sitter::Node<'t>) -> Self {
        Self::new(inner, self.shape)
    }

    /// The parts of a token that is several words.
    fn parts(self) -> &'t [crate::ground::shape::Part] {
        let shape = self.shape.filter(|_| self.part == 0);
        shape.map_or(&[], |s| s.parts_of(self.inner.id()))
    }

    fn own_part(self) -> Option<&'t crate::ground::shape::Part> {
        let at = (self.part as usize).checked_sub(1)?;
        self.shape?.parts_of(self.inner.id()).get(at)
    }

    fn nth_part(self, at: usize) -> Option<Self> {
        (at < self.parts().len()).then(|| Self { part: at as u32 + 1, ..self })
    }

    /// What tells the node from all others of its tree.
    pub fn id(self) -> usize {
        // Nodes are apart from each other by more than a token has parts.
        self.inner.id().wrapping_mul(64).wrapping_add(self.part as usize)
    }

    /// Its kind.
    pub fn kind(self) -> &'t str {
        self.own_kind().unwrap_or_else(|| self.inner.kind())
    }

    /// The kind that a shape gives it.
    pub(crate) fn own_kind(self) -> Option<&'static str> {
        let shape = self.shape?;
        self.own_part().map_or_else(|| shape.kind_of(self.inner.id()), |part| Some(part.kind))
    }

    /// The number of its kind, equal for nodes of one kind in trees of one language.
    pub fn kind_id(self) -> u16 {
        let own = self.own_kind().and_then(|kind| self.shape?.number(kind));
        own.unwrap_or_else(|| self.inner.kind_id())
    }

    /// True where the grammar names the node, and it is not a mere sign.
    pub fn is_named(self) -> bool {
        self.own_part().map_or_else(|| self.inner.is_named(), |p| p.is_word)
    }

    /// True for comments and what could not be parsed.
    pub fn is_extra(self) -> bool {
        self.part == 0 && self.inner.is_extra()
    }

    /// True for what could not be parsed.
    pub fn is_error(self) -> bool {
        self.inner.is_error()
    }

    /// True for a token that should be there.
    pub fn is_missing(self) -> bool {
        self.inner.is_missing()
    }

    /// True where something in it could not be parsed.
    pub fn has_error(self) -> bool {
        self.inner.has_error()
    }

    /// Its first byte.
    pub fn start_byte(self) -> usize {
        self.own_part()
            .or(self.parts().first())
            .map_or_else(|| self.inner.start_byte(), |p| p.start)
    }

    /// The byte after its last one.
    pub fn end_byte(self) -> usize {
        if let Some(part) = self.own_part().or(self.parts().last()) {
            return part.end;
        }
        let own = self.shape.and_then(|s| s.end_of(self.inner.id()));
        own.unwrap_or_else(|| self.inner.end_byte())
    }

    /// Its bytes.
    pub fn byte_range(self) -> std::ops::Range<usize> {
        self.start_byte()..self.end_byte()
    }

    /// The same with lines and columns.
    pub fn range(self) -> tree_sitter::Range {
        self.inner.range()
    }

    /// The line and column of its first byte.
    pub fn start_position(self) -> tree_sitter::Point {
        self.inner.start_position()
    }

    /// The line and column after its last byte.
    pub fn end_position(self) -> tree_sitter::Point {
        self.inner.end_position()
    }

    /// The grammar that it was parsed with.
    pub fn language(self) -> tree_sitter::LanguageRef<'t> {
        self.inner.language()
    }

    /// The node around.
    pub fn parent(self) -> Option<Self> {
        if self.part > 0 {
            return Some(Self { part: 0, ..self });
        }
        Some(self.like(self.inner.parent()?))
    }

    /// How many children it has.
    pub fn child_count(self) -> usize {
        match self.parts().len() {
            _ if self.part > 0 => 0,
            0 => self.inner.child_count() as usize,
            some => some,
        }
    }

    /// A child by its number.
    pub fn child(self, at: usize) -> Option<Self> {
        if self.part > 0 {
            return None;
        }
        if !self.parts().is_empty() {
            return self.nth_part(at);
        }
        Some(self.like(self.inner.child(u32::try_from(at).ok()?)?))
    }

    /// How many of its children are named.
    pub fn named_child_count(self) -> usize {
        match self.parts() {
            _ if self.part > 0 => 0,
            [] => self.inner.named_child_count(),
            some => some.iter().filter(|p| p.is_word).count(),
        }
    }

    /// A named child by its number.
    pub fn named_child(self, at: usize) -> Option<Self> {
        if self.part > 0 {
            return None;
        }
        if !self.parts().is_empty() {
            let mut words = (0..self.parts().len()).filter(|i| self.parts()[*i].is_word);
            return self.nth_part(words.nth(at)?);
        }
        Some(self.like(self.inner.named_child(u32::try_from(at).ok()?)?))
    }

    /// The number of a field by its name.
    pub fn field_number(self, field: &str) -> Option<u16> {
        let own = self.shape.and_then(|s| s.field_number(field));
        own.or_else(|| self.inner.language().field_id_for_name(field).map(std::num::NonZero::get))
    }

    /// The first child in a field.
    pub fn child_by_field_name(self, field: &str) -> Option<Self> {
        if self.part > 0 {
            return None;
        }
        if let Some(found) = self.shape.and_then(|s| s.in_field(self.inner.id(), field)) {
            return self.found(found);
        }
        Some(self.like(self.inner.child_by_field_name(field)?))
    }

    /// The same by the number of the field.
    pub fn child_by_field_id(self, field: u16) -> Option<Self> {
        if self.part > 0 {
            return None;
        }
        if let Some(shape) = self.shape
            && let Some(name) = shape.field_name(field)
        {
            return self.found(shape.in_field(self.inner.id(), name)?);
        }
        Some(self.like(self.inner.child_by_field_id(field)?))
    }

    /// What a shape put in a field: a node within this one by its bytes and kind.
    fn found(self, at: &crate::ground::shape::Within) -> Option<Self> {
        let mut from = self.inner;
        while at.start < from.start_byte() || from.end_byte() < at.end {
            from = from.parent()?;
        }
        let mut node = from.descendant_for_byte_range(at.start, at.end)?;
        while node.id() != at.id {
            node = node.parent()?;
        }
        Some(self.like(node))
    }

    /// All children in a field.
    pub fn children_by_field_name(
        self,
        field: &str,
        cursor: &mut TreeCursor<'t>,
    ) -> impl Iterator<Item = Self> + use<'t> {
        if self.shape.is_some_and(|s| s.in_field(self.inner.id(), field).is_some()) {
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

    fn beside(
        self,
        step: isize,
        is: impl Fn(Self) -> bool,
        next: impl Fn(tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>>,
    ) -> Option<Self> {
        if self.part == 0 {
            return Some(self.like(next(self.inner)?));
        }
        let whole = Self { part: 0, ..self };
        let mut at = (self.part as isize - 1) + step;
        while at >= 0 {
            let found = whole.nth_part(usize::try_from(at).ok()?)?;
            if is(found) {
                return Some(found);
            }
            at += step;
        }
        None
    }

    /// The sibling after it.
    pub fn next_sibling(self) -> Option<Self> {
        self.beside(1, |_| true, |n| n.next_sibling())
    }

    /// The sibling before it.
    pub fn prev_sibling(self) -> Option<Self> {
        self.beside(-1, |_| true, |n| n.prev_sibling())
    }

    /// The named sibling after it.
    pub fn next_named_sibling(self) -> Option<Self> {
        self.beside(1, Self::is_named, |n| n.next_named_sibling())
    }

    /// The named sibling before it.
    pub fn prev_named_sibling(self) -> Option<Self> {
        self.beside(-1, Self::is_named, |n| n.prev_named_sibling())
    }

    /// The smallest node within it that holds these bytes.
    pub fn descendant_for_byte_range(self, start: usize, end: usize) -> Option<Self> {
        let found = self.like(self.inner.descendant_for_byte_range(start, end)?);
        let parts = found.parts();
        let at = parts.iter().position(|p| p.start <= start && end <= p.end);
        Some(at.and_then(|at| found.nth_part(at)).unwrap_or(found))
    }

    /// A cursor that begins at this node.
    pub fn walk(self) -> TreeCursor<'t> {
        TreeCursor { inner: self.inner.walk(), shape: self.shape, part: self.part, root: self.part }
    }
}

/// Goes through the nodes below one.
pub struct TreeCursor<'t> {
    inner: tree_sitter::TreeCursor<'t>,
    shape: Option<&'t Shape>,
    part: u32,
    /// The part that it began at.
    root: u32,
}

impl<'t> TreeCursor<'t> {
    /// The node that it stands at.
    pub fn node(&self) -> Node<'t> {
        Node { inner: self.inner.node(), shape: self.shape, part: self.part }
    }

    fn reset(&mut self, node: Node<'t>) {
        self.inner.reset(node.inner);
        (self.shape, self.part, self.root) = (node.shape, node.part, node.part);
    }

    /// The field that the node stands in.
    pub fn field_name(&self) -> Option<&'t str> {
        if self.part > 0 {
            return None;
        }
        let own = self.shape.and_then(|s| s.role_of(self.inner.node().id()));
        own.or_else(|| self.inner.field_name())
    }

    /// The number of that field.
    pub fn field_id(&self) -> Option<u16> {
        if self.part > 0 {
            return None;
        }
        let own = self.shape.and_then(|s| s.field_number(s.role_of(self.inner.node().id())?));
        own.or_else(|| self.inner.field_id().map(std::num::NonZero::get))
    }

    /// Goes to the first child, if there is one.
    pub fn goto_first_child(&mut self) -> bool {
        if self.part > 0 {
            return false;
        }
        if let Some(first) = self.node().nth_part(0) {
            self.part = first.part;
            return true;
        }
        self.inner.goto_first_child()
    }

    /// Goes to the first child that ends behind a byte.
    pub fn goto_first_child_for_byte(&mut self, at: usize) -> Option<usize> {
        if self.part > 0 {
            return None;
        }
        let parts = self.node().parts();
        if parts.is_empty() {
            return self.inner.goto_first_child_for_byte(at);
        }
        let found = parts.iter().position(|p| p.end > at)?;
        self.part = found as u32 + 1;
        Some(found)
    }

    /// Goes to the next sibling, if there is one.
    pub fn goto_next_sibling(&mut self) -> bool {
        if self.part == 0 {
            return self.inner.goto_next_sibling();
        }
        let whole = Node { part: 0, ..self.node() };
        let next = whole.nth_part(self.part as usize).filter(|_| self.root == 0);
        self.part = next.map_or(self.part, |n| n.part);
        next.is_some()
    }

    /// Goes to the node around, up to the one that it began at.
    pub fn goto_parent(&mut self) -> bool {
        if self.part > 0 && self.root == 0 {
            self.part = 0;
            return true;
        }
        self.part == 0 && self.inner.goto_parent()
    }
}
