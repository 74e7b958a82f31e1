//! Imports in PHP: reading and writing their statements.

use emendo_lang::language::{Exports, Imports, Space};
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Import, ImportName};
use emendo_text::Span;

use crate::php::names::NAMES;

pub(crate) const IMPORTS: Imports = Imports {
    package_keyword: "namespace",
    packages: &["namespace_definition"],
    kinds: &["namespace_use_declaration"],
    preamble: &[("php_tag", ""), ("declare_statement", "")],
    read_import,
    write_import,
    write_list: |_, _, _| None,
    paths_in_lists: true,
    types_first: true,
    imports_member: |_, space| space == Space::Callable,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports =
    Exports { shown: |head, _, _| !crate::shared::says(head, "private"), ..Exports::NONE };

/// `use A\B as C, D;`, `use function A\b;`, `use A\{B, C as D, function e};`
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let parts = children(node);
    let of_functions = |n: Node<'_>| n.child_by_field_name("type").is_some();
    let all_functions = of_functions(node);
    let group = parts.iter().find(|c| c.kind() == "namespace_use_group");
    let mut head: Vec<(String, Span)> = Vec::new();
    if group.is_some()
        && let Some(name) = parts.iter().find(|c| c.kind() == "namespace_name")
    {
        words_in(*name, text, &mut head);
    }
    let holder = group.map_or(parts.clone(), |g| children(*g));
    let clauses: Vec<Node<'_>> =
        holder.into_iter().filter(|c| c.kind() == "namespace_use_clause").collect();
    let alone = clauses.len() == 1 && group.is_none();
    let mut out = Vec::new();
    for clause in clauses {
        let alias = clause.child_by_field_name("alias");
        let path = children(clause).into_iter().find(|c| {
            matches!(c.kind(), "name" | "qualified_name") && Some(c.id()) != alias.map(|a| a.id())
        });
        let shared = head.len();
        let mut segments = head.clone();
        if let Some(path) = path {
            words_in(path, text, &mut segments);
        }
        if segments.len() <= shared {
            continue;
        }
        let mut import = NAMES.import(node, segments);
        if let Some(alias) = alias {
            import = import.known_as(span(alias).of(text));
        }
        import.is_static = all_functions || of_functions(clause);
        if !alone {
            // In a list of types a function says itself that it is one.
            let open = group.is_some() && (all_functions || !import.is_static);
            import = import.listed(span(clause), group.map(|g| span(*g)), shared, open);
        }
        out.push(import);
    }
    out
}

pub(crate) fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let last = NAMES.last(&name.path);
    let constant = !last.contains(char::is_lowercase);
    let kind = match name.is_static {
        true if constant => "const ",
        true => "function ",
        false => "",
    };
    let alias = name.alias.as_ref().map_or(String::new(), |a| format!(" as {a}"));
    format!("use {kind}{}{alias};", name.path)
}
