//! What binds tighter: the grammar takes most operators of Swift as one, from the right on.

use emendo_lang::tree::{Group, Shape};
use tree_sitter::Node;

use crate::swift::parts::gather;

/// Kinds of operations, with the fields of their operands. What binds tighter has a higher number.
const KINDS: &[(&str, &str, &str)] = &[
    ("disjunction_expression", "lhs", "rhs"),
    ("conjunction_expression", "lhs", "rhs"),
    ("equality_expression", "lhs", "rhs"),
    ("comparison_expression", "lhs", "rhs"),
    ("infix_expression", "lhs", "rhs"),
    ("nil_coalescing_expression", "value", "if_nil"),
    ("check_expression", "target", "type"),
    ("as_expression", "expr", "type"),
    ("range_expression", "start", "end"),
    ("additive_expression", "lhs", "rhs"),
    ("multiplicative_expression", "lhs", "rhs"),
    ("bitwise_operation", "lhs", "rhs"),
];

const NIL: u8 = 4;

/// Rows of more operations are left as they are.
const MOST: usize = 1000;

pub(super) fn is_operation(kind: &str) -> bool {
    KINDS.iter().any(|k| k.0 == kind)
}

/// How tight a sign binds; none for one that this file does not know.
fn strength(sign: &str) -> Option<u8> {
    Some(match sign {
        "||" | ".|" => 1,
        "&&" => 2,
        "==" | "!=" | "===" | "!==" | "<" | ">" | "<=" | ">=" | "~=" => 3,
        "??" => NIL,
        "is" | "as" | "as?" | "as!" => 5,
        "..<" | "..." => 6,
        "+" | "-" | "|" | "^" | "&+" | "&-" => 7,
        "*" | "/" | "%" | "&" | "&*" => 8,
        "<<" | ">>" | "&<<" | "&>>" => 9,
        _ => return None,
    })
}

/// An operation: what stands in it.
struct Operation<'t> {
    left: Node<'t>,
    sign: Node<'t>,
    right: Node<'t>,
    strength: u8,
}

fn operation<'t>(node: Node<'t>, text: &str) -> Option<Operation<'t>> {
    if !is_operation(node.kind()) {
        return None;
    }
    let mut cursor = node.walk();
    let all: Vec<Node<'t>> = node.children(&mut cursor).filter(|c| !c.is_extra()).collect();
    let [left, sign, right] = all[..] else { return None };
    let strength = strength(text[sign.byte_range()].trim())?;
    Some(Operation { left, sign, right, strength })
}

/// One of the operands and signs of a row of operations, or several as one.
struct Term {
    first: usize,
    last: usize,
    /// The numbers of the left one, the sign and the right one; none for what is one thing.
    parts: Option<Box<(Self, usize, Self)>>,
}

/// Lets a row of operations be as its signs bind, where the grammar has it otherwise.
pub(super) fn operations(node: Node<'_>, text: &str, shape: &mut Shape) {
    if let Some(op) = operation(node, text) {
        if op.strength == 5 {
            shape.set_role(op.right, "type");
            shape.set_field(node, "type", op.right);
        }
        if node.kind() == "infix_expression" {
            shape.set_kind(node, kind_of(text[op.sign.byte_range()].trim()));
        }
    }
    // The outermost one was asked for all.
    if shape.is_settled(node) {
        return;
    }
    let (all, wrong) = row_of(node, text);
    all.iter().for_each(|n| shape.settle(*n));
    if !wrong || all.len() > MOST {
        return;
    }
    let row = flatten(node, text);
    let dissolved: Vec<usize> = all[1..].iter().map(Node::id).collect();
    let signs: Vec<Option<u8>> = row
        .iter()
        .enumerate()
        .map(|(i, n)| if i % 2 == 1 { strength(text[n.byte_range()].trim()) } else { None })
        .collect();
    let mut at = 0;
    let whole = climb(&signs, &mut at, 0);
    // Comments stand in the row of children too, and not in this one.
    let places = places(node, &dissolved, &row);
    let mut groups = Vec::new();
    if let Some(parts) = &whole.parts {
        shape.set_kind(node, kind_of(text[row[parts.1].byte_range()].trim()));
        enter(parts, (&row, &places, text), &mut groups, shape);
    }
    shape.dissolve(node, &groups, &dissolved);
}

