//! From a pattern's source to its readings.

use std::collections::BTreeMap;

use emendo_text::Span;
use tree_sitter::Node;

use super::text::quoted;
use super::{
    Constraint, Inner, Key, KeyWords, MemberSymbol, NameDef, PNode, PToken, Pattern, PatternError,
    Reading, SlotDef, Text, TextPiece, What,
};
use crate::language::{Context, Language, Placeholder, Space};
use crate::template::{Chunk, Filter, Marks, Repeat, Template};
use crate::tree::{Tree, holds_code, is_separator, skipped, span, spliced};

/// Spellings of slots that are tried in one context before it is given up.
const MAX_SPELLINGS: usize = 120;
/// Patterns are read by people; this is far above any real one and keeps recursion over them shallow.
const MAX_BYTES: usize = 64 * 1024;
const MAX_DEPTH: usize = 400;
/// The context of patterns that begin with a dot: its prefix ends in a word of this length to hang them on.
const LINK: &str = "link";
const LINK_BASE: u32 = 6;

pub(super) fn pattern(
    language: &'static Language,
    source: &str,
    names: &BTreeMap<String, String>,
    context: Option<&str>,
    marks: Marks,
) -> Result<Pattern, PatternError> {
    let whole = Span::new(0, source.len());
    let fail =
        |message: String, help: &str| PatternError { at: whole, message, help: help.to_owned() };
    if source.len() > MAX_BYTES {
        return Err(fail(
            format!("this pattern is larger than {MAX_BYTES} bytes"),
            "split it into several actions",
        ));
    }
    let template = Template::parse_with(source, marks).map_err(|e| PatternError {
        at: e.at,
        message: e.message,
        help: e.help,
    })?;
    if source.trim().is_empty() {
        return Err(fail("this pattern is empty".into(), "write the code that is to be found"));
    }
    let slots = slot_defs(&template);
    let defs: Vec<NameDef> = names
        .iter()
        .map(|(w, s)| NameDef { word: w.clone(), symbol: s.clone(), also: Vec::new() })
        .collect();
    let mut compiler =
        Compiler { language, source, template: &template, slots: &slots, names: &defs, best: None };
    let mut readings: Vec<Reading> = Vec::new();
    for (i, c) in language.contexts.iter().enumerate() {
        if context.is_some_and(|wanted| wanted != c.name) {
            continue;
        }
        if let Some(reading) = compiler.context(i, c)
            && !readings.iter().any(|r| {
                language.contexts[r.context].bodiless == c.bodiless
                    && same_shape(&r.roots, &reading.roots)
            })
        {
            readings.push(reading);
        }
    }
    let best = compiler.best.take();
    meaning_only(&mut readings, &defs);
    bodiless_first(language, source, &mut readings);
    if readings.is_empty() {
        return Err(unreadable(language, source, context, best));
    }
    Ok(Pattern { language, source: source.to_owned(), readings, slots, names: defs })
}

/// A word that stands for a symbol is a use of it: readings in which it is nothing but a name of its own go, where
/// another reading uses it.
fn meaning_only(readings: &mut Vec<Reading>, defs: &[NameDef]) {
    let uses = |r: &Reading, word: &str| {
        r.tokens.iter().any(|t| matches!(&t.key, Key::Name { word: w, .. } if w == word))
    };
    let used: Vec<&NameDef> =
        defs.iter().filter(|d| readings.iter().any(|r| uses(r, &d.word))).collect();
    readings.retain(|r| used.iter().all(|d| uses(r, &d.word)));
}

/// A grammar may take a declaration that ends before its body for one without a body.
fn bodiless_first(language: &Language, source: &str, readings: &mut Vec<Reading>) {
    // What is a whole expression does not end before a body.
    if readings.iter().any(|r| language.contexts[r.context].name == "expression") {
        readings.retain(|r| !language.contexts[r.context].bodiless);
        return;
    }
    let kinds: Vec<&str> = readings
        .iter()
        .filter(|r| language.contexts[r.context].bodiless)
        .map(|r| r.roots[0].kind)
        .collect();
    let empty = |r: &Reading| {
        let root = &r.roots[0];
        let body = language.declaration(root.kind).map_or("", |d| d.body);
        let has_body = matches!(&root.what, What::Inner(i) if i.children.iter().any(|c| c.field == Some(body)));
        kinds.contains(&root.kind) && !has_body
    };
    if !source.trim_end().ends_with(';') {
        readings.retain(|r| language.contexts[r.context].bodiless || !empty(r));
    }
}

