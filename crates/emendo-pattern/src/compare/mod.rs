//! Comparing a pattern with a tree, node by node.

mod chain;
mod lists;
mod text;

use emendo_lang::language::{Declaration, Language, Space};
use emendo_lang::tree::{Tree, is_separator, skipped, span, spliced, walk_cursor};
use emendo_lang::{Certainty, Fact, Resolver};
use emendo_text::Span;
use tree_sitter::Node;

use crate::found::{Bound, Match, NameUse, equal};
use crate::model::{Constraint, Inner, PNode, Pattern, Reading, What};

/// Comparisons allowed for one place; only several list slots in a row ever come near.
const BUDGET: usize = 200_000;

pub(super) type Child<'t> = (Node<'t>, Option<&'t str>);

/// Children without comments and separators; loose tokens keep their separators.
pub(super) fn significant<'t>(language: &Language, node: Node<'t>, text: &str) -> Vec<Child<'t>> {
    let loose = language.token_runs.contains(&node.kind());
    let keep =
        |n: &Node<'_>| !skipped(language, *n, text) && (loose || !is_separator(language, *n));
    spliced(language, node).into_iter().filter(|(n, _)| keep(n)).collect()
}

#[derive(Clone, Default)]
pub(super) struct State {
    pub(super) tokens: Vec<Option<Span>>,
    pub(super) slots: Vec<(usize, Bound)>,
    groups: Vec<Bound>,
    facts: Vec<Fact>,
    names: Vec<NameUse>,
    /// A slot is of one of several types, only some of which are meant.
    partly: Option<String>,
    /// The type of a slot is the one that is asked for.
    typed: bool,
    /// Where what a link hangs on ends.
    pub(super) base_end: Option<u32>,
}

pub(super) struct Matcher<'p, 't> {
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
            pattern,
            reading,
            tree,
            text,
            resolver,
            budget: BUDGET,
            state,
            furthest: None,
            explains: false,
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

    /// It remembers how far it comes.
    pub(super) fn explaining(mut self) -> Self {
        self.explains = true;
        self
    }

    /// How far it came.
    pub(super) fn stopped(&self) -> Option<(usize, Span, Option<usize>)> {
        self.furthest
    }

    fn note_stop(&mut self, p: &PNode, node: Node<'t>) {
        let fitted = self.state.tokens.iter().flatten().count();
        if fitted > 0 && self.furthest.is_none_or(|f| fitted > f.0) {
            let range = crate::model::tokens_of(p);
            self.furthest = Some((fitted, span(node), (!range.is_empty()).then_some(range.start)));
        }
    }

