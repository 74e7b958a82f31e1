//! Takes the originals of what was carried over away.

use emendo_lang::tree::{children, descend, is_item, span};
use emendo_pattern::{Match, Pattern, Place, Replacement, delete_item};
use emendo_text::{Span, Splice};
use tree_sitter::Node;

use crate::file::generate::item::Item;
use crate::file::generate::value::is_form;

/// Where an item stands, for taking it away.
#[derive(Clone, Debug)]
pub(super) enum ItemPlace {
    /// By itself: a statement or a member.
    Alone(Vec<Splice>),
    /// In a list.
    Listed(ItemList),
}

/// A list that items stand in.
#[derive(Clone, Debug)]
pub(super) struct ItemList {
    /// The list, with its brackets.
    pub(super) list: Span,
    /// All that stands in it.
    pub(super) elements: Vec<Span>,
    /// Its comments.
    comments: Vec<Span>,
    /// The pairs whose values it is all of, each with the object around and what else stands there; the nearest first.
    pairs: Vec<(Span, Span, Vec<Span>)>,
}

impl ItemPlace {
    /// Where a match stands.
    ///
    /// # Errors
    /// If it cannot be taken away: why.
    pub(super) fn of(
        (delete, find): (&Replacement, &Pattern),
        m: &Match,
        at: Place<'_>,
    ) -> Result<Self, String> {
        let nodes: Vec<Node<'_>> =
            descend(at.tree.root(), m.span).into_iter().map(|n| n.0).collect();
        let own = nodes.iter().position(|n| span(*n) == m.span);
        let around = own.and_then(|i| i.checked_sub(1)).map(|i| nodes[i]);
        let language = at.resolver.language;
        let is_list = |n: &Node<'_>| {
            let compare = &language.compare;
            let kind = n.kind();
            compare.keyed.iter().any(|k| k.list == kind)
                || compare.lists.contains(&kind)
                || ["list", "object"].iter().any(|f| is_form(language, kind, f))
                || language.typing.calls.arguments.lists.contains(&kind)
        };
        let Some(list) = around.filter(is_list) else {
            let written = delete
                .write(find, m, at.tree, at.text, at.line_end, at.resolver)
                .map_err(|e| e.0)?;
            return Ok(Self::Alone(written.splices));
        };
        let elements = |n: Node<'_>| -> Vec<Span> {
            children(n).into_iter().filter(|c| is_item(*c)).map(span).collect()
        };
        let comments = children(list).into_iter().filter(Node::is_extra).map(span).collect();
        let mut pairs = Vec::new();
        let mut inner = list;
        while let Some(pair) = inner.parent()
            && let Some(object) = pair.parent()
            && language
                .compare
                .keyed
                .iter()
                .any(|k| k.list == object.kind() && k.pair == pair.kind())
            && !pair.child_by_field_name("key").is_some_and(|k| k == inner)
        {
            pairs.push((span(pair), span(object), elements(object)));
            inner = object;
        }
        let brackets = span(list).of(at.text);
        if !brackets.starts_with(['[', '(', '{']) || !brackets.ends_with([']', ')', '}']) {
            return Err("the list that it stands in has no brackets".to_owned());
        }
        Ok(Self::Listed(ItemList { list: span(list), elements: elements(list), comments, pairs }))
    }
}