fn slot_defs(template: &Template) -> Vec<SlotDef> {
    let mut slots: Vec<SlotDef> = Vec::new();
    for (name, _, repeat) in template.slots() {
        if name == "_" || !slots.iter().any(|s| s.name == name) {
            slots.push(SlotDef {
                name: name.to_owned(),
                repeat,
                constraint: Constraint::default(),
            });
        }
    }
    slots
}

fn unreadable(
    language: &Language,
    source: &str,
    context: Option<&str>,
    best: Option<Span>,
) -> PatternError {
    let names: Vec<&str> = language.contexts.iter().map(|c| c.name).collect();
    if let Some(wanted) = context
        && !names.contains(&wanted)
    {
        let mut names = names;
        names.dedup();
        return PatternError {
            at: Span::new(0, source.len()),
            message: format!("{} has no context `{wanted}`", language.title),
            help: format!("one of: {}", names.join(", ")),
        };
    }
    let at = best.unwrap_or(Span::new(0, source.len()));
    PatternError {
        at,
        message: format!("this is no {} that can be read, in any context", language.title),
        help: "write a whole expression, statement, declaration, type, annotation or import; check brackets and quotes".into(),
    }
}

struct Compiler<'a> {
    language: &'static Language,
    source: &'a str,
    template: &'a Template,
    slots: &'a [SlotDef],
    names: &'a [NameDef],
    /// The first place that could not be parsed in the reading that came furthest.
    best: Option<Span>,
}

/// A wrapped text with where the chunks stand in it.
struct Wrapped {
    text: String,
    chunks: Vec<Placed>,
    fragment: Span,
}

/// A way to spell the slots that does not read.
struct Trial {
    /// The slots that stand where it stopped.
    slots: Vec<usize>,
    /// How far it came, and how little of it is wrong.
    score: (u32, u32),
}

/// A chunk of the source where it stands in the wrapped text.
struct Placed {
    /// In the wrapped text, with what a slot's spelling adds.
    at: Span,
    /// The placeholder word alone.
    word: Span,
    source: Span,
    /// Slot and filters; nothing for plain text.
    slot: Option<(usize, Vec<Filter>)>,
}

impl Wrapped {
    /// The slot that stands exactly here.
    fn slot_at(&self, at: Span) -> Option<&Placed> {
        self.chunks.iter().find(|c| c.slot.is_some() && c.at == at)
    }

    /// The slots whose words stand within a place.
    fn slots_in(&self, at: Span) -> impl Iterator<Item = &Placed> {
        self.chunks.iter().filter(move |c| c.slot.is_some() && at.contains(c.word))
    }
}

