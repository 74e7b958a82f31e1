//! Rewrites inside an entry, whatever else stands in it: settings of a plugin, options of a dependency.

use emendo_docs::Entry;
use emendo_recipe::{Key, Shape, Table, Text, Value};
use emendo_text::{Diagnostic, Span, Splice};

use crate::contract::CompileCx;
use crate::shared::Snippet;

/// Keys of `[[step.library.rework]]`.
pub(super) const REWORK: &[Key] = &[
    Key::new("old", Shape::Text, "what stands in the entry, with slots"),
    Key::new("new", Shape::Text, "what comes there; `''` takes it away"),
    Key::new("pairs", Shape::Pairs, "several old and new"),
];

/// One old with its new.
pub(super) struct Rework {
    old: Snippet,
    new: Snippet,
}

/// Compiles the rewrites of an action.
pub(super) fn reworks(table: &Table, cx: &mut CompileCx<'_>) -> Option<Vec<Rework>> {
    let mut out = Vec::new();
    for (t, span) in table.tables("rework") {
        let mut rows: Vec<(&Text, &Text)> = Vec::new();
        match (t.text("old"), t.text("new")) {
            (Some(old), Some(new)) => rows.push((old, new)),
            (None, None) if t.get("pairs").is_some() => {}
            _ => {
                return cx.refuse(
                    "this does not say what becomes what",
                    span,
                    "write `old` and `new`, or `pairs`",
                );
            }
        }
        if let Some(Value::List(all)) = t.get("pairs").map(|n| &n.value) {
            for row in all {
                match &row.value {
                    Value::List(cells) if cells.len() == 2 => {
                        match (&cells[0].value, &cells[1].value) {
                            (Value::Text(old), Value::Text(new)) => rows.push((old, new)),
                            _ => return fault(cx, row.span),
                        }
                    }
                    _ => return fault(cx, row.span),
                }
            }
        }
        for (old, new) in rows {
            let (from, to) = (snippet(old, cx)?, snippet(new, cx)?);
            if from.is_empty() {
                cx.out.push(Diagnostic::error("this looks for nothing", old.span));
                return None;
            }
            if let Some(name) = to.slots().find(|s| !from.slots().any(|o| o == *s)) {
                return cx.refuse(
                    format!("`old` has no slot `{name}`"),
                    new.span,
                    "every slot of `new` must stand in `old`",
                );
            }
            out.push(Rework { old: from, new: to });
        }
    }
    Some(out)
}

fn fault(cx: &mut CompileCx<'_>, span: Span) -> Option<Vec<Rework>> {
    cx.out.push(Diagnostic::error("this is not a pair", span).help("a pair is [\"old\", \"new\"]"));
    None
}

fn snippet(t: &Text, cx: &mut CompileCx<'_>) -> Option<Snippet> {
    match Snippet::compile(&t.text) {
        Ok(s) => Some(s),
        Err(e) => {
            cx.out.push(Diagnostic::error(e.message, t.place(e.at)).help(e.help));
            None
        }
    }
}

/// What the rewrites change in an entry, besides what is changed already.
pub(super) fn rework(all: &[Rework], text: &str, entry: &Entry, splices: &mut Vec<Splice>) {
    for r in all {
        let done: Vec<Span> = match r.new.is_empty() {
            true => Vec::new(),
            false => r.new.find(text, entry.span).iter().map(|f| f.span).collect(),
        };
        for fit in r.old.find(text, entry.span) {
            // Where the new one stands already, the work is done. What is commented out is not part of an entry.
            if done.iter().any(|d| d.contains(fit.span)) || commented(text, entry.span, fit.span) {
                continue;
            }
            let written = r.new.write(text, &fit);
            let free = |s: &Splice| splices.iter().all(|o| !o.span.meets(s.span));
            if let Some(s) = written.filter(free) {
                splices.push(s);
            }
        }
    }
}

/// True for a place within a comment.
fn commented(text: &str, within: Span, at: Span) -> bool {
    let before = &text[within.start as usize..at.start as usize];
    let opened = before.rfind("<!--").is_some_and(|i| !before[i..].contains("-->"));
    let line = before.rsplit('\n').next().unwrap_or("").trim_start();
    opened || line.starts_with("//") || line.starts_with('#')
}
