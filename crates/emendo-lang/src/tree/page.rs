//! Code in a text that is a page: what stands in its brackets.

use emendo_text::Span;

use crate::language::Layer;
use crate::tree::{Node, children, span, walk};

/// Elements whose content holds no code in braces.
const RAW: &[&str] = &["script", "style"];

/// True for a text that is a page, by what it begins with.
pub(crate) fn is_page(layer: &Layer, node: Node<'_>, parent: Node<'_>, text: &str) -> bool {
    let named = |c: &Node<'_>| layer.pages.contains(&span(*c).of(text));
    node.kind() == layer.kind
        && parent.kind() == layer.parent
        && children(parent).iter().take_while(|c| c.id() != node.id()).any(named)
}

/// Where code stands in the pages of a text, and which bytes end a piece.
pub(super) fn pieces(layer: &Layer, root: Node<'_>, text: &str) -> (Vec<Span>, Vec<u32>) {
    let (mut ranges, mut ends) = (Vec::new(), Vec::new());
    walk(root, |node| {
        if node.kind() != layer.parent {
            return true;
        }
        for page in children(node).into_iter().filter(|c| is_page(layer, *c, node, text)) {
            code_in(text, span(page), &mut |at: Span| {
                ranges.push(Span { start: at.start, end: at.end + 1 });
                ends.push(at.end);
            });
        }
        false
    });
    (ranges, ends)
}

/// Finds the code in a page: between `<%` and `%>`, and in braces.
fn code_in(text: &str, page: Span, found: &mut impl FnMut(Span)) {
    let end = page.end as usize;
    let mut at = page.start as usize;
    let mut raw: Option<&str> = None;
    while at < end {
        let rest = &text[at..end];
        let next = rest.chars().next().map_or(1, char::len_utf8);
        if let Some(close) = [("<%!--", "--%>"), ("<!--", "-->"), ("<%#", "%>")]
            .iter()
            .find_map(|(open, close)| rest.starts_with(open).then_some(*close))
        {
            at += rest.find(close).map_or(rest.len(), |i| i + close.len());
        } else if let Some(inner) = rest.strip_prefix("<%") {
            let lead = if inner.starts_with(['=', '-']) { 3 } else { 2 };
            let Some(close) = rest.find("%>") else { return };
            if close > lead {
                found(Span::new(at + lead, at + close));
            }
            at += close + 2;
        } else if raw.is_none() && rest.starts_with('{') {
            let Some(close) = closing(rest) else { return };
            found(Span::new(at + 1, at + close));
            at += close + 1;
        } else {
            let tag = |open: &str| {
                RAW.iter()
                    .copied()
                    .find(|r| rest.strip_prefix(open).is_some_and(|t| t.starts_with(r)))
            };
            raw = if tag("</").is_some() { None } else { tag("<").or(raw) };
            at += next;
        }
    }
}

/// Where braces are closed that a text begins with; strings are passed over.
fn closing(text: &str) -> Option<usize> {
    let (mut depth, mut quoted, mut escaped) = (0usize, false, false);
    for (i, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' => quoted = !quoted,
            '{' if !quoted => depth += 1,
            '}' if !quoted => {
                depth -= 1;
                if depth == 0 {
                    return Some(i);
                }
            }
            _ => {}
        }
    }
    None
}
