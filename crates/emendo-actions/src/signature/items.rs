//! Items in lists: those that go, those that come, those that change places.

use emendo_lang::{Certainty, Fact, FunctionSite};
use emendo_pattern::delete_item;
use emendo_text::{Part, Span, Splice};

use crate::contract::Change;
use crate::meaning::Place;
use crate::signature::output::release;

/// How a dropped or moved value is spoken of.
pub(super) const EFFECTS: &str = "may do something besides giving a value";

/// Takes items out of a list and the lists within it, which go where nothing is left in them.
pub(super) fn drop_grouped(
    p: &Place<'_>,
    f: &FunctionSite,
    gone: &[Span],
    change: &mut Change,
    tokens: &mut Vec<Span>,
) {
    let (mut items, mut outer) = (f.items.clone(), gone.to_vec());
    for group in &f.groups {
        let (inner, rest): (Vec<Span>, Vec<Span>) =
            items.into_iter().partition(|i| group.contains(*i));
        let (own, others): (Vec<Span>, Vec<Span>) =
            outer.into_iter().partition(|i| group.contains(*i));
        (items, outer) = (rest, others);
        items.push(*group);
        if own.len() == inner.len() {
            outer.push(*group);
        } else {
            drop_items(p, &inner, &own, *group, change, tokens);
        }
    }
    items.sort_unstable_by_key(|i| i.start);
    drop_items(p, &items, &outer, f.list, change, tokens);
}

/// Takes items out of a list. `list` holds the brackets, if it has some.
pub(super) fn drop_items(
    p: &Place<'_>,
    items: &[Span],
    gone: &[Span],
    list: Span,
    change: &mut Change,
    tokens: &mut Vec<Span>,
) {
    if gone.is_empty() {
        return;
    }
    release(p, gone, change);
    tokens.extend(gone);
    // A sign between parameters stands for nothing without some on both sides.
    let mut gone = gone.to_vec();
    let kept: Vec<Span> = items.iter().filter(|i| !gone.contains(i)).copied().collect();
    gone.extend(kept.last().filter(|k| p.text(**k) == "*"));
    gone.extend(kept.first().filter(|k| p.text(**k) == "/"));
    let language = p.code.language;
    let bare = !p.text(list).starts_with(['(', '[', '<', '|', '{']);
    // All of them: what stands between the brackets goes.
    if gone.len() == items.len() {
        let first = items.first().map_or(list.start, |i| i.start);
        let last = items.last().map_or(list.end, |i| i.end);
        let none = language.typing.built_in.no_params;
        let splice = if bare && none.is_empty() {
            // The blank before the list goes too.
            let start = p.cx.text[..list.start as usize].trim_end().len() as u32;
            Splice::text(Span { start, end: list.end }, "")
        } else if bare {
            Splice::text(list, none)
        } else {
            let end = p.cx.text[..list.end as usize - 1].trim_end().len() as u32;
            Splice::text(Span { start: first, end: end.max(last) }, "")
        };
        change.splices.push(splice);
        return;
    }
    // Those at the end go with the separator before them.
    let tail = items.iter().rev().take_while(|i| gone.contains(i)).count();
    let (front, back) = items.split_at(items.len() - tail);
    if let (Some(kept), Some(last)) = (front.last(), back.last()) {
        change.splices.push(Splice::text(Span { start: kept.end, end: last.end }, ""));
    }
    for item in front.iter().filter(|i| gone.contains(i)) {
        let inner = Span { start: list.start + u32::from(!bare), end: list.end };
        let item = with_comments(p, *item, inner);
        change.splices.push(delete_item(language.compare.separators, p.cx.text, item, inner));
    }
}

/// An item with the comments that stand on lines of their own right above it: they are about it.
fn with_comments(p: &Place<'_>, item: Span, list: Span) -> Span {
    let text = p.cx.text;
    let mut out = item;
    for c in p.code.facts.comments.iter().rev().filter(|c| c.end <= item.start) {
        let between = &text[c.end as usize..out.start as usize];
        let line = text[..c.start as usize].rfind('\n').map_or(0, |i| i + 1);
        let above = between.trim().is_empty() && between.matches('\n').count() == 1;
        let alone = text[line..c.start as usize].trim().is_empty();
        if c.start < list.start || !above || !alone {
            break;
        }
        out.start = c.start;
    }
    out
}

/// Writes items into the places of others: `order` names the old places by the new ones.
pub(super) fn move_items(
    order: &[usize],
    of: &dyn Fn(usize) -> Option<(Span, bool)>,
    change: &mut Change,
    facts: &mut Vec<Fact>,
    tokens: &mut Vec<Span>,
) {
    let mut effects = 0;
    for (i, n) in order.iter().enumerate() {
        let (Some((to, _)), Some((from, moved))) = (of(i + 1), of(*n)) else { continue };
        if to == from {
            continue;
        }
        effects += usize::from(moved);
        change
            .splices
            .push(Splice { parts: vec![Part::Copy(from)], ..Splice::text(to, String::new()) });
        tokens.push(to);
    }
    if effects > 1 {
        let text = format!("arguments are done in another order, and {EFFECTS}");
        facts.push(Fact { says: Certainty::Likely, text, at: None });
    }
}

/// Puts items into a list: each before the one that has its place, or at the end.
pub(super) fn insert_items(
    p: &Place<'_>,
    kept: &[Span],
    list: Span,
    new: &[(usize, String)],
    change: &mut Change,
    tokens: &mut Vec<Span>,
) {
    for (added, (at, text)) in new.iter().enumerate() {
        // Places count in the new list: those that came before are not among the kept.
        let place = at.saturating_sub(1).saturating_sub(added);
        // Where each item has a line of its own, the new one has too.
        let line = |item: Span| {
            let lead = &p.cx.text[list.start as usize..item.start as usize];
            let from = lead.rfind('\n')? + 1;
            lead[from..].trim().is_empty().then(|| format!("{}{}", p.cx.line_end, &lead[from..]))
        };
        let splice = match kept.get(place) {
            Some(next) => {
                let gap = line(*next).unwrap_or_else(|| " ".to_owned());
                Splice::text(Span::at(next.start as usize), format!("{text},{gap}"))
            }
            None => match kept.last() {
                Some(last) => {
                    let gap = line(*last).unwrap_or_else(|| " ".to_owned());
                    Splice::text(Span::at(last.end as usize), format!(",{gap}{text}"))
                }
                // Where no brackets are, they come with the first item.
                None if list.is_empty() && change.splices.iter().all(|s| s.span != list) => {
                    Splice::text(list, format!("({text})"))
                }
                None => Splice::text(Span::at(list.start as usize + 1), text.clone()),
            },
        };
        // At one place the texts follow one another.
        match change.splices.iter_mut().find(|s| s.span == splice.span) {
            Some(known) => known.parts.extend(splice.parts),
            None => change.splices.push(splice),
        }
        let end = (list.end as usize).saturating_sub(1);
        tokens.push(Span::new(end, end + 1));
    }
}

/// Code as it is shown.
pub(super) fn short(text: &str) -> String {
    let cut: String = text.chars().take(40).collect();
    if cut.len() < text.len() { format!("{cut}…") } else { cut }
}

/// What a reviewer must be told apart from the edit: code that is dropped or moved, and may do something.
pub(super) fn warnings(facts: &[Fact]) -> impl Iterator<Item = String> {
    facts.iter().filter(|f| f.text.ends_with(EFFECTS)).map(|f| f.text.clone())
}
