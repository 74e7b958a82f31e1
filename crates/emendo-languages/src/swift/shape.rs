//! What the grammar of Swift leaves out: its lists have no nodes of their own, one kind stands for five declarations, and the
//! field of a name is that of a type, too.

use emendo_lang::language::Reshape;
use emendo_lang::tree::{Group, Shape};
use tree_sitter::Node;

use crate::shared::child_of;
use crate::swift::operators::{is_operation, operations};
use crate::swift::parts::{Children, between, cut, field_of, is_type, type_in};
use crate::swift::patterns::{blocks, bound, declared, pattern, statement};
use crate::swift::prefix::before_chain;

/// The shape of Swift's trees.
pub(crate) const RESHAPE: Reshape = Reshape {
    kinds: &[
        "struct_declaration",
        "enum_declaration",
        "actor_declaration",
        "extension_declaration",
        "inheritance_clause",
        "parameters",
        "parameter",
        "parameter_head",
        "result_clause",
        "variable",
        "enum_case",
        "case_parameter",
        "if_branch",
        "conditions",
        "optional_binding",
        "case_condition",
        "block",
        "pair",
        "tuple_item",
        "parenthesized_expression",
        "implicit_member",
        "case_path",
        "case_arguments",
        "case_argument",
        "bound_pattern",
        "index_expression",
        "optional_chain",
        "labeled_reference",
        "labels",
        "typed_pattern",
        "tuple_pattern",
        "type_test",
        "call_brackets",
        "return_statement",
        "throw_statement",
        "quoted_identifier",
        "`",
    ],
    fields: &[
        "alternative",
        "arguments",
        "block",
        "body",
        "bound_identifier",
        "captures",
        "collection",
        "computed_value",
        "condition",
        "consequence",
        "constrained_type",
        "constructed_type",
        "count",
        "data_contents",
        "declaration_kind",
        "default_value",
        "definition",
        "element",
        "end",
        "error",
        "expr",
        "external_name",
        "fallback",
        "function",
        "given",
        "if_false",
        "if_nil",
        "if_true",
        "inherits_from",
        "interpolation",
        "item",
        "key",
        "label",
        "lhs",
        "must_equal",
        "must_inherit",
        "mutability",
        "name",
        "op",
        "operation",
        "operator",
        "parameter",
        "parameters",
        "params",
        "pattern",
        "raw_value",
        "reference_specifier",
        "result",
        "return_type",
        "rhs",
        "start",
        "suffix",
        "suppressed",
        "target",
        "text",
        "type",
        "value",
        "variable",
        "wrapped",
    ],
    read,
};

/// What hangs on something before it, and a sign before that.
const CHAIN: &[&str] =
    &["call_expression", "navigation_expression", "postfix_expression", "prefix_expression"];

