//! A language is its file: a toy one, a few lines of facts over a grammar that is there, is parsed, matched and written
//! without another line anywhere.

use std::collections::BTreeMap;

use emendo_lang::language::Space;
use emendo_lang::{FileFacts, NoProject, Resolver, Tree};
use emendo_pattern::{Pattern, Replacement};
use emendo_text::{Piece, PieceMap, Placed, render};
use testkit::REED;

const SOURCE: &str = "import tide\nimport rail\n\nfirst = tide.open(\n    port,  # of the mole\n    7070,\n)\nsecond = rail.open(port, 1)\ntide = other\n";

fn rewritten(source: &str, old: &str, new: &str) -> String {
    let names = BTreeMap::from([("tide".to_owned(), "tide".to_owned())]);
    let old = Pattern::compile(&REED, old, &names, None).expect("old compiles");
    let new = Replacement::compile(&old, new, &names, &[]).expect("new compiles");
    let tree = Tree::parse(&REED, source);
    let facts = FileFacts::read(&REED, &tree, source);
    let resolver = Resolver::new(&REED, &facts, &NoProject, &tree, source);
    let mut placed: Vec<Placed<'_>> = Vec::new();
    let matches = old.matches(&tree, source, &resolver);
    let write = |m| new.write(&old, m, &tree, source, "\n", &resolver).expect("is written");
    let written: Vec<_> = matches.iter().map(write).collect();
    for (i, (m, w)) in matches.iter().zip(&written).enumerate() {
        let by = i as u32;
        placed.extend(w.splices.iter().map(|s| Placed {
            inner: s.inner,
            by,
            span: s.span,
            hull: m.span,
            parts: &s.parts,
        }));
    }
    render(source, &PieceMap::new(Piece::whole(source)), &mut placed).text
}

#[test]
fn a_toy_language_is_parsed_matched_and_written() {
    assert!(!Tree::parse(&REED, REED.grammar.sample).has_error());
    let out = rewritten(SOURCE, "tide.open(@{host}, @{port})", "tide.moor(@{port}, @{host})");
    assert_ne!(out, SOURCE);
    assert!(out.contains("tide.moor("), "{out}");
    assert!(out.contains("rail.open(port, 1)"), "another module's stays: {out}");
    assert!(out.contains("# of the mole"), "comments stay: {out}");
}

#[test]
fn names_of_a_toy_language_mean_what_is_imported() {
    let tree = Tree::parse(&REED, SOURCE);
    let facts = FileFacts::read(&REED, &tree, SOURCE);
    let resolver = Resolver::new(&REED, &facts, &NoProject, &tree, SOURCE);
    let at = SOURCE.find("rail.open").expect("there") as u32;
    assert!(resolver.means(&["rail"], Space::Value, at, "rail").is_some());
    assert!(resolver.means(&["port"], Space::Value, at, "rail").is_none());
    assert_eq!(facts.imports.len(), 2);
}
