//! Which file of a crate asks which: from `use` declarations and paths, followed through re-exports to where a name is defined.

use std::collections::{BTreeMap, BTreeSet};

use crate::source::Source;

/// The imports between the files of a crate.
pub(crate) type Arrows = BTreeMap<String, BTreeSet<String>>;

type Path = Vec<String>;

/// A module: its file, the modules below it, and what its `use` declarations bring in.
#[derive(Default)]
struct Module {
    file: String,
    names: BTreeMap<String, Path>,
    globs: Vec<Path>,
    asked: Vec<Path>,
}

/// The arrows between the files of one crate, without those of a parent that only re-exports.
pub(crate) fn arrows(sources: &BTreeMap<String, Source>) -> Arrows {
    let modules: BTreeMap<Path, Module> =
        sources.values().map(|s| (module_of(&s.path), read(s))).collect();
    let mut out = Arrows::new();
    for (at, module) in &modules {
        for path in &module.asked {
            if let Some(file) = defined(&modules, at, path, 16).filter(|f| *f != module.file) {
                out.entry(module.file.clone()).or_default().insert(file);
            }
        }
    }
    out
}

/// The files that can reach themselves, each with all that are in its circle.
pub(crate) fn circles(arrows: &Arrows) -> BTreeMap<String, BTreeSet<String>> {
    let reached = |from: &String| {
        let (mut seen, mut next) = (BTreeSet::new(), vec![from.clone()]);
        while let Some(file) = next.pop() {
            for to in arrows.get(&file).into_iter().flatten() {
                if seen.insert(to.clone()) {
                    next.push(to.clone());
                }
            }
        }
        seen
    };
    let all: BTreeMap<String, BTreeSet<String>> =
        arrows.keys().map(|f| (f.clone(), reached(f))).collect();
    let back = |f: &String, to: &String| all.get(to).is_some_and(|r| r.contains(f));
    all.iter()
        .filter(|(f, reached)| reached.contains(*f))
        .map(|(f, reached)| (f.clone(), reached.iter().filter(|t| back(f, t)).cloned().collect()))
        .collect()
}

/// The path of a file's module in its crate.
fn module_of(file: &str) -> Path {
    let inner = file.split("/src/").nth(1).unwrap_or(file).trim_end_matches(".rs");
    let mut path: Path = inner.split('/').map(str::to_owned).collect();
    if matches!(path.last().map(String::as_str), Some("mod" | "lib" | "main")) {
        path.pop();
    }
    path
}

/// The file that defines what a path names, seen from a module.
fn defined(
    modules: &BTreeMap<Path, Module>,
    from: &Path,
    path: &[String],
    depth: usize,
) -> Option<String> {
    let mut at = from.clone();
    let mut rest = path;
    while let Some(first) = rest.first().filter(|_| depth > 0) {
        let mut below = at.clone();
        below.push(first.clone());
        match first.as_str() {
            "crate" => at.clear(),
            "self" => {}
            "super" => drop(at.pop()),
            _ if modules.contains_key(&below) => at = below,
            name => {
                let module = modules.get(&at)?;
                if let Some(to) = module.names.get(name) {
                    // What is brought in from another crate is defined there.
                    return defined(modules, &at, to, depth - 1);
                }
                let local = |p: &Path| {
                    let more: Path = p.iter().cloned().chain([name.to_owned()]).collect();
                    defined(modules, &at, &more, depth - 1)
                };
                let other = module.globs.iter().filter_map(local).find(|f| *f != module.file);
                return other.or_else(|| {
                    (at != *from || path.len() > rest.len()).then(|| module.file.clone())
                });
            }
        }
        rest = &rest[1..];
    }
    modules.get(&at).map(|m| m.file.clone())
}

