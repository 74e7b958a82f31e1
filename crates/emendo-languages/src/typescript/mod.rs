//! TypeScript and JavaScript, with JSX. One set of facts: JavaScript is read with the same grammar.

mod modules;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Binding, Compare, Context, Declaration, Declares, Dialect, Exports, Flow, Fragments, Grammar,
    Hints, Imports, KeyRule, Keyed, Language, Names, Placeholder, Reach, Scopes, Space, TypeRule,
    Words, Writing, bind, context, declares,
};
use emendo_lang::tree::{children, span};
use emendo_lang::{Export, Import, ImportName};
use tree_sitter::Node;

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

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    placeholders: &[
        Placeholder { before: "", after: "", capital: false },
        Placeholder { before: "{", after: "}", capital: false },
        Placeholder { before: "", after: ";", capital: false },
        Placeholder { before: "\"", after: "\"", capital: false },
        Placeholder { before: "@", after: "", capital: false },
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
        },
        Keyed {
            list: "object_pattern",
            pair: "pair_pattern",
            key: "key",
            shorthand: "shorthand_property_identifier_pattern",
        },
        Keyed { list: "jsx_opening_element", pair: "jsx_attribute", key: "", shorthand: "" },
        Keyed { list: "jsx_self_closing_element", pair: "jsx_attribute", key: "", shorthand: "" },
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
        "sequence_expression",
        "object",
        "class",
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
        ("spread_element", ""),
    ],
    expression_statement: "expression_statement",
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
    ..Writing::NONE
};

const FLOW: Flow = Flow {
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
};

const WORDS: Words = Words {
    kinds: &[
        ("identifier", Space::Value),
        ("type_identifier", Space::Type),
        ("property_identifier", Space::Member),
        ("private_property_identifier", Space::Member),
        ("shorthand_property_identifier", Space::Value),
        ("shorthand_property_identifier_pattern", Space::Declared),
        ("statement_identifier", Space::Declared),
    ],
    paths: &["member_expression", "nested_identifier", "nested_type_identifier"],
    positions: &[
        ("class_declaration", "name", Space::Declared),
        ("abstract_class_declaration", "name", Space::Declared),
        ("interface_declaration", "name", Space::Declared),
        ("type_alias_declaration", "name", Space::Declared),
        ("enum_declaration", "name", Space::Declared),
        ("function_declaration", "name", Space::Declared),
        ("generator_function_declaration", "name", Space::Declared),
        ("function_expression", "name", Space::Declared),
        ("method_definition", "name", Space::Declared),
        ("variable_declarator", "name", Space::Declared),
        ("required_parameter", "pattern", Space::Declared),
        ("optional_parameter", "pattern", Space::Declared),
        ("arrow_function", "parameter", Space::Declared),
        ("catch_clause", "parameter", Space::Declared),
        ("for_in_statement", "left", Space::Declared),
        ("pair", "key", Space::Declared),
        ("pair_pattern", "key", Space::Declared),
        ("public_field_definition", "name", Space::Declared),
        ("property_signature", "name", Space::Declared),
        ("method_signature", "name", Space::Declared),
        ("enum_assignment", "name", Space::Declared),
        ("jsx_attribute", "", Space::Declared),
        ("type_parameter", "name", Space::Declared),
        ("member_expression", "property", Space::Member),
        ("nested_identifier", "property", Space::Member),
        ("nested_type_identifier", "name", Space::Member),
        ("export_specifier", "alias", Space::Declared),
    ],
    member_after: &[".", "?.", "optional_chain"],
    member: ("member_expression", "object", "property"),
    receivers: &[
        ("member_expression", "object"),
        ("call_expression", "function"),
        ("subscript_expression", "object"),
        ("new_expression", "constructor"),
        ("non_null_expression", ""),
        ("nested_identifier", "object"),
        ("nested_type_identifier", "module"),
        ("generic_type", "name"),
        ("await_expression", ""),
    ],
    ..Words::NONE
};

