//! Dart.

mod imports;
mod library;
mod modules;
mod names;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Compare, Context, DeclarationShape, Flow, Fragments, Grammar, Imports, Keyed, Language,
    Placeholder, Writing, context,
};

use crate::dart::imports::{EXPORTS, IMPORTS};
use crate::dart::modules::MODULES;
use crate::dart::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::dart::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_dart::LANGUAGE.into());

/// The facts about Dart.
pub(super) const DART: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    imports: Imports { of_project: library::of_library, ..IMPORTS },
    exports: EXPORTS,
    modules: Some(MODULES),
    declares: DECLARES,
    typing: TYPING,
    ..Language::new("dart", "Dart", Grammar::new(&["dart"], || &GRAMMAR, SAMPLE))
};

const SAMPLE: &str = "import 'package:a/b.dart' as c show D;\nexport 'e.dart';\n@F(1)\nabstract class G<T> extends H with I implements J {\n  static const int k = 1;\n  final String? l;\n  G(this.l, {required super.m, int n = 2}) : assert(n > 0);\n  factory G.o(x) => G('$x ${x.y}', m: 1);\n  Future<void> p() async { await q?.r(1)..s = 2; }\n}\nextension T on G { int get u => 1; }\nenum V { w, x(1); const V([this.y]); }\n";

const STRINGS: &[&str] = &[
    "string_literal_single_quotes",
    "string_literal_double_quotes",
    "string_literal_single_quotes_multiple",
    "string_literal_double_quotes_multiple",
    "raw_string_literal_single_quotes",
    "raw_string_literal_double_quotes",
    "raw_string_literal_single_quotes_multiple",
    "raw_string_literal_double_quotes_multiple",
];

/// Texts that may hold code.
const OPEN_TEXTS: &[&str] = &[
    "string_literal_single_quotes",
    "string_literal_double_quotes",
    "string_literal_single_quotes_multiple",
    "string_literal_double_quotes_multiple",
];

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    declarators: &["initialized_identifier", "static_final_declaration"],
    splices: &["optional_formal_parameters"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: ";", capital: false, also: false },
        Placeholder { before: "Zq ", after: ";", capital: false, also: false },
        Placeholder { before: "@", after: "", capital: false, also: false },
        Placeholder { before: "case ", after: ":", capital: false, also: true },
        Placeholder { before: "'", after: "'", capital: false, also: false },
    ],
    forms: &[
        (
            "number",
            &["decimal_integer_literal", "hex_integer_literal", "decimal_floating_point_literal"],
        ),
        ("string", &["string_literal"]),
        ("boolean", &["true", "false"]),
        ("null", &["null_literal"]),
        ("name", &["identifier", "this", "identifier_dollar_escaped"]),
        ("call", CALLS),
        ("member", MEMBER_ACCESS),
        ("function", &["function_expression"]),
        ("object", &["set_or_map_literal", "record_literal"]),
        ("list", &["list_literal"]),
        ("template", OPEN_TEXTS),
        ("type", TYPES),
        ("statement", STATEMENTS),
    ],
    ..Fragments::NONE
};

const CALLS: &[&str] =
    &["call_expression", "new_expression", "const_object_expression", "cascade_call_expression"];

const MEMBER_ACCESS: &[&str] = &[
    "member_expression",
    "null_aware_member_expression",
    "index_expression",
    "null_aware_index_expression",
];

