//! Paths of files that moved or went, where they are still written: in pages, settings, comments.

use std::sync::Arc;

use emendo_lang::{Certainty, Project as _};
use emendo_text::{Chunk, RelPath, Span, Template};

use crate::contract::{Asks, FileCx, Found, Needs, OldPath, Remains, Runner, Tables};
use crate::file::mend::below;

/// Looks for paths of files that are not there any more.
pub struct PathWatch {
    tables: Arc<Tables>,
    old: Vec<OldPath>,
}

impl PathWatch {
    /// For these paths.
    pub fn new(tables: Arc<Tables>, old: Vec<OldPath>) -> Self {
        Self { tables, old }
    }
}

/// The words that every path of a pattern holds whole.
fn words(written: &str) -> Vec<String> {
    let chunks = Template::parse_text(written).map(|t| t.chunks).unwrap_or_default();
    let mut out = Vec::new();
    for (i, chunk) in chunks.iter().enumerate() {
        let Chunk::Text { text, .. } = chunk else { continue };
        let parts: Vec<&str> = text.split(|c: char| !c.is_alphanumeric() && c != '_').collect();
        let (first, last) = (i > 0, i + 1 < chunks.len());
        let inner = parts.len().saturating_sub(usize::from(last));
        let whole = parts.iter().take(inner).skip(usize::from(first));
        // A relative path need not name the folders.
        out.extend(whole.filter(|w| !w.is_empty()).map(|w| (*w).to_owned()));
    }
    out.last().cloned().into_iter().collect()
}

impl Runner for PathWatch {
    fn asks(&self) -> Asks {
        let needs = self.old.iter().map(|o| words(&o.written));
        Asks { kind: "file", needs: Needs::of(needs), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        !self.tables.is_lock(path)
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}

    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        let files = cx.project.files();
        let gone = |path: &RelPath| {
            let moved = cx.moves.and_then(|m| m.of(path)).is_some_and(|m| m.stands());
            moved || !files.exists(path.as_str())
        };
        for at in spelled(cx.text) {
            let written = at.of(cx.text);
            let slashed = written.replace('\\', "/");
            let from_root = slashed.trim_start_matches("./").trim_start_matches('/').to_owned();
            let own = below(cx.path.folder(), &slashed);
            for path in [Some(from_root), own].into_iter().flatten() {
                let Ok(path) = RelPath::new(&path) else { continue };
                let Some(old) = self.old.iter().find(|o| (o.fits)(path.as_str())) else {
                    continue;
                };
                if path == *cx.path || !gone(&path) {
                    continue;
                }
                out.push(Remains {
                    at,
                    symbol: old.written.clone(),
                    certainty: Certainty::Unsure,
                    why: format!("it names `{path}`, which is not there any more"),
                    fact: None,
                });
                break;
            }
        }
    }
}

/// What looks like the path of a file: letters, signs of paths, and an ending or a folder.
fn spelled(text: &str) -> Vec<Span> {
    let sign =
        |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.' | '/' | '\\' | '@' | '~');
    let mut out = Vec::new();
    let mut start = None;
    for (i, c) in text.char_indices().chain([(text.len(), ' ')]) {
        match (sign(c), start) {
            (true, None) => start = Some(i),
            (false, Some(from)) => {
                start = None;
                let word = text[from..i].trim_end_matches(['.', '/']);
                if word.len() > 2 && word.contains(['/', '.', '\\']) {
                    out.push(Span::new(from, from + word.len()));
                }
            }
            _ => {}
        }
    }
    out
}
