//! Types in Dart.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, FunctionTypeRule,
    Gives, Intro, Origin, Packing, ReturnRule, Syntax, Taken, Test, TypePart, Typing, Waiting,
};

use crate::shared::{declared_type, each, value};

/// A function whose body is a block, or nothing.
const fn block(
    kind: &'static str,
    name: &'static str,
    params: &'static str,
    result: &'static str,
    body: &'static str,
) -> FunctionRule {
    FunctionRule { kind, name, params, result, body, ..FunctionRule::NONE }
}

/// A function that is a value behind an arrow.
const fn arrow(
    kind: &'static str,
    name: &'static str,
    params: &'static str,
    result: &'static str,
    body: &'static str,
) -> FunctionRule {
    FunctionRule { bare: true, ..block(kind, name, params, result, body) }
}

const fn maker(rule: FunctionRule) -> FunctionRule {
    FunctionRule { makes: true, ..rule }
}

const fn named(kind: &'static str, name: &'static str, origin: Origin) -> Intro {
    Intro { kind, name, origin, ..Intro::NONE }
}

const fn typed(kind: &'static str, name: &'static str, ty: &'static str) -> Intro {
    Intro { kind, name, ty, origin: Origin::Parameter, ..Intro::NONE }
}

const fn read(kind: &'static str, name: &'static str, ty: &'static str) -> Intro {
    Intro { kind, name, ty, value: "body/0", origin: Origin::Property }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("dart.types"),
    exprs: &[
        ("string_literal", Gives::Is("dart:core:String")),
        ("decimal_integer_literal", Gives::Is("dart:core:int")),
        ("hex_integer_literal", Gives::Is("dart:core:int")),
        ("decimal_floating_point_literal", Gives::Is("dart:core:double")),
        ("true", Gives::Is("dart:core:bool")),
        ("false", Gives::Is("dart:core:bool")),
        ("null_literal", Gives::Nothing),
        ("type_test_expression", Gives::Is("dart:core:bool")),
        ("logical_and_expression", Gives::Is("dart:core:bool")),
        ("logical_or_expression", Gives::Is("dart:core:bool")),
        ("equality_expression", Gives::Is("dart:core:bool")),
        ("relational_expression", Gives::Is("dart:core:bool")),
        ("list_literal", Gives::ListOf("dart:core:List")),
        ("set_or_map_literal", Gives::Pairs("dart:core:Map", "map_element")),
        ("record_literal", Gives::Tuple),
        ("record_field", Gives::Last),
        ("parenthesized_expression", Gives::Same("")),
        ("named_argument", Gives::Last),
        ("cascade", Gives::Same("0")),
        ("type_cast_expression", Gives::Written("type_cast/type")),
        ("new_expression", Gives::Made("type")),
        ("const_object_expression", Gives::Made("type")),
        ("index_expression", Gives::Element("object")),
        ("null_aware_index_expression", Gives::Element("object")),
        ("null_assertion_expression", Gives::Same("value")),
        ("conditional_expression", Gives::Either(&["consequence", "alternative"])),
        ("if_null_expression", Gives::Either(&["0", "1"])),
        ("switch_expression", Gives::Branches(&[])),
        ("assignment_expression", Gives::Same("right")),
        ("additive_expression", Gives::Operator("0", "operator", "1")),
        ("multiplicative_expression", Gives::Operator("0", "operator", "1")),
        ("unary_expression", Gives::Last),
        ("postfix_expression", Gives::Same("argument")),
        ("await_expression", Gives::Awaited("")),
        ("call_expression", Gives::Call),
        ("cascade_call_expression", Gives::Call),
        ("member_expression", Gives::Member("object", "property")),
        ("null_aware_member_expression", Gives::Member("object", "property")),
        ("cascade_member_expression", Gives::Member("object", "property")),
        ("cascade_selector", Gives::Member("^cascade/0", "0")),
        ("assignable_expression", Gives::Member("object", "property")),
        ("static_member_shorthand", Gives::Expected),
        ("function_expression", Gives::Function),
        ("this", Gives::Own),
        ("super", Gives::Base),
        ("identifier", Gives::Name),
        ("identifier_dollar_escaped", Gives::Name),
        ("type_identifier", Gives::Name),
    ],
    intros: &[
        value("initialized_variable_declaration", "name", "./type", "value"),
        value("initialized_identifier", "name", "../../type", "value"),
        value("static_final_declaration", "name", "../../type", "value"),
        // Without a type it is told by what is taken apart.
        value("variable_pattern", "type/^variable_pattern/name", "./type", ""),
        value("pattern_variable_declaration", "0", "", "1"),
        value("extension_type_representation", "name", "type", ""),
        typed("formal_parameter", "name", "./type"),
        typed("formal_parameter", "./identifier", "./type"),
        typed("formal_parameter", "field_formal_parameter/name", "field_formal_parameter/type"),
        typed("formal_parameter", "super_formal_parameter/name", "super_formal_parameter/type"),
        value("typed_identifier", "name", "type", ""),
        each("for_statement", "name", "./type", "value"),
        each("for_element", "name", "./type", "value"),
        value("catch_clause", "exception", "^try_statement/type", ""),
        named("enum_entry", "name", Origin::Constant),
        named("function_declaration", "signature/name", Origin::Function),
        named("external_function_declaration", "signature/name", Origin::Function),
        named("local_function_declaration", "function_signature/name", Origin::Function),
        named("method_declaration", "signature/function_signature/name", Origin::Function),
        named("method_declaration", "signature/constructor_signature/name:1", Origin::Function),
        named(
            "method_declaration",
            "signature/factory_constructor_signature/name:1",
            Origin::Function,
        ),
        named("method_declaration", "signature/constructor_signature/name:only", Origin::Function),
        named("declaration", "constructor_signature/name:only", Origin::Function),
        named("declaration", "function_signature/name", Origin::Function),
        named("declaration", "constructor_signature/name:1", Origin::Function),
        named("declaration", "constant_constructor_signature/name:1", Origin::Function),
        named("declaration", "redirecting_factory_constructor_signature/name:1", Origin::Function),
        read("getter_declaration", "signature/name", "signature/return_type"),
        read(
            "method_declaration",
            "signature/getter_signature/name",
            "signature/getter_signature/return_type",
        ),
        read("declaration", "getter_signature/name", "getter_signature/return_type"),
        declared_type("class_declaration"),
        declared_type("mixin_declaration"),
        declared_type("enum_declaration"),
        named("class_declaration", "mixin_application_class/0", Origin::Type),
        named("extension_type_declaration", "name/0", Origin::Type),
        named("type_alias", "./type_identifier", Origin::Type),
    ],
    parts: &[("record_pattern", TypePart::Nth), ("list_pattern", TypePart::Each)],
    type_params: &["type_parameters"],
    comparisons: &["equality_expression", "assignment_expression"],
    truths: &["==", "!=", "<", ">", "<=", ">=", "&&", "||", "is"],
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    generic: ('<', '>'),
    dropped: &["final", "const", "late", "required", "covariant"],
    nothing: &["void", "Null", "Never"],
    inferred: &["dynamic", "var"],
    tuple: ("(", ")"),
    function: "Function",
    list: "dart:core:List",
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    primitives: &[
        ("String", "dart:core:String"),
        ("int", "dart:core:int"),
        ("double", "dart:core:double"),
        ("num", "dart:core:num"),
        ("bool", "dart:core:bool"),
        ("Object", "dart:core:Object"),
        ("List", "dart:core:List"),
        ("Set", "dart:core:Set"),
        ("Map", "dart:core:Map"),
        ("Iterable", "dart:core:Iterable"),
        ("Future", "dart:async:Future"),
        ("FutureOr", "dart:async:Future"),
        ("Stream", "dart:async:Stream"),
        ("DateTime", "dart:core:DateTime"),
        ("Duration", "dart:core:Duration"),
    ],
    closed: &["dart:core:String", "dart:core:int", "dart:core:double", "dart:core:bool"],
    top: "dart:core:Object",
    type_first: true,
    invoke: "call",
    no_params: "()",
    closure: ("(", ") => "),
    text: "dart:core:String",
    number: "dart:core:int",
    truth: "dart:core:bool",
    future: "dart:async:Future",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    tests: &[Test {
        kind: "type_test_expression",
        value: "0",
        by: "",
        ty: "type_test/type",
        except: "type_test/is_operator/!",
    }],
    branches: &[
        Branch { kind: "if_statement", test: "condition", then: "consequence" },
        Branch { kind: "if_element", test: "condition", then: "consequence" },
        Branch { kind: "while_statement", test: "condition", then: "body" },
        Branch { kind: "conditional_expression", test: "0", then: "consequence" },
        Branch { kind: "logical_and_expression", test: "0", then: "1" },
    ],
    exits: &[
        "return_statement",
        "throw_expression",
        "rethrow_statement",
        "continue_statement",
        "break_statement",
    ],
    negations: &[("unary_expression", "!")],
    both: &["&&"],
    arms: &["switch_expression_case"],
    returns: &[
        ReturnRule { kind: "return_statement", many: false },
        ReturnRule { kind: "yield_statement", many: true },
        ReturnRule { kind: "yield_each_statement", many: true },
    ],
    blocks: &["block", "source_file"],
    ..Branching::NONE
};

