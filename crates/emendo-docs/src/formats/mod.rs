//! The table of settings formats: one row and one file each.

mod env;
mod format;
mod ini;
mod json;
mod properties;
mod toml;
pub(crate) mod xml;
mod yaml;

use emendo_text::RelPath;

pub use crate::formats::format::{Format, Style, constant};

/// All formats.
pub const FORMATS: &[Format] =
    &[properties::PROPERTIES, yaml::YAML, toml::TOML, json::JSON, ini::INI, env::ENV, xml::XML];

/// The format of a file, by its name.
pub fn format_of(path: &RelPath) -> Option<&'static Format> {
    format_among(FORMATS.iter(), path)
}

/// The format of a file among these, by its name: a whole name comes before an ending.
pub fn format_among(
    formats: impl Iterator<Item = &'static Format> + Clone,
    path: &RelPath,
) -> Option<&'static Format> {
    if let Some(word) = path.read_as() {
        return { formats }.find(|f| f.id == word);
    }
    let name = path.name();
    let named = |f: &&Format| {
        let begins =
            |n: &&str| name == *n || name.strip_prefix(*n).is_some_and(|r| r.starts_with('.'));
        f.names.iter().any(begins)
    };
    let ending = path.extension();
    let ends = |f: &&Format| ending.is_some_and(|e| f.extensions.contains(&e));
    formats.clone().find(named).or_else(|| formats.clone().find(ends))
}

/// A format by its word.
pub fn format_named(id: &str) -> Option<&'static Format> {
    FORMATS.iter().find(|f| f.id == id)
}
