//! The places where a pattern fits, found without comparing it with everything.
//!
//! If a pattern parses in several ways, parses in which a `names` word does not refer to its symbol are discarded, unless
//! all are.

mod around;
mod asked;
mod held;
mod passed;

use std::cell::RefCell;
use std::cmp::Reverse;

use emendo_lang::Resolver;
use emendo_lang::language::{Language, Space};
use emendo_lang::tree::Node;
use emendo_lang::tree::{Root, Tree, descend, span, walk_cursor};
use emendo_text::Span;

pub use around::value_unused;
pub use asked::{Conditions, Groups, Passed, PassedConditions, SlotConditions};

use crate::compare::{Child, Given, Matcher, Way, ends_in_links, significant, trusted};
use crate::found::{Match, Nearest, Places};
use crate::model::{Key, KeyWords, PNode, Pattern, PatternToken, Reading, TOKENS};

/// Above so many places of a word, going through the whole tree once costs less.
const MAX_HITS: usize = 256;
/// Needless parentheses that may stand between a pattern's root and its words.
const MAX_PARENTHESES: usize = 6;
/// More ways in which a pattern fits one place are not told apart.
const MAX_WAYS: usize = 64;

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
        let search = self.search(tree, text, resolver);
        !search.exactly(at).matches.is_empty()
    }

    /// The matches exactly at a place, in all readings.
    pub fn matches_at(
        &self,
        tree: &Tree,
        at: Span,
        text: &str,
        resolver: &Resolver<'_>,
    ) -> Vec<Match> {
        self.search(tree, text, resolver).exactly(at).matches
    }

    /// The ways in which the pattern fits exactly at a place, in all readings, with what is given.
    pub(crate) fn ways_at(
        &self,
        tree: &Tree,
        at: Span,
        text: &str,
        resolver: &Resolver<'_>,
        given: Given<'_>,
    ) -> Vec<Match> {
        let search = Search { given, every: true, ..self.search(tree, text, resolver) };
        search.exactly(at).matches
    }

    /// All places where the pattern fits, once for each way in which it fits there.
    pub fn ways(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Vec<Match> {
        Search { every: true, ..self.search(tree, text, resolver) }.anywhere().matches
    }

    /// True if the pattern may fit one place in several ways.
    pub(crate) fn varies(&self) -> bool {
        self.slots.iter().any(|s| s.repeat != emendo_text::Repeat::One)
    }

    /// The same places, found by going through the whole tree.
    pub fn matches_anywhere(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Vec<Match> {
        self.search(tree, text, resolver).anywhere().matches
    }

    /// The place at which the pattern came furthest before it stopped.
    pub fn nearest(&self, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> Option<Nearest> {
        let search = self.search(tree, text, resolver);
        let mut best: Option<Nearest> = None;
        each_node(self.language, tree, |_, node, _| {
            if node.is_named() {
                search.near_at(node, false, &mut best);
            }
        });
        best
    }

    /// The same of the places that meet a range; a name that means something else counts as a place too.
    pub fn nearest_in(
        &self,
        tree: &Tree,
        text: &str,
        resolver: &Resolver<'_>,
        range: Span,
    ) -> Option<Nearest> {
        let search = self.search(tree, text, resolver);
        let mut best: Option<Nearest> = None;
        each_node(self.language, tree, |_, node, _| {
            if node.is_named() && range.meets(span(node)) {
                search.near_at(node, true, &mut best);
            }
        });
        best.filter(|b| range.meets(b.at))
    }

    fn search<'s, 't>(
        &'s self,
        tree: &'t Tree,
        text: &'s str,
        resolver: &'s Resolver<'s>,
    ) -> Search<'s, 't> {
        let (given, out) = (Given::default(), Places::default());
        Search { pattern: self, tree, text, resolver, given, every: false, out }
    }
}

/// Goes through a tree and its layers, past what could not be parsed: the root, the node, and where it stands.
fn each_node<'t>(
    language: &Language,
    tree: &'t Tree,
    mut visit: impl FnMut(&Root<'t>, Node<'t>, Stands<'t, '_>),
) {
    for root in tree.roots() {
        let above: RefCell<Vec<Node<'t>>> = RefCell::default();
        walk_cursor(
            root.node,
            |cursor| {
                let node = cursor.node();
                if node.is_error() || language.is_comment(node) {
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
    given: Given<'s>,
    /// Each way to fit is a match of its own.
    every: bool,
    out: Places,
}

impl<'t> Search<'_, 't> {
    /// Looks only above the given words.
    fn above(mut self, plans: &[Vec<(Span, usize)>]) -> Places {
        let mut seen = std::collections::HashSet::new();
        for (ix, hits) in plans.iter().enumerate() {
            for (word, depth) in hits {
                if self.reads_tokens(ix) {
                    self.runs_around(ix, *word, &mut seen);
                    continue;
                }
                for root in self.tree.roots_at(*word) {
                    let path = descend(root.node, *word);
                    if path.iter().any(|(n, _)| n.is_error()) {
                        continue;
                    }
                    let lowest = path.len().saturating_sub(depth + 1 + MAX_PARENTHESES);
                    for i in lowest..path.len() {
                        let (node, field) = path[i];
                        let fresh = root.holds(span(node))
                            && seen.insert((ix, node.id()))
                            && trusted(self.pattern.language, &root, node);
                        if fresh && node.is_named() && !self.pattern.language.is_comment(node) {
                            let parent = i.checked_sub(1).map(|p| path[p].0);
                            let parent = parent.filter(|p| root.holds(span(*p)));
                            if !self.begins_chain(ix, node, parent) {
                                self.one(ix, node, (parent, field));
                            }
                        }
                    }
                }
            }
        }
        self.out.matches.sort_by_key(|m| (m.span.start, Reverse(m.span.end), m.reading));
        self.out
    }

    /// True for a reading as a run of loose tokens.
    fn reads_tokens(&self, ix: usize) -> bool {
        let reading = &self.pattern.readings[ix];
        self.pattern.language.fragments.contexts[reading.context].name == TOKENS
            && reading.roots.len() > 1
    }

    /// Runs of loose tokens in the lists that hold a word.
    fn runs_around(
        &mut self,
        ix: usize,
        word: Span,
        seen: &mut std::collections::HashSet<(usize, usize)>,
    ) {
        let runs = self.pattern.language.fragments.token_runs;
        let path = descend(self.tree.root(), word);
        for (node, _) in path.iter().filter(|(n, _)| runs.contains(&n.kind())) {
            if seen.insert((ix, node.id())) {
                self.runs(ix, &self.pattern.readings[ix], *node, None);
            }
        }
    }

    /// True if loose tokens were read as code, and so are none to a pattern that reads as code too.
    fn is_code(&self, at: Span) -> bool {
        let language = self.pattern.language;
        self.tree.roots_at(at).skip(1).any(|root| {
            let path = descend(root.node, at);
            let whole = path.len() > 1 && !path.iter().any(|(n, _)| n.is_error());
            whole && path.last().is_some_and(|(n, _)| trusted(language, &root, *n))
        })
    }

    /// Goes through the whole tree.
    fn anywhere(mut self) -> Places {
        each_node(self.pattern.language, self.tree, |root, node, (parent, field)| {
            let language = self.pattern.language;
            if node.is_named() && root.holds(span(node)) && trusted(language, root, node) {
                self.at(node, (parent.filter(|p| root.holds(span(*p))), field));
            }
        });
        self.out
    }

    fn near_at(&self, node: Node<'t>, names: bool, best: &mut Option<Nearest>) {
        for reading in &self.pattern.readings {
            let first = &reading.roots[0];
            if !could_be(self.pattern.language, first, node) {
                continue;
            }
            let mut m = self.matcher(reading).explaining(names);
            m.root(first, node);
            let Some((fitted, at, token)) = m.stopped() else { continue };
            if best.as_ref().is_none_or(|b| fitted > b.fitted) {
                let written =
                    |t: usize| reading.tokens[t].at.of(self.pattern.source_of(reading)).to_owned();
                let key = token.map(|t| &reading.tokens[t].key);
                *best = Some(Nearest {
                    fitted,
                    at,
                    wanted: token.map_or(String::new(), written),
                    symbol: match key {
                        Some(Key::Name { symbol, .. }) => Some(symbol.clone()),
                        _ => None,
                    },
                    slot: match key {
                        Some(Key::Slot(name, _)) => Some(name.clone()),
                        _ => None,
                    },
                    asked: match key {
                        Some(Key::Slot(name, _)) => self.pattern.asked_of(name),
                        _ => Vec::new(),
                    },
                });
            }
        }
    }

    fn at(&mut self, node: Node<'t>, place: Stands<'t, '_>) {
        for (ix, reading) in self.pattern.readings.iter().enumerate() {
            if reading.roots.len() == 1 {
                if !self.begins_chain(ix, node, place.0) {
                    self.one(ix, node, place);
                }
            } else if node.child_count() > 0 && self.may_run(reading, node) {
                self.runs(ix, reading, node, None);
            }
        }
    }

    /// Loose tokens stand where the language has them, and nowhere else.
    fn may_run(&self, reading: &Reading, node: Node<'t>) -> bool {
        let fragments = &self.pattern.language.fragments;
        let tokens = fragments.contexts[reading.context].name == TOKENS;
        !tokens || fragments.token_runs.is_empty() || fragments.token_runs.contains(&node.kind())
    }

    /// One reading at one node.
    fn one(&mut self, ix: usize, node: Node<'t>, place: Stands<'t, '_>) {
        let reading = &self.pattern.readings[ix];
        let [root] = reading.roots.as_slice() else { return };
        if !could_be(self.pattern.language, root, node) || node.has_error() {
            return;
        }
        let context = &self.pattern.language.fragments.contexts[reading.context];
        if context.name == "type" && !self.is_type(node) {
            return;
        }
        if self.pattern.asks_types() {
            let mut m = self.untyped(reading);
            if !m.root(root, node) {
                if m.gave_up() {
                    self.out.gave_up.push(span(node));
                }
                return;
            }
        }
        let mut taken: Vec<Way> = Vec::new();
        loop {
            let mut m = self.matcher(reading).given(Given { taken: &taken, ..self.given });
            if !m.root(root, node) {
                if m.gave_up() {
                    self.out.gave_up.push(span(node));
                }
                return;
            }
            let way = m.way();
            let found = m.finish(ix, span(node), node, place);
            self.out.matches.extend(found);
            if !self.every || taken.len() == MAX_WAYS || taken.contains(&way) {
                return;
            }
            taken.push(way);
        }
    }

    /// True if a node is the beginning of a chain that a reading would have to fit as a whole, or the name of a call where
    /// that is no field.
    fn begins_chain(&self, ix: usize, node: Node<'t>, parent: Option<Node<'t>>) -> bool {
        let [root] = self.pattern.readings[ix].roots.as_slice() else { return false };
        let language = self.pattern.language;
        let (member, call, function) = language.words.methods_apart;
        let called = root.kind == member
            && !member.is_empty()
            && parent
                .is_some_and(|p| p.kind() == call && p.child_by_field_name(function) == Some(node));
        called
            || ends_in_links(self.pattern, root)
                && parent.and_then(|p| self.pattern.language.base_of(p)) == Some(node)
    }

    /// True if a name stands for a type where it stands; what is no mere name is what it looks like.
    fn is_type(&self, node: Node<'t>) -> bool {
        let language = self.pattern.language;
        let is_word = |kind: &str| language.words.kinds.iter().any(|(k, _)| *k == kind);
        if !is_word(node.kind()) {
            return true;
        }
        let kinds =
            language.fragments.forms.iter().find(|f| f.0 == "type").map_or(&[][..], |f| f.1);
        if kinds.iter().any(|k| is_word(k)) {
            return kinds.contains(&node.kind());
        }
        let at = span(node);
        let typed = |w: &emendo_lang::Word| w.span == at && w.space == Space::Type;
        self.resolver.facts.words(at.of(self.text)).iter().any(typed)
            || node.parent().is_some_and(|p| kinds.contains(&p.kind()) && span(p) == at)
    }

    /// Looks at one place only.
    fn exactly(mut self, at: Span) -> Places {
        for root in self.tree.roots_at(at) {
            let path = descend(root.node, at);
            for (i, (node, field)) in path.iter().enumerate().rev() {
                let whole = span(*node) == at;
                let parent = i.checked_sub(1).map(|p| path[p].0);
                for (ix, reading) in self.pattern.readings.iter().enumerate() {
                    if reading.roots.len() > 1 {
                        self.runs(ix, reading, *node, Some(at));
                    } else if whole {
                        self.one(ix, *node, (parent, *field));
                    }
                }
                if !whole {
                    break;
                }
            }
        }
        self.out
    }

    /// Runs of siblings: a list slot at an end reaches to that end of the list. With `only`, the one at that place.
    fn runs(&mut self, ix: usize, reading: &Reading, parent: Node<'t>, only: Option<Span>) {
        let mut items = significant(self.pattern.language, parent, self.text);
        let list = |p: Option<&PNode>| p.is_some_and(|p| self.pattern.is_list_node(p));
        let loose = self.pattern.language.fragments.token_runs.contains(&parent.kind());
        let (from_start, to_end) = (list(reading.roots.first()), list(reading.roots.last()));
        // The brackets around a list are no items of it.
        while to_end && items.last().is_some_and(|(n, _)| !n.is_named()) {
            items.pop();
        }
        let mut i = 0;
        while from_start && items.get(i).is_some_and(|(n, _)| !n.is_named()) {
            i += 1;
        }
        while i < items.len() {
            let here = only.is_none_or(|at| at.start == span(items[i].0).start);
            // Half of a name is no beginning.
            let half = loose
                && i > 0
                && self.pattern.language.words.member_after.contains(&items[i - 1].0.kind())
                && matches!(reading.roots[0].what, PatternToken::Slot(..));
            let fits =
                here && !half && could_be(self.pattern.language, &reading.roots[0], items[i].0);
            let len =
                if fits { self.run_at(ix, reading, (parent, loose), &items[i..]) } else { None };
            if from_start || only.is_some() && here {
                return;
            }
            i += len.unwrap_or(1);
        }
    }

    /// A run from the first of some items on: how many it takes.
    fn run_at(
        &mut self,
        ix: usize,
        reading: &Reading,
        (parent, loose): (Node<'t>, bool),
        items: &[Child<'t>],
    ) -> Option<usize> {
        if self.pattern.asks_types() {
            self.untyped(reading).run(&reading.roots, items, loose)?;
        }
        let mut taken: Vec<Way> = Vec::new();
        let mut first_len = None;
        loop {
            let mut m = self.matcher(reading).given(Given { taken: &taken, ..self.given });
            let Some(len) = m.run(&reading.roots, items, loose) else { return first_len };
            first_len.get_or_insert(len);
            let way = m.way();
            let at = span(items[0].0).hull(span(items[len - 1].0));
            let code = || loose && self.pattern.readings.len() > 1 && self.is_code(at);
            if items[..len].iter().all(|n| !n.0.has_error()) && !code() {
                let found = m.finish(ix, at, items[0].0, (Some(parent), None));
                self.out.matches.extend(found);
            }
            if !self.every || taken.len() == MAX_WAYS || taken.contains(&way) {
                return first_len;
            }
            taken.push(way);
        }
    }

    fn untyped<'p>(&self, reading: &'p Reading) -> Matcher<'p, 't>
    where
        Self: 'p,
    {
        self.matcher(reading).untyped()
    }

    fn matcher<'p>(&self, reading: &'p Reading) -> Matcher<'p, 't>
    where
        Self: 'p,
    {
        let m = Matcher::new(self.pattern, reading, self.tree, self.text, self.resolver);
        m.given(self.given)
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
                || ((i.symbol.is_some() || language.words.member(p.kind).is_some())
                    && is_word(kind))
                || language
                    .compare
                    .keyed
                    .iter()
                    .any(|k| k.pair == p.kind && (k.shorthand == kind || k.method.0 == kind))
                || (i.chained && language.compare.chain.iter().any(|(k, _)| *k == kind))
        }
    }
}
