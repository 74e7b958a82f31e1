//! Features of an entry: renamed, taken away, added, also where none are written yet.

use emendo_docs::{Entry, Patch, Value};
use emendo_text::{Span, Splice};

use crate::contract::{FileCx, Found, NoteDraft};
use crate::library::runner::LibraryRunner;

impl LibraryRunner {
    pub(super) fn feature_changes(
        &self,
        cx: &FileCx<'_>,
        entry: &Entry,
        splices: &mut Vec<Splice>,
        out: &mut Found,
    ) {
        let gone = |v: &Value| self.features.iter().any(|(o, n)| *o == v.text && n.is_empty());
        for v in &entry.features {
            let renamed = self.features.iter().find(|(o, n)| *o == v.text && !n.is_empty());
            splices.extend(renamed.map(|(_, n)| Splice::text(v.span, n.clone())));
        }
        let quoted = |v: &Value| {
            let n = u32::from(cx.text[v.span.end as usize..].starts_with(['"', '\'']));
            Span { start: v.span.start - n, end: v.span.end + n }
        };
        let has = |f: &&String| !entry.features.iter().any(|o| o.text == **f);
        // What another manifest says of the entry says its features too.
        let said = entry.version.is_some() || entry.elsewhere.is_some();
        let mut coming = self.features_add.iter().filter(has).filter(|_| said);
        let mut last = None;
        for (i, v) in entry.features.iter().enumerate() {
            if !gone(v) {
                last = Some(v.span);
                continue;
            }
            // One that comes takes the place of one that goes.
            if let Some(new) = coming.next() {
                splices.push(Splice::text(v.span, new.clone()));
                last = Some(v.span);
                continue;
            }
            let own = quoted(v);
            let next = entry.features.get(i + 1).map(quoted);
            let before = i.checked_sub(1).map(|b| quoted(&entry.features[b]));
            let span = match (next, before) {
                (Some(next), _) => Span { start: own.start, end: next.start },
                (None, Some(before)) => Span { start: before.end, end: own.end },
                (None, None) => own,
            };
            splices.push(Splice::text(span, ""));
        }
        let coming: Vec<&String> = coming.collect();
        if coming.is_empty() {
            return;
        }
        match last {
            Some(last) => {
                let own = quoted(&Value::new(cx.text, last));
                let quote = &cx.text[last.end as usize..own.end as usize];
                // On a line of its own where the last one is.
                let line = cx.text[..own.start as usize].rfind('\n').map_or(0, |i| i + 1);
                let lead = &cx.text[line..own.start as usize];
                let sign = match (quote.is_empty(), lead.trim().is_empty() && line > 0) {
                    (true, _) => ",".to_owned(),
                    (false, true) => format!(",{}{lead}", cx.line_end),
                    (false, false) => ", ".to_owned(),
                };
                let text = coming.iter().map(|n| format!("{sign}{quote}{n}{quote}"));
                splices.push(Splice::text(Span::at(own.end as usize), text.collect::<String>()));
            }
            None if !entry.room.is_empty() => {
                let plain = coming.iter().map(|n| n.as_str()).collect::<Vec<_>>().join(",");
                let quoted: Vec<String> = coming.iter().map(|n| format!("\"{n}\"")).collect();
                let quoted = quoted.join(", ");
                let text = |p: &Patch| p.text.replace("{}", &plain).replace("{q}", &quoted);
                splices.extend(entry.room.iter().map(|p| Splice::text(p.span, text(p))));
            }
            None => {
                let names: Vec<String> = coming.iter().map(|n| format!("`{n}`")).collect();
                let say = format!("`{}` needs {} here", entry.coordinate, names.join(", "));
                out.notes.push(NoteDraft::new(entry.span, say));
            }
        }
    }
}
