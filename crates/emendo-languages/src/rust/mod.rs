//! Rust.

mod imports;
mod modules;
mod names;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Compare, Context, DeclarationShape, Flow, Fragments, Grammar, Keyed, Language, Layer, Modules,
    Placeholder, Writing, context,
};

use crate::rust::imports::{EXPORTS, IMPORTS};
use crate::rust::modules::{absolute, called, module_file, module_of, written};
use crate::rust::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::rust::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_rust::LANGUAGE.into());

/// The facts about Rust.
pub(super) const RUST: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    imports: IMPORTS,
    exports: EXPORTS,
    modules: Some(Modules {
        of: module_of,
        absolute,
        file: module_file,
        files: |_, _| Vec::new(),
        declaring: &[],
        written,
        from_folder: |_, _| None,
        settings: &[],
        statement: "mod_item",
        own: "crate",
        loads_files: &["include_str!(", "include_bytes!(", "include!(", "path="],
        called,
    }),
    declares: DECLARES,
    typing: TYPING,
    ..Language::new(
        "rust",
        "Rust",
        Grammar {
            layer: Some(Layer {
                kind: "token_tree",
                parent: "macro_invocation",
                separator: ",",
                closure: "|",
                openers: &["move", "async", "return", "static"],
                ..Layer::NONE
            }),
            ..Grammar::new(&["rs"], || &GRAMMAR, SAMPLE)
        },
    )
};

const SAMPLE: &str = "use a::b::{self, C as D, e::*};\n#[derive(Debug)]\npub struct S<'a, T> where T: X { pub f: &'a T }\nimpl<T> Tr for S<'_, T> {\n    async fn m(&self, (a, b): P) -> Result<(), E> {\n        let Some(x) = y else { return };\n        println!(\"{x} {}\", a.b::<C>(d)?.await);\n        S { f: 1, ..z }\n    }\n}\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: ";", capital: false, also: false },
        Placeholder { before: "", after: ": ZqT", capital: false, also: false },
        Placeholder { before: "fn ", after: "() {}", capital: false, also: false },
        Placeholder { before: "'", after: "", capital: false, also: false },
        Placeholder { before: "", after: " => {}", capital: false, also: false },
        Placeholder { before: "", after: ",", capital: false, also: true },
    ],
    token_runs: &["token_tree"],
    forms: &[
        ("number", &["integer_literal", "float_literal"]),
        ("string", &["string_literal", "raw_string_literal", "char_literal"]),
        ("boolean", &["boolean_literal"]),
        ("null", &[]),
        ("name", &["identifier", "self"]),
        ("call", &["call_expression", "macro_invocation"]),
        ("member", &["field_expression", "index_expression", "scoped_identifier"]),
        ("function", &["closure_expression"]),
        ("object", &["struct_expression"]),
        ("list", &["array_expression", "tuple_expression"]),
        ("template", &[]),
        ("type", TYPES),
        ("statement", &["expression_statement", "let_declaration", "block"]),
    ],
    ..Fragments::NONE
};

const COMPARE: Compare = Compare {
    lists: &[
        "closure_parameters",
        "declaration_list",
        "enum_variant_list",
        "field_declaration_list",
        "field_initializer_list",
        "ordered_field_declaration_list",
        "parameters",
        "scoped_use_list",
        "type_parameters",
        "use_list",
    ],
    separators: &[","],
    optional: &[";"],
    type_arguments: &["type_arguments"],
    alike: &[
        &["scoped_identifier", "scoped_type_identifier"],
        &["function_item", "function_signature_item"],
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed {
            list: "field_initializer_list",
            pair: "field_initializer",
            key: "field",
            shorthand: "shorthand_field_initializer",
            ..Keyed::NONE
        },
        Keyed {
            list: "struct_pattern",
            pair: "field_pattern",
            key: "name",
            shorthand: "",
            ..Keyed::NONE
        },
    ],
    strings: &["string_literal", "raw_string_literal"],
    chain: &[
        ("field_expression", "value"),
        ("call_expression", "function"),
        ("generic_function", "function"),
        ("try_expression", ""),
        ("await_expression", ""),
        ("index_expression", ""),
    ],
    parenthesized: "parenthesized_expression",
    spreads: &["base_field_initializer", "remaining_field_pattern"],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    loose: &[
        "assignment_expression",
        "compound_assignment_expr",
        "binary_expression",
        "unary_expression",
        "reference_expression",
        "type_cast_expression",
        "range_expression",
        "closure_expression",
        "return_expression",
        "break_expression",
        "if_expression",
        "match_expression",
        "block",
        "unsafe_block",
        "struct_expression",
        "bounded_type",
    ],
    binding: &[
        ("reference_type", "type"),
        ("pointer_type", "type"),
        ("binary_expression", ""),
        ("unary_expression", ""),
        ("reference_expression", "value"),
        ("type_cast_expression", "value"),
        ("field_expression", "value"),
        ("call_expression", "function"),
        ("try_expression", ""),
        ("await_expression", ""),
        ("index_expression", ""),
        ("range_expression", ""),
    ],
    expression_statement: "expression_statement",
    comment: "//",
    line_items: &[
        "expression_statement",
        "let_declaration",
        "function_item",
        "function_signature_item",
        "struct_item",
        "enum_item",
        "union_item",
        "trait_item",
        "impl_item",
        "mod_item",
        "type_item",
        "const_item",
        "static_item",
        "use_declaration",
        "extern_crate_declaration",
        "macro_definition",
        "attribute_item",
        "inner_attribute_item",
        "empty_statement",
        "match_arm",
    ],
    snake: true,
    last_items: &["base_field_initializer", "remaining_field_pattern"],
    lone_comma: &["tuple_expression", "tuple_pattern", "tuple_type"],
    bare_single: true,
    ..Writing::NONE
};

