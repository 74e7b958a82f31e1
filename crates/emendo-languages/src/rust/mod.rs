//! Rust.

mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Binding, Compare, Context, Declaration, Declares, Exports, Flow, Fragments, Grammar, Hints,
    Imports, KeyRule, Keyed, Language, Layer, Modules, Names, Placeholder, Reach, Scopes, Space,
    TypeRule, Words, Writing, context, declares,
};
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Files, Import, ImportName};
use emendo_text::{RelPath, Span};
use tree_sitter::Node;

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
    modules: Some(Modules { of: module_of, absolute, file: module_file, called }),
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
                end: b';',
            }),
            ..Grammar::new(&["rs"], || &GRAMMAR, SAMPLE)
        },
    )
};

const SAMPLE: &str = "use a::b::{self, C as D, e::*};\n#[derive(Debug)]\npub struct S<'a, T> where T: X { pub f: &'a T }\nimpl<T> Tr for S<'_, T> {\n    async fn m(&self, (a, b): P) -> Result<(), E> {\n        let Some(x) = y else { return };\n        println!(\"{x} {}\", a.b::<C>(d)?.await);\n        S { f: 1, ..z }\n    }\n}\n";

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    placeholders: &[
        Placeholder { before: "", after: "", capital: false },
        Placeholder { before: "", after: ";", capital: false },
        Placeholder { before: "", after: ": ZqT", capital: false },
        Placeholder { before: "fn ", after: "() {}", capital: false },
        Placeholder { before: "'", after: "", capital: false },
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
        },
        Keyed { list: "struct_pattern", pair: "field_pattern", key: "name", shorthand: "" },
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
    ],
    binding: &[
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
    bare_single: true,
    ..Writing::NONE
};

const FLOW: Flow = Flow {
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
};

const WORDS: Words = Words {
    kinds: &[
        ("identifier", Space::Value),
        ("type_identifier", Space::Type),
        ("field_identifier", Space::Member),
        ("shorthand_field_identifier", Space::Declared),
        ("crate", Space::Value),
        ("self", Space::Value),
        ("super", Space::Value),
    ],
    paths: &["scoped_identifier", "scoped_type_identifier"],
    positions: &[
        ("field_expression", "field", Space::Member),
        ("scoped_identifier", "name", Space::Member),
        ("scoped_type_identifier", "name", Space::Member),
        ("struct_item", "name", Space::Declared),
        ("enum_item", "name", Space::Declared),
        ("union_item", "name", Space::Declared),
        ("trait_item", "name", Space::Declared),
        ("type_item", "name", Space::Declared),
        ("mod_item", "name", Space::Declared),
        ("const_item", "name", Space::Declared),
        ("static_item", "name", Space::Declared),
        ("function_item", "name", Space::Declared),
        ("function_signature_item", "name", Space::Declared),
        ("macro_definition", "name", Space::Declared),
        ("enum_variant", "name", Space::Declared),
        ("field_declaration", "name", Space::Declared),
        ("field_initializer", "field", Space::Declared),
        ("field_pattern", "name", Space::Declared),
        ("parameter", "pattern", Space::Declared),
        ("let_declaration", "pattern", Space::Declared),
        ("for_expression", "pattern", Space::Declared),
        ("closure_parameters", "", Space::Declared),
        ("type_parameter", "name", Space::Declared),
        ("lifetime", "", Space::Declared),
        ("label", "", Space::Declared),
    ],
    member_after: &["::", "."],
    member: ("scoped_identifier", "path", "name"),
    receivers: &[
        ("field_expression", "value"),
        ("call_expression", "function"),
        ("generic_function", "function"),
        ("scoped_identifier", "path"),
        ("scoped_type_identifier", "path"),
        ("generic_type", "type"),
        ("try_expression", ""),
        ("await_expression", ""),
        ("index_expression", ""),
        ("reference_expression", "value"),
        ("macro_invocation", "macro"),
    ],
    ..Words::NONE
};

