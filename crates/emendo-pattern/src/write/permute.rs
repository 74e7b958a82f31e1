//! Items of a list that only change places: each takes the comments along that belong to it.
//!
//! A comment belongs to the item that it stands before; on the line of an item, with nothing behind it, to that item.

use emendo_text::{Part, Span, Splice};

use crate::model::Key;
use crate::write::nest::Nest;
use crate::write::writer::Writer;

/// An item of a list in the file.
struct Item {
    /// It, with the comments before it.
    whole: Span,
    /// Where a comment behind it begins: after the separator, if there is one.
    end: u32,
    /// The comment behind it, at the end of its line.
    behind: Option<Span>,
}

impl Writer<'_> {
    /// Lets the items of lists that only change places do so with their comments, where there are any. Tells whether it
    /// did: the tokens of the new code stand in the order of the file then.
    pub(super) fn change_places(&mut self, anchors: &[(usize, usize)]) -> bool {
        let (old, new) =
            (Nest::of(self.old.iter().map(|t| &t.key)), Nest::of(self.new.iter().map(|t| &t.key)));
        let mut any = false;
        for list in old.pairs() {
            let Some(end) = old.partner[list] else { continue };
            let heir = anchors.iter().find(|a| a.0 == list).map(|a| a.1);
            let Some((heir, heir_end)) = heir.and_then(|h| Some((h, new.partner[h]?))) else {
                continue;
            };
            let (had, gets) = (slots(&old, list, end), slots(&new, heir, heir_end));
            any |= self.permute((list, end), &had, &gets).is_some();
        }
        any
    }

    fn permute(&mut self, list: (usize, usize), had: &[usize], gets: &[usize]) -> Option<()> {
        // For each place, the number of the item that it gets.
        let from: Vec<usize> = gets
            .iter()
            .map(|n| {
                let new = &self.new[*n];
                let same = |o: &usize| {
                    let old = &self.old[*o];
                    matches!(old.key, Key::Slot(..))
                        && old.key == new.key
                        && new.span == Some(old.at)
                };
                had.iter().position(same).filter(|_| new.brackets.is_none())
            })
            .collect::<Option<_>>()?;
        let signs = self.language.compare.separators;
        let separates = |o: &usize| match &self.old[*o].key {
            Key::Text(t) => signs.contains(&t.as_str()),
            _ => false,
        };
        let between = had.windows(2).all(|w| w[0] + 2 == w[1] && separates(&(w[0] + 1)));
        let last = had.last().is_some_and(|l| l + 1 == list.1 || separates(&(l + 1)));
        if !between || !last {
            return None;
        }
        let each_once = (0..had.len()).all(|i| from.contains(&i));
        if had.len() != gets.len() || !each_once || from.iter().enumerate().all(|(i, j)| i == *j) {
            return None;
        }
        let items = self.items(list, had)?;
        let mut splices = Vec::new();
        for (place, item) in items.iter().zip(from.iter().map(|j| &items[*j])) {
            splices.push(Splice {
                span: place.whole,
                parts: vec![Part::Copy(item.whole)],
                inner: false,
            });
            let after = match (place.behind, item.behind) {
                (Some(own), Some(other)) => (own, vec![Part::Copy(other)]),
                (Some(own), None) => (Span { start: place.end, end: own.end }, Vec::new()),
                (None, Some(other)) => {
                    let rest = &self.text[place.end as usize..];
                    let line = rest.split('\n').next().unwrap_or("");
                    if !line.trim().is_empty() || line.len() == rest.len() {
                        return None;
                    }
                    let at = Span::at(place.end as usize);
                    (at, vec![Part::Text(" ".into()), Part::Copy(other)])
                }
                (None, None) => continue,
            };
            splices.push(Splice { span: after.0, parts: after.1, inner: false });
        }
        self.out.splices.extend(splices);
        let tokens: Vec<_> = gets.iter().map(|n| self.new[*n].clone()).collect();
        for (token, j) in tokens.into_iter().zip(from) {
            let gap = self.new[gets[j]].gap.clone();
            self.new[gets[j]] = crate::write::token::NewToken { gap, ..token };
        }
        Some(())
    }

    /// The items of a list, if each is one slot, there are comments among them, and all of these can be told whose they
    /// are.
    fn items(&self, (list, end): (usize, usize), slots: &[usize]) -> Option<Vec<Item>> {
        let facts = self.resolver.facts;
        let (first, last) = (self.old[list].at.end, self.old[end].at.start);
        let inside = |c: &&Span| {
            first <= c.start
                && c.end <= last
                && !slots.iter().any(|s| self.old[*s].at.contains(**c))
        };
        let comments: Vec<Span> = facts.comments.iter().filter(inside).copied().collect();
        if comments.is_empty() {
            return None;
        }
        let lines = |start: u32, end: u32| Span { start, end }.of(self.text).contains('\n');
        let mut out: Vec<Item> = Vec::new();
        let mut used = 0;
        for (n, slot) in slots.iter().enumerate() {
            let at = self.old[*slot].at;
            let from = out.last().map_or(first, |i| i.behind.map_or(i.end, |b| b.end));
            let before: Vec<&Span> =
                comments.iter().filter(|c| from <= c.start && c.end <= at.start).collect();
            let start = before.first().map_or(at.start, |c| c.start);
            let next = slots.get(n + 1).map_or(last, |s| self.old[*s].at.start);
            let separator = (*slot + 1 < end).then(|| self.old[*slot + 1].at);
            let over = separator.map_or(at.end, |s| s.end);
            // Before the separator, or the bracket on the same line, it is a part of the item.
            let until = separator.map_or(last, |s| s.start);
            let within = comments.iter().filter(|c| at.end <= c.start && c.end <= until);
            let within: Vec<&Span> = within.filter(|_| !lines(at.end, until)).collect();
            used += within.len();
            let stop = within.last().map_or(at.end, |c| c.end);
            let over = over.max(stop);
            let behind = comments.iter().find(|c| over <= c.start && c.end <= next).copied();
            let behind = behind.filter(|b| {
                !lines(over, b.start) && lines(b.end, next) && !b.of(self.text).contains('\n')
            });
            used += before.len() + usize::from(behind.is_some());
            // A comment after the bracket belongs to the whole list.
            let of_list = n == 0
                && before.first().is_some_and(|c| !lines(first, c.start) && lines(c.end, at.start));
            if of_list {
                return None;
            }
            out.push(Item { whole: Span { start, end: stop }, end: over, behind });
        }
        (used == comments.len()).then_some(out)
    }
}

/// The tokens between a bracket and its partner, if they are single ones with separators between.
fn slots(nest: &Nest, list: usize, end: usize) -> Vec<usize> {
    let all: Vec<usize> = (list + 1..end).filter(|i| nest.around[*i] == list).collect();
    if all.len() != end - list - 1 {
        return Vec::new();
    }
    all.into_iter().step_by(2).collect()
}
