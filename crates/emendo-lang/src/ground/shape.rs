//! What a grammar's nodes are besides, by the words that stand in them.

use rustc_hash::{FxHashMap, FxHashSet};

use crate::ground::group::{Group, Groups, Place};

/// Says what a node is, and nodes within it.
pub type ReadShape = fn(tree_sitter::Node<'_>, &str, &mut Shape);

/// Kinds, fields and parts that nodes of a tree have besides those of the grammar.
#[derive(Clone, Debug, Default)]
pub struct Shape {
    kinds: FxHashMap<usize, &'static str>,
    /// By the node, the number of a part or a group of it, and the name.
    fields: FxHashMap<(usize, u32, &'static str), Within>,
    groups: FxHashMap<usize, Groups>,
    /// The children of nodes with groups.
    grouped: FxHashMap<usize, usize>,
    /// Nodes that need not be asked for.
    settled: FxHashSet<usize>,
    roles: FxHashMap<usize, &'static str>,
    parts: FxHashMap<usize, Vec<Part>>,
    ends: FxHashMap<usize, usize>,
    /// The number of the first kind and the first field that the grammar does not have, and their names.
    own_kinds: (u16, &'static [&'static str]),
    own_fields: (u16, &'static [&'static str]),
}

/// A part of a token.
#[derive(Clone, Copy, Debug)]
pub struct Part {
    /// Its first byte.
    pub start: usize,
    /// The byte after its last one.
    pub end: usize,
    /// Its kind.
    pub kind: &'static str,
    /// It is a word, and not a sign.
    pub is_word: bool,
}

/// A node within another.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Within {
    pub(crate) id: usize,
    /// The number of a group, from one on; zero for the node itself.
    pub(crate) part: u32,
    pub(crate) start: usize,
    pub(crate) end: usize,
}

