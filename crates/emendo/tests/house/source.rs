//! The workspace's source files: their text without comments, strings and tests, as tokens.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// One file of a crate.
pub(crate) struct Source {
    /// Its path from the workspace's folder, with `/`.
    pub(crate) path: String,
    /// The text as it stands.
    pub(crate) text: String,
    /// The text without comments and without what stands in strings, and without test modules.
    pub(crate) code: String,
    /// The string literals outside of test modules, by line.
    pub(crate) strings: Vec<(usize, String)>,
}

/// The workspace's folder.
pub(crate) fn workspace() -> PathBuf {
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    own.ancestors().nth(2).expect("two folders below the workspace").to_owned()
}

/// The sources of a crate, by path.
pub(crate) fn sources(krate: &str) -> BTreeMap<String, Source> {
    let mut out = BTreeMap::new();
    collect(&workspace().join("crates").join(krate).join("src"), &mut out);
    out
}

fn collect(dir: &Path, out: &mut BTreeMap<String, Source>) {
    for entry in std::fs::read_dir(dir).expect("readable").flatten() {
        let path = entry.path();
        if path.is_dir() {
            collect(&path, out);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let text = std::fs::read_to_string(&path).expect("readable");
            let rel = path.strip_prefix(workspace()).expect("below").to_string_lossy();
            let rel = rel.replace('\\', "/");
            out.insert(rel.clone(), Source::new(rel, text));
        }
    }
}

impl Source {
    /// A file with this text.
    pub(crate) fn new(path: String, text: String) -> Self {
        let (code, strings) = strip(&text);
        let tests = code.find("#[cfg(test)]\nmod ").unwrap_or(code.len());
        let last = code[..tests].lines().count();
        let strings = strings.into_iter().filter(|s| s.0 <= last).collect();
        Self { path, code: code[..tests].to_owned(), text, strings }
    }
}

/// The text with comments and the insides of literals as blanks, and those of strings by line.
fn strip(text: &str) -> (String, Vec<(usize, String)>) {
    let (mut out, mut strings) = (String::new(), Vec::new());
    let (mut rest, mut line) = (text, 1);
    while let Some(c) = rest.chars().next() {
        let (taken, string) = taken(rest, out.chars().next_back());
        let piece = &rest[..taken];
        if piece.len() > c.len_utf8() {
            out.extend(piece.chars().map(|c| if c == '\n' { '\n' } else { ' ' }));
        } else {
            out.push(c);
        }
        if let Some(s) = string {
            strings.push((line, s.to_owned()));
        }
        line += piece.matches('\n').count();
        rest = &rest[taken..];
    }
    (out, strings)
}

/// How much of the text is one comment, literal or character, and the inside of a string.
fn taken(rest: &str, before: Option<char>) -> (usize, Option<&str>) {
    let whole = |end: Option<usize>| end.unwrap_or(rest.len());
    if rest.starts_with("//") {
        return (whole(rest.find('\n')), None);
    }
    if rest.starts_with("/*") {
        return (whole(rest.find("*/").map(|i| i + 2)), None);
    }
    let word = before.is_some_and(|c| c.is_alphanumeric() || c == '_');
    if let Some(raw) = rest.strip_prefix('r').filter(|_| !word) {
        let marks = raw.len() - raw.trim_start_matches('#').len();
        if raw[marks..].starts_with('"') {
            let close = format!("\"{}", "#".repeat(marks));
            let end = raw[marks + 1..].find(&close).map(|i| 2 + marks + i);
            let inside = &rest[2 + marks..whole(end)];
            return (whole(end.map(|e| e + close.len())), Some(inside));
        }
    }
    if let Some(inner) = rest.strip_prefix('"') {
        let mut escaped = false;
        let end = inner.find(|c| {
            let ends = c == '"' && !escaped;
            escaped = c == '\\' && !escaped;
            ends
        });
        let end = whole(end.map(|e| e + 2));
        return (end, rest.get(1..end - 1));
    }
    if rest.starts_with('\'') {
        let mut chars = rest.char_indices().skip(1);
        let (first, second) = (chars.next(), chars.next());
        if first.is_some_and(|f| f.1 == '\\') {
            return (whole(rest[3..].find('\'').map(|i| i + 4)), None);
        }
        if let Some((at, '\'')) = second {
            return (at + 1, None);
        }
    }
    (rest.chars().next().map_or(1, char::len_utf8), None)
}