const COMPARE: Compare = Compare {
    lists: &[
        "annotation_arguments",
        "arguments",
        "combinator",
        "enum_body",
        "formal_parameter_list",
        "initializers",
        "interfaces",
        "list_literal",
        "list_pattern",
        "map_pattern",
        "mixins",
        "object_pattern",
        "parameter_type_list",
        "record_literal",
        "record_pattern",
        "set_or_map_literal",
        "type_arguments",
        "type_parameters",
    ],
    separators: &[","],
    optional: &[";"],
    type_arguments: &["type_arguments"],
    alike: &[
        &["member_expression", "null_aware_member_expression"],
        &["index_expression", "null_aware_index_expression"],
        &[".", "?."],
        &["identifier", "type_identifier", "identifier_dollar_escaped"],
        &["static_final_declaration", "initialized_identifier"],
        &["static_final_declaration_list", "initialized_identifier_list"],
        STRINGS,
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed { list: "arguments", pair: "named_argument", key: "label/0", ..Keyed::NONE },
        Keyed {
            list: "annotation_arguments",
            pair: "named_argument",
            key: "label/0",
            ..Keyed::NONE
        },
        Keyed { list: "set_or_map_literal", pair: "map_element", key: "key", ..Keyed::NONE },
    ],
    strings: STRINGS,
    open_texts: OPEN_TEXTS,
    interpolations: &["template_substitution"],
    bare_code: &[("template_substitution", "{", "}")],
    chain: &[
        ("member_expression", "object"),
        ("null_aware_member_expression", "object"),
        ("call_expression", "function"),
        ("instantiation_expression", "function"),
        ("index_expression", "object"),
        ("null_aware_index_expression", "object"),
        ("null_assertion_expression", "value"),
        ("cascade", ""),
    ],
    transparent: &["record_field", "string_literal"],
    parenthesized: "parenthesized_expression",
    spreads: &["spread_element", "named_argument"],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    loose: &[
        "assignment_expression",
        "throw_expression",
        "cascade",
        "conditional_expression",
        "if_null_expression",
        "logical_or_expression",
        "logical_and_expression",
        "equality_expression",
        "relational_expression",
        "type_test_expression",
        "type_cast_expression",
        "bitwise_or_expression",
        "bitwise_xor_expression",
        "bitwise_and_expression",
        "shift_expression",
        "additive_expression",
        "multiplicative_expression",
        "unary_expression",
        "await_expression",
        "function_expression",
        "switch_expression",
    ],
    binding: &[
        ("conditional_expression", "0"),
        ("if_null_expression", ""),
        ("logical_or_expression", ""),
        ("logical_and_expression", ""),
        ("equality_expression", ""),
        ("relational_expression", ""),
        ("type_test_expression", ""),
        ("type_cast_expression", ""),
        ("bitwise_or_expression", ""),
        ("bitwise_xor_expression", ""),
        ("bitwise_and_expression", ""),
        ("shift_expression", ""),
        ("additive_expression", ""),
        ("multiplicative_expression", ""),
        ("unary_expression", ""),
        ("await_expression", ""),
        ("postfix_expression", ""),
        ("member_expression", "object"),
        ("null_aware_member_expression", "object"),
        ("call_expression", "function"),
        ("index_expression", "object"),
        ("null_aware_index_expression", "object"),
        ("null_assertion_expression", ""),
        ("cascade", ""),
    ],
    expression_statement: "expression_statement",
    comment: "//",
    line_items: LINE_ITEMS,
    property: ("get ", ""),
    optional_call: "?.call",
    ..Writing::NONE
};

const LINE_ITEMS: &[&str] = &[
    "expression_statement",
    "local_variable_declaration",
    "local_function_declaration",
    "return_statement",
    "if_statement",
    "for_statement",
    "while_statement",
    "do_statement",
    "switch_statement",
    "switch_statement_case",
    "try_statement",
    "assert_statement",
    "yield_statement",
    "yield_each_statement",
    "rethrow_statement",
    "block",
    "import_or_export",
    "import_specification",
    "part_directive",
    "part_of_directive",
    "library_name",
    "class_declaration",
    "mixin_declaration",
    "extension_declaration",
    "extension_type_declaration",
    "enum_declaration",
    "enum_entry",
    "type_alias",
    "function_declaration",
    "getter_declaration",
    "setter_declaration",
    "top_level_variable_declaration",
    "external_function_declaration",
    "member_declaration",
    "method_declaration",
    "annotation",
];

const FLOW: Flow = Flow {
    waits: &["await_expression"],
    passes: &[
        ("conditional_expression", "consequence", &[]),
        ("conditional_expression", "alternative", &[]),
        ("logical_and_expression", "", &[]),
        ("logical_or_expression", "", &[]),
        ("if_null_expression", "", &[]),
    ],
    drops: &[("for_statement", "init", &[]), ("for_statement", "update", &[])],
    nested: &[
        "function_expression",
        "function_declaration",
        "local_function_declaration",
        "method_declaration",
        "getter_declaration",
        "setter_declaration",
        "class_declaration",
        "mixin_declaration",
        "extension_declaration",
        "enum_declaration",
    ],
    effects: &[
        "call_expression",
        "cascade",
        "new_expression",
        "assignment_expression",
        "postfix_expression",
        "await_expression",
        "throw_expression",
        "yield_statement",
    ],
    ..Flow::NONE
};

const TYPES: &[&str] = &["type", "function_type", "record_type", "void_type"];

