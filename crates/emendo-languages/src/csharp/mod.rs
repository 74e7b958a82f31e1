//! C#.

mod imports;
mod names;
mod projects;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Compare, Context, DeclarationShape, Flow, Fragments, Grammar, Keyed, Language, Placeholder,
    Writing, context,
};

use crate::csharp::imports::{EXPORTS, IMPORTS};
use crate::csharp::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::csharp::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_c_sharp::LANGUAGE.into());

/// The facts about C#.
pub(super) const CSHARP: Language = Language {
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
    ..Language::new("csharp", "C#", Grammar::new(&["cs"], || &GRAMMAR, SAMPLE))
};

const SAMPLE: &str = "using A.B;\nusing static A.C;\nnamespace M.O\n{\n    [Route(\"x\", Name = 1)]\n    public partial class A<T> : B, IC<T> where T : new()\n    {\n        private readonly int f = 1;\n        public string P { get; set; }\n        public async Task<T> M(int a, ref string b) { return await a?.b.c(x => x, d: $\"{b}\"); }\n    }\n}\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    declarators: &["variable_declarator"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: "()", capital: false, also: false },
        Placeholder { before: "ZqT ", after: ";", capital: false, also: false },
        Placeholder { before: "ZqT ", after: "", capital: false, also: false },
        Placeholder { before: "", after: "();", capital: false, also: false },
        Placeholder { before: "[", after: "]", capital: true, also: false },
        Placeholder { before: "case ", after: ": break;", capital: false, also: true },
    ],
    splices: &["global_statement", "member_binding_expression"],
    never_within: &[("lambda_expression", "initializer_expression")],
    forms: &[
        ("number", &["integer_literal", "real_literal"]),
        (
            "string",
            &[
                "string_literal",
                "verbatim_string_literal",
                "raw_string_literal",
                "character_literal",
            ],
        ),
        ("boolean", &["boolean_literal"]),
        ("null", &["null_literal"]),
        ("name", &["identifier", "this"]),
        (
            "call",
            &[
                "invocation_expression",
                "object_creation_expression",
                "implicit_object_creation_expression",
            ],
        ),
        (
            "member",
            &[
                "member_access_expression",
                "element_access_expression",
                "conditional_access_expression",
            ],
        ),
        ("function", &["lambda_expression", "anonymous_method_expression"]),
        ("object", &["anonymous_object_creation_expression"]),
        (
            "list",
            &[
                "initializer_expression",
                "array_creation_expression",
                "implicit_array_creation_expression",
                "collection_expression",
                "tuple_expression",
            ],
        ),
        ("template", &["interpolated_string_expression"]),
        ("type", TYPES),
        ("statement", STATEMENTS),
    ],
    ..Fragments::NONE
};

const COMPARE: Compare = Compare {
    lists: &[
        "accessor_list",
        "argument_list",
        "attribute_argument_list",
        "attribute_list",
        "base_list",
        "bracketed_argument_list",
        "bracketed_parameter_list",
        "declaration_list",
        "enum_member_declaration_list",
        "list_pattern",
        "parameter_list",
        "type_argument_list",
        "type_parameter_list",
    ],
    separators: &[","],
    optional: &[";", "?"],
    type_arguments: &["type_argument_list"],
    arity_tells: true,
    alike: &[
        &["implicit_parameter", "identifier"],
        &["lambda_expression", "anonymous_method_expression"],
        &["member_access_expression", "conditional_access_expression"],
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed {
            list: "argument_list",
            pair: "argument",
            key: "name",
            shorthand: "",
            ..Keyed::NONE
        },
        Keyed {
            list: "attribute_argument_list",
            pair: "attribute_argument",
            key: "name",
            ..Keyed::NONE
        },
        Keyed {
            list: "initializer_expression",
            pair: "assignment_expression",
            key: "left",
            ..Keyed::NONE
        },
    ],
    strings: &["string_literal", "verbatim_string_literal", "raw_string_literal"],
    chain: &[
        ("member_access_expression", "expression"),
        ("invocation_expression", "function"),
        ("element_access_expression", "expression"),
        ("conditional_access_expression", "condition"),
    ],
    transparent: &["argument"],
    parenthesized: "parenthesized_expression",
    spread_fields: &[("argument", "name"), ("attribute_argument", "name")],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    loose: &[
        "assignment_expression",
        "binary_expression",
        "conditional_expression",
        "cast_expression",
        "as_expression",
        "is_expression",
        "is_pattern_expression",
        "lambda_expression",
        "await_expression",
        "prefix_unary_expression",
        "switch_expression",
        "range_expression",
        "query_expression",
        "throw_expression",
        "ref_expression",
    ],
    binding: &[
        ("binary_expression", ""),
        ("prefix_unary_expression", ""),
        ("postfix_unary_expression", ""),
        ("cast_expression", "value"),
        ("as_expression", "left"),
        ("is_expression", "left"),
        ("is_pattern_expression", "expression"),
        ("conditional_expression", "condition"),
        ("await_expression", ""),
        ("member_access_expression", "expression"),
        ("conditional_access_expression", "condition"),
        ("invocation_expression", "function"),
        ("element_access_expression", "expression"),
        ("switch_expression", ""),
    ],
    expression_statement: "expression_statement",
    comment: "//",
    line_items: &[
        "expression_statement",
        "local_declaration_statement",
        "local_function_statement",
        "return_statement",
        "throw_statement",
        "yield_statement",
        "if_statement",
        "for_statement",
        "foreach_statement",
        "while_statement",
        "do_statement",
        "try_statement",
        "using_statement",
        "lock_statement",
        "switch_statement",
        "block",
        "global_statement",
        "field_declaration",
        "event_field_declaration",
        "property_declaration",
        "method_declaration",
        "constructor_declaration",
        "class_declaration",
        "struct_declaration",
        "record_declaration",
        "interface_declaration",
        "enum_declaration",
        "delegate_declaration",
        "using_directive",
        "attribute_list",
        "accessor_declaration",
    ],
    holes: &["array_rank_specifier", "type_argument_list", "tuple_pattern"],
    ..Writing::NONE
};

