//! Imports and exports in Swift: reading and writing their statements.

use emendo_lang::language::{Exports, Imports};
use emendo_lang::tree::{Node, children, span};
use emendo_lang::{Import, ImportName};
use emendo_text::Span;

use crate::shared::says;
use crate::swift::modules;
use crate::swift::names::NAMES;

pub(crate) const IMPORTS: Imports = Imports {
    kinds: &["import_declaration"],
    preamble: &[("directive", ""), ("shebang_line", "")],
    read_import,
    write_import,
    names_modules: true,
    own_names: true,
    of_project: modules::of_project,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports = Exports {
    passing: &["@_exported"],
    published: |path, files| modules::published(path, files),
    shown: |head, _, _| says(head, "public") || says(head, "open"),
    ..Exports::NONE
};

/// `import Oar`, `import struct Oar.Row`.
fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let parts = children(node);
    let Some(path) = parts.iter().rfind(|c| c.kind() == "identifier") else { return Vec::new() };
    let word = |n: &Node<'_>| (span(*n).of(text).to_owned(), span(*n));
    let segments: Vec<(String, Span)> =
        children(*path).iter().filter(|c| c.is_named()).map(word).collect();
    let Some(module) = segments.first().cloned() else { return Vec::new() };
    let one = segments.len() > 1 && parts.iter().any(|c| KINDS.contains(&c.kind()));
    let whole = NAMES.import(node, segments);
    let mut found = vec![if one { whole } else { whole.all() }];
    // The module's own name may stand before what it holds.
    found.push(NAMES.import(node, vec![module]));
    let passes_on = span(node).of(text).contains("@_exported");
    found.iter_mut().for_each(|i| i.passes_on = passes_on);
    found
}

/// What a single name is that is imported.
const KINDS: &[&str] = &["class", "struct", "enum", "protocol", "func", "var", "let", "typealias"];

/// All of a module is imported.
fn write_import(name: &ImportName, _: Option<&str>) -> String {
    format!("import {}", NAMES.segments(&name.path)[0])
}
