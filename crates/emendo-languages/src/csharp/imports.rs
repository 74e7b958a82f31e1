//! Imports and exports in C#: reading and writing their statements.

use emendo_lang::language::{Exports, Imports, Space};
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, span, words_in};
use emendo_lang::{Import, ImportName};

use crate::csharp::names::NAMES;
use crate::csharp::projects;
use crate::csharp::projects::of_project;
use crate::shared::says;

pub(crate) const IMPORTS: Imports = Imports {
    package_keyword: "namespace",
    packages: &["namespace_declaration", "file_scoped_namespace_declaration"],
    kinds: &["using_directive"],
    preamble: &[("extern_alias_directive", ""), ("preproc_if", "")],
    read_import,
    write_import,
    write_list: |_, _, _| None,
    imports_member: |_, space| space == Space::Callable,
    of_project,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports = Exports {
    passing: &["global using"],
    published: |path, files| projects::published(path, files),
    shown: |head, _, _| says(head, "public") || says(head, "protected"),
    ..Exports::NONE
};

/// `using A.B;`, `using static A.C;`, `using X = A.D;`
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
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
pub(crate) fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let parent = name.path.rsplit_once('.').map_or(name.path.as_str(), |(p, _)| p);
    match (&name.alias, name.is_static, name.wildcard) {
        (Some(alias), ..) => format!("using {alias} = {};", name.path),
        (None, true, true) => format!("using static {};", name.path),
        (None, true, false) => format!("using static {parent};"),
        (None, false, true) => format!("using {};", name.path),
        (None, false, false) => format!("using {parent};"),
    }
}
