//! From a pattern's source to its readings.

mod build;
mod code;
mod keys;
mod readings;
mod wrap;

use std::collections::BTreeMap;

use emendo_lang::Spellings;
use emendo_lang::language::{Context, Language, Placeholder};
use emendo_lang::tree::{Tree, span};
use emendo_text::{Chunk, Marks, Repeat, Span, Template};
use tree_sitter::Node;

use crate::compile::build::Build;
use crate::compile::keys::{keys, optional_tokens};
use crate::compile::readings::{bodiless_first, meaning_only, same_shape};
use crate::compile::wrap::{Compiler, Placed, Wrapped, source_span};
use crate::model::{
    Constraint, HERE, Key, NameDef, PNode, Pattern, PatternError, PatternToken, Reading, SlotDef,
    TOKENS,
};

/// Spellings of slots that are tried in one context before it is given up.
const MAX_SPELLINGS: usize = 120;
/// Patterns are read by people; this is far above any real one and keeps recursion over them shallow.
const MAX_BYTES: usize = 64 * 1024;
/// The context of patterns that begin with a dot: its prefix ends in a word of this length to hang them on.
const LINK: &str = "link";
const LINK_BASE: u32 = 6;

pub(super) fn pattern(
    language: &'static Language,
    source: &str,
    names: &BTreeMap<String, String>,
    context: Option<&str>,
    (marks, like): (Marks, Option<&Pattern>),
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
    let slots = slot_defs(&template, like);
    let defs: Vec<NameDef> = names
        .iter()
        .map(|(w, s)| NameDef { word: w.clone(), symbol: s.clone(), also: Vec::new() })
        .collect();
    let mut compiler = Compiler {
        language,
        source,
        template: &template,
        slots: &slots,
        names: &defs,
        best: None,
        thorough: false,
    };
    let mut readings = read_in_contexts(&mut compiler, context);
    // Anything reads as tokens.
    let tokens = |r: &Reading| language.fragments.contexts[r.context].name == TOKENS;
    if context != Some(TOKENS) && readings.iter().all(tokens) {
        compiler.thorough = true;
        readings = read_in_contexts(&mut compiler, context);
    }
    let best = compiler.best.take();
    meaning_only(&mut readings, &defs);
    bodiless_first(language, source, &mut readings);
    if readings.is_empty() {
        return Err(unreadable(language, source, context, best));
    }
    Ok(Pattern { language, source: source.to_owned(), readings, slots, names: defs })
}

/// The readings in all contexts, each shape once.
fn read_in_contexts(compiler: &mut Compiler<'_>, context: Option<&str>) -> Vec<Reading> {
    let (language, source) = (compiler.language, compiler.source);
    let mut readings: Vec<Reading> = Vec::new();
    for (i, c) in language.fragments.contexts.iter().enumerate() {
        // What begins with a bracket is code of its own, not what a call adds to its name.
        let links =
            || language.words.member_after.iter().any(|t| source.trim_start().starts_with(t));
        if context.is_some_and(|wanted| wanted != c.name) || c.name == LINK && !links() {
            continue;
        }
        for reading in compiler.context(i, c) {
            let same = |r: &Reading| {
                language.fragments.contexts[r.context].bodiless == c.bodiless
                    && same_shape(&r.roots, &reading.roots, false)
            };
            if !readings.iter().any(same) {
                readings.push(reading);
            }
        }
    }
    readings
}

