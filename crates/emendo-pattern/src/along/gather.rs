//! Pieces of a slot that are collected: each goes with its comments, and is indented like the place that it goes to.

use emendo_lang::tree::Node;
use emendo_lang::tree::{children, descend, span};
use emendo_text::{Chunk, Part, Span, Splice, Template};

use crate::along::AlongRule;
use crate::find::Conditions;
use crate::found::{Bound, GatheredPiece, Match};
use crate::write::{comment_behind, gathered, indent_at, line_start, next_line, with_end};
use crate::written::{Place, Unresolved, Written};

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
    /// Between two; `None`: a line each where they stand on lines of their own, else a separator.
    pub join: Option<String>,
    /// Written where the first stood; its slots are those of the match, and what is collected.
    pub leave: Option<Template>,
    /// They stay where they are too.
    pub keep: bool,
    /// Inside items of the slot too.
    pub deep: bool,
}

impl GatherRule {
    fn places(&self, at: Place<'_>) -> Vec<Match> {
        let found = self.rule.old.matches(at.tree, at.text, at.resolver);
        self.conditions.fulfilled(found, at.tree, at.text, at.resolver)
    }
}

impl Gather {
    /// Collects at a match: the slot that comes of it, with the changes where the pieces stood. A slot that nothing is
    /// left of is emptied.
    ///
    /// # Errors
    /// If a piece cannot be written.
    pub fn collect(
        &self,
        m: &mut Match,
        at: Place<'_>,
        out: &mut Written,
    ) -> Result<Bound, Unresolved> {
        let mut result = Bound::new(&self.name, Span::at(m.span.start as usize), "", 0);
        let Some(from) = m.slot(&self.from).filter(|b| !b.span.is_empty()) else {
            return Ok(result);
        };
        let slot = from.span;
        let list = items(at, slot, from.count);
        let hits = self.hits(m, &list, at);
        let mut taken: Vec<Taken> = Vec::new();
        for (place, rule, hit) in &hits {
            let lined = at.resolver.language.writing.line_items.contains(&hit.kind)
                || hit.is_statement(*place);
            let item = Taken::new(at, *place, lined);
            let (parts, written) = rule.new.fresh(&rule.old, hit, at)?;
            out.imports.extend(written.imports);
            out.facts.extend(written.facts);
            let between = match &self.join {
                Some(join) => join.as_str(),
                None if lined => "\n",
                None => ", ",
            };
            let blank = item.blank.is_some() && between.ends_with('\n');
            let before = if taken.is_empty() {
                String::new()
            } else {
                format!("{}{between}", if blank { "\n" } else { "" })
            };
            result.gathered.push(item.piece(at, parts, before, between.ends_with('\n')));
            result.count += 1;
            taken.push(item);
        }
        if self.keep || taken.is_empty() {
            return Ok(result);
        }
        if let Some(leave) = &self.leave {
            let first = taken.remove(0);
            let place = first.own(slot);
            let parts = self.left(leave, m, &result.gathered, place, at);
            out.splices.push(Splice { parts, inner: true, ..Splice::text(place, "") });
        } else if list.iter().all(|i| taken.iter().any(|t| t.whole.contains(*i))) {
            // Comments beside the slot go along; the slot itself holds nothing.
            let beside = taken.iter().flat_map(|t| t.beside(slot));
            out.splices.extend(beside.map(|b| Splice::text(b, "")));
            m.empty(&self.from);
            return Ok(result);
        }
        m.sifted.push(self.from.clone());
        removed(at, slot, &taken, &list, out);
        Ok(result)
    }

    /// The items that are collected, in order.
    fn hits(&self, m: &Match, list: &[Span], at: Place<'_>) -> Vec<(Span, &AlongRule, Match)> {
        let mut hits: Vec<(Span, &AlongRule, Match)> = Vec::new();
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
        hits
    }

