//! Swift.

mod forms;
mod imports;
mod modules;
mod names;
mod operators;
mod parts;
mod patterns;
mod prefix;
mod shape;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Compare, Context, DeclarationShape, Flow, Fragments, Grammar, Keyed, Language, Placeholder,
    Writing, context,
};

use crate::swift::imports::{EXPORTS, IMPORTS};
use crate::swift::modules::MODULES;
use crate::swift::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::swift::shape::RESHAPE;
use crate::swift::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_swift::LANGUAGE.into());

/// The facts about Swift.
pub(super) const SWIFT: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    imports: IMPORTS,
    exports: EXPORTS,
    modules: Some(MODULES),
    declares: DECLARES,
    typing: TYPING,
    ..Language::new(
        "swift",
        "Swift",
        Grammar { reshape: Some(RESHAPE), ..Grammar::new(&["swift"], || &GRAMMAR, SAMPLE) },
    )
};

const SAMPLE: &str = "import A\n@available(iOS 13, *)\npublic final class B<T: C>: D, E where T: F {\n  static let g = B()\n  private(set) var h: [T]? = nil, i = 1\n  var j: Int { get { 1 } set(k) { i = k } }\n  init?(_ l: Int = 1, at m: T...) throws { super.init() }\n  func n<U>(o p: U) async throws -> (Int, U) { try await q?.r(.s, t: 1)[0]!.u { $0.v } w: { x in x } }\n}\nenum Y { case z(a: Int), b }\nextension B: P { func c() { if let d, case .z(let e)? = f, e > 1 { } else { \"\\(g)\" } } }\nfor case let (h, i) in j where h { switch h { case .b, is K: l() default: break } }\n";

const STRINGS: &[&str] =
    &["line_string_literal", "multi_line_string_literal", "raw_string_literal"];

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    declarators: &["variable"],
    splices: &["statements"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: "", capital: true, also: false },
        Placeholder { before: "var ", after: "", capital: false, also: false },
        Placeholder { before: "case ", after: "", capital: false, also: false },
        Placeholder { before: "case ", after: ": break", capital: false, also: true },
        Placeholder { before: "", after: ": ZqT", capital: false, also: false },
        Placeholder { before: "var ", after: ": ZqT { get }", capital: false, also: false },
        Placeholder { before: "@", after: "", capital: true, also: false },
        Placeholder { before: "", after: "\n", capital: false, also: false },
        Placeholder { before: "{ ", after: " }", capital: false, also: false },
    ],
    forms: &[
        (
            "number",
            &["integer_literal", "hex_literal", "bin_literal", "oct_literal", "real_literal"],
        ),
        ("string", STRINGS),
        ("boolean", &["boolean_literal"]),
        ("null", &["nil_literal"]),
        ("name", &["simple_identifier", "self_expression"]),
        ("call", &["call_expression", "macro_invocation"]),
        ("member", &["navigation_expression", "index_expression", "implicit_member"]),
        ("function", &["lambda_literal"]),
        ("object", &["dictionary_literal"]),
        ("list", &["array_literal", "tuple_expression"]),
        ("template", STRINGS),
        ("type", TYPES),
        ("statement", STATEMENTS),
    ],
    other_forms: forms::forms,
    ..Fragments::NONE
};

const TYPES: &[&str] = &[
    "user_type",
    "optional_type",
    "array_type",
    "dictionary_type",
    "tuple_type",
    "function_type",
    "opaque_type",
    "existential_type",
    "protocol_composition_type",
    "metatype",
];

const COMPARE: Compare = Compare {
    lists: &[
        "array_literal",
        "call_brackets",
        "capture_list",
        "case_arguments",
        "conditions",
        "dictionary_literal",
        "enum_type_parameters",
        "inheritance_clause",
        "lambda_function_type_parameters",
        "parameters",
        "tuple_expression",
        "tuple_type",
        "type_arguments",
        "type_parameters",
        "value_arguments",
    ],
    separators: &[","],
    optional: &[";", "optional_chain"],
    hollow: &[&["value_arguments"]],
    type_arguments: &["type_arguments"],
    alike: &[
        &["simple_identifier", "type_identifier"],
        &["value_arguments", "call_brackets"],
        STRINGS,
    ],
    declarations: DECLARATIONS,
    keyed: &[Keyed { list: "dictionary_literal", pair: "pair", key: "0", ..Keyed::NONE }],
    strings: STRINGS,
    open_texts: STRINGS,
    interpolations: &["interpolated_expression"],
    chain: &[
        ("navigation_expression", "target"),
        ("call_expression", "function"),
        ("index_expression", "function"),
        ("postfix_expression", "target"),
    ],
    transparent: &[
        "value_argument",
        "directly_assignable_expression",
        "pattern",
        "switch_pattern",
        "conditions",
        "interpolated_expression",
    ],
    parenthesized: "parenthesized_expression",
    spreads: &[
        "value_arguments",
        "call_brackets",
        "conditions",
        "optional_binding",
        "case_condition",
        "availability_condition",
    ],
    spread_fields: &[("value_argument", "name")],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    loose: &[
        "assignment",
        "try_expression",
        "await_expression",
        "ternary_expression",
        "nil_coalescing_expression",
        "disjunction_expression",
        "conjunction_expression",
        "equality_expression",
        "comparison_expression",
        "check_expression",
        "as_expression",
        "range_expression",
        "open_end_range_expression",
        "open_start_range_expression",
        "bitwise_operation",
        "additive_expression",
        "multiplicative_expression",
        "infix_expression",
        "prefix_expression",
        "if_statement",
        "switch_statement",
        "existential_type",
        "opaque_type",
        "function_type",
        "protocol_composition_type",
    ],
    flat: &[("protocol_composition_type", "protocol_composition_type")],
    binding: &[
        ("optional_type", ""),
        ("metatype", ""),
        ("user_type", ""),
        ("protocol_composition_type", ""),
        ("ternary_expression", "condition"),
        ("nil_coalescing_expression", ""),
        ("disjunction_expression", ""),
        ("conjunction_expression", ""),
        ("equality_expression", ""),
        ("comparison_expression", ""),
        ("check_expression", ""),
        ("as_expression", "expr"),
        ("range_expression", ""),
        ("bitwise_operation", ""),
        ("additive_expression", ""),
        ("multiplicative_expression", ""),
        ("infix_expression", ""),
        ("prefix_expression", ""),
        ("postfix_expression", ""),
        ("navigation_expression", "target"),
        ("call_expression", "function"),
        ("index_expression", "function"),
    ],
    comment: "//",
    line_items: STATEMENTS,
    property: ("var ", ""),
    optional_call: "?",
    ..Writing::NONE
};

