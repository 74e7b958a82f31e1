//! Goes over real sources and reports what a language's facts and the matcher make of them.
//!
//! `cargo run --release -p emendo-lang --example sweep -- LANGUAGE DIR...`
//!
//! For each file: does it parse; do patterns in every context and of every form match without trouble; do the places
//! found by words equal those found by going through the whole tree; and does writing a pattern over itself change
//! nothing?

use std::collections::BTreeMap;
use std::io::Write;
use std::path::{Path, PathBuf};

use emendo_lang::{FileFacts, Index, Language, Resolver, Tree};
use emendo_languages::language;
use emendo_pattern::{Constraint, FORMS, Pattern, Replacement};
use emendo_text::{RelPath, Text};

#[derive(Default)]
struct Totals {
    files: usize,
    bytes: usize,
    with_errors: usize,
    matches: usize,
    unlike: usize,
    changed: usize,
}

fn main() {
    let mut args = std::env::args().skip(1);
    let Some(language) = args.next().and_then(|id| language(&id)) else { return };
    let mut files = Vec::new();
    args.for_each(|dir| collect(language, Path::new(&dir), &mut files));
    files.sort();
    let forms = forms(language);
    let wide = wide(language);
    let mut totals = Totals::default();
    let mut out = std::io::stdout().lock();
    for path in &files {
        let Ok(bytes) = std::fs::read(path) else { continue };
        let Ok(text) = Text::decode(&bytes) else { continue };
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        let Ok(rel) = RelPath::new(&name) else { continue };
        for note in one(language, &rel, &text, &forms, &wide, &mut totals) {
            drop(writeln!(out, "{}: {note}", path.display()));
        }
    }
    let t = totals;
    drop(writeln!(
        out,
        "{}: {} files, {} bytes, {} with syntax errors; {} matches, {} unlike, {} changed",
        language.id, t.files, t.bytes, t.with_errors, t.matches, t.unlike, t.changed
    ));
}

fn collect(language: &Language, dir: &Path, out: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(dir) else { return };
    for path in entries.filter_map(Result::ok).map(|e| e.path()) {
        if path.is_dir() && !path.is_symlink() {
            collect(language, &path, out);
        } else if RelPath::new(&path.file_name().unwrap_or_default().to_string_lossy())
            .is_ok_and(|p| language.reads(&p))
        {
            out.push(path);
        }
    }
}

/// A slot alone, in every context, for every form.
fn forms(language: &'static Language) -> Vec<Pattern> {
    let mut out = Vec::new();
    let mut seen = Vec::new();
    for context in
        language.fragments.contexts.iter().filter(|c| !seen.contains(&c.name)).collect::<Vec<_>>()
    {
        if seen.contains(&context.name) {
            continue;
        }
        seen.push(context.name);
        for form in FORMS {
            let compiled = Pattern::compile(language, "@{x}", &BTreeMap::new(), Some(context.name));
            if let Ok(mut pattern) = compiled {
                let form = vec![(*form).to_owned()];
                pattern.constrain("x", Constraint { form, ..Constraint::default() });
                out.push(pattern);
            }
        }
    }
    out
}

/// Patterns that fit in many places of any language, for what they write over themselves.
fn wide(language: &'static Language) -> Vec<(Pattern, Replacement)> {
    let sources = [
        "@{f}(@{a*})",
        "@{x}.@{n}(@{a*})",
        "@{x}.@{n}",
        "@{a} + @{b}",
        "@{a} = @{b}",
        "if (@{c}) { @{b*} }",
        "return @{x};",
        "(@{x})",
        "\"@{s}\"",
        "new @{t}(@{a*})",
        "@{t}::@{n}(@{a*})",
        "@{m}!(@{a*})",
        "{ @{k}: @{v}, @{r*} }",
        ".@{n}(@{a*})",
        "return @{x}",
    ];
    let compile = |source: &&str| {
        let old = Pattern::compile(language, source, &BTreeMap::new(), None).ok()?;
        let new = Replacement::compile(&old, source, &BTreeMap::new(), &[]).ok()?;
        Some((old, new))
    };
    sources.iter().filter_map(compile).collect()
}

fn one(
    language: &'static Language,
    path: &RelPath,
    text: &Text,
    forms: &[Pattern],
    wide: &[(Pattern, Replacement)],
    totals: &mut Totals,
) -> Vec<String> {
    let source = text.as_str();
    let tree = Tree::parse_file(language, path, source);
    let facts = FileFacts::read(language, &tree, source);
    let project = Index::default();
    let resolver = Resolver::new(language, &facts, &project, &tree, source);
    let mut notes = Vec::new();
    totals.files += 1;
    totals.bytes += source.len();
    totals.with_errors += usize::from(tree.has_error());
    // Each of these looks at every node of the file.
    for p in forms.iter().filter(|_| source.len() < 30_000) {
        totals.matches += p.matches(&tree, source, &resolver).len();
    }
    for (old, new) in wide {
        let matches = old.matches(&tree, source, &resolver);
        let places = |m: &[emendo_pattern::Match]| {
            let mut all: Vec<(u32, u32)> = m.iter().map(|m| (m.span.start, m.span.end)).collect();
            all.sort_unstable();
            all.dedup();
            all
        };
        if places(&matches) != places(&old.matches_anywhere(&tree, source, &resolver)) {
            totals.unlike += 1;
            notes.push(format!("`{}` is found by words in other places", old.source()));
        }
        for m in &matches {
            totals.matches += 1;
            let Ok(written) = new.write(old, m, &tree, source, text.line_end(), &resolver) else {
                continue;
            };
            if let Some(s) = written.splices.first() {
                totals.changed += 1;
                notes.push(format!(
                    "`{}` over itself changes {:?} to {:?}",
                    old.source(),
                    s.span.of(source),
                    s.parts
                ));
            }
        }
    }
    notes
}
