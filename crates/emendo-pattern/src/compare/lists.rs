//! Comparing lists: in order, as sets, by keys, as loose tokens.

use std::ops::Range;

use emendo_lang::tree::Node;
use emendo_lang::tree::{children_with_fields, descend, is_item, span};
use emendo_text::{Repeat, Span};

use crate::compare::{Child, Matcher, TokenFit, same_field, trusted};
use crate::found::Bound;
use crate::model::{Inner, Key, PNode, PatternToken};

impl<'t> Matcher<'_, 't> {
    pub(super) fn repeat(&self, p: &PNode) -> Option<(usize, usize, Repeat)> {
        match &p.what {
            PatternToken::Slot(ix, token) => Some((*ix, *token, self.pattern.slots[*ix].repeat)),
            _ => None,
        }
    }

    /// A slot that takes a varying number of items.
    pub(super) fn varying(&self, p: &PNode) -> Option<(usize, usize, Repeat)> {
        self.repeat(p).filter(|r| r.2 != Repeat::One)
    }

    /// Each pattern fits an item of its own; other items are free; a list slot takes the rest.
    pub(super) fn set(&mut self, patterns: &[&PNode], items: &[Child<'t>]) -> bool {
        let mut left: Vec<Node<'t>> = items.iter().map(|i| i.0).collect();
        let mut rest = None;
        for p in patterns {
            if let Some((ix, token, _)) = self.varying(p) {
                rest = Some((ix, token));
                continue;
            }
            let hit = left.iter().position(|n| {
                let saved = self.state.clone();
                let fits = self.node(p, *n, false);
                if !fits {
                    self.state = saved;
                }
                fits
            });
            match hit {
                Some(i) => drop(left.remove(i)),
                None => return false,
            }
        }
        let Some((ix, token)) = rest else { return true };
        let start = items.first().map_or(0, |i| i.0.start_byte());
        self.bind_rest(ix, token, &left, Span::at(start))
    }

    /// Binds what is left of a list; it may stand around what the pattern took.
    pub(super) fn bind_rest(
        &mut self,
        ix: usize,
        token: usize,
        nodes: &[Node<'t>],
        empty: Span,
    ) -> bool {
        let mut runs: Vec<(Span, Option<Node<'t>>)> = Vec::new();
        for n in nodes {
            let next = runs.last().and_then(|r| r.1);
            match runs.last_mut() {
                Some(run) if next.is_some_and(|next| next.id() == n.id()) => {
                    *run = (run.0.hull(span(*n)), n.next_named_sibling());
                }
                _ => runs.push((span(*n), n.next_named_sibling())),
            }
        }
        let at = runs.first().map_or(empty, |r| r.0);
        if !self.bind(ix, token, nodes, at) {
            return false;
        }
        if !nodes.is_empty()
            && let Some((_, bound)) = self.state.slots.last_mut()
        {
            bound.scattered = runs.iter().map(|r| r.0).collect();
            self.state.tokens[token] = None;
        }
        true
    }

    /// Compares a list from pattern `from` on; `used` gets the range of items for each pattern.
    pub(super) fn sequence(
        &mut self,
        patterns: &[&PNode],
        items: &[Child<'t>],
        from: usize,
        fit: TokenFit,
        used: &mut Vec<Range<usize>>,
    ) -> bool {
        let mut pi = from;
        loop {
            let at = used.last().map_or(0, |r| r.end);
            let Some(p) = patterns.get(pi) else {
                let start = matches!(fit, TokenFit::Start | TokenFit::TokenRun);
                return (start || at == items.len()) && !self.is_taken();
            };
            let slot = self.repeat(p).filter(|r| r.2 != Repeat::One || fit.loose());
            if let Some(slot) = slot {
                return self.many(patterns, items, pi, fit, slot, used);
            }
            let fits =
                items.get(at).is_some_and(|(n, f)| same_field(p, *f) && self.node(p, *n, false));
            if !fits {
                // Before an empty list of loose tokens there is no comma either.
                return fit.loose()
                    && self.is_comma(p)
                    && patterns.get(pi + 1).is_some_and(|n| self.least(n) == 0)
                    && self.skip_comma(patterns, items, pi, fit, used);
            }
            used.push(at..at + 1);
            pi += 1;
        }
    }

    fn is_comma(&self, p: &PNode) -> bool {
        matches!(&p.what, PatternToken::Leaf(t, _) if self.language().compare.separators.contains(&t.as_str()))
    }

    /// A comma and the list slot after it are both not there.
    fn skip_comma(
        &mut self,
        patterns: &[&PNode],
        items: &[Child<'t>],
        pi: usize,
        fit: TokenFit,
        used: &mut Vec<Range<usize>>,
    ) -> bool {
        let at = used.last().map_or(0, |r| r.end);
        let Some((ix, token, _)) = self.repeat(patterns[pi + 1]) else { return false };
        let place = at.checked_sub(1).map_or(0, |i| items[i].0.end_byte());
        used.push(at..at);
        used.push(at..at);
        self.bind(ix, token, &[], Span::at(place))
            && self.sequence(patterns, items, pi + 2, fit, used)
    }

    /// The fewest items that a pattern takes.
    fn least(&self, p: &PNode) -> usize {
        match self.repeat(p) {
            Some((_, _, Repeat::Any | Repeat::Optional)) => 0,
            _ => 1,
        }
    }

    /// A slot that takes a varying number of items.
    fn many(
        &mut self,
        patterns: &[&PNode],
        items: &[Child<'t>],
        pi: usize,
        fit: TokenFit,
        (ix, token, repeat): (usize, usize, Repeat),
        used: &mut Vec<Range<usize>>,
    ) -> bool {
        let at = used.last().map_or(0, |r| r.end);
        let rest = &patterns[pi + 1..];
        let tokens = fit.loose();
        let later: usize = rest
            .iter()
            .enumerate()
            .filter(|(i, p)| {
                let behind_comma =
                    self.is_comma(p) && rest.get(i + 1).is_some_and(|n| self.least(n) == 0);
                !(tokens && behind_comma)
            })
            .map(|(_, p)| self.least(p))
            .sum();
        // Without anything in this slot the comma after it goes too.
        let beside = tokens && rest.first().is_some_and(|p| self.is_comma(p));
        let later = later - usize::from(beside && later > 0);
        let varies = tokens || rest.iter().any(|p| self.varying(p).is_some());
        let Some(most) = (items.len() - at).checked_sub(later) else { return false };
        let (min, max) = match (repeat, tokens) {
            (Repeat::Some | Repeat::One, _) => (1, most),
            (Repeat::Optional, false) => (0, most.min(1)),
            _ => (0, most),
        };
        // After the last varying slot, a list that must fit as a whole leaves one length only.
        let min = if fit == TokenFit::Whole && !varies { most.max(min) } else { min };
        let one_piece = matches!(repeat, Repeat::One | Repeat::Optional);
        for count in min..=max {
            let taken: Vec<Node<'t>> = items[at..at + count].iter().map(|i| i.0).collect();
            let stop = |n: &Node<'_>| {
                if tokens { one_piece && [",", ";"].contains(&n.kind()) } else { !is_item(*n) }
            };
            if taken.iter().any(stop) {
                break;
            }
            let place = taken.first().zip(taken.last()).map(|(a, b)| span(*a).hull(span(*b)));
            let place = place.unwrap_or_else(|| {
                let before = at.checked_sub(1).map(|i| items[i].0.end_byte());
                Span::at(before.or_else(|| items.get(at).map(|i| i.0.start_byte())).unwrap_or(0))
            });
            let saved = self.state.clone();
            let used_before = used.len();
            used.push(at..at + count);
            let mut next = pi + 1;
            // After an empty list of loose tokens there is no comma either.
            if tokens && count == 0 && patterns.get(next).is_some_and(|p| self.is_comma(p)) {
                used.push(at..at);
                next += 1;
            }
            let run = fit == TokenFit::TokenRun;
            let whole =
                !tokens || !one_piece || count == 0 || self.is_piece(place, run.then_some(&taken));
            let bound = whole
                && match tokens {
                    true => self.bind_tokens(ix, token, &taken, place),
                    false => self.bind(ix, token, &taken, place),
                };
            if bound && self.sequence(patterns, items, next, fit, used) {
                return true;
            }
            used.truncate(used_before);
            self.state = saved;
            if self.budget < count {
                self.budget = 0;
                return false;
            }
            // What a trial costs grows with what it takes.
            self.budget -= count;
        }
        false
    }

    /// The code that loose tokens are, where they can be read as such.
    pub(super) fn code_of(&self, at: Span) -> Option<Node<'t>> {
        self.tree.roots_at(at).skip(1).find_map(|root| {
            let path = descend(root.node, at);
            let sound = !path.iter().any(|(n, _)| n.is_error());
            let (node, _) = path.into_iter().find(|(n, _)| sound && span(*n) == at)?;
            trusted(self.language(), &root, node).then_some(node)
        })
    }

    /// Loose tokens that are one piece of code where they can be read as such: `a || b` is none in `a || b == c`.
    /// What begins a run is an operand where it cannot be read as code.
    fn is_piece(&self, at: Span, begins: Option<&Vec<Node<'t>>>) -> bool {
        let mut code = false;
        let whole = self.tree.roots_at(at).skip(1).all(|root| {
            let path = descend(root.node, at);
            let broken = path.len() < 2
                || path.iter().any(|(n, _)| n.is_error())
                || path.last().is_some_and(|(n, _)| !trusted(self.language(), &root, *n));
            code |= !broken;
            broken || path.iter().any(|(n, _)| span(*n) == at)
        });
        whole && (code || begins.is_none_or(|tokens| self.is_operand(tokens)))
    }

    /// A name or a literal, with what hangs on it by dots and brackets.
    fn is_operand(&self, tokens: &[Node<'t>]) -> bool {
        let language = self.language();
        let joins = |n: &Node<'_>| language.words.member_after.contains(&n.kind());
        let hangs = |n: &Node<'_>| language.fragments.token_runs.contains(&n.kind());
        let word = |n: &Node<'_>| {
            let text = span(*n).of(self.text);
            n.is_named() && !language.names.reserved.contains(&text)
                || self.both_words(n.kind(), *n)
        };
        let mut expects = true;
        for n in tokens {
            expects = match expects {
                true if word(n) => false,
                false if joins(n) => true,
                false if hangs(n) || n.kind() == "?" => false,
                _ => return false,
            };
        }
        !expects
    }

    /// Finds the separators of the code that stand where the pattern has one.
    pub(super) fn separators(
        &mut self,
        inner: &Inner,
        node: Node<'t>,
        items: &[Child<'t>],
        used: &[Range<usize>],
    ) {
        if inner.separators.is_empty() {
            return;
        }
        let language = self.language();
        let all: Vec<Node<'t>> = children_with_fields(node)
            .into_iter()
            .map(|c| c.0)
            .filter(|n| !n.is_extra() && emendo_lang::tree::is_separator(language, *n))
            .collect();
        let mut from = 0;
        for (before, token) in &inner.separators {
            let text = match &self.reading_key(*token) {
                Key::Text(t) => t.clone(),
                _ => continue,
            };
            // Out of order: the separators are taken as they come.
            let (low, high) = if used.is_empty() {
                (0, usize::MAX)
            } else {
                let real = |(i, r): &(usize, &Range<usize>)| {
                    !r.is_empty() && !is_bracket(&inner.children[*i])
                };
                let all = || used.iter().enumerate();
                let left = used[..*before].iter().enumerate().rfind(real).map(|(_, r)| r);
                let right = all().skip(*before).find(real).map(|(_, r)| r);
                let empty_beside = used.get(before.wrapping_sub(1)).is_some_and(|r| r.is_empty())
                    || used.get(*before).is_some_and(|r| r.is_empty());
                if empty_beside && left.is_some() && right.is_none()
                    || empty_beside && left.is_none() && right.is_some()
                {
                    // The list slot beside it is empty: the code has no separator here.
                    continue;
                }
                let low = left.map_or(node.start_byte(), |r| items[r.end - 1].0.end_byte());
                let high = right.map_or(node.end_byte(), |r| items[r.start].0.start_byte());
                (low, high)
            };
            let within = |n: &Node<'_>| n.start_byte() >= low && n.end_byte() <= high;
            let is_dot = |t: &str| t.trim_start_matches('?') == "." || t == "?";
            let mark = |t: &str| matches!(t, "," | ";");
            let same = |n: &&Node<'_>| span(**n).of(self.text) == text;
            // The question mark of a link, and another mark between items, stay as they are.
            let like = |n: &&Node<'_>| {
                let found = span(**n).of(self.text);
                (is_dot(&text) && is_dot(found)) || (mark(&text) && mark(found))
            };
            let rest = || all[from..].iter().enumerate().filter(|(_, n)| within(n));
            let hit = rest().find(|(_, n)| same(n)).or_else(|| rest().find(|(_, n)| like(n)));
            let hit = hit.map(|(i, _)| i);
            if let Some(i) = hit {
                self.state.tokens[*token] = Some(span(all[from + i]));
                from += i + 1;
            }
        }
    }

    /// Binds a slot to nothing at a place; it has no token there.
    pub(super) fn bind_nothing(&mut self, ix: usize, at: Span) {
        let name = &self.pattern.slots[ix].name;
        self.state.slots.push((ix, Bound::new(name, at, "", 0)));
    }
}

fn is_bracket(p: &PNode) -> bool {
    matches!(&p.what, PatternToken::Leaf(t, _) if ["(", ")", "[", "]", "{", "}", "<", ">"].contains(&t.as_str()))
}