/// Reads a file's `use` declarations and paths.
fn read(source: &Source) -> Module {
    let tokens = tokens(&source.code);
    let mut module = Module { file: source.path.clone(), ..Module::default() };
    let mut children = BTreeSet::new();
    for pair in tokens.windows(3) {
        if pair[0] == "mod" && pair[2] == ";" {
            children.insert(pair[1]);
        }
    }
    let mut i = 0;
    while i < tokens.len() {
        if tokens[i] == "use" {
            let public = i > 0 && (tokens[i - 1] == "pub" || tokens[i - 1] == ")");
            let mut found = Vec::new();
            i = tree(&tokens, i + 1, &Vec::new(), &mut found);
            for (path, name) in found {
                if !public {
                    module.asked.push(path.clone());
                }
                match name {
                    Some(name) => drop(module.names.insert(name, path)),
                    None => module.globs.push(path),
                }
            }
        } else if matches!(tokens[i], "crate" | "super" | "self") || children.contains(tokens[i]) {
            let start = i;
            let mut path = vec![tokens[i].to_owned()];
            while tokens.get(i + 1) == Some(&"::") && tokens.get(i + 2).is_some_and(|t| word(t)) {
                path.push(tokens[i + 2].to_owned());
                i += 2;
            }
            let inner = start > 0 && matches!(tokens[start - 1], "::" | "." | "mod" | "(");
            if path.len() > 1 && !(inner && tokens[start - 1] != "(") {
                module.asked.push(path);
            }
            i += 1;
        } else {
            i += 1;
        }
    }
    module
}

/// Reads one tree of a `use` declaration: its paths with the names that they get. Gives the place after it.
fn tree(
    tokens: &[&str],
    mut i: usize,
    head: &Path,
    out: &mut Vec<(Path, Option<String>)>,
) -> usize {
    let mut path = head.clone();
    let mut name = None;
    while let Some(token) = tokens.get(i) {
        match *token {
            "{" => {
                i += 1;
                while tokens.get(i).is_some_and(|t| *t != "}") {
                    i = tree(tokens, i, &path, out);
                    if tokens.get(i) == Some(&",") {
                        i += 1;
                    }
                }
                return i + 1;
            }
            "*" => {
                out.push((path, None));
                return i + 1;
            }
            "::" => i += 1,
            "as" => {
                name = tokens.get(i + 1).map(|t| (*t).to_owned());
                i += 2;
            }
            t if word(t) => {
                if t != "self" || path.is_empty() {
                    path.push(t.to_owned());
                }
                i += 1;
            }
            _ => break,
        }
    }
    let name = name.or_else(|| path.last().cloned());
    out.push((path, Some(name.unwrap_or_default())));
    i
}

fn word(token: &str) -> bool {
    token.starts_with(|c: char| c.is_alphabetic() || c == '_')
}

fn tokens(code: &str) -> Vec<&str> {
    let mut out = Vec::new();
    let mut chars = code.char_indices().peekable();
    while let Some((start, c)) = chars.next() {
        if c.is_whitespace() {
            continue;
        }
        let mut end = start + c.len_utf8();
        let is_word = |c: char| c.is_alphanumeric() || c == '_';
        if is_word(c) {
            while let Some((i, c)) = chars.next_if(|n| is_word(n.1)) {
                end = i + c.len_utf8();
            }
        } else if c == ':' && code[end..].starts_with(':') {
            chars.next();
            end += 1;
        }
        out.push(&code[start..end]);
    }
    out
}

#[test]
fn paths_lead_to_the_file_that_defines_a_name() {
    let file = |path: &str, text: &str| {
        let path = format!("crates/c/src/{path}");
        (path.clone(), Source::new(path, text.to_owned()))
    };
    let sources = BTreeMap::from([
        file("lib.rs", "mod a;\nmod b;\npub use a::inner::{Deep as Deeper};\npub use b::*;"),
        file("a/mod.rs", "mod inner;\nuse inner::Deep;\nstruct A;"),
        file("a/inner.rs", "use super::A;\npub struct Deep;\n// use crate::b::B;"),
        file(
            "b.rs",
            "use crate::Deeper;\nuse std::fs;\nfn f() { \"crate::a::A\"; }\npub struct B;",
        ),
        file("c.rs", "fn f() { crate::B; }\n#[cfg(test)]\nmod tests { use crate::a::A; }"),
    ]);
    let found = arrows(&sources);
    let to = |from: &str| -> Vec<&str> {
        let all = found.get(&format!("crates/c/src/{from}")).into_iter().flatten();
        all.map(|f| &f["crates/c/src/".len()..]).collect()
    };
    assert_eq!(to("a/mod.rs"), ["a/inner.rs"]);
    assert_eq!(to("a/inner.rs"), ["a/mod.rs"]);
    assert_eq!(to("b.rs"), ["a/inner.rs"]);
    assert_eq!(to("c.rs"), ["b.rs"]);
    assert_eq!(to("lib.rs"), [""; 0]);
    assert_eq!(circles(&found).len(), 2);
}
