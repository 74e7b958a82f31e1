//! Elements that come between tags.

use emendo_text::Span;

use crate::doc::{Node, Pair};
use crate::edits::{Edits, Patch};

/// Adds an element at a path, with what is missing on the way, after the last child of its parent.
pub(super) fn insert(edits: &Edits<'_>, path: &[String], raw: &str, root: &Node) -> Option<Patch> {
    let (node, rest) = edits.deepest(root, path);
    let is_element = |p: &&Pair| p.span.of(edits.text).starts_with('<');
    let step = edits.step();
    if let Some(last) = node.pairs().iter().rfind(is_element) {
        // Where names have dots, one element is a path.
        let dotted = |p: &Pair| p.keys.iter().any(|k| k.text.contains('.')) && is_element(&p);
        let flat = node.pairs().iter().any(dotted);
        let line = edits.line_start(last.span.start as usize);
        let lead = &edits.text[line..last.span.start as usize];
        if !lead.trim().is_empty() {
            let entry = nested(rest, raw, flat, None);
            return Some(Patch { span: Span::at(last.span.end as usize), text: entry });
        }
        let entry = nested(rest, raw, flat, Some((lead, &step, edits.line_end())));
        return Some(edits.line_behind(Some(last.span.end as usize), lead, &entry));
    }
    // An element that holds nothing yet.
    let (name, below) = rest.split_first()?;
    let empty =
        node.pairs().iter().filter(is_element).find(|p| p.keys.iter().any(|k| k.text == *name));
    let (parent, rest) = match empty.filter(|_| !below.is_empty()) {
        Some(pair) => (pair.span, below),
        None => (node.span, rest),
    };
    into_empty(edits, parent, rest, raw, &step)
}

/// Writes the first child of an element.
fn into_empty(
    edits: &Edits<'_>,
    parent: Span,
    rest: &[String],
    raw: &str,
    step: &str,
) -> Option<Patch> {
    let text = parent.of(edits.text);
    let line = edits.line_start(parent.start as usize);
    let before = &edits.text[line..parent.start as usize];
    let lead = &before[..before.len() - before.trim_start().len()];
    let deeper = format!("{lead}{step}");
    let nl = edits.line_end();
    let entry = nested(rest, raw, false, Some((&deeper, step, nl)));
    if let Some(open) = text.strip_suffix("/>") {
        let name: String = text[1..]
            .chars()
            .take_while(|c| !(c.is_whitespace() || matches!(c, '/' | '>')))
            .collect();
        let at = parent.start as usize + open.trim_end().len();
        let text = format!(">{nl}{deeper}{entry}{nl}{lead}</{name}>");
        return Some(Patch { span: Span::new(at, parent.end as usize), text });
    }
    let close = text.rfind("</")?;
    let inner = &text[..close];
    let at = parent.start as usize + inner.trim_end().len();
    inner.trim_end().ends_with('>').then(|| Patch {
        span: Span::new(at, parent.start as usize + close),
        text: format!("{nl}{deeper}{entry}{nl}{lead}"),
    })
}

/// Elements within one another; on lines of their own, from an indentation on by steps, if that is said.
fn nested(path: &[String], raw: &str, flat: bool, lines: Option<(&str, &str, &str)>) -> String {
    if flat || path.len() < 2 {
        let name = path.join(".");
        return format!("<{name}>{raw}</{name}>");
    }
    let (mut open, mut close) = (String::new(), String::new());
    for (i, name) in path.iter().enumerate() {
        let last = i + 1 == path.len();
        let gap = |depth: usize| {
            lines.map_or(String::new(), |(lead, step, nl)| {
                format!("{nl}{lead}{}", step.repeat(depth))
            })
        };
        if i > 0 {
            open.push_str(&gap(i));
        }
        open.push_str(&format!("<{name}>"));
        let end = if last { String::new() } else { gap(i) };
        close.insert_str(0, &format!("{end}</{name}>"));
    }
    format!("{open}{raw}{close}")
}