const SCOPES: Scopes = Scopes {
    pattern_skips: &[
        ("", "key"),
        ("", "right"),
        ("", "type"),
        ("property_identifier", ""),
        ("type_annotation", ""),
    ],
    kinds: &[
        "program",
        "statement_block",
        "class_declaration",
        "abstract_class_declaration",
        "class",
        "function_declaration",
        "generator_function_declaration",
        "function_expression",
        "arrow_function",
        "method_definition",
        "for_statement",
        "for_in_statement",
        "catch_clause",
        "switch_body",
        "interface_declaration",
        "type_alias_declaration",
        "function_type",
        "method_signature",
    ],
    bindings: &[
        bind("class_declaration", "name", Space::Type, Reach::Scope),
        bind("abstract_class_declaration", "name", Space::Type, Reach::Scope),
        bind("interface_declaration", "name", Space::Type, Reach::Scope),
        bind("type_alias_declaration", "name", Space::Type, Reach::Scope),
        bind("enum_declaration", "name", Space::Type, Reach::Scope),
        bind("class", "name", Space::Type, Reach::Inside),
        bind("type_parameter", "name", Space::Type, Reach::Scope),
        bind("function_declaration", "name", Space::Value, Reach::Scope),
        bind("generator_function_declaration", "name", Space::Value, Reach::Scope),
        bind("function_expression", "name", Space::Value, Reach::Inside),
        apart("variable_declarator", "name", Reach::Scope),
        apart("required_parameter", "pattern", Reach::Scope),
        apart("optional_parameter", "pattern", Reach::Scope),
        apart("arrow_function", "parameter", Reach::Inside),
        apart("catch_clause", "parameter", Reach::Inside),
        apart("for_in_statement", "left", Reach::Inside),
    ],
    member_scopes: &["class_declaration", "abstract_class_declaration", "class"],
    ..Scopes::NONE
};

const IMPORTS: Imports = Imports {
    kinds: &["import_statement"],
    import_like: &["lexical_declaration", "variable_declaration", "export_statement"],
    preamble: &[("hash_bang_line", ""), ("expression_statement", "string")],
    read_import,
    write_import,
    write_list,
    imports_member: |_, _| false,
    ..Imports::NONE
};

