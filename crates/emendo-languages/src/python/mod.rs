//! Python.

mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    Binding, Compare, Context, Declaration, Declares, Exports, Flow, Fragments, Grammar, Hints,
    Imports, KeyRule, Keyed, Language, Modules, Names, Placeholder, Reach, Scopes, Space, TypeRule,
    Words, Writing, context, declares,
};
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Files, Import, ImportName};
use emendo_text::{RelPath, Span};
use tree_sitter::Node;

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
        Placeholder { before: "", after: "", capital: false },
        Placeholder { before: "@", after: "", capital: false },
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
        Keyed { list: "argument_list", pair: "keyword_argument", key: "name", shorthand: "" },
        Keyed { list: "dictionary", pair: "pair", key: "key", shorthand: "" },
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
    ],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
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
    property: ("", "@property"),
    ..Writing::NONE
};

const FLOW: Flow = Flow {
    waits: &["await"],
    nested: &["function_definition", "lambda", "class_definition"],
    effects: &["call", "await", "yield", "named_expression", "assignment", "augmented_assignment"],
};

const WORDS: Words = Words {
    kinds: &[("identifier", Space::Value)],
    paths: &["attribute", "dotted_name"],
    positions: &[
        ("attribute", "attribute", Space::Member),
        ("function_definition", "name", Space::Declared),
        ("class_definition", "name", Space::Declared),
        ("keyword_argument", "name", Space::Declared),
        ("parameters", "", Space::Declared),
        ("lambda_parameters", "", Space::Declared),
        ("default_parameter", "name", Space::Declared),
        ("typed_default_parameter", "name", Space::Declared),
        ("typed_parameter", "", Space::Declared),
        ("assignment", "left", Space::Declared),
        ("named_expression", "name", Space::Declared),
        ("for_statement", "left", Space::Declared),
        ("for_in_clause", "left", Space::Declared),
        ("as_pattern_target", "", Space::Declared),
        ("pattern_list", "", Space::Declared),
        ("tuple_pattern", "", Space::Declared),
        ("list_pattern", "", Space::Declared),
        ("list_splat_pattern", "", Space::Declared),
        ("dictionary_splat_pattern", "", Space::Declared),
        ("global_statement", "", Space::Declared),
        ("nonlocal_statement", "", Space::Declared),
    ],
    member_after: &["."],
    member: ("attribute", "object", "attribute"),
    receivers: &[
        ("attribute", "object"),
        ("call", "function"),
        ("subscript", "value"),
        ("await", ""),
        ("type", ""),
        ("generic_type", ""),
    ],
    quoted_types: Some(("type", "# type:")),
    ..Words::NONE
};

const SCOPES: Scopes = Scopes {
    sealed: &[
        "argument_list",
        "string",
        "concatenated_string",
        "comparison_operator",
        "binary_operator",
        "boolean_operator",
        "subscript",
        "dictionary",
        "list",
        "list_comprehension",
        "dictionary_comprehension",
        "set_comprehension",
        "generator_expression",
    ],
    pattern_skips: &[
        ("attribute", ""),
        ("subscript", ""),
        ("call", ""),
        ("", "value"),
        ("", "type"),
    ],
    kinds: &[
        "module",
        "function_definition",
        "class_definition",
        "lambda",
        "list_comprehension",
        "set_comprehension",
        "dictionary_comprehension",
        "generator_expression",
    ],
    bindings: &[
        bind("class_definition", "name", Space::Type),
        bind("function_definition", "name", Space::Value),
        apart("parameters", "", ""),
        apart("lambda_parameters", "", ""),
        apart("assignment", "left", ""),
        apart("named_expression", "name", ""),
        apart("for_statement", "left", ""),
        apart("for_in_clause", "left", ""),
        apart("as_pattern_target", "", ""),
    ],
    member_scopes: &["class_definition"],
    ..Scopes::NONE
};

const IMPORTS: Imports = Imports {
    kinds: &["import_statement", "import_from_statement", "future_import_statement"],
    preamble: &[("expression_statement", "string"), ("future_import_statement", "")],
    read_import,
    write_import,
    write_list: |module, items, _| Some(format!("from {module} import {}", items.join(", "))),
    imports_member: |_, _| false,
    ..Imports::NONE
};