const FLOW: Flow = Flow {
    passes: &[("binary_expression", "right", &["&&", "||"])],
    drops: &[],
    waits: &["await_expression", "try_expression"],
    nested: &["function_item", "closure_expression", "impl_item", "trait_item", "mod_item"],
    effects: &[
        "call_expression",
        "macro_invocation",
        "assignment_expression",
        "compound_assignment_expr",
        "await_expression",
        "try_expression",
        "return_expression",
        "break_expression",
    ],
    ..Flow::NONE
};

const TYPES: &[&str] = &[
    "type_identifier",
    "scoped_type_identifier",
    "generic_type",
    "reference_type",
    "pointer_type",
    "array_type",
    "tuple_type",
    "unit_type",
    "function_type",
    "dynamic_type",
    "abstract_type",
    "primitive_type",
    "never_type",
];

const fn bodiless(name: &'static str, prefix: &'static str, suffix: &'static str) -> Context {
    let accepts =
        &["function_item", "struct_item", "enum_item", "trait_item", "impl_item", "mod_item"];
    Context { name, prefix, suffix, accepts, bodiless: true }
}

const CONTEXTS: &[Context] = &[
    context("expression", "fn zq() { zq = ", "; }", &[]),
    context("statement", "fn zq() { ", " }", &[]),
    context("member", "", "\n", ITEMS),
    bodiless("member", "", " { }"),
    context("member", "impl Zq { ", " }", &["function_item", "const_item", "type_item"]),
    context("type", "type Zq = ", ";", TYPES),
    context("annotation", "", " struct Zq;", &["attribute_item", "inner_attribute_item"]),
    context(
        "pair",
        "fn zq() { Zq { ",
        " } }",
        &["field_initializer", "shorthand_field_initializer", "base_field_initializer"],
    ),
    context("member", "struct Zq { ", " }", &["field_declaration"]),
    context("parameter", "fn zq(", ") { }", &["parameter", "self_parameter"]),
    context("clause", "fn zq() { match zq { ", " } }", &["match_arm"]),
    context("clause", "fn zq() { match zq { ", " => {} } }", &["match_pattern"]),
    context("clause", "fn zq() ", " { }", &["where_clause"]),
    context("clause", "fn zq() where ", " { }", &["where_predicate"]),
    context("import", "", "\n", &["use_declaration", "extern_crate_declaration"]),
    context("link", "fn zq() { zq = zqBase", "; }", &[]),
    context("tokens", "zq!{", "}", &[]),
];

const ITEMS: &[&str] = &[
    "function_item",
    "function_signature_item",
    "struct_item",
    "enum_item",
    "union_item",
    "trait_item",
    "impl_item",
    "mod_item",
    "type_item",
    "const_item",
    "static_item",
    "macro_definition",
    "attribute_item",
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

const DECLARATIONS: &[DeclarationShape] = &[
    declaration(
        "function_item",
        &["visibility_modifier", "function_modifiers", "where_clause", "->"],
        &["type_parameters", "return_type"],
        "body",
        "name",
    ),
    declaration(
        "function_signature_item",
        &["visibility_modifier", "function_modifiers", "where_clause", "->"],
        &["type_parameters", "return_type"],
        "",
        "name",
    ),
    declaration(
        "struct_item",
        &["visibility_modifier", "where_clause"],
        &["type_parameters"],
        "body",
        "name",
    ),
    declaration(
        "enum_item",
        &["visibility_modifier", "where_clause"],
        &["type_parameters"],
        "body",
        "name",
    ),
    declaration(
        "trait_item",
        &["visibility_modifier", "where_clause"],
        &["type_parameters", "bounds"],
        "body",
        "name",
    ),
    declaration("impl_item", &["where_clause"], &["type_parameters"], "body", "type"),
    declaration("mod_item", &["visibility_modifier"], &[], "body", "name"),
    declaration(
        "type_item",
        &["visibility_modifier", "where_clause"],
        &["type_parameters"],
        "",
        "name",
    ),
    declaration("const_item", &["visibility_modifier"], &[], "", "name"),
    declaration("static_item", &["visibility_modifier"], &[], "", "name"),
    declaration("field_declaration", &["visibility_modifier"], &[], "", "name"),
    declaration("let_declaration", &["mutable_specifier", ":"], &["type"], "", ""),
    declaration("use_declaration", &["visibility_modifier"], &[], "", ""),
    declaration("parameter", &["mutable_specifier"], &[], "", ""),
];
