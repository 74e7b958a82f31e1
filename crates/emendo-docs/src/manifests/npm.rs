//! npm packages (package.json): dependencies of all kinds, engines, overrides, workspaces.

use emendo_text::RelPath;

use super::{
    Ecosystem, Form, Manifest, ManifestError, New, Toolchain, any_word, format, inserted, key_of,
    keyed, parsed, value_of, whole,
};
use crate::edits::{Edits, Patch};

pub(super) const NPM: Ecosystem = Ecosystem {
    id: "npm",
    title: "npm",
    claims: |path: &RelPath| path.name() == "package.json",
    check_coordinate: any_word,
    read,
    split: whole,
    plain: str::to_owned,
    exact: false,
    shared: false,
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

const LISTS: &[&str] = &[
    "dependencies",
    "devDependencies",
    "peerDependencies",
    "optionalDependencies",
    "overrides",
    "resolutions",
];

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let json = format("json");
    let doc = parsed(json, text)?;
    let edits = Edits { format: json, text, doc: &doc };
    let mut out =
        Manifest { own: doc.text_at(&["name"]).map(str::to_owned), ..Manifest::default() };
    for list in LISTS {
        for found in doc.below(&[list]) {
            let Some(mut version) = value_of(text, &found) else { continue };
            let mut name = key_of(text, &found);
            // Another package under this name.
            if let Some(rest) = version.text.strip_prefix("npm:")
                && let Some(at) = rest.rfind('@').filter(|i| *i > 0)
            {
                let start = version.span.start + 4;
                let middle = start + at as u32;
                let span = |a, b| emendo_text::Span { start: a, end: b };
                name = super::Value::new(text, span(start, middle));
                version = super::Value::new(text, span(middle + 1, version.span.end));
            }
            out.entries.push(keyed(&edits, &found, name, Some(version), list));
        }
    }
    for what in ["node", "npm", "yarn", "pnpm"] {
        for found in doc.at(&["engines", what]) {
            let value = value_of(text, &found);
            out.toolchains.extend(value.map(|value| Toolchain { what, value, form: Form::Plain }));
        }
    }
    Ok(out)
}

fn add(_: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
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
