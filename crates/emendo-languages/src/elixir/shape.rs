//! What the calls, operators and names of Elixir are: its grammar has one kind for them all.

use emendo_lang::language::Reshape;
use emendo_lang::tree::{Part, Shape};
use tree_sitter::Node;

use crate::shared::child_of;

/// The shape of Elixir's trees.
pub(crate) const RESHAPE: Reshape = Reshape {
    kinds: &[
        "module",
        "implementation",
        "module_body",
        "function",
        "definition",
        "head",
        "parameters",
        "spec_parameters",
        "guarded",
        "path",
        "alias_directive",
        "import_directive",
        "struct_definition",
        "comprehension",
        "matches",
        "selection",
        "condition_clause",
        "attribute",
        "attribute_read",
        "setting",
        "spec",
        "spec_head",
        "callback",
        "type_definition",
        "type_head",
        "match",
        "generator",
        "each",
        "pipe",
        "default",
        "update",
        "pin",
        "capture",
        "arity",
        "typed",
        "access",
        "struct_literal",
        "key",
        "field",
        "field_atom",
        "capture_argument",
        "function_key",
        "type_call",
        "type_name",
        ".",
    ],
    fields: &[
        "name",
        "parameters",
        "body",
        "arguments",
        "block",
        "receiver",
        "method",
        "patterns",
        "type",
        "result",
        "fallback",
        "unit",
        "count",
        "brought",
        "implements",
        "source",
        "declared",
        "matched",
        "delegate",
        "other",
    ],
    read,
};

const MODULES: &[&str] = &["defmodule", "defprotocol"];

/// Words that define a function, a macro or a guard.
pub(crate) const FUNCTIONS: &[&str] = &[
    "def",
    "defp",
    "defmacro",
    "defmacrop",
    "defguard",
    "defguardp",
    "defdelegate",
    "defn",
    "defnp",
];

fn read(node: Node<'_>, text: &str, shape: &mut Shape) {
    let written = of(node, text);
    if node.child_count() > 0 && written.ends_with(char::is_whitespace) && node.parent().is_some() {
        shape.set_end(node, node.start_byte() + written.trim_end().len());
    }
    match node.kind() {
        "alias" => segments(node, text, shape),
        "keyword" if !shape.has_parts(node) => set_key(node, "key", text, shape),
        "call" => call(node, text, shape),
        "unary_operator" => unary(node, text, shape),
        "binary_operator" => binary(node, text, shape),
        "stab_clause" => clause(node, shape),
        "map" => literal(node, shape),
        "dot" if node.child_by_field_name("right").is_some_and(|r| r.kind() == "alias") => {
            shape.set_kind(node, "path");
        }
        _ => {}
    }
}