const EXPORTS: Exports =
    Exports { passing: &["import"], exports_all: true, export_list: "__all__", ..Exports::NONE };

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
    context("argument", "zq(", ")\n", &["keyword_argument"]),
    context("pair", "zq = {", "}\n", &["pair"]),
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

const DECLARATIONS: &[Declaration] = &[
    Declaration {
        kind: "function_definition",
        free_kinds: &["async", "->"],
        free_fields: &["return_type", "type_parameters"],
        body: "body",
        name: "name",
        ..Declaration::NONE
    },
    Declaration {
        kind: "class_definition",
        free_fields: &["superclasses", "type_parameters"],
        body: "body",
        name: "name",
        ..Declaration::NONE
    },
    Declaration { kind: "decorated_definition", free_kinds: &["decorator"], ..Declaration::NONE },
];

const fn bind(kind: &'static str, field: &'static str, space: Space) -> Binding {
    Binding { kind, field, child: "", space, reach: Reach::Scope, deep: false }
}

/// What is declared by taking a value apart.
const fn apart(kind: &'static str, field: &'static str, child: &'static str) -> Binding {
    Binding { kind, field, child, space: Space::Value, reach: Reach::Scope, deep: true }
}

const DECLARES: Declares = Declares {
    type_keywords: &["class"],
    declared: &[
        declares("class_definition", "name", &["superclasses"]),
        TypeRule { kind: "type_alias_statement", name: "left", alias: "right", ..TypeRule::NONE },
    ],
    assigned: ("assignment", "left", "right"),
    fields: &["type", "return_type"],
    values: &[("assignment", "right"), ("named_expression", "value")],
    keys: &[KeyRule { pair: "keyword_argument", key: "name", around: "call", owner: "function" }],
    hints: Hints {
        call: ("call", "function"),
        wraps: &[
            "type",
            "generic_type",
            "subscript",
            "binary_operator",
            "argument_list",
            "typed_parameter",
        ],
        skipped: &["type_parameter", "none", "keyword_argument"],
        nothing: &["None"],
        through: &["Optional", "Final", "ClassVar", "Annotated"],
        own: &["self", "cls"],
        base: &["super()"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

/// The dotted name of a file, from the outermost folder that is a package; `src` and the like are none.
fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let stem = path.as_str().trim_end_matches("/__init__.py");
    let stem =
        stem.rsplit_once('.').filter(|(_, e)| matches!(*e, "py" | "pyi")).map_or(stem, |s| s.0);
    let parts: Vec<&str> = stem.split('/').collect();
    let is_package = |n: usize| files.exists(&format!("{}/__init__.py", parts[..n].join("/")));
    let folders =
        if path.as_str().ends_with("/__init__.py") { parts.len() } else { parts.len() - 1 };
    let mut from = folders;
    while from > 0 && is_package(from) {
        from -= 1;
    }
    if from == folders && folders > 0 {
        // No package file: all folders count, but for those that only hold sources.
        from = usize::from(SOURCE_FOLDERS.contains(&parts[0]));
    }
    parts[from..].join(".")
}

/// Folders that hold sources and are no package.
const SOURCE_FOLDERS: &[&str] = &["src", "lib", "python"];

/// Leading dots stand for the package of the file, and those around it.
fn absolute(
    written: &[&str],
    module: &str,
    path: &RelPath,
    files: &dyn Files,
) -> Option<Vec<String>> {
    let first = *written.first()?;
    if !first.starts_with('.') {
        let file = module_file(&written.join("."), files)
            .or_else(|| module_file(&written[..written.len() - 1].join("."), files))?;
        // The same file may be reached by a longer or a shorter path.
        let known = module_of(&file, files);
        let own: Vec<&str> = known.split('.').collect();
        let whole = own.last() == written.last();
        let rest = if whole { &[][..] } else { &written[written.len() - 1..] };
        return Some(own.iter().chain(rest).map(|s| (*s).to_owned()).collect());
    }
    let mut own: Vec<&str> = module.split('.').collect();
    let ups = first.len() - usize::from(path.as_str().ends_with("__init__.py"));
    own.truncate(own.len().checked_sub(ups)?);
    let whole: Vec<String> = own.iter().chain(&written[1..]).map(|s| (*s).to_owned()).collect();
    // Only the project itself can be named this way.
    let known = (1..=whole.len()).any(|n| module_file(&whole[..n].join("."), files).is_some());
    known.then_some(whole)
}

fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let path = module.replace('.', "/");
    let found = SOURCE_FOLDERS.iter().map(|f| format!("{f}/")).chain([String::new()]);
    let found = found.flat_map(|f| {
        [format!("{f}{path}.py"), format!("{f}{path}/__init__.py"), format!("{f}{path}.pyi")]
    });
    let known = found.into_iter().find(|p| !module.is_empty() && files.exists(p));
    known.and_then(|p| RelPath::new(&p).ok())
}

const NAMES: Names = Names {
    leading_dots: true,
    separator: ".",
    members_need_receiver: true,
    package_of: crate::shared::lower_head,
    reserved: &[
        "and", "as", "assert", "async", "await", "break", "class", "continue", "def", "del",
        "elif", "else", "except", "finally", "for", "from", "global", "if", "import", "in", "is",
        "lambda", "nonlocal", "not", "or", "pass", "raise", "return", "try", "while", "with",
        "yield",
    ],
    implicit: &["builtins"],
    builtin: &[
        "Exception",
        "False",
        "KeyError",
        "None",
        "OSError",
        "RuntimeError",
        "True",
        "TypeError",
        "ValueError",
        "abs",
        "all",
        "any",
        "bool",
        "bytes",
        "callable",
        "classmethod",
        "dict",
        "dir",
        "enumerate",
        "filter",
        "float",
        "format",
        "frozenset",
        "getattr",
        "hasattr",
        "hash",
        "id",
        "input",
        "int",
        "isinstance",
        "issubclass",
        "iter",
        "len",
        "list",
        "map",
        "max",
        "min",
        "next",
        "object",
        "open",
        "ord",
        "pow",
        "print",
        "property",
        "range",
        "repr",
        "reversed",
        "round",
        "self",
        "set",
        "setattr",
        "slice",
        "sorted",
        "staticmethod",
        "str",
        "sum",
        "super",
        "tuple",
        "type",
        "vars",
        "zip",
    ],
    ..Names::NONE
};

/// `import a.b as c, d` and `from a.b import (c as d, e)`.
fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    let mut cursor = node.walk();
    let names: Vec<Node<'_>> = node.children_by_field_name("name", &mut cursor).collect();
    let from = node.child_by_field_name("module_name");
    let mut module: Vec<(String, Span)> = Vec::new();
    if node.kind() == "future_import_statement" {
        return out;
    }
    if let Some(from) = from {
        if from.kind() == "relative_import" {
            let dots = from.named_child(0).map_or(span(from), span);
            module.push((dots.of(text).trim().to_owned(), dots));
            if let Some(name) = from.named_child(1) {
                words_in(name, text, &mut module);
            }
        } else {
            words_in(from, text, &mut module);
        }
        if children(node).iter().any(|c| c.kind() == "wildcard_import") {
            out.push(NAMES.import(node, module).all());
            return out;
        }
    }
    for item in names {
        let (name, alias) = match item.kind() {
            "aliased_import" => {
                (item.child_by_field_name("name"), item.child_by_field_name("alias"))
            }
            _ => (Some(item), None),
        };
        let Some(name) = name else { continue };
        let shared = module.len();
        let mut segments = module.clone();
        words_in(name, text, &mut segments);
        if segments.is_empty() {
            continue;
        }
        let first = segments[0].0.clone();
        let several = segments.len() > 1;
        let mut import = NAMES.import(node, segments);
        // `import a.b` makes `a` known, with `a.b` below it.
        if from.is_none() && several && alias.is_none() {
            import = import.known_as(&first);
            import.binds_root = true;
        }
        if let Some(alias) = alias {
            import = import.known_as(span(alias).of(text));
        }
        out.push(import.listed(span(item), None, shared, from.is_some()));
    }
    out
}

fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let alias = name.alias.as_ref().map_or(String::new(), |a| format!(" as {a}"));
    if name.wildcard {
        return format!("from {} import *", name.path);
    }
    if name.whole {
        return format!("import {}{alias}", name.path);
    }
    let segments = NAMES.segments(&name.path);
    match segments.split_last() {
        Some((last, module)) if !module.is_empty() => {
            format!("from {} import {last}{alias}", NAMES.join(module))
        }
        _ => format!("import {}{alias}", name.path),
    }
}