const STATEMENTS: &[&str] = &[
    "expression_statement",
    "local_variable_declaration",
    "local_function_declaration",
    "return_statement",
    "if_statement",
    "for_statement",
    "while_statement",
    "do_statement",
    "switch_statement",
    "try_statement",
    "assert_statement",
    "yield_statement",
    "yield_each_statement",
    "rethrow_statement",
    "break_statement",
    "continue_statement",
    "labeled_statement",
    "block",
];

const TOP: &[&str] = &[
    "class_declaration",
    "mixin_declaration",
    "extension_declaration",
    "extension_type_declaration",
    "enum_declaration",
    "type_alias",
    "getter_declaration",
    "setter_declaration",
    "library_name",
    "part_directive",
    "part_of_directive",
];

const CONTEXTS: &[Context] = &[
    context("expression", "zq() => ", ";", &[]),
    context("statement", "zq() { ", " }", STATEMENTS),
    context("statement", "", "", TOP),
    context("statement", "", "", &["function_declaration"]),
    Context {
        name: "statement",
        prefix: "",
        suffix: " { }",
        accepts: &[
            "class_declaration",
            "mixin_declaration",
            "extension_declaration",
            "enum_declaration",
            "function_declaration",
        ],
        bodiless: true,
    },
    context("member", "class Zq { ", " }", &["member_declaration", "method_declaration"]),
    context("member", "class Zq { ", "; }", &["declaration"]),
    Context {
        name: "member",
        prefix: "class Zq { ",
        suffix: " { } }",
        accepts: &["method_declaration", "member_declaration"],
        bodiless: true,
    },
    context("member", "enum Zq { ", " }", &["enum_entry"]),
    context("type", "zq() { ", " zq; }", &["type"]),
    context("argument", "zq() => zq(", ");", &["named_argument"]),
    context("pair", "zq() => { ", " };", &["map_element"]),
    context("parameter", "zq(", ") { }", &["formal_parameter"]),
    context("parameter", "zq({ ", " }) { }", &["formal_parameter"]),
    context("annotation", "", " class Zq { }", &["annotation"]),
    context("import", "", "", &["import_specification", "import_or_export", "library_export"]),
    context("clause", "zq() { try { } ", " }", &["catch_clause", "finally_clause"]),
    context(
        "clause",
        "zq() { switch (zq) { ",
        " } }",
        &["switch_statement_case", "switch_statement_default"],
    ),
    context("clause", "zq() => switch (zq) { ", " };", &["switch_expression_case"]),
    context("clause", "class Zq ", " { }", &["superclass", "interfaces"]),
    context("clause", "zq() => zq", ";", &["cascade_section"]),
    context("link", "zq() => zqBase", ";", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
    name: &'static str,
) -> DeclarationShape {
    DeclarationShape { kind, free_kinds, free_fields, body, name, modifiers: "" }
}

const TYPE_FREE: &[&str] = &[
    "annotation",
    "abstract",
    "base",
    "final",
    "interface",
    "sealed",
    "mixin",
    "superclass",
    "interfaces",
    "type_parameters",
];

const FREE: &[&str] = &["annotation", "external", "static", "late", "final", "const", "covariant"];

const DECLARATIONS: &[DeclarationShape] = &[
    declaration("class_declaration", TYPE_FREE, &["type_parameters"], "body", "name"),
    declaration("mixin_declaration", TYPE_FREE, &["type_parameters"], "body", "name"),
    declaration("enum_declaration", TYPE_FREE, &["type_parameters"], "body", "name"),
    declaration("extension_declaration", TYPE_FREE, &["type_parameters"], "body", "name"),
    declaration("function_declaration", FREE, &[], "body", "signature/name"),
    declaration("getter_declaration", FREE, &[], "body", "signature/name"),
    declaration("local_function_declaration", FREE, &[], "", "function_signature/name"),
    declaration("method_declaration", FREE, &[], "body", ""),
    declaration("method_signature", &["static"], &[], "", ""),
    declaration("function_signature", &["type_parameters"], &["return_type"], "", "name"),
    declaration("getter_signature", &[], &["return_type"], "", "name"),
    declaration("declaration", FREE, &[], "", ""),
    declaration("top_level_variable_declaration", FREE, &["type"], "", ""),
    declaration("initialized_variable_declaration", &["final", "late", "type"], &[], "", "name"),
    declaration("formal_parameter", &["annotation", "covariant", "type"], &[], "", "name"),
    declaration("enum_entry", &["annotation"], &[], "", "name"),
];