fn children(node: Node<'_>) -> Vec<Node<'_>> {
    let mut cursor = node.walk();
    node.children(&mut cursor).collect()
}

fn of<'s>(node: Node<'_>, text: &'s str) -> &'s str {
    text.get(node.byte_range()).unwrap_or_default()
}

/// A dotted name is one token of the grammar.
fn segments(node: Node<'_>, text: &str, shape: &mut Shape) {
    let written = of(node, text);
    if !written.contains('.') {
        return;
    }
    let mut parts = Vec::new();
    let mut start = node.start_byte();
    for (i, segment) in written.split('.').enumerate() {
        if i > 0 {
            parts.push(Part { start: start - 1, end: start, kind: ".", is_word: false });
        }
        // Blanks may stand around a dot.
        let lead = segment.len() - segment.trim_start().len();
        let (from, trimmed) = (start + lead, segment.trim());
        parts.push(Part { start: from, end: from + trimmed.len(), kind: "alias", is_word: true });
        start += segment.len() + 1;
    }
    shape.set_kind(node, "path");
    shape.set_parts(node, parts);
}

/// The token of a key takes its colon and the blank after that along.
fn set_key(node: Node<'_>, kind: &'static str, text: &str, shape: &mut Shape) {
    let (start, written) = (node.start_byte(), of(node, text).trim_end());
    let Some(word) = written.strip_suffix(':') else { return };
    let end = start + word.len();
    let parts = vec![
        Part { start, end, kind, is_word: true },
        Part { start: end, end: end + 1, kind: ":", is_word: false },
    ];
    shape.set_parts(node, parts);
}

fn call(node: Node<'_>, text: &str, shape: &mut Shape) {
    let Some(target) = node.child_by_field_name("target") else { return };
    let (arguments, block) = (child_of(node, "arguments"), child_of(node, "do_block"));
    if let Some(arguments) = arguments {
        shape.set_field(node, "arguments", arguments);
    }
    if let Some(block) = block {
        shape.set_field(node, "block", block);
    }
    if target.kind() == "dot" {
        let name = target.child_by_field_name("right");
        if let (Some(left), Some(name)) = (target.child_by_field_name("left"), name) {
            shape.set_field(node, "receiver", left);
            shape.set_field(node, "method", name);
        }
        let named = name.is_some_and(|n| n.kind() == "identifier");
        if named && arguments.is_none() && block.is_none() && shape.kind(node).is_none() {
            shape.set_kind(node, "access");
        }
        return;
    }
    if target.kind() != "identifier" {
        return;
    }
    shape.set_field(node, "method", target);
    // What stands in a head is no call, whatever its name.
    if shape.kind(node).is_some() {
        return;
    }
    let word = of(target, text);
    let first = arguments.and_then(|a| a.named_child(0));
    match word {
        _ if MODULES.contains(&word) => {
            let Some(name) = first else { return };
            shape.set_kind(node, "module");
            if ["alias", "dot"].contains(&name.kind()) {
                shape.set_field(node, "name", name);
            }
            module_body(node, text, shape);
        }
        "defimpl" => {
            let Some(name) = first.filter(|f| f.kind() == "alias") else { return };
            shape.set_kind(node, "implementation");
            shape.set_field(node, "implements", name);
            module_body(node, text, shape);
        }
        "alias" | "import" | "require" if first.is_some() => {
            let kind = if word == "import" { "import_directive" } else { "alias_directive" };
            shape.set_kind(node, kind);
        }
        "defstruct" | "defexception" => {
            shape.set_kind(node, "struct_definition");
            let list = first.filter(|f| f.kind() == "list").or(arguments);
            list.map_or_else(Vec::new, children).into_iter().for_each(|c| field(c, text, shape));
        }
        "defoverridable" => function_keys(node, shape),
        "for" | "with" if first.is_some() => {
            shape.set_kind(node, if word == "for" { "comprehension" } else { "matches" });
            for one in arguments.map_or_else(Vec::new, children) {
                if word == "for" && operator(one, text) == "<-" {
                    shape.set_kind(one, "each");
                }
            }
        }
        "if" | "unless" | "try" | "receive" => shape.set_kind(node, "selection"),
        "case" => {
            shape.set_kind(node, "selection");
            for one in block.map_or_else(Vec::new, children) {
                if let Some(value) = first.filter(|_| one.kind() == "stab_clause") {
                    shape.set_field(one, "matched", value);
                }
            }
        }
        "cond" => {
            shape.set_kind(node, "selection");
            for one in block.map_or_else(Vec::new, children) {
                if one.kind() == "stab_clause" {
                    shape.set_kind(one, "condition_clause");
                }
            }
        }
        _ if FUNCTIONS.contains(&word) => {
            if let Some(arguments) = arguments {
                function(node, arguments, text, shape);
            }
        }
        _ => {}
    }
}

/// The name of a field: `:name`, or a key with what it is at first.
fn field(node: Node<'_>, text: &str, shape: &mut Shape) {
    let (start, end) = (node.start_byte(), node.end_byte());
    match node.kind() {
        "atom" if of(node, text).starts_with(':') => {
            let parts = vec![
                Part { start, end: start + 1, kind: ":", is_word: false },
                Part { start: start + 1, end, kind: "field", is_word: true },
            ];
            shape.set_kind(node, "field_atom");
            shape.set_parts(node, parts);
        }
        "keywords" => {
            for pair in children(node) {
                if let Some(own) = pair.child_by_field_name("key") {
                    set_key(own, "field", text, shape);
                }
            }
        }
        _ => {}
    }
}

/// The body of a definition: a block, or what stands behind the key for one.
fn body(node: Node<'_>, shape: &mut Shape) {
    let behind_key = || {
        let keywords = child_of(child_of(node, "arguments")?, "keywords")?;
        let is_do = |p: &Node<'_>| p.kind() == "pair";
        children(keywords).into_iter().find(is_do)?.child_by_field_name("value")
    };
    if let Some(block) = child_of(node, "do_block") {
        shape.set_role(block, "body");
    }
    if let Some(body) = child_of(node, "do_block").or_else(behind_key) {
        shape.set_field(node, "body", body);
    }
}

fn module_body(node: Node<'_>, text: &str, shape: &mut Shape) {
    body(node, shape);
    if let Some(block) = child_of(node, "do_block") {
        shape.set_kind(block, "module_body");
        specs(block, text, shape);
    }
}

/// What a declaration of types says of a function: its name, its parameters, and what it gives.
struct Spec<'t> {
    name: Node<'t>,
    parameters: Vec<Node<'t>>,
    result: Node<'t>,
}

