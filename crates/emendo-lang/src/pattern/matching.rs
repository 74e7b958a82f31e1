//! Comparing a pattern with a tree, node by node.

use std::ops::Range;

use emendo_text::Span;
use tree_sitter::Node;

use super::{Constraint, Inner, PNode, Pattern, Reading, What};
use crate::language::{Declaration, Language, Space};
use crate::names::{Certainty, Fact, Resolver};
use crate::template::Repeat;
use crate::tree::{Tree, children_with_fields, span, tokens, walk_cursor};

/// Comparisons allowed for one place; only several list slots in a row ever come near.
const BUDGET: usize = 200_000;

/// What a slot holds at a match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Bound {
    /// The slot's name.
    pub name: String,
    /// The place; an insertion point where nothing was matched.
    pub span: Span,
    /// The kind of the node, or of the only one in a list.
    pub kind: &'static str,
    /// How many nodes.
    pub count: usize,
    /// Set for named groups of a `text` constraint: the group's text.
    pub text: Option<String>,
}

/// A use of a named symbol at a match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameUse {
    /// The symbol.
    pub symbol: String,
    /// Where it is written.
    pub span: Span,
    /// Written with its package.
    pub full: bool,
}

/// A place where a pattern fits.
#[derive(Clone, Debug)]
pub struct Match {
    /// Which reading fits.
    pub(crate) reading: usize,
    /// The place.
    pub span: Span,
    /// For each token of the pattern, the bytes it stands for.
    pub(crate) token_of: Vec<Option<Span>>,
    /// The slots, named groups among them.
    pub slots: Vec<Bound>,
    /// What was found out about the names.
    pub facts: Vec<Fact>,
    /// The named symbols, where they are written.
    pub names: Vec<NameUse>,
    /// Kind of the node (the first one, for a run).
    pub kind: &'static str,
    /// Kind of the parent, and the field below it.
    pub(crate) place: (&'static str, Option<&'static str>),
    /// The statement that is nothing but this expression.
    pub(crate) statement: Option<Span>,
    /// Spans of the ancestors that are items of their own: nearest first.
    pub(crate) parent: Option<Span>,
}

impl Match {
    /// What a slot holds.
    pub fn slot(&self, name: &str) -> Option<&Bound> {
        self.slots.iter().find(|s| s.name == name)
    }

    /// The lowest certainty among the facts.
    pub fn certainty(&self) -> Certainty {
        self.facts.iter().map(|f| f.says).min().unwrap_or(Certainty::Unsure)
    }

    /// The places of the pattern's own tokens, slots left out.
    pub fn own_tokens<'a>(&'a self, pattern: &'a Pattern) -> impl Iterator<Item = Span> + 'a {
        let tokens = &pattern.readings[self.reading].tokens;
        let own = tokens
            .iter()
            .zip(&self.token_of)
            .filter(|(t, _)| !matches!(t.key, super::Key::Slot(_)));
        own.filter_map(|(_, s)| *s)
    }
}

type Child<'t> = (Node<'t>, Option<&'t str>);

/// Children without comments and separators.
pub(super) fn significant<'t>(language: &Language, node: Node<'t>) -> Vec<Child<'t>> {
    let keep = |n: &Node<'_>| !n.is_extra() && (n.is_named() || !language.is_separator(n.kind()));
    children_with_fields(node).into_iter().filter(|(n, _)| keep(n)).collect()
}

#[derive(Clone, Default)]
struct State<'t> {
    tokens: Vec<Option<Span>>,
    slots: Vec<(usize, Bound, Vec<Node<'t>>)>,
    groups: Vec<Bound>,
    facts: Vec<Fact>,
    names: Vec<NameUse>,
}

pub(super) struct Matcher<'p, 't> {
    pattern: &'p Pattern,
    reading: &'p Reading,
    tree: &'t Tree,
    text: &'p str,
    resolver: &'p Resolver<'p>,
    budget: usize,
    state: State<'t>,
}

impl<'p, 't> Matcher<'p, 't> {
    pub(super) fn new(
        pattern: &'p Pattern,
        reading: &'p Reading,
        tree: &'t Tree,
        text: &'p str,
        resolver: &'p Resolver<'p>,
    ) -> Self {
        let state = State { tokens: vec![None; reading.tokens.len()], ..State::default() };
        Self { pattern, reading, tree, text, resolver, budget: BUDGET, state }
    }

