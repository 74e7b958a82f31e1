//! npm packages (package.json): dependencies of all kinds, overrides, engines; catalogues and overrides of a workspace
//! (pnpm-workspace.yaml); registries (.npmrc).

use emendo_text::{RelPath, Span};

use crate::doc::{Doc, Found, NodeKind};
use crate::edits::{Edits, Patch};
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, Value, any_word,
    format, inserted, inside, key_of, keyed, parsed, value_of, whole,
};

pub(super) const NPM: Ecosystem = Ecosystem {
    id: "npm",
    also: &["yarn", "pnpm", "node", "js"],
    title: "npm",
    claims: |path: &RelPath| {
        matches!(path.name(), "package.json" | "pnpm-workspace.yaml" | ".npmrc")
    },
    check_coordinate: any_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: false,
    numbers: 1,
    shared: false,
    named_sources: false,
    toolchains: &["node", "npm", "yarn", "pnpm"],
    add,
    locks: &[
        ("package-lock.json", "npm install"),
        ("npm-shrinkwrap.json", "npm install"),
        ("yarn.lock", "yarn install"),
        ("pnpm-lock.yaml", "pnpm install"),
        ("bun.lock", "bun install"),
    ],
};

/// Lists of packages with versions.
const LISTS: &[&str] =
    &["dependencies", "devDependencies", "peerDependencies", "optionalDependencies", "resolutions"];

fn read(path: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    match path.name() {
        ".npmrc" => Ok(registries(text)),
        "pnpm-workspace.yaml" => workspace(text),
        _ => package(text),
    }
}

fn package(text: &str) -> Result<Manifest, ManifestError> {
    let json = format("json");
    let doc = parsed(json, text)?;
    let edits = Edits { format: json, text, doc: &doc };
    let mut out =
        Manifest { own: doc.text_at(&["name"]).map(str::to_owned), ..Manifest::default() };
    for list in LISTS {
        for found in doc.below(&[list]) {
            out.entries.extend(entry(text, &edits, &found, list));
        }
    }
    // What is said of packages that other lists name.
    for found in doc.below(&["peerDependenciesMeta"]) {
        let name = key_of(text, &found);
        out.entries.push(keyed(&edits, &found, name, None, "peerDependenciesMeta"));
    }
    for list in ["bundledDependencies", "bundleDependencies"] {
        for found in doc.at(&[list]) {
            let node = &found.pair().node;
            for item in node.items().iter().filter(|i| i.text().is_some()) {
                let name = Value::new(text, inside(text, item.span));
                let removal = edits.remove_item(node, item);
                let kind = EntryKind::Dependency;
                let base = Entry::new(kind, vec![name], item.span, removal);
                out.entries.push(Entry { scope: list.to_owned(), ..base });
            }
        }
    }
    overrides(text, &doc, &edits, &["overrides"], &mut out);
    overrides(text, &doc, &edits, &["pnpm", "overrides"], &mut out);
    catalogues(text, &doc, &edits, &["workspaces"], &mut out);
    for what in ["node", "npm", "yarn", "pnpm"] {
        for found in doc.at(&["engines", what]).into_iter().chain(doc.at(&["volta", what])) {
            let value = value_of(text, &found);
            out.toolchains.extend(value.map(|value| Toolchain { what, value, form: Form::Plain }));
        }
    }
    // `"packageManager": "pnpm@8.6.0"`, with a checksum that another version would not have.
    if let Some(value) = doc.at(&["packageManager"]).first().and_then(|f| value_of(text, f))
        && let Some((name, version)) = value.text.split_once('@')
        && let Some(what) = ["npm", "yarn", "pnpm"].into_iter().find(|w| *w == name)
    {
        let span = Span { start: value.span.end - version.len() as u32, end: value.span.end };
        let value = Value::new(text, span);
        out.toolchains.push(Toolchain { what, value, form: Form::Plain });
    }
    Ok(out)
}