const SCOPES: Scopes = Scopes {
    pattern_skips: &[
        ("", "type"),
        ("", "path"),
        ("scoped_identifier", ""),
        ("field_identifier", ""),
    ],
    constants_in: &["match_arm", "let_condition"],
    kinds: &[
        "source_file",
        "mod_item",
        "function_item",
        "closure_expression",
        "block",
        "match_arm",
        "for_expression",
        "if_expression",
        "while_expression",
        "impl_item",
        "trait_item",
        "struct_item",
        "enum_item",
    ],
    bindings: &[
        bind("struct_item", "name", Space::Type),
        bind("enum_item", "name", Space::Type),
        bind("union_item", "name", Space::Type),
        bind("trait_item", "name", Space::Type),
        bind("type_item", "name", Space::Type),
        bind("mod_item", "name", Space::Type),
        bind("type_parameter", "name", Space::Type),
        bind("function_item", "name", Space::Value),
        bind("const_item", "name", Space::Value),
        bind("static_item", "name", Space::Value),
        apart("parameter", "pattern", Reach::Scope),
        apart("let_declaration", "pattern", Reach::Onwards),
        apart("let_condition", "pattern", Reach::Onwards),
        apart("closure_parameters", "", Reach::Scope),
        apart("for_expression", "pattern", Reach::Inside),
        apart("match_arm", "pattern", Reach::Inside),
    ],
    member_scopes: &["impl_item", "trait_item"],
    inner_modules: &["mod_item"],
    ..Scopes::NONE
};

const IMPORTS: Imports = Imports {
    kinds: &["use_declaration"],
    preamble: &[("inner_attribute_item", ""), ("shebang", ""), ("extern_crate_declaration", "")],
    read_import,
    write_import,
    write_list: |module, items, _| Some(format!("use {module}::{{{}}};", items.join(", "))),
    imports_member: |_, _| false,
    ..Imports::NONE
};

const EXPORTS: Exports =
    Exports { passing: &["pub use", ") use"], exports_all: true, ..Exports::NONE };

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
        &["field_initializer", "shorthand_field_initializer"],
    ),
    context("member", "struct Zq { ", " }", &["field_declaration"]),
    context("parameter", "fn zq(", ") { }", &["parameter", "self_parameter"]),
    context("clause", "fn zq() { match zq { ", " } }", &["match_arm"]),
    context("clause", "fn zq() { match zq { ", " => {} } }", &["match_pattern"]),
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
) -> Declaration {
    Declaration { kind, free_kinds, free_fields, body, name, modifiers: "" }
}

const DECLARATIONS: &[Declaration] = &[
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

const fn bind(kind: &'static str, field: &'static str, space: Space) -> Binding {
    Binding { kind, field, child: "", space, reach: Reach::Scope, deep: false }
}

/// What is declared by taking a value apart.
const fn apart(kind: &'static str, field: &'static str, reach: Reach) -> Binding {
    Binding { kind, field, child: "", space: Space::Value, reach, deep: true }
}

const fn adds(kind: &'static str, name: &'static str, supers: &'static [&'static str]) -> TypeRule {
    TypeRule { kind, name, supers, alias: "", extends: true, anonymous: false }
}

