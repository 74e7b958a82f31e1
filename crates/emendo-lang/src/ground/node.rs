//! Nodes of a tree, as the tables of a language see them.
//!
//! A node is that of the grammar, unless a `Shape` says otherwise: where a grammar has one kind for many things, a shape gives
//! nodes kinds and fields of their own, takes a token apart that is several words, and makes one of several children.

use std::hash::{Hash, Hasher};

use crate::ground::group::{Grouped, Groups, Item};
use crate::ground::shape::{GROUP, Part, Shape, group_number};

/// A node of a tree.
#[derive(Clone, Copy)]
pub struct Node<'t> {
    pub(super) inner: tree_sitter::Node<'t>,
    pub(super) shape: Option<&'t Shape>,
    /// The number of a part of a token, or of a group of children, from one on; zero for the node itself.
    pub(super) part: u32,
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

    pub(super) fn like(self, inner: tree_sitter::Node<'t>) -> Self {
        Self::new(inner, self.shape)
    }

    /// The parts of a token that is several words.
    pub(super) fn parts(self) -> &'t [Part] {
        let shape = self.shape.filter(|_| self.part == 0);
        shape.map_or(&[], |s| s.parts_of(self.inner.id()))
    }

    pub(super) fn own_part(self) -> Option<&'t Part> {
        let at = (self.part as usize).checked_sub(1)?;
        self.shape?.parts_of(self.inner.id()).get(at)
    }

    pub(super) fn nth_part(self, at: usize) -> Option<Self> {
        (at < self.parts().len()).then(|| self.numbered(at))
    }

    pub(super) fn numbered(self, at: usize) -> Self {
        Self { part: u32::try_from(at + 1).unwrap_or(u32::MAX), ..self }
    }

    pub(super) fn nth_group(self, at: usize) -> Self {
        Self { part: group_number(at), ..self }
    }

    /// The groups of the node, or of the one that this is a group of.
    pub(super) fn groups(self) -> Option<&'t Groups> {
        self.shape?.groups_of(self.inner.id())
    }

    /// The number of the group that it is.
    fn group(self) -> Option<usize> {
        (self.part & GROUP > 0).then_some((self.part & !GROUP) as usize)
    }

    /// The number of the part of a token that it is; zero for any other node.
    pub(super) fn of_token(self) -> u32 {
        if self.part & GROUP > 0 { 0 } else { self.part }
    }

    pub(super) fn own_group(self) -> Option<&'t Grouped> {
        let group = self.group()?;
        self.groups()?.all.get(group)
    }

    /// What stands in it, if that is other than what the grammar says.
    pub(super) fn items(self) -> Option<&'t [Item]> {
        Some(self.groups()?.items_of(self.group()))
    }

    /// A node for one of its items.
    pub(super) fn item(self, item: Item) -> Option<Self> {
        match item {
            Item::Group(at) => Some(self.nth_group(at)),
            Item::Child { id, bytes: (start, end), .. } => {
                let mut node = self.inner.descendant_for_byte_range(start, end)?;
                while node.id() != id {
                    match node.parent().filter(|n| *n != self.inner) {
                        Some(around) => node = around,
                        // What takes no room is not found by its bytes.
                        None => return self.item_without_room(id),
                    }
                }
                Some(self.like(node))
            }
        }
    }

    fn item_without_room(self, id: usize) -> Option<Self> {
        let first = self.inner.child(0);
        let found = std::iter::successors(first, tree_sitter::Node::next_sibling);
        Some(self.like(found.into_iter().find(|c| c.id() == id)?))
    }

    /// The node with the groups that it stands in, what stands beside it there, and its number among these.
    fn place(self) -> Option<(Self, &'t [Item], usize)> {
        if let Some(group) = self.own_group() {
            let items = self.groups()?.items_of(group.around);
            let around = group.around.map_or(Self { part: 0, ..self }, |g| self.nth_group(g));
            return Some((around, items, group.at));
        }
        let (id, groups, (group, at)) =
            self.shape.filter(|_| self.part == 0)?.place_of(self.inner.id())?;
        let mut host = self.inner.parent()?;
        while host.id() != id {
            host = host.parent()?;
        }
        let host = self.like(host);
        Some((group.map_or(host, |g| host.nth_group(g)), groups.items_of(group), at))
    }

    /// What tells the node from all others of its tree.
    pub fn id(self) -> usize {
        // Nodes are eight bytes apart, and an address has no more than 47 bits.
        (self.inner.id() >> 3).wrapping_shl(20).wrapping_add(self.part as usize)
    }

    /// Its kind.
    pub fn kind(self) -> &'t str {
        self.own_kind().unwrap_or_else(|| self.inner.kind())
    }

    /// The kind that a shape gives it.
    pub(crate) fn own_kind(self) -> Option<&'static str> {
        let shape = self.shape?;
        if self.part == 0 {
            return shape.kind_of(self.inner.id());
        }
        self.own_part().map(|p| p.kind).or_else(|| Some(self.own_group()?.kind))
    }

    /// The number of its kind, equal for nodes of one kind in trees of one language.
    pub fn kind_id(self) -> u16 {
        let Some(kind) = self.own_kind() else { return self.inner.kind_id() };
        let own = self.shape.and_then(|s| s.number(kind));
        own.unwrap_or_else(|| self.inner.language().id_for_node_kind(kind, true))
    }

    /// True where the grammar names the node, and it is not a mere sign.
    pub fn is_named(self) -> bool {
        if self.part == 0 {
            self.inner.is_named()
        } else {
            self.own_part().is_none_or(|p| p.is_word)
        }
    }

    /// True for comments and what could not be parsed.
    pub fn is_extra(self) -> bool {
        self.part == 0 && self.inner.is_extra()
    }

    /// True for what could not be parsed.
    pub fn is_error(self) -> bool {
        self.part == 0 && self.inner.is_error()
    }

    /// True for a token that should be there.
    pub fn is_missing(self) -> bool {
        self.part == 0 && self.inner.is_missing()
    }

    /// True where something in it could not be parsed.
    pub fn has_error(self) -> bool {
        self.own_group().map_or_else(|| self.inner.has_error(), |g| g.has_error)
    }

    /// Its first byte.
    pub fn start_byte(self) -> usize {
        if let Some(group) = self.own_group() {
            return group.bytes.0;
        }
        self.own_part()
            .or(self.parts().first())
            .map_or_else(|| self.inner.start_byte(), |p| p.start)
    }

    /// The byte after its last one.
    pub fn end_byte(self) -> usize {
        if let Some(group) = self.own_group() {
            return group.bytes.1;
        }
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
        let ((start_byte, end_byte), Some(group)) =
            ((self.start_byte(), self.end_byte()), self.own_group())
        else {
            return self.inner.range();
        };
        let (start_point, end_point) = group.points;
        tree_sitter::Range { start_byte, end_byte, start_point, end_point }
    }

    /// The line and column of its first byte.
    pub fn start_position(self) -> tree_sitter::Point {
        self.own_group().map_or_else(|| self.inner.start_position(), |g| g.points.0)
    }

    /// The line and column after its last byte.
    pub fn end_position(self) -> tree_sitter::Point {
        self.own_group().map_or_else(|| self.inner.end_position(), |g| g.points.1)
    }

    /// The grammar that it was parsed with.
    pub fn language(self) -> tree_sitter::LanguageRef<'t> {
        self.inner.language()
    }

    /// The node around.
    pub fn parent(self) -> Option<Self> {
        if let Some((around, ..)) = self.place() {
            return Some(around);
        }
        if self.part > 0 {
            return Some(Self { part: 0, ..self });
        }
        Some(self.like(self.inner.parent()?))
    }

    /// How many children it has.
    pub fn child_count(self) -> usize {
        if let Some(items) = self.items() {
            return items.len();
        }
        match self.parts().len() {
            _ if self.part > 0 => 0,
            0 => self.inner.child_count() as usize,
            some => some,
        }
    }

    /// A child by its number.
    pub fn child(self, at: usize) -> Option<Self> {
        if let Some(items) = self.items() {
            return self.item(*items.get(at)?);
        }
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
        if let Some(items) = self.items() {
            return items.iter().filter(|i| i.is_named()).count();
        }
        match self.parts() {
            _ if self.part > 0 => 0,
            [] => self.inner.named_child_count(),
            some => some.iter().filter(|p| p.is_word).count(),
        }
    }

    /// A named child by its number.
    pub fn named_child(self, at: usize) -> Option<Self> {
        if let Some(items) = self.items() {
            return self.item(*items.iter().filter(|i| i.is_named()).nth(at)?);
        }
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
        let of_grammar = self.inner.language().field_id_for_name(field);
        let own = || self.shape.and_then(|s| s.field_number(field));
        of_grammar.map(std::num::NonZero::get).or_else(own)
    }

    /// What a shape put in a field: a node within this one by its bytes and kind.
    pub(super) fn found(self, at: &crate::ground::shape::Within) -> Option<Self> {
        let mut from = self.inner;
        while at.start < from.start_byte() || from.end_byte() < at.end {
            from = from.parent()?;
        }
        let mut node = from.descendant_for_byte_range(at.start, at.end)?;
        while node.id() != at.id {
            node = node.parent()?;
        }
        Some(Self { part: at.part, ..self.like(node) })
    }

    fn beside(
        self,
        step: isize,
        is: impl Fn(Self) -> bool,
        next: impl Fn(tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>>,
    ) -> Option<Self> {
        if let Some((around, items, at)) = self.place() {
            let mut at = at.checked_add_signed(step)?;
            loop {
                let found = around.item(*items.get(at)?)?;
                if is(found) {
                    return Some(found);
                }
                at = at.checked_add_signed(step)?;
            }
        }
        if self.part == 0 {
            return Some(self.like(next(self.inner)?));
        }
        let whole = Self { part: 0, ..self };
        let mut at = (self.part as usize - 1).checked_add_signed(step)?;
        loop {
            let found = whole.nth_part(at)?;
            if is(found) {
                return Some(found);
            }
            at = at.checked_add_signed(step)?;
        }
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
        if let Some(group) = found.groups().and_then(|g| g.holding(start, end)) {
            return Some(found.nth_group(group));
        }
        let parts = found.parts();
        let at = parts.iter().position(|p| p.start <= start && end <= p.end);
        Some(at.and_then(|at| found.nth_part(at)).unwrap_or(found))
    }
}
