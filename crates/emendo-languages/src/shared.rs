//! What several language files share.

use emendo_lang::Files;
use emendo_lang::language::{Intro, Origin};
use emendo_text::RelPath;
use tree_sitter::Node;

/// A rule for a name with a declared type, or a value, or both.
pub(crate) const fn value(
    kind: &'static str,
    name: &'static str,
    ty: &'static str,
    value: &'static str,
) -> Intro {
    Intro { kind, name, ty, value, origin: Origin::Value }
}

/// A rule for a parameter.
pub(crate) const fn parameter(kind: &'static str, name: &'static str, ty: &'static str) -> Intro {
    Intro { kind, name, ty, value: "value", origin: Origin::Parameter }
}

/// A rule for a name that is a function.
pub(crate) const fn function(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "", value: "", origin: Origin::Function }
}

/// A rule for a name that is a type.
pub(crate) const fn declared_type(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "", value: "", origin: Origin::Type }
}

/// A rule for a name that stands for each element of a value.
pub(crate) const fn each(
    kind: &'static str,
    name: &'static str,
    ty: &'static str,
    value: &'static str,
) -> Intro {
    Intro { kind, name, ty, value, origin: Origin::Each }
}

/// The segments before the first that begins with a capital letter; without one, all but the last.
pub(crate) fn lower_head(segments: &[&str]) -> usize {
    let capital = segments.iter().position(|s| s.starts_with(char::is_uppercase));
    capital.unwrap_or(segments.len().saturating_sub(1).max(1))
}

/// The nearest file around a path that is called by one of these names, with its text.
pub(crate) fn nearest(
    path: &RelPath,
    names: &[&str],
    files: &dyn Files,
) -> Option<(RelPath, String)> {
    let mut folder = path.folder();
    loop {
        let lead = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        let found = names.iter().find_map(|name| {
            let at = format!("{lead}{name}");
            let at = RelPath::new(&at).ok().filter(|_| files.exists(&at))?;
            let text = files.text(&at)?;
            Some((at, text))
        });
        if found.is_some() || folder.is_empty() {
            return found;
        }
        folder = folder.rsplit_once('/').map_or("", |f| f.0);
    }
}

/// A path below a folder, its dots resolved.
pub(crate) fn below(folder: &str, path: &str) -> Option<String> {
    let mut parts: Vec<&str> = Vec::new();
    for part in folder.split('/').chain(path.split('/')) {
        match part {
            "." | "" => {}
            ".." => drop(parts.pop()?),
            name => parts.push(name),
        }
    }
    Some(parts.join("/"))
}

/// A path as seen from a folder: `../` for each folder up.
pub(crate) fn relative(folder: &str, target: &str) -> String {
    let parts = |p: &str| -> Vec<String> {
        p.split('/').filter(|s| !s.is_empty()).map(str::to_owned).collect()
    };
    let (from, to) = (parts(folder), parts(target));
    let same = from.iter().zip(&to).take_while(|(a, b)| a == b).count();
    format!("{}{}", "../".repeat(from.len() - same), to[same..].join("/"))
}

/// True if a word stands in the text before a name.
pub(crate) fn says(head: &str, word: &str) -> bool {
    head.split(|c: char| !(c.is_alphanumeric() || c == '_')).any(|w| w == word)
}

/// The first child of a kind.
pub(crate) fn child_of<'t>(node: Node<'t>, kind: &str) -> Option<Node<'t>> {
    let mut cursor = node.walk();
    node.children(&mut cursor).find(|c| c.kind() == kind)
}

/// Visits the nodes of a small source, the outer ones first.
pub(crate) fn walk<'t>(node: Node<'t>, visit: &mut impl FnMut(Node<'t>)) {
    visit(node);
    let mut cursor = node.walk();
    for child in node.children(&mut cursor) {
        walk(child, visit);
    }
}