const PARAMS: &str = "signature/formal_parameter_list";
const METHOD: &str = "signature/function_signature/formal_parameter_list";
const METHOD_NAME: &str = "signature/function_signature/name";
const METHOD_GIVES: &str = "signature/function_signature/return_type";
const FACTORY: &str = "signature/factory_constructor_signature/formal_parameter_list";
const FACTORY_NAME: &str = "signature/factory_constructor_signature/name:1";
const MADE: &str = "signature/constructor_signature/formal_parameter_list";
const MADE_NAME: &str = "signature/constructor_signature/name:1";
const ONLY_NAME: &str = "signature/constructor_signature/name:only";
const LOCAL: &str = "function_signature/formal_parameter_list";
const LOCAL_NAME: &str = "function_signature/name";
const LOCAL_GIVES: &str = "function_signature/return_type";
const GIVES: &str = "signature/return_type";
const BLOCK: &str = "body/block";
const VALUE: &str = "body/0";

const CALLS: Calls = Calls {
    groups: &["optional_formal_parameters"],
    setting: &["field_formal_parameter", "super_formal_parameter"],
    passing: "super_formal_parameter",
    functions: &[
        block("function_declaration", "signature/name", PARAMS, GIVES, BLOCK),
        arrow("function_declaration", "signature/name", PARAMS, GIVES, VALUE),
        block("external_function_declaration", "signature/name", PARAMS, GIVES, ""),
        block("method_declaration", METHOD_NAME, METHOD, METHOD_GIVES, BLOCK),
        arrow("method_declaration", METHOD_NAME, METHOD, METHOD_GIVES, VALUE),
        maker(block("method_declaration", FACTORY_NAME, FACTORY, "", BLOCK)),
        maker(arrow("method_declaration", FACTORY_NAME, FACTORY, "", VALUE)),
        maker(block("method_declaration", "", FACTORY, "", BLOCK)),
        maker(arrow("method_declaration", "", FACTORY, "", VALUE)),
        maker(block("method_declaration", MADE_NAME, MADE, "", BLOCK)),
        // A method without a type before its name looks like a constructor.
        block("method_declaration", ONLY_NAME, MADE, "", BLOCK),
        arrow("method_declaration", ONLY_NAME, MADE, "", VALUE),
        block("declaration", LOCAL_NAME, LOCAL, LOCAL_GIVES, ""),
        maker(block(
            "declaration",
            "constructor_signature/name:1",
            "constructor_signature/formal_parameter_list",
            "",
            "",
        )),
        block(
            "declaration",
            "constructor_signature/name:only",
            "constructor_signature/formal_parameter_list",
            "",
            "",
        ),
        maker(block(
            "declaration",
            "constant_constructor_signature/name:1",
            "constant_constructor_signature/formal_parameter_list",
            "",
            "",
        )),
        maker(block(
            "declaration",
            "",
            "constant_constructor_signature/formal_parameter_list",
            "",
            "",
        )),
        maker(block(
            "declaration",
            "redirecting_factory_constructor_signature/name:1",
            "redirecting_factory_constructor_signature/formal_parameter_list",
            "",
            "",
        )),
        maker(block(
            "declaration",
            "",
            "redirecting_factory_constructor_signature/formal_parameter_list",
            "",
            "",
        )),
        block("local_function_declaration", LOCAL_NAME, LOCAL, LOCAL_GIVES, "function_body/block"),
        arrow("local_function_declaration", LOCAL_NAME, LOCAL, LOCAL_GIVES, "function_body/0"),
        block("function_expression", "", "./formal_parameter_list", "", BLOCK),
        arrow("function_expression", "", "./formal_parameter_list", "", VALUE),
    ],
    function_types: &[FunctionTypeRule {
        kind: "function_type",
        list: &["parameter_type_list"],
        named: false,
    }],
    arguments: ArgumentRule {
        lists: &["arguments", "annotation_arguments"],
        keyed: ("named_argument", "label/0", ""),
        ..ArgumentRule::NONE
    },
    callees: &[
        CalleeRule {
            kind: "call_expression",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "new_expression",
            function: "type",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "const_object_expression",
            function: "type",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "cascade_call_expression",
            function: "property",
            object: "^cascade/0",
            arguments: "arguments",
        },
        CalleeRule {
            kind: "cascade_call_expression",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule { kind: "annotation", function: "name", ..CalleeRule::NONE },
        // `super.named(...)` and `this.named(...)` before the body of what makes an object.
        CalleeRule {
            kind: "initializer_list_entry",
            function: "./identifier",
            arguments: "./arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "initializer_list_entry",
            function: "./super",
            arguments: "./arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "redirection",
            function: "./identifier",
            arguments: "./arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "redirection",
            function: "./this",
            arguments: "./arguments",
            ..CalleeRule::NONE
        },
    ],
    constructor: "new",
    like_type: true,
    waiting: Some(Waiting {
        kind: "await_expression",
        before: "await ",
        token: "await",
        word: "async",
        functions: &[
            ("function_declaration", &["body"]),
            ("method_declaration", &["body"]),
            ("function_expression", &["body"]),
            ("local_function_declaration", &["function_body"]),
        ],
        result: ("Future", ""),
        nothing: ("void", "Future<void>"),
        given: &["Future", "FutureOr"],
        takers: &["then", "catchError", "whenComplete", "wait", "any", "unawaited", "asStream"],
        barred: &["factory", "yield_statement", "yield_each_statement", "sync*", "async*"],
        ..Waiting::NONE
    }),
    packing: &[
        Packing {
            word: "object",
            maker: "new",
            open: "{}(",
            close: ")",
            sign: ": ",
            lists: &["arguments"],
            taken: Taken::Whole(".", ""),
            ..Packing::NONE
        },
        Packing { word: "named", sign: ": ", taken: Taken::Named(""), ..Packing::NONE },
    ],
    ..Calls::NONE
};