    /// What is left where the first piece stood, its lines as far in as that.
    fn left(
        &self,
        leave: &Template,
        m: &Match,
        pieces: &[GatheredPiece],
        first: Span,
        at: Place<'_>,
    ) -> Vec<Part> {
        let indent = indent_at(at.text, first.start as usize);
        let line = format!("{}{indent}", at.line_end);
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
                    let own = if own.trim().is_empty() { own } else { "" };
                    parts.extend(gathered(pieces, at.line_end, &format!("{indent}{own}")));
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

/// An item that is taken, with what goes along.
struct Taken {
    /// The item, with the mark that ends it.
    item: Span,
    /// The comments on the lines above.
    above: Option<Span>,
    /// The blanks and the comment behind it on its line.
    behind: Option<Span>,
    /// The blank line above, if there is one.
    blank: Option<Span>,
    /// All of it but the blank line.
    whole: Span,
}

impl Taken {
    fn new(at: Place<'_>, place: Span, lined: bool) -> Self {
        let item = with_end(at.resolver.language, at.text, place);
        let above = comments_before(at, place);
        let behind = comment_behind(at.tree, at.text, item.end).filter(|_| lined);
        let behind = behind.map(|end| Span { start: item.end, end });
        let start = above.map_or(item.start, |a| a.start);
        let line = line_start(at.text, start as usize);
        let before = line_before(at.text, line);
        let blank = before
            .filter(|b| lined && at.text[*b..line].trim().is_empty())
            .map(|b| Span::new(b, line));
        let whole = Span { start, end: behind.map_or(item.end, |b| b.end) };
        Self { item, above, behind, blank, whole }
    }

    /// What is written for it elsewhere; `lines` if the pieces stand on lines of their own there.
    fn piece(
        &self,
        at: Place<'_>,
        written: Vec<Part>,
        before: String,
        lines: bool,
    ) -> GatheredPiece {
        let indent = indent_at(at.text, self.item.start as usize).to_owned();
        let mut parts = Vec::new();
        if let Some(above) = self.above {
            parts.push(Part::Copy(above));
            let inline = !lines && above.of(at.text).ends_with("*/");
            let line = format!("{}{indent}", at.line_end);
            push(&mut parts, if inline { " " } else { &line });
        }
        parts.extend(written);
        parts.extend(self.behind.map(Part::Copy));
        GatheredPiece {
            parts,
            indent,
            before,
            fixed: at.resolver.facts.lines_in_strings(at.text, self.item),
        }
    }

    /// All of it that lies in the slot.
    fn own(&self, slot: Span) -> Span {
        Span { start: self.whole.start.max(slot.start), end: self.whole.end.min(slot.end) }
    }

    /// What lies beside the slot: the comments of its first and of its last item.
    fn beside(&self, slot: Span) -> impl Iterator<Item = Span> {
        let before = Span { start: self.whole.start, end: slot.start.max(self.whole.start) };
        let after = Span { start: slot.end.min(self.whole.end), end: self.whole.end };
        [before, after].into_iter().filter(|s| !s.is_empty())
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

/// Items go with their lines, their comments and one blank line above, those that follow one another together; the first
/// of the slot only up to the next that stays, so that nothing before the slot changes but its comments.
fn removed(at: Place<'_>, slot: Span, taken: &[Taken], list: &[Span], out: &mut Written) {
    let stays = |i: &&Span| !taken.iter().any(|t| t.whole.contains(**i));
    let mut runs: Vec<(Span, Option<Span>)> = Vec::new();
    for t in taken {
        match runs.last_mut() {
            Some((run, _))
                if !list
                    .iter()
                    .filter(stays)
                    .any(|i| i.start >= run.end && i.end <= t.whole.start) =>
            {
                *run = run.hull(t.whole);
            }
            _ => runs.push((t.whole, t.blank)),
        }
        out.splices.extend(t.beside(slot).map(|b| Splice::text(b, "")));
    }
    for (run, blank) in runs {
        let own = Span { start: run.start.max(slot.start), end: run.end.min(slot.end) };
        let next = list.iter().filter(stays).find(|i| i.start >= run.end);
        let next = next.map(|i| comments_before(at, *i).map_or(i.start, |c| c.start));
        let line = line_start(at.text, run.start as usize);
        let end = at.text[run.end as usize..]
            .find(['\n', '\r'])
            .map_or(at.text.len(), |i| run.end as usize + i);
        let alone = at.text[line..run.start as usize].trim().is_empty()
            && at.text[run.end as usize..end].trim().is_empty();
        let span = match next {
            Some(next) if run.start <= slot.start => Span { start: own.start, end: next },
            Some(_) if alone => {
                let start = blank.map_or(line, |b| b.start as usize).max(slot.start as usize);
                Span::new(start, next_line(at.text, end))
            }
            Some(_) => own,
            None => {
                // The last one: the blanks before it go, not those after the slot.
                let before = Span { start: slot.start, end: own.start };
                let kept = before.of(at.text).trim_end().len() as u32;
                Span { start: slot.start + kept, end: own.end }
            }
        };
        out.splices.push(Splice { inner: true, ..Splice::text(span, "") });
    }
}

/// Where the line before a line begins.
fn line_before(text: &str, line: usize) -> Option<usize> {
    let above = text[..line].strip_suffix('\n').or_else(|| text[..line].strip_suffix('\r'))?;
    let above = above.strip_suffix('\r').filter(|_| text[..line].ends_with('\n')).unwrap_or(above);
    Some(line_start(text, above.len()))
}

/// Comments that stand on the lines directly above an item.
fn comments_before(at: Place<'_>, item: Span) -> Option<Span> {
    let mut start = None;
    let mut top = line_start(at.text, item.start as usize);
    while let Some(above) = line_before(at.text, top) {
        let line = at.text[above..top].trim();
        let first = above + (at.text[above..top].len() - at.text[above..top].trim_start().len());
        let node = at.tree.root().descendant_for_byte_range(first, first + 1)?;
        let begins = line_start(at.text, node.start_byte());
        if line.is_empty()
            || !node.is_extra()
            || !at.text[begins..node.start_byte()].trim().is_empty()
        {
            break;
        }
        top = begins;
        start = Some(node.start_byte());
    }
    let end = at.text[..item.start as usize].trim_end().len();
    Some(Span::new(start?, end))
}
