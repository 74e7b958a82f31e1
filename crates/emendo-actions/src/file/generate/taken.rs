//! Takes the originals of what was carried over away.

use emendo_lang::tree::{children, descend, is_item, span};
use emendo_pattern::{Match, Pattern, Place, Replacement, delete_item, delete_splice};
use emendo_text::{Span, Splice};
use tree_sitter::Node;

use crate::file::generate::item::Item;
use crate::file::generate::lines::{begins_line, line_after, line_start, merged, with_blank_line};
use crate::file::generate::uses::LocalDeclaration;
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

/// What takes items of one file away, with the comments behind them, and those above them that are written elsewhere: the changes, and
/// the place of each. The items are all of their lists.
pub(super) fn taken(
    items: &[&Item],
    separators: &[&str],
    written: &dyn Fn(&Item, Span) -> bool,
    moved: &dyn Fn(&Span) -> bool,
) -> Vec<(Span, Vec<Splice>)> {
    let Some(first) = items.first() else { return Vec::new() };
    let text = first.source.text.as_str();
    let mut lists: Vec<(&ItemList, Vec<&Item>)> = Vec::new();
    let (mut alone, mut listed) = (Vec::new(), Vec::new());
    for item in items {
        match &item.place {
            Some(Ok(ItemPlace::Alone(splices))) => {
                alone.extend(splices.iter().map(|s| s.span));
                let lead = item.lead.filter(|l| written(item, *l));
                alone.extend(lead.map(|l| whole_lines(text, l)));
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
    let carried = items.iter().flat_map(|i| &i.locals).filter(|l| moved(&l.whole));
    alone.extend(unused(items, carried.collect(), text));
    // A list within one that goes itself needs nothing of its own.
    let around =
        |inner: &ItemList, l: &ItemList| l.list != inner.list && l.list.contains(inner.list);
    let inside = |list: &ItemList| lists.iter().any(|(l, _)| around(list, l));
    for (list, all) in lists.iter().filter(|(l, _)| !inside(l)) {
        listed.extend(emptied(list, all, (text, separators), written));
    }
    // What stands together goes together: two pairs of one object go with the comma between them.
    let alone = merged(alone).into_iter().map(|g| with_blank_line(text, g));
    let all = merged(alone.chain(listed).collect());
    all.into_iter().flat_map(|g| change(vec![g])).collect()
}

/// The declarations that went along and that nothing else uses: the last of those that rest on one another first.
fn unused(items: &[&Item], mut locals: Vec<&LocalDeclaration>, text: &str) -> Vec<Span> {
    locals.sort_by_key(|l| l.at);
    locals.dedup_by_key(|l| l.at);
    let mut gone: Vec<Span> = items.iter().map(|i| i.span).collect();
    let mut out = Vec::new();
    loop {
        let goes =
            |l: &&LocalDeclaration| l.elsewhere.iter().all(|u| gone.iter().any(|g| g.contains(*u)));
        let Some(i) = locals.iter().position(goes) else { return out };
        let local = locals.remove(i);
        gone.push(local.at);
        out.push(delete_splice(text, local.whole, |_| None).span);
    }
}

fn change(gone: Vec<Span>) -> Option<(Span, Vec<Splice>)> {
    let merged = merged(gone);
    let hull = merged.iter().copied().reduce(Span::hull)?;
    Some((hull, merged.into_iter().map(|g| Splice::text(g, "")).collect()))
}

/// Whole lines of a comment, with their line end.
fn whole_lines(text: &str, at: Span) -> Span {
    Span::new(line_start(text, at.start as usize), line_after(text, at.end as usize))
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
            let trail = i.trail.is_some_and(|t| t.contains(*c));
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
        let alone = begins_line(text, c.start as usize);
        let end = if alone { line_start(text, c.start as usize) } else { c.start as usize };
        let begins = if from == open.start as usize { line_after(text, from) } else { from };
        gone.extend(between(text, begins, end));
        from = line_after(text, c.end as usize);
    }
    let close = line_start(text, open.end as usize).max(open.start as usize);
    gone.extend(between(text, from, close));
    gone
}

/// What goes between two places; a line that something stays on keeps its end.
fn between(text: &str, from: usize, to: usize) -> Option<Span> {
    let keeps = !begins_line(text, from) && text[..to].ends_with('\n');
    let to = if keeps { text[..to - 1].trim_end_matches('\r').len() } else { to };
    (from < to).then(|| Span::new(from, to))
}
