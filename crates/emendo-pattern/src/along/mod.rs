//! What is rewritten along with a match: inside a slot, or wherever what it declares is used; and what is collected
//! from a slot.

mod follow;

use emendo_lang::tree::{children, descend, span};
use emendo_text::{Chunk, Part, Span, Splice, Template};
use tree_sitter::Node;

pub use follow::{Elsewhere, Follow, FollowRule};

use crate::find::Conditions;
use crate::found::{Bound, Match};
use crate::model::Pattern;
use crate::write::{Replacement, delete_splice, indent_at, line_start, with_end};
use crate::written::{Place, Unresolved, Written};

/// An old and a new pattern.
#[derive(Debug)]
pub struct AlongRule {
    /// What is looked for.
    pub old: Pattern,
    /// What is written.
    pub new: Replacement,
}

/// Rewrites inside a slot.
#[derive(Debug)]
pub struct Rework {
    /// The slot.
    pub slot: String,
    /// The rules; the first that fits a place wins.
    pub rules: Vec<AlongRule>,
    /// Only the slot's whole value.
    pub whole: bool,
}

/// What is collected.
#[derive(Debug)]
pub struct GatherRule {
    /// What is looked for, and how it is written.
    pub rule: AlongRule,
    /// What it must hold, and what its slots must fulfil.
    pub conditions: Conditions,
}

/// Collects pieces of a slot.
#[derive(Debug)]
pub struct Gather {
    /// The slot that they become.
    pub name: String,
    /// The slot that they come from.
    pub from: String,
    /// What is collected, and how each is written.
    pub rules: Vec<GatherRule>,
    /// Between two.
    pub join: String,
    /// Written where the first stood; its slots are those of the match, and what is collected.
    pub leave: Option<Template>,
    /// They stay where they are too.
    pub keep: bool,
    /// Inside items of the slot too.
    pub deep: bool,
}

impl Rework {
    /// The changes inside the slot at a match.
    ///
    /// # Errors
    /// If a place that fits cannot be written.
    pub fn write(&self, m: &Match, at: Place<'_>, out: &mut Written) -> Result<(), Unresolved> {
        let Some(bound) = m.slot(&self.slot) else { return Ok(()) };
        let spans =
            if bound.scattered.is_empty() { vec![bound.span] } else { bound.scattered.clone() };
        let fits = |place: Span| {
            if self.whole {
                spans.contains(&place)
            } else {
                spans.iter().any(|s| s.contains(place))
            }
        };
        let mut taken: Vec<Span> = Vec::new();
        for rule in &self.rules {
            // Of several readings at a place, one that can be written there counts.
            let (mut done, mut failed): (Vec<Span>, Vec<(Span, Unresolved)>) = Default::default();
            for hit in rule.old.matches(at.tree, at.text, at.resolver) {
                let own: Vec<Span> = hit.own_tokens(&rule.old).collect();
                let free = !own.iter().any(|t| taken.iter().any(|o| o.meets(*t)));
                if !fits(hit.span) || !free || !m.agrees(&hit, &[], at.tree, at.text) {
                    continue;
                }
                if done.contains(&hit.span) {
                    continue;
                }
                match rule.write(&hit, at) {
                    Ok(written) => {
                        taken.extend(own);
                        done.push(hit.span);
                        merge(out, written);
                    }
                    Err(e) => failed.push((hit.span, e)),
                }
            }
            if let Some((_, e)) = failed.into_iter().find(|(place, _)| !done.contains(place)) {
                return Err(e);
            }
        }
        Ok(())
    }
}

pub(super) fn merge(out: &mut Written, more: Written) {
    for mut splice in more.splices {
        splice.inner = true;
        if !out.splices.contains(&splice) {
            out.splices.push(splice);
        }
    }
    out.facts.extend(more.facts);
    out.imports.extend(more.imports);
    out.released.extend(more.released);
}

