//! Go modules (go.mod).

use emendo_text::{RelPath, Span};

use crate::edits::Patch;
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, Value, any_word,
    whole,
};
use crate::manifests::script::line_like;

pub(super) const GO: Ecosystem = Ecosystem {
    id: "go",
    also: &["golang", "gomod"],
    title: "Go modules",
    claims: |path: &RelPath| path.name() == "go.mod",
    check_coordinate: any_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: true,
    numbers: 3,
    shared: false,
    named_sources: false,
    toolchains: &["go"],
    add,
    locks: &[("go.sum", "go mod tidy")],
};

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let mut out = Manifest::default();
    let mut block = "";
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        let code = line.split("//").next().unwrap_or("").trim();
        if code == ")" {
            block = "";
            continue;
        }
        let mut words = code.split_whitespace();
        let first = words.next().unwrap_or("");
        if code.ends_with('(') {
            block = first;
            continue;
        }
        let verb = if block.is_empty() { first } else { block };
        let place = |word: &str| {
            let from = line.find(word).unwrap_or(0);
            Value::new(text, Span::new(start + from, start + from + word.len()))
        };
        match verb {
            "module" => out.own = words.next().map(str::to_owned),
            "go" => {
                let value = words.next().map(place);
                out.toolchains.extend(value.map(|value| Toolchain {
                    what: "go",
                    value,
                    form: Form::Plain,
                }));
            }
            "require" => {
                let name = if block.is_empty() { words.next() } else { Some(first) };
                let (Some(name), Some(version)) = (name, words.next()) else { continue };
                let from = start + line.find(code).unwrap_or(0);
                let span = Span::new(from, from + code.len());
                let names = vec![place(name.trim_matches('"'))];
                let removal = Patch { span: Span::new(start, at), text: String::new() };
                let indirect = line.contains("// indirect");
                out.entries.push(Entry {
                    version: Some(place(version)),
                    scope: if indirect { "indirect".into() } else { String::new() },
                    ..Entry::new(EntryKind::Dependency, names, span, removal)
                });
            }
            _ => {}
        }
    }
    Ok(out)
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let manifest = read(path, text).ok()?;
    let version = new.version.unwrap_or("v0.0.0");
    let v = if version.starts_with('v') { "" } else { "v" };
    let block = |e: &&Entry| !e.span.of(text).starts_with("require");
    let direct = || manifest.entries.iter().filter(|e| e.scope.is_empty());
    let single = direct().all(|e| !block(&e));
    let direct = direct().filter(|e| single || block(e));
    let verb = if single { "require " } else { "" };
    let line = format!("{verb}{} {v}{version}", new.coordinate);
    line_like(text, direct, new.coordinate, &line)
        .or_else(|| Some(Patch { span: Span::at(text.len()), text: format!("\n{line}\n") }))
}
