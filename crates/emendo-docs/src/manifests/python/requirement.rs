//! Requirements as one text: a name, features, versions, markers.

use emendo_text::Span;

use crate::edits::Patch;
use crate::manifests::ecosystem::{Entry, EntryKind, Value};

/// A requirement (PEP 508) at a place of the text.
pub(super) fn requirement(text: &str, at: Span, scope: &str, removal: Patch) -> Option<Entry> {
    let raw = at.of(text);
    let body = raw.trim_start();
    let start = at.start as usize + raw.len() - body.len();
    let word = |c: char| c.is_ascii_alphanumeric() || "._-".contains(c);
    let len = body.find(|c| !word(c)).unwrap_or(body.len());
    let name = &body[..len];
    if name.is_empty() || !name.starts_with(|c: char| c.is_ascii_alphanumeric()) {
        return None;
    }
    let mut from = start + len;
    let mut features = Vec::new();
    let rest = &text[from..at.end as usize];
    if rest.trim_start().starts_with('[')
        && let Some(close) = rest.find(']')
    {
        let open = rest.find('[').unwrap_or(0) + 1;
        let mut piece = from + open;
        for part in rest[open..close].split(',') {
            let lead = part.len() - part.trim_start().len();
            let span = Span::new(piece + lead, piece + lead + part.trim().len());
            features.push(Value::new(text, span));
            piece += part.len() + 1;
        }
        from += close + 1;
    }
    let rest = &text[from..at.end as usize];
    // Markers and places come after.
    let end = rest.find([';', '#', '@']).or_else(|| rest.find(" --")).unwrap_or(rest.len());
    let written = &rest[..end];
    let open = written.trim_start().starts_with('(');
    // A line may go on.
    let blank = |c: char| c.is_whitespace() || c == '\\';
    let trimmed = written.trim_matches(blank).trim_start_matches('(').trim_end_matches(')').trim();
    let lead = written.find(trimmed).unwrap_or(0);
    let version = (!trimmed.is_empty()
        && (trimmed.starts_with(['=', '>', '<', '~', '!', '^']) || open))
        .then(|| Value::new(text, Span::new(from + lead, from + lead + trimmed.len())));
    let name = Value::new(text, Span::new(start, start + len));
    let coordinate = name.text.clone();
    let behind = Span::at(start + len);
    let room = if features.is_empty() {
        vec![Patch { span: behind, text: "[{}]".to_owned() }]
    } else {
        Vec::new()
    };
    // `name @ address`
    let elsewhere = rest[end..].strip_prefix('@').map(|u| {
        let lead = from + end + 1 + u.len() - u.trim_start().len();
        let len = u.trim_start().find([' ', ';']).unwrap_or(u.trim_start().len());
        Value::new(text, Span::new(lead, lead + len))
    });
    let base = Entry::new(EntryKind::Dependency, vec![name], at, removal);
    let scope = scope.to_owned();
    Some(Entry { coordinate, version, scope, features, room, elsewhere, ..base })
}
