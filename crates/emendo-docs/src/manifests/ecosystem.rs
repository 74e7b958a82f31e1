//! What an ecosystem is: manifests, entries, values, with what several ecosystems share.

use emendo_text::{RelPath, Span};

use crate::doc::{Doc, Found};
use crate::edits::{Edits, Patch};
use crate::formats::{Format, format_named};

/// A dependency ecosystem.
pub struct Ecosystem {
    /// The word for it, before the colon of a coordinate.
    pub id: &'static str,
    /// Other words that people write for it: messages say which is meant.
    pub also: &'static [&'static str],
    /// The name shown to people.
    pub title: &'static str,
    /// True for a manifest of this ecosystem.
    pub claims: fn(&RelPath) -> bool,
    /// Checks a coordinate without its ecosystem; gives what is wrong with it.
    pub check_coordinate: fn(&str) -> Option<String>,
    /// Reads a manifest.
    pub read: fn(&RelPath, &str) -> Result<Manifest, ManifestError>,
    /// The parts of a coordinate in the order of [`Entry::names`].
    pub split: fn(&str) -> Vec<String>,
    /// A coordinate as it is compared: spellings that mean the same are the same.
    pub plain: fn(&str) -> String,
    /// Versions are names: they are written whole.
    pub exact: bool,
    /// Numbers that a version has at least.
    pub numbers: usize,
    /// A value may be held in another manifest of the folder or of one around it.
    pub shared: bool,
    /// Places that code comes from have a word of their own.
    pub named_sources: bool,
    /// Toolchains whose level a manifest says.
    pub toolchains: &'static [&'static str],
    /// Adds an entry.
    pub add: fn(&RelPath, &str, &New<'_>) -> Option<Patch>,
    /// Files that a tool works out, with the command that does it anew.
    pub locks: &'static [(&'static str, &'static str)],
}

/// An entry to be added.
#[derive(Clone, Copy, Debug)]
pub struct New<'a> {
    /// What it is.
    pub kind: EntryKind,
    /// The coordinate.
    pub coordinate: &'a str,
    /// The version, if it says one.
    pub version: Option<&'a str>,
    /// Where it belongs, in the ecosystem's own word; empty for the usual place.
    pub scope: &'a str,
    /// Its features.
    pub features: &'a [String],
    /// The name under which a place that code comes from is known.
    pub id: Option<&'a str>,
    /// The entry that it comes beside, as it is written.
    pub like: Option<&'a str>,
}

/// Why a manifest cannot be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct ManifestError {
    /// What is wrong.
    pub message: String,
    /// Where.
    pub at: Span,
}

/// What a manifest says.
#[derive(Clone, Debug, Default)]
pub struct Manifest {
    /// The coordinate of the project itself.
    pub own: Option<String>,
    /// The coordinate of its parent.
    pub parent: Option<String>,
    /// Path of the parent's manifest relative to this one's folder; empty for none.
    pub parent_path: String,
    /// The libraries it names.
    pub entries: Vec<Entry>,
    /// Values that entries may refer to.
    pub properties: Vec<Property>,
    /// Levels of toolchains.
    pub toolchains: Vec<Toolchain>,
    /// Other places that name a library: what is left out, what a plugin takes.
    pub mentions: Vec<Entry>,
}

/// What an entry is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum EntryKind {
    /// A dependency, managed ones among them.
    Dependency,
    /// A build plugin.
    Plugin,
    /// The parent project.
    Parent,
    /// A place that code comes from.
    Repository,
}

/// A library that a manifest names.
#[derive(Clone, Debug)]
pub struct Entry {
    /// What it is.
    pub kind: EntryKind,
    /// The coordinate, without ecosystem and version.
    pub coordinate: String,
    /// The parts of the coordinate where they are written.
    pub names: Vec<Value>,
    /// The version, where it is written.
    pub version: Option<Value>,
    /// Where it belongs, in the ecosystem's own word.
    pub scope: String,
    /// Its features, where they are written.
    pub features: Vec<Value>,
    /// What makes room for features where none are written yet: `{}` stands for the list of them, `{q}` for a list in quotes.
    pub room: Vec<Patch>,
    /// Where it comes from, if no version of a repository decides: a folder, a source by address, another manifest.
    pub elsewhere: Option<Value>,
    /// It only asks for a feature of an entry that stands elsewhere: without that it goes.
    pub asks: bool,
    /// Checksums beside it hold for the version that stands.
    pub sealed: bool,
    /// The whole entry.
    pub span: Span,
    /// What takes it away.
    pub removal: Patch,
}

impl Entry {
    /// An entry of this name, with nothing more said about it.
    pub(crate) fn new(kind: EntryKind, names: Vec<Value>, span: Span, removal: Patch) -> Self {
        Self {
            kind,
            coordinate: names.first().map_or(String::new(), |n| n.text.clone()),
            names,
            version: None,
            scope: String::new(),
            features: Vec::new(),
            room: Vec::new(),
            elsewhere: None,
            asks: false,
            sealed: false,
            span,
            removal,
        }
    }

    /// A place that code comes from. `names` are its address and, where it has one, its own word; `scope` is `plugins` where
    /// only those come from there.
    pub(crate) fn source(names: Vec<Value>, scope: &str, span: Span, removal: Patch) -> Self {
        let scope = scope.to_owned();
        Self { scope, ..Self::new(EntryKind::Repository, names, span, removal) }
    }
}

/// The level of a toolchain.
#[derive(Clone, Debug)]
pub struct Toolchain {
    /// Its word.
    pub what: &'static str,
    /// The level as it is written.
    pub value: Value,
    /// How a level is written there.
    pub form: Form,
}

