//! Paths of files in manifests, and in the settings that modules rest on.

use std::sync::Arc;

use emendo_lang::{Certainty, Fact};
use emendo_text::{RelPath, Span, Splice};

use crate::contract::{Asks, FileCx, Found, Runner, Tables};
use crate::file::mend::moved::mended;

/// Mends quoted paths in manifests.
pub(super) struct LinkMender {
    tables: Arc<Tables>,
}

impl LinkMender {
    pub(super) fn new(tables: Arc<Tables>) -> Self {
        Self { tables }
    }
}

impl Runner for LinkMender {
    fn asks(&self) -> Asks {
        Asks { kind: "file", ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        let modules = self.tables.languages.iter().filter_map(|l| l.modules.as_ref());
        let mut settings = modules.flat_map(|m| m.settings);
        let code = self.tables.language_of(path).is_some();
        !code
            && !self.tables.is_lock(path)
            && (self.tables.ecosystem_of(path).is_some() || settings.any(|s| *s == path.name()))
    }

    fn find(&self, cx: &FileCx<'_>, _: usize, out: &mut Found) {
        let Some(moves) = cx.moves else { return };
        let from = cx.path.folder();
        let to = moves.target(cx.path).unwrap_or(cx.path).folder();
        let all = quoted(cx.text);
        let slashes = |sign: char| all.iter().any(|q| q.of(cx.text).contains(sign));
        let usual = slashes('\\');
        for at in all.iter().copied() {
            let written = at.of(cx.text);
            // A name alone says nothing of how folders are written.
            let back = !written.contains('/') && (written.contains('\\') || usual);
            let plain = if back { written.replace('\\', "/") } else { written.to_owned() };
            let Some(path) = below(from, &plain) else { continue };
            let Ok(path) = RelPath::new(&path) else { continue };
            let Some(m) = moves.of(&path) else { continue };
            let Some(target) = moves.target(&path) else { continue };
            let new = relative(to, target.as_str());
            let new = if plain.starts_with("./") && !new.starts_with("../") {
                format!("./{new}")
            } else {
                new
            };
            let new = if back { new.replace('/', "\\") } else { new };
            if new == written {
                continue;
            }
            let text = format!("it names the file `{path}`");
            let fact = Fact { says: Certainty::Likely, text, at: Some(at) };
            out.drafts.push(mended(m, at, fact, vec![Splice::text(at, new)]));
        }
    }
}

/// What stands in quotes on one line.
fn quoted(text: &str) -> Vec<Span> {
    let mut out = Vec::new();
    let mut open: Option<(usize, u8)> = None;
    for (i, b) in text.bytes().enumerate() {
        match (b, open) {
            (b'\n', _) => open = None,
            (b'"' | b'\'', None) => open = Some((i + 1, b)),
            (_, Some((start, quote))) if b == quote => {
                out.push(Span::new(start, i));
                open = None;
            }
            _ => {}
        }
    }
    out
}

/// A path below a folder, its dots resolved.
pub(crate) fn below(folder: &str, path: &str) -> Option<String> {
    if path.is_empty() || path.starts_with('/') || path.contains(['*', '$', '{', ' ']) {
        return None;
    }
    let mut parts: Vec<&str> = Vec::new();
    for part in folder.split('/').chain(path.split('/')) {
        match part {
            "." | "" => {}
            ".." => drop(parts.pop()?),
            name => parts.push(name),
        }
    }
    Some(parts.join("/"))
}

/// A path as seen from a folder.
pub(super) fn relative(folder: &str, target: &str) -> String {
    let from: Vec<&str> = folder.split('/').filter(|s| !s.is_empty()).collect();
    let to: Vec<&str> = target.split('/').collect();
    let same = from.iter().zip(&to).take_while(|(a, b)| a == b).count();
    format!("{}{}", "../".repeat(from.len() - same), to[same..].join("/"))
}