impl Compiler<'_> {
    /// The first spelling of the slots that reads.
    fn spelling(&mut self, index: usize, context: &Context) -> Option<Wrapped> {
        self.first(index, context).map(|(_, wrapped)| wrapped)
    }

    fn context(&mut self, index: usize, context: &Context) -> Option<Reading> {
        self.first(index, context).map(|(reading, _)| reading)
    }

    /// Looks for spellings of the slots that read. Each trial says how far it came and which slots stand where it
    /// stopped; only those are spelled otherwise, and only what comes further is kept.
    fn first(&mut self, index: usize, context: &Context) -> Option<(Reading, Wrapped)> {
        let spellings = self.language.placeholders.len();
        let mut choice = vec![0usize; self.template.slots().count()];
        let mut best = match self.trial(index, context, &choice) {
            Ok(read) => return Some(*read),
            Err(trial) => trial,
        };
        let mut left = MAX_SPELLINGS;
        loop {
            let mut better = None;
            for slot in best.slots.clone() {
                for spelling in (0..spellings).filter(|s| *s != choice[slot]) {
                    if left == 0 {
                        return None;
                    }
                    left -= 1;
                    let mut other = choice.clone();
                    other[slot] = spelling;
                    match self.trial(index, context, &other) {
                        Ok(read) => return Some(*read),
                        Err(t) if t.score > best.score => {
                            best = t;
                            better = Some(other);
                        }
                        Err(_) => {}
                    }
                }
                if better.is_some() {
                    break;
                }
            }
            choice = better?;
        }
    }

    /// One way to spell the slots: what it reads as, or how far that came.
    fn trial(
        &mut self,
        index: usize,
        context: &Context,
        choice: &[usize],
    ) -> Result<Box<(Reading, Wrapped)>, Trial> {
        let wrapped = self.wrap(context, choice);
        let tree = Tree::parse(self.language, &wrapped.text);
        let slots = || wrapped.chunks.iter().filter(|c| c.slot.is_some());
        let failed = |places: &[Span], at: u32, size: u32| {
            let near = |c: &Placed| {
                places.iter().any(|p| p.start <= c.at.end + 2 && c.at.start <= p.end + 2)
            };
            let touched = slots().enumerate().filter(|(_, c)| near(c)).map(|(i, _)| i);
            Trial { slots: touched.collect(), score: (at, u32::MAX - size) }
        };
        if tree.has_error() {
            self.remember_error(&tree, &wrapped);
            let errors = tree.errors();
            let at = errors.iter().map(|e| e.start).min().unwrap_or(0);
            // Longer spellings of slots must not count as progress.
            let before: u32 = slots().filter(|c| c.at.end <= at).map(|c| c.at.len() as u32).sum();
            let size = errors.iter().map(|e| e.len() as u32 + 1).sum();
            return Err(failed(&errors, at - before.min(at), size));
        }
        match self.read(index, context, &tree, &wrapped) {
            Some(reading) => Ok(Box::new((reading, wrapped))),
            None => {
                let all: Vec<Span> = slots().map(|c| c.at).collect();
                let alone = |c: &&Placed| tree.node_at(c.at, &[]).is_none_or(|n| span(n) != c.at);
                let lost = slots().filter(alone).count() as u32;
                Err(failed(&all, u32::MAX, lost))
            }
        }
    }

    fn wrap(&self, context: &Context, choice: &[usize]) -> Wrapped {
        let mut text = context.prefix.to_owned();
        let mut chunks = Vec::new();
        let mut slot = 0;
        for chunk in &self.template.chunks {
            let start = text.len();
            match chunk {
                Chunk::Text { at, text: t } => {
                    text.push_str(t);
                    let place = Span::new(start, text.len());
                    chunks.push(Placed { at: place, word: place, source: *at, slot: None });
                }
                Chunk::Slot { at, name, filters, .. } => {
                    let ix = self.slot_index(name, slot);
                    let spelling = &self.language.placeholders[choice[slot]];
                    text.push_str(&placeholder(spelling, ix));
                    let place = Span::new(start, text.len());
                    let word =
                        Span::new(start + spelling.before.len(), text.len() - spelling.after.len());
                    let slot_of = Some((ix, filters.clone()));
                    chunks.push(Placed { at: place, word, source: *at, slot: slot_of });
                    slot += 1;
                }
            }
        }
        let inner = &text[context.prefix.len()..];
        let lead = inner.len() - inner.trim_start().len();
        let fragment =
            Span::new(context.prefix.len() + lead, context.prefix.len() + inner.trim_end().len());
        text.push_str(context.suffix);
        Wrapped { text, chunks, fragment }
    }

    /// Unnamed slots are slots of their own, in order; named ones share.
    fn slot_index(&self, name: &str, nth: usize) -> usize {
        if name != "_" {
            return self.slots.iter().position(|s| s.name == name).unwrap_or(0);
        }
        let before = self.template.slots().take(nth).filter(|(n, ..)| *n == "_").count();
        let unnamed = self.slots.iter().enumerate().filter(|(_, s)| s.name == "_");
        unnamed.map(|(i, _)| i).nth(before).unwrap_or(0)
    }

    fn remember_error(&mut self, tree: &Tree, wrapped: &Wrapped) {
        let inside = tree.errors().into_iter().find(|e| wrapped.fragment.contains(*e));
        let Some(at) = inside.and_then(|e| source_span(wrapped, e)) else { return };
        if self.best.is_none_or(|b| at.start > b.start) {
            self.best = Some(if at.is_empty() {
                Span::new(at.start as usize, (at.start as usize + 1).min(self.source.len()))
            } else {
                at
            });
        }
    }

    /// A statement that is nothing but an expression is that expression, unless its end is written.
    fn bare<'t>(&self, node: Node<'t>) -> Node<'t> {
        let plain = node.kind() == self.language.expression_statement && node.child_count() == 1;
        node.child(0).filter(|_| plain).unwrap_or_else(|| self.language.core(node))
    }

    fn read(
        &self,
        index: usize,
        context: &Context,
        tree: &Tree,
        wrapped: &Wrapped,
    ) -> Option<Reading> {
        let nodes = roots(tree, context, wrapped.fragment, self.language)?;
        let nodes: Vec<Node<'_>> = nodes.into_iter().map(|n| self.bare(n)).collect();
        let accepted =
            |n: &Node<'_>| context.accepts.is_empty() || context.accepts.contains(&n.kind());
        let is_slot = |n: &Node<'_>| wrapped.slot_at(span(*n)).is_some();
        if !nodes.iter().all(|n| accepted(n) || is_slot(n)) {
            return None;
        }
        let base = Span {
            start: wrapped.fragment.start - LINK_BASE.min(wrapped.fragment.start),
            end: wrapped.fragment.start,
        };
        let mut build = Build {
            compiler: self,
            wrapped,
            tokens: Vec::new(),
            bodiless: context.bodiless,
            base: (context.name == LINK).then_some(base),
            unresolved: Vec::new(),
            declared: Vec::new(),
        };
        let roots: Option<Vec<PNode>> =
            nodes.iter().map(|n| build.node(*n, None, ("", None), 0)).collect();
        let roots = roots?;
        // Every slot must have become a node of its own.
        let slots = wrapped.chunks.iter().filter(|c| c.slot.is_some()).count();
        let found = build.tokens.iter().filter(|t| matches!(t.key, Key::Slot(..))).count();
        if slots != found {
            return None;
        }
        let Build { tokens, mut unresolved, declared, .. } = build;
        if nodes.iter().any(|n| self.language.names.imports.contains(&n.kind())) {
            // An import says all of its name.
            unresolved.clear();
        }
        unresolved.retain(|(w, _)| {
            !declared.contains(w) && !self.language.names.builtin.contains(&w.as_str())
        });
        let mut optional = Vec::new();
        roots.iter().for_each(|r| optional_tokens(self.language, self.slots, r, &mut optional));
        unresolved.sort();
        unresolved.dedup();
        let keys = keys(self.language, &roots, self.names, &optional);
        Some(Reading { context: index, roots, tokens, keys, optional, unresolved })
    }
}