impl AlongRule {
    pub(super) fn write(&self, hit: &Match, at: Place<'_>) -> Result<Written, Unresolved> {
        self.new.write(&self.old, hit, at.tree, at.text, at.line_end, at.resolver)
    }
}

impl GatherRule {
    fn places(&self, at: Place<'_>) -> Vec<Match> {
        let found = self.rule.old.matches(at.tree, at.text, at.resolver);
        self.conditions.fulfilled(found, at.tree, at.text, at.resolver)
    }
}

impl Gather {
    /// Collects at a match: the slot that comes of it, with the changes where the pieces stood.
    ///
    /// # Errors
    /// If a piece cannot be written.
    pub fn collect(
        &self,
        m: &Match,
        at: Place<'_>,
        out: &mut Written,
    ) -> Result<Bound, Unresolved> {
        let mut result = Bound::new(&self.name, Span::at(m.span.start as usize), "", 0);
        let Some(from) = m.slot(&self.from).filter(|b| !b.span.is_empty()) else {
            return Ok(result);
        };
        let mut hits: Vec<(Span, &AlongRule, Match)> = Vec::new();
        let list = items(at, from.span, from.count);
        let found: Vec<Vec<Match>> = self.rules.iter().map(|r| r.places(at)).collect();
        for item in list.iter().copied() {
            for (GatherRule { rule, .. }, found) in self.rules.iter().zip(&found) {
                let found = found.iter().cloned();
                let fits = |h: &Match| {
                    let whole = h.span == item || h.statement == Some(item);
                    (whole || (self.deep && item.contains(h.span)))
                        && !hits.iter().any(|t| t.2.span.meets(h.span))
                        && m.agrees(h, &[], at.tree, at.text)
                };
                let found: Vec<Match> = found.filter(fits).collect();
                hits.extend(found.into_iter().map(|h| {
                    let place = if h.statement == Some(item) { item } else { h.span };
                    (place, rule, h)
                }));
            }
        }
        hits.sort_by_key(|h| h.0.start);
        let mut taken: Vec<Span> = Vec::new();
        for (i, (place, rule, hit)) in hits.iter().enumerate() {
            if i > 0 {
                push(&mut result.parts, &self.join);
            }
            let comments = comments_before(at, *place);
            if let Some(comments) = comments {
                result.parts.push(Part::Copy(comments));
                let indent = indent_at(at.text, m.span.start as usize);
                push(&mut result.parts, &format!("{}{indent}", at.line_end));
            }
            let (parts, written) = rule.new.fresh(&rule.old, hit, at)?;
            result.parts.extend(parts);
            out.imports.extend(written.imports);
            out.facts.extend(written.facts);
            result.count += 1;
            if !self.keep {
                let ended = with_end(at.resolver.language, at.text, *place);
                let inside = comments.filter(|c| c.start >= from.span.start);
                if let Some(before) = comments.filter(|_| inside.is_none()) {
                    // Those of the first item stand before the slot.
                    let lead = Span { start: before.start, end: place.start };
                    out.splices.push(Splice::text(lead, ""));
                }
                taken.push(inside.map_or(ended, |c| c.hull(ended)));
            }
        }
        if let (Some(leave), false) = (&self.leave, taken.is_empty()) {
            let first = taken.remove(0);
            let parts = self.left(leave, m, &result.parts, first, at);
            out.splices.push(Splice { parts, inner: true, ..Splice::text(first, "") });
        }
        out.splices.extend(removed(at, from.span, &taken, &list));
        Ok(result)
    }
}

