//! Statements with conditions and blocks, and the patterns that values are matched with.

use emendo_lang::tree::{Group, Shape};
use tree_sitter::Node;

use crate::shared::child_of;
use crate::swift::parts::{Children, cut, type_in};

/// What has conditions before its blocks.
pub(super) fn statement(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let mut groups = Vec::new();
    let asks = node.kind() != "repeat_while_statement";
    let word = all.first_of(&["if", "guard", "while"]).filter(|_| asks);
    let end = match node.kind() {
        "guard_statement" => all.first("else"),
        _ => all.first("{"),
    };
    let mut inner = Vec::new();
    if node.kind() == "if_statement"
        && let Some(close) = end.and_then(|open| all.from(open, "}"))
    {
        // What a condition declares is seen where it holds, and not behind `else`.
        groups.push(Group::new("if_branch", word.unwrap_or(0), close));
    }
    if let (Some(word), Some(end)) = (word, end)
        && word + 1 < end
    {
        let parts = cut(&all, word + 1, end);
        if let (Some(first), Some(last)) = (parts.first(), parts.last()) {
            groups.push(Group::new("conditions", first.0, last.1).in_field("condition"));
        }
        for (first, last) in parts {
            condition(&all, (first, last), &mut groups, &mut inner, shape);
        }
    }
    let patterns = node.children_by_field_name("item", &mut node.walk()).next();
    if let Some(item) = patterns {
        declared(item, shape);
    }
    if let Some(tail) = node.child_by_field_name("error") {
        bound(tail, false, shape);
    }
    if node.kind() == "if_statement"
        && let Some(other) = child_of(node, "if_statement")
    {
        shape.set_field(node, "alternative", other);
        shape.set_role(other, "alternative");
    }
    blocks(node, &all, &mut groups, shape);
    case_fields(node, &all, &groups, shape);
    for (group, (name, ty, value)) in inner {
        let here = (node, group);
        let fields = [("name", name), ("type", ty), ("value", value)];
        for (field, at) in fields {
            if let Some(at) = at {
                shape.set_group_field(here, field, at);
            }
        }
    }
}

type Binding<'t> = (Option<Node<'t>>, Option<Node<'t>>, Option<Node<'t>>);

fn condition<'t>(
    all: &Children<'t>,
    (first, last): (usize, usize),
    groups: &mut Vec<Group>,
    inner: &mut Vec<(usize, Binding<'t>)>,
    shape: &mut Shape,
) {
    let part = &all.0[first..=last];
    let equals = part.iter().position(|c| c.kind() == "=");
    let value = equals.and_then(|at| part.get(at + 1)).copied();
    match part[0].kind() {
        "value_binding_pattern" => {
            let name = part.iter().find(|c| c.kind() == "simple_identifier").copied();
            let annotation = part.iter().find(|c| c.kind() == "type_annotation");
            let ty = annotation.and_then(|a| type_in(*a));
            inner.push((groups.len(), (name, ty, value.or(name))));
            groups.push(Group::new("optional_binding", first, last));
        }
        "case" => {
            inner.push((groups.len(), (None, None, value)));
            groups.push(Group::new("case_condition", first, last));
            let end = first + equals.unwrap_or(part.len());
            case(all, (first + 1, end), groups);
            let binds = part.iter().any(|c| c.kind() == "value_binding_pattern");
            for pattern in part.iter().filter(|c| c.kind() == "pattern") {
                bound(*pattern, binds, shape);
            }
        }
        _ => {}
    }
}