impl Shape {
    /// The shape of a parsed text.
    pub(crate) fn of(
        read: ReadShape,
        (own_kinds, own_fields): (&'static [&'static str], &'static [&'static str]),
        tree: &tree_sitter::Tree,
        text: &str,
    ) -> Self {
        let grammar = tree.language();
        let kinds = grammar.node_kind_count();
        let fields = grammar.field_count() + 1;
        let mut out = Self {
            own_kinds: (u16::try_from(kinds).unwrap_or(u16::MAX), own_kinds),
            own_fields: (u16::try_from(fields).unwrap_or(u16::MAX), own_fields),
            ..Self::default()
        };
        let mut cursor = tree.walk();
        loop {
            read(cursor.node(), text, &mut out);
            if cursor.goto_first_child() {
                continue;
            }
            while !cursor.goto_next_sibling() {
                if !cursor.goto_parent() {
                    return out;
                }
            }
        }
    }

    /// Gives a node a kind.
    pub fn set_kind(&mut self, node: tree_sitter::Node<'_>, kind: &'static str) {
        self.kinds.insert(node.id(), kind);
    }

    /// The kind that a node was given.
    pub fn kind(&self, node: tree_sitter::Node<'_>) -> Option<&'static str> {
        self.kind_of(node.id())
    }

    /// Gives a node a field that holds a node somewhere in the tree, most often within it.
    pub fn set_field(
        &mut self,
        node: tree_sitter::Node<'_>,
        field: &'static str,
        within: tree_sitter::Node<'_>,
    ) {
        self.put((node.id(), 0, field), within);
    }

    fn put(&mut self, key: (usize, u32, &'static str), within: tree_sitter::Node<'_>) {
        let (start, end) = (within.start_byte(), within.end_byte());
        self.fields.insert(key, Within { id: within.id(), part: 0, start, end });
    }

    /// Puts children of a node in groups, which are nodes of their own: those that hold others first, then in the order in
    /// which they stand.
    pub fn set_groups(&mut self, node: tree_sitter::Node<'_>, groups: &[Group]) {
        self.dissolve(node, groups, &[]);
    }

    /// The same, where nodes within the node are none: their children count as its own.
    pub fn dissolve(&mut self, node: tree_sitter::Node<'_>, groups: &[Group], dissolved: &[usize]) {
        // More are not told apart by their numbers.
        if groups.is_empty() && dissolved.is_empty() || groups.len() >= GROUP as usize {
            return;
        }
        let groups = Groups::of(node, groups, dissolved, self.own_fields.1);
        self.grouped.extend(groups.places.keys().map(|child| (*child, node.id())));
        self.groups.insert(node.id(), groups);
    }

    /// Says that a node need not be asked for.
    pub fn settle(&mut self, node: tree_sitter::Node<'_>) {
        self.settled.insert(node.id());
    }

    /// True for a node of which that was said.
    pub fn is_settled(&self, node: tree_sitter::Node<'_>) -> bool {
        self.settled.contains(&node.id())
    }

    /// Gives a group of a node a field that holds a node somewhere in the tree.
    pub fn set_group_field(
        &mut self,
        (node, group): (tree_sitter::Node<'_>, usize),
        field: &'static str,
        within: tree_sitter::Node<'_>,
    ) {
        self.put((node.id(), group_number(group), field), within);
    }

    /// Gives a node a field that holds a group of its own, or of another one.
    pub fn set_field_to_group(
        &mut self,
        node: tree_sitter::Node<'_>,
        field: &'static str,
        (host, group): (tree_sitter::Node<'_>, usize),
    ) {
        let Some(found) = self.groups_of(host.id()).and_then(|g| g.all.get(group)) else { return };
        let ((start, end), part) = (found.bytes, group_number(group));
        self.fields.insert((node.id(), 0, field), Within { id: host.id(), part, start, end });
    }

    /// Gives a group of a node a field that holds another one of them.
    pub fn set_group_field_to_group(
        &mut self,
        (node, group): (tree_sitter::Node<'_>, usize),
        field: &'static str,
        within: usize,
    ) {
        let Some(found) = self.groups_of(node.id()).and_then(|g| g.all.get(within)) else { return };
        let ((start, end), part) = (found.bytes, group_number(within));
        let within = Within { id: node.id(), part, start, end };
        self.fields.insert((node.id(), group_number(group), field), within);
    }

    pub(crate) fn groups_of(&self, id: usize) -> Option<&Groups> {
        if self.groups.is_empty() { None } else { self.groups.get(&id) }
    }

    /// The node with groups around a child, those, and where in them it stands: the group, and its number there.
    pub(crate) fn place_of(&self, child: usize) -> Option<(usize, &Groups, Place)> {
        let host = *self.grouped.get(&child)?;
        let groups = self.groups.get(&host)?;
        Some((host, groups, *groups.places.get(&child)?))
    }

    /// Gives a child the field that it stands in.
    pub fn set_role(&mut self, child: tree_sitter::Node<'_>, field: &'static str) {
        self.roles.insert(child.id(), field);
    }

    /// Takes a token apart.
    pub fn set_parts(&mut self, node: tree_sitter::Node<'_>, parts: Vec<Part>) {
        self.parts.insert(node.id(), parts);
    }

    /// Lets a node end before the blanks that the grammar counts to it.
    pub fn set_end(&mut self, node: tree_sitter::Node<'_>, end: usize) {
        self.ends.insert(node.id(), end);
    }

    pub(crate) fn end_of(&self, id: usize) -> Option<usize> {
        self.ends.get(&id).copied()
    }

    /// True for a token that was taken apart.
    pub fn has_parts(&self, node: tree_sitter::Node<'_>) -> bool {
        !self.parts_of(node.id()).is_empty()
    }

    pub(crate) fn kind_of(&self, id: usize) -> Option<&'static str> {
        self.kinds.get(&id).copied()
    }

    pub(crate) fn role_of(&self, id: usize) -> Option<&'static str> {
        self.roles.get(&id).copied()
    }

    pub(crate) fn parts_of(&self, id: usize) -> &[Part] {
        self.parts.get(&id).map_or(&[], Vec::as_slice)
    }

    pub(crate) fn in_field(&self, (id, part): (usize, u32), field: &str) -> Option<&Within> {
        let (_, own) = self.own_fields;
        let field = own.iter().find(|f| **f == field)?;
        self.fields.get(&(id, part, field))
    }

    pub(crate) fn number(&self, kind: &str) -> Option<u16> {
        let (first, own) = self.own_kinds;
        Some(first + u16::try_from(own.iter().position(|k| *k == kind)?).ok()?)
    }

    pub(crate) fn field_number(&self, field: &str) -> Option<u16> {
        let (first, own) = self.own_fields;
        Some(first + u16::try_from(own.iter().position(|f| *f == field)?).ok()?)
    }

    pub(crate) fn field_name(&self, number: u16) -> Option<&'static str> {
        let (first, own) = self.own_fields;
        own.get(usize::from(number.checked_sub(first)?)).copied()
    }
}

/// What tells the numbers of groups from those of the parts of a token.
pub(crate) const GROUP: u32 = 1 << 19;

/// The number of a group among the parts of a node.
pub(crate) fn group_number(group: usize) -> u32 {
    GROUP | u32::try_from(group).unwrap_or(GROUP)
}
