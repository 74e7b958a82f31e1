//! Where a new entry comes: beside another one that a recipe names.

use emendo_text::{RelPath, Span};

use crate::edits::Patch;
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
    behind: bool,
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
    let moved = anchors.filter_map(|a| moved(text, &patch, a, behind)).find(fits);
    moved.unwrap_or(patch)
}

/// The same entry on a line before or after another, or within the same line where entries are divided by commas.
fn moved(text: &str, patch: &Patch, anchor: &Entry, behind: bool) -> Option<Patch> {
    if !patch.span.is_empty() {
        return None;
    }
    let commas = patch.text.trim().starts_with(',') || patch.text.trim().ends_with(',');
    let body = patch.text.trim_matches(|c: char| c.is_whitespace() || c == ',');
    let (start, end) = (anchor.span.start as usize, anchor.span.end as usize);
    let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let line = text[..start].rfind('\n').map_or(0, |i| i + 1);
    let lead = &text[line..start];
    let at = |at: usize, text: String| Some(Patch { span: Span::at(at), text });
    if !lead.trim().is_empty() {
        return match (commas, behind) {
            (false, _) => None,
            (true, true) => at(end, format!(", {body}")),
            (true, false) => at(start, format!("{body}, ")),
        };
    }
    if !behind {
        // Remarks right above an entry are its own.
        let mut line = line;
        while let Some(above) =
            line.checked_sub(1).map(|e| text[..e].rfind('\n').map_or(0, |i| i + 1))
        {
            let said = text[above..line].trim();
            let remark = ["#", "//", "<!--"].iter().any(|sign| said.starts_with(sign));
            if !remark || said.starts_with("<!--") && !said.ends_with("-->") {
                break;
            }
            line = above;
        }
        let comma = if commas { "," } else { "" };
        return at(line, format!("{lead}{body}{comma}{nl}"));
    }
    let next = text[end..].find('\n').map(|i| end + i + 1);
    // A remark after the comma stays with the entry before it.
    let line = text[end..].lines().next().unwrap_or("").trim();
    let divided = line.starts_with(',') && line.len() > 1;
    match next {
        Some(next) if !commas => at(next, format!("{lead}{body}{nl}")),
        Some(next) if divided => at(next, format!("{lead}{body},{nl}")),
        _ if commas => at(end, format!(",{nl}{lead}{body}")),
        _ => at(end, format!("{nl}{lead}{body}")),
    }
}