fn read(node: Node<'_>, text: &str, shape: &mut Shape) {
    if CHAIN.contains(&node.kind()) && (shape.is_settled(node) || before_chain(node, shape)) {
        return;
    }
    match node.kind() {
        "class_declaration" => {
            let own = node.child_by_field_name("declaration_kind").map_or("", |k| k.kind());
            let kind = match own {
                "struct" => "struct_declaration",
                "enum" => "enum_declaration",
                "actor" => "actor_declaration",
                "extension" => "extension_declaration",
                _ => "class_declaration",
            };
            shape.set_kind(node, kind);
            bases(node, shape);
        }
        "protocol_declaration" => bases(node, shape),
        "function_declaration"
        | "init_declaration"
        | "protocol_function_declaration"
        | "subscript_declaration"
        | "macro_declaration" => function(node, shape),
        "property_declaration" => variables(node, shape),
        "protocol_property_declaration" => requirement(node, shape),
        "enum_entry" => cases(node, shape),
        "enum_type_parameters" => case_parameters(node, shape),
        "if_statement"
        | "guard_statement"
        | "while_statement"
        | "repeat_while_statement"
        | "for_statement"
        | "do_statement"
        | "catch_block" => statement(node, shape),
        "computed_getter" | "computed_setter" | "computed_modify" | "willset_clause"
        | "didset_clause" => blocks(node, &Children::of(node), &mut Vec::new(), shape),
        "call_expression" => call(node, shape),
        "constructor_expression" => {
            shape.set_kind(node, "call_expression");
            if let Some(made) = node.child_by_field_name("constructed_type") {
                shape.set_role(made, "function");
                shape.set_field(node, "function", made);
            }
            given(node, "constructor_suffix", shape);
        }
        "macro_invocation" => given(node, "call_suffix", shape),
        "navigation_expression" => {
            if let Some(optional) = node.children_by_field_name("target", &mut node.walk()).nth(1) {
                shape.set_kind(optional, "optional_chain");
            }
            let Some(suffix) = child_of(node, "navigation_suffix") else { return };
            if let Some(name) = suffix.child_by_field_name("suffix") {
                shape.set_role(name, "name");
                shape.set_field(node, "name", name);
            }
            shape.dissolve(node, &[], &[suffix.id()]);
        }
        "prefix_expression" if node.child(0).is_some_and(|c| c.kind() == ".") => {
            shape.set_kind(node, "implicit_member");
            if let Some(name) = node.child_by_field_name("target") {
                shape.set_field(node, "name", name);
            }
        }
        "control_transfer_statement" => match node.child(0).map_or("", |c| c.kind()) {
            "return" => shape.set_kind(node, "return_statement"),
            "throw_keyword" => shape.set_kind(node, "throw_statement"),
            _ => {}
        },
        "attribute" => attribute(node, shape),
        "dictionary_literal" => pairs(node, shape),
        "tuple_expression" => tuple(node, shape),
        "pattern" => pattern(node, shape),
        "switch_pattern" => {
            if let Some(inner) = child_of(node, "pattern") {
                bound(inner, false, shape);
            }
        }
        "lambda_literal" => closure(node, shape),
        "type_annotation"
        | "typealias_declaration"
        | "associatedtype_declaration"
        | "as_expression"
        | "check_expression"
        | "lambda_parameter"
        | "tuple_type_item"
        | "inheritance_constraint"
        | "equality_constraint"
        | "array_type"
        | "type_parameter"
        | "existential_type"
        | "opaque_type" => types(node, shape),
        "function_type" => {
            if let Some(result) = type_in(node) {
                shape.set_role(result, "result");
                shape.set_field(node, "result", result);
            }
        }
        kind if is_operation(kind) => operations(node, text, shape),
        "simple_identifier" | "type_identifier" => quoted(node, text, shape),
        _ => {}
    }
}

/// A name between the signs that let it be like a word of the language.
fn quoted(node: Node<'_>, text: &str, shape: &mut Shape) {
    let (start, end) = (node.start_byte(), node.end_byte());
    let written = &text[start..end];
    // What wraps a property is called like that, behind a sign.
    let wrapper = written.starts_with('$') && !written.ends_with(|c: char| c.is_ascii_digit());
    let quoted = written.starts_with('`') && written.ends_with('`');
    if !(quoted || wrapper) || written.len() < 3 {
        return;
    }
    let sign = |start| emendo_lang::tree::Part { start, end: start + 1, kind: "`", is_word: false };
    let word = emendo_lang::tree::Part {
        start: start + 1,
        end: if quoted { end - 1 } else { end },
        kind: if node.kind() == "type_identifier" {
            "type_identifier"
        } else {
            "simple_identifier"
        },
        is_word: true,
    };
    shape.set_kind(node, "quoted_identifier");
    let last = quoted.then(|| sign(end - 1));
    shape.set_parts(node, [sign(start), word].into_iter().chain(last).collect());
}

fn types(node: Node<'_>, shape: &mut Shape) {
    if let Some(ty) = type_in(node) {
        shape.set_role(ty, "type");
        shape.set_field(node, "type", ty);
    }
}

/// `: A, B`.
fn bases(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let is_base = |c: &Node<'_>| c.kind() == "inheritance_specifier";
    let (Some(colon), Some(last)) = (all.first(":"), all.0.iter().rposition(is_base)) else {
        return;
    };
    if colon < last {
        shape.set_groups(node, &[Group::new("inheritance_clause", colon, last)]);
    }
}

/// `(label name: Type = value, ...) -> Type`.
fn function(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    // What stands before the list may be the name of an operator.
    let after = all.first_of(&["func", "init", "subscript"]).unwrap_or(0);
    let open = all.from(after, "(");
    let mut groups = Vec::new();
    let mut heads = Vec::new();
    if let Some((open, close)) = open.and_then(|open| Some((open, all.from(open, ")")?))) {
        groups.push(Group::new("parameters", open, close).in_field("parameters"));
        for (first, last) in cut(&all, open + 1, close) {
            heads.push((groups.len(), first, last));
            groups.push(Group::new("parameter", first, last).in_field("parameter"));
        }
    }
    let arrow = all.from(open.unwrap_or(after), "->");
    let result = arrow.and_then(|a| all.0[a..].iter().position(|c| is_type(*c)).map(|at| a + at));
    if let (Some(arrow), Some(result)) = (arrow, result) {
        groups.push(Group::new("result_clause", arrow, result));
    }
    shape.set_groups(node, &groups);
    for (group, first, last) in heads {
        parameter(node, &all, (group, first, last), shape);
    }
    if !groups.is_empty() && groups[0].kind == "parameters" {
        shape.set_field_to_group(node, "parameters", (node, 0));
    }
    if let Some(result) = result {
        shape.set_role(all.0[result], "type");
        shape.set_field(node, "result", all.0[result]);
    }
}

