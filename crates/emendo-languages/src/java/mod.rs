//! Java.

mod imports;
mod names;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Compare, Context, DeclarationShape, Flow, Fragments, Grammar, Keyed, Language, Placeholder,
    Writing, context,
};

use crate::java::imports::{EXPORTS, IMPORTS};
use crate::java::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::java::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_java::LANGUAGE.into());

/// The facts about Java.
pub(super) const JAVA: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    imports: IMPORTS,
    exports: EXPORTS,
    declares: DECLARES,
    typing: TYPING,
    ..Language::new("java", "Java", Grammar::new(&["java"], || &GRAMMAR, SAMPLE))
};

const SAMPLE: &str = "package p;\nimport a.B;\nimport static a.B.*;\n@X(a = 1) class C<T> extends D implements E {\n  int f = 1;\n  void m(int a, String... b) throws F { for (var x : y) { g.h(x -> x, G::i); } }\n}\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    declarators: &["variable_declarator"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: ";", capital: false, also: false },
        Placeholder { before: "ZqT ", after: "", capital: false, also: false },
        Placeholder { before: "ZqT ", after: ";", capital: false, also: false },
        Placeholder { before: "@", after: "", capital: true, also: false },
        Placeholder { before: "", after: " = 0", capital: false, also: false },
        Placeholder { before: "case ", after: ":", capital: false, also: true },
    ],
    forms: &[
        (
            "number",
            &[
                "decimal_integer_literal",
                "hex_integer_literal",
                "octal_integer_literal",
                "binary_integer_literal",
                "decimal_floating_point_literal",
                "hex_floating_point_literal",
            ],
        ),
        ("string", &["string_literal", "character_literal"]),
        ("boolean", &["true", "false"]),
        ("null", &["null_literal"]),
        ("name", &["identifier", "this"]),
        ("call", &["method_invocation", "object_creation_expression"]),
        ("member", &["field_access", "array_access"]),
        ("function", &["lambda_expression", "method_reference"]),
        ("object", &[]),
        ("list", &["array_initializer", "array_creation_expression"]),
        ("template", &["template_expression"]),
        ("type", TYPES),
        (
            "statement",
            &[
                "expression_statement",
                "local_variable_declaration",
                "return_statement",
                "throw_statement",
                "if_statement",
                "for_statement",
                "enhanced_for_statement",
                "while_statement",
                "do_statement",
                "try_statement",
                "try_with_resources_statement",
                "block",
            ],
        ),
    ],
    ..Fragments::NONE
};

const COMPARE: Compare = Compare {
    lists: &[
        "annotation_argument_list",
        "argument_list",
        "formal_parameters",
        "inferred_parameters",
        "type_list",
        "type_parameters",
    ],
    separators: &[","],
    optional: &[";"],
    type_arguments: &["type_arguments"],
    alike: &[
        &["field_declaration", "constant_declaration"],
        &["scoped_identifier", "scoped_type_identifier"],
    ],
    declarations: DECLARATIONS,
    keyed: &[Keyed {
        list: "annotation_argument_list",
        pair: "element_value_pair",
        key: "key",
        ..Keyed::NONE
    }],
    strings: &["string_literal"],
    interpolations: &["string_interpolation"],
    chain: &[
        ("method_invocation", "object"),
        ("field_access", "object"),
        ("array_access", "array"),
    ],
    parenthesized: "parenthesized_expression",
    spreads: &["spread_parameter"],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    loose: &[
        "assignment_expression",
        "binary_expression",
        "cast_expression",
        "instanceof_expression",
        "lambda_expression",
        "ternary_expression",
        "unary_expression",
        "update_expression",
        "switch_expression",
    ],
    binding: &[
        ("binary_expression", ""),
        ("unary_expression", ""),
        ("update_expression", ""),
        ("cast_expression", "value"),
        ("instanceof_expression", "left"),
        ("ternary_expression", ""),
        ("method_invocation", "object"),
        ("field_access", "object"),
        ("array_access", "array"),
        ("method_reference", ""),
    ],
    expression_statement: "expression_statement",
    comment: "//",
    line_items: &[
        "expression_statement",
        "local_variable_declaration",
        "return_statement",
        "throw_statement",
        "assert_statement",
        "if_statement",
        "for_statement",
        "enhanced_for_statement",
        "while_statement",
        "do_statement",
        "try_statement",
        "try_with_resources_statement",
        "switch_expression",
        "synchronized_statement",
        "yield_statement",
        "block",
        "field_declaration",
        "constant_declaration",
        "method_declaration",
        "constructor_declaration",
        "compact_constructor_declaration",
        "class_declaration",
        "interface_declaration",
        "enum_declaration",
        "record_declaration",
        "annotation_type_declaration",
        "annotation_type_element_declaration",
        "static_initializer",
        "explicit_constructor_invocation",
        "import_declaration",
        "annotation",
        "marker_annotation",
    ],
    ..Writing::NONE
};

