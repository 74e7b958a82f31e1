//! Signs before a chain of calls and members: the grammar hangs these on the sign and its first part, and not on the part
//! alone.

use emendo_lang::tree::{Group, Shape};
use tree_sitter::Node;

use crate::shared::child_of;
use crate::swift::parts::gather;

/// What a link of a chain hangs on.
fn base(node: Node<'_>) -> Option<Node<'_>> {
    match node.kind() {
        "call_expression" => node.child(0),
        "navigation_expression" | "postfix_expression" => node.child_by_field_name("target"),
        _ => None,
    }
}

/// A sign that stands before what a chain begins with, and not a mere dot.
fn is_sign(node: Node<'_>) -> bool {
    node.kind() == "prefix_expression"
        && node.child_count() == 2
        && node.child(0).is_some_and(|c| c.kind() != ".")
}

/// A link of a chain: its node, and what is given behind it in a node of its own.
struct Link<'t> {
    node: Node<'t>,
    suffix: Option<Node<'t>>,
}

/// Lets a sign before a chain stand before all of it; false where none stands there.
pub(super) fn before_chain(node: Node<'_>, shape: &mut Shape) -> bool {
    let mut links: Vec<Link<'_>> = Vec::new();
    let mut at = node;
    while let Some(inner) = base(at) {
        let suffix = child_of(at, "call_suffix").or_else(|| child_of(at, "navigation_suffix"));
        links.push(Link { node: at, suffix });
        at = inner;
    }
    if links.is_empty() || !is_sign(at) {
        return false;
    }
    let (sign, Some(first)) = (at, at.child(1)) else { return false };
    // The innermost first, as the groups lie in each other from the outermost on.
    let inner = links[1..].iter().map(|l| l.node);
    let suffixes = links.iter().filter_map(|l| l.suffix);
    let dissolved: Vec<usize> = inner.chain(suffixes).chain([sign]).map(|n| n.id()).collect();
    links.iter().for_each(|l| shape.settle(l.node));
    shape.settle(sign);
    let mut all = Vec::new();
    gather(node, &dissolved, &mut all);
    let number = |id: usize| all.iter().position(|a| *a == id);
    let Some(start) = number(first.id()) else { return false };
    let mut groups = Vec::new();
    for (depth, link) in links.iter().enumerate() {
        let last = link.suffix.unwrap_or(link.node);
        let count = last.child_count();
        let Some(end) = last.child(count.saturating_sub(1)).and_then(|c| number(c.id())) else {
            return false;
        };
        let role = match depth {
            0 => "target",
            _ if links[depth - 1].node.kind() == "call_expression" => "function",
            _ => "target",
        };
        groups.push(Group::new(kind(link), start, end).in_field(role));
    }
    shape.set_kind(node, "prefix_expression");
    shape.dissolve(node, &groups, &dissolved);
    let innermost = links.len() - 1;
    let role =
        if links[innermost].node.kind() == "call_expression" { "function" } else { "target" };
    shape.set_role(first, role);
    for (group, link) in links.iter().enumerate() {
        let here = (node, group);
        let hung = if link.node.kind() == "call_expression" { "function" } else { "target" };
        match group == innermost {
            true => shape.set_group_field(here, hung, first),
            false => shape.set_group_field_to_group(here, hung, group + 1),
        }
        if let Some(suffix) = link.suffix {
            if let Some(list) = child_of(suffix, "value_arguments") {
                shape.set_group_field(here, "arguments", list);
                if list.child(0).is_some_and(|c| c.kind() == "[") {
                    shape.set_kind(list, "call_brackets");
                }
            }
            if let Some(block) = child_of(suffix, "lambda_literal") {
                shape.set_role(block, "block");
                shape.set_group_field(here, "block", block);
            }
        }
        if let Some(name) = link.suffix.and_then(|s| s.child_by_field_name("suffix")) {
            shape.set_role(name, "name");
            shape.set_group_field(here, "name", name);
        }
        if let Some(optional) = child_of(link.node, "?") {
            shape.set_kind(optional, "optional_chain");
        }
    }
    true
}

fn kind(link: &Link<'_>) -> &'static str {
    let list = link.suffix.and_then(|s| child_of(s, "value_arguments"));
    match link.node.kind() {
        "navigation_expression" => "navigation_expression",
        "postfix_expression" => "postfix_expression",
        _ if list.and_then(|l| l.child(0)).is_some_and(|c| c.kind() == "[") => "index_expression",
        _ => "call_expression",
    }
}