const DECLARES: Declares = Declares {
    type_keywords: &["struct", "enum", "trait", "impl", "type", "union"],
    declared: &[
        declares("struct_item", "name", &[]),
        declares("enum_item", "name", &[]),
        declares("union_item", "name", &[]),
        declares("enum_variant", "name", &[]),
        declares("trait_item", "name", &["bounds"]),
        TypeRule { kind: "type_item", name: "name", alias: "type", ..TypeRule::NONE },
        adds("impl_item", "type", &["trait"]),
    ],
    members: &[
        ("field_declaration", "name", Space::Value),
        ("enum_variant", "name", Space::Value),
        ("function_signature_item", "name", Space::Callable),
        ("associated_type", "name", Space::Type),
    ],
    numbered: ("ordered_field_declaration_list", "type"),
    fields: &["type", "return_type"],
    values: &[("let_declaration", "value")],
    shorthands: &["shorthand_field_identifier", "shorthand_field_initializer"],
    keys: &[
        KeyRule {
            pair: "field_initializer",
            key: "field",
            around: "struct_expression",
            owner: "name",
        },
        KeyRule {
            pair: "shorthand_field_initializer",
            around: "struct_expression",
            owner: "name",
            ..KeyRule::NONE
        },
        KeyRule { pair: "field_pattern", key: "name", around: "struct_pattern", owner: "type" },
    ],
    hints: Hints {
        made: &[("struct_expression", "name"), ("type_cast_expression", "type")],
        call: ("call_expression", "function"),
        made_below: true,
        wraps: &[
            "generic_type",
            "generic_function",
            "reference_type",
            "dynamic_type",
            "abstract_type",
            "bounded_type",
            "trait_bounds",
        ],
        skipped: &["type_arguments", "lifetime", "mutable_specifier"],
        through: &["Box", "Arc", "Rc", "Pin"],
        inferred: &["_"],
        own: &["self", "Self"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

/// The crate of a file: the folder of its manifest, and the name in it.
fn crate_of<'p>(path: &'p RelPath, files: &dyn Files) -> Option<(String, &'p str)> {
    let mut folder = path.folder();
    loop {
        let manifest =
            if folder.is_empty() { "Cargo.toml".into() } else { format!("{folder}/Cargo.toml") };
        if let Some(text) = RelPath::new(&manifest)
            .ok()
            .filter(|_| files.exists(&manifest))
            .and_then(|m| files.text(&m))
            && let Some(name) = crate_name(&text)
        {
            return Some((name, folder));
        }
        if folder.is_empty() {
            return None;
        }
        folder = folder.rsplit_once('/').map_or("", |f| f.0);
    }
}

/// The name of the library that a manifest describes.
fn crate_name(manifest: &str) -> Option<String> {
    let named = |section: &str| {
        let mut inside = false;
        manifest.lines().find_map(|line| {
            let line = line.trim();
            if line.starts_with('[') {
                inside = line == section;
            }
            let value =
                line.strip_prefix("name").filter(|_| inside)?.trim_start().strip_prefix('=')?;
            value.trim().split(['"', '\'']).nth(1).map(|n| n.replace('-', "_"))
        })
    };
    let package = named("[package]")?;
    Some(named("[lib]").unwrap_or(package))
}

/// The path of a file's module. Programs, tests and examples are crates of their own, named after their file.
fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let (name, folder) = crate_of(path, files).unwrap_or_else(|| ("crate".into(), ""));
    let below = path.as_str().strip_prefix(folder).unwrap_or(path.as_str()).trim_start_matches('/');
    let below = below.strip_suffix(".rs").unwrap_or(below);
    let mut parts: Vec<&str> = below.split('/').collect();
    let mut out = vec![name];
    match parts.first() {
        Some(&"src") => {
            parts.remove(0);
        }
        Some(&("tests" | "benches" | "examples")) => {
            let alone = parts.len() > 1;
            out = vec![parts[..=usize::from(alone)].join("_")];
            parts.drain(..=usize::from(alone));
        }
        _ => {}
    }
    if parts.last().is_some_and(|l| matches!(*l, "mod" | "lib" | "main")) {
        parts.pop();
    }
    out.extend(parts.into_iter().map(str::to_owned));
    out.join("::")
}

/// `crate`, `self`, `super`, and modules that lie below the file's own.
fn absolute(
    written: &[&str],
    module: &str,
    path: &RelPath,
    files: &dyn Files,
) -> Option<Vec<String>> {
    let own: Vec<&str> = module.split("::").collect();
    let ups = written.iter().take_while(|w| **w == "super").count();
    let (head, rest) = match *written.first()? {
        "crate" => (&own[..1], &written[1..]),
        "self" => (&own[..], &written[1..]),
        "super" => (&own[..own.len().checked_sub(ups)?.max(1)], &written[ups..]),
        first => {
            // A module below lies beside the file of a root, or in a folder of the file's name.
            let root = matches!(path.name(), "mod.rs" | "lib.rs" | "main.rs");
            let beside = path.as_str().strip_suffix(".rs").unwrap_or(path.as_str());
            let folder = if root { path.folder() } else { beside };
            let lead = if folder.is_empty() { String::new() } else { format!("{folder}/") };
            let known = files.exists(&format!("{lead}{first}.rs"))
                || files.exists(&format!("{lead}{first}/mod.rs"));
            known.then_some((&own[..], written))?
        }
    };
    Some(head.iter().chain(rest).map(|s| (*s).to_owned()).collect())
}

fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let (name, below) = module.split_once("::").unwrap_or((module, ""));
    let manifests = files.named("Cargo.toml");
    let manifest = manifests
        .iter()
        .find(|m| files.text(m).and_then(|t| crate_name(&t)).is_some_and(|n| n == name))?;
    let folder = manifest.folder();
    let src = if folder.is_empty() { "src".into() } else { format!("{folder}/src") };
    let path = below.replace("::", "/");
    let found = if path.is_empty() {
        vec![format!("{src}/lib.rs"), format!("{src}/main.rs")]
    } else {
        vec![format!("{src}/{path}.rs"), format!("{src}/{path}/mod.rs")]
    };
    let known = found.into_iter().find(|p| files.exists(p));
    known.and_then(|p| RelPath::new(&p).ok())
}