const FLOW: Flow = Flow {
    passes: &[],
    drops: &[("for_statement", "initializer", &[]), ("for_statement", "update", &[])],
    waits: &["await_expression"],
    nested: &[
        "lambda_expression",
        "anonymous_method_expression",
        "local_function_statement",
        "method_declaration",
        "constructor_declaration",
        "class_declaration",
        "struct_declaration",
        "record_declaration",
        "interface_declaration",
    ],
    effects: &[
        "invocation_expression",
        "object_creation_expression",
        "implicit_object_creation_expression",
        "assignment_expression",
        "postfix_unary_expression",
        "prefix_unary_expression",
        "await_expression",
        "throw_expression",
    ],
    ..Flow::NONE
};

const TYPES: &[&str] = &[
    "identifier",
    "qualified_name",
    "generic_name",
    "predefined_type",
    "array_type",
    "nullable_type",
    "tuple_type",
    "pointer_type",
    "implicit_type",
];

const STATEMENTS: &[&str] = &[
    "expression_statement",
    "local_declaration_statement",
    "return_statement",
    "throw_statement",
    "if_statement",
    "for_statement",
    "foreach_statement",
    "while_statement",
    "do_statement",
    "try_statement",
    "using_statement",
    "lock_statement",
    "block",
];

const MEMBERS: &[&str] = &[
    "field_declaration",
    "event_field_declaration",
    "property_declaration",
    "method_declaration",
    "constructor_declaration",
    "destructor_declaration",
    "indexer_declaration",
    "operator_declaration",
    "class_declaration",
    "struct_declaration",
    "record_declaration",
    "interface_declaration",
    "enum_declaration",
    "delegate_declaration",
];

const CONTEXTS: &[Context] = &[
    context("expression", "class Zq { object zq = ", "; }", &[]),
    context("statement", "class Zq { void zq() { ", " } }", &[]),
    context("member", "class Zq { ", " }", MEMBERS),
    Context {
        name: "member",
        prefix: "class Zq { ",
        suffix: " { } }",
        accepts: &[
            "method_declaration",
            "constructor_declaration",
            "class_declaration",
            "struct_declaration",
            "record_declaration",
            "interface_declaration",
            "enum_declaration",
        ],
        bodiless: true,
    },
    context("type", "class Zq { ", " zq; }", TYPES),
    context("argument", "class Zq { object zq = zq(", "); }", &["argument"]),
    context("annotation", "", " class Zq { }", &["attribute_list"]),
    context("attribute", "[", "] class Zq { }", &["attribute"]),
    context("pair", "[Zq(", ")] class Zq { }", &["attribute_argument"]),
    context("parameter", "class Zq { void zq(", ") { } }", &["parameter"]),
    context("import", "", " class Zq { }", &["using_directive"]),
    context(
        "clause",
        "class Zq { void zq() { try { } ",
        " } }",
        &["catch_clause", "finally_clause"],
    ),
    context("clause", "class Zq { void zq() { switch (zq) { ", " } } }", &["switch_section"]),
    context("clause", "class Zq { object zq = zq switch { ", " }; }", &["switch_expression_arm"]),
    context("clause", "class Zq ", " { }", &["base_list"]),
    context("clause", "class Zq<ZqT> ", " { }", &["type_parameter_constraints_clause"]),
    context("clause", "class Zq { Zq() ", " { } }", &["constructor_initializer"]),
    context("member", "class Zq { int zq { ", " } }", &["accessor_declaration"]),
    context("link", "class Zq { object zq = zqBase", "; }", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
) -> DeclarationShape {
    DeclarationShape { kind, free_kinds, free_fields, body, name: "name", modifiers: "" }
}

const FREE: &[&str] = &["modifier", "attribute_list", "type_parameter_constraints_clause"];
const TYPE_FREE: &[&str] = &[
    "modifier",
    "attribute_list",
    "base_list",
    "type_parameter_list",
    "type_parameter_constraints_clause",
    "parameter_list",
];

const DECLARATIONS: &[DeclarationShape] = &[
    declaration("class_declaration", TYPE_FREE, &[], "body"),
    declaration("struct_declaration", TYPE_FREE, &[], "body"),
    declaration("record_declaration", TYPE_FREE, &[], "body"),
    declaration("interface_declaration", TYPE_FREE, &[], "body"),
    declaration("enum_declaration", TYPE_FREE, &[], "body"),
    declaration("method_declaration", FREE, &["type_parameters"], "body"),
    declaration("constructor_declaration", FREE, &[], "body"),
    declaration("local_function_statement", FREE, &["type_parameters"], "body"),
    declaration("property_declaration", FREE, &[], ""),
    declaration("field_declaration", FREE, &[], ""),
    declaration("event_field_declaration", FREE, &[], ""),
    declaration("delegate_declaration", FREE, &["type_parameters"], ""),
    declaration("local_declaration_statement", &["modifier"], &[], ""),
    declaration("parameter", &["attribute_list"], &[], ""),
    declaration("accessor_declaration", &["attribute_list"], &[], ""),
];
