//! Hex packages (mix.exs): `{:name, "~> 1.0", only: :test}`.

use emendo_text::RelPath;

use crate::edits::Patch;
use crate::manifests::ecosystem::{
    Ecosystem, EntryKind, Form, Manifest, ManifestError, New, Toolchain, plain_word, whole,
};
use crate::manifests::script::{HASHES, Script, line_like};

pub(super) const HEX: Ecosystem = Ecosystem {
    id: "hex",
    also: &["mix", "elixir"],
    title: "Hex",
    claims: |path: &RelPath| path.name() == "mix.exs",
    check_coordinate: plain_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: false,
    numbers: 3,
    shared: false,
    named_sources: false,
    toolchains: &["elixir"],
    add,
    locks: &[("mix.lock", "mix deps.update --all")],
};

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let script = Script::new(text, &HASHES);
    let mut out = Manifest::default();
    for i in 0..script.tokens.len() {
        // `elixir: "~> 1.14"`, `app: :board`.
        if script.word(i) == Some("elixir") && script.is(i + 1, ":") {
            out.toolchains.extend(script.value(i + 2).map(|value| Toolchain {
                what: "elixir",
                value,
                form: Form::Plain,
            }));
        }
        if script.is(i, "@")
            && let (Some(name), Some(value)) = (script.word(i + 1), script.value(i + 2))
        {
            out.properties.push(crate::manifests::ecosystem::Property::new(name.to_owned(), value));
        }
        if script.word(i) == Some("app") && script.is(i + 1, ":") && script.is(i + 2, ":") {
            out.own = script.word(i + 3).map(str::to_owned);
        }
        let tuple = script.is(i, "{") && script.is(i + 1, ":") && script.is(i + 3, ",");
        let Some(name) = script.word(i + 2).filter(|_| tuple) else { continue };
        let end = script.closing(i);
        let span = script.hull(i, end);
        // A version, or options only.
        // `@name` is held elsewhere in the file.
        let held = script.word(i + 5).filter(|_| script.is(i + 4, "@"));
        let held = held.map(|w| crate::manifests::ecosystem::Value {
            held: Some(w.to_owned()),
            ..crate::manifests::ecosystem::Value::new(text, script.tokens[i + 5].span)
        });
        let version = script.value(i + 4).or(held);
        let options = script.word(i + 4).is_some();
        if version.is_none() && !options {
            continue;
        }
        let value = crate::manifests::ecosystem::Value::new(text, script.tokens[i + 2].span);
        let name = name.to_owned();
        let mut entry = script.entry(EntryKind::Dependency, name, vec![value], version, span);
        let place = |k: &usize| {
            script.word(*k).is_some_and(|w| matches!(w, "git" | "github" | "path"))
                && script.is(*k + 1, ":")
        };
        let at = (i + 4..end).find(place);
        entry.elsewhere = at.and_then(|k| script.value(k + 2));
        if let Some(k) = (i + 4..end).find(|k| script.word(*k) == Some("in_umbrella")) {
            entry.elsewhere =
                Some(crate::manifests::ecosystem::Value::new(text, script.tokens[k].span));
        }
        out.entries.push(entry);
    }
    Ok(out)
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let manifest = read(path, text).ok()?;
    let version = new.version.map_or(String::new(), |v| {
        // What is compatible with a minor version, as dependencies are written there.
        let v = if v.starts_with(|c: char| c.is_ascii_digit()) {
            format!("~> {}", v.split('.').take(2).collect::<Vec<_>>().join("."))
        } else {
            v.to_owned()
        };
        format!(", \"{v}\"")
    });
    let only = if new.scope.is_empty() { String::new() } else { format!(", only: :{}", new.scope) };
    let line = format!("{{:{}{version}{only}}},", new.coordinate);
    // At the front, where a comma after it is right.
    let first = manifest.entries.first()?;
    line_like(text, std::iter::empty(), new.coordinate, &line).or_else(|| {
        let start = text[..first.span.start as usize].rfind('\n').map_or(0, |i| i + 1);
        let indent = &text[start..first.span.start as usize];
        let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let alone = indent.trim().is_empty();
        let at = if alone { start } else { first.span.start as usize };
        let text = if alone { format!("{indent}{line}{nl}") } else { format!("{line} ") };
        Some(Patch { span: emendo_text::Span::at(at), text })
    })
}
