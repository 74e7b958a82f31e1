//! Types in C#.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, Delegate, FunctionRule,
    FunctionTypeRule, Gives, Intro, Origin, Packing, ReturnRule, Syntax, Taken, Test, TypePart,
    Typing, Waiting,
};

use crate::shared::{declared_type, each, function, parameter, value};

/// A type whose own list of parameters makes an object of it.
const fn made(kind: &'static str) -> FunctionRule {
    FunctionRule { params: "parameter_list", ..body(kind, "", true) }
}

const fn body(kind: &'static str, result: &'static str, makes: bool) -> FunctionRule {
    FunctionRule {
        kind,
        params: "parameters",
        result,
        body: "body",
        makes,
        bare: true,
        ..FunctionRule::NONE
    }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("csharp.types"),
    exprs: &[
        ("string_literal", Gives::Is("System.String")),
        ("verbatim_string_literal", Gives::Is("System.String")),
        ("raw_string_literal", Gives::Is("System.String")),
        ("interpolated_string_expression", Gives::Is("System.String")),
        ("character_literal", Gives::Is("System.Char")),
        ("integer_literal", Gives::Is("System.Int32")),
        ("real_literal", Gives::Is("System.Double")),
        ("boolean_literal", Gives::Is("System.Boolean")),
        ("null_literal", Gives::Nothing),
        ("is_pattern_expression", Gives::Is("System.Boolean")),
        ("is_expression", Gives::Is("System.Boolean")),
        ("typeof_expression", Gives::Is("System.Type")),
        ("parenthesized_expression", Gives::Same("")),
        ("cast_expression", Gives::Written("type")),
        ("as_expression", Gives::Written("right")),
        ("object_creation_expression", Gives::Made("type")),
        ("implicit_object_creation_expression", Gives::Expected),
        ("array_creation_expression", Gives::Array("type")),
        ("implicit_array_creation_expression", Gives::Same("")),
        ("initializer_expression", Gives::ListOf("[]")),
        ("element_access_expression", Gives::Element("expression")),
        ("conditional_expression", Gives::Either(&["consequence", "alternative"])),
        ("conditional_access_expression", Gives::Last),
        ("assignment_expression", Gives::Same("right")),
        ("binary_expression", Gives::Operator("left", "operator", "right")),
        ("prefix_unary_expression", Gives::Same("")),
        ("postfix_unary_expression", Gives::Same("")),
        ("await_expression", Gives::Awaited("")),
        ("tuple_expression", Gives::Tuple),
        ("argument", Gives::Last),
        ("invocation_expression", Gives::Call),
        ("member_access_expression", Gives::Member("expression", "name")),
        ("member_binding_expression", Gives::Member("expression", "name")),
        ("lambda_expression", Gives::Function),
        ("this", Gives::Own),
        ("base", Gives::Base),
        ("identifier", Gives::Name),
        ("qualified_name", Gives::Name),
    ],
    intros: &[
        value("variable_declarator", "0", "type", "."),
        value("property_declaration", "name", "type", "value"),
        value("declaration_pattern", "name", "type", ""),
        value("declaration_expression", "name", "type", ""),
        value("catch_declaration", "name", "type", ""),
        parameter("parameter", "name", "type"),
        value("parameter_list", "name", "type", ""),
        parameter("implicit_parameter", "", ""),
        parameter("lambda_expression", "parameters", ""),
        each("foreach_statement", "left", "type", "right"),
        function("method_declaration"),
        function("local_function_statement"),
        Intro {
            kind: "enum_member_declaration",
            name: "name",
            origin: Origin::Constant,
            ..Intro::NONE
        },
        declared_type("class_declaration"),
        declared_type("struct_declaration"),
        declared_type("record_declaration"),
        declared_type("interface_declaration"),
        declared_type("enum_declaration"),
        declared_type("delegate_declaration"),
    ],
    parts: &[("tuple_pattern", TypePart::Nth)],
    type_params: &["type_parameter_list"],
    bounds: &[("type_parameter_constraints_clause", "", "1")],
    truths: &["==", "!=", "<", ">", "<=", ">=", "&&", "||", "is"],
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    generic: ('<', '>'),
    dropped: &["ref", "out", "in", "params", "this", "readonly", "scoped"],
    nothing: &["void"],
    tuple: ("(", ")"),
    inferred: &["var", "dynamic"],
    through: &["Nullable"],
    delegates: &[Delegate { name: "Action", gives: false }, Delegate { name: "Func", gives: true }],
    list: "[]",
    bracket_list: true,
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    text_joins: true,
    operators: &[
        ("+", "operator +", ""),
        ("-", "operator -", ""),
        ("*", "operator *", ""),
        ("/", "operator /", ""),
        ("%", "operator %", ""),
        ("|", "operator |", ""),
        ("&", "operator &", ""),
    ],
    primitives: &[
        ("string", "System.String"),
        ("String", "System.String"),
        ("int", "System.Int32"),
        ("long", "System.Int64"),
        ("short", "System.Int16"),
        ("byte", "System.Byte"),
        ("uint", "System.UInt32"),
        ("ulong", "System.UInt64"),
        ("char", "System.Char"),
        ("bool", "System.Boolean"),
        ("float", "System.Single"),
        ("double", "System.Double"),
        ("decimal", "System.Decimal"),
        ("object", "System.Object"),
    ],
    closed: &["System.String", "System.Int32", "System.Int64", "System.Boolean", "System.Double"],
    top: "System.Object",
    members_typed: true,
    type_first: true,
    invoke: "Invoke",
    no_params: "()",
    closure: ("(", ") => "),
    text: "System.String",
    number: "System.Int32",
    truth: "System.Boolean",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    tests: &[
        Test { kind: "is_expression", value: "left", by: "", ty: "right", except: "" },
        Test {
            kind: "is_pattern_expression",
            value: "expression",
            by: "",
            ty: "pattern",
            except: "",
        },
    ],
    branches: &[
        Branch { kind: "if_statement", test: "condition", then: "consequence" },
        Branch { kind: "while_statement", test: "condition", then: "body" },
        Branch { kind: "conditional_expression", test: "condition", then: "consequence" },
        Branch { kind: "binary_expression", test: "left", then: "right" },
    ],
    exits: &["return_statement", "throw_statement", "continue_statement", "break_statement"],
    negations: &[("prefix_unary_expression", "!")],
    both: &["&&"],
    arms: &["switch_expression_arm"],
    returns: &[
        ReturnRule { kind: "return_statement", many: false },
        ReturnRule { kind: "yield_statement", many: true },
    ],
    blocks: &["block", "compilation_unit"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    overloads: true,
    functions: &[
        body("method_declaration", "returns", false),
        body("local_function_statement", "type", false),
        body("constructor_declaration", "", true),
        made("class_declaration"),
        made("struct_declaration"),
        made("record_declaration"),
        body("delegate_declaration", "type", false),
        body("lambda_expression", "", false),
    ],
    function_types: &[FunctionTypeRule {
        kind: "generic_name",
        list: &["type_argument_list"],
        named: true,
    }],
    arguments: ArgumentRule {
        lists: &["argument_list"],
        wrapper: "argument",
        ..ArgumentRule::NONE
    },
    callees: &[
        CalleeRule {
            kind: "invocation_expression",
            function: "function",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule {
            kind: "object_creation_expression",
            function: "type",
            arguments: "arguments",
            ..CalleeRule::NONE
        },
        CalleeRule { kind: "constructor_initializer", function: "", object: "", arguments: "" },
    ],
    constructor: "new",
    waiting: Some(Waiting {
        kind: "await_expression",
        before: "await ",
        token: "await",
        word: "async",
        functions: &[
            ("method_declaration", &["returns"]),
            ("local_function_statement", &["type"]),
            ("lambda_expression", &[]),
        ],
        result: ("Task", "System.Threading.Tasks.Task"),
        nothing: ("void", "Task"),
        given: &["Task", "ValueTask", "IAsyncEnumerable"],
        top: true,
        takers: &[
            "WhenAll",
            "WhenAny",
            "Run",
            "ContinueWith",
            "GetAwaiter",
            "ConfigureAwait",
            "Result",
            "Wait",
        ],
        nothing_fails: true,
        never: &["Dispose", "ToString", "Equals", "GetHashCode"],
        barred: &["yield_statement", "unsafe"],
        ..Waiting::NONE
    }),
    packing: &[
        Packing {
            word: "object",
            maker: "new",
            open: "new {} { ",
            close: " }",
            sign: " = ",
            lists: &["initializer_expression"],
            taken: Taken::Whole(".", ""),
            ..Packing::NONE
        },
        Packing { word: "named", sign: ": ", taken: Taken::Named(""), ..Packing::NONE },
    ],
    ..Calls::NONE
};