/// `.name(a, label: b)` and `Type.name(...)` in what is matched, between two children.
fn case(all: &Children<'_>, (first, end): (usize, usize), groups: &mut Vec<Group>) {
    if end <= first {
        return;
    }
    let kind = |at: usize| all.0.get(at).filter(|_| at < end).map_or("", |c| c.kind());
    let mut at = first;
    if groups.last().is_some_and(|g| g.kind == "case_condition") {
        let binds =
            kind(first) == "value_binding_pattern" && kind(first + 1) == "simple_identifier";
        let whole = if binds { "bound_pattern" } else { "pattern" };
        groups.push(Group::new(whole, first, end - 1).in_field("pattern"));
    }
    if kind(at) == "case" {
        at += 1;
    }
    if kind(at) == "value_binding_pattern" {
        at += 1;
    }
    let path = match kind(at) {
        "." if kind(at + 1) == "simple_identifier" => Some(("implicit_member", 2)),
        "user_type" if kind(at + 1) == "." => Some(("case_path", 3)),
        _ => None,
    };
    let Some((name, width)) = path else { return };
    groups.push(Group::new(name, at, at + width - 1));
    at += width;
    if kind(at) != "(" {
        return;
    }
    let Some(close) = (at..end).rev().find(|i| kind(*i) == ")") else { return };
    groups.push(Group::new("case_arguments", at, close));
    for (first, last) in cut(all, at + 1, close) {
        if (first..=last).any(|i| kind(i) == ":") {
            groups.push(Group::new("case_argument", first, last));
        }
    }
}

fn case_fields(node: Node<'_>, all: &Children<'_>, groups: &[Group], shape: &mut Shape) {
    for (at, group) in groups.iter().enumerate() {
        let (first, last) = group.children;
        let here = (node, at);
        match group.kind {
            "implicit_member" => {
                shape.set_role(all.0[last], "name");
                shape.set_group_field(here, "name", all.0[last]);
            }
            "case_path" => {
                shape.set_role(all.0[first], "target");
                shape.set_role(all.0[last], "name");
                shape.set_group_field(here, "target", all.0[first]);
                shape.set_group_field(here, "name", all.0[last]);
            }
            "case_argument" => {
                shape.set_role(all.0[first], "label");
                shape.set_group_field(here, "label", all.0[first]);
            }
            "bound_pattern" => {
                let name = all.0[first..=last].iter().find(|c| c.kind() == "simple_identifier");
                if let Some(name) = name {
                    shape.set_group_field(here, "name", *name);
                }
            }
            _ => {}
        }
    }
}

pub(super) fn pattern(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let mut groups = Vec::new();
    case(&all, (0, all.0.len()), &mut groups);
    shape.set_groups(node, &groups);
    case_fields(node, &all, &groups, shape);
    if node.child(0).is_some_and(|c| c.kind() == "(") {
        shape.set_kind(node, "tuple_pattern");
    }
    if let Some(ty) = type_in(node) {
        let test = child_of(node, "is").is_some();
        shape.set_kind(node, if test { "type_test" } else { "typed_pattern" });
        shape.set_role(ty, "type");
        shape.set_field(node, "type", ty);
    }
}

/// All names in a pattern are declared by it.
pub(super) fn declared(node: Node<'_>, shape: &mut Shape) {
    let cases = ["case", "."].iter().any(|k| child_of(node, k).is_some());
    bound(node, !cases, shape);
}

/// Names in a pattern are declared where a word for that stands before them, or around them.
pub(super) fn bound(node: Node<'_>, around: bool, shape: &mut Shape) {
    let all = Children::of(node);
    let binds = around || all.first("value_binding_pattern").is_some();
    let names: Vec<&Node<'_>> = all.0.iter().filter(|c| c.kind() == "simple_identifier").collect();
    let is_path = all.first(".").is_some();
    if let [name] = names[..]
        && binds
        && !is_path
        && all.first("pattern").is_none()
    {
        shape.set_kind(node, "bound_pattern");
        shape.set_field(node, "name", *name);
    }
    for inner in all.0.iter().filter(|c| c.kind() == "pattern") {
        bound(*inner, binds, shape);
    }
}

/// `{ ... }` in what holds its statements itself.
pub(super) fn blocks<'t>(
    node: Node<'t>,
    all: &Children<'t>,
    groups: &mut Vec<Group>,
    shape: &mut Shape,
) {
    let mut at = 0;
    let mut found = Vec::new();
    while let Some(open) = all.from(at, "{") {
        let Some(close) = all.from(open, "}") else { break };
        let before = all.before(open);
        let role = match (node.kind(), before) {
            ("if_statement", Some("else")) => "alternative",
            ("if_statement", _) => "consequence",
            _ => "body",
        };
        found.push((groups.len(), role));
        groups.push(Group::new("block", open, close).in_field(role));
        at = close;
    }
    shape.set_groups(node, groups);
    for (group, role) in found {
        shape.set_field_to_group(node, role, (node, group));
    }
}