    pub(super) fn reading_key(&self, token: usize) -> &'p crate::model::Key {
        &self.reading.tokens[token].key
    }

    pub(super) fn run(&mut self, roots: &[PNode], items: &[Child<'t>]) -> Option<usize> {
        let mut used = Vec::new();
        let roots: Vec<&PNode> = roots.iter().collect();
        self.sequence(&roots, items, 0, Fit::Start, &mut used)
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
            What::Slot(ix, token) => {
                // The object itself may be a mere word of the language.
                let types = &language.names.types;
                let own = || types.own.contains(&node.kind()) || types.base.contains(&node.kind());
                let fits = (node.is_named() || own())
                    && !language.is_spread(node)
                    && self.bind(*ix, *token, &[node], span(node));
                if self.explains && !fits {
                    self.note_stop(p, node);
                }
                return fits;
            }
            What::Base => {
                self.state.base_end = Some(node.end_byte() as u32);
                return true;
            }
            What::Leaf(text, token) => self.leaf(p, text, *token, node),
            What::Name(ix, token, space) => self.name(*ix, *token, *space, node),
            What::Literal(prefix, content, token) => {
                language.strings.contains(&node.kind())
                    && self.literal(prefix, content, *token, span(node))
            }
            What::Text(text) => {
                let saved = self.state.clone();
                let fits = language.alike(p.kind, node.kind()) && self.pieces(text, span(node));
                if !fits {
                    self.state = saved;
                }
                fits
            }
            What::Inner(inner) => {
                let saved = self.state.clone();
                let chained = inner.chained && language.base_of(node).is_some();
                if chained {
                    if self.chain(p, node) {
                        return true;
                    }
                } else if language.alike(p.kind, node.kind()) && self.inner(p, inner, node, root) {
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
                self.state = saved;
                false
            }
        };
        let fits = fits || (!root && self.unwrapped(p, node));
        if self.explains && !fits {
            self.note_stop(p, node);
        }
        fits
    }

    /// A token of the same text; white space in loose text does not count, and some tokens count as one.
    fn leaf(&mut self, p: &PNode, text: &str, token: usize, node: Node<'t>) -> bool {
        let language = self.language();
        let found = span(node).of(self.text);
        let same = if node.child_count() > 0 {
            false
        } else if language.loose_text.contains(&node.kind()) && p.kind == node.kind() {
            found.split_whitespace().eq(text.split_whitespace())
        } else {
            found == text && (language.alike(p.kind, node.kind()) || self.both_words(p.kind, node))
        };
        if same {
            self.state.tokens[token] = Some(trimmed(language, node, found));
        }
        same
    }

    /// Grammars give a word different kinds by its place in loose tokens and elsewhere.
    fn both_words(&self, kind: &str, node: Node<'_>) -> bool {
        let word = |k: &str| self.language().names.words.iter().any(|w| w.0 == k);
        word(kind) && word(node.kind())
    }

    /// Needless parentheses.
    fn unwrapped(&mut self, p: &PNode, node: Node<'t>) -> bool {
        let kind = self.language().parenthesized;
        if node.kind() != kind || p.kind == kind {
            return false;
        }
        let inner = self.significant(node).into_iter().find(|(n, _)| n.is_named());
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
        let full = path.len() > 1 && self.language().names.segments(&symbol) == path;
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
        let full = names.segments(&symbol) == path;
        self.found(fact, &symbol, member.name_token, place, full);
        let callee = |f: Option<&str>| f == Some(receiver) || f == Some(name);
        let rest: Vec<&PNode> = inner
            .children
            .iter()
            .filter(|c| {
                !callee(c.field) && !matches!(&c.what, What::Leaf(t, _) if t == names.separator)
            })
            .collect();
        let items: Vec<Child<'t>> = self
            .significant(node)
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
        let mut items = self.significant(node);
        let mut patterns: Vec<&PNode> = inner.children.iter().collect();
        if let Some(declaration) = language.declaration(p.kind)
            && !self.declaration(declaration, &mut patterns, &mut items, root)
        {
            return false;
        }
        if language.declarations.iter().any(|d| !d.modifiers.is_empty() && d.modifiers == p.kind) {
            return self.set(&patterns, &items);
        }
        if p.kind != node.kind()
            && let (Some(base), Some(item)) = (patterns.first(), items.first_mut())
            && language.chain.iter().any(|(k, _)| *k == p.kind)
        {
            // Two spellings of a link: what they hang on has another field in each.
            item.1 = base.field;
        }
        if language.token_runs.contains(&p.kind) {
            return self.loose(&patterns, &items);
        }
        let saved = self.state.clone();
        let mut used = Vec::new();
        if self.sequence(&patterns, &items, 0, Fit::Whole, &mut used) {
            if patterns.len() == inner.children.len() {
                self.separators(inner, node, &items, &used);
            }
            return true;
        }
        self.state = saved;
        let Some(keyed) = language.keyed.iter().find(|k| k.list == p.kind) else { return false };
        let Some(ends) = self.keyed(keyed, &mut patterns, &mut items) else { return false };
        self.commas_behind(inner, node, &ends);
        self.sequence(&patterns, &items, 0, Fit::Whole, &mut Vec::new())
    }

    /// Loose tokens, whatever brackets are around them.
    fn loose(&mut self, patterns: &[&PNode], items: &[Child<'t>]) -> bool {
        const BRACKETS: &[&str] = &["(", "[", "{", ")", "]", "}"];
        let bracket = |p: &PNode| match &p.what {
            What::Leaf(t, token) if BRACKETS.contains(&t.as_str()) => Some(*token),
            _ => None,
        };
        let ([first, inner @ .., last], [open, within @ .., close]) = (patterns, items) else {
            return false;
        };
        let (Some(first), Some(last)) = (bracket(first), bracket(last)) else { return false };
        self.state.tokens[first] = Some(span(open.0));
        self.state.tokens[last] = Some(span(close.0));
        self.sequence(inner, within, 0, Fit::Tokens, &mut Vec::new())
    }

    /// Takes out of the comparison what a declaration pattern leaves free. What it writes of that must be there, in
    /// any order.
    fn declaration(
        &mut self,
        declaration: &Declaration,
        patterns: &mut Vec<&PNode>,
        items: &mut Vec<Child<'t>>,
        root: bool,
    ) -> bool {
        let bodiless = root && self.language().contexts[self.reading.context].bodiless;
        let free = |kind: &str, field: Option<&str>| {
            declaration.free_kinds.contains(&kind)
                || field.is_some_and(|f| declaration.free_fields.contains(&f))
        };
        let mut i = 0;
        while i < patterns.len() {
            let p = patterns[i];
            if !free(p.kind, p.field) || matches!(p.what, What::Slot(..)) {
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
        items.retain(|(n, f)| {
            let written = f.is_some() && slots.contains(f);
            let left_free = free(n.kind(), *f) && !written;
            let own_body = bodiless && *f == Some(declaration.body);
            !left_free && !own_body
        });
        true
    }

    pub(super) fn bind(&mut self, ix: usize, token: usize, nodes: &[Node<'t>], at: Span) -> bool {
        let def = &self.pattern.slots[ix];
        if let Some(known) = self.same_as_before(ix, token, at) {
            return known;
        }
        if !nodes.iter().all(|n| self.satisfies(&def.constraint, *n)) {
            return false;
        }
        let kind = match nodes {
            [only] => self.language().kind(self.language().core(*only)),
            _ => "",
        };
        self.state.slots.push((ix, Bound::new(&def.name, at, kind, nodes.len())));
        self.state.tokens[token] = Some(at);
        true
    }

    /// Binds a piece of a token.
    pub(super) fn bind_text(&mut self, ix: usize, token: usize, at: Span) -> bool {
        let def = &self.pattern.slots[ix];
        if let Some(known) = self.same_as_before(ix, token, at) {
            return known;
        }
        let c = &def.constraint;
        let asks_code =
            !c.form.is_empty() || !c.means.is_empty() || !c.is.is_empty() || !c.types.is_empty();
        if asks_code || !self.satisfies_text(c, at) {
            return false;
        }
        self.state.slots.push((ix, Bound::new(&def.name, at, "", 1)));
        self.state.tokens[token] = Some(at);
        true
    }

    /// A slot that was bound before must hold equal code.
    fn same_as_before(&mut self, ix: usize, token: usize, at: Span) -> Option<bool> {
        let (_, earlier) = self.state.slots.iter().find(|s| s.0 == ix)?;
        if !equal(self.tree, self.text, earlier.span, at) {
            return Some(false);
        }
        self.state.tokens[token] = Some(at);
        Some(true)
    }

    fn satisfies_text(&mut self, c: &Constraint, at: Span) -> bool {
        let text = at.of(self.text);
        if let Some(re) = &c.text {
            let Some(groups) = re.captures(text) else { return false };
            for name in re.capture_names().flatten() {
                if let Some(m) = groups.name(name) {
                    let start = at.start as usize;
                    let place = Span::new(start + m.start(), start + m.end());
                    let mut bound = Bound::new(name, place, "", 1);
                    bound.text = Some(m.as_str().to_owned());
                    self.state.groups.push(bound);
                }
            }
        }
        !c.not_text.as_ref().is_some_and(|re| re.is_match(text))
    }

    fn satisfies(&mut self, c: &Constraint, node: Node<'t>) -> bool {
        if !self.satisfies_text(c, span(node)) {
            return false;
        }
        let form = form_of(self.language(), self.language().core(node));
        if (!c.form.is_empty() && !c.form.iter().any(|f| f == form))
            || c.not_form.iter().any(|f| f == form)
        {
            return false;
        }
        let fits = |p: &Pattern| p.fits_at(self.tree, span(node), self.text, self.resolver);
        if (!c.is.is_empty() && !c.is.iter().any(fits)) || c.is_not.iter().any(fits) {
            return false;
        }
        (c.means.is_empty() || self.means_any(&c.means, node)) && self.is_typed(c, node)
    }

    /// True if the static type of a node is not against a constraint; what is not known is noted.
    fn is_typed(&mut self, c: &Constraint, node: Node<'t>) -> bool {
        if c.types.is_empty() && c.not_types.is_empty() {
            return true;
        }
        let shown: String = span(node).of(self.text).chars().take(40).collect();
        let Some(told) = self.resolver.type_at(span(node)) else {
            let text = format!("the type of `{shown}` is not known");
            self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
            return true;
        };
        let language = self.language();
        for ty in &c.not_types {
            match self.resolver.is_a(&told, ty) {
                Some(true) => return false,
                Some(false) => {}
                None => {
                    let text =
                        format!("whether `{shown}` is a `{}` is not known", ty.shown(language));
                    self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
                }
            }
        }
        if c.types.is_empty() {
            return true;
        }
        let all: Vec<Option<bool>> =
            c.types.iter().map(|ty| self.resolver.is_a(&told, ty)).collect();
        if all.contains(&Some(true)) {
            let text = format!("`{shown}` is a `{}`", told.ty.shown(language));
            let why = told.why.unwrap_or(Fact { says: told.says, text, at: None });
            let says = told.says.min(self.resolver.sure_of(&told.ty));
            self.state.facts.push(Fact { says, ..why });
            self.state.typed = true;
            return true;
        }
        if !all.contains(&None) {
            return false;
        }
        let text = format!("`{shown}` is a `{}`", told.ty.shown(language));
        let partly = c.types.iter().any(|ty| self.resolver.is_partly(&told.ty, ty));
        if partly {
            self.state.partly = Some(text);
        } else {
            let text = format!("{text}; whether that is the type that is meant is not known");
            self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
        }
        true
    }

    fn means_any(&mut self, symbols: &[String], node: Node<'t>) -> bool {
        let Some(path) = path_words(self.language(), self.language().core(node), self.text) else {
            return false;
        };
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
            .filter(|(_, s)| !s.constraint.means.is_empty() || !s.constraint.types.is_empty())
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
        if language.names.imports.contains(&node.kind()) {
            let text = "the import names its symbol in full".to_owned();
            self.state.facts.push(Fact { says: Certainty::Certain, text, at: None });
        }
        let statement = parent.filter(|p| p.kind() == language.expression_statement).map(span);
        let mut slots: Vec<Bound> = self.state.slots.into_iter().map(|s| s.1).collect();
        slots.extend(self.state.groups);
        let mut at = at;
        if self.state.base_end.is_some() {
            // A link is what stands behind the thing that it hangs on.
            let first = self.state.tokens.iter().flatten().map(|s| s.start).min();
            at.start = first.unwrap_or(at.start).max(at.start);
        }
        Some(Match {
            reading,
            span: at,
            token_of: self.state.tokens,
            slots,
            facts: self.state.facts,
            partly: self.state.partly,
            typed: self.state.typed,
            names: self.state.names,
            kind: language.kind(node),
            place: (parent.map_or("", |p| language.kind(p)), language.field(field)),
            statement: statement.filter(|_| self.state.base_end.is_none()),
            link: self.state.base_end.is_some(),
            parent: parent.map(span),
        })
    }
}

/// How much of a list a list of patterns must fit.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Fit {
    /// Its start.
    Start,
    /// All of it.
    Whole,
    /// All of it, and it is loose tokens.
    Tokens,
}

pub(super) fn same_field(p: &PNode, field: Option<&str>) -> bool {
    p.field == field || matches!(p.what, What::Slot(..)) && p.field.is_none()
}

/// A node's place, without the blanks around loose text.
fn trimmed(language: &Language, node: Node<'_>, text: &str) -> Span {
    let at = span(node);
    if !language.loose_text.contains(&node.kind()) {
        return at;
    }
    let start = at.start as usize + text.len() - text.trim_start().len();
    Span::new(start, at.start as usize + text.trim_end().len())
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
