//! C#.

mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Binding, Compare, Context, Declaration, Declares, Exports, Flow, Fragments, Grammar, Hints,
    Imports, KeyRule, Keyed, Language, Names, Placeholder, Reach, Scopes, Space, Words, Writing,
    bind, context, declares,
};
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Import, ImportName};
use tree_sitter::Node;

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
    placeholders: &[
        Placeholder { before: "", after: "", capital: false },
        Placeholder { before: "ZqT ", after: ";", capital: false },
        Placeholder { before: "ZqT ", after: "", capital: false },
        Placeholder { before: "", after: "();", capital: false },
        Placeholder { before: "[", after: "]", capital: true },
    ],
    splices: &["member_binding_expression"],
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
    alike: &[
        &["implicit_parameter", "identifier"],
        &["lambda_expression", "anonymous_method_expression"],
        &["member_access_expression", "conditional_access_expression"],
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed { list: "argument_list", pair: "argument", key: "name", shorthand: "" },
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
    ..Writing::NONE
};

const FLOW: Flow = Flow {
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
};

const WORDS: Words = Words {
    kinds: &[("identifier", Space::Value), ("implicit_parameter", Space::Declared)],
    paths: &["qualified_name", "member_access_expression"],
    positions: &[
        ("member_access_expression", "name", Space::Member),
        ("member_binding_expression", "name", Space::Member),
        ("qualified_name", "name", Space::Member),
        ("invocation_expression", "function", Space::Callable),
        ("object_creation_expression", "type", Space::Type),
        ("generic_name", "", Space::Type),
        ("type_argument_list", "", Space::Type),
        ("base_list", "", Space::Type),
        ("attribute", "name", Space::Type),
        ("class_declaration", "name", Space::Declared),
        ("struct_declaration", "name", Space::Declared),
        ("record_declaration", "name", Space::Declared),
        ("interface_declaration", "name", Space::Declared),
        ("enum_declaration", "name", Space::Declared),
        ("delegate_declaration", "name", Space::Declared),
        ("enum_member_declaration", "name", Space::Declared),
        ("method_declaration", "name", Space::Declared),
        ("method_declaration", "returns", Space::Type),
        ("constructor_declaration", "name", Space::Declared),
        ("local_function_statement", "name", Space::Declared),
        ("property_declaration", "name", Space::Declared),
        ("property_declaration", "type", Space::Type),
        ("variable_declarator", "name", Space::Declared),
        ("variable_declaration", "type", Space::Type),
        ("parameter", "name", Space::Declared),
        ("parameter", "type", Space::Type),
        ("argument", "name", Space::Declared),
        ("attribute_argument", "name", Space::Declared),
        ("catch_declaration", "name", Space::Declared),
        ("catch_declaration", "type", Space::Type),
        ("foreach_statement", "left", Space::Declared),
        ("declaration_expression", "name", Space::Declared),
        ("declaration_pattern", "name", Space::Declared),
        ("declaration_pattern", "type", Space::Type),
        ("cast_expression", "type", Space::Type),
        ("typeof_expression", "type", Space::Type),
        ("type_parameter", "name", Space::Declared),
        ("accessor_declaration", "name", Space::Declared),
        ("labeled_statement", "", Space::Declared),
    ],
    member_after: &["."],
    heads: &["generic_name"],
    member: ("member_access_expression", "expression", "name"),
    receivers: &[
        ("member_access_expression", "expression"),
        ("conditional_access_expression", "condition"),
        ("invocation_expression", "function"),
        ("element_access_expression", "expression"),
        ("object_creation_expression", "type"),
        ("qualified_name", "qualifier"),
        ("generic_name", ""),
        ("postfix_unary_expression", ""),
    ],
    ..Words::NONE
};

const SCOPES: Scopes = Scopes {
    kinds: &[
        "compilation_unit",
        "namespace_declaration",
        "class_declaration",
        "struct_declaration",
        "record_declaration",
        "interface_declaration",
        "declaration_list",
        "method_declaration",
        "constructor_declaration",
        "local_function_statement",
        "accessor_declaration",
        "lambda_expression",
        "block",
        "for_statement",
        "foreach_statement",
        "using_statement",
        "catch_clause",
    ],
    bindings: &[
        bind("class_declaration", "name", Space::Type, Reach::Scope),
        bind("struct_declaration", "name", Space::Type, Reach::Scope),
        bind("record_declaration", "name", Space::Type, Reach::Scope),
        bind("interface_declaration", "name", Space::Type, Reach::Scope),
        bind("enum_declaration", "name", Space::Type, Reach::Scope),
        bind("delegate_declaration", "name", Space::Type, Reach::Scope),
        bind("type_parameter", "name", Space::Type, Reach::Scope),
        bind("method_declaration", "name", Space::Callable, Reach::Scope),
        bind("local_function_statement", "name", Space::Callable, Reach::Scope),
        bind("property_declaration", "name", Space::Value, Reach::Scope),
        bind("variable_declarator", "name", Space::Value, Reach::Onwards),
        bind("parameter", "name", Space::Value, Reach::Scope),
        bind("parameter_list", "name", Space::Value, Reach::Scope),
        bind("tuple_pattern", "name", Space::Value, Reach::Onwards),
        bind("catch_declaration", "name", Space::Value, Reach::Scope),
        bind("foreach_statement", "left", Space::Value, Reach::Inside),
        bind("declaration_expression", "name", Space::Value, Reach::Onwards),
        bind("declaration_pattern", "name", Space::Value, Reach::Onwards),
        bind_child("lambda_expression", "implicit_parameter", Reach::Inside),
    ],
    member_scopes: &["declaration_list"],
    ..Scopes::NONE
};

