//! Composer packages (composer.json).

use emendo_text::RelPath;

use crate::edits::{Edits, Patch};
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, Value, any_word,
    format, inserted, inside, key_of, keyed, parsed, value_of, whole,
};

pub(super) const COMPOSER: Ecosystem = Ecosystem {
    id: "composer",
    also: &["php", "packagist"],
    title: "Composer",
    claims: |path: &RelPath| path.name() == "composer.json",
    check_coordinate: any_word,
    read,
    split: whole,
    plain: |c| c.to_lowercase(),
    exact: false,
    numbers: 1,
    shared: false,
    named_sources: false,
    toolchains: &["php"],
    add,
    locks: &[("composer.lock", "composer update")],
};

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let json = format("json");
    let doc = parsed(json, text)?;
    let edits = Edits { format: json, text, doc: &doc };
    let mut out =
        Manifest { own: doc.text_at(&["name"]).map(str::to_owned), ..Manifest::default() };
    for list in ["require", "require-dev", "conflict", "replace"] {
        for found in doc.below(&[list]) {
            let (name, Some(value)) = (key_of(text, &found), value_of(text, &found)) else {
                continue;
            };
            if name.text == "php" {
                out.toolchains.push(Toolchain { what: "php", value, form: Form::Plain });
                continue;
            }
            // What it does not go with is no version that it needs.
            let value = Some(value).filter(|_| list.starts_with("require"));
            out.entries.push(keyed(&edits, &found, name, value, list));
        }
    }
    if let Some(found) = doc.at(&["repositories"]).first() {
        let list = &found.pair().node;
        for item in list.items() {
            if let Some(url) = item.pairs().iter().find(|p| p.is(&["url"])) {
                let names = vec![Value::new(text, inside(text, url.node.span))];
                let removal = edits.remove_item(list, item);
                out.entries.push(Entry::source(names, "dependencies", item.span, removal));
            }
        }
    }
    for found in doc.below(&["repositories"]) {
        let key = key_of(text, &found);
        let url = doc.at(&["repositories", &key.text, "url"]);
        if let Some(url) = url.first().and_then(|u| value_of(text, u)) {
            let span = found.pair().span;
            let removal = edits.remove(&found);
            out.entries.push(Entry::source(vec![url, key], "dependencies", span, removal));
        }
    }
    if let Some(found) = doc.at(&["config", "platform", "php"]).first()
        && let Some(value) = value_of(text, found)
    {
        out.toolchains.push(Toolchain { what: "php", value, form: Form::Plain });
    }
    Ok(out)
}

fn add(_: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    if new.kind == EntryKind::Repository {
        let raw = format!("{{\"type\": \"composer\", \"url\": \"{}\"}}", new.coordinate);
        let json = format("json");
        let doc = parsed(json, text).ok()?;
        let edits = Edits { format: json, text, doc: &doc };
        return match doc.at(&["repositories"]).first() {
            Some(f) if f.pair().node.pairs().is_empty() => edits.append_raw(&f.pair().node, &raw),
            Some(_) => inserted(json, text, &["repositories", new.id?], &raw),
            None => inserted(json, text, &["repositories"], &format!("[{raw}]")),
        };
    }
    let list = match new.scope {
        "" => "require",
        "dev" | "test" => "require-dev",
        other => other,
    };
    let raw = format!("\"{}\"", new.version.unwrap_or("*"));
    inserted(format("json"), text, &[list, new.coordinate], &raw)
}
