//! Lists of keyed things: their pairs match in any order, in whatever way they are written.

use std::ops::Range;

use emendo_lang::language::Keyed;
use emendo_lang::tree::Node;
use emendo_lang::tree::{children_with_fields, in_field, span};
use emendo_text::{Repeat, Span};

use crate::compare::{Child, Matcher, TokenFit};
use crate::found::Bound;
use crate::model::{Inner, Key, PNode, PatternToken, key_of_pattern};

impl<'t> Matcher<'_, 't> {
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
        let rest: Vec<Node<'t>> = items.iter().map(|i| i.0).filter(|n| n.is_named()).collect();
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
            node.named_child(0).filter(|_| !keyed.valued || node.named_child_count() > 1)
        } else {
            in_field(node, keyed.key)
        };
        let word = keyed.plain_key(key?.kind(), span(key?).of(text));
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

/// Takes the things at some places off a list.
fn drop_at<T>(all: &mut Vec<T>, gone: impl Fn(usize) -> bool) {
    let mut index = 0;
    all.retain(|_| {
        index += 1;
        !gone(index - 1)
    });
}
