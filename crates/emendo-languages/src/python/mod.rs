//! Python.

mod imports;
mod modules;
mod names;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    BareValue, Compare, Context, DeclarationShape, Flow, Fragments, Grammar, Keyed, Language,
    Modules, Placeholder, Writing, context,
};

use crate::python::imports::{EXPORTS, IMPORTS};
use crate::python::modules::{absolute, module_file, module_of, written};
use crate::python::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::python::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_python::LANGUAGE.into());

/// The facts about Python.
pub(super) const PYTHON: Language = Language {
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
        statement: "",
        own: "",
        loads_files: &[],
        called: |_, _| Vec::new(),
    }),
    declares: DECLARES,
    typing: TYPING,
    ..Language::new("python", "Python", Grammar::new(&["py", "pyi", "pyw"], || &GRAMMAR, SAMPLE))
};

const SAMPLE: &str = "import a.b as c\nfrom .d import (e as f, g,)\n@h(1)\nasync def i(j, k: int = 1, *l, m=2, **n) -> o:\n    with p(q) as r:\n        x, (y, z) = 1, [s for s in t if u]\n    return c.v(w, x=f\"{y!r}\")\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "@", after: "", capital: false, also: false },
        Placeholder { before: "case ", after: ": pass", capital: false, also: true },
        Placeholder { before: "**", after: "", capital: false, also: true },
        Placeholder { before: "", after: ",", capital: false, also: true },
    ],
    bare_bodies: &["block"],
    forms: &[
        ("number", &["integer", "float"]),
        ("string", &["string", "concatenated_string"]),
        ("boolean", &["true", "false"]),
        ("null", &["none"]),
        ("name", &["identifier"]),
        ("call", &["call"]),
        ("member", &["attribute", "subscript"]),
        ("function", &["lambda"]),
        ("object", &["dictionary", "dictionary_comprehension"]),
        ("list", &["list", "list_comprehension", "tuple", "set"]),
        ("template", &[]),
        ("type", &["type", "generic_type"]),
        ("statement", STATEMENTS),
    ],
    ..Fragments::NONE
};

const COMPARE: Compare = Compare {
    lists: &[
        "argument_list",
        "expression_list",
        "lambda_parameters",
        "list",
        "list_pattern",
        "parameters",
        "pattern_list",
    ],
    separators: &[","],
    optional: &[";"],
    alike: &[&["list", "list_pattern"], &["tuple", "tuple_pattern"]],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed {
            list: "argument_list",
            pair: "keyword_argument",
            key: "name",
            shorthand: "",
            ..Keyed::NONE
        },
        Keyed { list: "dictionary", pair: "pair", key: "key", shorthand: "", ..Keyed::NONE },
    ],
    strings: &["string"],
    interpolations: &["interpolation"],
    chain: &[("attribute", "object"), ("call", "function"), ("subscript", "value")],
    transparent: &["type", "with_item"],
    parenthesized: "parenthesized_expression",
    spreads: &[
        "list_splat",
        "dictionary_splat",
        "keyword_argument",
        "list_splat_pattern",
        "dictionary_splat_pattern",
        // One more name for the value: no expression.
        "assignment",
    ],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    bare: &[
        BareValue {
            kind: "expression_list",
            brackets: ("(", ")"),
            stands: &[
                ("assignment", "right"),
                ("expression_statement", ""),
                ("for_statement", "right"),
                ("return_statement", ""),
                ("yield", ""),
            ],
        },
        BareValue {
            kind: "pattern_list",
            brackets: ("(", ")"),
            stands: &[("assignment", "left"), ("for_in_clause", "left"), ("for_statement", "left")],
        },
    ],
    caught: &[
        ("named_expression", "assignment", ""),
        ("named_expression", "expression_statement", ""),
        ("named_expression", "keyword_argument", ""),
        ("named_expression", "return_statement", ""),
        ("yield", "argument_list", ""),
        ("yield", "keyword_argument", ""),
        ("yield", "list", ""),
        ("yield", "return_statement", ""),
        ("yield", "tuple", ""),
    ],
    loose: &[
        "binary_operator",
        "boolean_operator",
        "comparison_operator",
        "conditional_expression",
        "lambda",
        "not_operator",
        "unary_operator",
        "await",
        "named_expression",
        "yield",
        "concatenated_string",
        "generator_expression",
    ],
    binding: &[
        ("binary_operator", ""),
        ("boolean_operator", ""),
        ("comparison_operator", ""),
        ("conditional_expression", ""),
        ("not_operator", ""),
        ("unary_operator", ""),
        ("await", ""),
        ("attribute", "object"),
        ("call", "function"),
        ("subscript", "value"),
        ("list_splat", ""),
        ("dictionary_splat", ""),
    ],
    expression_statement: "expression_statement",
    comment: "#",
    idle: "pass",
    line_items: &[
        "expression_statement",
        "return_statement",
        "raise_statement",
        "assert_statement",
        "delete_statement",
        "global_statement",
        "nonlocal_statement",
        "pass_statement",
        "break_statement",
        "continue_statement",
        "if_statement",
        "for_statement",
        "while_statement",
        "with_statement",
        "try_statement",
        "match_statement",
        "function_definition",
        "class_definition",
        "decorated_definition",
        "decorator",
        "import_statement",
        "import_from_statement",
        "future_import_statement",
        "case_clause",
        "except_clause",
    ],
    snake: true,
    lone_comma: &["tuple", "tuple_pattern"],
    property: ("", "@property"),
    ..Writing::NONE
};