    fn language(&self) -> &'static Language {
        self.pattern.language
    }

    pub(super) fn root(&mut self, p: &PNode, node: Node<'t>) -> bool {
        self.node(p, node, true)
    }

    pub(super) fn run(&mut self, roots: &[PNode], items: &[Child<'t>]) -> Option<usize> {
        let mut used = Vec::new();
        self.sequence(roots, items, 0, false, &mut used)
            .then(|| used.last().map_or(0, |r| r.end))
            .filter(|n| *n > 0)
    }

    fn node(&mut self, p: &PNode, node: Node<'t>, root: bool) -> bool {
        if self.budget == 0 {
            return false;
        }
        self.budget -= 1;
        let language = self.language();
        match &p.what {
            What::Slot(ix, token) => {
                node.is_named()
                    && !language.spreads.contains(&node.kind())
                    && self.bind(*ix, *token, &[node], span(node))
            }
            What::Leaf(text, token) => {
                let same = language.alike(p.kind, node.kind())
                    && node.child_count() == 0
                    && span(node).of(self.text) == text;
                if same {
                    self.state.tokens[*token] = Some(span(node));
                }
                same || (!root && self.unwrapped(p, node))
            }
            What::Name(ix, token, space) => {
                self.name(*ix, *token, *space, node) || (!root && self.unwrapped(p, node))
            }
            What::Inner(inner) => {
                let saved = self.state.clone();
                if language.alike(p.kind, node.kind()) {
                    if self.inner(p, inner, node, root) {
                        return true;
                    }
                    self.state = saved.clone();
                }
                if inner.symbol.is_some() && self.by_symbol(p, inner, node) {
                    return true;
                }
                self.state = saved;
                !root && self.unwrapped(p, node)
            }
        }
    }

    /// Needless parentheses.
    fn unwrapped(&mut self, p: &PNode, node: Node<'t>) -> bool {
        let kind = self.language().parenthesized;
        if node.kind() != kind || p.kind == kind {
            return false;
        }
        let inner = significant(self.language(), node).into_iter().find(|(n, _)| n.is_named());
        inner.is_some_and(|(n, _)| self.node(p, n, false))
    }

    fn name(&mut self, ix: usize, token: usize, space: Space, node: Node<'t>) -> bool {
        let Some(path) = path_words(self.language(), node, self.text) else { return false };
        if path.len() == 1 && self.is_no_reference(node) {
            return false;
        }
        let def = &self.pattern.names[ix];
        let Some((fact, symbol)) =
            self.any_spelling(&path, space, node.start_byte() as u32, &def.symbol, &def.also)
        else {
            return false;
        };
        let full = path.len() > 1 && path.join(self.language().names.separator) == symbol;
        self.state.facts.push(fact);
        self.state.names.push(NameUse { symbol, span: span(node), full });
        self.state.tokens[token] = Some(span(node));
        true
    }

    /// True for a name behind a dot, or the name of a declaration, a label, a key.
    fn is_no_reference(&self, node: Node<'t>) -> bool {
        let words = self.resolver.facts.words(span(node).of(self.text));
        let i = words.partition_point(|w| w.span.start < span(node).start);
        words.get(i).is_some_and(|w| {
            w.span == span(node) && matches!(w.space, Space::Member | Space::Declared)
        })
    }

    /// Does the path mean a symbol under any of its names? Gives the fact and the name that fits.
    fn any_spelling(
        &self,
        path: &[&str],
        space: Space,
        at: u32,
        symbol: &str,
        also: &[String],
    ) -> Option<(Fact, String)> {
        let all = std::iter::once(symbol).chain(also.iter().map(String::as_str));
        all.into_iter().find_map(|s| Some((self.resolver.means(path, space, at, s)?, s.to_owned())))
    }

    /// `Type.member` where the code says `member`, or the other way round.
    fn by_symbol(&mut self, p: &PNode, inner: &Inner, node: Node<'t>) -> bool {
        let Some(member) = &inner.symbol else { return false };
        let names = &self.language().names;
        let at = node.start_byte() as u32;
        let is_word = names.words.iter().any(|(k, _)| *k == node.kind());
        if p.kind == names.member.0 && is_word {
            if self.is_no_reference(node) {
                return false;
            }
            let word = span(node).of(self.text);
            let Some((fact, symbol)) =
                self.any_spelling(&[word], Space::Value, at, &member.symbol, &member.also)
            else {
                return false;
            };
            return self.found(fact, &symbol, member.name_token, span(node), false);
        }
        if p.kind != names.call.0 || node.kind() != names.call.0 {
            return false;
        }
        let (_, receiver, name) = names.call;
        let Some(called) = node.child_by_field_name(name) else { return false };
        let has_receiver = node.child_by_field_name(receiver);
        let (path, space, place) = match has_receiver {
            None => (vec![span(called).of(self.text)], Space::Callable, span(called)),
            Some(r) => {
                let Some(mut path) = path_words(self.language(), r, self.text) else {
                    return false;
                };
                path.push(span(called).of(self.text));
                (path, Space::Value, span(r).hull(span(called)))
            }
        };
        let Some((fact, symbol)) =
            self.any_spelling(&path, space, at, &member.symbol, &member.also)
        else {
            return false;
        };
        let full = path.join(names.separator) == symbol;
        self.found(fact, &symbol, member.name_token, place, full);
        let callee = |f: Option<&str>| f == Some(receiver) || f == Some(name);
        let rest: Vec<&PNode> = inner
            .children
            .iter()
            .filter(|c| {
                !callee(c.field) && !matches!(&c.what, What::Leaf(t, _) if t == names.separator)
            })
            .collect();
        let items: Vec<Child<'t>> = significant(self.language(), node)
            .into_iter()
            .filter(|(n, f)| !callee(*f) && n.kind() != names.separator)
            .collect();
        rest.len() == items.len()
            && rest.iter().zip(items).all(|(p, (n, _))| self.node(p, n, false))
    }

    fn found(&mut self, fact: Fact, symbol: &str, token: usize, at: Span, full: bool) -> bool {
        self.state.facts.push(fact);
        self.state.names.push(NameUse { symbol: symbol.to_owned(), span: at, full });
        self.state.tokens[token] = Some(at);
        true
    }

    fn inner(&mut self, p: &PNode, inner: &Inner, node: Node<'t>, root: bool) -> bool {
        let language = self.language();
        let mut items = significant(language, node);
        let mut patterns: Vec<&PNode> = inner.children.iter().collect();
        if let Some(declaration) = language.declaration(p.kind)
            && !self.declaration(declaration, &mut patterns, &mut items, root)
        {
            return false;
        }
        if language.declarations.iter().any(|d| d.modifiers == p.kind) {
            return self.set(&patterns, &items);
        }
        if let Some((_, pair, key)) = language.keyed.iter().find(|k| k.0 == p.kind)
            && !self.keyed(pair, key, &mut patterns, &mut items)
        {
            return false;
        }
        let mut used = Vec::new();
        let all_fits = if patterns.len() == inner.children.len() {
            self.sequence(&inner.children, &items, 0, true, &mut used)
        } else {
            let plain = patterns.len() == items.len();
            plain
                && patterns
                    .iter()
                    .zip(&items)
                    .all(|(p, (n, f))| same_field(p, *f) && self.node(p, *n, false))
        };
        if all_fits {
            self.separators(inner, node, &items, &used);
        }
        all_fits
    }

    /// Takes out of the comparison what a declaration pattern leaves free, and compares modifiers as a set.
    fn declaration(
        &mut self,
        declaration: &Declaration,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
        root: bool,
    ) -> bool {
        let bodiless = root && self.language().contexts[self.reading.context].bodiless;
        let written = |n: &Node<'_>, f: Option<&str>| {
            patterns.iter().any(|p| p.kind == n.kind() || (f.is_some() && p.field == f))
        };
        items.retain(|(n, f)| {
            let free = declaration.free_kinds.contains(&n.kind())
                || f.is_some_and(|f| declaration.free_fields.contains(&f))
                || (bodiless && *f == Some(declaration.body));
            !free || written(n, *f)
        });
        let Some(at) = patterns.iter().position(|p| p.kind == declaration.modifiers) else {
            return true;
        };
        let p = patterns.remove(at);
        let Some(found) = items.iter().position(|(n, _)| n.kind() == declaration.modifiers) else {
            return false;
        };
        let (node, _) = items.remove(found);
        self.node(p, node, false)
    }

    /// Each pattern fits an item of its own; other items are free; a list slot takes the rest.
    fn set(&mut self, patterns: &[&PNode], items: &[Child<'t>]) -> bool {
        let mut left: Vec<Node<'t>> = items.iter().map(|i| i.0).collect();
        let mut rest = None;
        for p in patterns {
            if let What::Slot(ix, token) = &p.what
                && self.pattern.slots[*ix].repeat != Repeat::One
            {
                rest = Some((*ix, *token));
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
        let at = left.iter().map(|n| span(*n)).reduce(Span::hull);
        let at = at.unwrap_or_else(|| Span::at(items.first().map_or(0, |i| i.0.start_byte())));
        self.bind(ix, token, &left, at)
    }

    /// Takes keyed pairs out of the comparison, wherever they stand.
    fn keyed(
        &mut self,
        pair: &str,
        key: &str,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
    ) -> bool {
        let key_of =
            |n: Node<'_>| n.child_by_field_name(key).map(|k| span(k).of(self.text).to_owned());
        let found: Vec<(usize, Option<usize>)> = patterns
            .iter()
            .enumerate()
            .filter_map(|(i, p)| {
                let What::Inner(inner) = &p.what else { return None };
                let written = inner.children.iter().find(|c| c.field == Some(key))?;
                let What::Leaf(word, _) = &written.what else { return None };
                let item = items
                    .iter()
                    .position(|(n, _)| n.kind() == pair && key_of(*n).as_ref() == Some(word));
                (p.kind == pair).then_some((i, item))
            })
            .collect();
        // In the same order nothing needs to be taken out, and separators keep their places.
        let in_order = found.iter().all(|(_, item)| item.is_some())
            && found.windows(2).all(|w| w[0].1 < w[1].1)
            && patterns.len() == items.len();
        if in_order {
            return true;
        }
        for (i, item) in found.iter().rev() {
            let Some(item) = item else { return false };
            let p = patterns.remove(*i);
            if !self.node(p, items[*item].0, false) {
                return false;
            }
        }
        let mut taken: Vec<usize> = found.iter().filter_map(|f| f.1).collect();
        taken.sort_unstable();
        for i in taken.iter().rev() {
            items.remove(*i);
        }
        // What is left in the pattern must take what is left in the list.
        let rest = patterns.clone();
        if let [only] = rest.as_slice()
            && let What::Slot(ix, token) = &only.what
            && matches!(self.pattern.slots[*ix].repeat, Repeat::Any | Repeat::Some)
        {
            let nodes: Vec<Node<'t>> = items.iter().map(|i| i.0).filter(Node::is_named).collect();
            let at = nodes.iter().map(|n| span(*n)).reduce(Span::hull);
            patterns.clear();
            let fits = at.is_none_or(|at| self.bind(*ix, *token, &nodes, at));
            items.clear();
            return fits;
        }
        true
    }

    /// Compares a list from pattern `from` on; `used` gets the range of items for each pattern.
    fn sequence(
        &mut self,
        patterns: &[PNode],
        items: &[Child<'t>],
        from: usize,
        whole: bool,
        used: &mut Vec<Range<usize>>,
    ) -> bool {
        let mut pi = from;
        loop {
            let at = used.last().map_or(0, |r| r.end);
            let Some(p) = patterns.get(pi) else { return !whole || at == items.len() };
            let slot = match &p.what {
                What::Slot(ix, token) if self.pattern.slots[*ix].repeat != Repeat::One => {
                    Some((*ix, *token))
                }
                _ => None,
            };
            let Some((ix, token)) = slot else {
                let fits = items
                    .get(at)
                    .is_some_and(|(n, f)| same_field(p, *f) && self.node(p, *n, false));
                if !fits {
                    return false;
                }
                used.push(at..at + 1);
                pi += 1;
                continue;
            };
            return self.many(patterns, items, pi, whole, (ix, token), used);
        }
    }

    /// A slot that takes a varying number of items.
    fn many(
        &mut self,
        patterns: &[PNode],
        items: &[Child<'t>],
        pi: usize,
        whole: bool,
        (ix, token): (usize, usize),
        used: &mut Vec<Range<usize>>,
    ) -> bool {
        let at = used.last().map_or(0, |r| r.end);
        let least = |p: &PNode| match &p.what {
            What::Slot(ix, _) => match self.pattern.slots[*ix].repeat {
                Repeat::Any | Repeat::Optional => 0,
                Repeat::One | Repeat::Some => 1,
            },
            _ => 1,
        };
        let rest = &patterns[pi + 1..];
        let later: usize = rest.iter().map(least).sum();
        let varies = rest.iter().any(|p| match &p.what {
            What::Slot(ix, _) => self.pattern.slots[*ix].repeat != Repeat::One,
            _ => false,
        });
        let Some(most) = (items.len() - at).checked_sub(later) else { return false };
        let (min, max) = match self.pattern.slots[ix].repeat {
            Repeat::Some => (1, most),
            Repeat::Optional => (0, most.min(1)),
            _ => (0, most),
        };
        // Behind the last varying slot, a list that must fit as a whole leaves one length only.
        let min = if whole && !varies { most.max(min) } else { min };
        for count in min..=max {
            let taken: Vec<Node<'t>> = items[at..at + count].iter().map(|i| i.0).collect();
            if taken.iter().any(|n| !n.is_named()) {
                break;
            }
            let place = taken.iter().map(|n| span(*n)).reduce(Span::hull);
            let place = place.unwrap_or_else(|| {
                let before = at.checked_sub(1).map(|i| items[i].0.end_byte());
                Span::at(before.or_else(|| items.get(at).map(|i| i.0.start_byte())).unwrap_or(0))
            });
            let saved = self.state.clone();
            let used_before = used.len();
            used.push(at..at + count);
            if self.bind(ix, token, &taken, place)
                && self.sequence(patterns, items, pi + 1, whole, used)
            {
                return true;
            }
            used.truncate(used_before);
            self.state = saved;
            if self.budget == 0 {
                return false;
            }
        }
        false
    }

    /// Finds the separators of the code that stand where the pattern has one.
    fn separators(
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
            .filter(|n| !n.is_extra() && !n.is_named() && language.is_separator(n.kind()))
            .collect();
        let mut from = 0;
        for (before, token) in &inner.separators {
            let text = match &self.reading.tokens[*token].key {
                super::Key::Text(t) => t.clone(),
                _ => continue,
            };
            // Out of order: the separators are taken as they come.
            let (low, high) = if used.is_empty() {
                (0, usize::MAX)
            } else {
                let left = used[..*before].iter().rev().find(|r| !r.is_empty());
                let right = used[*before..].iter().find(|r| !r.is_empty());
                let empty_beside = used.get(before.wrapping_sub(1)).is_some_and(|r| r.is_empty())
                    || used.get(*before).is_some_and(|r| r.is_empty());
                if empty_beside && left.is_some() && right.is_none()
                    || left.is_none() && right.is_some() && *before > 0
                {
                    // The list slot beside it is empty: the code has no separator here.
                    continue;
                }
                let low = left.map_or(node.start_byte(), |r| items[r.end - 1].0.end_byte());
                let high = right.map_or(node.end_byte(), |r| items[r.start].0.start_byte());
                (low, high)
            };
            let hit = all[from..]
                .iter()
                .position(|n| n.kind() == text && n.start_byte() >= low && n.end_byte() <= high);
            if let Some(i) = hit {
                self.state.tokens[*token] = Some(span(all[from + i]));
                from += i + 1;
            }
        }
    }

    fn bind(&mut self, ix: usize, token: usize, nodes: &[Node<'t>], at: Span) -> bool {
        let def = &self.pattern.slots[ix];
        if let Some((_, earlier, _)) = self.state.slots.iter().find(|s| s.0 == ix) {
            if !self.equal(earlier.span, at) {
                return false;
            }
            self.state.tokens[token] = Some(at);
            return true;
        }
        if !nodes.iter().all(|n| self.satisfies(&def.constraint, *n)) {
            return false;
        }
        let kind = if let [only] = nodes { self.language().kind(*only) } else { "" };
        let bound =
            Bound { name: def.name.clone(), span: at, kind, count: nodes.len(), text: None };
        self.state.slots.push((ix, bound, nodes.to_vec()));
        self.state.tokens[token] = Some(at);
        true
    }

    /// Equal code: the same tokens, whatever the layout and the comments.
    fn equal(&self, a: Span, b: Span) -> bool {
        let (x, y) = (tokens(self.tree.root(), a), tokens(self.tree.root(), b));
        x.len() == y.len()
            && x.iter().zip(&y).all(|(x, y)| span(*x).of(self.text) == span(*y).of(self.text))
    }

    fn satisfies(&mut self, c: &Constraint, node: Node<'t>) -> bool {
        let text = span(node).of(self.text);
        if let Some(re) = &c.text {
            let Some(groups) = re.captures(text) else { return false };
            for name in re.capture_names().flatten() {
                if let Some(m) = groups.name(name) {
                    let at = Span::new(node.start_byte() + m.start(), node.start_byte() + m.end());
                    let text = Some(m.as_str().to_owned());
                    self.state.groups.push(Bound {
                        name: name.to_owned(),
                        span: at,
                        kind: "",
                        count: 1,
                        text,
                    });
                }
            }
        }
        if c.not_text.as_ref().is_some_and(|re| re.is_match(text)) {
            return false;
        }
        let form = form_of(self.language(), node);
        if (!c.form.is_empty() && !c.form.iter().any(|f| f == form))
            || c.not_form.iter().any(|f| f == form)
        {
            return false;
        }
        c.means.is_empty() || self.means_any(&c.means, node)
    }

    fn means_any(&mut self, symbols: &[String], node: Node<'t>) -> bool {
        let Some(path) = path_words(self.language(), node, self.text) else { return false };
        let separator = self.language().names.separator;
        let space = self
            .language()
            .names
            .words
            .iter()
            .find(|w| w.0 == node.kind())
            .map_or(Space::Value, |w| w.1);
        let at = node.start_byte() as u32;
        for wanted in symbols {
            let glob = wanted.strip_suffix("**").or_else(|| wanted.strip_suffix('*'));
            let symbol = match glob {
                None => wanted.clone(),
                // `a.b.*` is every name directly below; the code's own last word completes it.
                Some(prefix) => format!("{prefix}{}", path.join(separator)),
            };
            if let Some(fact) = self.resolver.means(&path, space, at, &symbol) {
                self.state.facts.push(fact);
                return true;
            }
        }
        false
    }

    /// Turns what was found into a match, with the certainty that names without a resolved receiver leave.
    pub(super) fn finish(
        mut self,
        reading: usize,
        at: Span,
        node: Node<'t>,
        (parent, field): (Option<Node<'t>>, Option<&str>),
    ) -> Option<Match> {
        let resolved_slots: Vec<usize> = self
            .pattern
            .slots
            .iter()
            .enumerate()
            .filter(|(_, s)| !s.constraint.means.is_empty())
            .map(|(i, _)| i)
            .collect();
        for (word, receiver) in &self.reading.unresolved {
            if receiver.is_some_and(|ix| resolved_slots.contains(&ix)) {
                continue;
            }
            let text = match receiver {
                Some(ix) => format!(
                    "the type of the receiver of `{word}` (slot `{}`) is not known",
                    self.pattern.slots[*ix].name
                ),
                None => format!("nothing tells what `{word}` means here"),
            };
            self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
        }
        let language = self.language();
        if node.kind() == language.names.import {
            let text = "the import names its symbol in full".to_owned();
            self.state.facts.push(Fact { says: Certainty::Certain, text, at: None });
        }
        let statement = parent.filter(|p| p.kind() == language.expression_statement).map(span);
        let mut slots: Vec<Bound> = self.state.slots.into_iter().map(|s| s.1).collect();
        slots.extend(self.state.groups);
        Some(Match {
            reading,
            span: at,
            token_of: self.state.tokens,
            slots,
            facts: self.state.facts,
            names: self.state.names,
            kind: language.kind(node),
            place: (parent.map_or("", |p| language.kind(p)), language.field(field)),
            statement,
            parent: parent.map(span),
        })
    }
}

fn same_field(p: &PNode, field: Option<&str>) -> bool {
    p.field == field || matches!(p.what, What::Slot(..)) && p.field.is_none()
}

/// The segments of a dotted name; `None` for anything else.
fn path_words<'a>(language: &Language, node: Node<'_>, text: &'a str) -> Option<Vec<&'a str>> {
    let names = &language.names;
    let is_word = |n: Node<'_>| names.words.iter().any(|(k, _)| *k == n.kind());
    if is_word(node) {
        return Some(vec![span(node).of(text)]);
    }
    if !names.paths.contains(&node.kind()) {
        return None;
    }
    let mut words = Vec::new();
    let mut plain = true;
    walk_cursor(
        node,
        |c| {
            let n = c.node();
            if n.is_extra() || !plain {
                return false;
            }
            if n.child_count() == 0 {
                if is_word(n) {
                    words.push(span(n).of(text));
                } else {
                    plain &= n.kind() == names.separator;
                }
                return false;
            }
            plain &= names.paths.contains(&n.kind());
            plain
        },
        |_| {},
    );
    plain.then_some(words)
}

fn form_of(language: &Language, node: Node<'_>) -> &'static str {
    let hit = language.forms.iter().find(|(_, kinds)| kinds.contains(&node.kind()));
    hit.map_or("other", |(form, _)| form)
}
