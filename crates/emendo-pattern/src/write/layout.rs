//! What stands before each token that is written: lists with one item a line stay so, lines are indented like what is
//! around them, and what comes to stand deeper takes its lines along.
//!
//! A list of the old code is taken over by the list of the new code that holds all that stays of it: the same
//! brackets, or brackets directly inside those. If its items stood on lines of their own, they do so there.

use std::collections::BTreeMap;

use emendo_text::{Indents, Span};

use crate::model::Key;
use crate::write::lines::{indent_at, line_start};
use crate::write::nest::{Nest, TOP};
use crate::write::token::{NewToken, OldToken};

/// A list of the new code that has one item a line.
#[derive(Clone, Debug)]
pub(super) struct Lines {
    /// The indentation of its items.
    pub(super) items: String,
    /// That of the bracket that ends it; `None` if it follows the last item.
    pub(super) end: Option<String>,
}

/// The plan for one match.
#[derive(Default)]
pub(super) struct Layout {
    /// What is written before each token, where its gap is written anew.
    pub(super) gaps: Vec<String>,
    /// The lists that have one item a line, by the bracket that opens them.
    pub(super) lists: BTreeMap<usize, Lines>,
    pub(super) nest: Nest,
    /// For slots over several lines that come to stand at another depth: the indentation that they had, and get.
    pub(super) shifts: Vec<Option<(String, String)>>,
    /// The indentation of the line that each token comes to stand on.
    pub(super) lines: Vec<String>,
    /// For items that stay beside one another: the indentation that they had, and get.
    pub(super) regaps: Vec<Option<(String, String)>>,
}

/// What the plan is made of.
pub(super) struct Tokens<'a> {
    pub(super) text: &'a str,
    pub(super) old: &'a [OldToken],
    pub(super) new: &'a [NewToken],
    pub(super) anchors: &'a [(usize, usize)],
    /// For each new token, the old one that stays for it.
    pub(super) kept: Vec<Option<usize>>,
    /// Where the match begins.
    pub(super) start: usize,
}