fn placeholder(p: &Placeholder, ix: usize) -> String {
    let word = if p.capital { "ZqSlot" } else { "zqSlot" };
    format!("{}{word}{ix}{}", p.before, p.after)
}

/// The nodes that cover the fragment: one, or a run of siblings.
fn roots<'t>(
    tree: &'t Tree,
    context: &Context,
    fragment: Span,
    language: &Language,
) -> Option<Vec<Node<'t>>> {
    if context.bodiless {
        let mut node = tree
            .root()
            .descendant_for_byte_range(fragment.start as usize, fragment.end as usize)?;
        loop {
            let body = language.declaration(node.kind()).map(|d| d.body).filter(|b| !b.is_empty());
            let body = body.and_then(|b| node.child_by_field_name(b));
            if node.start_byte() == fragment.start as usize
                && body.is_some_and(|b| {
                    b.start_byte() >= fragment.end as usize && span(b).end == span(node).end
                })
            {
                return Some(vec![node]);
            }
            node = node.parent()?;
        }
    }
    if context.name == LINK {
        let base = fragment.start.checked_sub(LINK_BASE)?;
        let whole = Span { start: base, end: fragment.end };
        let node = tree.node_at(whole, &[])?;
        return language.base_of(node).is_some().then(|| vec![node]);
    }
    if let Some(node) = tree.node_at(fragment, context.accepts) {
        return Some(vec![node]);
    }
    let around =
        tree.root().descendant_for_byte_range(fragment.start as usize, fragment.end as usize)?;
    let inside: Vec<Node<'t>> =
        crate::tree::children(around).into_iter().filter(|c| span(*c).meets(fragment)).collect();
    // The mark behind an item belongs to the list around it.
    let inside: Vec<Node<'t>> = match inside.as_slice() {
        [items @ .., last] if items.len() == 1 && language.is_separator(last.kind()) => {
            return Some(items.to_vec());
        }
        _ => inside,
    };
    let covers = inside.first()?.start_byte() == fragment.start as usize
        && inside.last()?.end_byte() == fragment.end as usize
        && inside.iter().all(|n| n.is_named());
    (covers && inside.len() > 1).then(|| inside.into_iter().filter(|n| !n.is_extra()).collect())
}

/// Maps a place of the wrapped text back to the source.
fn source_span(wrapped: &Wrapped, at: Span) -> Option<Span> {
    let point = |offset: u32, end: bool| {
        wrapped.chunks.iter().find_map(|c| {
            let (w, s) = (c.at, c.source);
            let holds = if end {
                w.start < offset && offset <= w.end
            } else {
                w.start <= offset && offset < w.end
            };
            if !holds {
                return None;
            }
            // Escapes make a text chunk shorter than its source; its ends stay right.
            let exact = c.slot.is_none() && w.len() == s.len();
            Some(if exact {
                s.start + (offset - w.start)
            } else if end {
                s.end
            } else {
                s.start
            })
        })
    };
    let start = point(at.start, false).or_else(|| point(at.start, true))?;
    let end = point(at.end, true).unwrap_or(start);
    Some(Span { start, end: end.max(start) })
}

