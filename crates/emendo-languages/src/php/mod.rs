//! PHP.

mod imports;
mod names;
mod projects;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Compare, Context, DeclarationShape, Dialect, Flow, Fragments, Grammar, Keyed, Language,
    Placeholder, Writing, context,
};

use crate::php::imports::{EXPORTS, IMPORTS};
use crate::php::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::php::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_php::LANGUAGE_PHP.into());

/// Code without a sign before it, as templates hold it.
static BARE: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_php::LANGUAGE_PHP_ONLY.into());

/// The facts about PHP.
pub(super) const PHP: Language = Language {
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
    ..Language::new(
        "php",
        "PHP",
        Grammar {
            except: &[".blade.php"],
            opening: "<?php\n",
            also_reads: &["blade"],
            dialects: &[Dialect { extensions: &["blade"], grammar: || &BARE }],
            ..Grammar::new(&["php", "phtml"], || &GRAMMAR, SAMPLE)
        },
    )
};

const SAMPLE: &str = "<?php\nnamespace A\\B;\nuse C\\{D, E as F};\nuse function C\\g;\n#[D(x: 1)]\nfinal class H extends D implements F\n{\n    use T;\n    const K = 1;\n    private ?D $d = null;\n    public function __construct(protected readonly E $e) {}\n    public function m(int|string $a, ...$b): static { return $this->d?->n($a, b: [1, 'k' => \"{$a}\"])::K; }\n}\n?>\n<p><?= g(1) ?></p>\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    declarators: &["property_element", "const_element"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "$", after: "", capital: false, also: false },
        Placeholder { before: "", after: ";", capital: false, also: false },
        Placeholder { before: "public $", after: ";", capital: false, also: false },
        Placeholder { before: "#[", after: "]", capital: true, also: false },
        Placeholder { before: "case ", after: ";", capital: false, also: false },
        Placeholder { before: "case ", after: ":", capital: false, also: true },
    ],
    forms: &[
        ("number", &["integer", "float"]),
        ("string", &["string"]),
        ("boolean", &["boolean"]),
        ("null", &["null"]),
        ("name", &["variable_name", "name", "qualified_name", "dynamic_variable_name"]),
        ("call", CALLS),
        ("member", MEMBER_ACCESS),
        ("function", &["anonymous_function", "arrow_function"]),
        ("object", &["anonymous_class"]),
        ("list", &["array_creation_expression", "list_literal"]),
        ("template", &["encapsed_string", "heredoc", "nowdoc"]),
        ("type", TYPES),
        ("statement", STATEMENTS),
    ],
    ..Fragments::NONE
};

const CALLS: &[&str] = &[
    "function_call_expression",
    "member_call_expression",
    "nullsafe_member_call_expression",
    "scoped_call_expression",
    "object_creation_expression",
];

const MEMBER_ACCESS: &[&str] = &[
    "member_access_expression",
    "nullsafe_member_access_expression",
    "scoped_property_access_expression",
    "class_constant_access_expression",
    "subscript_expression",
];

