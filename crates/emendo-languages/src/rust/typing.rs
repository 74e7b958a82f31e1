//! Types in Rust.

use emendo_lang::language::{
    ArgumentRule, Branching, BuiltIn, CalleeRule, Calls, FunctionRule, FunctionTypeRule, Gives,
    Intro, Origin, Packing, ReturnRule, Syntax, Taken, TypePart, Typing, Waiting,
};

use crate::shared::{declared_type, each, function, parameter, value};

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("rust.types"),
    exprs: &[
        ("string_literal", Gives::Is("str")),
        ("raw_string_literal", Gives::Is("str")),
        ("char_literal", Gives::Is("char")),
        ("integer_literal", Gives::Is("i32")),
        ("float_literal", Gives::Is("f64")),
        ("boolean_literal", Gives::Is("bool")),
        ("unit_expression", Gives::Nothing),
        ("parenthesized_expression", Gives::Same("")),
        ("reference_expression", Gives::Same("value")),
        ("unary_expression", Gives::Same("")),
        ("try_expression", Gives::Unwrapped("")),
        ("await_expression", Gives::Awaited("")),
        ("index_expression", Gives::Element("")),
        ("type_cast_expression", Gives::Written("type")),
        ("struct_expression", Gives::Made("name")),
        ("array_expression", Gives::ListOf("Vec")),
        ("tuple_expression", Gives::Tuple),
        ("call_expression", Gives::Call),
        ("field_expression", Gives::Member("value", "field")),
        ("binary_expression", Gives::Operator("left", "operator", "right")),
        ("closure_expression", Gives::Function),
        ("block", Gives::Tail),
        ("unsafe_block", Gives::Last),
        ("if_expression", Gives::Branches(&["consequence", "alternative"])),
        ("macro_invocation", Gives::Macro("macro", &[("vec", "Vec[]"), ("format", "String")])),
        ("generic_function", Gives::Same("function")),
        ("self", Gives::Own),
        ("identifier", Gives::Name),
        ("type_identifier", Gives::Name),
        ("scoped_identifier", Gives::Name),
        ("scoped_type_identifier", Gives::Name),
        ("shorthand_field_initializer", Gives::Same("")),
    ],
    intros: &[
        value("let_declaration", "pattern", "type", "value"),
        value("const_item", "name", "type", "value"),
        value("static_item", "name", "type", "value"),
        value("field_declaration", "name", "type", ""),
        value("let_condition", "pattern", "", "value"),
        value("match_arm", "pattern", "", "^value"),
        parameter("parameter", "pattern", "type"),
        parameter("closure_parameters", "", ""),
        each("for_expression", "pattern", "", "value"),
        function("function_item"),
        function("function_signature_item"),
        Intro { kind: "enum_variant", name: "name", ty: "", value: "", origin: Origin::Constant },
        declared_type("struct_item"),
        declared_type("enum_item"),
        declared_type("trait_item"),
        declared_type("type_item"),
    ],
    parts: &[
        ("tuple_pattern", TypePart::Nth),
        ("slice_pattern", TypePart::Each),
        ("tuple_struct_pattern", TypePart::Wrapped("type")),
        ("field_pattern", TypePart::Key("name")),
        ("struct_pattern", TypePart::Typed("type")),
    ],
    type_params: &["type_parameters"],
    bounds: &[("where_predicate", "left", "bounds")],
    truths: &["==", "!=", "<", ">", "<=", ">=", "&&", "||"],
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    qualified: true,
    generic: ('<', '>'),
    dropped: &["mut", "dyn", "impl", "const", "ref", "unsafe", "extern"],
    prefixes: &['&', '*'],
    tuple: ("(", ")"),
    joined: "+",
    inferred: &["_"],
    through: &["Box", "Arc", "Rc", "Pin", "Cow"],
    callables: &["fn", "Fn", "FnMut", "FnOnce"],
    list: "Vec",
    bracket_list: true,
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    operators: &[
        ("+", "add", ""),
        ("-", "sub", ""),
        ("*", "mul", ""),
        ("/", "div", ""),
        ("%", "rem", ""),
        ("|", "bitor", ""),
        ("&", "bitand", ""),
        ("^", "bitxor", ""),
    ],
    future: "std::future::Future",
    primitives: &[
        ("str", "str"),
        ("bool", "bool"),
        ("char", "char"),
        ("i8", "i8"),
        ("i16", "i16"),
        ("i32", "i32"),
        ("i64", "i64"),
        ("i128", "i128"),
        ("isize", "isize"),
        ("u8", "u8"),
        ("u16", "u16"),
        ("u32", "u32"),
        ("u64", "u64"),
        ("u128", "u128"),
        ("usize", "usize"),
        ("f32", "f32"),
        ("f64", "f64"),
        ("String", "String"),
        ("Vec", "Vec"),
        ("Option", "Option"),
        ("Result", "Result"),
        ("HashMap", "HashMap"),
        ("BTreeMap", "HashMap"),
        ("HashSet", "HashSet"),
        ("BTreeSet", "HashSet"),
        ("VecDeque", "Vec"),
        ("Iterator", "Iterator"),
        ("IntoIterator", "Iterator"),
        ("Mutex", "Mutex"),
        ("RwLock", "Mutex"),
        ("RefCell", "RefCell"),
    ],
    members_typed: true,
    no_params: "||",
    closure: ("|", "| "),
    text: "str",
    number: "i32",
    truth: "bool",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    arms: &["match_arm"],
    returns: &[ReturnRule { kind: "return_expression", many: false }],
    blocks: &["block", "source_file"],
    ..Branching::NONE
};

const CALLS: Calls = Calls {
    functions: &[
        FunctionRule {
            kind: "function_item",
            params: "parameters",
            result: "return_type",
            body: "body",
            ..FunctionRule::NONE
        },
        FunctionRule {
            kind: "function_signature_item",
            params: "parameters",
            result: "return_type",
            ..FunctionRule::NONE
        },
        FunctionRule {
            kind: "closure_expression",
            params: "parameters",
            result: "return_type",
            body: "body",
            bare: true,
            ..FunctionRule::NONE
        },
    ],
    function_types: &[FunctionTypeRule {
        kind: "function_type",
        list: &["parameters"],
        named: false,
    }],
    arguments: ArgumentRule { lists: &["arguments"], ..ArgumentRule::NONE },
    callees: &[CalleeRule {
        kind: "call_expression",
        function: "function",
        arguments: "arguments",
        ..CalleeRule::NONE
    }],
    waiting: Some(Waiting {
        kind: "await_expression",
        behind: ".await",
        token: "await",
        word: "async",
        functions: &[
            ("function_item", &["function_modifiers", "fn"]),
            ("function_signature_item", &["function_modifiers", "fn"]),
            ("closure_expression", &[]),
        ],
        bodiless: true,
        given: &["Future"],
        blocks: &["async_block"],
        takers: &[
            "spawn",
            "block_on",
            "spawn_local",
            "join_all",
            "join",
            "timeout",
            "then",
            "map",
            "boxed",
        ],
        never: &["main", "drop", "fmt"],
        barred: &["const", "extern"],
        ..Waiting::NONE
    }),
    packing: &[Packing {
        word: "object",
        open: "{} { ",
        close: " }",
        sign: ": ",
        short: true,
        lists: &["field_initializer_list"],
        taken: Taken::Apart("{} { ", " }"),
        ..Packing::NONE
    }],
    ..Calls::NONE
};
