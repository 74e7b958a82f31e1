//! The children of a node as a row: where they begin and end, and what stands between commas.

use tree_sitter::Node;

/// The children of a node, in the order in which they stand.
pub(super) struct Children<'t>(pub(super) Vec<Node<'t>>);

impl<'t> Children<'t> {
    pub(super) fn of(node: Node<'t>) -> Self {
        let mut cursor = node.walk();
        Self(node.children(&mut cursor).collect())
    }

    /// The number of the first child of a kind.
    pub(super) fn first(&self, kind: &str) -> Option<usize> {
        self.from(0, kind)
    }

    /// The same from a number on.
    pub(super) fn from(&self, at: usize, kind: &str) -> Option<usize> {
        Some(at + self.0.get(at..)?.iter().position(|c| c.kind() == kind)?)
    }

    /// The number of the first child of one of these kinds.
    pub(super) fn first_of(&self, kinds: &[&str]) -> Option<usize> {
        self.0.iter().position(|c| kinds.contains(&c.kind()))
    }

    /// The kind of what stands before a child, comments left out.
    pub(super) fn before(&self, at: usize) -> Option<&'t str> {
        self.0[..at].iter().rev().find(|c| !c.is_extra()).map(|c| c.kind())
    }
}

/// The numbers of the brackets around a list.
pub(super) fn between(all: &Children<'_>, open: &str, close: &str) -> Option<(usize, usize)> {
    let close = all.0.iter().rposition(|c| c.kind() == close)?;
    all.first(open).filter(|open| *open < close).map(|open| (open, close))
}

/// What stands between commas from one child to before another: the first and the last of each, without the comments around.
pub(super) fn cut(all: &Children<'_>, from: usize, to: usize) -> Vec<(usize, usize)> {
    let mut out: Vec<(usize, usize)> = Vec::new();
    let mut open: Option<(usize, usize)> = None;
    let mut depth = 0_usize;
    for at in from..to {
        let child = all.0[at];
        match child.kind() {
            "(" => depth += 1,
            ")" => depth = depth.saturating_sub(1),
            _ => {}
        }
        if child.kind() == "," && depth == 0 {
            out.extend(open.take());
        } else if !child.is_extra() {
            open = Some((open.map_or(at, |o| o.0), at));
        }
    }
    out.extend(open);
    out
}

/// The field that a child stands in.
pub(super) fn field_of<'t>(node: Node<'t>, child: Node<'_>) -> Option<&'t str> {
    let mut cursor = node.walk();
    let mut goes = cursor.goto_first_child_for_byte(child.start_byte()).is_some();
    while goes {
        if cursor.node() == child {
            return cursor.field_name();
        }
        goes = cursor.goto_next_sibling();
    }
    None
}

/// The children of a node, those of dissolved ones in place of these.
pub(super) fn gather(node: Node<'_>, dissolved: &[usize], out: &mut Vec<usize>) {
    let mut cursor = node.walk();
    for child in node.children(&mut cursor) {
        match dissolved.contains(&child.id()) {
            true => gather(child, dissolved, out),
            false => out.push(child.id()),
        }
    }
}

pub(super) fn is_type(node: Node<'_>) -> bool {
    let kind = node.kind();
    kind.ends_with("_type") || kind == "metatype" || kind == "type_pack_expansion"
}

/// The type among the children of a node.
pub(super) fn type_in(node: Node<'_>) -> Option<Node<'_>> {
    let mut cursor = node.walk();
    node.children_by_field_name("name", &mut cursor).find(|c| is_type(*c))
}