const COMPARE: Compare = Compare {
    lists: &[
        "anonymous_function_use_clause",
        "arguments",
        "array_creation_expression",
        "attribute_group",
        "base_clause",
        "class_interface_clause",
        "formal_parameters",
        "list_literal",
        "match_block",
        "match_condition_list",
        "namespace_use_group",
        "sequence_expression",
        "type_list",
        "use_declaration",
    ],
    separators: &[","],
    optional: &[";"],
    bracketed: &[
        ("array_creation_expression", &["array", "(", ")", "[", "]"]),
        ("list_literal", &["list", "(", ")", "[", "]"]),
    ],
    alike: &[
        &["string", "encapsed_string"],
        &["member_call_expression", "nullsafe_member_call_expression"],
        &["member_access_expression", "nullsafe_member_access_expression"],
        &["->", "?->"],
        &["simple_parameter", "property_promotion_parameter"],
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed { list: "arguments", pair: "argument", key: "name", ..Keyed::NONE },
        Keyed {
            list: "array_creation_expression",
            pair: "array_element_initializer",
            valued: true,
            ..Keyed::NONE
        },
    ],
    strings: &["string", "encapsed_string"],
    open_texts: &["encapsed_string", "heredoc_body"],
    interpolations: &[
        "variable_name",
        "dynamic_variable_name",
        "subscript_expression",
        "member_access_expression",
        "nullsafe_member_access_expression",
        "member_call_expression",
        "nullsafe_member_call_expression",
        "scoped_call_expression",
        "scoped_property_access_expression",
        "function_call_expression",
    ],
    chain: &[
        ("member_call_expression", "object"),
        ("nullsafe_member_call_expression", "object"),
        ("scoped_call_expression", "scope"),
        ("member_access_expression", "object"),
        ("nullsafe_member_access_expression", "object"),
        ("scoped_property_access_expression", "scope"),
        ("class_constant_access_expression", ""),
        ("subscript_expression", ""),
    ],
    transparent: &["argument", "array_element_initializer"],
    parenthesized: "parenthesized_expression",
    spreads: &[
        "variadic_unpacking",
        "variadic_placeholder",
        "variadic_parameter",
        "sequence_expression",
    ],
    spread_fields: &[("argument", "name")],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    loose: &[
        "assignment_expression",
        "reference_assignment_expression",
        "augmented_assignment_expression",
        "binary_expression",
        "conditional_expression",
        "cast_expression",
        "unary_op_expression",
        "clone_expression",
        "print_intrinsic",
        "arrow_function",
        "match_expression",
        "object_creation_expression",
        "throw_expression",
        "yield_expression",
        "include_expression",
        "include_once_expression",
        "require_expression",
        "require_once_expression",
        "error_suppression_expression",
    ],
    binding: &[
        ("binary_expression", ""),
        ("unary_op_expression", ""),
        ("cast_expression", "value"),
        ("conditional_expression", ""),
        ("clone_expression", ""),
        ("error_suppression_expression", ""),
        ("member_call_expression", "object"),
        ("nullsafe_member_call_expression", "object"),
        ("member_access_expression", "object"),
        ("nullsafe_member_access_expression", "object"),
        ("scoped_call_expression", "scope"),
        ("scoped_property_access_expression", "scope"),
        ("function_call_expression", "function"),
        ("subscript_expression", ""),
    ],
    expression_statement: "expression_statement",
    comment: "//",
    line_items: LINE_ITEMS,
    snake: false,
    bare_single: true,
    holes: &["list_literal"],
    ..Writing::NONE
};

const LINE_ITEMS: &[&str] = &[
    "expression_statement",
    "echo_statement",
    "return_statement",
    "if_statement",
    "for_statement",
    "foreach_statement",
    "while_statement",
    "do_statement",
    "try_statement",
    "switch_statement",
    "compound_statement",
    "unset_statement",
    "global_declaration",
    "function_static_declaration",
    "break_statement",
    "continue_statement",
    "goto_statement",
    "declare_statement",
    "exit_statement",
    "function_definition",
    "class_declaration",
    "interface_declaration",
    "trait_declaration",
    "enum_declaration",
    "enum_case",
    "method_declaration",
    "property_declaration",
    "const_declaration",
    "use_declaration",
    "namespace_use_declaration",
    "attribute_list",
    "attribute_group",
];

const FLOW: Flow = Flow {
    passes: &[],
    drops: &[("for_statement", "initialize", &[]), ("for_statement", "update", &[])],
    nested: &[
        "anonymous_function",
        "arrow_function",
        "function_definition",
        "method_declaration",
        "class_declaration",
        "interface_declaration",
        "trait_declaration",
        "enum_declaration",
        "anonymous_class",
    ],
    effects: &[
        "function_call_expression",
        "member_call_expression",
        "nullsafe_member_call_expression",
        "scoped_call_expression",
        "object_creation_expression",
        "assignment_expression",
        "reference_assignment_expression",
        "augmented_assignment_expression",
        "update_expression",
        "throw_expression",
        "yield_expression",
        "include_expression",
        "include_once_expression",
        "require_expression",
        "require_once_expression",
        "print_intrinsic",
        "shell_command_expression",
        "exit_statement",
    ],
    ..Flow::NONE
};

const TYPES: &[&str] = &[
    "named_type",
    "primitive_type",
    "optional_type",
    "union_type",
    "intersection_type",
    "disjunctive_normal_form_type",
    "bottom_type",
    "cast_type",
];

const STATEMENTS: &[&str] = &[
    "expression_statement",
    "echo_statement",
    "return_statement",
    "if_statement",
    "for_statement",
    "foreach_statement",
    "while_statement",
    "do_statement",
    "try_statement",
    "switch_statement",
    "compound_statement",
    "unset_statement",
    "global_declaration",
    "function_static_declaration",
    "break_statement",
    "continue_statement",
];

