//! Cargo packages (Cargo.toml): all kinds of dependencies, target tables, workspace inheritance, renamed packages, features.

use emendo_text::{RelPath, Span};

use crate::doc::{Doc, Found, NodeKind};
use crate::edits::{Edits, Patch};
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, Value, format,
    inserted, inside, key_of, keyed, parsed, plain_word, value_of, whole,
};

pub(super) const CARGO: Ecosystem = Ecosystem {
    id: "cargo",
    also: &["crates", "crate", "rust"],
    title: "Cargo",
    claims: |path: &RelPath| path.name() == "Cargo.toml",
    check_coordinate: plain_word,
    read,
    split: whole,
    plain: |c| c.replace('_', "-"),
    exact: false,
    numbers: 1,
    shared: false,
    named_sources: false,
    toolchains: &["rust", "edition"],
    add,
    locks: &[("Cargo.lock", "cargo update")],
};

const LISTS: &[&str] = &["dependencies", "dev-dependencies", "build-dependencies"];

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let toml = format("toml");
    let doc = parsed(toml, text)?;
    let edits = Edits { format: toml, text, doc: &doc };
    let mut out = Manifest {
        own: doc.text_at(&["package", "name"]).map(str::to_owned),
        ..Manifest::default()
    };
    let all = doc.all();
    for found in &all {
        let parts: Vec<&str> = found.parts().map(|k| k.text.as_str()).collect();
        // `[dependencies.name]`, `name = ...` and `name.version = ...` are told by where the list's name stands.
        let Some(at) = parts.iter().rposition(|p| LISTS.contains(p)) else { continue };
        let depth = parts.len() - at - 1;
        let known = at == 0 || parts[0] == "workspace" || parts[0] == "target";
        if depth != 1 || !known {
            continue;
        }
        out.entries.extend(entry(text, &doc, &edits, found, &parts, at));
    }
    // Written with a dot: `name.version = "1"`.
    for found in &all {
        let parts: Vec<&str> = found.parts().map(|k| k.text.as_str()).collect();
        let [.., list, name, "version"] = parts.as_slice() else { continue };
        let split = found.pair().keys.len() > 1;
        if LISTS.contains(list) && split {
            let key = &found.pair().keys[0];
            let renamed = doc.text_at(&[&parts[..parts.len() - 1], &["package"][..]].concat());
            let key = Value::new(text, inside(text, key.span));
            let coordinate = renamed.unwrap_or(name).to_owned();
            let entry = keyed(&edits, found, key, value_of(text, found), list);
            out.entries.push(Entry { coordinate, ..entry });
        }
    }
    turned_on(text, &doc, &edits, &mut out);
    for (path, what) in [(["package", "rust-version"], "rust"), (["package", "edition"], "edition")]
    {
        levels(text, &doc, &path, what, &mut out);
        levels(text, &doc, &["workspace", path[0], path[1]], what, &mut out);
    }
    Ok(out)
}

fn levels(text: &str, doc: &Doc, path: &[&str], what: &'static str, out: &mut Manifest) {
    for found in doc.at(path) {
        let value = value_of(text, &found);
        out.toolchains.extend(value.map(|value| Toolchain { what, value, form: Form::Plain }));
    }
}

fn entry(
    text: &str,
    doc: &Doc,
    edits: &Edits<'_>,
    found: &Found<'_>,
    parts: &[&str],
    at: usize,
) -> Option<Entry> {
    let below = |key: &str| {
        let path: Vec<&str> = parts.iter().copied().chain([key]).collect();
        doc.at(&path).into_iter().next()
    };
    let mut name = key_of(text, found);
    let mut version = value_of(text, found);
    let mut features = Vec::new();
    if matches!(found.pair().node.kind, NodeKind::Map(_)) {
        version = below("version").and_then(|f| value_of(text, &f));
        if let Some(renamed) = below("package").and_then(|f| value_of(text, &f)) {
            name = renamed;
        }
        if let Some(list) = below("features") {
            let items = list.pair().node.items().iter();
            features = items.map(|i| Value::new(text, inside(text, i.span))).collect();
        }
    }
    let elsewhere = ["path", "git"].iter().find_map(|k| value_of(text, &below(k)?));
    let room = room(text, edits, found, version.as_ref().filter(|_| features.is_empty()));
    let entry = keyed(edits, found, name, version, parts[at]);
    Some(Entry { features, elsewhere, room, ..entry })
}

/// What makes room for features: a version by itself becomes a table, a table gets one more key.
fn room(text: &str, edits: &Edits<'_>, found: &Found<'_>, version: Option<&Value>) -> Vec<Patch> {
    let Some(version) = version else { return Vec::new() };
    let node = &found.pair().node;
    let at = |at: u32, text: &str| Patch { span: Span::at(at as usize), text: text.to_owned() };
    if node.pairs().is_empty() {
        let quoted = inside(text, node.span) != node.span && node.span.contains(version.span);
        let both = [at(node.span.start, "{ version = "), at(node.span.end, ", features = [{q}] }")];
        return if quoted { both.into() } else { Vec::new() };
    }
    let last = node.pairs().last().map_or(node.span.end, |p| p.span.end);
    if found.pair().heading {
        return vec![at(last, &format!("{}features = [{{q}}]", edits.line_end()))];
    }
    vec![at(last, ", features = [{q}]")]
}

/// Features of a package that a feature of the project turns on: `tidewire/gauge`, `tidewire?/gauge`, `dep:tidewire`, and
/// `tidewire` by itself where it is an optional dependency.
fn turned_on(text: &str, doc: &Doc, edits: &Edits<'_>, out: &mut Manifest) {
    let own: Vec<String> =
        doc.below(&["features"]).iter().map(|f| f.pair().keys[0].text.clone()).collect();
    let known: Vec<String> = out.entries.iter().map(|e| e.coordinate.clone()).collect();
    for found in doc.below(&["features"]) {
        let list = &found.pair().node;
        for item in list.items().iter().filter(|i| i.text().is_some()) {
            let at = inside(text, item.span);
            let raw = at.of(text);
            let start = at.start as usize;
            let (from, rest) = raw.strip_prefix("dep:").map_or((0, raw), |r| (4, r));
            let name = rest.split(['?', '/']).next().unwrap_or(rest);
            let plain = from == 0 && name == raw;
            if plain && (own.iter().any(|o| o == raw) || !known.iter().any(|k| k == raw)) {
                continue;
            }
            let names = vec![Value::new(text, Span::new(start + from, start + from + name.len()))];
            let removal = edits.remove_item(list, item);
            let mut entry = Entry::new(EntryKind::Dependency, names, item.span, removal);
            entry.scope = "features".to_owned();
            if let Some(i) = raw.find('/') {
                entry.asks = true;
                entry.features.push(Value::new(text, Span::new(start + i + 1, at.end as usize)));
            }
            out.entries.push(entry);
        }
    }
}

fn add(_: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let list = match new.scope {
        "" => "dependencies",
        "dev" | "test" => "dev-dependencies",
        "build" => "build-dependencies",
        other => other,
    };
    let version = new.version.unwrap_or("*");
    let raw = if new.features.is_empty() {
        format!("\"{version}\"")
    } else {
        let features: Vec<String> = new.features.iter().map(|f| format!("\"{f}\"")).collect();
        format!("{{ version = \"{version}\", features = [{}] }}", features.join(", "))
    };
    inserted(format("toml"), text, &[list, new.coordinate], &raw)
}