/// Tells the functions of a module what their specifications say.
fn specs(block: Node<'_>, text: &str, shape: &mut Shape) {
    let mut all: Vec<Spec<'_>> = Vec::new();
    for one in children(block) {
        if let Some(spec) = spec_of(one, text) {
            all.push(spec);
            continue;
        }
        let Some((name, parameters)) = head_of(one, text) else { continue };
        let same = |s: &&Spec<'_>| {
            of(s.name, text) == of(name, text) && s.parameters.len() == parameters.len()
        };
        // Several say several things: none is told.
        let mut told = all.iter().filter(same);
        let (Some(spec), None) = (told.next(), told.next()) else { continue };
        shape.set_field(one, "result", spec.result);
        for (parameter, ty) in parameters.iter().zip(&spec.parameters) {
            shape.set_field(*parameter, "declared", *ty);
        }
    }
}

fn named(list: Option<Node<'_>>) -> Vec<Node<'_>> {
    let all = list.map_or_else(Vec::new, children).into_iter();
    all.filter(|c| c.is_named() && !c.is_extra()).collect()
}

fn spec_of<'t>(node: Node<'t>, text: &str) -> Option<Spec<'t>> {
    let call = node.child_by_field_name("operand").filter(|_| operator(node, text) == "@")?;
    let word = call.child_by_field_name("target").filter(|_| call.kind() == "call")?;
    let mut value =
        child_of(call, "arguments").filter(|_| of(word, text) == "spec")?.named_child(0)?;
    if operator(value, text) == "when" {
        value = value.child_by_field_name("left")?;
    }
    let (left, result) = (value.child_by_field_name("left")?, value.child_by_field_name("right")?);
    let name = if left.kind() == "call" { left.child_by_field_name("target")? } else { left };
    let parameters =
        if left.kind() == "call" { named(child_of(left, "arguments")) } else { Vec::new() };
    (operator(value, text) == "::").then_some(Spec { name, parameters, result })
}

fn head_of<'t>(node: Node<'t>, text: &str) -> Option<(Node<'t>, Vec<Node<'t>>)> {
    let word = node.child_by_field_name("target").filter(|_| node.kind() == "call")?;
    let list = child_of(node, "arguments").filter(|_| FUNCTIONS.contains(&of(word, text)))?;
    let mut head = list.named_child(0)?;
    if operator(head, text) == "when" {
        head = head.child_by_field_name("left")?;
    }
    if head.kind() != "call" {
        return Some((head, Vec::new()));
    }
    Some((head.child_by_field_name("target")?, named(child_of(head, "arguments"))))
}

