//! Entries that are missing: where they come, and beside which others.

use emendo_docs::{Entry, EntryKind, Manifest, New, beside};
use emendo_lang::{Certainty, Fact};
use emendo_text::{Digest, Hasher, Span};

use crate::contract::{FileCx, Found, NoteDraft};
use crate::library::runner::{LibraryPart, LibraryRunner, patched};

impl LibraryRunner {
    /// Adds what is missing.
    pub(super) fn add(&self, cx: &FileCx<'_>, action: usize, manifest: &Manifest, out: &mut Found) {
        let (Some((digest, coordinate)), LibraryPart::Entry(kind)) = (&self.added, self.what)
        else {
            return;
        };
        let places = std::iter::once(self.place.as_deref().unwrap_or(""));
        for place in places.chain(self.more_places.iter().map(String::as_str)) {
            self.add_at(cx, action, manifest, (*digest, coordinate, kind, place), out);
        }
    }

    /// Adds what is missing at one place.
    fn add_at(
        &self,
        cx: &FileCx<'_>,
        action: usize,
        manifest: &Manifest,
        (digest, coordinate, kind, place): (Digest, &str, EntryKind, &str),
        out: &mut Found,
    ) {
        let plain = self.ecosystem.plain;
        let named = |e: &&Entry, c: &str| {
            let word = kind == EntryKind::Repository && e.names.get(1).is_some_and(|n| n.text == c);
            e.kind == kind && (word || plain(&e.coordinate) == plain(c))
        };
        let has = |c: &str| manifest.entries.iter().any(|e| named(&e, c));
        // A place that code comes from may be there for other uses only.
        let here =
            |e: &&Entry| kind != EntryKind::Repository || place.is_empty() || e.scope == place;
        let there = manifest.entries.iter().filter(here).any(|e| named(&e, coordinate));
        let near = match (&self.near, self.rules.first()) {
            (Some(_), _) => self.awaited || self.anchors.iter().any(|c| has(c)),
            (None, Some(_)) => {
                let meant =
                    |e: &Entry| self.row(e).is_some() && self.entry_below(cx, e) == Some(true);
                manifest.entries.iter().any(meant)
            }
            // It goes where something of the kind is, or where a condition says.
            (None, None) => self.chosen || manifest.entries.iter().any(|e| e.kind == kind),
        };
        if there || !near {
            return;
        }
        let stands =
            self.anchors.iter().find_map(|c| manifest.entries.iter().find(|e| named(e, c)));
        let like = stands.map(|e| e.span.of(cx.text));
        let new = New {
            kind,
            coordinate,
            version: self.target.as_deref(),
            scope: place,
            features: &self.features_add,
            id: self.id.as_deref(),
            like,
        };
        let patch = (self.ecosystem.add)(cx.path, cx.text, &new).map(|p| match &self.near {
            Some((_, side)) => {
                let anchors = self
                    .anchors
                    .iter()
                    .flat_map(|c| manifest.entries.iter().filter(move |e| named(e, c)));
                beside(self.ecosystem, cx.path, cx.text, p, anchors, *side)
            }
            None => p,
        });
        match patch {
            Some(patch) => {
                let text = format!("`{coordinate}` is not named here yet");
                let fact = Fact { says: Certainty::Certain, text, at: None };
                let row = self.rules.len();
                let splices = vec![patched(&patch)];
                // Of one address for several uses, each is an edit of its own.
                let digest = match place {
                    "" => digest,
                    place => Hasher::new().digest(digest).part(place).finish(),
                };
                self.push((action, row), digest, patch.span, splices, vec![fact], out);
            }
            None => {
                let say = format!("`{coordinate}` is to be added here by hand");
                out.notes.push(NoteDraft::new(Span::at(0), say));
            }
        }
    }
}
