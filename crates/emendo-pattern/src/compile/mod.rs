//! From a pattern's source to its readings.

mod build;
mod code;
mod keys;
mod memo;
mod readings;
mod spell;
mod unread;
mod wrap;

use std::collections::BTreeMap;

use emendo_lang::Spellings;
use emendo_lang::language::{Context, Language, Placeholder};
use emendo_lang::tree::Node;
use emendo_lang::tree::{Tree, in_field, span};
use emendo_text::{Chunk, Marks, Repeat, Span, Template};

use crate::compile::build::Build;
use crate::compile::keys::{keys, optional_tokens};
use crate::compile::readings::{bodiless_first, meaning_only, says_the_same};
use crate::compile::unread::{foreign_slot, unreadable};
use crate::compile::wrap::{Compiler, Placed, Wrapped, source_span};
use crate::model::{
    Constraint, Key, NameDef, PNode, Pattern, PatternError, PatternToken, Reading, SlotDef, TOKENS,
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
    let fail = |message: String, help: &str| PatternError {
        at: whole,
        message,
        help: help.to_owned(),
        unread: false,
    };
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
        unread: false,
    })?;
    if source.trim().is_empty() {
        return Err(fail("this pattern is empty".into(), "write the code that is to be found"));
    }
    let forms = match context {
        None => (language.fragments.other_forms)(source, None),
        Some(_) => Vec::new(),
    };
    let forms: Vec<String> = forms.into_iter().map(|f| f.0).collect();
    let mut slots = slot_defs(&template, like);
    // A form may need a slot for what the pattern leaves out.
    for form in forms.iter().filter_map(|f| Template::parse_with(f, marks).ok()) {
        let more = slot_defs(&form, like).into_iter();
        let new: Vec<SlotDef> =
            more.filter(|m| m.name != "_" && !slots.iter().any(|s| s.name == m.name)).collect();
        slots.extend(new);
    }
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
    let mut readings = compiler.readings(context);
    // Anything reads as tokens.
    let tokens = |r: &Reading| language.fragments.contexts[r.context].name == TOKENS;
    if context != Some(TOKENS) && readings.iter().all(tokens) {
        compiler.thorough = true;
        readings = compiler.readings(context);
    }
    let best = compiler.best.take();
    meaning_only(&mut readings, &defs);
    bodiless_first(language, source, &mut readings);
    if readings.is_empty() {
        return Err(unreadable(language, (source, &template), context, best));
    }
    let mut pattern =
        Pattern { language, source: source.to_owned(), readings, forms, slots, names: defs };
    for form in 0..pattern.forms.len() {
        let source = pattern.forms[form].clone();
        let own = pattern.form_readings(&source, marks, form + 1);
        pattern.readings.extend(own);
    }
    Ok(pattern)
}

impl Pattern {
    /// The readings of another form of a pattern, whose slots and names are those of the pattern.
    pub(crate) fn form_readings(&self, source: &str, marks: Marks, form: usize) -> Vec<Reading> {
        let Ok(template) = Template::parse_with(source, marks) else { return Vec::new() };
        let (language, slots, names) = (self.language, &self.slots, &self.names);
        let mut compiler = Compiler {
            language,
            source,
            template: &template,
            slots,
            names,
            best: None,
            thorough: false,
        };
        let mut readings = compiler.readings(None);
        meaning_only(&mut readings, names);
        bodiless_first(language, source, &mut readings);
        readings.retain(|r| says_the_same(r, &self.readings));
        readings.into_iter().map(|r| Reading { form, ..r }).collect()
    }
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

impl Compiler<'_> {
    pub(super) fn wrap(&self, context: &Context, choice: &[usize]) -> Wrapped {
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
                    let chosen = choice.get(slot).copied().unwrap_or(0);
                    let spelling = &self.language.fragments.placeholders[chosen];
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
    pub(super) fn slot_index(&self, name: &str, nth: usize) -> usize {
        if name != "_" {
            return self.slots.iter().position(|s| s.name == name).unwrap_or(0);
        }
        let before = self.template.slots().take(nth).filter(|(n, ..)| *n == "_").count();
        let unnamed = self.slots.iter().enumerate().filter(|(_, s)| s.name == "_");
        unnamed.map(|(i, _)| i).nth(before).unwrap_or(0)
    }

    pub(super) fn remember_error(&mut self, tree: &Tree, wrapped: &Wrapped) {
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

    /// True if something stands where the language never has it: the words for slots read as what they are not.
    fn holds_wrong(&self, tree: &Tree) -> bool {
        let never = self.language.fragments.never_within;
        let mut found = false;
        if !never.is_empty() {
            emendo_lang::tree::walk(tree.root(), |n| {
                let around = n.parent().map_or("", |p| p.kind());
                found |= never.iter().any(|(outer, inner)| n.kind() == *inner && around == *outer);
                !found
            });
        }
        found
    }

    pub(super) fn read(
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
        if !nodes.iter().all(|n| accepted(n) || is_slot(n)) || self.holds_wrong(tree) {
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
        Some(Reading {
            context: index,
            form: 0,
            choice: Vec::new(),
            roots,
            tokens,
            keys,
            optional,
            parens,
            unresolved,
        })
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
            let body = body.and_then(|b| in_field(node, b));
            if node.start_byte() == fragment.start as usize
                && body.is_some_and(|b| {
                    // A word may stand behind the body.
                    let last = b.next_sibling().map_or(b, |n| if n.is_named() { b } else { n });
                    b.start_byte() >= fragment.end as usize && span(last).end == span(node).end
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
    /// A name of the pattern that is a slot in the spelling of templates and shells, with its place and the slot that is
    /// likely meant; none if the pattern has slots, or says what the name stands for.
    pub fn foreign_slot(&self) -> Option<(Span, String, String)> {
        let template = Template::parse(&self.source).ok().filter(|t| t.slots().next().is_none())?;
        let found = foreign_slot(&self.source, &template)?;
        let known = self.names.iter().any(|n| n.word == found.1);
        (found.1.starts_with('$') && !known).then_some(found)
    }

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
