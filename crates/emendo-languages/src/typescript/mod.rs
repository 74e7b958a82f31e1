//! TypeScript and JavaScript, with JSX. One set of facts: JavaScript is read with the same grammar.

mod imports;
mod modules;
mod names;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    BareValue, Compare, Context, DeclarationShape, Dialect, Flow, Fragments, Grammar, Keyed,
    Language, Placeholder, Tags, Writing, context,
};

use crate::typescript::imports::{EXPORTS, IMPORTS};
use crate::typescript::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::typescript::typing::TYPING;

static TSX: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_typescript::LANGUAGE_TSX.into());
static PLAIN: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_typescript::LANGUAGE_TYPESCRIPT.into());

/// The facts about TypeScript.
pub(super) const TYPESCRIPT: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    imports: IMPORTS,
    exports: EXPORTS,
    modules: Some(modules::MODULES),
    declares: DECLARES,
    typing: TYPING,
    tags: TAGS,
    ..Language::new(
        "typescript",
        "TypeScript",
        Grammar {
            also_reads: &["js", "jsx", "mjs", "cjs"],
            // `<any>x` is a cast only where there is no JSX.
            dialects: &[Dialect { extensions: &["ts", "mts", "cts"], grammar: || &PLAIN }],
            ..Grammar::new(&["ts", "tsx", "mts", "cts"], || &TSX, SAMPLE)
        },
    )
};

const SAMPLE: &str = "import a, { b as c } from 'm';\nconst { d, e: f = 1 } = require(\"n\");\nexport class C<T> extends D implements E {\n  @dec() private readonly n: T = 1;\n  async m(a?: string, ...r: number[]): Promise<void> { a?.b.c(x => x, { p, q: 1 }); }\n}\nconst el = <A b={1} {...p}>text {x}</A>;\n";

const TAGS: Tags = Tags {
    element: "jsx_element",
    closing: "jsx_closing_element",
    alone: "jsx_self_closing_element",
    name: "name",
    attribute: "jsx_attribute",
    code: "jsx_expression",
    text: "jsx_text",
};

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    declarators: &["variable_declarator"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "{", after: "}", capital: false, also: false },
        Placeholder { before: "", after: ";", capital: false, also: false },
        Placeholder { before: "\"", after: "\"", capital: false, also: false },
        Placeholder { before: "@", after: "", capital: false, also: false },
        Placeholder { before: "case ", after: ":", capital: false, also: true },
    ],
    forms: &[
        ("number", &["number"]),
        ("string", &["string"]),
        ("boolean", &["true", "false"]),
        ("null", &["null", "undefined"]),
        ("name", &["identifier", "this", "shorthand_property_identifier"]),
        ("call", &["call_expression", "new_expression"]),
        ("member", &["member_expression", "subscript_expression"]),
        ("function", &["arrow_function", "function_expression", "function_declaration"]),
        ("object", &["object"]),
        ("list", &["array"]),
        ("template", &["template_string"]),
        ("type", TYPES),
        ("statement", STATEMENTS),
    ],
    ..Fragments::NONE
};