const MEMBERS: &[&str] =
    &["method_declaration", "property_declaration", "const_declaration", "use_declaration"];

const TOP: &[&str] = &[
    "class_declaration",
    "interface_declaration",
    "trait_declaration",
    "enum_declaration",
    "function_definition",
    "const_declaration",
    "namespace_definition",
    "declare_statement",
];

const CONTEXTS: &[Context] = &[
    context("expression", "<?php $zq = ", ";", &[]),
    context("statement", "<?php function zq() { ", " }", &[]),
    context("statement", "<?php ", "", TOP),
    Context {
        name: "statement",
        prefix: "<?php ",
        suffix: " { }",
        accepts: &[
            "class_declaration",
            "interface_declaration",
            "trait_declaration",
            "enum_declaration",
            "function_definition",
        ],
        bodiless: true,
    },
    context("member", "<?php class Zq { ", " }", MEMBERS),
    Context {
        name: "member",
        prefix: "<?php class Zq { ",
        suffix: " { } }",
        accepts: &["method_declaration"],
        bodiless: true,
    },
    context("member", "<?php enum Zq: int { ", " }", &["enum_case"]),
    context("type", "<?php function zq(): ", " { }", TYPES),
    context("argument", "<?php zq(", ");", &["argument"]),
    context("pair", "<?php $zq = [", "];", &["array_element_initializer"]),
    context(
        "parameter",
        "<?php function zq(",
        ") { }",
        &["simple_parameter", "variadic_parameter"],
    ),
    context(
        "parameter",
        "<?php class Zq { function __construct(",
        ") { } }",
        &["property_promotion_parameter"],
    ),
    context("attribute", "<?php #[", "] class Zq { }", &["attribute"]),
    context("annotation", "<?php ", " class Zq { }", &["attribute_list"]),
    context("import", "<?php ", "", &["namespace_use_declaration"]),
    context("clause", "<?php try { } ", "", &["catch_clause", "finally_clause"]),
    context("clause", "<?php switch ($zq) { ", " }", &["case_statement", "default_statement"]),
    context(
        "clause",
        "<?php $zq = match ($zq) { ",
        " };",
        &["match_conditional_expression", "match_default_expression"],
    ),
    context("clause", "<?php class Zq ", " { }", &["base_clause", "class_interface_clause"]),
    context("link", "<?php $zq = $zqBase", ";", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
) -> DeclarationShape {
    DeclarationShape { kind, free_kinds, free_fields, body, name: "name", modifiers: "" }
}

const FREE: &[&str] = &[
    "visibility_modifier",
    "static_modifier",
    "abstract_modifier",
    "final_modifier",
    "readonly_modifier",
    "var_modifier",
    "reference_modifier",
];

const TYPE_FREE: &[&str] = &[
    "visibility_modifier",
    "abstract_modifier",
    "final_modifier",
    "readonly_modifier",
    "base_clause",
    "class_interface_clause",
    "primitive_type",
];

const DECLARATIONS: &[DeclarationShape] = &[
    declaration("class_declaration", TYPE_FREE, &["attributes"], "body"),
    declaration("interface_declaration", TYPE_FREE, &["attributes"], "body"),
    declaration("trait_declaration", TYPE_FREE, &["attributes"], "body"),
    declaration("enum_declaration", TYPE_FREE, &["attributes"], "body"),
    declaration("method_declaration", FREE, &["attributes", "return_type"], "body"),
    declaration("function_definition", FREE, &["attributes", "return_type"], "body"),
    declaration("property_declaration", FREE, &["attributes", "type"], ""),
    declaration("const_declaration", FREE, &["attributes", "type"], ""),
    declaration("enum_case", &[], &["attributes"], ""),
    declaration(
        "simple_parameter",
        &[],
        &["attributes", "type", "reference_modifier", "visibility", "readonly"],
        "",
    ),
    declaration(
        "property_promotion_parameter",
        &[],
        &["attributes", "type", "reference_modifier", "visibility", "readonly"],
        "",
    ),
    declaration("anonymous_function", FREE, &["attributes", "return_type"], "body"),
    declaration("arrow_function", FREE, &["attributes", "return_type"], "body"),
];
