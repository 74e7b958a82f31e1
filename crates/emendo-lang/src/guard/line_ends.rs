//! Line ends that end a statement: outside of brackets a code over several lines would end at the first.

use crate::tree::Node;
use emendo_text::Span;

use crate::language::Language;
use crate::tree::{Tree, children, span};

/// True if a code that is written in the place of an expression must stand in brackets: it goes over lines outside of its own.
pub fn needs_brackets(language: &Language, written: &str) -> bool {
    if language.flow.line_bodies.is_empty() || !written.contains('\n') {
        return false;
    }
    let text = format!("({written})");
    let tree = Tree::parse(language, &text);
    !tree.has_error() && first_break(tree.root(), &text, language, 1).is_some()
}

/// True if a place is an expression outside of all brackets, by the tree of its file.
pub fn is_bare_expression(language: &Language, tree: &Tree, at: Span) -> bool {
    let Some(mut node) = tree.root().descendant_for_byte_range(at.start as usize, at.end as usize)
    else {
        return false;
    };
    let bodies = language.flow.line_bodies;
    let first = node.parent();
    if span(node) != at || first.is_none_or(|p| bodies.contains(&p.kind())) {
        return false;
    }
    while let Some(parent) = node.parent().filter(|p| !bodies.contains(&p.kind())) {
        let own = node.start_byte();
        let opens = |c: &Node<'_>| is_opening(c) && c.start_byte() < own;
        if children(parent).iter().any(opens) {
            return false;
        }
        node = parent;
    }
    true
}

/// Where a statement would end too early, near what was written: a line end within it, outside of brackets.
pub(crate) fn broken_lines(
    language: &Language,
    tree: &Tree,
    text: &str,
    changed: &[Span],
) -> Vec<Span> {
    let bodies = language.flow.line_bodies;
    let mut out: Vec<Span> = Vec::new();
    if bodies.is_empty() {
        return out;
    }
    for at in changed {
        let (start, end) = (at.start as usize, at.end as usize);
        let Some(mut node) = tree.root().descendant_for_byte_range(start, end) else { continue };
        // Up to what has a body, or stands in one.
        let is_body = |n: &Node<'_>| bodies.contains(&n.kind());
        // A decorated function has its body one level further down.
        let has_body = |n: &Node<'_>| {
            is_body(n)
                || children(*n).iter().any(|c| is_body(c) || children(*c).iter().any(is_body))
        };
        if has_body(&node) {
            continue;
        }
        while let Some(parent) = node.parent().filter(|p| !has_body(p)) {
            node = parent;
        }
        out.extend(first_break(node, text, language, 0));
    }
    out.sort_by_key(|s| (s.start, s.end));
    out.dedup();
    out
}

/// The first token that stands on another line than the one before it, within so many brackets and no more.
fn first_break(root: Node<'_>, text: &str, language: &Language, within: usize) -> Option<Span> {
    let mut depth = 0_usize;
    let mut end: Option<usize> = None;
    let mut todo = vec![root];
    while let Some(node) = todo.pop() {
        if language.flow.line_bodies.contains(&node.kind()) && node.id() != root.id() {
            end = None;
            continue;
        }
        let literal = node.kind().contains("string");
        if node.child_count() > 0 && !literal {
            todo.extend(children(node).into_iter().rev());
            continue;
        }
        if node.is_extra() {
            continue;
        }
        let closes = !node.is_named() && matches!(node.kind(), ")" | "]" | "}");
        let gap = end.and_then(|e| text.get(e..node.start_byte())).unwrap_or("");
        let bare = gap.replace("\\\r\n", "").replace("\\\n", "");
        // Before the last bracket of the outermost there is room for a line end.
        if depth == within && bare.contains('\n') && !(closes && within == 1) {
            return Some(span(node));
        }
        depth += usize::from(is_opening(&node));
        depth = depth.saturating_sub(usize::from(closes));
        end = Some(node.end_byte());
    }
    None
}

fn is_opening(node: &Node<'_>) -> bool {
    !node.is_named() && matches!(node.kind(), "(" | "[" | "{")
}