struct Build<'a, 'b> {
    compiler: &'a Compiler<'b>,
    wrapped: &'a Wrapped,
    tokens: Vec<PToken>,
    bodiless: bool,
    /// What the links of a link pattern hang on.
    base: Option<Span>,
    unresolved: Vec<(String, Option<usize>)>,
    /// Names that the pattern itself declares.
    declared: Vec<String>,
}

impl Build<'_, '_> {
    fn node(
        &mut self,
        node: Node<'_>,
        field: Option<&'static str>,
        parent: (&'static str, Option<Node<'_>>),
        depth: usize,
    ) -> Option<PNode> {
        if depth > MAX_DEPTH {
            return None;
        }
        let language = self.compiler.language;
        let kind = language.kind(node);
        let place = (parent.0, field.unwrap_or(""));
        if self.base == Some(span(node)) {
            return Some(PNode { kind, field, what: What::Base });
        }
        let body = language.bare_bodies.contains(&kind);
        let here = self.wrapped.slot_at(span(node)).filter(|_| !body);
        if let Some(Placed { source, slot: Some((ix, filters)), .. }) = here {
            let key = Key::Slot(self.compiler.slots[*ix].name.clone(), filters.clone());
            let token = self.token(*source, String::new(), key, place, false);
            return Some(PNode { kind, field, what: What::Slot(*ix, token) });
        }
        if let Some(what) = self.text(node, place)? {
            return Some(PNode { kind, field, what });
        }
        let at = || source_span(self.wrapped, span(node));
        let space = self.space(node, field, parent.0);
        if let Some(space) = space.filter(|s| *s != Space::Declared && *s != Space::Member)
            && let Some(ix) = self.name_index(node)
        {
            let def = &self.compiler.names[ix];
            let key = Key::Name {
                word: def.word.clone(),
                symbol: def.symbol.clone(),
                also: Vec::new(),
                space,
            };
            let text = span(node).of(&self.wrapped.text).to_owned();
            let token = self.token(at()?, text, key, place, false);
            return Some(PNode { kind, field, what: What::Name(ix, token, space) });
        }
        if node.child_count() == 0 {
            let text = span(node).of(&self.wrapped.text).to_owned();
            let named = space.is_some_and(|s| s != Space::Member);
            if named && language.names.reserved.contains(&text.as_str()) {
                // A keyword that the grammar takes for a name: not what the author wrote.
                return None;
            }
            self.note_word(node, &text, space, parent);
            let key = Key::Text(text.clone());
            let token = self.token(at()?, text.clone(), key, place, language.is_separator(kind));
            return Some(PNode { kind, field, what: What::Leaf(text, token) });
        }
        self.inner(node, field, depth)
    }

    fn inner(
        &mut self,
        node: Node<'_>,
        field: Option<&'static str>,
        depth: usize,
    ) -> Option<PNode> {
        let language = self.compiler.language;
        let kind = language.kind(node);
        let first_token = self.tokens.len();
        let body = language.declaration(kind).map_or("", |d| d.body);
        let mut children = Vec::new();
        let mut separators = Vec::new();
        let loose = language.token_runs.contains(&kind);
        for (child, child_field) in spliced(language, node) {
            if skipped(language, child, &self.wrapped.text) {
                continue;
            }
            if self.bodiless && depth == 0 && child_field == Some(body) {
                continue;
            }
            let p = self.node(child, language.field(child_field), (kind, Some(node)), depth + 1)?;
            match p.what {
                What::Leaf(_, token) if !loose && is_separator(language, child) => {
                    separators.push((children.len(), token));
                }
                _ => children.push(p),
            }
        }
        let symbol = self.member_symbol(kind, &children, first_token);
        let chained = language.chain.iter().any(|(k, _)| *k == kind) && {
            let many = |c: &PNode| match &c.what {
                What::Slot(ix, _) => {
                    matches!(self.compiler.slots[*ix].repeat, Repeat::Any | Repeat::Some)
                }
                _ => false,
            };
            let below = |c: &PNode| matches!(&c.what, What::Inner(i) if i.chained);
            children.first().is_some_and(below)
                || children
                    .iter()
                    .skip(1)
                    .any(|c| many(c) && c.kind != "arguments" && links_many(language, c))
        };
        let inner = Inner { children, separators, symbol, chained };
        Some(PNode { kind, field, what: What::Inner(inner) })
    }

