//! Swift packages (Package.swift): `.package(url: "...", from: "1.0.0")` and the other forms of a requirement.

use emendo_text::RelPath;

use crate::edits::Patch;
use crate::manifests::ecosystem::{
    Ecosystem, EntryKind, Form, Manifest, ManifestError, New, Toolchain, Value,
};
use crate::manifests::script::{SLASHES, Script, TokenKind, line_like};

pub(super) const SWIFT: Ecosystem = Ecosystem {
    id: "swift",
    also: &["spm", "swiftpm"],
    title: "Swift packages",
    claims: |path: &RelPath| path.name() == "Package.swift",
    check_coordinate: |c| {
        c.contains(char::is_whitespace).then(|| format!("`{c}` is not an address of a package"))
    },
    read,
    split: crate::manifests::ecosystem::whole,
    plain,
    exact: true,
    numbers: 3,
    shared: false,
    named_sources: false,
    toolchains: &["swift"],
    add,
    locks: &[("Package.resolved", "swift package update")],
};

/// An address without what its spellings differ in.
fn plain(url: &str) -> String {
    let url = url.trim_end_matches('/').trim_end_matches(".git");
    let url = url.split_once("://").map_or(url, |u| u.1);
    url.to_lowercase()
}

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let mut out = Manifest::default();
    // The level stands in a remark on the first line.
    let first = text.lines().next().unwrap_or("");
    if let Some((_, level)) = first.split_once("swift-tools-version:") {
        let level = level.trim();
        let start = first.find(level).unwrap_or(0);
        let span = emendo_text::Span::new(start, start + level.len());
        out.toolchains.push(Toolchain {
            what: "swift",
            value: Value::new(text, span),
            form: Form::Plain,
        });
    }
    let script = Script::new(text, &SLASHES);
    for i in 0..script.tokens.len() {
        let call =
            script.is(i, ".") && script.word(i + 1) == Some("package") && script.is(i + 2, "(");
        if !call {
            continue;
        }
        let end = script.closing(i + 2);
        let url =
            (i..end).find(|k| script.word(*k) == Some("url")).and_then(|k| script.value(k + 2));
        let Some(url) = url else { continue };
        // The last text but the address and the name is the lower end.
        let texts: Vec<usize> = (i + 3..end)
            .filter(|k| script.get(*k).is_some_and(|t| t.0 == TokenKind::Text))
            .collect();
        let numbered = |k: &&usize| {
            script.get(**k).is_some_and(|t| t.1.starts_with(|c: char| c.is_ascii_digit()))
        };
        let numbers: Vec<&usize> = texts.iter().filter(numbered).collect();
        let version = match numbers.as_slice() {
            [one] => script.value(**one),
            [low, high] => {
                let span = script.tokens[**low].span.hull(script.tokens[**high].span);
                Some(Value::new(text, span))
            }
            _ => None,
        };
        let span = script.hull(i, end);
        let coordinate = url.text.clone();
        let named = |k: &usize| matches!(script.word(*k), Some("branch" | "revision"));
        let elsewhere = (i..end).find(named).and_then(|k| script.value(k + 2));
        let entry = script.entry(EntryKind::Dependency, coordinate, vec![url], version, span);
        out.entries.push(crate::manifests::ecosystem::Entry { elsewhere, ..entry });
    }
    Ok(out)
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let manifest = read(path, text).ok()?;
    let version = new.version.unwrap_or("1.0.0");
    let line = format!(".package(url: \"{}\", from: \"{version}\"),", new.coordinate);
    let last = manifest.entries.last()?;
    // After one without a comma the new one can't stand.
    let comma = text[last.span.end as usize..].trim_start().starts_with(',');
    let all = manifest.entries.iter();
    if comma { line_like(text, all, "~", &line) } else { line_like(text, all, "", &line) }
}