fn parameter<'t>(
    node: Node<'t>,
    all: &Children<'t>,
    (group, first, last): (usize, usize, usize),
    shape: &mut Shape,
) {
    let inner = &all.0[first..=last];
    let Some(head) = inner.iter().find(|c| c.kind() == "parameter") else { return };
    shape.set_kind(*head, "parameter_head");
    types(*head, shape);
    for field in ["external_name", "name"] {
        if let Some(found) = head.child_by_field_name(field) {
            shape.set_group_field((node, group), field, found);
        }
    }
    if let Some(ty) = type_in(*head) {
        shape.set_group_field((node, group), "type", ty);
    }
    if let Some(value) = inner.iter().find(|c| field_of(node, **c) == Some("default_value")) {
        shape.set_role(*value, "fallback");
        shape.set_group_field((node, group), "fallback", *value);
    }
}

/// `let a: A = 1, b = 2`.
fn variables(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let Some(word) = all.first("value_binding_pattern") else { return };
    let parts = cut(&all, word + 1, all.0.len());
    let groups: Vec<Group> = parts
        .iter()
        .map(|(first, last)| Group::new("variable", *first, *last).in_field("variable"))
        .collect();
    shape.set_groups(node, &groups);
    // One without a type of its own has that of the next.
    let mut later = None;
    for (group, (first, last)) in parts.iter().enumerate().rev() {
        let inner = &all.0[*first..=*last];
        let of = |kind: &str| inner.iter().find(|c| c.kind() == kind).copied();
        let value = inner.iter().find(|c| field_of(node, **c) == Some("value")).copied();
        let computed = of("computed_property");
        let ty = of("type_annotation").and_then(type_in);
        later = ty.or(later.filter(|_| value.is_none() && computed.is_none()));
        let here = (node, group);
        if let Some(whole) = of("pattern") {
            let name = whole.child_by_field_name("bound_identifier");
            match name {
                Some(name) => shape.set_group_field(here, "name", name),
                None => {
                    declared(whole, shape);
                    shape.set_group_field(here, "pattern", whole);
                }
            }
        }
        for (field, found) in [("type", later), ("value", value), ("computed_value", computed)] {
            if let Some(found) = found {
                shape.set_group_field(here, field, found);
            }
        }
    }
}

/// `var name: Type { get set }`.
fn requirement(node: Node<'_>, shape: &mut Shape) {
    let name = node.child_by_field_name("name");
    if let Some(name) = name.and_then(|n| n.child_by_field_name("bound_identifier")) {
        shape.set_field(node, "name", name);
    }
    let annotation = child_of(node, "type_annotation");
    if let Some(ty) = annotation.and_then(type_in) {
        shape.set_field(node, "type", ty);
    }
}

/// `case a(A), b = 1`.
fn cases(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let Some(word) = all.first("case") else { return };
    let end = all.from(word, ";").unwrap_or(all.0.len());
    let parts = cut(&all, word + 1, end);
    let groups: Vec<Group> =
        parts.iter().map(|(first, last)| Group::new("enum_case", *first, *last)).collect();
    shape.set_groups(node, &groups);
    for (group, (first, last)) in parts.iter().enumerate() {
        for child in &all.0[*first..=*last] {
            match field_of(node, *child) {
                Some("name") => shape.set_group_field((node, group), "name", *child),
                Some("data_contents") => {
                    shape.set_group_field((node, group), "parameters", *child);
                }
                Some("raw_value") => shape.set_group_field((node, group), "raw_value", *child),
                _ => {}
            }
        }
    }
}