const COMPARE: Compare = Compare {
    lists: &["formal_parameters", "type_parameters"],
    separators: &[","],
    optional: &[";", ".", "optional_chain", "?."],
    type_arguments: &["type_arguments"],
    alike: &[
        &["identifier", "shorthand_property_identifier", "shorthand_property_identifier_pattern"],
        &["function_expression", "function_declaration"],
        &["class", "class_declaration"],
        &["public_field_definition", "property_signature"],
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed {
            list: "object",
            pair: "pair",
            key: "key",
            shorthand: "shorthand_property_identifier",
            method: ("method_definition", &["get", "set", "*", "static"]),
            ..Keyed::NONE
        },
        Keyed {
            list: "object_pattern",
            pair: "pair_pattern",
            key: "key",
            shorthand: "shorthand_property_identifier_pattern",
            ..Keyed::NONE
        },
        Keyed {
            list: "jsx_opening_element",
            pair: "jsx_attribute",
            key: "",
            shorthand: "",
            ..Keyed::NONE
        },
        Keyed {
            list: "jsx_self_closing_element",
            pair: "jsx_attribute",
            key: "",
            shorthand: "",
            ..Keyed::NONE
        },
    ],
    strings: &["string"],
    loose_text: &["jsx_text"],
    chain: &[
        ("member_expression", "object"),
        ("call_expression", "function"),
        ("subscript_expression", "object"),
        ("non_null_expression", ""),
    ],
    parenthesized: "parenthesized_expression",
    spreads: &["spread_element", "rest_pattern"],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    bare: &[BareValue {
        kind: "sequence_expression",
        brackets: ("(", ")"),
        stands: &[
            ("expression_statement", ""),
            ("for_statement", ""),
            ("parenthesized_expression", ""),
            ("return_statement", ""),
            ("throw_statement", ""),
        ],
    }],
    caught: &[("object", "arrow_function", "body")],
    flat: &[
        ("union_type", "union_type"),
        ("intersection_type", "intersection_type"),
        ("intersection_type", "union_type"),
        ("index_type_query", "union_type"),
        ("index_type_query", "intersection_type"),
        ("readonly_type", "union_type"),
        ("readonly_type", "intersection_type"),
    ],
    loose: &[
        "assignment_expression",
        "augmented_assignment_expression",
        "binary_expression",
        "arrow_function",
        "function_expression",
        "ternary_expression",
        "unary_expression",
        "update_expression",
        "await_expression",
        "yield_expression",
        "as_expression",
        "satisfies_expression",
        "object",
        "class",
        "union_type",
        "intersection_type",
        "function_type",
        "constructor_type",
        "conditional_type",
        "index_type_query",
        "readonly_type",
        "infer_type",
    ],
    binding: &[
        ("binary_expression", ""),
        ("unary_expression", ""),
        ("update_expression", ""),
        ("await_expression", ""),
        ("as_expression", ""),
        ("satisfies_expression", ""),
        ("ternary_expression", "condition"),
        ("member_expression", "object"),
        ("call_expression", "function"),
        ("subscript_expression", "object"),
        ("non_null_expression", ""),
        ("new_expression", "constructor"),
        ("array_type", ""),
        ("lookup_type", ""),
        ("index_type_query", ""),
        ("readonly_type", ""),
        ("optional_type", ""),
        ("union_type", ""),
        ("intersection_type", ""),
        ("conditional_type", "left"),
        ("conditional_type", "right"),
    ],
    expression_statement: "expression_statement",
    comment: "//",
    line_items: &[
        "expression_statement",
        "lexical_declaration",
        "variable_declaration",
        "return_statement",
        "throw_statement",
        "if_statement",
        "for_statement",
        "for_in_statement",
        "while_statement",
        "do_statement",
        "try_statement",
        "switch_statement",
        "switch_case",
        "labeled_statement",
        "statement_block",
        "function_declaration",
        "generator_function_declaration",
        "class_declaration",
        "abstract_class_declaration",
        "interface_declaration",
        "type_alias_declaration",
        "enum_declaration",
        "method_definition",
        "public_field_definition",
        "property_signature",
        "method_signature",
        "import_statement",
        "export_statement",
        "decorator",
        "jsx_element",
        "jsx_self_closing_element",
        "jsx_attribute",
    ],
    property: ("get ", ""),
    optional_call: "?.",
    holes: &["array", "array_pattern"],
    ..Writing::NONE
};

const FLOW: Flow = Flow {
    passes: &[
        ("ternary_expression", "consequence", &[]),
        ("ternary_expression", "alternative", &[]),
        ("binary_expression", "right", &["&&", "||", "??"]),
        ("sequence_expression", "", &[]),
    ],
    drops: &[
        ("unary_expression", "argument", &["void"]),
        ("for_statement", "initializer", &[]),
        ("for_statement", "increment", &[]),
    ],
    waits: &["await_expression"],
    nested: &[
        "function_declaration",
        "function_expression",
        "generator_function",
        "generator_function_declaration",
        "arrow_function",
        "method_definition",
        "class_declaration",
        "class",
    ],
    effects: &[
        "call_expression",
        "new_expression",
        "assignment_expression",
        "augmented_assignment_expression",
        "update_expression",
        "await_expression",
        "yield_expression",
    ],
    ..Flow::NONE
};

/// The facts about JavaScript.
pub(super) const JAVASCRIPT: Language = Language {
    id: "javascript",
    title: "JavaScript",
    grammar: Grammar::new(&["js", "jsx", "mjs", "cjs"], || &TSX, SAMPLE),
    ..TYPESCRIPT
};

