//! What a settings format is, and what several share.

use emendo_text::{RelPath, Span};

use crate::doc::{Doc, Node, NodeKind, Pair};

/// A settings format.
pub struct Format {
    /// The word for it.
    pub id: &'static str,
    /// The name shown to people.
    pub title: &'static str,
    /// File name endings.
    pub extensions: &'static [&'static str],
    /// File names, and beginnings of names up to a dot.
    pub names: &'static [&'static str],
    /// How its entries stand.
    pub style: Style,
    /// What comments to the end of the line begin with, the usual one first; none if there are none.
    pub comments: &'static [&'static str],
    /// Between a key and its value.
    pub sign: &'static str,
    /// A key may be a whole path with dots.
    pub dotted: bool,
    /// The parts of a path are keys of their own, with dots between them.
    pub split: bool,
    /// Kebab, camel and snake spellings of a key are the same in this file.
    pub relaxed: fn(&RelPath) -> bool,
    /// Keys may be mentioned anywhere in its text, and not only in values.
    pub mentions_anywhere: bool,
    /// Keys are written in the form of environment variables.
    pub constant: bool,
    /// Its values are of kinds: a text that reads as a number is told from the number by its quotes.
    pub typed: bool,
    /// Reads a text.
    pub read: fn(&str) -> Doc,
    /// Writes a key where another stands, as written there.
    pub write_key: fn(&str, &str) -> String,
    /// Writes a value where another stands, as written there.
    pub write_value: fn(&str, &str) -> String,
}

/// How the entries of a format stand in a text.
#[derive(Clone, Copy, Debug)]
pub enum Style {
    /// A line each.
    Lines,
    /// A line each, what belongs together indented.
    Indented,
    /// A line each, below headings; the text of one for a path.
    Sections {
        /// The text of a heading.
        header: fn(&[String]) -> String,
    },
    /// Between braces, with commas.
    Braces,
    /// Elements between tags.
    Elements,
}

/// Files whose reader takes several spellings of a key for the same.
pub(crate) fn relaxed(path: &RelPath) -> bool {
    ["application", "bootstrap"].iter().any(|n| path.name().starts_with(n))
}

/// A document that is one map.
pub(crate) fn one_map(text: &str, pairs: Vec<Pair>) -> Doc {
    let root = Node { span: Span::new(0, text.len()), kind: NodeKind::Map(pairs) };
    Doc { roots: vec![root], errors: Vec::new() }
}

impl Format {
    /// True if two spellings of a key are the same in a file.
    pub fn same_key(&self, path: &RelPath, written: &str, wanted: &str) -> bool {
        written == wanted
            || (self.constant && written == constant(wanted))
            || ((self.relaxed)(path) && plain(written) == plain(wanted))
    }

    /// A key as it is spelled in files of the format.
    pub fn spelled_key(&self, new: &str) -> String {
        if self.constant { constant(new) } else { new.to_owned() }
    }

    /// A key as it is spelled where another one is written so.
    pub fn spelled_like(&self, new: &str, written: &str) -> String {
        let small = written.chars().any(char::is_lowercase);
        if small { new.to_owned() } else { self.spelled_key(new) }
    }

    /// A value as it is written where another stands. With quotes of its own it is a text, whatever it reads as.
    pub fn written(&self, value: &str, old: &str) -> String {
        match self.text_in(value) {
            Some(text) => (self.write_value)(text, &value[..1]),
            None => (self.write_value)(value, old),
        }
    }

    /// True if a value stands there already.
    pub fn stands(&self, value: &str, text: &str, raw: &str) -> bool {
        match self.text_in(value) {
            Some(inner) => inner == text && raw.starts_with(['"', '\'']),
            None => value == text,
        }
    }

    /// What stands between the quotes of a value, where values are of kinds.
    fn text_in<'v>(&self, value: &'v str) -> Option<&'v str> {
        let quoted = |q: char| value.strip_prefix(q)?.strip_suffix(q);
        quoted('"').or_else(|| quoted('\'')).filter(|_| self.typed)
    }

    /// True if a text begins with a comment.
    pub fn is_comment(&self, text: &str) -> bool {
        self.comments.iter().any(|sign| text.starts_with(sign))
    }
}

/// A key in the form of an environment variable.
pub fn constant(key: &str) -> String {
    let mut out = String::new();
    for c in key.chars() {
        match c {
            '.' | '-' | ' ' => out.push('_'),
            c => out.extend(c.to_uppercase()),
        }
    }
    out
}

/// A key without what its spellings differ in.
pub(crate) fn plain(key: &str) -> String {
    key.chars().filter(|c| !matches!(c, '-' | '_')).flat_map(char::to_lowercase).collect()
}
