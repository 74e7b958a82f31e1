//! Ruby gems (Gemfile and gemspecs).

use emendo_text::RelPath;

use crate::edits::Patch;
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, plain_word, whole,
};
use crate::manifests::script::{HASHES, Script, TokenKind, line_like};

pub(super) const BUNDLER: Ecosystem = Ecosystem {
    id: "bundler",
    also: &["gem", "gems", "rubygems", "ruby"],
    title: "Bundler",
    claims: |path: &RelPath| path.name() == "Gemfile" || path.name().ends_with(".gemspec"),
    check_coordinate: plain_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: false,
    numbers: 1,
    shared: false,
    named_sources: false,
    toolchains: &["ruby"],
    add,
    locks: &[("Gemfile.lock", "bundle update")],
};

const CALLS: &[&str] =
    &["gem", "add_dependency", "add_runtime_dependency", "add_development_dependency"];

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let script = Script::new(text, &HASHES);
    let mut out = Manifest::default();
    let mut i = 0;
    while i < script.tokens.len() {
        let Some(word) = script.word(i) else {
            i += 1;
            continue;
        };
        let open = usize::from(script.is(i + 1, "("));
        let first = i + 1 + open;
        if script.is(i + 1, "=")
            && !script.is(i.wrapping_sub(1), ".")
            && let Some(value) = script.value(i + 2)
        {
            out.properties.push(crate::manifests::ecosystem::Property::new(word.to_owned(), value));
        }
        if word == "ruby" || word == "required_ruby_version" {
            let at = if script.is(i + 1, "=") { i + 2 } else { first };
            out.toolchains.extend(script.value(at).map(|value| Toolchain {
                what: "ruby",
                value,
                form: Form::Plain,
            }));
        }
        if word == "source" && script.quoted(first).is_some() {
            let end = script.statement_end(i);
            let span =
                script.hull(i, if script.word(first + 1) == Some("do") { first } else { end });
            let names = script.value(first).into_iter().collect();
            // A block's contents go with it: it is only renamed.
            let removal = script.removal(span);
            out.entries.push(Entry::source(names, "dependencies", span, removal));
            i = first + 1;
            continue;
        }
        if !CALLS.contains(&word) || script.quoted(first).is_none() {
            i += 1;
            continue;
        }
        let Some((entry, end)) = gem(&script, text, i, first) else { break };
        out.entries.push(entry);
        i = end + 1;
    }
    Ok(out)
}

/// A library, from the word that names it; `first` is the token of its name. With the token that its statement ends at.
fn gem(script: &Script<'_>, text: &str, i: usize, first: usize) -> Option<(Entry, usize)> {
    let end = script.statement_end(i);
    let name = script.value(first)?;
    // Versions follow as texts, in a list or not; several are one range.
    let mut last = first;
    let list = script.is(first + 1, ",") && script.is(first + 2, "[");
    while script.is(last + 1, ",")
        && script.get(last + 2).is_some_and(|t| t.0 == TokenKind::Text)
        && !script.is(last + 3, "=")
    {
        last += 2;
    }
    let held = script.word(first + 2).filter(|_| {
        let next = |k: usize, s: &str| script.is(k, s);
        next(first + 1, ",") && !next(first + 3, ":") && !next(first + 3, "=") && first + 2 == end
    });
    let held = held.map(|w| crate::manifests::ecosystem::Value {
        held: Some(w.to_owned()),
        ..crate::manifests::ecosystem::Value::new(text, script.tokens[first + 2].span)
    });
    let listed = || {
        let close = script.closing(first + 2);
        let texts: Vec<_> = (first + 3..close).filter_map(|k| script.quoted(k)).collect();
        let (from, to) = (texts.first()?, texts.last()?);
        Some(crate::manifests::ecosystem::Value::new(text, from.hull(*to)))
    };
    let version = held.or_else(|| if list { listed() } else { None });
    let version = version.or_else(|| {
        (last == first + 2).then(|| script.value(last)).flatten().or_else(|| {
            let (from, to) = (script.quoted(first + 2)?, script.quoted(last)?);
            (last > first).then(|| crate::manifests::ecosystem::Value::new(text, from.hull(to)))
        })
    });
    let begin = if i > 1 && script.is(i - 1, ".") { i - 2 } else { i };
    let span = script.hull(begin, end);
    let coordinate = name.text.clone();
    let kind = EntryKind::Dependency;
    let mut entry = script.entry(kind, coordinate, vec![name], version, span);
    // `git: "..."` and `:git => "..."`
    let place = |k: &usize| script.word(*k).is_some_and(|w| matches!(w, "git" | "github" | "path"));
    let at = (first + 1..=end).find(place);
    entry.elsewhere = at.and_then(|k| (k + 1..k + 4).find_map(|k| script.value(k)));
    Some((entry, end))
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let manifest = read(path, text).ok()?;
    let same = || manifest.entries.iter().filter(|e| e.kind == new.kind);
    let quote = manifest
        .entries
        .first()
        .map_or('"', |e| text[..e.names[0].span.start as usize].chars().next_back().unwrap_or('"'));
    let version = new.version.map_or(String::new(), |v| {
        let v = if v.starts_with(|c: char| c.is_ascii_digit()) {
            format!("~> {v}")
        } else {
            v.to_owned()
        };
        format!(", {quote}{v}{quote}")
    });
    if new.kind == EntryKind::Repository {
        let line = format!("source {quote}{}{quote}", new.coordinate);
        return line_like(text, same(), "~", &line);
    }
    let line = format!("gem {quote}{}{quote}{version}", new.coordinate);
    line_like(text, same(), new.coordinate, &line)
}