impl Gather {
    /// What is left where the first piece stood, its lines as far in as that.
    fn left(
        &self,
        leave: &Template,
        m: &Match,
        collected: &[Part],
        first: Span,
        at: Place<'_>,
    ) -> Vec<Part> {
        let line = format!("{}{}", at.line_end, indent_at(at.text, first.start as usize));
        let (mut parts, mut written) = (Vec::new(), String::new());
        for chunk in &leave.chunks {
            match chunk {
                Chunk::Text { text, .. } => {
                    push(&mut parts, &text.replace('\n', &line));
                    written.push_str(text);
                }
                Chunk::Slot { name, .. } if *name == self.name => {
                    // Further lines of what is collected stand below its first.
                    let own = written.rsplit('\n').next().unwrap_or("");
                    let further =
                        if own.trim().is_empty() { format!("{line}{own}") } else { line.clone() };
                    let outer =
                        format!("{}{}", at.line_end, indent_at(at.text, m.span.start as usize));
                    for part in collected {
                        match part {
                            Part::Text(t) => {
                                push(&mut parts, &t.replace(&outer, "\n").replace('\n', &further));
                            }
                            copied => parts.push(copied.clone()),
                        }
                    }
                }
                Chunk::Slot { name, .. } => {
                    parts.extend(m.slot(name).map(|b| Part::Copy(b.span)));
                }
            }
        }
        parts
    }
}

fn push(parts: &mut Vec<Part>, text: &str) {
    match parts.last_mut() {
        _ if text.is_empty() => {}
        Some(Part::Text(last)) => last.push_str(text),
        _ => parts.push(Part::Text(text.to_owned())),
    }
}

/// The items of the list that a slot holds.
fn items(at: Place<'_>, slot: Span, count: usize) -> Vec<Span> {
    let path = descend(at.tree.root(), slot);
    if count == 1 {
        return vec![slot];
    }
    let Some((smallest, _)) = path.last() else { return Vec::new() };
    let inside = |n: &Node<'_>| n.is_named() && !n.is_extra() && slot.contains(span(*n));
    children(*smallest).into_iter().filter(inside).map(span).collect()
}

/// Items go with their lines, those that follow one another together; the first of the slot only up to the next that
/// stays, so that nothing before the slot changes.
fn removed(at: Place<'_>, slot: Span, taken: &[Span], list: &[Span]) -> Vec<Splice> {
    let stays = |i: &&Span| !taken.iter().any(|t| t.contains(**i));
    let mut runs: Vec<Span> = Vec::new();
    for t in taken {
        match runs.last_mut() {
            Some(run)
                if !list.iter().filter(stays).any(|i| i.start >= run.end && i.end <= t.start) =>
            {
                *run = run.hull(*t);
            }
            _ => runs.push(*t),
        }
    }
    let one = |run: Span| {
        let splice = delete_splice(at.text, run, |_| None);
        let inside = slot.contains(splice.span);
        let next = list.iter().filter(stays).find(|i| i.start >= run.end);
        let next = next.map(|i| comments_before(at, *i).map_or(i.start, |c| c.start));
        let mut splice = match next {
            _ if inside => splice,
            Some(next) if splice.span.start < slot.start => {
                Splice::text(Span { start: run.start, end: next }, "")
            }
            _ => {
                // The last one: the blanks before it go, not those after the slot.
                let before = Span { start: slot.start, end: run.start.max(slot.start) };
                let kept = before.of(at.text).trim_end().len() as u32;
                Splice::text(Span { start: slot.start + kept, end: run.end }, "")
            }
        };
        splice.inner = true;
        splice
    };
    runs.into_iter().map(one).collect()
}

/// Comments that stand on the lines directly above an item.
fn comments_before(at: Place<'_>, item: Span) -> Option<Span> {
    let mut start = None;
    let mut top = line_start(at.text, item.start as usize);
    while top > 0 {
        let above = line_start(at.text, top - 1);
        let line = at.text[above..top].trim();
        let first = above + (at.text[above..top].len() - at.text[above..top].trim_start().len());
        let node = at.tree.root().descendant_for_byte_range(first, first + 1)?;
        if line.is_empty() || !node.is_extra() {
            break;
        }
        start = Some((first, at.text[..top].trim_end().len()));
        top = line_start(at.text, node.start_byte());
        if let Some(s) = &mut start {
            s.0 = node.start_byte();
        }
    }
    let (from, _) = start?;
    let end = at.text[..item.start as usize].trim_end().len();
    Some(Span::new(from, end))
}