impl Tokens<'_> {
    /// The blanks before a token, if nothing else stands before it on its line.
    fn lead(&self, old: usize) -> Option<&str> {
        let at = self.old[old].at.start as usize;
        let start = line_start(self.text, at);
        let lead = &self.text[start..at];
        lead.trim().is_empty().then_some(lead)
    }

    /// The first token of the item of a list that a token of the old code belongs to.
    fn item(&self, nest: &Nest, list: usize, old: usize) -> usize {
        let mut at = nest.lift(list, old);
        // Statements end without a sign in some languages.
        let own = |i: usize| matches!(self.old[i].key, Key::Slot(..)) && self.lead(i).is_some();
        while !own(at)
            && let Some(before) = at.checked_sub(1).filter(|b| *b != list)
        {
            let sign =
                |t: &OldToken| matches!(&t.key, Key::Text(k) if matches!(k.as_str(), "," | ";"));
            if nest.around[before] == list && sign(&self.old[before]) {
                break;
            }
            at = nest.lift(list, before);
            if nest.around[at] != list {
                return old;
            }
            // A bracket that ends is lifted to no level: its partner begins the pair.
            at = nest.partner[at].filter(|p| *p < at).unwrap_or(at);
        }
        at
    }

    /// The lists of the old code, outer ones first, each with the list of the new code that takes it over.
    pub(super) fn heirs(&self, old: &Nest, new: &Nest) -> Vec<(usize, usize)> {
        let all: Vec<usize> = old.pairs().collect();
        let heir = |list: usize| Some((list, self.heir(list, &self.inside(old, list), new)?));
        all.into_iter().filter_map(heir).collect()
    }

    /// The words and slots that stay of a list, with their new places.
    fn inside(&self, old: &Nest, list: usize) -> Vec<(usize, usize)> {
        let weighs = |o: usize| match &self.old[o].key {
            Key::Text(t) => t.starts_with(|c: char| c.is_alphanumeric()),
            _ => true,
        };
        let own = |a: &(usize, usize)| old.holds(list, a.0) && weighs(a.0);
        self.anchors.iter().copied().filter(own).collect()
    }

    /// The lists of the new code that have one item a line, by what stands in the file.
    fn lists(&self, old: &Nest, new: &Nest) -> BTreeMap<usize, Lines> {
        let mut out: BTreeMap<usize, Lines> = BTreeMap::new();
        let all = self.heirs(old, new).into_iter().chain([(TOP, TOP)]);
        for (list, heir) in all {
            if out.contains_key(&heir) {
                // What takes over several lists stands where the outermost did that has one item a line.
                continue;
            }
            let inside = self.inside(old, list);
            let mut firsts: Vec<usize> =
                inside.iter().map(|(o, _)| self.item(old, list, *o)).collect();
            if list == TOP {
                firsts.insert(0, 0);
            } else if firsts.is_empty() && list + 1 < self.old.len() {
                firsts.push(list + 1);
            }
            firsts.retain(|f| *f < self.old.len());
            firsts.dedup();
            let leads: Option<Vec<&str>> = firsts.iter().map(|f| self.lead(*f)).collect();
            if let Some(items) = leads.as_deref().and_then(<[&str]>::first) {
                let end = old.partner.get(list).copied().flatten();
                let lead = end.and_then(|e| self.lead(e));
                // What is set off by blanks in `new` does not follow the last item.
                let set_off = || {
                    let gap = &self.new[(heir != TOP).then(|| new.partner[heir]).flatten()?].gap;
                    let blank = !gap.is_empty() && self.kept[heir].is_none();
                    blank.then(|| indent_at(self.text, self.old[list].at.start as usize))
                };
                let end = lead.or_else(set_off).map(str::to_owned);
                out.insert(heir, Lines { items: (*items).to_owned(), end });
            }
        }
        out
    }

    /// True if a list of the new code that is written in one line gets lines of its own: what it holds is longer than a
    /// line, and would hang out of it.
    pub(super) fn opens_up(&self, old: &Nest, nest: &Nest, open: usize) -> bool {
        let hangs = |i: usize| {
            let slot = matches!(self.new[i].key, Key::Slot(..)) && nest.around[i] == open;
            let Some(at) = self.new[i].span.filter(|_| slot) else { return false };
            // What stood on lines of its own in braces does so in others.
            let braces = |key: &Key| matches!(key, Key::Text(t) if t == "{");
            let own = self.old.iter().position(|o| o.at == at);
            let around = own.map(|o| old.around[o]).filter(|a| *a != TOP);
            if around.is_some_and(|a| braces(&self.old[a].key))
                && braces(&self.new[open].key)
                && own.is_some_and(|o| self.lead(o).is_some())
            {
                return true;
            }
            let lines = at.of(self.text);
            let last = lines.rsplit_once('\n').map_or("", |(_, last)| last);
            let first = indent_at(self.text, at.start as usize);
            let deeper = last.strip_prefix(first).is_some_and(|rest| rest.starts_with([' ', '\t']));
            deeper && !last.trim_start().starts_with([')', ']', '}'])
        };
        let end = nest.partner[open].filter(|end| *end > open + 1);
        let spaced = |i: usize| !self.new[i].gap.is_empty() && !self.new[i].gap.contains('\n');
        self.kept[open].is_none()
            && !self.new[open].as_it_stands
            && end.is_some_and(|end| spaced(open + 1) && spaced(end) && (open + 1..end).any(hangs))
    }

    /// The list of the new code that takes an old one over: the one that holds all that stays of it.
    fn heir(&self, list: usize, inside: &[(usize, usize)], new: &Nest) -> Option<usize> {
        let all = |h: usize| inside.iter().all(|(_, n)| new.holds(h, *n));
        let kept = self.anchors.iter().find(|a| a.0 == list).map(|a| a.1);
        let mut heir = match kept {
            Some(kept) => Some(kept).filter(|k| new.partner[*k].is_some() && all(*k))?,
            None => {
                let first = inside.first()?;
                let mut at = new.around[first.1];
                while at != TOP && !all(at) {
                    at = new.around[at];
                }
                Some(at).filter(|a| *a != TOP)?
            }
        };
        // A bracket directly inside takes over the lines.
        while let Some(next) = Some(heir + 1).filter(|n| {
            !inside.is_empty()
                && new.partner.get(*n).is_some_and(|p| p.is_some_and(|p| p > *n))
                && all(*n)
        }) {
            heir = next;
        }
        Some(heir)
    }
}

/// A gap of the file whose lines are indented otherwise.
pub(super) fn regap(gap: &str, indent: &str) -> String {
    gap.rsplit_once('\n').map_or_else(|| gap.to_owned(), |(_, had)| reindent(gap, had, indent))
}

/// A text whose lines have another indentation than they had; the first is not one, and lines that hold nothing stay.
pub(super) fn reindent(text: &str, had: &str, indent: &str) -> String {
    let lines: Vec<&str> = text.split('\n').collect();
    let last = lines.len() - 1;
    let line = |(i, line): (usize, &&str)| match line.strip_prefix(had) {
        Some(rest) if i > 0 && (i == last || !rest.trim().is_empty()) => format!("{indent}{rest}"),
        _ => (*line).to_owned(),
    };
    lines.iter().enumerate().map(line).collect::<Vec<_>>().join("\n")
}