    /// A literal, or a token with slots in it; `None` inside for anything else.
    fn text(
        &mut self,
        node: Node<'_>,
        place: (&'static str, &'static str),
    ) -> Option<Option<What>> {
        let language = self.compiler.language;
        let at = span(node);
        let literal = language.strings.contains(&node.kind()) && !holds_code(language, node);
        let leaf = node.child_count() == 0
            && !language.names.words.iter().any(|(k, _)| *k == node.kind())
            && self.wrapped.slots_in(at).next().is_some();
        if !literal && !leaf {
            return Some(None);
        }
        let whole = at.of(&self.wrapped.text);
        let source = source_span(self.wrapped, at)?;
        let (prefix, inner) = match literal.then(|| quoted(whole)).flatten() {
            Some(q) => {
                (Some(q.prefix), Span::new(at.start as usize + q.open, at.end as usize - q.close))
            }
            None => (None, at),
        };
        if self.wrapped.slots_in(at).next().is_none() {
            let content = super::text::plain(inner.of(&self.wrapped.text));
            let prefix = prefix.unwrap_or_default();
            let key = Key::Literal(prefix.clone(), content.clone());
            let token = self.token(source, whole.to_owned(), key, place, false);
            return Some(Some(What::Literal(prefix, content, token)));
        }
        let quote = |b: &mut Self, from: u32, to: u32, open: bool| {
            let q = Span { start: from, end: to };
            let text = q.of(&b.wrapped.text).to_owned();
            let key = Key::Quote(prefix.clone().unwrap_or_default(), open);
            let at = source_span(b.wrapped, q)?;
            Some(b.token(at, text, key, place, false))
        };
        let open =
            if prefix.is_some() { Some(quote(self, at.start, inner.start, true)?) } else { None };
        let mut pieces = Vec::new();
        let mut from = inner.start;
        let slots: Vec<(Span, Span, usize, Vec<Filter>)> = self
            .wrapped
            .slots_in(inner)
            .filter_map(|c| c.slot.as_ref().map(|(ix, f)| (c.word, c.source, *ix, f.clone())))
            .collect();
        for (word, slot_source, ix, filters) in slots {
            self.part(Span { start: from, end: word.start }, place, &mut pieces)?;
            let key = Key::Slot(self.compiler.slots[ix].name.clone(), filters);
            let token = self.token(slot_source, String::new(), key, ("", ""), false);
            pieces.push(TextPiece::Slot(ix, token));
            from = word.end;
        }
        self.part(Span { start: from, end: inner.end }, place, &mut pieces)?;
        let quotes = match (prefix.clone(), open) {
            (Some(prefix), Some(open)) => {
                Some((prefix, open, quote(self, inner.end, at.end, false)?))
            }
            _ => None,
        };
        Some(Some(What::Text(Text { quotes, pieces })))
    }

    /// Plain text beside slots.
    fn part(
        &mut self,
        at: Span,
        place: (&'static str, &'static str),
        pieces: &mut Vec<TextPiece>,
    ) -> Option<()> {
        if !at.is_empty() {
            let text = at.of(&self.wrapped.text).to_owned();
            let source = source_span(self.wrapped, at)?;
            let token = self.token(source, text.clone(), Key::Part(text.clone()), place, false);
            pieces.push(TextPiece::Part(text, token));
        }
        Some(())
    }

    fn token(
        &mut self,
        at: Span,
        text: String,
        key: Key,
        place: (&'static str, &'static str),
        separator: bool,
    ) -> usize {
        let binds = self.compiler.language.binds(place.0, Some(place.1)).then_some(place);
        self.tokens.push(PToken { at, text, key, binds, separator });
        self.tokens.len() - 1
    }

    fn space(&self, node: Node<'_>, field: Option<&str>, parent: &str) -> Option<Space> {
        let names = &self.compiler.language.names;
        if names.paths.contains(&node.kind()) {
            return Some(Space::Value);
        }
        let (_, space) = names.words.iter().find(|(k, _)| *k == node.kind())?;
        let position = names
            .positions
            .iter()
            .find(|(k, f, _)| *k == parent && (f.is_empty() || Some(*f) == field));
        let space = position.map_or(*space, |p| p.2);
        let behind = node.prev_sibling().is_some_and(|s| names.member_after.contains(&s.kind()));
        Some(if behind && space != Space::Declared { Space::Member } else { space })
    }

