//! `below`: only where the standing version is lower.

use emendo_docs::{Entry, Value, Version, lowest};
use emendo_recipe::Table;

use crate::contract::{CompileCx, FileCx, Found, NoteDraft};
use crate::library::runner::{LibraryPart, LibraryRunner};

/// Reads the version that an action says; an error, with a message, if it is none or there is nothing that could have one.
pub(super) fn below(
    table: &Table,
    what: LibraryPart,
    cx: &mut CompileCx<'_>,
) -> Option<Option<Version>> {
    let Some(t) = table.text("below") else { return Some(None) };
    if ["old", "family", "pairs", "table"].iter().all(|k| table.get(k).is_none()) {
        let message = "`below` asks for a version that stands, and nothing is named that has one";
        return cx.refuse(message, t.span, "write `old` or `family`");
    }
    if matches!(what, LibraryPart::Entry(emendo_docs::EntryKind::Repository)) {
        return cx.refuse("a repository has no version", t.span, "leave `below` out");
    }
    match Version::parse(&t.text) {
        Some(version) => Some(Some(version)),
        None => {
            let message = format!("`{}` is not a version", t.text);
            cx.refuse(
                message,
                t.span,
                "for example `3.8`: lower ones are meant, and not 3.8 itself",
            )
        }
    }
}

impl LibraryRunner {
    /// True if a version is one that the action is about.
    pub(super) fn is_below(&self, written: &str) -> bool {
        let lower = |limit| lowest(written).is_some_and(|v| v.compare(limit).is_lt());
        self.below.as_ref().is_none_or(lower)
    }

    /// True if the version of an entry is one that the action is about; `None` if it is not known.
    pub(super) fn entry_below(&self, cx: &FileCx<'_>, entry: &Entry) -> Option<bool> {
        if self.below.is_none() {
            return Some(true);
        }
        if let Some(version) = &entry.version {
            let held = version.property().map(|name| self.value_of(cx.manifests, cx.path, name));
            let text = match held {
                Some(found) => found?,
                None => version.text.as_str(),
            };
            return lowest(text).map(|_| self.is_below(text));
        }
        // It is managed in another place: all that stand there must agree.
        let plain = self.ecosystem.plain;
        let own = plain(&entry.coordinate);
        let written = |v: &Value| v.property().is_none() && lowest(&v.text).is_some();
        let mut all = cx.manifests.values().flat_map(|m| &m.entries);
        let mut known = all
            .by_ref()
            .filter(|e| e.kind == entry.kind && plain(&e.coordinate) == own)
            .filter_map(|e| e.version.as_ref().filter(|v| written(v)))
            .map(|v| self.is_below(&v.text));
        let first = known.next()?;
        known.all(|k| k == first).then_some(first)
    }

    /// A note at an entry whose version is not known, if the action would do more than to raise it.
    pub(super) fn unknown_version(&self, entry: &Entry, out: &mut Found) {
        let Some(limit) = self.below.as_ref().filter(|_| self.changes_more()) else { return };
        let say = format!(
            "the version of `{}` is not known here: if it is below {limit}, change the entry by hand",
            entry.coordinate
        );
        out.notes.push(NoteDraft::new(entry.span, say));
    }

    /// True if the action does more to an entry than to raise its version.
    fn changes_more(&self) -> bool {
        let renames = self.rules.iter().any(|r| r.new.is_some());
        let features = !self.features.is_empty() || !self.features_add.is_empty();
        renames || features || self.remove || !self.reworks.is_empty()
    }
}
