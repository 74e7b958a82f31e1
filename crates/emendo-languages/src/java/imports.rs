//! Imports and exports in Java: reading and writing their statements.

use emendo_lang::language::{Exports, Imports, Space};
use emendo_lang::tree::Node;
use emendo_lang::{Files, Import, ImportName};
use emendo_text::RelPath;

use crate::java::names::NAMES;
use crate::shared::{nearest, says};

pub(crate) const EXPORTS: Exports = Exports {
    published,
    shown: |head, _, _| says(head, "public") || says(head, "protected"),
    ..Exports::NONE
};

pub(crate) const IMPORTS: Imports = Imports {
    package_keyword: "package",
    packages: &["package_declaration"],
    kinds: &["import_declaration"],
    read_import,
    write_import,
    write_list: |_, _, _| None,
    imports_member,
    ..Imports::NONE
};

/// Members of a type are imported with `static`; types, nested ones too, are not.
pub(crate) fn imports_member(symbol: &str, space: Space) -> bool {
    let camel = |s: &str| {
        s.starts_with(char::is_uppercase)
            && (s.len() == 1 || s.contains(|c: char| c.is_lowercase()))
    };
    let mut parts = symbol.rsplit('.');
    let (last, parent) = (parts.next().unwrap_or(""), parts.next().unwrap_or(""));
    space != Space::Type && camel(parent) && !camel(last)
}

/// `import [static] a.b.C[.*];`
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
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

pub(crate) fn write_import(name: &ImportName, _: Option<&str>) -> String {
    let word = if name.is_static { "import static " } else { "import " };
    let end = if name.wildcard { ".*;" } else { ";" };
    format!("{word}{}{end}", name.path)
}

/// The module of a build that publishes it, by the folder of its build file.
fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let builds = ["pom.xml", "build.gradle", "build.gradle.kts"];
    let (at, text) = nearest(path, &builds, files)?;
    let says = ["<distributionManagement>", "maven-publish", "publishing {"];
    let publishes = says.iter().any(|s| text.contains(s));
    let folder = at.folder().rsplit('/').next().unwrap_or_default();
    let name = if folder.is_empty() { at.name() } else { folder };
    publishes.then(|| name.to_owned())
}
