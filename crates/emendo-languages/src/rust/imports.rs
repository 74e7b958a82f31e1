//! Imports and exports in Rust: reading and writing their statements.

use emendo_lang::language::{Exports, Imports};
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Import, ImportName};
use emendo_text::Span;

use crate::rust::modules;
use crate::rust::names::NAMES;
use crate::shared::says;

pub(crate) const IMPORTS: Imports = Imports {
    kinds: &["use_declaration"],
    preamble: &[
        ("inner_attribute_item", ""),
        ("shebang", ""),
        ("extern_crate_declaration", ""),
        ("line_comment", "inner_doc_comment_marker"),
        ("block_comment", "inner_doc_comment_marker"),
    ],
    read_import,
    write_import,
    write_list: |module, items, _| Some(format!("use {module}::{{{}}};", items.join(", "))),
    paths_in_lists: true,
    group: |root| match root {
        "std" | "core" | "alloc" => 0,
        "crate" | "self" | "super" => 2,
        _ => 1,
    },
    imports_member: |_, _| false,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports = Exports {
    passing: &["pub use", ") use"],
    exports_all: true,
    published: |path, files| modules::published(path, files),
    shown: |head, _, _| says(head, "pub") && !head.contains("pub("),
    ..Exports::NONE
};

/// `use a::{b as c, d::*, self};`
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    if let Some(argument) = node.child_by_field_name("argument") {
        tree(node, argument, text, &[], None, &mut out);
    }
    let shown = children(node).into_iter().find(|c| c.kind() == "visibility_modifier");
    if let Some(shown) = shown {
        out.iter_mut().for_each(|i| span(shown).of(text).clone_into(&mut i.shown));
    }
    out
}

/// One branch of a `use`, below the segments before it.
pub(crate) fn tree(
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

pub(crate) fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let alias = name.alias.as_ref().map_or(String::new(), |a| format!(" as {a}"));
    let all = if name.wildcard { "::*" } else { "" };
    let shown = if name.shown.is_empty() { String::new() } else { format!("{} ", name.shown) };
    format!("{shown}use {}{all}{alias};", name.path)
}