const STATEMENTS: &[&str] = &[
    "assignment",
    "attribute",
    "await_expression",
    "call_expression",
    "class_declaration",
    "struct_declaration",
    "enum_declaration",
    "actor_declaration",
    "extension_declaration",
    "protocol_declaration",
    "control_transfer_statement",
    "return_statement",
    "throw_statement",
    "do_statement",
    "enum_entry",
    "for_statement",
    "function_declaration",
    "guard_statement",
    "if_statement",
    "import_declaration",
    "init_declaration",
    "deinit_declaration",
    "macro_invocation",
    "property_declaration",
    "protocol_function_declaration",
    "protocol_property_declaration",
    "repeat_while_statement",
    "subscript_declaration",
    "switch_entry",
    "switch_statement",
    "try_expression",
    "typealias_declaration",
    "associatedtype_declaration",
    "while_statement",
];

const FLOW: Flow = Flow {
    waits: &["await_expression", "try_expression"],
    passes: &[
        ("ternary_expression", "if_true", &[]),
        ("ternary_expression", "if_false", &[]),
        ("conjunction_expression", "", &[]),
        ("disjunction_expression", "", &[]),
        ("nil_coalescing_expression", "", &[]),
    ],
    nested: &[
        "lambda_literal",
        "function_declaration",
        "init_declaration",
        "deinit_declaration",
        "subscript_declaration",
        "class_declaration",
        "struct_declaration",
        "enum_declaration",
        "actor_declaration",
        "extension_declaration",
        "protocol_declaration",
    ],
    effects: &[
        "call_expression",
        "assignment",
        "await_expression",
        "try_expression",
        "throw_statement",
    ],
    ..Flow::NONE
};

const CONTEXTS: &[Context] = &[
    context("expression", "let zq = ", "", &[]),
    context("statement", "func zq() {\n", "\n}", STATEMENTS),
    context("statement", "", "", STATEMENTS),
    context("member", "class Zq {\n", "\n}", STATEMENTS),
    context("member", "protocol Zq {\n", "\n}", STATEMENTS),
    context("member", "enum Zq {\n", "\n}", &["enum_entry"]),
    Context {
        name: "member",
        prefix: "class Zq { ",
        suffix: " { } }",
        accepts: &["function_declaration", "init_declaration"],
        bodiless: true,
    },
    Context {
        name: "statement",
        prefix: "",
        suffix: " { }",
        accepts: &[
            "class_declaration",
            "struct_declaration",
            "enum_declaration",
            "actor_declaration",
            "extension_declaration",
            "protocol_declaration",
            "function_declaration",
        ],
        bodiless: true,
    },
    context("type", "let zq: ", "", TYPES),
    context("argument", "zq(", ")", &["value_argument"]),
    context("pair", "[", "]", &["pair"]),
    context("parameter", "func zq(", ") { }", &["parameter"]),
    context("annotation", "", " class Zq { }", &["attribute"]),
    context("import", "", "", &["import_declaration"]),
    context("clause", "switch zq { ", " }", &["switch_entry"]),
    context("clause", "do { } ", "", &["catch_block"]),
    context("clause", "class Zq", " { }", &["inheritance_clause"]),
    context("link", "let zq = zqBase", "", &[]),
];

const fn declaration(
    kind: &'static str,
    free_fields: &'static [&'static str],
    body: &'static str,
) -> DeclarationShape {
    DeclarationShape {
        kind,
        free_kinds: FREE,
        free_fields,
        body,
        name: "name",
        modifiers: "modifiers",
    }
}

const FREE: &[&str] = &[
    "modifiers",
    "attribute",
    "inheritance_clause",
    "type_parameters",
    "type_constraints",
    "result_clause",
    "throws",
    "throws_clause",
    "async",
    "indirect",
    "class",
];

const DECLARATIONS: &[DeclarationShape] = &[
    declaration("class_declaration", &[], "body"),
    declaration("struct_declaration", &[], "body"),
    declaration("enum_declaration", &[], "body"),
    declaration("actor_declaration", &[], "body"),
    declaration("extension_declaration", &[], "body"),
    declaration("protocol_declaration", &[], "body"),
    declaration("function_declaration", &["throws"], "body"),
    declaration("protocol_function_declaration", &["throws"], ""),
    declaration("init_declaration", &["throws"], "body"),
    DeclarationShape {
        kind: "property_declaration",
        free_kinds: &["modifiers", "attribute", "async"],
        modifiers: "modifiers",
        ..DeclarationShape::NONE
    },
    DeclarationShape {
        kind: "variable",
        free_kinds: &["type_annotation"],
        name: "name",
        ..DeclarationShape::NONE
    },
];
