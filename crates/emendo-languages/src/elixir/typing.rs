//! Types in Elixir: structs by what makes and matches them, and what recipes say of libraries.

use emendo_lang::language::{
    ArgumentRule, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, Gives, Intro, Origin,
    Syntax, TypePart, Typing,
};

use crate::shared::{declared_type, function, value};

pub(crate) const TYPING: Typing = Typing {
    syntax: Syntax {
        generic: ('<', '>'),
        nothing: &["nil"],
        list: "List",
        bracket_list: true,
        tuple: ("{", "}"),
        called: Some(("t", "__MODULE__")),
        ..Syntax::NONE
    },
    built_in: BuiltIn {
        primitives: &[
            ("integer", "Integer"),
            ("non_neg_integer", "Integer"),
            ("pos_integer", "Integer"),
            ("float", "Float"),
            ("boolean", "Atom"),
            ("atom", "Atom"),
            ("binary", "String"),
            ("list", "List"),
        ],
        closed: &["String", "Atom", "Integer", "Float", "Regex"],
        text: "String",
        number: "Integer",
        truth: "Atom",
        closure: ("fn ", " -> "),
        ..BuiltIn::NONE
    },
    standard: include_str!("elixir.types"),
    exprs: &[
        ("string", Gives::Is("String")),
        ("atom", Gives::Is("Atom")),
        ("boolean", Gives::Is("Atom")),
        ("integer", Gives::Is("Integer")),
        ("float", Gives::Is("Float")),
        ("nil", Gives::Nothing),
        ("list", Gives::ListOf("List")),
        ("struct_literal", Gives::Made("type")),
        ("map", Gives::Same("source")),
        ("access_call", Gives::Element("target")),
        ("match", Gives::Same("right")),
        ("pipe", Gives::Same("right")),
        ("call", Gives::Call),
        ("access", Gives::Same("target")),
        ("dot", Gives::Member("left", "right")),
        ("do_block", Gives::Ways(&[])),
        ("selection", Gives::Ways(&["do", "else"])),
        ("matches", Gives::Ways(&["do"])),
        ("tuple", Gives::Tuple),
        ("charlist", Gives::Is("List")),
        ("binary_operator", Gives::Operator("left", "operator", "right")),
        ("body", Gives::Tail),
        ("identifier", Gives::Name),
        ("alias", Gives::Name),
        ("path", Gives::Name),
        ("anonymous_function", Gives::Function),
        ("capture", Gives::Function),
    ],
    intros: &[
        value("match", "left", "", "right"),
        value("match", "right", "", "left"),
        value("generator", "left", "", "right"),
        Intro { kind: "each", name: "left", ty: "", value: "right", origin: Origin::Each },
        Intro {
            kind: "parameters",
            name: "",
            ty: "declared",
            origin: Origin::Parameter,
            ..Intro::NONE
        },
        Intro { kind: "spec_parameters", name: "", origin: Origin::Parameter, ..Intro::NONE },
        value("stab_clause", "patterns", "", "matched"),
        function("function"),
        function("callback"),
        function("spec"),
        declared_type("module"),
    ],
    parts: &[
        ("tuple", TypePart::Nth),
        ("list", TypePart::Each),
        ("struct_literal", TypePart::Typed("type")),
        ("match", TypePart::Same),
        ("arguments", TypePart::Same),
    ],
    truths: &["==", "!=", "===", "!==", "<", ">", "<=", ">=", "=~", "and", "or", "not", "in"],
    reassigned: true,
    bare_calls: true,
    branching: Branching {
        blocks: &["do_block", "body", "else_block", "rescue_block", "catch_block"],
        arms: &["stab_clause", "condition_clause"],
        matches: &[
            ("match", "left", "right"),
            ("generator", "left", "right"),
            ("stab_clause", "patterns", "matched"),
        ],
        ..Branching::NONE
    },
    calls: CALLS,
    ..Typing::NONE
};

/// A function without a body.
const fn declared(kind: &'static str) -> FunctionRule {
    FunctionRule { kind, params: "parameters", result: "result", types: true, ..FunctionRule::NONE }
}

const CALLS: Calls = Calls {
    functions: &[
        FunctionRule {
            kind: "function",
            params: "parameters",
            result: "result",
            body: "body",
            bare: true,
            ..FunctionRule::NONE
        },
        declared("spec"),
        declared("callback"),
        FunctionRule {
            kind: "stab_clause",
            name: "",
            params: "patterns",
            body: "right",
            ..FunctionRule::NONE
        },
    ],
    arguments: ArgumentRule { lists: &["arguments"], wrapper: "", keyed: ("", "", "") },
    callees: &[CalleeRule { kind: "call", function: "target", object: "", arguments: "arguments" }],
    overloads: true,
    pipe: ("pipe", "left", "right"),
    ..Calls::NONE
};
