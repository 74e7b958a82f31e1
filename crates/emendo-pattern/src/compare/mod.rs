//! Comparing a pattern with a tree, node by node.

mod bare;
mod chain;
mod keyed;
mod lists;
mod missing;
mod names;
mod slots;
mod text;

pub(crate) use chain::ends_in_links;

use emendo_lang::language::{DeclarationShape, Keyed, Language};
use emendo_lang::tree::Node;
use emendo_lang::tree::{Root, Tree, is_item, is_separator, skipped, span, spliced};
use emendo_lang::{Fact, Resolver};
use emendo_text::{Repeat, Span};

use crate::found::{Bound, Match, NameUse};
use crate::model::{HERE, Inner, Key, PNode, Pattern, PatternToken, Reading};

/// Comparisons allowed for one place; only several list slots in a row ever come near.
const BUDGET: usize = 200_000;

pub(super) type Child<'t> = (Node<'t>, Option<&'t str>);

/// True unless a piece of loose tokens could not be read as code right before or behind a node, up to the nearest block:
/// then it may be half of something.
pub(crate) fn trusted(language: &Language, root: &Root<'_>, node: Node<'_>) -> bool {
    if !root.is_layer() || !root.node.has_error() {
        return true;
    }
    if node.has_error() {
        return false;
    }
    let mut n = node;
    while let Some(up) = n.parent() {
        let beside = [n.prev_sibling(), n.next_sibling()];
        if up.is_error() || beside.into_iter().flatten().any(|s| s.is_error()) {
            return false;
        }
        if language.typing.branching.blocks.contains(&up.kind()) {
            return true;
        }
        if up.has_error() {
            return false;
        }
        n = up;
    }
    true
}

/// Children without comments and separators; loose tokens keep their separators.
pub(super) fn significant<'t>(language: &Language, node: Node<'t>, text: &str) -> Vec<Child<'t>> {
    let loose = language.fragments.token_runs.contains(&node.kind());
    let keep =
        |n: &Node<'_>| !skipped(language, *n, text) && (loose || !is_separator(language, *n));
    spliced(language, node).into_iter().filter(|(n, _)| keep(n)).collect()
}

#[derive(Clone, Default)]
pub(super) struct State {
    pub(super) tokens: Vec<Option<Span>>,
    pub(super) slots: Vec<(usize, Bound)>,
    /// Type arguments that the pattern leaves out.
    pub(super) type_arguments: Vec<Span>,
    /// Brackets around a list that the pattern leaves out.
    pub(super) brackets: Vec<(Span, Span)>,
    groups: Vec<Bound>,
    pub(super) facts: Vec<Fact>,
    names: Vec<NameUse>,
    /// A slot is of one of several types, only some of which are meant.
    partly: Option<String>,
    /// The type of a slot is the one that is asked for.
    typed: bool,
    /// Where what a link hangs on ends.
    pub(super) base_end: Option<u32>,
}

/// What is settled before a pattern is compared with a place.
#[derive(Clone, Copy, Default)]
pub(super) struct Given<'g> {
    /// Slots of the names that are bound here hold the same code.
    pub(super) known: Option<&'g Match>,
    /// What the mark of the place stands at.
    pub(super) here: Option<Span>,
    /// Ways to fit that are not wanted: what the named slots hold in each.
    pub(super) taken: &'g [Way],
}

/// What the named slots of a pattern hold, by their index.
pub(super) type Way = Vec<(usize, Span)>;