const FLOW: Flow = Flow {
    passes: &[("boolean_operator", "right", &[])],
    drops: &[],
    waits: &["await"],
    nested: &["function_definition", "lambda", "class_definition"],
    effects: &["call", "await", "yield", "named_expression", "assignment", "augmented_assignment"],
    closes: &[],
    never_first: &[],
    below: ("", "", ""),
    line_bodies: &["module", "block"],
};

const STATEMENTS: &[&str] = &[
    "expression_statement",
    "return_statement",
    "raise_statement",
    "assert_statement",
    "delete_statement",
    "pass_statement",
    "if_statement",
    "for_statement",
    "while_statement",
    "with_statement",
    "try_statement",
    "match_statement",
];

const CONTEXTS: &[Context] = &[
    context("expression", "zq = [", "]\n", &[]),
    context("statement", "", "\n", &[]),
    Context {
        name: "statement",
        suffix: "\n    pass\n",
        accepts: &["function_definition", "class_definition", "decorated_definition"],
        bodiless: true,
        ..Context::NONE
    },
    Context {
        name: "statement",
        suffix: ":\n    pass\n",
        accepts: &["function_definition", "class_definition", "decorated_definition"],
        bodiless: true,
        ..Context::NONE
    },
    context("type", "zq: ", "\n", &[]),
    context("argument", "zq(", ")\n", &["keyword_argument", "list_splat", "dictionary_splat"]),
    context("pair", "zq = {", "}\n", &["pair", "dictionary_splat"]),
    context(
        "parameter",
        "def zq(",
        "): pass\n",
        &["typed_parameter", "default_parameter", "typed_default_parameter"],
    ),
    context("annotation", "", "\ndef zq(): pass\n", &["decorator"]),
    context("import", "", "\n", &["import_statement", "import_from_statement"]),
    context("clause", "try:\n    pass\n", "\n", &["except_clause", "finally_clause"]),
    context("clause", "match zq:\n    ", "\n", &["case_clause"]),
    context("clause", "with ", ": pass\n", &["with_item", "as_pattern"]),
    context("link", "zq = zqBase", "\n", &[]),
];

const DECLARATIONS: &[DeclarationShape] = &[
    DeclarationShape {
        kind: "function_definition",
        free_kinds: &["async", "->"],
        free_fields: &["return_type", "type_parameters"],
        body: "body",
        name: "name",
        ..DeclarationShape::NONE
    },
    DeclarationShape {
        kind: "class_definition",
        free_fields: &["superclasses", "type_parameters"],
        body: "body",
        name: "name",
        ..DeclarationShape::NONE
    },
    DeclarationShape {
        kind: "decorated_definition",
        free_kinds: &["decorator"],
        ..DeclarationShape::NONE
    },
];