fn slot_defs(template: &Template, like: Option<&Pattern>) -> Vec<SlotDef> {
    let mut slots: Vec<SlotDef> = Vec::new();
    for (name, _, repeat) in template.slots() {
        if name == "_" || !slots.iter().any(|s| s.name == name) {
            // A list slot of `old` need not be marked as one once more.
            let known = like.and_then(|p| p.slots.iter().find(|s| s.name == name && name != "_"));
            let repeat = known.filter(|_| repeat == Repeat::One).map_or(repeat, |s| s.repeat);
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
    let names: Vec<&str> = language.fragments.contexts.iter().map(|c| c.name).collect();
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
        message: format!("this cannot be read as {}, in any context", language.title),
        help: "write a whole expression, statement, declaration, type, annotation or import; check brackets and quotes".into(),
    }
}

/// How the slots are spelled, and what that reads as.
type Spelled = (Vec<usize>, Box<(Reading, Wrapped)>);

/// A way to spell the slots that does not read.
struct Trial {
    /// The slots that stand where it stopped.
    slots: Vec<usize>,
    /// How far it came, and how little of it is wrong.
    score: (u32, u32),
}

impl Compiler<'_> {
    /// The first spelling of the slots that reads.
    fn spelling(&mut self, index: usize, context: &Context) -> Option<Wrapped> {
        self.first(index, context).map(|(_, read)| read.1)
    }

    /// The readings in one context: the first one, and those in which list slots are items of another list.
    fn context(&mut self, index: usize, context: &Context) -> Vec<Reading> {
        let Some((choice, first)) = self.first(index, context) else { return Vec::new() };
        let mut readings = vec![first.0];
        for other in self.alternatives(&choice) {
            if let Ok(read) = self.trial(index, context, &other)
                && !readings.iter().any(|r| same_shape(&r.roots, &read.0.roots, true))
            {
                readings.push(read.0);
            }
        }
        // A list is no expression in needless parentheses, where it can be all that stands in brackets.
        let bracketed = self.bracketed_lists();
        let comma = self.language.fragments.placeholders.iter().position(|p| p.after == ",");
        if let Some(comma) = comma.filter(|_| !bracketed.is_empty()) {
            let mut other = choice;
            bracketed.iter().for_each(|s| other[*s] = comma);
            if let Ok(read) = self.trial(index, context, &other) {
                return vec![read.0];
            }
        }
        readings
    }

    /// True for a slot of any number of nodes; in `new` it need not be marked as one once more.
    fn takes_many(&self, name: &str, repeat: Repeat) -> bool {
        let many = |r: Repeat| matches!(r, Repeat::Any | Repeat::Some);
        many(repeat) || name != "_" && self.slots.iter().any(|s| s.name == name && many(s.repeat))
    }

    /// The list slots that stand alone in parentheses, where nothing before them is called.
    fn bracketed_lists(&self) -> Vec<usize> {
        let chunks = &self.template.chunks;
        let mut out = Vec::new();
        let mut slot = 0;
        for (i, chunk) in chunks.iter().enumerate() {
            let Chunk::Slot { repeat, name, .. } = chunk else { continue };
            let (own, around) = (slot, i.checked_sub(1).map(|b| (&chunks[b], chunks.get(i + 1))));
            slot += 1;
            let Some((Chunk::Text { text: before, .. }, Some(Chunk::Text { text: behind, .. }))) =
                around
            else {
                continue;
            };
            let Some(outer) = before.trim_end().strip_suffix('(').map(str::trim_end) else {
                continue;
            };
            let word = outer.rsplit(|c: char| !(c.is_alphanumeric() || c == '_')).next();
            let called = match word.filter(|w| !w.is_empty()) {
                Some(word) => !self.language.names.reserved.contains(&word),
                None => outer.ends_with([')', ']', '>', '!', '?', '|', '}']),
            };
            let lone = self.takes_many(name, *repeat) && behind.trim_start().starts_with(')');
            out.extend((lone && !called).then_some(own));
        }
        out
    }

    /// How list slots may be spelled too, all of them or one, where the first spelling reads as something else.
    fn alternatives(&self, choice: &[usize]) -> Vec<Vec<usize>> {
        let lists: Vec<usize> = (self.template.slots().enumerate())
            .filter(|(_, (name, _, repeat))| *name == HERE || self.takes_many(name, *repeat))
            .map(|(i, _)| i)
            .collect();
        let mut out: Vec<Vec<usize>> = Vec::new();
        for (spelling, p) in self.language.fragments.placeholders.iter().enumerate() {
            if !p.also || p.after == "," {
                continue;
            }
            let with = |slots: &[usize]| {
                let mut other = choice.to_vec();
                slots.iter().for_each(|s| other[*s] = spelling);
                other
            };
            out.push(with(&lists));
            out.extend(lists.iter().map(|s| with(&[*s])));
        }
        out.retain(|o| o != choice);
        out.sort();
        out.dedup();
        out
    }

    /// Looks for spellings of the slots that read. Each trial says how far it came and which slots stand where it
    /// stopped; only those are spelled otherwise, and only what comes further is kept.
    fn first(&mut self, index: usize, context: &Context) -> Option<Spelled> {
        let spellings = self.language.fragments.placeholders.len();
        let mut choice = vec![0usize; self.template.slots().count()];
        let mut best = match self.trial(index, context, &choice) {
            Ok(read) => return Some((choice, read)),
            Err(trial) => trial,
        };
        // Slots beside one another read only together.
        if self.thorough && choice.len() > 1 {
            for spelling in 1..spellings {
                let all = vec![spelling; choice.len()];
                if let Ok(read) = self.trial(index, context, &all) {
                    return Some((all, read));
                }
            }
        }
        let mut left = MAX_SPELLINGS;
        loop {
            let mut better = None;
            // What a slot is spelled as may go wrong far behind it.
            let touched = match self.thorough {
                true => (0..choice.len()).collect(),
                false => best.slots.clone(),
            };
            for slot in touched {
                for spelling in (0..spellings).filter(|s| *s != choice[slot]) {
                    if left == 0 {
                        return None;
                    }
                    left -= 1;
                    let mut other = choice.clone();
                    other[slot] = spelling;
                    match self.trial(index, context, &other) {
                        Ok(read) => return Some((other, read)),
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
                    let spelling = &self.language.fragments.placeholders[choice[slot]];
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
        let plain =
            node.kind() == self.language.writing.expression_statement && node.child_count() == 1;
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
        let mut nodes: Vec<Node<'_>> = nodes.into_iter().map(|n| self.bare(n)).collect();
        let mut parens = false;
        while let [only] = nodes.as_mut_slice()
            && only.kind() == self.language.compare.parenthesized
            && let Some(inner) = only.named_child(0).filter(|_| only.named_child_count() == 1)
        {
            *only = inner;
            parens = true;
        }
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
        if nodes.iter().any(|n| self.language.imports.kinds.contains(&n.kind())) {
            // An import says all of its name.
            unresolved.clear();
        }
        // Where a type is left to be inferred, the word for that is no name.
        let inferred = self.language.typing.syntax.inferred;
        let left_open = |w: &str| inferred.contains(&w) && !w.starts_with(char::is_uppercase);
        unresolved.retain(|(w, _)| {
            let builtin = self.language.names.builtin.contains(&w.as_str());
            !declared.contains(w) && !builtin && !left_open(w)
        });
        let mut optional = Vec::new();
        roots.iter().for_each(|r| optional_tokens(self.language, self.slots, r, &mut optional));
        unresolved.sort();
        unresolved.dedup();
        let loose = context.name == TOKENS;
        let keys = keys(self.language, &roots, self.names, &optional, loose);
        Some(Reading { context: index, roots, tokens, keys, optional, parens, unresolved })
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
    let inside: Vec<Node<'t>> = emendo_lang::tree::children(around)
        .into_iter()
        .filter(|c| span(*c).meets(fragment))
        .collect();
    // The mark after an item belongs to the list around it.
    let inside: Vec<Node<'t>> = match inside.as_slice() {
        [items @ .., last] if items.len() == 1 && language.is_separator(last.kind()) => {
            return Some(items.to_vec());
        }
        _ => inside,
    };
    let covers = inside.first()?.start_byte() == fragment.start as usize
        && inside.last()?.end_byte() == fragment.end as usize
        && (context.name == TOKENS || inside.iter().all(|n| n.is_named()));
    (covers && inside.len() > 1).then(|| inside.into_iter().filter(|n| !n.is_extra()).collect())
}

impl Pattern {
    /// Compiles a pattern. `names` are words with the symbols they stand for; `context` keeps one reading.
    ///
    /// # Errors
    /// If a slot is malformed, or no context of the language can read the source.
    pub fn compile(
        language: &'static Language,
        source: &str,
        names: &BTreeMap<String, String>,
        context: Option<&str>,
    ) -> Result<Self, PatternError> {
        pattern(language, source, names, context, (Marks::None, None))
    }

    /// Compiles a pattern of what stands around a place, or what is written for a value: a reserved word is a slot.
    ///
    /// # Errors
    /// As [`Pattern::compile`].
    pub fn compile_with(
        language: &'static Language,
        source: &str,
        names: &BTreeMap<String, String>,
        context: Option<&str>,
        marks: Marks,
    ) -> Result<Self, PatternError> {
        pattern(language, source, names, context, (marks, None))
    }

    /// Compiles a pattern whose slots take as many nodes as those of the same names in another.
    ///
    /// # Errors
    /// As [`Pattern::compile`].
    pub(crate) fn compile_like(
        like: &Self,
        source: &str,
        names: &BTreeMap<String, String>,
        context: Option<&str>,
    ) -> Result<Self, PatternError> {
        let language = like.language;
        pattern(language, source, names, context, (Marks::None, Some(like)))
            .or_else(|_| Self::compile(language, source, names, context))
    }

    /// Makes the pattern find its symbols under their other names too.
    pub fn spell(&mut self, spellings: &Spellings) {
        for def in &mut self.names {
            def.also = spellings.of(&def.symbol).split_off(1);
        }
        for reading in &mut self.readings {
            reading.roots.iter_mut().for_each(|n| spell(n, spellings));
            let optional = &reading.optional;
            let context = &self.language.fragments.contexts[reading.context];
            let loose = context.name == TOKENS;
            reading.keys = keys(self.language, &reading.roots, &self.names, optional, loose);
            for token in &mut reading.tokens {
                if let Key::Name { symbol, also, .. } = &mut token.key {
                    *also = spellings.of(symbol).split_off(1);
                }
            }
        }
    }
}

pub(crate) fn spell(node: &mut PNode, spellings: &Spellings) {
    if let PatternToken::Inner(inner) = &mut node.what {
        if let Some(member) = &mut inner.symbol {
            member.also = spellings.of(&member.symbol).split_off(1);
        }
        inner.children.iter_mut().for_each(|c| spell(c, spellings));
    }
}