pub(super) struct Matcher<'p, 't> {
    given: Given<'p>,
    pub(super) pattern: &'p Pattern,
    reading: &'p Reading,
    pub(super) tree: &'t Tree,
    pub(super) text: &'p str,
    resolver: &'p Resolver<'p>,
    pub(super) budget: usize,
    pub(super) state: State,
    /// Asked for: the tokens that fitted at best, what stands where it stopped, the token that is wanted there.
    furthest: Option<(usize, Span, Option<usize>)>,
    explains: bool,
    /// A name that means something else is worth telling, though nothing fitted before it.
    explains_names: bool,
    /// Types and symbols of slots are not asked for.
    pub(super) untyped: bool,
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
        Self {
            given: Given::default(),
            pattern,
            reading,
            tree,
            text,
            resolver,
            budget: BUDGET,
            state,
            furthest: None,
            explains: false,
            explains_names: false,
            untyped: false,
        }
    }

    pub(super) fn language(&self) -> &'static Language {
        self.pattern.language
    }

    pub(super) fn significant(&self, node: Node<'t>) -> Vec<Child<'t>> {
        significant(self.language(), node, self.text)
    }

    pub(super) fn root(&mut self, p: &PNode, node: Node<'t>) -> bool {
        self.node(p, node, true)
    }

    /// True if it had to stop before all ways to compare were tried.
    pub(super) fn gave_up(&self) -> bool {
        self.budget == 0
    }

    /// Some of it is settled before.
    pub(super) fn given(mut self, given: Given<'p>) -> Self {
        self.given = given;
        self
    }

    /// What the named slots hold.
    pub(super) fn way(&self) -> Way {
        let named = |s: &&(usize, Bound)| self.pattern.slots[s.0].name != "_";
        let mut way: Way = self.state.slots.iter().filter(named).map(|s| (s.0, s.1.span)).collect();
        way.sort_unstable();
        way
    }

    /// True if this way to fit is not wanted.
    fn is_taken(&self) -> bool {
        !self.given.taken.is_empty() && self.given.taken.contains(&self.way())
    }

    /// True if what is settled before lets a slot hold this.
    fn may_hold(&self, ix: usize, at: Span) -> bool {
        let name = self.pattern.slots[ix].name.as_str();
        if name == HERE {
            return self.given.here.is_none_or(|here| {
                let many = matches!(self.pattern.slots[ix].repeat, Repeat::Any | Repeat::Some);
                at.contains(here) && (many || only_around(self.text, at, here))
            });
        }
        let known = self.given.known.filter(|_| name != "_");
        known.is_none_or(|m| m.allows(name, at, self.tree, self.text))
    }

    /// Asks nothing about types and symbols of slots: what does not fit so does not fit at all, and that costs little.
    pub(crate) fn untyped(mut self) -> Self {
        self.untyped = true;
        self
    }

    /// It remembers how far it comes.
    pub(super) fn explaining(mut self, names: bool) -> Self {
        (self.explains, self.explains_names) = (true, names);
        self
    }

    /// How far it came.
    pub(super) fn stopped(&self) -> Option<(usize, Span, Option<usize>)> {
        self.furthest
    }

    fn note_stop(&mut self, p: &PNode, node: Node<'t>) {
        let fitted = self.state.tokens.iter().flatten().count();
        let named = self.explains_names && matches!(p.what, PatternToken::Name(..));
        if (fitted > 0 || named) && self.furthest.is_none_or(|f| fitted > f.0) {
            let range = crate::model::tokens_of(p);
            self.furthest = Some((fitted, span(node), (!range.is_empty()).then_some(range.start)));
        }
    }

    pub(super) fn reading_key(&self, token: usize) -> &'p crate::model::Key {
        &self.reading.tokens[token].key
    }

    /// A run of siblings, from the first of `items` on: all of them if a list slot ends the pattern.
    pub(super) fn run(
        &mut self,
        roots: &[PNode],
        items: &[Child<'t>],
        loose: bool,
    ) -> Option<usize> {
        let mut used = Vec::new();
        let roots: Vec<&PNode> = roots.iter().collect();
        let to_the_end = roots.last().is_some_and(|p| self.pattern.is_list_node(p));
        let fit = match (to_the_end, loose) {
            (true, _) => TokenFit::Whole,
            (false, true) => TokenFit::TokenRun,
            (false, false) => TokenFit::Start,
        };
        self.sequence(&roots, items, 0, fit, &mut used)
            .then(|| used.last().map_or(0, |r| r.end))
            .filter(|n| *n > 0)
    }

    pub(super) fn node(&mut self, p: &PNode, node: Node<'t>, root: bool) -> bool {
        if self.budget == 0 {
            return false;
        }
        self.budget -= 1;
        let language = self.language();
        let fits = match &p.what {
            PatternToken::Slot(ix, token) => {
                // The object itself may be a mere word of the language.
                let types = &language.declares;
                let own = || {
                    types.hints.own.contains(&node.kind())
                        || types.hints.base.contains(&node.kind())
                };
                let fits = (is_item(node) || own())
                    && !language.is_spread(node)
                    && self.bind(*ix, *token, &[node], span(node));
                if self.explains && !fits {
                    self.note_stop(p, node);
                }
                return fits;
            }
            PatternToken::Base => {
                self.state.base_end = Some(node.end_byte() as u32);
                return true;
            }
            PatternToken::Leaf(text, token) => self.leaf(p, text, *token, node),
            PatternToken::Name(ix, token, space) => self.name(*ix, *token, *space, node),
            PatternToken::Literal(prefix, content, token) => {
                language.compare.strings.contains(&node.kind())
                    && self.literal(prefix, content, *token, span(node))
            }
            PatternToken::Text(text) => {
                let saved = self.state.clone();
                let fits = language.alike(p.kind, node.kind()) && self.pieces(text, span(node));
                if !fits {
                    self.state = saved;
                }
                fits
            }
            PatternToken::Inner(inner) => {
                let saved = self.state.clone();
                let chained = inner.chained
                    && (language.words.call(node.kind()).is_some()
                        || language.base_of(node).is_some());
                if chained {
                    if self.chain(p, node) {
                        return true;
                    }
                } else if language.alike(p.kind, node.kind()) && self.inner(p, inner, node, root) {
                    return true;
                }
                self.state = saved.clone();
                if self.without_arguments(inner, node) {
                    return true;
                }
                self.state = saved.clone();
                if self.without_value(p, inner, node) {
                    return true;
                }
                self.state = saved.clone();
                if self.without_receiver(p, inner, node) {
                    return true;
                }
                self.state = saved.clone();
                if inner.symbol.is_some() && self.by_symbol(p, inner, node) {
                    return true;
                }
                self.state = saved.clone();
                if self.other_pair(p, inner, node) {
                    return true;
                }
                self.state = saved;
                false
            }
        };
        let fits = fits || (!root && (self.unwrapped(p, node) || self.applied(p, node)));
        if self.explains && !fits {
            self.note_stop(p, node);
        }
        fits
    }

    /// A token of the same text; white space in loose text does not count, and some tokens count as one.
    fn leaf(&mut self, p: &PNode, text: &str, token: usize, node: Node<'t>) -> bool {
        let language = self.language();
        let found = span(node).of(self.text);
        let text_key = || {
            let pair = node.parent().filter(|_| !language.compare.strings.contains(&p.kind));
            let keyed = language.compare.keyed.iter();
            pair.is_some_and(|up| { keyed }.any(|k| k.pair == up.kind() && k.has_text_key(up)))
        };
        let same = if language.compare.strings.contains(&node.kind()) && language.is_key(p.field) {
            if text_key() {
                return false;
            }
            // Quotes around a key make no other key.
            return self.literal("", text, token, span(node))
                && self.inside_quotes(token, text, span(node));
        } else if node.child_count() > 0 {
            false
        } else if language.compare.loose_text.contains(&node.kind()) && p.kind == node.kind() {
            found.split_whitespace().eq(text.split_whitespace())
        } else {
            // Signs that count as one may be written otherwise.
            let sign = !node.is_named() && p.kind != node.kind();
            let key = || {
                let keyed = language.compare.keyed.iter().find(|k| p.field == Some(k.key));
                let plain =
                    |k: &Keyed| k.plain_key(p.kind, text) == k.plain_key(node.kind(), found);
                p.kind != node.kind() && keyed.is_some_and(plain)
            };
            (found == text || sign || key())
                && (language.alike(p.kind, node.kind()) || self.both_words(p.kind, node))
        };
        if same {
            self.state.tokens[token] = Some(trimmed(language, node, found));
        }
        same
    }

    /// Grammars give a word different kinds by its place in loose tokens and elsewhere.
    pub(super) fn both_words(&self, kind: &str, node: Node<'_>) -> bool {
        let word = |k: &str| self.language().words.kinds.iter().any(|w| w.0 == k);
        word(kind) && word(node.kind())
    }

    /// True for a token of the pattern that code may leave out.
    fn is_optional(&self, token: usize) -> bool {
        let optional = self.language().compare.optional;
        matches!(self.reading_key(token), Key::Text(t) if optional.contains(&t.as_str()))
    }

    /// Needless parentheses.
    fn unwrapped(&mut self, p: &PNode, node: Node<'t>) -> bool {
        let kind = self.language().compare.parenthesized;
        if node.kind() != kind || p.kind == kind {
            return false;
        }
        let inner = self.significant(node).into_iter().find(|(n, _)| n.is_named());
        inner.is_some_and(|(n, _)| self.node(p, n, false))
    }

    fn inner(&mut self, p: &PNode, inner: &Inner, node: Node<'t>, root: bool) -> bool {
        let language = self.language();
        let mut items = self.significant(node);
        let mut patterns: Vec<&PNode> = inner.children.iter().collect();
        if let Some(declaration) = language.declaration(p.kind)
            && !self.declaration(declaration, &mut patterns, &mut items, root)
        {
            return false;
        }
        let bare = self.leave_out_brackets(p.kind, &mut patterns, &mut items);
        self.leave_out_arguments(&mut patterns, &items);
        self.leave_out_lists(&mut patterns, &mut items);
        self.leave_out_block(&patterns, &mut items);
        self.pass_arguments(&patterns, &mut items);
        if language
            .compare
            .declarations
            .iter()
            .any(|d| !d.modifiers.is_empty() && d.modifiers == p.kind)
        {
            return self.set(&patterns, &items);
        }
        if p.kind != node.kind()
            && let (Some(base), Some(item)) = (patterns.first(), items.first_mut())
            && language.compare.chain.iter().any(|(k, _)| *k == p.kind)
        {
            // Two spellings of a link: what they hang on has another field in each.
            item.1 = base.field;
        }
        if language.fragments.token_runs.contains(&p.kind) {
            return self.loose(&patterns, &items);
        }
        let saved = self.state.clone();
        let mut used = Vec::new();
        if self.sequence(&patterns, &items, 0, TokenFit::Whole, &mut used) {
            if bare {
                used.insert(0, 0..0);
                used.push(0..0);
                self.separators(inner, node, &items, &used);
            } else if patterns.len() == inner.children.len() {
                self.separators(inner, node, &items, &used);
            } else if inner.separators.iter().all(|s| self.is_optional(s.1)) {
                self.separators(inner, node, &items, &[]);
            }
            return true;
        }
        self.state = saved;
        let Some(keyed) = language.compare.keyed.iter().find(|k| k.list == p.kind) else {
            return false;
        };
        let Some(ends) = self.keyed(keyed, &mut patterns, &mut items) else { return false };
        self.commas_behind(inner, node, &ends);
        let fits = self.sequence(&patterns, &items, 0, TokenFit::Whole, &mut Vec::new());
        if fits {
            self.separators_of_scattered(inner, node);
        }
        fits
    }

    /// Loose tokens, whatever brackets are around them.
    fn loose(&mut self, patterns: &[&PNode], items: &[Child<'t>]) -> bool {
        const BRACKETS: &[&str] = &["(", "[", "{", ")", "]", "}"];
        let bracket = |p: &PNode| match &p.what {
            PatternToken::Leaf(t, token) if BRACKETS.contains(&t.as_str()) => Some(*token),
            _ => None,
        };
        let ([first, inner @ .., last], [open, within @ .., close]) = (patterns, items) else {
            return false;
        };
        let (Some(first), Some(last)) = (bracket(first), bracket(last)) else { return false };
        self.state.tokens[first] = Some(span(open.0));
        self.state.tokens[last] = Some(span(close.0));
        self.sequence(inner, within, 0, TokenFit::Tokens, &mut Vec::new())
    }

    /// Takes out of the comparison what a declaration pattern leaves free. What it writes of that must be there, in
    /// any order.
    pub(super) fn declaration(
        &mut self,
        declaration: &DeclarationShape,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
        root: bool,
    ) -> bool {
        let bodiless = root && self.language().fragments.contexts[self.reading.context].bodiless;
        let free = |kind: &str, field: Option<&str>| {
            declaration.free_kinds.contains(&kind)
                || field.is_some_and(|f| declaration.free_fields.contains(&f))
        };
        let mut i = 0;
        while i < patterns.len() {
            let p = patterns[i];
            if !free(p.kind, p.field) || matches!(p.what, PatternToken::Slot(..)) {
                i += 1;
                continue;
            }
            patterns.remove(i);
            let hit = (0..items.len()).find(|at| {
                let (n, f) = items[*at];
                if n.kind() != p.kind || f != p.field {
                    return false;
                }
                let saved = self.state.clone();
                let fits = self.node(p, n, false);
                if !fits {
                    self.state = saved;
                }
                fits
            });
            match hit {
                Some(at) => drop(items.remove(at)),
                None => return false,
            }
        }
        let slots: Vec<Option<&str>> = patterns.iter().map(|p| p.field).collect();
        // A slot for a part without a field tells by its kind what it stands for.
        let one = |p: &&&PNode| {
            p.field.is_none()
                && matches!(p.what, PatternToken::Slot(..))
                && self.varying(p).is_none()
        };
        let bare: Vec<&str> = patterns.iter().filter(one).map(|p| p.kind).collect();
        // A word behind the body is the body's, also where nothing is in that.
        let closes =
            |i: &Child<'t>| i.1.is_none() && self.language().flow.closes.contains(&i.0.kind());
        if bodiless && items.last().is_some_and(closes) {
            items.pop();
        }
        items.retain(|(n, f)| {
            let written = match f {
                Some(_) => slots.contains(f),
                None => bare.contains(&n.kind()),
            };
            let left_free = free(n.kind(), *f) && !written;
            let own_body = bodiless && *f == Some(declaration.body);
            !left_free && !own_body
        });
        true
    }
}

/// How much of a list a list of patterns must fit.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum TokenFit {
    /// Its start.
    Start,
    /// All of it.
    Whole,
    /// All of it, and it is loose tokens.
    Tokens,
    /// Its start, and it is loose tokens.
    TokenRun,
}

