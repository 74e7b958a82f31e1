//! Comparing lists: in order, as sets, by keys, as loose tokens.

use std::ops::Range;

use emendo_lang::language::Keyed;
use emendo_lang::tree::{children_with_fields, descend, span};
use emendo_text::{Repeat, Span};
use tree_sitter::Node;

use crate::compare::{Child, Matcher, TokenFit, same_field, trusted};
use crate::found::Bound;
use crate::model::{Inner, Key, PNode, PatternToken, key_of_pattern};

impl<'t> Matcher<'_, 't> {
    fn repeat(&self, p: &PNode) -> Option<(usize, usize, Repeat)> {
        match &p.what {
            PatternToken::Slot(ix, token) => Some((*ix, *token, self.pattern.slots[*ix].repeat)),
            _ => None,
        }
    }

    /// A slot that takes a varying number of items.
    fn varying(&self, p: &PNode) -> Option<(usize, usize, Repeat)> {
        self.repeat(p).filter(|r| r.2 != Repeat::One)
    }

    /// The slots of a list of type arguments that is nothing but slots for any number: it may be missing.
    fn only_lists(&self, p: &PNode) -> Option<Vec<usize>> {
        let (open, close) = self.language().typing.syntax.generic;
        let PatternToken::Inner(inner) = &p.what else { return None };
        let [first, slots @ .., last] = inner.children.as_slice() else { return None };
        let is = |p: &PNode, token: char| matches!(&p.what, PatternToken::Leaf(t, _) if t.chars().eq([token]));
        if slots.is_empty() || !is(first, open) || !is(last, close) {
            return None;
        }
        let any = |p: &PNode| self.repeat(p).filter(|r| r.2 == Repeat::Any).map(|r| r.0);
        slots.iter().map(any).collect()
    }

    /// Type arguments of any number that are not there.
    pub(super) fn leave_out_arguments(&mut self, patterns: &mut Vec<&PNode>, items: &[Child<'t>]) {
        let missing = |p: &PNode| !items.iter().any(|(n, _)| n.kind() == p.kind);
        let gone = patterns.iter().position(|p| missing(p) && self.only_lists(p).is_some());
        let Some(at) = gone.filter(|_| patterns.len() == items.len() + 1) else { return };
        let place = items.get(at).map_or(0, |i| i.0.start_byte());
        for ix in self.only_lists(patterns[at]).unwrap_or_default() {
            self.bind_nothing(ix, Span::at(place));
        }
        patterns.remove(at);
    }

    /// A name with type arguments of any number, where the code has the name alone.
    pub(super) fn without_arguments(&mut self, inner: &Inner, node: Node<'t>) -> bool {
        let Some((last, rest)) = inner.children.split_last() else { return false };
        let Some(slots) = self.only_lists(last) else { return false };
        let separator = self.language().names.separator;
        let marks = |p: &&PNode| !matches!(&p.what, PatternToken::Leaf(t, _) if t == separator);
        let rest: Vec<&PNode> = rest.iter().filter(marks).collect();
        let [name] = rest.as_slice() else { return false };
        let fits = self.node(name, node, false);
        if fits {
            slots.into_iter().for_each(|ix| self.bind_nothing(ix, Span::at(node.end_byte())));
        }
        fits
    }

    /// A name with a value that may be missing, where the code has the name without one.
    pub(super) fn without_value(&mut self, p: &PNode, inner: &Inner, node: Node<'t>) -> bool {
        let [rest @ .., equals, value] = inner.children.as_slice() else { return false };
        let may_miss = self.repeat(value).filter(|r| matches!(r.2, Repeat::Optional | Repeat::Any));
        let (Some((ix, _, _)), false) = (may_miss, rest.is_empty()) else { return false };
        if !matches!(&equals.what, PatternToken::Leaf(t, _) if t == "=") {
            return false;
        }
        self.bind_nothing(ix, Span::at(node.end_byte()));
        let mut rest: Vec<&PNode> = rest.iter().collect();
        let mut items = self.significant(node);
        if let ([name], true) = (rest.as_slice(), items.is_empty() || p.kind != node.kind()) {
            return self.node(name, node, false);
        }
        if items.iter().any(|(n, _)| n.kind() == "=") {
            return false;
        }
        if let Some(declaration) = self.language().declaration(p.kind)
            && !self.declaration(declaration, &mut rest, &mut items, false)
        {
            return false;
        }
        p.kind == node.kind() && self.sequence(&rest, &items, 0, TokenFit::Whole, &mut Vec::new())
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
    fn bind_rest(&mut self, ix: usize, token: usize, nodes: &[Node<'t>], empty: Span) -> bool {
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

    /// Compares keyed pairs, wherever they stand, and takes them out of both lists. Gives where they end in the file;
    /// `None` if one does not fit.
    pub(super) fn keyed(
        &mut self,
        keyed: &Keyed,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
    ) -> Option<Vec<u32>> {
        let found: Vec<(usize, Option<usize>)> = patterns
            .iter()
            .enumerate()
            .filter_map(|(i, p)| {
                let wanted = key_of_pattern(keyed, p)?;
                let has = |(n, _): &Child<'t>| self.key_of(keyed, *n) == Some(wanted);
                Some((i, items.iter().position(has)))
            })
            .collect();
        if found.is_empty() {
            return None;
        }
        let ends = found.iter().filter_map(|f| f.1).map(|i| items[i].0.end_byte() as u32);
        let mut ends: Vec<u32> = ends.collect();
        ends.sort_unstable();
        // Never empty: that says that nothing was taken out.
        if ends.is_empty() {
            ends.push(u32::MAX);
        }
        let first = items.first().map_or(0, |i| i.0.start_byte());
        for (i, item) in &found {
            let p = patterns[*i];
            let fits = match item {
                Some(at) => self.node(p, items[*at].0, false),
                None => self.missing(p, Span::at(first)),
            };
            if !fits {
                return None;
            }
        }
        drop_at(patterns, |i| found.iter().any(|f| f.0 == i));
        drop_at(items, |i| found.iter().any(|f| f.1 == Some(i)));
        self.take_brackets(patterns, items)?;
        // What is left in the pattern must take what is left in the list.
        let last =
            patterns.iter().rposition(|p| self.varying(p).is_some_and(|r| r.2 != Repeat::Optional));
        match last {
            Some(at) if at + 1 == patterns.len() => {
                self.take_rest(keyed, patterns, items, (at, first), &mut ends)?;
            }
            _ => {
                let single = patterns.iter().filter(|p| self.varying(p).is_none()).count();
                ends.extend(items.iter().take(single).map(|i| i.0.end_byte() as u32));
            }
        }
        ends.sort_unstable();
        Some(ends)
    }

    /// Takes the tokens at both ends of a list off the pattern and off the code.
    fn take_brackets(
        &mut self,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
    ) -> Option<()> {
        while let (Some(p), Some((n, _))) = (patterns.last(), items.last())
            && matches!(p.what, PatternToken::Leaf(..))
        {
            self.node(p, *n, false).then_some(())?;
            patterns.pop();
            items.pop();
        }
        while let (Some(p), Some((n, _))) = (patterns.first(), items.first())
            && matches!(p.what, PatternToken::Leaf(..))
        {
            self.node(p, *n, false).then_some(())?;
            patterns.remove(0);
            items.remove(0);
        }
        Some(())
    }

    /// Lets the list slot at the end of a pattern take what is left, after what stands before it in order. Adds the
    /// ends of what was taken in order. `at` is the slot's place, `first` where the list begins.
    fn take_rest(
        &mut self,
        keyed: &Keyed,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
        (at, first): (usize, usize),
        ends: &mut Vec<u32>,
    ) -> Option<()> {
        let (ix, token, repeat) = self.varying(patterns[at])?;
        let plain = |i: &Child<'t>| self.key_of(keyed, i.0).is_none() && i.0.is_named();
        let before: Vec<&PNode> = patterns[..at].to_vec();
        let tokens = |i: &Child<'t>| !i.0.is_named();
        let heads: Vec<Child<'t>> =
            items.iter().copied().filter(|i| tokens(i) || plain(i)).collect();
        let mut used = Vec::new();
        if before.iter().any(|p| !matches!(p.what, PatternToken::Leaf(..))) {
            self.sequence(&before, &heads, 0, TokenFit::Start, &mut used).then_some(())?;
            let taken = used.last().map_or(0, |r: &Range<usize>| r.end);
            ends.extend(heads[..taken].iter().map(|h| h.0.end_byte() as u32));
            let ids: Vec<usize> = heads[..taken].iter().map(|h| h.0.id()).collect();
            items.retain(|i| !ids.contains(&i.0.id()));
        }
        let rest: Vec<Node<'t>> = items.iter().map(|i| i.0).filter(Node::is_named).collect();
        if repeat == Repeat::Some && rest.is_empty() {
            return None;
        }
        patterns.clear();
        items.clear();
        self.bind_rest(ix, token, &rest, Span::at(first)).then_some(())
    }

    /// What stands around other parts keeps its own separators: they are those of the file, not of the pattern.
    pub(super) fn separators_of_scattered(&mut self, inner: &Inner, node: Node<'t>) {
        let language = self.language();
        let at = span(node);
        let here = |b: &Bound| !b.scattered.is_empty() && at.contains(b.span);
        let Some((_, bound)) = self.state.slots.iter_mut().rev().find(|s| here(&s.1)) else {
            return;
        };
        let children = children_with_fields(node);
        let is_comma = |n: &Node<'_>| language.compare.separators.contains(&n.kind());
        let commas = children.iter().map(|c| c.0).filter(|n| !n.is_extra() && is_comma(n));
        let commas: Vec<Span> = commas.map(span).collect();
        let last = children.iter().rev().map(|c| c.0).find(|n| n.is_named() && !n.is_extra());
        let behind = |c: &Span| last.is_some_and(|l| span(l).end <= c.start);
        let trailing = commas.last().is_some_and(behind);
        let outside = |c: &Span| !bound.scattered.iter().any(|s| s.contains(*c));
        bound.separators = (commas.iter().copied().filter(outside).collect(), trailing);
        for (_, token) in &inner.separators {
            let comma = |t: &str| language.compare.separators.contains(&t);
            if matches!(&self.reading.tokens[*token].key, Key::Text(t) if comma(t)) {
                self.state.tokens[*token] = None;
            }
        }
    }

    /// Finds the commas after pairs that were taken out, the last pair left out.
    pub(super) fn commas_behind(&mut self, inner: &Inner, node: Node<'t>, ends: &[u32]) {
        let language = self.language();
        let is_comma = |t: &str| language.compare.separators.contains(&t);
        let commas: Vec<Span> = children_with_fields(node)
            .into_iter()
            .filter(|(n, _)| !n.is_extra() && is_comma(n.kind()))
            .map(|(n, _)| span(n))
            .collect();
        let tokens: Vec<usize> = inner
            .separators
            .iter()
            .map(|s| s.1)
            .filter(|t| matches!(self.reading_key(*t), Key::Text(t) if is_comma(t)))
            .collect();
        for (token, end) in tokens.iter().zip(&ends[..ends.len() - 1]) {
            let at = commas.partition_point(|c| c.start < *end);
            self.state.tokens[*token] = commas.get(at).copied();
        }
    }

    /// The key of a pair in the code.
    fn key_of(&self, keyed: &Keyed, node: Node<'t>) -> Option<&str> {
        let text = self.text;
        let trim = |t: &'_ str| -> usize { t.trim_matches(['"', '\'']).len() };
        if node.kind() == keyed.shorthand {
            return Some(span(node).of(text));
        }
        if is_method(keyed, node) {
            return method_name(node).map(|n| span(n).of(text));
        }
        if node.kind() != keyed.pair {
            return None;
        }
        let key = if keyed.key.is_empty() {
            node.named_child(0)
        } else {
            node.child_by_field_name(keyed.key)
        };
        let word = span(key?).of(text);
        // A quoted key is the same key.
        let inner = if trim(word) + 2 == word.len() { &word[1..word.len() - 1] } else { word };
        Some(inner)
    }

    /// A pair of a pattern where the code writes it otherwise: as one word for key and value, or as a function behind
    /// its key.
    pub(super) fn other_pair(&mut self, p: &PNode, inner: &Inner, node: Node<'t>) -> bool {
        let of =
            |k: &&Keyed| k.pair == p.kind && (node.kind() == k.shorthand || is_method(k, node));
        let Some(keyed) = self.language().compare.keyed.iter().find(of) else { return false };
        let wanted = key_of_pattern(keyed, p);
        // The last child is the value; what stands between is not written.
        let ([key, .., value], true) =
            (inner.children.as_slice(), wanted.is_some() && wanted == self.key_of(keyed, node))
        else {
            return false;
        };
        if node.kind() == keyed.shorthand {
            return self.node(value, node, false);
        }
        let (Some(name), PatternToken::Slot(ix, token)) = (method_name(node), &value.what) else {
            return false;
        };
        let PatternToken::Leaf(_, key) = &key.what else { return false };
        let function = Span { start: span(name).end, end: span(node).end };
        self.state.tokens[*key] = Some(span(name));
        self.bind(*ix, *token, &[node], function)
    }

    /// A pair whose value may be missing.
    fn missing(&mut self, p: &PNode, at: Span) -> bool {
        let PatternToken::Inner(inner) = &p.what else { return false };
        let value = inner.children.last().and_then(|v| self.repeat(v));
        match value {
            Some((ix, token, Repeat::Optional | Repeat::Any)) => {
                let fits = self.bind(ix, token, &[], at);
                self.state.tokens[token] = None;
                fits
            }
            _ => false,
        }
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
                if tokens { one_piece && [",", ";"].contains(&n.kind()) } else { !n.is_named() }
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
            if whole
                && self.bind(ix, token, &taken, place)
                && self.sequence(patterns, items, next, fit, used)
            {
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

/// A function that is written behind its key; what gives and sets a value is none.
fn is_method(keyed: &Keyed, node: Node<'_>) -> bool {
    let (kind, not) = keyed.method;
    !kind.is_empty()
        && node.kind() == kind
        && !children_with_fields(node).iter().any(|(c, _)| not.contains(&c.kind()))
}

fn method_name(node: Node<'_>) -> Option<Node<'_>> {
    node.child_by_field_name("name")
}

fn is_bracket(p: &PNode) -> bool {
    matches!(&p.what, PatternToken::Leaf(t, _) if ["(", ")", "[", "]", "{", "}", "<", ">"].contains(&t.as_str()))
}

/// Takes the things at some places off a list.
fn drop_at<T>(all: &mut Vec<T>, gone: impl Fn(usize) -> bool) {
    let mut index = 0;
    all.retain(|_| {
        index += 1;
        !gone(index - 1)
    });
}