const TYPES: &[&str] = &[
    "type_identifier",
    "predefined_type",
    "generic_type",
    "nested_type_identifier",
    "union_type",
    "intersection_type",
    "array_type",
    "tuple_type",
    "object_type",
    "function_type",
    "literal_type",
    "type_query",
    "index_type_query",
    "lookup_type",
    "conditional_type",
    "parenthesized_type",
    "readonly_type",
];

const STATEMENTS: &[&str] = &[
    "expression_statement",
    "lexical_declaration",
    "variable_declaration",
    "return_statement",
    "throw_statement",
    "if_statement",
    "for_statement",
    "for_in_statement",
    "while_statement",
    "do_statement",
    "try_statement",
    "switch_statement",
    "statement_block",
];

const MEMBERS: &[&str] = &[
    "method_definition",
    "public_field_definition",
    "abstract_method_signature",
    "index_signature",
];

const CONTEXTS: &[Context] = &[
    context("expression", "zq = ", ";", &[]),
    context("statement", "", "\n", &[]),
    context("member", "class Zq { ", " }", MEMBERS),
    Context {
        name: "member",
        prefix: "class Zq { ",
        suffix: " { } }",
        accepts: &["method_definition"],
        bodiless: true,
    },
    Context {
        name: "statement",
        suffix: " { }",
        accepts: &[
            "function_declaration",
            "class_declaration",
            "abstract_class_declaration",
            "interface_declaration",
            "enum_declaration",
        ],
        bodiless: true,
        ..Context::NONE
    },
    context("type", "let zq: ", ";", TYPES),
    context(
        "pair",
        "zq = { ",
        " };",
        &["pair", "shorthand_property_identifier", "method_definition", "spread_element"],
    ),
    context("pair", "let { ", " } = zq;", &["pair_pattern"]),
    context("attribute", "zq = <Zq ", " />;", &["jsx_attribute"]),
    context("parameter", "function zq(", ") { }", &["required_parameter", "optional_parameter"]),
    context("annotation", "", " class Zq { }", &["decorator"]),
    context("import", "", "\n", &["import_statement", "export_statement"]),
    context("clause", "try { } ", "", &["catch_clause", "finally_clause"]),
    context("clause", "switch (zq) { ", " }", &["switch_case", "switch_default"]),
    context("clause", "class Zq ", " { }", &["class_heritage"]),
    context("member", "interface Zq { ", " }", &["property_signature", "method_signature"]),
    context("link", "zq = zqBase", ";", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
) -> DeclarationShape {
    DeclarationShape { kind, free_kinds, free_fields, body, name: "name", modifiers: "" }
}

const MODIFIERS: &[&str] = &[
    "accessibility_modifier",
    "override_modifier",
    "decorator",
    "static",
    "readonly",
    "async",
    "abstract",
    "declare",
];

const CALLABLE: &[&str] = &["type_parameters", "return_type"];

const DECLARATIONS: &[DeclarationShape] = &[
    declaration(
        "class_declaration",
        &["class_heritage", "decorator"],
        &["type_parameters"],
        "body",
    ),
    declaration(
        "abstract_class_declaration",
        &["class_heritage", "decorator"],
        &["type_parameters"],
        "body",
    ),
    declaration("class", &["class_heritage", "decorator"], &["type_parameters"], "body"),
    declaration("interface_declaration", &["extends_type_clause"], &["type_parameters"], "body"),
    declaration("enum_declaration", &["const"], &[], "body"),
    declaration("type_alias_declaration", &[], &["type_parameters"], ""),
    declaration("function_declaration", &["async"], CALLABLE, "body"),
    declaration("generator_function_declaration", &["async"], CALLABLE, "body"),
    declaration("function_expression", &["async"], CALLABLE, "body"),
    declaration("method_definition", MODIFIERS, CALLABLE, "body"),
    declaration("method_signature", MODIFIERS, CALLABLE, ""),
    declaration("abstract_method_signature", MODIFIERS, CALLABLE, ""),
    declaration("public_field_definition", MODIFIERS, &["type"], ""),
    declaration("property_signature", MODIFIERS, &["type"], ""),
    declaration("required_parameter", MODIFIERS, &["type"], ""),
    declaration("optional_parameter", MODIFIERS, &["type"], ""),
    declaration("variable_declarator", &[], &["type"], ""),
    declaration("export_statement", &["decorator"], &[], ""),
];