/// `def name(parameters) when guard do body end`.
fn function(node: Node<'_>, arguments: Node<'_>, text: &str, shape: &mut Shape) {
    let Some(mut head) = arguments.named_child(0) else { return };
    if operator(head, text) == "when" {
        let Some(left) = head.child_by_field_name("left") else { return };
        if ["call", "identifier"].contains(&left.kind()) {
            shape.set_kind(head, "guarded");
        }
        head = left;
    }
    let name = match head.kind() {
        "call" => head.child_by_field_name("target"),
        "identifier" => Some(head),
        _ => None,
    };
    let Some(name) = name.filter(|n| n.kind() == "identifier") else { return };
    shape.set_kind(node, "function");
    if node.child_by_field_name("target").is_some_and(|t| of(t, text) == "defdelegate") {
        for pair in child_of(arguments, "keywords").map_or_else(Vec::new, children) {
            let key = pair.child_by_field_name("key").map_or("", |k| of(k, text).trim());
            let field = [("to:", "delegate"), ("as:", "other")].into_iter().find(|f| f.0 == key);
            if let (Some((_, field)), Some(value)) = (field, pair.child_by_field_name("value")) {
                shape.set_field(node, field, value);
            }
        }
    }
    shape.set_kind(arguments, "definition");
    shape.set_role(name, "name");
    shape.set_field(node, "name", name);
    if head.kind() == "call" {
        shape.set_kind(head, "head");
        if let Some(parameters) = child_of(head, "arguments") {
            shape.set_kind(parameters, "parameters");
            shape.set_field(node, "parameters", parameters);
        }
    }
    body(node, shape);
}

fn operator<'s>(node: Node<'_>, text: &'s str) -> &'s str {
    let known = ["binary_operator", "unary_operator"].contains(&node.kind());
    let found = node.child_by_field_name("operator").filter(|_| known);
    found.map_or("", |o| of(o, text))
}

fn unary(node: Node<'_>, text: &str, shape: &mut Shape) {
    let Some(operand) = node.child_by_field_name("operand") else { return };
    match operator(node, text) {
        "^" => shape.set_kind(node, "pin"),
        "&" => {
            let argument = operand.kind() == "integer";
            shape.set_kind(node, if argument { "capture_argument" } else { "capture" });
            if operator(operand, text) == "/" {
                arity(operand, shape);
            }
        }
        "@" => attribute(node, operand, text, shape),
        _ => {}
    }
}

/// `name/2`, behind the sign of a capture.
fn arity(node: Node<'_>, shape: &mut Shape) {
    let parts = (node.child_by_field_name("left"), node.child_by_field_name("right"));
    let (Some(left), Some(right)) = parts else { return };
    if right.kind() == "integer" {
        shape.set_kind(node, "arity");
        shape.set_field(node, "count", right);
        if left.kind() == "call" && child_of(left, "arguments").is_none() {
            shape.set_kind(left, "access");
        }
    }
}

/// Fields in what a protocol is told of a struct: `only: [:name]`.
fn derived(node: Node<'_>, text: &str, shape: &mut Shape) {
    if node.kind() == "pair"
        && let Some(list) = node.child_by_field_name("value").filter(|v| v.kind() == "list")
    {
        children(list).into_iter().for_each(|c| field(c, text, shape));
    }
    children(node).into_iter().for_each(|c| derived(c, text, shape));
}

/// Names of types are apart from those of functions.
fn type_names(node: Node<'_>, text: &str, shape: &mut Shape) {
    match node.kind() {
        "call" => shape.set_kind(node, "type_call"),
        "identifier" if of(node, text) != "__MODULE__" => shape.set_kind(node, "type_name"),
        _ => {}
    }
    children(node).into_iter().for_each(|c| type_names(c, text, shape));
}

/// Keys that name functions of the module around, with how many arguments these take.
fn function_keys(node: Node<'_>, shape: &mut Shape) {
    if node.kind() == "pair" {
        let (key, value) = (node.child_by_field_name("key"), node.child_by_field_name("value"));
        if let (Some(key), Some(value)) = (key, value)
            && key.kind() == "keyword"
            && value.kind() == "integer"
        {
            shape.set_kind(key, "function_key");
            shape.set_field(key, "count", value);
        }
    }
    children(node).into_iter().for_each(|c| function_keys(c, shape));
}