/// What takes items of one file away that stand in these places, some of their comments written elsewhere: the changes, and the place of
/// each. Those are all items of their lists.
pub(super) fn taken(
    items: &[&Item],
    separators: &[&str],
    written: &dyn Fn(&Item, Span) -> bool,
) -> Vec<(Span, Vec<Splice>)> {
    let Some(first) = items.first() else { return Vec::new() };
    let text = first.source.text.as_str();
    let mut out: Vec<(Span, Vec<Splice>)> = Vec::new();
    let mut lists: Vec<(&ItemList, Vec<&Item>)> = Vec::new();
    for item in items {
        match &item.place {
            Some(Ok(ItemPlace::Alone(splices))) => {
                let mut gone: Vec<Span> = splices.iter().map(|s| s.span).collect();
                let lead = item.lead.filter(|l| written(item, *l));
                gone.extend(lead.map(|l| whole_lines(text, l)));
                out.extend(change(gone));
            }
            Some(Ok(ItemPlace::Listed(list))) => {
                match lists.iter_mut().find(|l| l.0.list == list.list) {
                    Some(known) => known.1.push(item),
                    None => lists.push((list, vec![item])),
                }
            }
            _ => {}
        }
    }
    // A list within one that goes itself needs nothing of its own.
    let inside = |list: &ItemList| {
        lists.iter().any(|(l, _)| l.list != list.list && l.list.contains(list.list))
    };
    let mut gone = Vec::new();
    for (list, all) in lists.iter().filter(|(l, _)| !inside(l)) {
        gone.extend(emptied(list, all, (text, separators), written));
    }
    // Two pairs of one object may go with the comma between them.
    let mut merged: Vec<Span> = Vec::new();
    gone.sort();
    for g in gone {
        match merged.last_mut().filter(|last| g.start <= last.end) {
            Some(last) => *last = last.hull(g),
            None => merged.push(g),
        }
    }
    out.extend(merged.into_iter().flat_map(|g| change(vec![g])));
    out
}

fn change(mut gone: Vec<Span>) -> Option<(Span, Vec<Splice>)> {
    gone.sort();
    let mut merged: Vec<Span> = Vec::new();
    for g in gone {
        match merged.last_mut().filter(|last| g.start <= last.end) {
            Some(last) => *last = last.hull(g),
            None => merged.push(g),
        }
    }
    let hull = merged.iter().copied().reduce(Span::hull)?;
    Some((hull, merged.into_iter().map(|g| Splice::text(g, "")).collect()))
}

/// What goes with all items of a list: what stands between its brackets, or the pair that it is the value of.
fn emptied(
    list: &ItemList,
    items: &[&Item],
    (text, separators): (&str, &[&str]),
    written: &dyn Fn(&Item, Span) -> bool,
) -> Vec<Span> {
    let known = |c: &Span| {
        items.iter().any(|i| {
            let lead = i.lead.is_some_and(|l| l.contains(*c) && written(i, l));
            let trail = i.trail.is_some_and(|t| t.contains(*c) && written(i, t));
            lead || trail
        })
    };
    let stay: Vec<Span> = list.comments.iter().filter(|c| !known(c)).copied().collect();
    let open = Span::new(list.list.start as usize + 1, list.list.end as usize - 1);
    if stay.is_empty() {
        let mut gone = open;
        for (pair, object, all) in &list.pairs {
            if all.len() > 1 {
                return vec![delete_item(separators, text, *pair, *object).span];
            }
            gone = Span::new(object.start as usize + 1, object.end as usize - 1);
        }
        return vec![gone];
    }
    // What no item takes along stays where it is.
    let mut gone = Vec::new();
    let mut from = open.start as usize;
    for c in stay {
        let line = text[..c.start as usize].rfind('\n').map_or(0, |i| i + 1);
        let alone = text[line..c.start as usize].trim().is_empty();
        let end = if alone { line } else { c.start as usize };
        let begins = if from == open.start as usize { first_line(text, from) } else { from };
        if begins < end {
            gone.push(Span::new(begins, end));
        }
        from = first_line(text, c.end as usize);
    }
    let close = text[..open.end as usize].rfind('\n').map_or(open.end as usize, |i| i + 1);
    if from < close {
        gone.push(Span::new(from, close));
    }
    gone
}

/// The start of the next line, if nothing else stands on this one; else the place itself.
fn first_line(text: &str, at: usize) -> usize {
    let end = text[at..].find('\n').map_or(text.len(), |i| at + i + 1);
    if text[at..end].trim().is_empty() { end } else { at }
}

/// Whole lines of a comment, with their line end.
fn whole_lines(text: &str, at: Span) -> Span {
    let start = text[..at.start as usize].rfind('\n').map_or(0, |i| i + 1);
    Span::new(start, first_line(text, at.end as usize))
}