impl TokenFit {
    pub(super) fn loose(self) -> bool {
        matches!(self, Self::Tokens | Self::TokenRun)
    }
}

/// True if nothing stands between a place and what holds it but parentheses and the end of a statement.
pub(super) fn only_around(text: &str, outer: Span, place: Span) -> bool {
    let only =
        |text: &str, set: &[char]| text.chars().all(|c| c.is_whitespace() || set.contains(&c));
    let before = Span { start: outer.start, end: place.start }.of(text);
    let behind = Span { start: place.end, end: outer.end }.of(text);
    only(before, &['(']) && only(behind, &[')', ';'])
}

pub(super) fn same_field(p: &PNode, field: Option<&str>) -> bool {
    p.field == field || matches!(p.what, PatternToken::Slot(..)) && p.field.is_none()
}

/// A node's place, without the blanks around loose text.
fn trimmed(language: &Language, node: Node<'_>, text: &str) -> Span {
    let at = span(node);
    if !language.compare.loose_text.contains(&node.kind()) {
        return at;
    }
    let start = at.start as usize + text.len() - text.trim_start().len();
    Span::new(start, at.start as usize + text.trim_end().len())
}

fn form_of(language: &Language, node: Node<'_>) -> &'static str {
    let hit = language.fragments.forms.iter().find(|(_, kinds)| kinds.contains(&node.kind()));
    hit.map_or("other", |(form, _)| form)
}
