//! Composer packages (composer.json).

use emendo_text::RelPath;

use super::{
    Ecosystem, Form, Manifest, ManifestError, New, Toolchain, any_word, format, inserted, key_of,
    keyed, parsed, value_of, whole,
};
use crate::edits::{Edits, Patch};

pub(super) const COMPOSER: Ecosystem = Ecosystem {
    id: "composer",
    title: "Composer",
    claims: |path: &RelPath| path.name() == "composer.json",
    check_coordinate: any_word,
    read,
    split: whole,
    plain: |c| c.to_lowercase(),
    exact: false,
    shared: false,
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
            out.entries.push(keyed(&edits, &found, name, Some(value), list));
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
    let list = match new.scope {
        "" => "require",
        "dev" | "test" => "require-dev",
        other => other,
    };
    let raw = format!("\"{}\"", new.version.unwrap_or("*"));
    inserted(format("json"), text, &[list, new.coordinate], &raw)
}