fn case_parameters(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let Some((open, close)) = between(&all, "(", ")") else { return };
    let parts = cut(&all, open + 1, close);
    let groups: Vec<Group> =
        parts.iter().map(|(first, last)| Group::new("case_parameter", *first, *last)).collect();
    shape.set_groups(node, &groups);
    for (group, (first, last)) in parts.iter().enumerate() {
        let inner = &all.0[*first..=*last];
        let colon = inner.iter().position(|c| c.kind() == ":");
        let names = &inner[..colon.unwrap_or(0)];
        for (field, at) in [("name", names.len().checked_sub(1)), ("external_name", Some(0))] {
            if let Some(name) = at.and_then(|at| names.get(at)) {
                shape.set_group_field((node, group), field, *name);
            }
        }
        if let Some(ty) = inner.iter().find(|c| is_type(**c)) {
            shape.set_role(*ty, "type");
            shape.set_group_field((node, group), "type", *ty);
        }
        let equals = inner.iter().position(|c| c.kind() == "=");
        if let Some(value) = equals.and_then(|at| inner.get(at + 1)) {
            shape.set_group_field((node, group), "fallback", *value);
        }
    }
}

/// `@Name(label: value)`, with what it is given as a call has it.
fn attribute(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    if let Some(name) = child_of(node, "user_type") {
        shape.set_field(node, "function", name);
    }
    let Some((open, close)) = between(&all, "(", ")") else { return };
    let mut groups = vec![Group::new("value_arguments", open, close).in_field("arguments")];
    let mut given = Vec::new();
    for (first, last) in cut(&all, open + 1, close) {
        given.push((groups.len(), first, last));
        groups.push(Group::new("value_argument", first, last));
        if last > first + 1 && all.0[first + 1].kind() == ":" {
            groups.push(Group::new("value_argument_label", first, first).in_field("name"));
        }
    }
    shape.set_groups(node, &groups);
    shape.set_field_to_group(node, "arguments", (node, 0));
    for (group, first, last) in given {
        shape.set_role(all.0[last], "value");
        shape.set_group_field((node, group), "value", all.0[last]);
        if last > first + 1 {
            shape.set_group_field_to_group((node, group), "name", group + 1);
        }
    }
}

fn call(node: Node<'_>, shape: &mut Shape) {
    let Some(function) = node.child(0) else { return };
    shape.set_role(function, "function");
    shape.set_field(node, "function", function);
    if let Some(optional) = node.child(1).filter(|c| c.kind() == "?") {
        shape.set_kind(optional, "optional_chain");
    }
    given(node, "call_suffix", shape);
    let suffix = child_of(node, "call_suffix");
    let Some(list) = suffix.and_then(|s| child_of(s, "value_arguments")) else { return };
    if list.child(0).is_some_and(|c| c.kind() == "[") {
        shape.set_kind(node, "index_expression");
        shape.set_kind(list, "call_brackets");
    }
    let named = |c: Node<'_>| c.child_by_field_name("reference_specifier").is_some();
    if list.named_child(0).is_some_and(named) {
        shape.set_kind(node, "labeled_reference");
        shape.set_kind(list, "labels");
        shape.set_field(node, "given", list);
    }
}

/// What a call is given: a list, and functions behind it.
fn given(node: Node<'_>, suffix: &str, shape: &mut Shape) {
    let Some(suffix) = child_of(node, suffix) else { return };
    if let Some(list) = child_of(suffix, "value_arguments") {
        shape.set_field(node, "arguments", list);
    }
    if let Some(block) = child_of(suffix, "lambda_literal") {
        shape.set_role(block, "block");
        shape.set_field(node, "block", block);
    }
    shape.dissolve(node, &[], &[suffix.id()]);
}

fn pairs(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let Some((open, close)) = between(&all, "[", "]") else { return };
    let parts: Vec<(usize, usize)> =
        cut(&all, open + 1, close).into_iter().filter(|(a, b)| a < b).collect();
    let groups: Vec<Group> =
        parts.iter().map(|(first, last)| Group::new("pair", *first, *last)).collect();
    shape.set_groups(node, &groups);
}

fn tuple(node: Node<'_>, shape: &mut Shape) {
    let all = Children::of(node);
    let Some((open, close)) = between(&all, "(", ")") else { return };
    let parts = cut(&all, open + 1, close);
    let labeled: Vec<(usize, usize)> = parts.iter().filter(|(a, b)| a < b).copied().collect();
    if parts.len() == 1 && labeled.is_empty() {
        shape.set_kind(node, "parenthesized_expression");
        return;
    }
    let groups: Vec<Group> =
        labeled.iter().map(|(first, last)| Group::new("tuple_item", *first, *last)).collect();
    shape.set_groups(node, &groups);
}

fn closure(node: Node<'_>, shape: &mut Shape) {
    let Some(head) = node.child_by_field_name("type") else { return };
    if let Some(list) = child_of(head, "lambda_function_type_parameters") {
        shape.set_field(node, "parameters", list);
    }
    if let Some(result) = type_in(head) {
        shape.set_role(result, "result");
        shape.set_field(head, "result", result);
        shape.set_field(node, "result", result);
    }
}
