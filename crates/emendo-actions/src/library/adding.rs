//! Entries that are missing: where they come, and beside which others.

use emendo_docs::{Entry, EntryKind, Manifest, New, beside};
use emendo_lang::{Certainty, Fact};
use emendo_text::Span;

use crate::contract::{FileCx, Found, NoteDraft};
use crate::library::runner::{LibraryPart, LibraryRunner, patched};

impl LibraryRunner {
    /// Adds what is missing.
    pub(super) fn add(&self, cx: &FileCx<'_>, action: usize, manifest: &Manifest, out: &mut Found) {
        let (Some((digest, coordinate)), LibraryPart::Entry(kind)) = (&self.added, self.what)
        else {
            return;
        };
        let plain = self.ecosystem.plain;
        let named = |e: &&Entry, c: &str| {
            let word = kind == EntryKind::Repository && e.names.get(1).is_some_and(|n| n.text == c);
            e.kind == kind && (word || plain(&e.coordinate) == plain(c))
        };
        let has = |c: &str| manifest.entries.iter().any(|e| named(&e, c));
        let near = match (&self.near, self.rules.first()) {
            (Some((c, _)), _) => has(c),
            (None, Some(_)) => manifest.entries.iter().any(|e| self.row(e).is_some()),
            // It goes where something of the kind is, or where a condition says.
            (None, None) => self.chosen || manifest.entries.iter().any(|e| e.kind == kind),
        };
        if has(coordinate) || !near {
            return;
        }
        let new = New {
            kind,
            coordinate,
            version: self.target.as_deref(),
            scope: self.place.as_deref().unwrap_or(""),
            features: &self.features_add,
            id: self.id.as_deref(),
        };
        let patch = (self.ecosystem.add)(cx.path, cx.text, &new).map(|p| match &self.near {
            Some((c, behind)) => {
                let anchors = manifest.entries.iter().filter(|e| named(e, c));
                beside(self.ecosystem, cx.path, cx.text, p, anchors, *behind)
            }
            None => p,
        });
        match patch {
            Some(patch) => {
                let text = format!("`{coordinate}` is not named here yet");
                let fact = Fact { says: Certainty::Certain, text, at: None };
                let row = self.rules.len();
                let splices = vec![patched(&patch)];
                self.push((action, row), *digest, patch.span, splices, vec![fact], out);
            }
            None => {
                let say = format!("`{coordinate}` is to be added here by hand");
                out.notes.push(NoteDraft { at: Span::at(0), say });
            }
        }
    }
}
