//! Nodes that a grammar leaves out: several children of one node that are one thing.

use rustc_hash::FxHashMap;
use tree_sitter::{Node, Point};

/// Several children of a node as one: from one of them to another, both included.
#[derive(Clone, Debug)]
pub struct Group {
    /// Its kind.
    pub kind: &'static str,
    /// The numbers of the first and the last child.
    pub children: (usize, usize),
    /// The field that it stands in; empty if there is none.
    pub role: &'static str,
}

impl Group {
    /// The children from one number to another.
    pub const fn new(kind: &'static str, first: usize, last: usize) -> Self {
        Self { kind, children: (first, last), role: "" }
    }

    /// The same in a field.
    #[must_use]
    pub const fn in_field(self, role: &'static str) -> Self {
        Self { role, ..self }
    }
}

/// Something that stands in a node or in a group.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Item {
    /// A child: what tells it from all others, its bytes, and its field in the grammar.
    Child { id: usize, bytes: (usize, usize), named: bool, field: Option<&'static str> },
    /// A group by its number.
    Group(usize),
}

impl Item {
    pub(crate) const fn is_named(self) -> bool {
        match self {
            Self::Child { named, .. } => named,
            Self::Group(_) => true,
        }
    }
}

/// A group with what stands in it.
#[derive(Clone, Debug)]
pub(crate) struct Grouped {
    pub(crate) kind: &'static str,
    pub(crate) role: &'static str,
    pub(crate) bytes: (usize, usize),
    pub(crate) points: (Point, Point),
    pub(crate) has_error: bool,
    pub(crate) items: Vec<Item>,
    /// The group that it stands in, if it is one, and its number there.
    pub(crate) around: Option<usize>,
    pub(crate) at: usize,
}

/// Where a child stands: the group, if it is in one, and its number there.
pub(crate) type Place = (Option<usize>, usize);

/// The groups of a node.
#[derive(Clone, Debug, Default)]
pub(crate) struct Groups {
    pub(crate) all: Vec<Grouped>,
    /// What stands in the node itself.
    pub(crate) items: Vec<Item>,
    /// Where its children stand.
    pub(crate) places: FxHashMap<usize, Place>,
}

impl Groups {
    /// Puts the children of a node in groups. Groups that hold others stand before them. Of nodes that are dissolved the
    /// children count as those of the node around.
    pub(crate) fn of(
        node: Node<'_>,
        groups: &[Group],
        dissolved: &[usize],
        fields: &[&'static str],
    ) -> Self {
        let mut children = Vec::new();
        gather(node, dissolved, fields, &mut children);
        let mut out = Self::default();
        let holds = |at: usize, group: &Group| group.children.0 <= at && at <= group.children.1;
        for (number, group) in groups.iter().enumerate() {
            let (first, last) = (children[group.children.0].0, children[group.children.1].0);
            let around = (0..number).rev().find(|i| holds(group.children.0, &groups[*i]));
            let inner = &children[group.children.0..=group.children.1];
            out.all.push(Grouped {
                kind: group.kind,
                role: group.role,
                bytes: (first.start_byte(), last.end_byte()),
                points: (first.start_position(), last.end_position()),
                has_error: inner.iter().any(|c| c.0.has_error()),
                items: Vec::new(),
                around,
                at: 0,
            });
        }
        let mut open: Vec<usize> = Vec::new();
        let mut next = 0;
        for (at, (child, field)) in children.iter().enumerate() {
            while open.last().is_some_and(|g| !holds(at, &groups[*g])) {
                open.pop();
            }
            while groups.get(next).is_some_and(|g| g.children.0 == at) {
                let number = out.push(open.last().copied(), Item::Group(next));
                out.all[next].at = number;
                open.push(next);
                next += 1;
            }
            let item = Item::Child {
                id: child.id(),
                bytes: (child.start_byte(), child.end_byte()),
                named: child.is_named(),
                field: *field,
            };
            let around = open.last().copied();
            let number = out.push(around, item);
            out.places.insert(child.id(), (around, number));
        }
        out
    }

    fn push(&mut self, around: Option<usize>, item: Item) -> usize {
        let items = around.map_or(&mut self.items, |g| &mut self.all[g].items);
        items.push(item);
        items.len() - 1
    }

    /// What stands in a group, or in the node itself.
    pub(crate) fn items_of(&self, group: Option<usize>) -> &[Item] {
        group.map_or(&self.items, |g| &self.all[g].items)
    }

    /// The innermost group that holds these bytes.
    pub(crate) fn holding(&self, start: usize, end: usize) -> Option<usize> {
        let holds = |g: &Grouped| g.bytes.0 <= start && end <= g.bytes.1;
        (0..self.all.len()).rev().find(|g| holds(&self.all[*g]))
    }
}

/// The children of a node with their fields, those of dissolved ones in place of these.
fn gather<'t>(
    node: Node<'t>,
    dissolved: &[usize],
    fields: &[&'static str],
    out: &mut Vec<(Node<'t>, Option<&'static str>)>,
) {
    let mut cursor = node.walk();
    let mut goes = cursor.goto_first_child();
    while goes {
        let child = cursor.node();
        match dissolved.contains(&child.id()) {
            true => gather(child, dissolved, fields, out),
            false => {
                let field = fields.iter().find(|f| Some(**f) == cursor.field_name());
                out.push((child, field.copied()));
            }
        }
        goes = cursor.goto_next_sibling();
    }
}