    fn name_index(&self, node: Node<'_>) -> Option<usize> {
        let text: String =
            span(node).of(&self.wrapped.text).chars().filter(|c| !c.is_whitespace()).collect();
        self.compiler.names.iter().position(|n| n.word == text)
    }

    /// Remembers names that nothing in the recipe resolves.
    fn note_word(
        &mut self,
        node: Node<'_>,
        text: &str,
        space: Option<Space>,
        parent: (&str, Option<Node<'_>>),
    ) {
        let names = &self.compiler.language.names;
        match space {
            Some(Space::Declared) => self.declared.push(text.to_owned()),
            Some(Space::Callable | Space::Member) => {
                let receiver = parent.1.and_then(|p| {
                    let fields = [names.call, names.member];
                    let (_, receiver, _) = fields.into_iter().find(|f| f.0 == p.kind())?;
                    p.child_by_field_name(receiver).filter(|r| r.id() != node.id())
                });
                match receiver.map(|r| self.base(r)) {
                    Some(Base::Resolved) => {}
                    Some(Base::Slot(ix)) => self.unresolved.push((text.to_owned(), Some(ix))),
                    Some(Base::Link) => self.unresolved.push((text.to_owned(), None)),
                    // The base is a name that is noted by itself.
                    Some(Base::Word) => {}
                    None if space == Some(Space::Member) => {}
                    None => self.unresolved.push((text.to_owned(), None)),
                }
            }
            Some(_) => self.unresolved.push((text.to_owned(), None)),
            None => {}
        }
    }

    /// What a chain of calls and members is built on.
    fn base(&self, mut node: Node<'_>) -> Base {
        let names = &self.compiler.language.names;
        loop {
            if self.base == Some(span(node)) {
                return Base::Link;
            }
            if let Some(Placed { slot: Some((ix, _)), .. }) = self.wrapped.slot_at(span(node)) {
                return Base::Slot(*ix);
            }
            if self.name_index(node).is_some() {
                return Base::Resolved;
            }
            let rule = names.receivers.iter().find(|(k, _)| *k == node.kind());
            let next = rule.and_then(|(_, field)| {
                if field.is_empty() { node.named_child(0) } else { node.child_by_field_name(field) }
            });
            match next {
                Some(next) => node = next,
                None if names.words.iter().any(|(k, _)| *k == node.kind()) => return Base::Word,
                None => return Base::Resolved,
            }
        }
    }

    /// `Name.member`: the full symbol, so that it is also found where it is written without the receiver.
    fn member_symbol(
        &self,
        kind: &str,
        children: &[PNode],
        first_token: usize,
    ) -> Option<MemberSymbol> {
        let names = &self.compiler.language.names;
        let (_, receiver, name) = [names.call, names.member].into_iter().find(|f| f.0 == kind)?;
        let by_field = |f: &str| children.iter().find(|c| c.field == Some(f));
        let member = by_field(name)?;
        match (by_field(receiver).map(|r| &r.what), &member.what) {
            (Some(What::Name(ix, ..)), What::Leaf(word, token)) => {
                let mut segments = names.segments(&self.compiler.names[*ix].symbol);
                segments.push(word);
                let symbol = names.join(&segments);
                Some(MemberSymbol { symbol, also: Vec::new(), name_token: *token })
            }
            (None, What::Name(ix, token, _)) => {
                debug_assert!(*token >= first_token);
                Some(MemberSymbol {
                    symbol: self.compiler.names[*ix].symbol.clone(),
                    also: Vec::new(),
                    name_token: *token,
                })
            }
            _ => None,
        }
    }
}

/// The words by which matches are looked for: none in a pattern of several roots, which has no one place above them.
pub(super) fn keys(
    language: &Language,
    roots: &[PNode],
    names: &[NameDef],
    optional: &[std::ops::Range<usize>],
) -> Vec<KeyWords> {
    let mut out = Vec::new();
    if let [root] = roots {
        let statement = language.names.is_head(root.kind);
        if !statement {
            collect_keys(language, root, names, optional, 0, &mut out);
        }
    }
    out
}

/// The pattern as code, for each reading: a word in each slot, its names imported. With the place of the pattern.
pub(super) fn as_code(pattern: &Pattern) -> Vec<(String, Span)> {
    let language = pattern.language;
    let head: String = pattern
        .names
        .iter()
        .map(|n| {
            let mut name = crate::ImportName::of(language, &n.symbol, Space::Value);
            name.alias = Some(n.word.clone()).filter(|w| *w != language.names.last(&n.symbol));
            format!("{}\n", (language.names.write_import)(&name, None))
        })
        .collect();
    let Ok(template) = Template::parse(&pattern.source) else { return Vec::new() };
    let mut out = Vec::new();
    for reading in &pattern.readings {
        let context = &language.contexts[reading.context];
        let mut compiler = Compiler {
            language,
            source: &pattern.source,
            template: &template,
            slots: &pattern.slots,
            names: &pattern.names,
            best: None,
        };
        if let Some(wrapped) = compiler.spelling(reading.context, context) {
            let text = format!("{head}{}", wrapped.text);
            out.push((text, wrapped.fragment.shifted(head.len())));
        }
    }
    out
}

/// The tokens of keyed pairs that may be missing.
fn optional_tokens(
    language: &Language,
    slots: &[SlotDef],
    node: &PNode,
    out: &mut Vec<std::ops::Range<usize>>,
) {
    let What::Inner(inner) = &node.what else { return };
    let keyed = language.keyed.iter().find(|k| k.list == node.kind);
    for child in &inner.children {
        let value = match &child.what {
            What::Inner(pair) => pair.children.last(),
            _ => None,
        };
        let may_miss = value.is_some_and(|v| match &v.what {
            What::Slot(ix, _) => matches!(slots[*ix].repeat, Repeat::Optional | Repeat::Any),
            _ => false,
        });
        if may_miss && keyed.is_some_and(|k| super::lists::key_of_pattern(k, child).is_some()) {
            out.push(super::tokens::tokens_of(child));
        } else {
            optional_tokens(language, slots, child, out);
        }
    }
}

fn collect_keys(
    language: &Language,
    node: &PNode,
    names: &[NameDef],
    optional: &[std::ops::Range<usize>],
    depth: usize,
    out: &mut Vec<KeyWords>,
) {
    let facts = &language.names;
    if !optional.is_empty() && optional.contains(&super::tokens::tokens_of(node)) {
        return;
    }
    match &node.what {
        What::Slot(..) | What::Literal(..) | What::Text(_) | What::Base => {}
        What::Leaf(text, _) => {
            if facts.words.iter().any(|(k, _)| *k == node.kind) {
                out.push(KeyWords { words: vec![text.clone()], symbols: Vec::new(), depth });
            }
        }
        What::Name(ix, ..) => {
            let last = |s: &String| facts.last(s).to_owned();
            let symbols: Vec<String> =
                std::iter::once(&names[*ix].symbol).chain(&names[*ix].also).cloned().collect();
            let mut words: Vec<String> = symbols.iter().map(last).collect();
            words.sort();
            words.dedup();
            out.push(KeyWords { words, symbols, depth });
        }
        What::Inner(inner) => {
            // A receiver may be left unwritten where its member is imported.
            let unwritten = |c: &PNode| {
                inner.symbol.is_some()
                    && [facts.call, facts.member]
                        .iter()
                        .any(|f| f.0 == node.kind && c.field == Some(f.1))
            };
            // Any number of links may stand between a chain's end and its start.
            let below = if inner.chained { 1 } else { 0 };
            for child in inner.children.iter().skip(below).filter(|c| !unwritten(c)) {
                collect_keys(language, child, names, optional, depth + 1, out);
            }
        }
    }
}

/// True if a slot in this place of a chain takes links, not arguments.
fn links_many(language: &Language, child: &PNode) -> bool {
    let names = &language.names;
    [names.call, names.member].iter().any(|m| child.field == Some(m.2))
        || names.words.iter().any(|(k, _)| *k == child.kind)
}

enum Base {
    Resolved,
    /// What a link pattern hangs on.
    Link,
    Slot(usize),
    Word,
}

/// True if two readings would match the same.
fn same_shape(a: &[PNode], b: &[PNode]) -> bool {
    a.len() == b.len()
        && a.iter().zip(b).all(|(a, b)| {
            a.kind == b.kind
                && match (&a.what, &b.what) {
                    (What::Inner(a), What::Inner(b)) => {
                        a.separators.len() == b.separators.len()
                            && same_shape(&a.children, &b.children)
                    }
                    (What::Leaf(a, _), What::Leaf(b, _)) => a == b,
                    (What::Slot(a, _), What::Slot(b, _)) => a == b,
                    (What::Name(a, ..), What::Name(b, ..)) => a == b,
                    (What::Literal(a, b, _), What::Literal(c, d, _)) => a == c && b == d,
                    (What::Text(a), What::Text(b)) => a.same(b),
                    (What::Base, What::Base) => true,
                    _ => false,
                }
        })
}
