//! What may be written or left out without a difference: brackets around a list, lists with nothing in them, a function
//! behind the arguments.

use emendo_lang::tree::span;
use emendo_text::{Repeat, Span};

use crate::compare::{Child, Matcher};
use crate::model::{PNode, PatternToken};

impl<'t> Matcher<'_, 't> {
    /// Takes brackets that tell nothing off the pattern and off the code. True if the code does without them.
    pub(super) fn leave_out_brackets(
        &mut self,
        kind: &str,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
    ) -> bool {
        let rule = self.language().compare.bracketed.iter().find(|b| b.0 == kind);
        let Some((_, marks)) = rule else { return false };
        let mark = |p: &PNode| match &p.what {
            PatternToken::Leaf(t, token) if marks.contains(&t.as_str()) => Some(*token),
            _ => None,
        };
        let opening: Vec<usize> = patterns.iter().map_while(|p| mark(p)).collect();
        let closing =
            patterns.last().and_then(|p| mark(p)).filter(|_| patterns.len() > opening.len());
        let is_mark = |i: &&Child<'t>| marks.contains(&i.0.kind());
        let open: Vec<Span> = items.iter().take_while(is_mark).map(|i| span(i.0)).collect();
        let close =
            items.last().filter(is_mark).map(|i| span(i.0)).filter(|_| items.len() > open.len());
        let open_at = open.iter().copied().reduce(Span::hull);
        // One pair of brackets, which may be missing.
        if marks.len() == 2 {
            match (opening.is_empty(), open.is_empty()) {
                (false, true) if closing.is_some() => {
                    patterns.pop();
                    patterns.remove(0);
                    return true;
                }
                (true, false) if close.is_some() => {
                    self.state.brackets.extend(open_at.zip(close));
                    items.pop();
                    items.remove(0);
                }
                _ => {}
            }
            return false;
        }
        let (Some(close_at), Some(closing), Some(open_at)) = (close, closing, open_at) else {
            return false;
        };
        for (n, token) in opening.iter().enumerate() {
            let rest = Span::at(open_at.end as usize);
            self.state.tokens[*token] = Some(if n == 0 { open_at } else { rest });
        }
        self.state.tokens[closing] = Some(close_at);
        patterns.truncate(patterns.len() - 1);
        patterns.drain(..opening.len());
        items.truncate(items.len() - 1);
        items.drain(..open.len());
        false
    }

    /// Takes lists off that hold nothing on one side and are missing on the other.
    pub(super) fn leave_out_lists(
        &mut self,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
    ) {
        let hollow = self.language().compare.hollow;
        if hollow.is_empty() {
            return;
        }
        for kinds in hollow {
            let own = patterns.iter().position(|p| kinds.contains(&p.kind));
            let there = items.iter().position(|(n, _)| kinds.contains(&n.kind()));
            match (own, there) {
                (None, Some(at)) if items[at].0.named_child_count() == 0 => drop(items.remove(at)),
                (Some(at), None) => {
                    let Some(slots) = self.only_slots(patterns[at]) else { continue };
                    let place = at.checked_sub(1).and_then(|b| items.get(b));
                    let place = place.map_or(0, |i| i.0.end_byte());
                    slots.into_iter().for_each(|ix| self.bind_nothing(ix, Span::at(place)));
                    patterns.remove(at);
                }
                _ => {}
            }
        }
    }

    /// The slots of a list that is nothing but slots for any number.
    fn only_slots(&self, p: &PNode) -> Option<Vec<usize>> {
        let PatternToken::Inner(inner) = &p.what else { return None };
        let slots = inner.children.iter().filter(|c| !matches!(c.what, PatternToken::Leaf(..)));
        let any = |p: &PNode| self.repeat(p).filter(|r| r.2 == Repeat::Any).map(|r| r.0);
        slots.map(any).collect()
    }

    /// Takes a function off that stands behind the arguments of a call, where the pattern has none and its arguments end
    /// in a slot for any number.
    pub(super) fn leave_out_block(&self, patterns: &[&PNode], items: &mut Vec<Child<'t>>) {
        let field = self.language().typing.calls.block;
        let block = |f: Option<&str>| !field.is_empty() && f == Some(field);
        let Some((_, true)) = items.last().map(|i| (i.0, block(i.1))) else { return };
        if patterns.iter().any(|p| block(p.field)) {
            return;
        }
        let lists = self.language().typing.calls.arguments.lists;
        let list = patterns.iter().find(|p| lists.contains(&p.kind));
        let takes = match list {
            // It was left out because there are no arguments.
            None => self.has_list(items),
            Some(list) => self.ends_open(list),
        };
        if takes {
            items.pop();
        }
    }

    /// True if what the pattern has for the arguments was taken off, since the code has none.
    fn has_list(&self, items: &[Child<'t>]) -> bool {
        let lists = self.language().typing.calls.arguments.lists;
        let at = items.last().map_or(0, |i| i.0.start_byte() as u32);
        let bound = self.state.slots.iter().any(|(_, b)| b.count == 0 && b.span.end <= at);
        bound && !items.iter().any(|(n, _)| lists.contains(&n.kind()))
    }

    /// True for a list that ends in a slot for any number.
    fn ends_open(&self, list: &PNode) -> bool {
        let PatternToken::Inner(inner) = &list.what else { return false };
        let last = inner.children.iter().rev().find(|c| !matches!(c.what, PatternToken::Leaf(..)));
        last.and_then(|l| self.repeat(l)).is_some_and(|r| r.2 == Repeat::Any)
    }
}