impl Toolchain {
    /// The level as a number, however it is written.
    pub fn level(&self) -> std::borrow::Cow<'_, str> {
        match self.form {
            Form::Words => {
                let number = self.value.text.trim_start_matches("VERSION_").replace('_', ".");
                crate::manifests::levels::level_of(self.what, &number).to_owned().into()
            }
            _ => self.value.text.as_str().into(),
        }
    }
}

/// How the level of a toolchain is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// As it is.
    Plain,
    /// As words: `VERSION_1_8`, `VERSION_17`.
    Words,
    /// After a word that may have been another, `net8.0` for `netcoreapp3.1`.
    Behind {
        /// The word that stands.
        was: &'static str,
        /// The word that comes.
        now: &'static str,
    },
    /// It is not a level that could be raised.
    Fixed,
}

/// A value as written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Value {
    /// The text, entities undone and blanks at the ends taken off.
    pub text: String,
    /// Where it stands, without the blanks.
    pub span: Span,
    /// The name of what holds the value, if it is nothing but a reference.
    pub held: Option<String>,
}

impl Value {
    /// A value that stands in the text as it is.
    pub fn new(text: &str, span: Span) -> Self {
        Self { text: span.of(text).to_owned(), span, held: None }
    }

    /// The name of what holds the value, if it is nothing but a reference.
    pub fn property(&self) -> Option<&str> {
        self.held.as_deref()
    }
}

/// A named value of a manifest.
#[derive(Clone, Debug)]
pub struct Property {
    /// Its name.
    pub name: String,
    /// Its value.
    pub value: Value,
    /// It holds in a part of the project's own choosing only, in place of one that holds for all.
    pub overrides: bool,
}

impl Property {
    /// A named value that holds for all.
    pub(crate) fn new(name: String, value: Value) -> Self {
        Self { name, value, overrides: false }
    }
}

/// The contents of a quoted value.
pub(crate) fn inside(text: &str, span: Span) -> Span {
    let raw = span.of(text);
    let quotes = ["\"\"\"", "'''", "\"", "'"]
        .iter()
        .find(|q| raw.starts_with(**q) && raw.len() >= 2 * q.len());
    let n = quotes.map_or(0, |q| q.len() as u32);
    Span { start: span.start + n, end: span.end - n }
}

/// A text value of a document, without its quotes.
pub(crate) fn value_of(text: &str, found: &Found<'_>) -> Option<Value> {
    found.pair().node.text().map(|_| Value::new(text, inside(text, found.pair().node.span)))
}

/// The key of an entry, without its quotes.
pub(crate) fn key_of(text: &str, found: &Found<'_>) -> Value {
    let span = found.pair().keys.last().map_or(found.pair().span, |k| k.span);
    Value::new(text, inside(text, span))
}

/// Takes a place away with its lines, where only a remark shares them; else only the place itself.
pub(crate) fn without_lines(text: &str, span: Span, is_remark: impl Fn(&str) -> bool) -> Patch {
    let start = text[..span.start as usize].rfind('\n').map_or(0, |i| i + 1);
    let rest = &text[span.end as usize..];
    let line = rest.find('\n').map_or(rest.len(), |i| i + 1);
    let behind = rest[..line].trim();
    let alone = text[start..span.start as usize].trim().is_empty() && is_remark(behind);
    let whole = Span::new(start, span.end as usize + line);
    Patch { span: if alone { whole } else { span }, text: String::new() }
}

/// An entry whose key is its name.
pub(crate) fn keyed(
    edits: &Edits<'_>,
    found: &Found<'_>,
    name: Value,
    version: Option<Value>,
    scope: &str,
) -> Entry {
    let (span, scope) = (found.pair().span, scope.to_owned());
    let base = Entry::new(EntryKind::Dependency, vec![name], span, edits.remove(found));
    Entry { version, scope, ..base }
}

/// Adds keys to a structured manifest.
pub(crate) fn inserted(
    format: &'static Format,
    text: &str,
    path: &[&str],
    raw: &str,
) -> Option<Patch> {
    let doc = (format.read)(text);
    let path: Vec<String> = path.iter().map(|p| (*p).to_owned()).collect();
    let edits = Edits { format, text, doc: &doc };
    // In the order of the entries that stand, where they are in order.
    let sorted = edits.insert_sorted(&path, raw);
    sorted.or_else(|| edits.insert(&path, raw, 0))
}

/// The toolchains whose version on this machine `requires.machine` may ask for.
pub const TOOLCHAINS: &[&str] = &[
    "java", "node", "npm", "python", "rust", "go", "dotnet", "php", "ruby", "dart", "elixir",
    "swift",
];

pub(crate) fn any_word(coordinate: &str) -> Option<String> {
    let ok = |c: char| c.is_ascii_alphanumeric() || "._-/@*".contains(c);
    let fits = !coordinate.is_empty() && coordinate.chars().all(ok);
    (!fits).then(|| format!("`{coordinate}` is not the name of a package"))
}

/// The same where names hold no slash.
pub(crate) fn plain_word(coordinate: &str) -> Option<String> {
    let wrong = || Some(format!("`{coordinate}` is not the name of a package"));
    any_word(coordinate).or_else(|| coordinate.contains('/').then(wrong).flatten())
}

pub(crate) fn whole(coordinate: &str) -> Vec<String> {
    vec![coordinate.to_owned()]
}

/// A document that could be read.
pub(crate) fn parsed(format: &'static Format, text: &str) -> Result<Doc, ManifestError> {
    let doc = (format.read)(text);
    match doc.errors.first() {
        Some(e) if doc.roots.is_empty() => {
            Err(ManifestError { message: e.message.clone(), at: e.at })
        }
        _ => Ok(doc),
    }
}

pub(crate) fn format(id: &'static str) -> &'static Format {
    format_named(id).unwrap_or(&crate::formats::FORMATS[0])
}
