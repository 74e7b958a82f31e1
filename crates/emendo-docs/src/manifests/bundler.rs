//! Ruby gems (Gemfile and gemspecs).

use emendo_text::RelPath;

use super::script::{HASHES, Kind, Script, line_like};
use super::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, any_word, whole,
};
use crate::edits::Patch;

pub(super) const BUNDLER: Ecosystem = Ecosystem {
    id: "bundler",
    title: "Bundler",
    claims: |path: &RelPath| path.name() == "Gemfile" || path.name().ends_with(".gemspec"),
    check_coordinate: any_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: false,
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
        let end = script.statement_end(i);
        let Some(name) = script.value(first) else { break };
        // Versions follow as texts; several are one range.
        let mut last = first;
        while script.is(last + 1, ",")
            && script.get(last + 2).is_some_and(|t| t.0 == Kind::Text)
            && !script.is(last + 3, "=")
        {
            last += 2;
        }
        let version = (last == first + 2).then(|| script.value(last)).flatten().or_else(|| {
            let (from, to) = (script.quoted(first + 2)?, script.quoted(last)?);
            (last > first).then(|| super::Value::new(text, from.hull(to)))
        });
        let begin = if i > 1 && script.is(i - 1, ".") { i - 2 } else { i };
        let span = script.hull(begin, end);
        let coordinate = name.text.clone();
        out.entries.push(script.entry(
            EntryKind::Dependency,
            coordinate,
            vec![name],
            version,
            span,
        ));
        i = end + 1;
    }
    Ok(out)
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