const EXPORTS: Exports = Exports {
    loads: &["require(", "require.resolve(", "import(", "import", "from", "module"],
    passing: &[
        "export {",
        "export *",
        "export default",
        "export{",
        "exports",
        "export const",
        "export type",
    ],
    export_kinds: &["export_statement", "assignment_expression"],
    read_exports,
    ..Exports::NONE
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
        &["pair", "shorthand_property_identifier", "method_definition"],
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
) -> Declaration {
    Declaration { kind, free_kinds, free_fields, body, name: "name", modifiers: "" }
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

const DECLARATIONS: &[Declaration] = &[
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

/// What is declared by taking a value apart.
const fn apart(kind: &'static str, field: &'static str, reach: Reach) -> Binding {
    Binding { kind, field, child: "", space: Space::Value, reach, deep: true }
}

const DECLARES: Declares = Declares {
    type_keywords: &["class", "interface", "enum", "type"],
    declared: &[
        declares("class_declaration", "name", &["class_heritage"]),
        declares("abstract_class_declaration", "name", &["class_heritage"]),
        declares("class", "name", &["class_heritage"]),
        declares("interface_declaration", "name", &["extends_type_clause"]),
        declares("enum_declaration", "name", &[]),
        TypeRule { kind: "type_alias_declaration", name: "name", alias: "value", ..TypeRule::NONE },
    ],
    members: &[
        ("method_definition", "name", Space::Callable),
        ("method_signature", "name", Space::Callable),
        ("abstract_method_signature", "name", Space::Callable),
        ("public_field_definition", "name", Space::Value),
        ("property_signature", "name", Space::Value),
        ("enum_assignment", "name", Space::Value),
    ],
    parameters: &[
        ("required_parameter", "accessibility_modifier"),
        ("required_parameter", "readonly"),
        ("optional_parameter", "accessibility_modifier"),
        ("optional_parameter", "readonly"),
    ],
    assigned: ("assignment_expression", "left", "right"),
    fields: &["type", "return_type"],
    values: &[("variable_declarator", "value"), ("public_field_definition", "value")],
    short_values: &["shorthand_property_identifier"],
    shorthands: &["shorthand_property_identifier_pattern"],
    keys: &[
        KeyRule { pair: "pair_pattern", key: "key", around: "variable_declarator", owner: "value" },
        KeyRule {
            pair: "shorthand_property_identifier_pattern",
            around: "variable_declarator",
            owner: "value",
            ..KeyRule::NONE
        },
        KeyRule { pair: "pair_pattern", key: "key", around: "required_parameter", owner: "type" },
        KeyRule {
            pair: "shorthand_property_identifier_pattern",
            around: "required_parameter",
            owner: "type",
            ..KeyRule::NONE
        },
        KeyRule { pair: "jsx_attribute", key: "", around: "jsx_opening_element", owner: "name" },
        KeyRule {
            pair: "jsx_attribute",
            around: "jsx_self_closing_element",
            owner: "name",
            ..KeyRule::NONE
        },
    ],
    hints: Hints {
        made: &[("new_expression", "constructor")],
        call: ("call_expression", "function"),
        wraps: &[
            "type_annotation",
            "generic_type",
            "extends_clause",
            "union_type",
            "parenthesized_type",
            "non_null_expression",
            "readonly_type",
        ],
        skipped: &["type_arguments", "literal_type"],
        through: &["Readonly", "Required", "NonNullable"],
        inferred: &["any", "unknown"],
        own: &["this"],
        base: &["super"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

/// `export { a as b }`, `export default a`, `export class A`, `module.exports = { a }`, `exports.a = b`.
fn read_exports(node: Node<'_>, text: &str) -> Vec<Export> {
    let word = |n: Node<'_>| span(n).of(text).to_owned();
    let mut out = Vec::new();
    if node.kind() == "assignment_expression" {
        let Some((left, right)) =
            node.child_by_field_name("left").zip(node.child_by_field_name("right"))
        else {
            return out;
        };
        let target = word(left);
        if target == "module.exports" && right.kind() == "object" {
            for item in children(right) {
                match item.kind() {
                    "shorthand_property_identifier" => {
                        out.push(Export::fixed(word(item), word(item)));
                    }
                    "pair" => {
                        let (key, value) =
                            (item.child_by_field_name("key"), item.child_by_field_name("value"));
                        if let Some((k, v)) = key.zip(value).filter(|p| p.1.kind() == "identifier")
                        {
                            out.push(Export::fixed(word(k), word(v)));
                        }
                    }
                    _ => {}
                }
            }
        } else if let Some(name) =
            target.strip_prefix("module.exports.").or_else(|| target.strip_prefix("exports."))
            && right.kind() == "identifier"
        {
            out.push(Export::fixed(name.to_owned(), word(right)));
        }
        return out;
    }
    if node.child_by_field_name("source").is_some() {
        return out;
    }
    let default = children(node).iter().any(|c| c.kind() == "default");
    if let Some(value) = node.child_by_field_name("value").filter(|v| v.kind() == "identifier") {
        out.push(Export::new("default".into(), word(value)));
    }
    if let Some(declared) = node.child_by_field_name("declaration") {
        let own = declared.child_by_field_name("name");
        let many = children(declared).into_iter().filter_map(|c| c.child_by_field_name("name"));
        for name in own.into_iter().chain(many) {
            let outside = if default { "default".into() } else { word(name) };
            out.push(Export::new(outside, word(name)));
        }
    }
    for clause in children(node).into_iter().filter(|c| c.kind() == "export_clause") {
        for item in children(clause).into_iter().filter(|c| c.kind() == "export_specifier") {
            let Some(name) = item.child_by_field_name("name") else { continue };
            let alias = item.child_by_field_name("alias").unwrap_or(name);
            out.push(Export::new(word(alias), word(name)));
        }
    }
    out
}

/// `export { a as b } from 'm'`, `export * from 'm'`: the names go to whoever imports this file.
fn read_passed_on(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    let Some(module) = node.child_by_field_name("source").and_then(|s| module(s, text)) else {
        return out;
    };
    for part in children(node) {
        match part.kind() {
            "*" => out.push(NAMES.import(node, vec![module.clone()]).all()),
            "namespace_export" => {
                if let Some(name) = part.named_child(0) {
                    let import = NAMES.import(node, vec![module.clone()]);
                    out.push(import.known_as(span(name).of(text)));
                }
            }
            "export_clause" => {
                for item in children(part).into_iter().filter(|c| c.kind() == "export_specifier") {
                    let Some(name) = item.child_by_field_name("name") else { continue };
                    let import = NAMES
                        .import(node, vec![module.clone(), segment(name, text)])
                        .listed(span(item), Some(span(part)), 1, true);
                    out.push(match item.child_by_field_name("alias") {
                        Some(alias) => import.known_as(span(alias).of(text)),
                        None => import,
                    });
                }
            }
            _ => {}
        }
    }
    out.iter_mut().for_each(|i| i.passes_on = true);
    out
}

const NAMES: Names = Names {
    separator: ".",
    module_separator: ":",
    members_need_receiver: true,
    default: "default",
    package_of: |_| 1,
    reserved: &[
        "break",
        "case",
        "catch",
        "class",
        "const",
        "continue",
        "debugger",
        "default",
        "delete",
        "do",
        "else",
        "enum",
        "export",
        "extends",
        "finally",
        "for",
        "function",
        "if",
        "import",
        "in",
        "instanceof",
        "new",
        "return",
        "switch",
        "throw",
        "try",
        "typeof",
        "var",
        "void",
        "while",
        "with",
    ],
    builtin: &[
        "Array",
        "Boolean",
        "Date",
        "Error",
        "JSON",
        "Map",
        "Math",
        "Number",
        "Object",
        "Promise",
        "Proxy",
        "Reflect",
        "RegExp",
        "Set",
        "String",
        "Symbol",
        "TypeError",
        "URL",
        "WeakMap",
        "console",
        "document",
        "fetch",
        "globalThis",
        "module",
        "process",
        "require",
        "setInterval",
        "setTimeout",
        "undefined",
        "window",
        "exports",
        "any",
    ],
    ..Names::NONE
};

fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    match node.kind() {
        "import_statement" => read_module(node, text),
        "export_statement" => read_passed_on(node, text),
        _ => read_required(node, text),
    }
}

/// The text of a string and its place, without the quotes.
fn string(node: Node<'_>, text: &str) -> Option<(String, tree_sitter::Range)> {
    let inner =
        node.named_child(0).filter(|c| node.kind() == "string" && c.kind() == "string_fragment")?;
    Some((span(inner).of(text).to_owned(), inner.range()))
}

type Segment = (String, emendo_text::Span);

fn segment(node: Node<'_>, text: &str) -> Segment {
    (span(node).of(text).to_owned(), span(node))
}

fn module(node: Node<'_>, text: &str) -> Option<Segment> {
    let (name, range) = string(node, text)?;
    Some((name, emendo_text::Span::new(range.start_byte, range.end_byte)))
}

/// `import a, { b as c } from 'm'`, `import * as d from 'm'`.
fn read_module(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    let Some(module) = node.child_by_field_name("source").and_then(|s| module(s, text)) else {
        return out;
    };
    let types_only = children(node).iter().any(|c| c.kind() == "type");
    let Some(clause) = children(node).into_iter().find(|c| c.kind() == "import_clause") else {
        return out;
    };
    for part in children(clause) {
        match part.kind() {
            "identifier" => {
                let name = segment(part, text);
                let mut import = NAMES
                    .import(node, vec![module.clone(), ("default".into(), name.1)])
                    .known_as(&name.0)
                    .listed(name.1, None, 1, false);
                import.implied = true;
                out.push(import);
            }
            "namespace_import" => {
                let Some(name) = part.named_child(0) else { continue };
                out.push(NAMES.import(node, vec![module.clone()]).known_as(span(name).of(text)));
            }
            "named_imports" => {
                for item in children(part).into_iter().filter(|c| c.kind() == "import_specifier") {
                    let Some(name) = item.child_by_field_name("name") else { continue };
                    let segments = vec![module.clone(), segment(name, text)];
                    let open = !types_only;
                    let import =
                        NAMES.import(node, segments).listed(span(item), Some(span(part)), 1, open);
                    let mut import = import;
                    import.is_type =
                        types_only || children(item).iter().any(|c| c.kind() == "type");
                    let alias = item.child_by_field_name("alias");
                    out.push(match alias {
                        Some(alias) => import.known_as(span(alias).of(text)),
                        None => import,
                    });
                }
            }
            _ => {}
        }
    }
    out
}

/// `const a = require('m')`, `const { b, c: d } = await import('m')`.
fn read_required(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    for declarator in children(node).into_iter().filter(|c| c.kind() == "variable_declarator") {
        let value = declarator.child_by_field_name("value");
        let Some(call) = value
            .and_then(|v| if v.kind() == "await_expression" { v.named_child(0) } else { Some(v) })
        else {
            return Vec::new();
        };
        let function = call.child_by_field_name("function").map(|f| span(f).of(text));
        let argument = call.child_by_field_name("arguments").and_then(|a| a.named_child(0));
        let (Some("require" | "import"), Some(module)) =
            (function, argument.and_then(|a| module(a, text)))
        else {
            return Vec::new();
        };
        let Some(name) = declarator.child_by_field_name("name") else { continue };
        match name.kind() {
            "identifier" => {
                out.push(NAMES.import(node, vec![module]).known_as(span(name).of(text)));
            }
            "object_pattern" => {
                for item in children(name) {
                    let (key, local) = match item.kind() {
                        "shorthand_property_identifier_pattern" => (Some(item), None),
                        "pair_pattern" => {
                            let value = item.child_by_field_name("value");
                            let plain = value.filter(|v| v.kind() == "identifier");
                            (item.child_by_field_name("key").filter(|_| plain.is_some()), plain)
                        }
                        _ => (None, None),
                    };
                    let Some(key) = key else { continue };
                    let import = NAMES
                        .import(node, vec![module.clone(), segment(key, text)])
                        .listed(span(item), Some(span(name)), 1, true);
                    out.push(match local {
                        Some(local) => import.known_as(span(local).of(text)),
                        None => import,
                    });
                }
            }
            _ => {}
        }
    }
    out
}

/// Several names of one module, in the manner of another import.
fn write_list(module: &str, items: &[String], like: Option<&str>) -> Option<String> {
    let one = ImportName::plain(&format!("{module}:zq"));
    let required = like.is_some_and(|l| l.contains("require("));
    let plain = items.iter().all(|i| !i.starts_with("default"));
    let list: Vec<String> =
        items.iter().map(|i| if required { i.replace(" as ", ": ") } else { i.clone() }).collect();
    plain.then(|| write_import(&one, like).replacen("zq", &list.join(", "), 1))
}

/// An import in the manner of another one: quotes, semicolon, `require` or not.
fn write_import(name: &ImportName, like: Option<&str>) -> String {
    let segments = NAMES.segments(&name.path);
    let like_text = like.unwrap_or("import x from \"m\";").trim_end();
    let quote = if like_text.contains('\'') { '\'' } else { '"' };
    let end = if like_text.ends_with(';') { ";" } else { "" };
    let required = like_text.contains("require(");
    let module = segments[0];
    let from = if required {
        format!("require({quote}{module}{quote})")
    } else {
        format!("{quote}{module}{quote}")
    };
    let last = segments.get(1).copied();
    let local = name.alias.as_deref();
    let what = match (last, local) {
        (None, local) => {
            let word = local.unwrap_or_else(|| module.rsplit('/').next().unwrap_or(module));
            if required { word.to_owned() } else { format!("* as {word}") }
        }
        (Some("default"), local) => {
            let word = local.unwrap_or_else(|| module.rsplit('/').next().unwrap_or(module));
            if required { format!("{{ default: {word} }}") } else { word.to_owned() }
        }
        (Some(item), None) if name.is_type && !required => format!("type {{ {item} }}"),
        (Some(item), Some(local)) if name.is_type && !required => {
            format!("type {{ {item} as {local} }}")
        }
        (Some(item), None) => format!("{{ {item} }}"),
        (Some(item), Some(local)) if required => format!("{{ {item}: {local} }}"),
        (Some(item), Some(local)) => format!("{{ {item} as {local} }}"),
    };
    if required {
        let word = like_text.split_whitespace().next().unwrap_or("const");
        format!("{word} {what} = {from}{end}")
    } else {
        format!("import {what} from {from}{end}")
    }
}
