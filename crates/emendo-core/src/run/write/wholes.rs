//! What a slot holds as one thing is one thing in the new code too: `a + b` is none in `a + b * c`.

use std::collections::HashMap;

use emendo_lang::tree::span;
use emendo_lang::{Language, Tree};
use emendo_text::{Placed, Span};

use crate::run::file::{FileRun, StepText, excerpt};

/// How many copies of a place are looked for.
const COPIES: usize = 8;

/// Where code stands in the new text that is to stay one thing: the edit, the place before and after. What others change at its
/// edge is left out, as is what is indented anew.
pub(crate) fn wholes_after<'a>(
    wholes: impl Iterator<Item = (u32, &'a [Span])>,
    placed: &[Placed<'_>],
    mut kept: Vec<(Span, u32)>,
) -> Vec<(u32, Span, Span)> {
    let wholes: Vec<(u32, &[Span])> = wholes.filter(|w| !w.1.is_empty()).collect();
    if wholes.is_empty() {
        return Vec::new();
    }
    kept.sort_by_key(|k| k.0.start);
    let mut edges: HashMap<u32, Vec<u32>> = HashMap::new();
    for p in placed {
        edges.entry(p.span.start).or_default().push(p.by);
        edges.entry(p.span.end).or_default().push(p.by);
    }
    // The bytes before a place in the order of the new text.
    let after = |byte: u32| {
        let from = kept.partition_point(|k| k.0.start <= byte);
        let near = kept[..from].iter().rev().take(COPIES).filter(move |k| byte < k.0.end);
        let mut all: Vec<u32> = near.map(|k| k.1 + (byte - k.0.start)).collect();
        all.sort_unstable();
        all
    };
    let mut out = Vec::new();
    for (by, all) in wholes {
        let foreign = |at: u32| edges.get(&at).is_some_and(|e| e.iter().any(|other| *other != by));
        for old in all.iter().filter(|s| !s.is_empty() && !foreign(s.start) && !foreign(s.end)) {
            let (starts, ends) = (after(old.start), after(old.end - 1));
            if starts.len() != ends.len() {
                continue;
            }
            let new = starts.into_iter().zip(ends).filter(|(start, end)| start <= end);
            out.extend(new.map(|(start, end)| (by, *old, Span { start, end: end + 1 })));
        }
    }
    out
}

impl FileRun {
    /// The edits of this step in whose code something falls apart: as indices among its drafts, with the reason.
    pub(crate) fn in_parts(&self, new: &StepText, first: u32) -> Vec<(u32, String)> {
        let mut out = Vec::new();
        for (by, before, after) in &new.wholes {
            let mut trees = self.code.iter().zip(&new.trees);
            let apart = trees.any(|(old, now)| {
                let kind = kind_of(&old.tree, *before);
                kind.is_some_and(|kind| falls_apart(now.language, &now.tree, (kind, *after)))
            });
            if apart {
                let shown = excerpt(before.of(&self.text));
                let why = format!("`{shown}` would no longer be one thing in the new code");
                out.push((by - first, why));
            }
        }
        out
    }
}

/// The kind of a place that is a node with others in it.
fn kind_of(tree: &Tree, at: Span) -> Option<&str> {
    let node = tree.root().descendant_for_byte_range(at.start as usize, at.end as usize);
    Some(node.filter(|n| span(*n) == at && n.child_count() > 0)?.kind())
}

/// True if a place is no node, and not loose text either. Some kinds may become one with what is around them.
fn falls_apart(language: &Language, tree: &Tree, (kind, at): (&str, Span)) -> bool {
    let found = tree.root().descendant_for_byte_range(at.start as usize, at.end as usize);
    let Some(node) = found.filter(|n| span(*n) != at && n.child_count() > 0) else { return false };
    if language.writing.flat.contains(&(kind, node.kind())) {
        return false;
    }
    let mut around = Some(node);
    while let Some(n) = around {
        if language.fragments.token_runs.contains(&n.kind()) {
            return false;
        }
        around = n.parent();
    }
    true
}
