//! Types in Swift.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, FunctionTypeRule,
    Gives, Intro, Memberwise, Origin, ReturnRule, Syntax, Test, TypePart, Typing, Waiting,
};

use crate::shared::{declared_type, each, function, value};

const fn parameter(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "type", value: "fallback", origin: Origin::Parameter }
}

const fn matched(kind: &'static str, name: &'static str, value: &'static str) -> Intro {
    Intro { kind, name, value, origin: Origin::Matched, ..Intro::NONE }
}

const fn read(kind: &'static str, body: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "type", value: body, origin: Origin::Property }
}

const fn named(kind: &'static str) -> FunctionRule {
    FunctionRule {
        kind,
        params: "parameters",
        result: "result",
        body: "body",
        ..FunctionRule::NONE
    }
}

/// What gives the value of a property.
const fn read_by(kind: &'static str, result: &'static str, body: &'static str) -> FunctionRule {
    FunctionRule { name: "", result, bare: true, ..named_by(kind, body) }
}

const fn named_by(kind: &'static str, body: &'static str) -> FunctionRule {
    FunctionRule { kind, body, ..FunctionRule::NONE }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("swift.types"),
    exprs: &[
        ("line_string_literal", Gives::Is("Swift.String")),
        ("multi_line_string_literal", Gives::Is("Swift.String")),
        ("raw_string_literal", Gives::Is("Swift.String")),
        ("integer_literal", Gives::Is("Swift.Int")),
        ("hex_literal", Gives::Is("Swift.Int")),
        ("bin_literal", Gives::Is("Swift.Int")),
        ("oct_literal", Gives::Is("Swift.Int")),
        ("real_literal", Gives::Is("Swift.Double")),
        ("boolean_literal", Gives::Is("Swift.Bool")),
        ("nil_literal", Gives::Nothing),
        ("comparison_expression", Gives::Is("Swift.Bool")),
        ("equality_expression", Gives::Is("Swift.Bool")),
        ("conjunction_expression", Gives::Is("Swift.Bool")),
        ("disjunction_expression", Gives::Is("Swift.Bool")),
        ("check_expression", Gives::Is("Swift.Bool")),
        ("array_literal", Gives::ListOf("Swift.Array")),
        ("dictionary_literal", Gives::Pairs("Swift.Dictionary", "pair")),
        ("tuple_expression", Gives::Tuple),
        ("tuple_item", Gives::Last),
        ("parenthesized_expression", Gives::Same("")),
        ("value_argument", Gives::Last),
        ("as_expression", Gives::Written("type")),
        ("index_expression", Gives::Element("function")),
        ("postfix_expression", Gives::Same("target")),
        ("ternary_expression", Gives::Either(&["if_true", "if_false"])),
        ("nil_coalescing_expression", Gives::Either(&["value", "if_nil"])),
        ("additive_expression", Gives::Operator("lhs", "op", "rhs")),
        ("multiplicative_expression", Gives::Operator("lhs", "op", "rhs")),
        ("infix_expression", Gives::Operator("lhs", "op", "rhs")),
        ("prefix_expression", Gives::Same("target")),
        ("try_expression", Gives::Same("expr")),
        ("await_expression", Gives::Awaited("expr")),
        ("if_statement", Gives::Branches(&["consequence", "alternative"])),
        ("call_expression", Gives::Call),
        ("navigation_expression", Gives::Member("target", "name")),
        ("implicit_member", Gives::Expected),
        ("lambda_literal", Gives::Function),
        ("statements", Gives::Single),
        ("function_body", Gives::Single),
        ("block", Gives::Single),
        ("key_path_expression", Gives::Taken),
        ("self_expression", Gives::Own),
        ("super_expression", Gives::Base),
        ("simple_identifier", Gives::Name),
        ("type_identifier", Gives::Name),
        ("user_type", Gives::Name),
    ],
    intros: &[
        value("variable", "name", "type", "value"),
        value("variable", "pattern", "type", "value"),
        read("variable", "computed_value"),
        value("protocol_property_declaration", "name", "type", ""),
        value("optional_binding", "name", "type", "value"),
        value("capture_list_item", "name", "", "value"),
        value("typed_pattern", "./bound_pattern/name", "type", ""),
        parameter("parameter"),
        parameter("lambda_parameter"),
        parameter("case_parameter"),
        each("for_statement", "item", "", "collection"),
        matched("switch_entry", "./switch_pattern", "^expr"),
        matched("case_condition", "pattern", "value"),
        function("function_declaration"),
        function("protocol_function_declaration"),
        Intro { kind: "enum_case", name: "name", origin: Origin::Constant, ..Intro::NONE },
        declared_type("class_declaration"),
        declared_type("struct_declaration"),
        declared_type("enum_declaration"),
        declared_type("actor_declaration"),
        declared_type("protocol_declaration"),
        declared_type("typealias_declaration"),
    ],
    parts: &[
        ("tuple_pattern", TypePart::Nth),
        ("case_arguments", TypePart::Made("label")),
        ("case_argument", TypePart::Same),
    ],
    type_params: &["type_parameters"],
    comparisons: &["equality_expression", "comparison_expression", "assignment"],
    truths: &["==", "!=", "<", ">", "<=", ">=", "&&", "||", "===", "!=="],
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    generic: ('<', '>'),
    dropped: &[
        "some",
        "any",
        "inout",
        "borrowing",
        "consuming",
        "sending",
        "async",
        "throws",
        "rethrows",
    ],
    nothing: &["Void", "()", "Never"],
    tuple: ("(", ")"),
    list: "Swift.Array",
    bracket_list: true,
    bracket_map: "Swift.Dictionary",
    metatype: ".Type",
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    primitives: &[
        ("String", "Swift.String"),
        ("Substring", "Swift.String"),
        ("Int", "Swift.Int"),
        ("Double", "Swift.Double"),
        ("Bool", "Swift.Bool"),
        ("Array", "Swift.Array"),
        ("Set", "Swift.Set"),
        ("Dictionary", "Swift.Dictionary"),
    ],
    closed: &["Swift.String", "Swift.Int", "Swift.Double", "Swift.Bool"],
    top: "Swift.Any",
    members_typed: true,
    no_params: "",
    closure: ("", " in "),
    text: "Swift.String",
    number: "Swift.Int",
    truth: "Swift.Bool",
    type_word: "self",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    tests: &[Test { kind: "check_expression", value: "target", by: "", ty: "type", except: "" }],
    branches: &[
        Branch { kind: "if_statement", test: "condition", then: "consequence" },
        Branch { kind: "while_statement", test: "condition", then: "body" },
        Branch { kind: "ternary_expression", test: "condition", then: "if_true" },
        Branch { kind: "conjunction_expression", test: "lhs", then: "rhs" },
    ],
    exits: &["return_statement", "throw_statement", "control_transfer_statement"],
    negations: &[("prefix_expression", "!")],
    both: &["&&"],
    returns: &[ReturnRule { kind: "return_statement", many: false }],
    blocks: &["block", "function_body", "source_file"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    overloads: true,
    functions: &[
        FunctionRule { bare: true, ..named("function_declaration") },
        named("protocol_function_declaration"),
        FunctionRule { kind: "enum_case", params: "parameters", ..FunctionRule::NONE },
        FunctionRule { name: "", result: "", makes: true, ..named("init_declaration") },
        FunctionRule { body: "./computed_property", ..named("subscript_declaration") },
        read_by("computed_property", "../type", "./statements"),
        read_by("computed_getter", "../../type", "body"),
        FunctionRule { body: "./statements", bare: true, ..named("lambda_literal") },
    ],
    function_types: &[FunctionTypeRule { kind: "function_type", list: &["params"], named: false }],
    block: "block",
    numbered: "$",
    arguments: ArgumentRule {
        lists: &["value_arguments"],
        wrapper: "",
        keyed: ("value_argument", "name/0", "value"),
    },
    callees: &[
        CalleeRule {
            kind: "call_expression",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "attribute",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
    ],
    overriding: &["override", "required"],
    memberwise: Some(Memberwise {
        kind: "struct_declaration",
        variable: "variable",
        fields: ("computed_value", "value"),
        statics: &["static", "lazy"],
        fixed: "let",
    }),
    constructor: "init",
    maker: "init",
    waiting: Some(Waiting {
        kind: "await_expression",
        before: "await ",
        token: "await",
        word: "async",
        functions: &[
            (
                "function_declaration",
                &["async", "throws", "throws_clause", "result_clause", "body"],
            ),
            (
                "protocol_function_declaration",
                &["async", "throws", "throws_clause", "result_clause"],
            ),
            ("init_declaration", &["async", "throws", "throws_clause", "body"]),
        ],
        bodiless: true,
        top: true,
        ..Waiting::NONE
    }),
    ..Calls::NONE
};
