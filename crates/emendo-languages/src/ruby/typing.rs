//! Types in Ruby: told by what makes a value, and by what recipes say of libraries.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, Gives, Intro,
    Origin, Packing, ReturnRule, Syntax, Taken, Test, TypePart, Typing,
};

use crate::shared::{declared_type, function, value};

const fn body(kind: &'static str, params: &'static str) -> FunctionRule {
    FunctionRule { kind, params, body: "body", ..FunctionRule::NONE }
}

/// A method by its body: statements, a value, or nothing.
const fn method(kind: &'static str, body: &'static str, bare: bool) -> FunctionRule {
    FunctionRule { kind, params: "parameters", body, bare, ..FunctionRule::NONE }
}

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("ruby.types"),
    exprs: &[
        ("string", Gives::Is("String")),
        ("chained_string", Gives::Is("String")),
        ("heredoc_beginning", Gives::Is("String")),
        ("simple_symbol", Gives::Is("Symbol")),
        ("integer", Gives::Is("Integer")),
        ("float", Gives::Is("Float")),
        ("true", Gives::Is("TrueClass")),
        ("false", Gives::Is("TrueClass")),
        ("nil", Gives::Nothing),
        ("regex", Gives::Is("Regexp")),
        ("array", Gives::ListOf("Array")),
        ("string_array", Gives::Is("Array")),
        ("symbol_array", Gives::Is("Array")),
        ("hash", Gives::Pairs("Hash", "pair")),
        ("parenthesized_statements", Gives::Last),
        ("element_reference", Gives::Element("object")),
        ("conditional", Gives::Either(&["consequence", "alternative"])),
        ("assignment", Gives::Same("right")),
        ("operator_assignment", Gives::Same("right")),
        ("binary", Gives::Operator("left", "operator", "right")),
        ("unary", Gives::Same("operand")),
        ("argument_list", Gives::Last),
        ("rescue_modifier", Gives::Same("body")),
        ("begin", Gives::Tail),
        ("then", Gives::Tail),
        ("else", Gives::Tail),
        ("if", Gives::Either(&["consequence", "alternative"])),
        ("elsif", Gives::Either(&["consequence", "alternative"])),
        ("unless", Gives::Either(&["consequence", "alternative"])),
        ("call", Gives::Call),
        ("block_argument", Gives::Element("^call/receiver")),
        ("self", Gives::Own),
        ("lambda", Gives::Function),
        ("block", Gives::Function),
        ("do_block", Gives::Function),
        ("body_statement", Gives::Tail),
        ("block_body", Gives::Tail),
        ("identifier", Gives::Name),
        ("constant", Gives::Name),
        ("instance_variable", Gives::Name),
        ("class_variable", Gives::Name),
        ("global_variable", Gives::Name),
        ("scope_resolution", Gives::Name),
    ],
    intros: &[
        value("assignment", "left", "", "right"),
        value("operator_assignment", "left", "", "right"),
        Intro { kind: "for", name: "pattern", ty: "", value: "value/0", origin: Origin::Each },
        value("exception_variable", "", "../exceptions/0", ""),
        parameter("method_parameters", ""),
        parameter("block_parameters", ""),
        parameter("lambda_parameters", ""),
        Intro { value: "value", ..parameter("keyword_parameter", "name") },
        Intro { value: "value", ..parameter("optional_parameter", "name") },
        Intro { origin: Origin::Rest, ..parameter("splat_parameter", "name") },
        function("method"),
        function("singleton_method"),
        declared_type("class"),
        declared_type("module"),
    ],
    parts: &[
        ("left_assignment_list", TypePart::Each),
        ("destructured_left_assignment", TypePart::Each),
    ],
    truths: &["==", "!=", "===", "=~", "<", ">", "<=", ">=", "!"],
    reassigned: true,
    bare_calls: true,
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const fn parameter(kind: &'static str, name: &'static str) -> Intro {
    Intro { kind, name, origin: Origin::Parameter, ..Intro::NONE }
}

const SYNTAX: Syntax =
    Syntax { generic: ('<', '>'), nothing: &["nil", "void"], list: "Array", ..Syntax::NONE };

const BUILT_IN: BuiltIn = BuiltIn {
    primitives: &[],
    top: "Object",
    closed: &["String", "Symbol", "Integer", "Float", "Regexp"],
    text: "String",
    number: "Integer",
    truth: "TrueClass",
    invoke: "call",
    no_params: "",
    closure: ("->(", ") { "),
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    tests: &[Test { kind: "call", value: "receiver", by: "is_a?", ty: "arguments/0", except: "" }],
    branches: &[
        Branch { kind: "if", test: "condition", then: "consequence" },
        Branch { kind: "elsif", test: "condition", then: "consequence" },
        Branch { kind: "if_modifier", test: "condition", then: "body" },
        Branch { kind: "conditional", test: "condition", then: "consequence" },
        Branch { kind: "binary", test: "left", then: "right" },
    ],
    exits: &["return", "next", "break"],
    negations: &[("unary", "!"), ("unary", "not")],
    both: &["&&", "and"],
    returns: &[ReturnRule { kind: "return", many: false }],
    blocks: &["body_statement", "block_body", "then", "else", "program", "do"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    functions: &[
        method("method", "./body_statement", false),
        method("method", "body", true),
        method("method", "", false),
        method("singleton_method", "./body_statement", false),
        method("singleton_method", "body", true),
        method("singleton_method", "", false),
        body("lambda", "parameters"),
        body("block", "parameters"),
        body("do_block", "parameters"),
    ],
    arguments: ArgumentRule {
        lists: &["argument_list"],
        wrapper: "",
        keyed: ("pair", "key", "value"),
    },
    callees: &[CalleeRule {
        kind: "call",
        function: "method",
        object: "receiver",
        arguments: "arguments",
    }],
    constructor: "initialize",
    maker: "new",
    block: "block",
    super_calls: true,
    class_word: "class",
    own_blocks: &["lambda", "proc", "define_method", "define_singleton_method"],
    packing: &[Packing { word: "named", sign: ": ", taken: Taken::Named(":"), ..Packing::NONE }],
    ..Calls::NONE
};
