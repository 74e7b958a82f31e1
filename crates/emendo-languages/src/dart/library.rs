//! What the files of one library share in Dart: the imports of the first, and the names of all.

use std::sync::LazyLock;

use emendo_lang::language::{Grammar, Language};
use emendo_lang::tree::children;
use emendo_lang::{Files, Import, Tree, remembered};
use emendo_text::{RelPath, Span};

use crate::dart::imports::{module, read_import};
use crate::dart::modules::{absolute, has_parts, named, of_part};
use crate::dart::names::NAMES;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_dart::LANGUAGE.into());

/// The grammar alone: nothing else of the language is asked for here.
static BARE: Language = Language::new("dart", "Dart", Grammar::new(&[], || &GRAMMAR, ""));

/// What files of one library share: the imports of the first, and all that they declare.
pub(crate) fn of_library(path: &RelPath, files: &dyn Files) -> Vec<Import> {
    let part = of_part(path, files);
    let library = part.as_ref().unwrap_or(path);
    let read = || {
        let text = files.text(library).filter(|t| part.is_some() || has_parts(t));
        let Some(text) = text else { return Vec::new() };
        let library_name = named(library.as_str(), files);
        let segments = vec![(library_name.clone(), Span::at(0))];
        let mut own = Import::new(Span::at(0), segments, library_name).all();
        own.global = true;
        let mut out = vec![own];
        if part.is_some() {
            let imports = imports_of(&text);
            out.extend(imports.into_iter().map(|i| moved(i, library, files)));
        }
        out
    };
    (*remembered(files, &format!("dart library of {path}"), read)).clone()
}

/// The imports of a text.
fn imports_of(text: &str) -> Vec<Import> {
    let tree = Tree::parse(&BARE, text);
    let mut out = Vec::new();
    for statement in children(tree.root()) {
        let mut node = statement;
        while let Some(inner) = node.named_child(0).filter(|_| module(node, text).is_none()) {
            node = inner;
        }
        if node.kind() == "import_specification" {
            out.extend(read_import(node, text));
        }
    }
    out
}

/// An import as others see it that have none of their own.
fn moved(import: Import, library: &RelPath, files: &dyn Files) -> Import {
    let written: Vec<&str> = import.segments.iter().map(|s| s.0.as_str()).collect();
    let plain = || written.iter().map(|s| (*s).to_owned()).collect();
    let whole = absolute(&written, "", library, files).unwrap_or_else(plain);
    let path = NAMES.join(&whole);
    let segments = whole.into_iter().zip(import.segments.iter().map(|s| s.1)).collect();
    let mut out = Import::new(import.span, segments, path);
    if import.wildcard {
        out = out.all();
    } else if let Some(local) = import.local() {
        out = out.known_as(local);
    }
    out.global = true;
    out.hides = import.hides;
    out
}
