//! Looks for libraries that are still named: in manifests, scripts, pages, notebooks, settings of builds.

use std::sync::Arc;

use emendo_lang::Certainty;
use emendo_text::{RelPath, Span};

use crate::contract::{Asks, FileCx, Found, Needs, OldCoordinate, Remains, Runner, Tables};

/// Words of a line by which tools are told which libraries to take.
const TAKES: &[&str] = &[
    "install",
    "add",
    "require",
    "get",
    "remove",
    "update",
    "upgrade",
    "import",
    "dependency",
    "dependencies",
    "package",
    "gem",
    "pip",
    "uses",
];

/// Looks for coordinates in files that are not code.
pub struct CoordinateWatch {
    tables: Arc<Tables>,
    old: Vec<OldCoordinate>,
    needs: Needs,
}

impl CoordinateWatch {
    /// Looks for these.
    pub fn new(tables: Arc<Tables>, old: Vec<OldCoordinate>) -> Self {
        // The parts of a coordinate may stand apart, as in elements.
        let parts = old.iter().map(|o| {
            o.coordinate.split(':').filter(|p| !p.is_empty()).map(str::to_owned).collect()
        });
        let needs = Needs::of(parts);
        Self { tables, old, needs }
    }

    /// The entries of a manifest that name a library still.
    fn entries(&self, cx: &FileCx<'_>) -> Vec<(Span, &OldCoordinate)> {
        let Some(ecosystem) = self.tables.ecosystem_of(cx.path) else { return Vec::new() };
        let Ok(manifest) = (ecosystem.read)(cx.path, cx.text) else { return Vec::new() };
        let plain = ecosystem.plain;
        let own = self.old.iter().filter(|o| o.ecosystem == ecosystem.id);
        let entries = manifest.entries.iter().chain(&manifest.mentions);
        let mut out = Vec::new();
        for old in own {
            let named = entries.clone().filter(|e| plain(&e.coordinate) == plain(&old.coordinate));
            out.extend(named.map(|e| (e.span, old)));
        }
        out
    }
}

impl Runner for CoordinateWatch {
    fn asks(&self) -> Asks {
        Asks { kind: "leftovers", needs: self.needs.clone(), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        let manifest = self.tables.ecosystem_of(path).is_some();
        (manifest || self.tables.language_of(path).is_none()) && !self.tables.is_lock(path)
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}

    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        let mut push = |at: Span, old: &OldCoordinate, certainty, why: &str| {
            let symbol = old.coordinate.clone();
            out.push(Remains { at, symbol, certainty, why: why.to_owned(), fact: None });
        };
        let entries = self.entries(cx);
        for (at, old) in &entries {
            push(*at, old, Certainty::Certain, "the manifest names it");
        }
        for old in &self.old {
            for at in spelled(cx.text, &old.coordinate) {
                if !entries.iter().any(|(e, _)| e.contains(at)) {
                    push(at, old, Certainty::Likely, "the file names the library");
                }
            }
        }
    }
}

/// Where a coordinate stands by itself; one of a single word only where something tells that a library is meant.
fn spelled(text: &str, coordinate: &str) -> Vec<Span> {
    let part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-');
    let found = memchr::memmem::find_iter(text.as_bytes(), coordinate.as_bytes());
    let fits = |at: &usize| {
        let (before, after) = (&text[..*at], &text[at + coordinate.len()..]);
        let joined = before.ends_with(|c: char| part(c) || matches!(c, '.' | '/' | '@'));
        let goes_on = after.starts_with(part)
            || after.starts_with(['.', '/']) && after[1..].starts_with(char::is_alphanumeric);
        let single = !coordinate.contains([':', '/', '.']);
        !joined && !goes_on && (!single || is_library(before, after))
    };
    found.filter(fits).map(|at| Span::new(at, at + coordinate.len())).collect()
}

/// True if what stands around a word tells that it is the name of a library.
fn is_library(before: &str, after: &str) -> bool {
    let quoted = ['"', '\'', '`'].iter().any(|q| before.ends_with(*q) && after.starts_with(*q));
    let version = ["@", "==", ">=", "~=", "<=", "[", "=="].iter().any(|s| {
        after.strip_prefix(s).is_some_and(|r| r.trim_start().starts_with(char::is_alphanumeric))
    });
    let line = before.rsplit('\n').next().unwrap_or("");
    let words = line.split(|c: char| !c.is_alphanumeric());
    quoted || version || words.into_iter().any(|w| TAKES.contains(&w))
}