/// An entry whose key is the name of a package: another package may stand after it, and what comes from the workspace has no
/// version of its own.
fn entry(text: &str, edits: &Edits<'_>, found: &Found<'_>, scope: &str) -> Option<Entry> {
    let mut version = value_of(text, found)?;
    let mut name = key_of(text, found);
    // `**/tidewire` means it wherever it is.
    if let Some(rest) = name.text.strip_prefix("**/") {
        let start = name.span.end - rest.len() as u32;
        name = Value::new(text, Span { start, end: name.span.end });
    }
    if let Some(rest) = version.text.strip_prefix("npm:")
        && let Some(at) = rest.rfind('@').filter(|i| *i > 0)
    {
        let start = version.span.start + 4;
        let middle = start + at as u32;
        name = Value::new(text, Span { start, end: middle });
        version = Value::new(text, Span { start: middle + 1, end: version.span.end });
    }
    let begins = |all: &[&str]| all.iter().any(|p| version.text.starts_with(p));
    // A catalogue of the workspace says the version.
    if begins(&["catalog:", "$"]) {
        return Some(keyed(edits, found, name, None, scope));
    }
    let places = ["workspace:", "file:", "link:", "portal:", "git", "http", "."];
    if begins(&places) || version.text.contains('/') {
        let elsewhere = Some(version);
        return Some(Entry { elsewhere, ..keyed(edits, found, name, None, scope) });
    }
    Some(keyed(edits, found, name, Some(version), scope))
}

/// Versions that hold for all that a project brings along, nested ones too.
fn overrides(text: &str, doc: &Doc, edits: &Edits<'_>, path: &[&str], out: &mut Manifest) {
    for found in doc.all() {
        let parts: Vec<&str> = found.parts().map(|k| k.text.as_str()).collect();
        if parts.len() <= path.len() || !parts.starts_with(path) {
            continue;
        }
        let scope = path.last().copied().unwrap_or("");
        match &found.pair().node.kind {
            NodeKind::Text(_) => {
                let Some(mut e) = entry(text, edits, &found, scope) else { continue };
                // Only for some versions, or only below another package: `a@1`, `a>b`.
                if let Some(key) = e.names.first() {
                    let from = key.text.rfind('>').map_or(0, |i| i + 1);
                    let to = key.text[from..].rfind('@').filter(|i| *i > 0);
                    let end = to.map_or(key.text.len(), |i| from + i);
                    let at = key.span.start as usize;
                    let name = Value::new(text, Span::new(at + from, at + end));
                    e.coordinate.clone_from(&name.text);
                    e.names = vec![name];
                }
                out.entries.push(e);
            }
            NodeKind::Map(_) => {
                let name = key_of(text, &found);
                out.entries.push(keyed(edits, &found, name, None, scope));
            }
            _ => {}
        }
    }
}

/// `catalog` and `catalogs.NAME`.
fn catalogues(text: &str, doc: &Doc, edits: &Edits<'_>, path: &[&str], out: &mut Manifest) {
    for found in doc.all() {
        let parts: Vec<&str> = found.parts().map(|k| k.text.as_str()).collect();
        let Some(rest) = parts.strip_prefix(path) else { continue };
        if matches!(rest, ["catalog", _] | ["catalogs", _, _]) {
            out.entries.extend(entry(text, edits, &found, rest[0]));
        }
    }
}

fn workspace(text: &str) -> Result<Manifest, ManifestError> {
    let yaml = format("yaml");
    let doc = parsed(yaml, text)?;
    let edits = Edits { format: yaml, text, doc: &doc };
    let mut out = Manifest::default();
    catalogues(text, &doc, &edits, &[], &mut out);
    overrides(text, &doc, &edits, &["overrides"], &mut out);
    Ok(out)
}

/// `registry=https://...`, for all packages or for those of one owner.
fn registries(text: &str) -> Manifest {
    let mut out = Manifest::default();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        let body = line.trim();
        let Some((key, url)) = body.split_once('=') else { continue };
        let key = key.trim();
        if body.starts_with(['#', ';']) || key != "registry" && !key.ends_with(":registry") {
            continue;
        }
        let url = url.trim();
        let end = start + line.trim_end().len();
        let names = vec![Value::new(text, Span::new(end - url.len(), end))];
        let removal = Patch { span: Span::new(start, at), text: String::new() };
        let span = Span::new(start + line.len() - line.trim_start().len(), end);
        out.entries.push(Entry::source(names, "dependencies", span, removal));
    }
    out
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    if path.name() == ".npmrc" {
        let key = new.id.map_or("registry".to_owned(), |id| format!("{id}:registry"));
        let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let lead = if text.is_empty() || text.ends_with('\n') { "" } else { nl };
        let line = format!("{lead}{key}={}{nl}", new.coordinate);
        let source = new.kind == EntryKind::Repository;
        return source.then(|| Patch { span: Span::at(text.len()), text: line });
    }
    if path.name() != "package.json" || new.kind != EntryKind::Dependency {
        return None;
    }
    let list = match new.scope {
        "" => "dependencies",
        "dev" | "test" => "devDependencies",
        "peer" => "peerDependencies",
        "optional" => "optionalDependencies",
        other => other,
    };
    let raw = format!("\"{}\"", new.version.unwrap_or("*"));
    inserted(format("json"), text, &[list, new.coordinate], &raw)
}
