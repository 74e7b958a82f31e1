//! Imports and exports in Python: reading and writing their statements.

use emendo_lang::language::{Exports, Imports};
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Import, ImportName};
use emendo_text::Span;

use crate::python::modules;
use crate::python::names::NAMES;

pub(crate) const IMPORTS: Imports = Imports {
    kinds: &["import_statement", "import_from_statement", "future_import_statement"],
    preamble: &[("expression_statement", "string"), ("future_import_statement", "")],
    read_import,
    write_import,
    write_list: |module, items, _| Some(format!("from {module} import {}", items.join(", "))),
    group: |root| u8::from(root.starts_with('.')),
    imports_member: |_, _| false,
    roots: true,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports = Exports {
    passing: &["import"],
    exports_all: true,
    export_list: "__all__",
    published: |path, files| modules::published(path, files),
    shown: |_, name, _| !name.starts_with('_') || name.ends_with("__"),
    ..Exports::NONE
};

/// `import a.b as c, d` and `from a.b import (c as d, e)`.
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
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

pub(crate) fn write_import(name: &ImportName, _: Option<&str>) -> String {
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