impl Layout {
    /// Plans the gaps of the new tokens.
    pub(super) fn new(t: &Tokens<'_>, level: &str, indents: &mut Indents<'_>) -> Self {
        let (old, nest) =
            (Nest::of(t.old.iter().map(|t| &t.key)), Nest::of(t.new.iter().map(|t| &t.key)));
        let lists = t.lists(&old, &nest);
        let mut out = Self {
            gaps: Vec::new(),
            lists,
            nest,
            shifts: Vec::new(),
            lines: Vec::new(),
            regaps: Vec::new(),
        };
        let mut line = indent_at(t.text, t.start).to_owned();
        for (i, token) in t.new.iter().enumerate() {
            let kept = t.kept[i];
            let items = out.item_of(t.new, i).map(|l| l.items.clone());
            let items = items.or_else(|| out.end_of(i).and_then(|l| l.end.clone()));
            let own = match &items {
                Some(items) if token.as_it_stands => regap(&token.gap, items),
                _ if token.as_it_stands => token.gap.clone(),
                _ => out.gap(t.new, i, indents),
            };
            let before = i.checked_sub(1).and_then(|b| t.kept[b]);
            let gap = match (before, kept) {
                (Some(b), Some(k)) if b + 1 == k => {
                    Span { start: t.old[b].at.end, end: t.old[k].at.start }.of(t.text)
                }
                _ => own.as_str(),
            };
            if i == 0 && kept.is_some() {
                line = indent_at(t.text, t.old[0].at.start as usize).to_owned();
            } else if let Some((_, last)) = gap.rsplit_once('\n') {
                let blanks = last.len() - last.trim_start().len();
                last[..blanks].clone_into(&mut line);
            }
            if !out.lists.contains_key(&i) && t.opens_up(&old, &out.nest, i) {
                let lines = Lines { items: format!("{line}{level}"), end: Some(line.clone()) };
                out.lists.insert(i, lines);
            }
            let had = line.clone();
            let beside = before.zip(kept).is_some_and(|(b, k)| b + 1 == k);
            if let Some(items) = items.filter(|items| beside && gap.contains('\n') && *items != had)
            {
                line = items.clone();
                out.regaps.push(Some((had, items)));
            } else {
                out.regaps.push(None);
            }
            out.gaps.push(own);
            out.shifts.push(None);
            out.lines.push(line.clone());
            if let (Key::Slot(..), Some(span)) = (&token.key, token.span)
                && span.of(t.text).contains('\n')
            {
                let from = indent_at(t.text, span.start as usize).to_owned();
                let last = indent_at(t.text, span.end as usize).to_owned();
                let moved = (from != line).then(|| (from.clone(), line.clone()));
                line = match last.strip_prefix(&from) {
                    Some(more) => format!("{line}{more}"),
                    None => last,
                };
                out.shifts[i] = moved;
            }
        }
        out
    }

    /// What stands before a token where it is written anew.
    fn gap(&self, new: &[NewToken], i: usize, indents: &mut Indents<'_>) -> String {
        let gap = &new[i].gap;
        let end = self.nest.partner[i].filter(|p| *p < i);
        if let Some(open) = end {
            let Some(list) = self.lists.get(&open) else { return indents.gap(gap, None) };
            return match &list.end {
                Some(end) if open + 1 < i => self.broken(gap, end, indents),
                _ => indents.gap(gap, None),
            };
        }
        match self.item_of(new, i) {
            Some(list) => self.broken(gap, &list.items.clone(), indents),
            None => indents.gap(gap, None),
        }
    }

    /// The list with one item a line that a token begins an item of.
    fn item_of(&self, new: &[NewToken], i: usize) -> Option<&Lines> {
        let (token, around) = (&new[i], self.nest.around[i]);
        let begins = i > 0
            && (token.starts && (around != TOP || token.root)
                || around != TOP
                    && (around + 1 == i
                        || new[i - 1].separates && self.nest.around[i - 1] == around));
        self.lists.get(&around).filter(|_| begins)
    }

    /// The list with one item a line that a token ends.
    fn end_of(&self, i: usize) -> Option<&Lines> {
        self.lists.get(&self.nest.partner[i].filter(|p| *p < i)?)
    }

    /// A gap that ends a line.
    fn broken(&self, gap: &str, indent: &str, indents: &mut Indents<'_>) -> String {
        if gap.contains('\n') {
            return indents.gap(gap, Some(indent));
        }
        format!("{}{indent}", indents.line_end())
    }

    /// True if a token stands in a list that has one item a line.
    pub(super) fn listed(&self, new: usize) -> bool {
        self.nest.around[new] != TOP && self.lists.contains_key(&self.nest.around[new])
    }
}
