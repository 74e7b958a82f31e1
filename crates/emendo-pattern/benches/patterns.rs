//! What a pattern costs: compiling it, looking for it in a large file, writing another over its places.
#![allow(missing_docs)]

use std::collections::BTreeMap;
use std::hint::black_box;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use emendo_lang::{FileFacts, Index, Language, Resolver, Tree};
use emendo_languages::{LANGUAGES, language};
use emendo_pattern::{Pattern, Replacement};

const LINES: usize = 5_000;

fn compiled(language: &'static Language, source: &str) -> Pattern {
    Pattern::compile(language, source, &BTreeMap::new(), None).expect("compiles")
}

/// A large file: calls of many names, one line in ten of the name that is looked for.
fn source() -> String {
    let line = |i: usize| match i % 10 {
        0 => format!("a{i} = open(\"pier{i}\", {{\"port\": {i}}})\n"),
        n => format!("a{i} = other{n}(a, [b, {i}], c=d.e(f)[{n}])  # text\n"),
    };
    (0..LINES).map(line).collect()
}

fn compile(c: &mut Criterion) {
    let mut group = c.benchmark_group("compile");
    for language in LANGUAGES {
        group.bench_function(language.id, |b| {
            b.iter(|| compiled(language, black_box("open(@{host}, @{rest*})")));
        });
    }
    group.finish();
}

fn places(c: &mut Criterion) {
    let language = language("python").expect("in the table");
    let text = source();
    let tree = Tree::parse(language, &text);
    let facts = FileFacts::read(language, &tree, &text);
    let project = Index::default();
    let resolver = Resolver::new(language, &facts, &project, &tree, &text);
    let mut group = c.benchmark_group("large file");
    group.throughput(Throughput::Bytes(text.len() as u64));
    group.bench_function("parse", |b| b.iter(|| Tree::parse(language, black_box(&text))));
    group
        .bench_function("facts", |b| b.iter(|| FileFacts::read(language, &tree, black_box(&text))));
    for (name, source) in [
        ("match a rare name", "other77(@{x*})"),
        ("match a name", "open(@{h}, @{o})"),
        ("match any call", "@{f}(@{x*})"),
        ("match a keyed argument", "other3(@{a*}, c=@{c})"),
    ] {
        let pattern = compiled(language, source);
        group.bench_function(name, |b| b.iter(|| pattern.matches(&tree, &text, &resolver).len()));
    }
    let old = compiled(language, "open(@{h}, @{o})");
    let new = Replacement::compile(&old, "connect(@{h}).with_options(@{o})", &BTreeMap::new(), &[])
        .expect("compiles");
    let matches = old.matches(&tree, &text, &resolver);
    group.bench_function("write", |b| {
        b.iter(|| {
            let one =
                |m| new.write(&old, m, &tree, &text, "\n", &resolver).map(|w| w.splices.len());
            matches.iter().filter_map(|m| one(m).ok()).sum::<usize>()
        });
    });
    group.finish();
}

criterion_group!(benches, compile, places);
criterion_main!(benches);
