//! From a parsed fragment to the nodes and tokens of a reading.

use emendo_lang::language::{Language, Space};
use emendo_lang::tree::Node;
use emendo_lang::tree::{at_place, holds_code, is_separator, part, skipped, span, spliced};
use emendo_text::{Filter, Repeat, Span};

use crate::compile::wrap::{Compiler, Placed, Wrapped, source_span};
use crate::model::{
    Inner, Key, LiteralText, MemberSymbol, PNode, PToken, PatternToken, TextPiece, part_of,
    tokens_of,
};
use crate::quotes::quoted;

const MAX_DEPTH: usize = 400;

pub(super) struct Build<'a, 'b> {
    pub(super) compiler: &'a Compiler<'b>,
    pub(super) wrapped: &'a Wrapped,
    pub(super) tokens: Vec<PToken>,
    pub(super) bodiless: bool,
    /// What the links of a link pattern hang on.
    pub(super) base: Option<Span>,
    pub(super) unresolved: Vec<(String, Option<usize>)>,
    /// Names that the pattern itself declares.
    pub(super) declared: Vec<String>,
}

impl<'a> Build<'a, '_> {
    pub(super) fn node(
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
            return Some(PNode { kind, field, what: PatternToken::Base });
        }
        let body = language.fragments.bare_bodies.contains(&kind);
        let one = |p: &&Placed| {
            p.slot.as_ref().is_some_and(|s| self.compiler.slots[s.0].repeat == Repeat::One)
        };
        let names = language.fragments.declarators.contains(&kind);
        let here = self.slot_of(node).filter(|_| !body);
        let here = here.filter(|p| !(names && one(p)));
        if let Some(Placed { source, slot: Some((ix, filters)), .. }) = here {
            let many = matches!(self.compiler.slots[*ix].repeat, Repeat::Any | Repeat::Some);
            if many && self.takes_one(node, field, parent) {
                // One node stands there, never several: the grammar took what follows for a part of it.
                return None;
            }
            let key = Key::Slot(self.compiler.slots[*ix].name.clone(), filters.clone());
            let token = self.token(*source, String::new(), key, place, false);
            return Some(PNode { kind, field, what: PatternToken::Slot(*ix, token) });
        }
        if let Some(what) = self.text(node, place)? {
            return Some(PNode { kind, field, what });
        }
        let at = || source_span(self.wrapped, span(node));
        let space = self.space(node, field, parent.0);
        let named = |s: &Space| match s {
            Space::Declared => false,
            Space::Member => language.names.extensions,
            _ => true,
        };
        if let Some(space) = space.filter(named)
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
            return Some(PNode { kind, field, what: PatternToken::Name(ix, token, space) });
        }
        if node.child_count() == 0 {
            let text = span(node).of(&self.wrapped.text).to_owned();
            let key = language.declares.keys.iter().any(|k| k.pair == parent.0);
            let named = !key && space.is_some_and(|s| s != Space::Member);
            let loose = language.fragments.token_runs.contains(&parent.0);
            let reserved = language.names.reserved.contains(&text.as_str());
            if named && !loose && reserved && !is_signed(language, node) {
                // A keyword that the grammar takes for a name: not what the author wrote.
                return None;
            }
            self.note_word(node, &text, space, parent);
            let key = Key::Text(text.clone());
            let token = self.token(at()?, text.clone(), key, place, language.is_separator(kind));
            return Some(PNode { kind, field, what: PatternToken::Leaf(text, token) });
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
        let loose = language.fragments.token_runs.contains(&kind);
        for (child, child_field) in spliced(language, node) {
            if skipped(language, child, &self.wrapped.text) || self.slot_mark(child) {
                continue;
            }
            let behind = || child.start_byte() >= self.wrapped.fragment.end as usize;
            if self.bodiless && depth == 0 && (child_field == Some(body) || behind()) {
                continue;
            }
            let p = self.node(child, language.field(child_field), (kind, Some(node)), depth + 1)?;
            match p.what {
                _ if !loose && is_separator(language, child) && tokens_of(&p).len() == 1 => {
                    separators.push((children.len(), tokens_of(&p).start));
                }
                _ => children.push(p),
            }
        }
        let symbol = self.member_symbol(kind, &children, first_token);
        let chained = language.compare.chain.iter().any(|(k, _)| *k == kind) && {
            let many = |c: &PNode| match &c.what {
                PatternToken::Slot(ix, _) => {
                    matches!(self.compiler.slots[*ix].repeat, Repeat::Any | Repeat::Some)
                }
                _ => false,
            };
            let below = |c: &PNode| matches!(&c.what, PatternToken::Inner(i) if i.chained);
            let indexed =
                |at: usize| matches!(&children[at].what, PatternToken::Leaf(t, _) if t == "[");
            let link = |(at, c): (usize, &PNode)| {
                many(c) && c.kind != "arguments" && links_many(language, c) && !indexed(at - 1)
            };
            children.first().is_some_and(below) || children.iter().enumerate().skip(1).any(link)
        };
        let inner = Inner { children, separators, symbol, chained };
        Some(PNode { kind, field, what: PatternToken::Inner(inner) })
    }

    /// A literal, or a token with slots in it; `None` inside for anything else.
    fn text(
        &mut self,
        node: Node<'_>,
        place: (&'static str, &'static str),
    ) -> Option<Option<PatternToken>> {
        let language = self.compiler.language;
        let at = span(node);
        let literal =
            language.compare.strings.contains(&node.kind()) && !holds_code(language, node);
        // A slot may be a part of a name too; the word of a slot that is spelled with more is none.
        let word = language.words.kinds.iter().any(|(k, _)| *k == node.kind());
        let leaf = node.child_count() == 0
            && !(word && self.wrapped.without_slots(at).is_empty())
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
            let content = crate::quotes::plain(inner.of(&self.wrapped.text));
            let prefix = prefix.unwrap_or_default();
            let key = Key::Literal(prefix.clone(), content.clone());
            let token = self.token(source, whole.to_owned(), key, place, false);
            return Some(Some(PatternToken::Literal(prefix, content, token)));
        }
        let loose = self.compiler.language.compare.loose_text.contains(&node.kind());
        if loose && self.wrapped.without_slots(inner).trim().is_empty() {
            // Slots with nothing beside them but blanks are nodes.
            let mut slots = self.wrapped.slots_in(inner);
            let (Some(Placed { source, slot: Some((ix, filters)), .. }), None) =
                (slots.next(), slots.next())
            else {
                return None;
            };
            let key = Key::Slot(self.compiler.slots[*ix].name.clone(), filters.clone());
            let token = self.token(*source, String::new(), key, place, false);
            return Some(Some(PatternToken::Slot(*ix, token)));
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
        Some(Some(PatternToken::Text(LiteralText { quotes, pieces })))
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
        self.tokens.push(PToken { at, text, key, place, separator });
        self.tokens.len() - 1
    }

    fn space(&self, node: Node<'_>, field: Option<&str>, parent: &str) -> Option<Space> {
        if self.compiler.language.words.paths.contains(&node.kind()) {
            return Some(Space::Value);
        }
        if self.compiler.language.words.is_plain_key(node) {
            return None;
        }
        let (_, space) =
            self.compiler.language.words.kinds.iter().find(|(k, _)| *k == node.kind())?;
        let position = self
            .compiler
            .language
            .words
            .positions
            .iter()
            .find(|(k, f, _)| *k == parent && at_place(node, f, field.unwrap_or("")));
        let space = position.map_or(*space, |p| p.2);
        // The first word of some kinds stands for the whole.
        let heads = self.compiler.language.words.heads;
        let whole =
            node.parent().filter(|p| heads.contains(&p.kind()) && p.named_child(0) == Some(node));
        let behind = whole
            .unwrap_or(node)
            .prev_sibling()
            .is_some_and(|s| self.compiler.language.words.member_after.contains(&s.kind()));
        let after =
            |tokens: &[&str]| node.prev_sibling().is_some_and(|s| tokens.contains(&s.kind()));
        if after(self.compiler.language.words.types_after) {
            return Some(Space::Type);
        }
        Some(if behind && space != Space::Declared { Space::Member } else { space })
    }

    /// The slot that stands here, its mark left out where the grammar hangs that on the list around.
    fn slot_of(&self, node: Node<'_>) -> Option<&'a Placed> {
        let at = span(node);
        let marked = |p: &&Placed| {
            let mark = Span { start: at.end, end: p.at.end };
            p.at.start == at.start && p.word == at && mark.of(&self.wrapped.text) == ";"
        };
        let slots = || self.wrapped.chunks.iter().filter(|p| p.slot.is_some());
        let apart = |p: &&Placed| node.parent().is_some_and(|n| span(n).end > p.at.end);
        self.wrapped.slot_at(at).or_else(|| slots().find(|p| marked(p) && apart(p)))
    }

    /// True for a mark that only the spelling of a slot brought.
    fn slot_mark(&self, node: Node<'_>) -> bool {
        let at = span(node);
        let behind = |p: &Placed| p.slot.is_some() && p.at.contains(at) && p.word.end <= at.start;
        let apart = node.parent().is_some_and(|n| span(n).end > at.end);
        apart && node.kind() == ";" && self.wrapped.chunks.iter().any(behind)
    }

    fn name_index(&self, node: Node<'_>) -> Option<usize> {
        let text: String =
            span(node).of(&self.wrapped.text).chars().filter(|c| !c.is_whitespace()).collect();
        self.compiler.names.iter().position(|n| n.word == text)
    }

    /// True if one node stands here, never a list: the type of a declaration, what a call hangs on.
    fn takes_one(
        &self,
        node: Node<'_>,
        field: Option<&str>,
        parent: (&'static str, Option<Node<'_>>),
    ) -> bool {
        let base = parent.1.and_then(|p| self.compiler.language.base_of(p));
        let typed = field.is_some() && self.space(node, field, parent.0) == Some(Space::Type);
        typed || base == Some(node)
    }

    /// Remembers names that nothing in the recipe resolves.
    fn note_word(
        &mut self,
        node: Node<'_>,
        text: &str,
        space: Option<Space>,
        parent: (&str, Option<Node<'_>>),
    ) {
        if self.compiler.language.names.reserved.contains(&text) {
            return;
        }
        match space {
            Some(Space::Declared) => self.declared.push(text.to_owned()),
            Some(Space::Callable | Space::Member) => {
                let heads = self.compiler.language.words.heads;
                let holder = parent
                    .1
                    .and_then(|p| if heads.contains(&p.kind()) { p.parent() } else { Some(p) });
                let receiver = holder.and_then(|p| {
                    let (_, receiver, _) = self.compiler.language.words.split(p.kind())?;
                    part(p, receiver).filter(|r| r.id() != node.id())
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
            let rule =
                self.compiler.language.words.receivers.iter().find(|(k, _)| *k == node.kind());
            let next = rule.and_then(|(_, field)| {
                if field.is_empty() { node.named_child(0) } else { part(node, field) }
            });
            match next {
                Some(next) => node = next,
                None if self
                    .compiler
                    .language
                    .words
                    .kinds
                    .iter()
                    .any(|(k, _)| *k == node.kind()) =>
                {
                    return Base::Word;
                }
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
        let (_, receiver, name) = self.compiler.language.words.split(kind)?;
        let member = part_of(children, name)?;
        match (part_of(children, receiver).map(|r| &r.what), &member.what) {
            (Some(PatternToken::Name(ix, ..)), PatternToken::Leaf(word, token)) => {
                let symbol = names.member(&self.compiler.names[*ix].symbol, word);
                Some(MemberSymbol { symbol, also: Vec::new(), name_token: *token })
            }
            (None, PatternToken::Name(ix, token, _)) => {
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

/// True for a word that a sign makes a name of its own: `'static`.
fn is_signed(language: &Language, node: Node<'_>) -> bool {
    let sign = node.prev_sibling().filter(|s| !s.is_named() && s.end_byte() == node.start_byte());
    let whole = node.parent().filter(|p| p.child_count() == 2);
    sign.is_some() && whole.is_some_and(|p| !language.writing.loose.contains(&p.kind()))
}

/// True if a slot in this place of a chain takes links, not arguments.
fn links_many(language: &Language, child: &PNode) -> bool {
    let words = &language.words;
    words.calls.iter().chain(words.members).any(|m| child.field == Some(m.2))
        || language.words.kinds.iter().any(|(k, _)| *k == child.kind)
}

enum Base {
    Resolved,
    /// What a link pattern hangs on.
    Link,
    Slot(usize),
    Word,
}
