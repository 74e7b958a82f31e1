//! Where a new entry comes: beside another one that a recipe names.

use emendo_text::RelPath;

use crate::edits::{Patch, Side, moved};
use crate::manifests::ecosystem::{Ecosystem, Entry, EntryKind};

/// What a manifest says of an entry.
type Said = (EntryKind, String, String, Option<String>);

/// Moves an entry that is to be added to the first of these that it can stand beside; it stays where it is if the manifest would
/// then say something else, as where the two are in different lists.
pub fn beside<'e>(
    ecosystem: &Ecosystem,
    path: &RelPath,
    text: &str,
    patch: Patch,
    anchors: impl Iterator<Item = &'e Entry>,
    side: Side,
) -> Patch {
    let said = |p: &Patch| {
        let (start, end) = (p.span.start as usize, p.span.end as usize);
        let whole = format!("{}{}{}", &text[..start], p.text, &text[end..]);
        let manifest = (ecosystem.read)(path, &whole).ok()?;
        let one = |e: Entry| (e.kind, e.coordinate, e.scope, e.version.map(|v| v.text));
        let mut all: Vec<Said> = manifest.entries.into_iter().map(one).collect();
        all.sort_by(|a, b| (&a.1, &a.2, &a.3).cmp(&(&b.1, &b.2, &b.3)));
        Some(all)
    };
    let told = said(&patch);
    let fits = |p: &Patch| told.is_some() && said(p) == told;
    let moved = anchors.filter_map(|a| moved(text, &patch, a.span, side)).find(fits);
    moved.unwrap_or(patch)
}