/// `@name value`, and `@name`.
fn attribute(node: Node<'_>, operand: Node<'_>, text: &str, shape: &mut Shape) {
    if operand.kind() == "identifier" {
        shape.set_kind(node, "attribute_read");
        return;
    }
    let Some(name) = operand.child_by_field_name("target") else { return };
    let value = child_of(operand, "arguments").and_then(|a| a.named_child(0));
    let word = of(name, text);
    let (kind, head) = match word {
        "spec" => ("spec", "spec_head"),
        "callback" | "macrocallback" => ("callback", "spec_head"),
        "type" | "typep" | "opaque" => ("type_definition", "type_head"),
        _ => ("attribute", ""),
    };
    if ["optional_callbacks", "compile", "dialyzer"].contains(&word) {
        function_keys(operand, shape);
    }
    match word {
        "enforce_keys" => {
            let list = value.into_iter().flat_map(children);
            list.for_each(|c| field(c, text, shape));
        }
        "derive" => value.into_iter().for_each(|v| derived(v, text, shape)),
        _ => {}
    }
    shape.set_kind(node, kind);
    if word != "behaviour" {
        shape.set_kind(operand, "setting");
    }
    let Some(mut value) = value.filter(|_| !head.is_empty()) else { return };
    type_names(value, text, shape);
    if operator(value, text) == "when" {
        value = value.child_by_field_name("left").unwrap_or(value);
    }
    if operator(value, text) != "::" {
        return;
    }
    shape.set_kind(value, "typed");
    if let Some(result) = value.child_by_field_name("right") {
        shape.set_field(node, "result", result);
    }
    let Some(left) = value.child_by_field_name("left") else { return };
    let name = if left.kind() == "call" { left.child_by_field_name("target") } else { Some(left) };
    let Some(name) = name.filter(|n| n.kind() == "identifier") else { return };
    shape.set_field(node, "name", name);
    shape.set_kind(name, "identifier");
    if left.kind() == "call" {
        shape.set_kind(left, head);
        shape.set_role(name, "name");
        if let Some(parameters) = child_of(left, "arguments") {
            shape.set_kind(parameters, "spec_parameters");
            shape.set_field(node, "parameters", parameters);
        }
    }
}

fn binary(node: Node<'_>, text: &str, shape: &mut Shape) {
    if shape.kind(node).is_some() {
        return;
    }
    let right = node.child_by_field_name("right");
    let kind = match operator(node, text) {
        "=" => "match",
        "<-" => "generator",
        "|>" => "pipe",
        "\\\\" => {
            if let Some(right) = right {
                shape.set_role(right, "fallback");
                shape.set_field(node, "fallback", right);
            }
            "default"
        }
        "::" => {
            if let Some(right) = right {
                shape.set_role(right, "unit");
            }
            "typed"
        }
        "|" if node.parent().is_some_and(|p| p.kind() == "map_content") => "update",
        _ => return,
    };
    shape.set_kind(node, kind);
}

/// What a clause takes, without its guard.
fn clause(node: Node<'_>, shape: &mut Shape) {
    let Some(left) = node.child_by_field_name("left") else { return };
    let patterns = match left.kind() {
        "arguments" => Some(left),
        _ => left.child_by_field_name("left"),
    };
    // One by itself is the pattern.
    let single = |p: Node<'_>| p.named_child_count() == 1 && p.kind() == "arguments";
    let patterns = patterns.map(|p| p.named_child(0).filter(|_| single(p)).unwrap_or(p));
    if let Some(patterns) = patterns {
        shape.set_field(node, "patterns", patterns);
    }
}

/// `%Type{ ... }`.
fn literal(node: Node<'_>, shape: &mut Shape) {
    let update = child_of(node, "map_content").and_then(|c| child_of(c, "binary_operator"));
    if let Some(source) = update.and_then(|u| u.child_by_field_name("left")) {
        shape.set_field(node, "source", source);
    }
    let Some(of) = child_of(node, "struct") else { return };
    shape.set_kind(node, "struct_literal");
    if let Some(name) = of.named_child(0) {
        shape.set_field(node, "type", name);
    }
}