/// The root of a library is called as its package is.
fn called(path: &RelPath, files: &dyn Files) -> Vec<String> {
    let root = path.name() == "lib.rs";
    root.then(|| module_of(path, files)).into_iter().collect()
}

const NAMES: Names = Names {
    paths_apart: true,
    separator: "::",
    full_names: true,
    members_need_receiver: true,
    package_of: crate::shared::lower_head,
    reserved: &[
        "as", "break", "const", "continue", "else", "enum", "extern", "fn", "for", "if", "impl",
        "in", "let", "loop", "match", "mod", "move", "mut", "pub", "ref", "return", "static",
        "struct", "trait", "type", "unsafe", "use", "where", "while",
    ],
    implicit: &["std"],
    builtin: &[
        "Box",
        "Clone",
        "Copy",
        "Debug",
        "Default",
        "Drop",
        "Eq",
        "Err",
        "From",
        "Into",
        "Iterator",
        "None",
        "Ok",
        "Option",
        "Ord",
        "PartialEq",
        "PartialOrd",
        "Result",
        "Self",
        "Send",
        "Some",
        "String",
        "Sync",
        "ToString",
        "Vec",
        "assert",
        "assert_eq",
        "assert_ne",
        "cfg",
        "crate",
        "dbg",
        "debug_assert",
        "derive",
        "eprintln",
        "format",
        "matches",
        "panic",
        "print",
        "println",
        "self",
        "super",
        "test",
        "todo",
        "unimplemented",
        "unreachable",
        "vec",
        "write",
        "writeln",
    ],
    ..Names::NONE
};

/// `use a::{b as c, d::*, self};`
fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    if let Some(argument) = node.child_by_field_name("argument") {
        tree(node, argument, text, &[], None, &mut out);
    }
    out
}

/// One branch of a `use`, below the segments before it.
fn tree(
    statement: Node<'_>,
    node: Node<'_>,
    text: &str,
    head: &[(String, Span)],
    group: Option<Span>,
    out: &mut Vec<Import>,
) {
    let below = |path: Option<Node<'_>>| {
        let mut segments = head.to_vec();
        if let Some(path) = path {
            words_in(path, text, &mut segments);
        }
        segments
    };
    let listed = |import: Import| match group {
        Some(group) => import.listed(span(node), Some(group), head.len(), true),
        None => import,
    };
    match node.kind() {
        "scoped_use_list" | "use_list" => {
            let list = if node.kind() == "use_list" {
                Some(node)
            } else {
                node.child_by_field_name("list")
            };
            let segments = below(node.child_by_field_name("path"));
            // A group within a group is one item of the outer one.
            let Some(list) = list else { return };
            for item in children(list).into_iter().filter(|c| c.is_named() && !c.is_extra()) {
                tree(statement, item, text, &segments, Some(span(list)), out);
            }
        }
        "use_wildcard" => {
            out.push(listed(NAMES.import(statement, below(node.named_child(0))).all()));
        }
        "use_as_clause" => {
            let Some(alias) = node.child_by_field_name("alias") else { return };
            let import = NAMES.import(statement, below(node.child_by_field_name("path")));
            out.push(listed(import.known_as(span(alias).of(text))));
        }
        "self" => {
            let mut import = NAMES.import(statement, head.to_vec());
            import.implied = true;
            out.push(match group {
                Some(group) => import.listed(span(node), Some(group), head.len(), false),
                None => import,
            });
        }
        _ => {
            let segments = below(Some(node));
            if !segments.is_empty() {
                out.push(listed(NAMES.import(statement, segments)));
            }
        }
    }
}

fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let alias = name.alias.as_ref().map_or(String::new(), |a| format!(" as {a}"));
    let all = if name.wildcard { "::*" } else { "" };
    format!("use {}{all}{alias};", name.path)
}