const FLOW: Flow = Flow {
    passes: &[],
    drops: &[("for_statement", "init", &[]), ("for_statement", "update", &[])],
    nested: &[
        "lambda_expression",
        "method_declaration",
        "constructor_declaration",
        "compact_constructor_declaration",
        "class_declaration",
        "interface_declaration",
        "enum_declaration",
        "record_declaration",
        "class_body",
    ],
    effects: &[
        "method_invocation",
        "object_creation_expression",
        "assignment_expression",
        "update_expression",
        "switch_expression",
        "explicit_constructor_invocation",
    ],
    ..Flow::NONE
};

const TYPES: &[&str] = &[
    "type_identifier",
    "scoped_type_identifier",
    "generic_type",
    "array_type",
    "annotated_type",
    "integral_type",
    "floating_point_type",
    "boolean_type",
    "void_type",
];

const MEMBERS: &[&str] = &[
    "field_declaration",
    "method_declaration",
    "constructor_declaration",
    "class_declaration",
    "interface_declaration",
    "enum_declaration",
    "record_declaration",
    "annotation_type_declaration",
    "static_initializer",
];

const CONTEXTS: &[Context] = &[
    context("expression", "class Zq { Object zq = ", "; }", &[]),
    context("statement", "class Zq { void zq() { ", " } }", &[]),
    context("member", "class Zq { ", " }", MEMBERS),
    Context {
        name: "member",
        prefix: "class Zq { ",
        suffix: " { } }",
        accepts: &[
            "method_declaration",
            "class_declaration",
            "interface_declaration",
            "enum_declaration",
            "record_declaration",
            "annotation_type_declaration",
        ],
        bodiless: true,
    },
    context("type", "class Zq { ", " zq; }", TYPES),
    context("import", "", " class Zq { }", &["import_declaration"]),
    context("annotation", "", " class Zq { }", &["annotation", "marker_annotation"]),
    context("pair", "@Zq(", ") class Zq { }", &["element_value_pair"]),
    context(
        "parameter",
        "class Zq { void zq(",
        ") { } }",
        &["formal_parameter", "spread_parameter"],
    ),
    context(
        "clause",
        "class Zq { void zq() { try { } ",
        " } }",
        &["catch_clause", "finally_clause"],
    ),
    context("clause", "class Zq { void zq() ", " { } }", &["throws"]),
    context("clause", "class Zq ", " { }", &["superclass", "super_interfaces", "permits"]),
    context("clause", "interface Zq ", " { }", &["extends_interfaces"]),
    context(
        "clause",
        "class Zq { void zq() { switch (zq) { ",
        " } } }",
        &["switch_block_statement_group", "switch_rule"],
    ),
    context("link", "class Zq { Object zq = zqBase", "; }", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
    name: &'static str,
) -> DeclarationShape {
    DeclarationShape { kind, free_kinds, free_fields, body, name, modifiers: "modifiers" }
}

const HEADER: &[&str] = &["type_parameters", "superclass", "interfaces", "permits"];

const DECLARATIONS: &[DeclarationShape] = &[
    declaration("class_declaration", &["modifiers"], HEADER, "body", "name"),
    declaration(
        "interface_declaration",
        &["modifiers", "extends_interfaces"],
        HEADER,
        "body",
        "name",
    ),
    declaration("enum_declaration", &["modifiers"], HEADER, "body", "name"),
    declaration("record_declaration", &["modifiers"], HEADER, "body", "name"),
    declaration("annotation_type_declaration", &["modifiers"], &[], "body", "name"),
    declaration(
        "method_declaration",
        &["modifiers", "throws"],
        &["type_parameters"],
        "body",
        "name",
    ),
    declaration(
        "constructor_declaration",
        &["modifiers", "throws"],
        &["type_parameters"],
        "body",
        "name",
    ),
    declaration("field_declaration", &["modifiers"], &[], "", ""),
    declaration("constant_declaration", &["modifiers"], &[], "", ""),
    declaration("local_variable_declaration", &["modifiers"], &[], "", ""),
    declaration("formal_parameter", &["modifiers"], &[], "", "name"),
    declaration("enum_constant", &["modifiers"], &[], "body", "name"),
];