/// The operations of a row, the outermost first, and whether one of them stands deeper than its sign binds.
fn row_of<'t>(node: Node<'t>, text: &str) -> (Vec<Node<'t>>, bool) {
    let (mut out, mut wrong) = (Vec::new(), false);
    let mut todo = vec![node];
    while let Some(node) = todo.pop() {
        let Some(op) = operation(node, text) else { continue };
        out.push(node);
        let of = |n: Node<'_>| operation(n, text).map(|o| o.strength);
        wrong |= of(op.left).is_some_and(|l| l < op.strength || l == op.strength && l == NIL);
        wrong |= of(op.right).is_some_and(|r| r < op.strength || r == op.strength && r != NIL);
        todo.extend([op.right, op.left]);
    }
    (out, wrong)
}

/// The operands and signs of a row, in the order in which they stand.
fn flatten<'t>(node: Node<'t>, text: &str) -> Vec<Node<'t>> {
    let mut out = Vec::new();
    let mut todo = vec![node];
    while let Some(node) = todo.pop() {
        match operation(node, text) {
            Some(op) if op.sign != node => todo.extend([op.right, op.sign, op.left]),
            _ => out.push(node),
        }
    }
    out
}

/// Reads a row of operands and signs from a number on, as long as the signs bind at least so tight.
fn climb(signs: &[Option<u8>], at: &mut usize, least: u8) -> Term {
    let mut left = Term { first: *at, last: *at, parts: None };
    while let Some(Some(strength)) = signs.get(*at + 1).copied()
        && strength >= least
    {
        let sign = *at + 1;
        *at += 2;
        let next = if strength == NIL { strength } else { strength + 1 };
        let right = climb(signs, at, next);
        left = Term {
            first: left.first,
            last: right.last,
            parts: Some(Box::new((left, sign, right))),
        };
    }
    left
}

fn kind_of(sign: &str) -> &'static str {
    match sign {
        "||" => "disjunction_expression",
        "&&" => "conjunction_expression",
        "==" | "!=" | "===" | "!==" => "equality_expression",
        "<" | ">" | "<=" | ">=" => "comparison_expression",
        "??" => "nil_coalescing_expression",
        "is" => "check_expression",
        "as" | "as?" | "as!" => "as_expression",
        "..<" | "..." => "range_expression",
        "+" | "-" => "additive_expression",
        "*" | "/" | "%" => "multiplicative_expression",
        "&" | "|" | "^" | "<<" | ">>" => "bitwise_operation",
        _ => "infix_expression",
    }
}

/// The numbers that the nodes of a row have among the children of the outermost.
fn places(node: Node<'_>, dissolved: &[usize], row: &[Node<'_>]) -> Vec<usize> {
    let mut all = Vec::new();
    gather(node, dissolved, &mut all);
    row.iter().filter_map(|n| all.iter().position(|id| *id == n.id())).collect()
}

/// Gives the operands of an operation their fields, and makes groups of those that are operations themselves.
fn enter(
    parts: &(Term, usize, Term),
    row: (&[Node<'_>], &[usize], &str),
    groups: &mut Vec<Group>,
    shape: &mut Shape,
) {
    let (nodes, places, text) = row;
    let (left, sign, right) = parts;
    let kind = kind_of(text[nodes[*sign].byte_range()].trim());
    let fields = KINDS.iter().find(|k| k.0 == kind).map_or(("lhs", "rhs"), |k| (k.1, k.2));
    if ["lhs", "rhs"].contains(&fields.0) {
        shape.set_role(nodes[*sign], "op");
    }
    for (term, field) in [(left, fields.0), (right, fields.1)] {
        match &term.parts {
            None => shape.set_role(nodes[term.first], field),
            Some(inner) => {
                let kind = kind_of(text[nodes[inner.1].byte_range()].trim());
                let (first, last) = (places[term.first], places[term.last]);
                groups.push(Group::new(kind, first, last).in_field(field));
                enter(inner, row, groups, shape);
            }
        }
    }
}
