//! Takes the originals of what was carried over away.

use emendo_pattern::{delete_item, delete_splice};
use emendo_text::Span;

use crate::file::generate::item::Item;
use crate::file::generate::lines::{begins_line, line_after, line_start, merged, with_blank_line};
use crate::file::generate::place::{ItemList, ItemPlace};
use crate::file::generate::uses::LocalDeclaration;

/// What takes items of one file away, with the comments behind them, and those above them that are written elsewhere: the
/// places. The items are all of their lists.
pub(super) fn taken(
    items: &[&Item],
    separators: &[&str],
    written: &dyn Fn(&Item, Span) -> bool,
    moved: &dyn Fn(&Span) -> bool,
) -> Vec<Span> {
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
    merged(alone.chain(listed).collect())
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
