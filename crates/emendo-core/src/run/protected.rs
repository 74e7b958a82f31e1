//! Places that are left on purpose: files that the project's settings protect, and what a comment says to leave.

use std::collections::BTreeMap;

use emendo_lang::{Language, Tree};
use emendo_text::{Lines, RelPath};

/// What a comment says to leave the statement on its line, or below it, as it is.
const MARK: &str = "emendo: leave";
/// What begins comments in files that are not code.
const SIGNS: [&str; 8] = ["#", "//", "/*", "<!--", "--", ";", "*", "'"];

/// The places of a file that nothing is written at, by lines of the original, from 1.
#[derive(Clone, Debug, Default)]
pub(crate) struct Protected {
    /// The file as a whole, where the settings say so.
    whole: bool,
    /// Lines, each with the line of the comment.
    lines: BTreeMap<u32, u32>,
}

impl Protected {
    /// Reads the comments of a file.
    pub(crate) fn of(
        path: &RelPath,
        text: &str,
        language: Option<&'static Language>,
        whole: bool,
    ) -> Self {
        let mut out = Self { whole, ..Self::default() };
        if whole || memchr::memmem::find(text.as_bytes(), MARK.as_bytes()).is_none() {
            return out;
        }
        let tree = language.map(|l| (l, Tree::parse_file(l, path, text)));
        let lines = Lines::new(text);
        for (at, _) in text.match_indices(MARK) {
            let Some(begin) = comment_at(tree.as_ref().map(|t| &t.1), text, at) else { continue };
            let own = lines.line(at as u32);
            for line in guarded(tree.as_ref(), text, begin, &lines) {
                out.lines.entry(line).or_insert(own);
            }
        }
        out
    }

    /// Why nothing is written at any of these lines; none if it may be.
    pub(crate) fn reason(&self, lines: &[u32]) -> Option<String> {
        if self.whole {
            return Some("emendo.toml protects this file".to_owned());
        }
        let comment = lines.iter().find_map(|l| self.lines.get(l))?;
        Some(format!("the comment on line {comment} says to leave it"))
    }
}

/// Where the comment that holds a place begins; none if it stands in no comment.
fn comment_at(tree: Option<&Tree>, text: &str, at: usize) -> Option<usize> {
    let Some(tree) = tree else {
        let start = text[..at].rfind('\n').map_or(0, |n| n + 1);
        let found = SIGNS.iter().filter_map(|s| text[start..at].find(s)).min();
        return found.map(|n| start + n);
    };
    let mut node = tree.root().descendant_for_byte_range(at, at + MARK.len())?;
    while !node.is_extra() {
        node = node.parent()?;
    }
    Some(node.start_byte())
}

/// The lines that a comment guards: those of the statement on its own line, where it follows code, else on the next.
fn guarded(
    tree: Option<&(&'static Language, Tree)>,
    text: &str,
    begin: usize,
    lines: &Lines,
) -> Vec<u32> {
    let start = text[..begin].rfind('\n').map_or(0, |n| n + 1);
    let follows = !text[start..begin].trim().trim_matches(['{', '}']).trim().is_empty();
    let from = if follows { start } else { next_code(tree, text, begin) };
    let line = text.get(from..).unwrap_or("");
    let code = from + line.len() - line.trim_start().len();
    let span = tree.and_then(|(language, tree)| {
        let mut node = tree.root().descendant_for_byte_range(code, code + 1)?;
        // The statement, or what begins with it on its line.
        let items = language.writing.line_items;
        while let Some(parent) = node.parent().filter(|p| p.parent().is_some()) {
            if items.contains(&node.kind()) && parent.start_byte() != node.start_byte() {
                break;
            }
            node = parent;
        }
        Some((node.start_byte(), node.end_byte()))
    });
    let (from, to) = span.unwrap_or((code, code + 1));
    // What stands around the place on its own lines does not belong to it.
    let (first, last) = (lines.line(from as u32), lines.line(to.saturating_sub(1) as u32));
    (first..=last.max(first)).collect()
}

/// The beginning of the next line that holds more than comments and blanks.
fn next_code(tree: Option<&(&'static Language, Tree)>, text: &str, at: usize) -> usize {
    let mut from = text[at..].find('\n').map_or(text.len(), |n| at + n + 1);
    while from < text.len() {
        let end = text[from..].find('\n').map_or(text.len(), |n| from + n + 1);
        let line = text[from..end].trim_start();
        let code = from + text[from..end].len() - line.len();
        let comment = match tree {
            Some((_, tree)) => {
                let node = tree.root().descendant_for_byte_range(code, code + 1);
                node.is_some_and(|n| n.is_extra() || n.parent().is_some_and(|p| p.is_extra()))
            }
            None => SIGNS.iter().any(|s| line.starts_with(s)),
        };
        if !line.trim().is_empty() && !comment {
            return from;
        }
        from = end;
    }
    text.len()
}
