//! Pub packages (pubspec.yaml).

use emendo_text::RelPath;

use crate::doc::NodeKind;
use crate::edits::{Edits, Patch};
use crate::manifests::ecosystem::{
    Ecosystem, Entry, Form, Manifest, ManifestError, New, Toolchain, format, inserted, key_of,
    keyed, parsed, plain_word, value_of, whole,
};

pub(super) const PUB: Ecosystem = Ecosystem {
    id: "pub",
    also: &["dart", "flutter", "pubspec"],
    title: "Pub",
    claims: |path: &RelPath| matches!(path.name(), "pubspec.yaml" | "pubspec.yml"),
    check_coordinate: plain_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: false,
    numbers: 3,
    shared: false,
    named_sources: false,
    toolchains: &["sdk", "flutter"],
    add,
    locks: &[("pubspec.lock", "dart pub get")],
};

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let yaml = format("yaml");
    let doc = parsed(yaml, text)?;
    let edits = Edits { format: yaml, text, doc: &doc };
    let mut out =
        Manifest { own: doc.text_at(&["name"]).map(str::to_owned), ..Manifest::default() };
    for list in ["dependencies", "dev_dependencies", "dependency_overrides"] {
        for found in doc.below(&[list]) {
            let name = key_of(text, &found);
            let version = match found.pair().node.kind {
                NodeKind::Map(_) => {
                    let inner = doc.at(&[list, &name.text, "version"]);
                    inner.first().and_then(|f| value_of(text, f))
                }
                _ => value_of(text, &found),
            };
            let elsewhere = ["git", "path", "sdk"].iter().find_map(|k| {
                let found = doc.at(&[list, &name.text, k]).into_iter().next()?;
                let url = doc.at(&[list, &name.text, k, "url"]).into_iter().next();
                value_of(text, &url.unwrap_or(found))
            });
            let entry = keyed(&edits, &found, name, version, list);
            out.entries.push(Entry { elsewhere, ..entry });
        }
    }
    for what in ["sdk", "flutter"] {
        for found in doc.at(&["environment", what]) {
            let value = value_of(text, &found);
            out.toolchains.extend(value.map(|value| Toolchain { what, value, form: Form::Plain }));
        }
    }
    Ok(out)
}

fn add(_: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let list = match new.scope {
        "" => "dependencies",
        "dev" | "test" => "dev_dependencies",
        other => other,
    };
    inserted(format("yaml"), text, &[list, new.coordinate], new.version.unwrap_or("any"))
}
