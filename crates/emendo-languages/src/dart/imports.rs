//! Imports and exports in Dart: reading and writing their statements.

use emendo_lang::language::{Exports, Imports};
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, span};
use emendo_lang::{Import, ImportName};
use emendo_text::Span;

use crate::dart::modules;
use crate::dart::names::NAMES;

pub(crate) const IMPORTS: Imports = Imports {
    kinds: &["import_specification", "library_export"],
    preamble: &[("library_name", ""), ("script_tag", "")],
    read_import,
    write_import,
    write_list,
    group: |module| match module {
        m if m.starts_with("dart:") => 0,
        m if m.starts_with("package:") => 1,
        _ => 2,
    },
    names_modules: true,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports = Exports {
    passing: &["export ", "part '", "part \""],
    published: |path, files| modules::published(path, files),
    shown: |_, name, _| !name.starts_with('_'),
    ..Exports::NONE
};

/// The module that a statement names, and where it stands between the quotes.
pub(crate) fn module(node: Node<'_>, text: &str) -> Option<(String, Span)> {
    let mut inner = node.child_by_field_name("uri")?;
    while let Some(first) = inner.named_child(0) {
        if first.kind().starts_with("template_chars") {
            return Some((span(first).of(text).to_owned(), span(first)));
        }
        inner = first;
    }
    None
}

fn words(node: Node<'_>) -> impl Iterator<Item = Node<'_>> {
    children(node).into_iter().filter(|c| c.kind() == "identifier")
}

/// `import 'm' as n show a, b hide c;` and `export 'm' show a;`
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let Some(module) = module(node, text) else { return Vec::new() };
    let says = |n: &Node<'_>, word: &str| children(*n).iter().any(|c| c.kind() == word);
    let alias = node.child_by_field_name("alias");
    let combinators: Vec<Node<'_>> =
        children(node).into_iter().filter(|c| c.kind() == "combinator").collect();
    let mut shown: Vec<Node<'_>> = Vec::new();
    let mut hidden = Vec::new();
    for c in &combinators {
        match says(c, "show") {
            true => shown.extend(words(*c)),
            false => hidden.extend(words(*c).map(|w| span(w).of(text).to_owned())),
        }
    }
    let mut out = Vec::new();
    if let Some(alias) = alias {
        let import = NAMES.import(node, vec![module.clone()]);
        out.push(import.known_as(span(alias).of(text)));
    } else if shown.is_empty() {
        let mut import = NAMES.import(node, vec![module.clone()]).all();
        import.hides = hidden;
        out.push(import);
    } else {
        let listed = combinators.iter().find(|c| says(c, "show")).map(|c| span(*c));
        for word in shown {
            let name = (span(word).of(text).to_owned(), span(word));
            let import = NAMES.import(node, vec![module.clone(), name]);
            out.push(import.listed(span(word), listed, 1, true));
        }
    }
    let passes_on = node.kind() == "library_export";
    out.iter_mut().for_each(|i| i.passes_on = passes_on);
    // What is shown behind a name for all of it is named all the same.
    let named = combinators.iter().filter(|c| alias.is_some() && says(c, "show"));
    for (word, list) in named.flat_map(|c| words(*c).map(|w| (w, span(*c)))) {
        let name = (span(word).of(text).to_owned(), span(word));
        let import = NAMES.import(node, vec![module.clone(), name]);
        let mut import = import.listed(span(word), Some(list), 1, false);
        (import.passes_on, import.restricts) = (true, true);
        out.push(import);
    }
    out
}

/// How an import like another one is written: its quotes, and whether it names what it takes.
fn manner(like: Option<&str>) -> (char, bool) {
    let like = like.unwrap_or_default();
    let quote = if like.contains('"') { '"' } else { '\'' };
    (quote, like.contains(" show "))
}

/// Several names of one module.
fn write_list(module: &str, items: &[String], like: Option<&str>) -> Option<String> {
    let (quote, shows) = manner(like);
    let plain = items.iter().all(|i| !i.contains(' '));
    let shown = if shows { format!(" show {}", items.join(", ")) } else { String::new() };
    plain.then(|| format!("import {quote}{module}{quote}{shown};"))
}

/// All of a module is imported, unless the file imports names by themselves.
pub(crate) fn write_import(name: &ImportName, like: Option<&str>) -> String {
    let (quote, shows) = manner(like);
    let segments = NAMES.segments(&name.path);
    let module = segments[0];
    let behind = match (&name.alias, segments.get(1)) {
        (Some(alias), _) if !name.passes_on => format!(" as {alias}"),
        (_, Some(item)) if shows || name.passes_on => format!(" show {item}"),
        _ => String::new(),
    };
    let word = if name.passes_on { "export" } else { "import" };
    format!("{word} {quote}{module}{quote}{behind};")
}
