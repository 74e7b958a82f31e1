//! Types in Java.

use emendo_lang::language::{
    ArgumentRule, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, Gives, Intro, Origin,
    Packing, ReturnRule, Syntax, Taken, Typing,
};

use crate::shared::{declared_type, each, function, parameter, value};

const fn body(kind: &'static str, result: &'static str, makes: bool) -> FunctionRule {
    FunctionRule { kind, params: "parameters", result, body: "body", makes, ..FunctionRule::NONE }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("java.types"),
    exprs: &[
        ("string_literal", Gives::Is("java.lang.String")),
        ("character_literal", Gives::Is("char")),
        ("decimal_integer_literal", Gives::Is("int")),
        ("hex_integer_literal", Gives::Is("int")),
        ("octal_integer_literal", Gives::Is("int")),
        ("binary_integer_literal", Gives::Is("int")),
        ("decimal_floating_point_literal", Gives::Is("double")),
        ("true", Gives::Is("boolean")),
        ("false", Gives::Is("boolean")),
        ("null_literal", Gives::Nothing),
        ("class_literal", Gives::Is("java.lang.Class")),
        ("instanceof_expression", Gives::Is("boolean")),
        ("parenthesized_expression", Gives::Same("")),
        ("cast_expression", Gives::Written("type")),
        ("object_creation_expression", Gives::Made("type")),
        ("array_creation_expression", Gives::Array("type")),
        ("array_access", Gives::Element("array")),
        ("ternary_expression", Gives::Either(&["consequence", "alternative"])),
        ("assignment_expression", Gives::Same("right")),
        ("binary_expression", Gives::Operator("left", "operator", "right")),
        ("unary_expression", Gives::Same("operand")),
        ("update_expression", Gives::Same("")),
        ("method_invocation", Gives::Call),
        ("field_access", Gives::Member("object", "field")),
        ("lambda_expression", Gives::Function),
        ("this", Gives::Own),
        ("super", Gives::Base),
        ("identifier", Gives::Name),
        ("type_identifier", Gives::Name),
        ("scoped_identifier", Gives::Name),
        ("scoped_type_identifier", Gives::Name),
    ],
    intros: &[
        value("variable_declarator", "name", "type", "value"),
        value("resource", "name", "type", "value"),
        value("instanceof_expression", "name", "right", ""),
        value("type_pattern", "", "0", ""),
        value("record_pattern_component", "", "0", ""),
        value("catch_formal_parameter", "name", "catch_type", ""),
        parameter("formal_parameter", "name", "type"),
        Intro { kind: "spread_parameter", name: "", ty: "0", value: "", origin: Origin::Rest },
        each("enhanced_for_statement", "name", "type", "value"),
        parameter("inferred_parameters", "", ""),
        parameter("lambda_expression", "parameters", ""),
        function("method_declaration"),
        function("annotation_type_element_declaration"),
        Intro { kind: "enum_constant", name: "name", ty: "", value: "", origin: Origin::Constant },
        declared_type("class_declaration"),
        declared_type("interface_declaration"),
        declared_type("enum_declaration"),
        declared_type("record_declaration"),
    ],
    type_params: &["type_parameters"],
    truths: &["==", "!=", "<", ">", "<=", ">=", "&&", "||"],
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    generic: ('<', '>'),
    dropped: &["final"],
    nothing: &["void"],
    inferred: &["var"],
    list: "[]",
    bracket_list: true,
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    text_joins: true,
    primitives: &[
        ("int", "int"),
        ("long", "long"),
        ("short", "short"),
        ("byte", "byte"),
        ("char", "char"),
        ("float", "float"),
        ("double", "double"),
        ("boolean", "boolean"),
    ],
    closed: &["java.lang.String", "int", "long", "boolean", "char", "double", "float"],
    top: "java.lang.Object",
    members_typed: true,
    type_first: true,
    no_params: "()",
    closure: ("(", ") -> "),
    text: "java.lang.String",
    number: "int",
    truth: "boolean",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    both: &["&&"],
    arms: &["switch_rule"],
    returns: &[
        ReturnRule { kind: "return_statement", many: false },
        ReturnRule { kind: "yield_statement", many: true },
    ],
    blocks: &["block", "constructor_body"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    overloads: true,
    functions: &[
        body("method_declaration", "type", false),
        body("annotation_type_element_declaration", "type", false),
        body("constructor_declaration", "", true),
        body("compact_constructor_declaration", "", true),
        body("record_declaration", "", true),
        FunctionRule {
            kind: "lambda_expression",
            params: "parameters",
            body: "body",
            bare: true,
            ..FunctionRule::NONE
        },
    ],
    arguments: ArgumentRule { lists: &["argument_list"], ..ArgumentRule::NONE },
    callees: &[
        CalleeRule {
            kind: "method_invocation",
            function: "name",
            object: "object",
            arguments: "arguments",
        },
        CalleeRule {
            kind: "object_creation_expression",
            function: "type",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "explicit_constructor_invocation",
            function: "constructor",
            object: "object",
            arguments: "arguments",
        },
    ],
    constructor: "new",
    packing: &[Packing {
        word: "object",
        maker: "new",
        open: "new {}(",
        close: ")",
        lists: &["argument_list"],
        taken: Taken::Whole(".", "()"),
        ..Packing::NONE
    }],
    ..Calls::NONE
};