const IMPORTS: Imports = Imports {
    package_keyword: "namespace",
    packages: &["namespace_declaration", "file_scoped_namespace_declaration"],
    kinds: &["using_directive"],
    preamble: &[("extern_alias_directive", ""), ("preproc_if", "")],
    read_import,
    write_import,
    write_list: |_, _, _| None,
    imports_member: |_, space| space == Space::Callable,
    ..Imports::NONE
};

const EXPORTS: Exports = Exports { passing: &["global using"], ..Exports::NONE };

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
    context("member", "class Zq { int zq { ", " } }", &["accessor_declaration"]),
    context("link", "class Zq { object zq = zqBase", "; }", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
) -> Declaration {
    Declaration { kind, free_kinds, free_fields, body, name: "name", modifiers: "" }
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

const DECLARATIONS: &[Declaration] = &[
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
    declaration("accessor_declaration", FREE, &[], ""),
];

const fn bind_child(kind: &'static str, child: &'static str, reach: Reach) -> Binding {
    Binding { kind, field: "", child, space: Space::Value, reach, deep: false }
}

const DECLARES: Declares = Declares {
    type_keywords: &["class", "interface", "enum", "struct", "record"],
    declared: &[
        declares("class_declaration", "name", &["base_list"]),
        declares("struct_declaration", "name", &["base_list"]),
        declares("record_declaration", "name", &["base_list"]),
        declares("interface_declaration", "name", &["base_list"]),
        declares("enum_declaration", "name", &[]),
        declares("delegate_declaration", "name", &[]),
    ],
    members: &[
        ("enum_member_declaration", "name", Space::Value),
        ("event_declaration", "name", Space::Value),
    ],
    parameters: &[("parameter", "")],
    fields: &["type", "returns"],
    values: &[("variable_declarator", ""), ("property_declaration", "value")],
    keys: &[
        KeyRule {
            pair: "assignment_expression",
            key: "left",
            around: "object_creation_expression",
            owner: "type",
        },
        KeyRule { pair: "attribute_argument", key: "name", around: "attribute", owner: "name" },
    ],
    hints: Hints {
        made: &[
            ("object_creation_expression", "type"),
            ("cast_expression", "type"),
            ("as_expression", "right"),
        ],
        call: ("invocation_expression", "function"),
        wraps: &[
            "nullable_type",
            "generic_name",
            "primary_constructor_base_type",
            "parenthesized_expression",
            "ref_type",
            "scoped_type",
        ],
        skipped: &["type_argument_list", "argument_list"],
        inferred: &["var"],
        own: &["this"],
        base: &["base"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

const NAMES: Names = Names {
    separator: ".",
    full_names: true,
    sure_wildcards: true,
    shortened: (&["attribute"], "Attribute"),
    nested_packages: true,
    package_of: |segments| segments.len().saturating_sub(1),
    root: "global",
    reserved: &[
        "abstract",
        "as",
        "base",
        "break",
        "case",
        "catch",
        "checked",
        "class",
        "const",
        "continue",
        "default",
        "delegate",
        "do",
        "else",
        "enum",
        "event",
        "explicit",
        "extern",
        "finally",
        "fixed",
        "for",
        "foreach",
        "goto",
        "if",
        "implicit",
        "in",
        "interface",
        "internal",
        "is",
        "lock",
        "namespace",
        "new",
        "operator",
        "out",
        "override",
        "params",
        "private",
        "protected",
        "public",
        "readonly",
        "ref",
        "return",
        "sealed",
        "sizeof",
        "stackalloc",
        "static",
        "struct",
        "switch",
        "throw",
        "try",
        "typeof",
        "unchecked",
        "unsafe",
        "using",
        "virtual",
        "void",
        "volatile",
        "while",
    ],
    implicit: &["System"],
    builtin: &[
        "Console",
        "DateTime",
        "Dictionary",
        "Exception",
        "Func",
        "Action",
        "Guid",
        "IEnumerable",
        "List",
        "Math",
        "Task",
        "TimeSpan",
        "Type",
        "Uri",
        "nameof",
        "string",
        "value",
        "var",
    ],
    ..Names::NONE
};

/// `using A.B;`, `using static A.C;`, `using X = A.D;`
fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let parts = children(node);
    let alias = node.child_by_field_name("name");
    let is_static = parts.iter().any(|c| c.kind() == "static");
    let path = parts
        .iter()
        .rfind(|c| c.is_named() && !c.is_extra() && Some(c.id()) != alias.map(|a| a.id()));
    let mut segments = Vec::new();
    if let Some(path) = path {
        words_in(*path, text, &mut segments);
    }
    if segments.is_empty() {
        return Vec::new();
    }
    let import = NAMES.import(node, segments);
    let mut import = match alias {
        Some(alias) => import.known_as(span(alias).of(text)),
        // All types of a namespace, or all members of a type.
        None => import.all(),
    };
    import.is_static = is_static;
    import.global = parts.iter().any(|c| c.kind() == "global");
    vec![import]
}

/// A type is imported with all of its namespace.
fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let parent = name.path.rsplit_once('.').map_or(name.path.as_str(), |(p, _)| p);
    match (&name.alias, name.is_static, name.wildcard) {
        (Some(alias), ..) => format!("using {alias} = {};", name.path),
        (None, true, true) => format!("using static {};", name.path),
        (None, true, false) => format!("using static {parent};"),
        (None, false, true) => format!("using {};", name.path),
        (None, false, false) => format!("using {parent};"),
    }
}
