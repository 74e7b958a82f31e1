//! The places where a pattern fits, found without comparing it with everything.
//!
//! If a pattern parses in several ways, parses in which a `names` word does not refer to its symbol are discarded, unless
//! all are.

mod around;

use std::cell::RefCell;
use std::cmp::Reverse;

use emendo_lang::Resolver;
use emendo_lang::language::Language;
use emendo_lang::tree::{Root, Tree, descend, span, walk_cursor};
use emendo_text::Span;
use tree_sitter::Node;

pub use around::{Conditions, HERE, SlotConditions};

use crate::compare::{Matcher, significant};
use crate::found::{Match, Nearest, Places};
use crate::model::{KeyWords, PNode, Pattern, PatternToken, Reading};

/// Above so many places of a word, going through the whole tree once costs less.
const MAX_HITS: usize = 256;
/// Needless parentheses that may stand between a pattern's root and its words.
const MAX_PARENTHESES: usize = 6;

impl Pattern {
    /// All places where the pattern fits, outer ones before inner ones. Places inside syntax errors are left out.
    pub fn matches(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Vec<Match> {
        self.places(tree, text, resolver).matches
    }

    /// The same, with the places where comparing took too long to be brought to an end.
    pub fn places(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Places {
        let plans: Option<Vec<Vec<(Span, usize)>>> =
            self.readings.iter().map(|r| self.hits(r, resolver)).collect();
        let mut out = match plans {
            Some(plans) => self.search(tree, text, resolver).above(&plans),
            None => self.search(tree, text, resolver).anywhere(),
        };
        for m in out.matches.extract_if(.., |m| m.partly.is_some()) {
            out.partly.extend(m.partly.map(|text| (m.span, text)));
        }
        out
    }

    /// The places of the rarest word that a reading must hold, with its depth; `None` if there are too many to
    /// look at one by one, or the reading has no such word.
    fn hits(&self, reading: &Reading, resolver: &Resolver<'_>) -> Option<Vec<(Span, usize)>> {
        let locals = |key: &KeyWords| {
            let imports = resolver.facts.imports.iter();
            let own = imports.filter(|i| key.symbols.iter().any(|s| s == i.path()));
            own.filter_map(|i| i.local()).map(str::to_owned).collect::<Vec<_>>()
        };
        let spellings = |key: &KeyWords| {
            let mut all = locals(key);
            all.extend(key.words.iter().cloned());
            all.sort();
            all.dedup();
            all
        };
        let count =
            |words: &[String]| words.iter().map(|w| resolver.facts.words(w).len()).sum::<usize>();
        let keys = reading.keys.iter().map(|k| (spellings(k), k.depth));
        let (words, depth) = keys.min_by_key(|(w, _)| count(w))?;
        if count(&words) > MAX_HITS {
            return None;
        }
        Some(words.iter().flat_map(|w| resolver.facts.words(w)).map(|w| (w.span, depth)).collect())
    }

    /// True if the pattern fits exactly at a place, in some reading.
    pub fn fits_at(&self, tree: &Tree, at: Span, text: &str, resolver: &Resolver<'_>) -> bool {
        let mut search = self.search(tree, text, resolver);
        for root in tree.roots_at(at) {
            let path = descend(root.node, at);
            for (i, (node, field)) in path.iter().enumerate().rev() {
                if span(*node) != at {
                    break;
                }
                let parent = i.checked_sub(1).map(|p| path[p].0);
                for ix in 0..self.readings.len() {
                    search.one(ix, *node, (parent, *field));
                }
            }
        }
        !search.out.matches.is_empty()
    }

    /// The same places, found by going through the whole tree.
    pub fn matches_anywhere(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Vec<Match> {
        self.search(tree, text, resolver).anywhere().matches
    }

    /// The place at which the pattern came furthest before it stopped.
    pub fn nearest(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Option<Nearest> {
        let search = self.search(tree, text, resolver);
        let mut best: Option<Nearest> = None;
        each_node(tree, |_, node, _| {
            if node.is_named() {
                search.near_at(node, &mut best);
            }
        });
        best
    }

    fn search<'s, 't>(
        &'s self,
        tree: &'t Tree,
        text: &'s str,
        resolver: &'s Resolver<'s>,
    ) -> Search<'s, 't> {
        Search { pattern: self, tree, text, resolver, out: Places::default() }
    }
}

/// Goes through a tree and its layers, past what could not be parsed: the root, the node, and where it stands.
fn each_node<'t>(tree: &'t Tree, mut visit: impl FnMut(&Root<'t>, Node<'t>, Stands<'t, '_>)) {
    for root in tree.roots() {
        let above: RefCell<Vec<Node<'t>>> = RefCell::default();
        walk_cursor(
            root.node,
            |cursor| {
                let node = cursor.node();
                if node.is_error() || node.is_extra() {
                    return false;
                }
                let mut above = above.borrow_mut();
                visit(&root, node, (above.last().copied(), cursor.field_name()));
                let inside = node.child_count() > 0;
                if inside {
                    above.push(node);
                }
                inside
            },
            |_| {
                above.borrow_mut().pop();
            },
        );
    }
}

/// Where a node stands: its parent, and its field there.
type Stands<'t, 'f> = (Option<Node<'t>>, Option<&'f str>);

/// One search for the places of a pattern in a text.
struct Search<'s, 't> {
    pattern: &'s Pattern,
    tree: &'t Tree,
    text: &'s str,
    resolver: &'s Resolver<'s>,
    out: Places,
}

impl<'t> Search<'_, 't> {
    /// Looks only above the given words.
    fn above(mut self, plans: &[Vec<(Span, usize)>]) -> Places {
        let mut seen = std::collections::HashSet::new();
        for (ix, hits) in plans.iter().enumerate() {
            for (word, depth) in hits {
                for root in self.tree.roots_at(*word) {
                    let path = descend(root.node, *word);
                    if path.iter().any(|(n, _)| n.is_error()) {
                        continue;
                    }
                    let lowest = path.len().saturating_sub(depth + 1 + MAX_PARENTHESES);
                    for i in lowest..path.len() {
                        let (node, field) = path[i];
                        let fresh = root.holds(span(node)) && seen.insert((ix, node.id()));
                        if fresh && node.is_named() && !node.is_extra() {
                            let parent = i.checked_sub(1).map(|p| path[p].0);
                            let parent = parent.filter(|p| root.holds(span(*p)));
                            self.one(ix, node, (parent, field));
                        }
                    }
                }
            }
        }
        self.out.matches.sort_by_key(|m| (m.span.start, Reverse(m.span.end), m.reading));
        self.out
    }

    /// Goes through the whole tree.
    fn anywhere(mut self) -> Places {
        each_node(self.tree, |root, node, (parent, field)| {
            if node.is_named() && root.holds(span(node)) {
                self.at(node, (parent.filter(|p| root.holds(span(*p))), field));
            }
        });
        self.out
    }

    fn near_at(&self, node: Node<'t>, best: &mut Option<Nearest>) {
        for reading in &self.pattern.readings {
            let first = &reading.roots[0];
            if !could_be(self.pattern.language, first, node) {
                continue;
            }
            let mut m = self.matcher(reading).explaining();
            m.root(first, node);
            let Some((fitted, at, token)) = m.stopped() else { continue };
            if best.as_ref().is_none_or(|b| fitted > b.fitted) {
                let written = |t: usize| reading.tokens[t].at.of(&self.pattern.source).to_owned();
                *best = Some(Nearest { fitted, at, wanted: token.map_or(String::new(), written) });
            }
        }
    }

    fn at(&mut self, node: Node<'t>, place: Stands<'t, '_>) {
        for (ix, reading) in self.pattern.readings.iter().enumerate() {
            if reading.roots.len() == 1 {
                self.one(ix, node, place);
            } else if node.child_count() as usize >= reading.roots.len() {
                self.runs(ix, reading, node);
            }
        }
    }

    /// One reading at one node.
    fn one(&mut self, ix: usize, node: Node<'t>, place: Stands<'t, '_>) {
        let reading = &self.pattern.readings[ix];
        let [root] = reading.roots.as_slice() else { return };
        if could_be(self.pattern.language, root, node) && !node.has_error() {
            let mut m = self.matcher(reading);
            if m.root(root, node) {
                let found = m.finish(ix, span(node), node, place);
                self.out.matches.extend(found);
            } else if m.gave_up() {
                self.out.gave_up.push(span(node));
            }
        }
    }

    /// Runs of siblings.
    fn runs(&mut self, ix: usize, reading: &Reading, parent: Node<'t>) {
        let items = significant(self.pattern.language, parent, self.text);
        let mut i = 0;
        while i < items.len() {
            let mut m = self.matcher(reading);
            let fits = could_be(self.pattern.language, &reading.roots[0], items[i].0);
            match fits.then(|| m.run(&reading.roots, &items[i..])).flatten() {
                Some(len) => {
                    let (first, last) = (items[i].0, items[i + len - 1].0);
                    let at = span(first).hull(span(last));
                    if items[i..i + len].iter().all(|n| !n.0.has_error()) {
                        let found = m.finish(ix, at, first, (Some(parent), None));
                        self.out.matches.extend(found);
                    }
                    i += len;
                }
                None => i += 1,
            }
        }
    }

    fn matcher<'p>(&self, reading: &'p Reading) -> Matcher<'p, 't>
    where
        Self: 'p,
    {
        Matcher::new(self.pattern, reading, self.tree, self.text, self.resolver)
    }
}

/// A quick look at kinds before anything is compared.
fn could_be(language: &Language, p: &PNode, node: Node<'_>) -> bool {
    let kind = node.kind();
    let is_word = |kind: &str| language.words.kinds.iter().any(|(k, _)| *k == kind);
    match &p.what {
        PatternToken::Slot(..) | PatternToken::Base => true,
        PatternToken::Name(..) => language.words.paths.contains(&kind) || is_word(kind),
        PatternToken::Leaf(..) | PatternToken::Text(_) => language.alike(p.kind, kind),
        PatternToken::Literal(..) => language.compare.strings.contains(&kind),
        PatternToken::Inner(i) => {
            language.alike(p.kind, kind)
                || ((i.symbol.is_some() || p.kind == language.words.member.0) && is_word(kind))
                || (i.chained && language.compare.chain.iter().any(|(k, _)| *k == kind))
        }
    }
}
