//! Java.

mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Binding, Compare, Context, Declaration, Declares, Flow, Fragments, Grammar, Hints, Imports,
    KeyRule, Keyed, Language, Names, Placeholder, Reach, Scopes, Space, Words, Writing, anonymous,
    bind, context, declares,
};
use emendo_lang::{Import, ImportName};
use tree_sitter::Node;

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
    declares: DECLARES,
    typing: TYPING,
    ..Language::new("java", "Java", Grammar::new(&["java"], || &GRAMMAR, SAMPLE))
};

const SAMPLE: &str = "package p;\nimport a.B;\nimport static a.B.*;\n@X(a = 1) class C<T> extends D implements E {\n  int f = 1;\n  void m(int a, String... b) throws F { for (var x : y) { g.h(x -> x, G::i); } }\n}\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    placeholders: &[
        Placeholder { before: "", after: "", capital: false },
        Placeholder { before: "", after: ";", capital: false },
        Placeholder { before: "ZqT ", after: "", capital: false },
        Placeholder { before: "ZqT ", after: ";", capital: false },
        Placeholder { before: "@", after: "", capital: true },
        Placeholder { before: "", after: " = 0", capital: false },
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

const WORDS: Words = Words {
    kinds: &[("identifier", Space::Value), ("type_identifier", Space::Type)],
    paths: &["scoped_identifier", "scoped_type_identifier", "field_access"],
    positions: &[
        ("annotation", "name", Space::Type),
        ("marker_annotation", "name", Space::Type),
        ("method_invocation", "name", Space::Callable),
        ("field_access", "field", Space::Member),
        ("scoped_identifier", "name", Space::Member),
        ("class_declaration", "name", Space::Declared),
        ("interface_declaration", "name", Space::Declared),
        ("enum_declaration", "name", Space::Declared),
        ("record_declaration", "name", Space::Declared),
        ("annotation_type_declaration", "name", Space::Declared),
        ("annotation_type_element_declaration", "name", Space::Declared),
        ("method_declaration", "name", Space::Declared),
        ("constructor_declaration", "name", Space::Declared),
        ("compact_constructor_declaration", "name", Space::Declared),
        ("variable_declarator", "name", Space::Declared),
        ("formal_parameter", "name", Space::Declared),
        ("catch_formal_parameter", "name", Space::Declared),
        ("enhanced_for_statement", "name", Space::Declared),
        ("resource", "name", Space::Declared),
        ("instanceof_expression", "name", Space::Declared),
        ("enum_constant", "name", Space::Declared),
        ("element_value_pair", "key", Space::Declared),
        ("lambda_expression", "parameters", Space::Declared),
        ("inferred_parameters", "", Space::Declared),
        ("labeled_statement", "", Space::Declared),
        ("break_statement", "", Space::Declared),
        ("continue_statement", "", Space::Declared),
        ("type_pattern", "", Space::Declared),
        ("record_pattern_component", "", Space::Declared),
    ],
    member_after: &["::", "."],
    call: ("method_invocation", "object", "name"),
    member: ("field_access", "object", "field"),
    receivers: &[
        ("method_invocation", "object"),
        ("field_access", "object"),
        ("object_creation_expression", "type"),
        ("array_access", "array"),
        ("method_reference", ""),
        ("class_literal", ""),
        ("generic_type", ""),
        ("array_type", "element"),
    ],
    ..Words::NONE
};

const SCOPES: Scopes = Scopes {
    kinds: &[
        "program",
        "class_declaration",
        "interface_declaration",
        "enum_declaration",
        "record_declaration",
        "annotation_type_declaration",
        "class_body",
        "interface_body",
        "enum_body",
        "annotation_type_body",
        "method_declaration",
        "constructor_declaration",
        "compact_constructor_declaration",
        "block",
        "constructor_body",
        "lambda_expression",
        "for_statement",
        "enhanced_for_statement",
        "try_with_resources_statement",
        "catch_clause",
        "switch_block_statement_group",
        "switch_rule",
    ],
    bindings: &[
        bind("class_declaration", "name", Space::Type, Reach::Scope),
        bind("interface_declaration", "name", Space::Type, Reach::Scope),
        bind("enum_declaration", "name", Space::Type, Reach::Scope),
        bind("record_declaration", "name", Space::Type, Reach::Scope),
        bind("annotation_type_declaration", "name", Space::Type, Reach::Scope),
        bind_child("type_parameter", "type_identifier", Space::Type, Reach::Scope),
        bind("method_declaration", "name", Space::Callable, Reach::Scope),
        bind("variable_declarator", "name", Space::Value, Reach::Onwards),
        bind("formal_parameter", "name", Space::Value, Reach::Scope),
        bind("catch_formal_parameter", "name", Space::Value, Reach::Scope),
        bind("enhanced_for_statement", "name", Space::Value, Reach::Inside),
        bind("resource", "name", Space::Value, Reach::Onwards),
        bind("instanceof_expression", "name", Space::Value, Reach::Onwards),
        bind_child("type_pattern", "identifier", Space::Value, Reach::Onwards),
        bind_child("record_pattern_component", "identifier", Space::Value, Reach::Onwards),
        bind("enum_constant", "name", Space::Value, Reach::Scope),
        bind("lambda_expression", "parameters", Space::Value, Reach::Inside),
        bind_child("inferred_parameters", "identifier", Space::Value, Reach::Scope),
    ],
    member_scopes: &["class_body", "interface_body", "enum_body", "annotation_type_body"],
    ..Scopes::NONE
};

