//! Types in PHP.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, Gives, Intro,
    Origin, Packing, ReturnRule, Syntax, Taken, Test, TypePart, Typing,
};

use crate::shared::{declared_type, function, parameter, value};

const fn body(kind: &'static str, bare: bool) -> FunctionRule {
    FunctionRule {
        kind,
        params: "parameters",
        result: "return_type",
        body: "body",
        bare,
        ..FunctionRule::NONE
    }
}

const fn called(kind: &'static str, object: &'static str) -> CalleeRule {
    CalleeRule { kind, function: "name", object, arguments: "arguments" }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("php.types"),
    exprs: &[
        ("string", Gives::Is("string")),
        ("encapsed_string", Gives::Is("string")),
        ("heredoc", Gives::Is("string")),
        ("nowdoc", Gives::Is("string")),
        ("integer", Gives::Is("int")),
        ("float", Gives::Is("float")),
        ("boolean", Gives::Is("bool")),
        ("null", Gives::Nothing),
        ("array_creation_expression", Gives::ListOf("array")),
        ("array_element_initializer", Gives::Last),
        ("parenthesized_expression", Gives::Same("")),
        ("argument", Gives::Last),
        ("object_creation_expression", Gives::Made("0")),
        ("subscript_expression", Gives::Element("0")),
        ("conditional_expression", Gives::Either(&["body", "alternative"])),
        ("match_expression", Gives::Branches(&["body"])),
        ("assignment_expression", Gives::Same("right")),
        ("reference_assignment_expression", Gives::Same("right")),
        ("binary_expression", Gives::Operator("left", "operator", "right")),
        ("unary_op_expression", Gives::Same("argument")),
        ("cast_expression", Gives::Written("type")),
        ("clone_expression", Gives::Same("")),
        ("error_suppression_expression", Gives::Same("")),
        ("function_call_expression", Gives::Call),
        ("member_call_expression", Gives::Call),
        ("nullsafe_member_call_expression", Gives::Call),
        ("scoped_call_expression", Gives::Call),
        ("member_access_expression", Gives::Member("object", "name")),
        ("nullsafe_member_access_expression", Gives::Member("object", "name")),
        ("scoped_property_access_expression", Gives::Member("scope", "name")),
        ("class_constant_access_expression", Gives::Member("0", "1")),
        ("anonymous_function", Gives::Function),
        ("arrow_function", Gives::Function),
        ("variable_name", Gives::Same("")),
        ("name", Gives::Name),
        ("qualified_name", Gives::Name),
    ],
    intros: &[
        value("assignment_expression", "left", "", "right"),
        value("reference_assignment_expression", "left", "", "right"),
        value("property_element", "name", "type", "default_value"),
        parameter_of("property_promotion_parameter"),
        parameter_of("simple_parameter"),
        Intro {
            kind: "variadic_parameter",
            name: "name",
            ty: "type",
            value: "",
            origin: Origin::Rest,
        },
        value("catch_clause", "name", "type", ""),
        Intro { kind: "foreach_statement", name: "1", ty: "", value: "0", origin: Origin::Each },
        value("static_variable_declaration", "name", "", "value"),
        value("const_element", "0", "type", "1"),
        function("function_definition"),
        function("method_declaration"),
        Intro { kind: "enum_case", name: "name", ty: "", value: "", origin: Origin::Constant },
        declared_type("class_declaration"),
        declared_type("interface_declaration"),
        declared_type("trait_declaration"),
        declared_type("enum_declaration"),
    ],
    parts: &[("list_literal", TypePart::Each), ("pair", TypePart::Value)],
    truths: &[
        "==",
        "!=",
        "===",
        "!==",
        "<",
        ">",
        "<=",
        ">=",
        "&&",
        "||",
        "and",
        "or",
        "instanceof",
    ],
    reassigned: true,
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const fn parameter_of(kind: &'static str) -> Intro {
    Intro { value: "default_value", ..parameter(kind, "name", "type") }
}

const SYNTAX: Syntax = Syntax {
    generic: ('<', '>'),
    prefixes: &['?', '&'],
    nothing: &["void", "null", "never"],
    inferred: &["mixed", "object"],
    keyed: &["array", "list", "iterable", "Traversable", "Iterator", "Generator"],
    list: "array",
    bracket_list: true,
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    primitives: &[
        ("string", "string"),
        ("int", "int"),
        ("float", "float"),
        ("bool", "bool"),
        ("false", "bool"),
        ("true", "bool"),
        ("array", "array"),
        ("list", "array"),
        ("non-empty-array", "array"),
        ("iterable", "iterable"),
        ("callable", "callable"),
        // Other words for these in casts and documentation.
        ("integer", "int"),
        ("boolean", "bool"),
        ("double", "float"),
        ("binary", "string"),
    ],
    closed: &["string", "int", "float", "bool", "array", "callable"],
    text: "string",
    number: "int",
    truth: "bool",
    type_first: true,
    type_word: "class",
    invoke: "__invoke",
    no_params: "()",
    closure: ("fn (", ") => "),
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
    branches: &[
        Branch { kind: "if_statement", test: "condition", then: "body" },
        Branch { kind: "else_if_clause", test: "condition", then: "body" },
        Branch { kind: "while_statement", test: "condition", then: "body" },
        Branch { kind: "conditional_expression", test: "condition", then: "body" },
        Branch { kind: "binary_expression", test: "left", then: "right" },
    ],
    exits: &["return_statement", "throw_expression", "continue_statement", "break_statement"],
    negations: &[("unary_op_expression", "!")],
    both: &["&&", "and"],
    arms: &["match_conditional_expression", "match_default_expression"],
    returns: &[
        ReturnRule { kind: "return_statement", many: false },
        ReturnRule { kind: "yield_expression", many: true },
    ],
    blocks: &["compound_statement", "program", "colon_block"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    functions: &[
        body("method_declaration", false),
        body("function_definition", false),
        body("anonymous_function", false),
        body("arrow_function", true),
    ],
    arguments: ArgumentRule { lists: &["arguments"], wrapper: "argument", ..ArgumentRule::NONE },
    callees: &[
        called("member_call_expression", "object"),
        called("nullsafe_member_call_expression", "object"),
        called("scoped_call_expression", "scope"),
        CalleeRule {
            kind: "function_call_expression",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule { kind: "object_creation_expression", function: "0", ..CalleeRule::NONE },
        CalleeRule { kind: "attribute", function: "0", ..CalleeRule::NONE },
    ],
    constructor: "__construct",
    packing: &[
        Packing {
            word: "object",
            maker: "new",
            open: "new {}(",
            close: ")",
            lists: &["arguments"],
            taken: Taken::Whole("->", ""),
            ..Packing::NONE
        },
        Packing { word: "named", sign: ": ", taken: Taken::Named(""), ..Packing::NONE },
        Packing {
            word: "array",
            open: "[",
            close: "]",
            quote: "'",
            sign: " => ",
            lists: &["array_creation_expression"],
            taken: Taken::Whole("['", "']"),
            ..Packing::NONE
        },
    ],
    ..Calls::NONE
};
