//! Types in TypeScript and JavaScript.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, Gives, Intro,
    Origin, Packing, ReturnRule, Syntax, Taken, Test, TypePart, Typing, Waiting,
};

use crate::shared::{declared_type, function, parameter, value};

const fn body(kind: &'static str, params: &'static str, bare: bool) -> FunctionRule {
    FunctionRule { kind, params, result: "return_type", body: "body", bare, ..FunctionRule::NONE }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("typescript.types"),
    exprs: &[
        ("string", Gives::Is("string")),
        ("template_string", Gives::Is("string")),
        ("number", Gives::Is("number")),
        ("true", Gives::Is("boolean")),
        ("false", Gives::Is("boolean")),
        ("null", Gives::Nothing),
        ("undefined", Gives::Nothing),
        ("regex", Gives::Is("RegExp")),
        ("array", Gives::ListOf("Array")),
        ("parenthesized_expression", Gives::Same("")),
        ("new_expression", Gives::Made("constructor")),
        ("call_expression", Gives::Call),
        ("member_expression", Gives::Member("object", "property")),
        ("subscript_expression", Gives::Element("object")),
        ("await_expression", Gives::Awaited("")),
        ("ternary_expression", Gives::Either(&["consequence", "alternative"])),
        ("as_expression", Gives::Written("1")),
        ("type_assertion", Gives::Written("0")),
        ("satisfies_expression", Gives::Same("")),
        ("non_null_expression", Gives::Same("")),
        ("binary_expression", Gives::Operator("left", "operator", "right")),
        ("unary_expression", Gives::Same("argument")),
        ("assignment_expression", Gives::Same("right")),
        ("augmented_assignment_expression", Gives::Same("right")),
        ("arrow_function", Gives::Function),
        ("function_expression", Gives::Function),
        ("this", Gives::Own),
        ("super", Gives::Base),
        ("identifier", Gives::Name),
        ("type_identifier", Gives::Name),
        ("nested_identifier", Gives::Name),
        ("nested_type_identifier", Gives::Name),
        ("shorthand_property_identifier", Gives::Name),
    ],
    intros: &[
        value("variable_declarator", "name", "type", "value"),
        value("public_field_definition", "name", "type", "value"),
        value("property_signature", "name", "type", ""),
        value("assignment_expression", "left", "", "right"),
        parameter("required_parameter", "pattern", "type"),
        parameter("optional_parameter", "pattern", "type"),
        Intro {
            kind: "arrow_function",
            name: "parameter",
            origin: Origin::Parameter,
            ..Intro::NONE
        },
        Intro {
            kind: "for_in_statement",
            name: "left",
            value: "right",
            origin: Origin::EachOf("of"),
            ..Intro::NONE
        },
        function("function_declaration"),
        function("function_signature"),
        function("method_definition"),
        function("method_signature"),
        function("abstract_method_signature"),
        declared_type("class_declaration"),
        declared_type("abstract_class_declaration"),
        declared_type("class"),
        declared_type("interface_declaration"),
        declared_type("enum_declaration"),
        declared_type("type_alias_declaration"),
        Intro { kind: "enum_assignment", name: "name", origin: Origin::Constant, ..Intro::NONE },
        Intro { kind: "enum_body", name: "", ty: "", value: "", origin: Origin::Constant },
    ],
    parts: &[
        ("array_pattern", TypePart::Nth),
        ("pair_pattern", TypePart::Key("key")),
        ("shorthand_property_identifier_pattern", TypePart::Named),
    ],
    type_params: &["type_parameters"],
    truths: &["==", "!=", "===", "!==", "<", ">", "<=", ">=", "instanceof", "in"],
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    generic: ('<', '>'),
    dropped: &["readonly", "asserts", "abstract", "unique", "infer", "new"],
    nothing: &["null", "undefined", "void", "never"],
    tuple: ("[", "]"),
    inferred: &["any", "unknown"],
    through: &["Readonly", "Required", "NonNullable", "Partial", "Pick", "Omit"],
    list: "Array",
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    text_joins: true,
    primitives: &[
        ("string", "string"),
        ("number", "number"),
        ("boolean", "boolean"),
        ("bigint", "bigint"),
        ("symbol", "symbol"),
        ("object", "object"),
        ("true", "boolean"),
        ("false", "boolean"),
        ("Array", "Array"),
        ("ReadonlyArray", "Array"),
        ("Promise", "Promise"),
        ("PromiseLike", "Promise"),
        ("Map", "Map"),
        ("ReadonlyMap", "Map"),
        ("WeakMap", "Map"),
        ("Set", "Set"),
        ("ReadonlySet", "Set"),
        ("Record", "Record"),
        ("Date", "Date"),
        ("RegExp", "RegExp"),
        ("Error", "Error"),
        ("Iterable", "Iterable"),
        ("Iterator", "Iterator"),
        ("IterableIterator", "Iterable"),
        ("AsyncIterable", "AsyncIterable"),
    ],
    top: "object",
    no_params: "()",
    closure: ("(", ") => "),
    text: "string",
    number: "number",
    truth: "boolean",
    future: "Promise",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    tests: &[Test {
        kind: "binary_expression",
        value: "left",
        by: "instanceof",
        ty: "right",
        except: "",
    }],
    kind_tests: &[
        (
            Test { kind: "binary_expression", value: "left", by: "===", ty: "right", except: "" },
            "typeof ",
        ),
        (
            Test { kind: "binary_expression", value: "left", by: "==", ty: "right", except: "" },
            "typeof ",
        ),
    ],
    branches: &[
        Branch { kind: "if_statement", test: "condition", then: "consequence" },
        Branch { kind: "while_statement", test: "condition", then: "body" },
        Branch { kind: "ternary_expression", test: "condition", then: "consequence" },
        Branch { kind: "binary_expression", test: "left", then: "right" },
    ],
    exits: &["return_statement", "throw_statement", "continue_statement", "break_statement"],
    negations: &[("unary_expression", "!")],
    both: &["&&"],
    returns: &[
        ReturnRule { kind: "return_statement", many: false },
        ReturnRule { kind: "yield_expression", many: true },
    ],
    blocks: &["statement_block", "program"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    functions: &[
        body("function_declaration", "parameters", false),
        body("function_signature", "parameters", false),
        body("function_expression", "parameters", false),
        body("method_definition", "parameters", false),
        body("method_signature", "parameters", false),
        body("abstract_method_signature", "parameters", false),
        body("call_signature", "parameters", false),
        FunctionRule { result: "type", ..body("construct_signature", "parameters", false) },
        body("function_type", "parameters", false),
        FunctionRule { result: "type", ..body("constructor_type", "parameters", false) },
        body("arrow_function", "parameters", true),
        body("arrow_function", "parameter", true),
        FunctionRule {
            kind: "generator_function_declaration",
            params: "parameters",
            result: "return_type",
            body: "body",
            ..FunctionRule::NONE
        },
    ],
    arguments: ArgumentRule { lists: &["arguments"], ..ArgumentRule::NONE },
    callees: &[
        CalleeRule {
            kind: "call_expression",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "new_expression",
            function: "constructor",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
    ],
    constructor: "constructor",
    waiting: Some(Waiting {
        kind: "await_expression",
        before: "await ",
        token: "await",
        word: "async",
        functions: &[
            ("function_declaration", &["function"]),
            ("function_expression", &["function"]),
            ("arrow_function", &[]),
            ("method_definition", &["name"]),
        ],
        result: ("Promise", ""),
        nothing: ("void", "Promise<void>"),
        given: &["Promise", "PromiseLike"],
        top: true,
        takers: &["then", "catch", "finally", "all", "allSettled", "race", "any"],
        barred: &["get", "set", "*", "constructor", "yield_expression"],
        ..Waiting::NONE
    }),
    packing: &[Packing {
        word: "object",
        open: "{ ",
        close: " }",
        sign: ": ",
        short: true,
        lists: &["object"],
        taken: Taken::Apart("{ ", " }"),
        ..Packing::NONE
    }],
    ..Calls::NONE
};