const IMPORTS: Imports = Imports {
    package_keyword: "package",
    packages: &["package_declaration"],
    kinds: &["import_declaration"],
    read_import,
    write_import,
    write_list: |_, _, _| None,
    imports_member,
    ..Imports::NONE
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
) -> Declaration {
    Declaration { kind, free_kinds, free_fields, body, name, modifiers: "modifiers" }
}

const HEADER: &[&str] = &["type_parameters", "superclass", "interfaces", "permits"];

const DECLARATIONS: &[Declaration] = &[
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

const fn bind_child(
    kind: &'static str,
    child: &'static str,
    space: Space,
    reach: Reach,
) -> Binding {
    Binding { kind, field: "", child, space, reach, deep: false }
}

const DECLARES: Declares = Declares {
    type_keywords: &["class", "interface", "enum", "record"],
    read_by_calls: true,
    declared: &[
        declares("class_declaration", "name", &["superclass", "interfaces"]),
        declares("interface_declaration", "name", &["extends_interfaces"]),
        declares("enum_declaration", "name", &["interfaces"]),
        declares("record_declaration", "name", &["interfaces"]),
        declares("annotation_type_declaration", "name", &[]),
        anonymous("object_creation_expression", "class_body", &["type"]),
    ],
    members: &[("annotation_type_element_declaration", "name", Space::Callable)],
    parameters: &[("formal_parameter", "")],
    fields: &["type"],
    values: &[("variable_declarator", "value"), ("resource", "value")],
    keys: &[KeyRule {
        pair: "element_value_pair",
        key: "key",
        around: "annotation",
        owner: "name",
    }],
    hints: Hints {
        made: &[("object_creation_expression", "type"), ("cast_expression", "type")],
        call: ("method_invocation", "name"),
        wraps: &["generic_type", "annotated_type", "parenthesized_expression"],
        skipped: &["type_arguments", "annotation", "marker_annotation"],
        inferred: &["var"],
        own: &["this"],
        base: &["super"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

const NAMES: Names = Names {
    separator: ".",
    full_names: true,
    package_of: crate::shared::lower_head,
    reserved: &[
        "abstract",
        "assert",
        "boolean",
        "break",
        "byte",
        "case",
        "catch",
        "char",
        "class",
        "const",
        "continue",
        "default",
        "do",
        "double",
        "else",
        "enum",
        "extends",
        "final",
        "finally",
        "float",
        "for",
        "goto",
        "if",
        "implements",
        "import",
        "instanceof",
        "int",
        "interface",
        "long",
        "native",
        "new",
        "package",
        "private",
        "protected",
        "public",
        "return",
        "short",
        "static",
        "strictfp",
        "super",
        "switch",
        "synchronized",
        "this",
        "throw",
        "throws",
        "transient",
        "try",
        "void",
        "volatile",
        "while",
    ],
    implicit: &["java.lang"],
    builtin: &[
        "Object",
        "String",
        "Integer",
        "Long",
        "Short",
        "Byte",
        "Character",
        "Boolean",
        "Double",
        "Float",
        "Number",
        "Math",
        "System",
        "Thread",
        "Runnable",
        "Iterable",
        "Comparable",
        "CharSequence",
        "StringBuilder",
        "StringBuffer",
        "Class",
        "Enum",
        "Record",
        "Void",
        "Throwable",
        "Exception",
        "RuntimeException",
        "Error",
        "IllegalArgumentException",
        "IllegalStateException",
        "NullPointerException",
        "UnsupportedOperationException",
        "IndexOutOfBoundsException",
        "ClassCastException",
        "InterruptedException",
        "NumberFormatException",
        "AutoCloseable",
        "Cloneable",
        "Override",
        "Deprecated",
        "SuppressWarnings",
        "FunctionalInterface",
        "SafeVarargs",
    ],
    ..Names::NONE
};

/// Members of a type are imported with `static`; types, nested ones too, are not.
fn imports_member(symbol: &str, space: Space) -> bool {
    let camel = |s: &str| {
        s.starts_with(char::is_uppercase)
            && (s.len() == 1 || s.contains(|c: char| c.is_lowercase()))
    };
    let mut parts = symbol.rsplit('.');
    let (last, parent) = (parts.next().unwrap_or(""), parts.next().unwrap_or(""));
    space != Space::Type && camel(parent) && !camel(last)
}

/// `import [static] a.b.C[.*];`
fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut segments = Vec::new();
    let mut wildcard = false;
    let mut is_static = false;
    let mut cursor = node.walk();
    for child in node.children(&mut cursor) {
        match child.kind() {
            "static" => is_static = true,
            "asterisk" => wildcard = true,
            "identifier" | "scoped_identifier" => {
                emendo_lang::tree::words_in(child, text, &mut segments);
            }
            _ => {}
        }
    }
    if segments.is_empty() {
        return Vec::new();
    }
    let import = NAMES.import(node, segments);
    let mut import = if wildcard { import.all() } else { import };
    import.is_static = is_static;
    vec![import]
}

fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let word = if name.is_static { "import static " } else { "import " };
    let end = if name.wildcard { ".*;" } else { ";" };
    format!("{word}{}{end}", name.path)
}
