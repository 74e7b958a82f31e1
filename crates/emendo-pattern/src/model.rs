//! A compiled pattern: its readings as nodes and tokens, its slots and names.

use std::ops::Range;

use emendo_lang::language::{Keyed, Language, Space};
use emendo_text::{Filter, Repeat, Span};
use regex::Regex;

/// The slot that marks the place in a pattern of what stands around it.
pub const HERE: &str = "here";

/// The context of runs of loose tokens.
pub(crate) const TOKENS: &str = "tokens";

/// The context of the clauses of a declaration's header.
pub(crate) const CLAUSE: &str = "clause";

/// The words for `form`.
pub const FORMS: &[&str] = &[
    "number",
    "string",
    "boolean",
    "null",
    "name",
    "call",
    "member",
    "function",
    "object",
    "list",
    "template",
    "type",
    "statement",
    "other",
];

/// A pattern, compiled for one language.
#[derive(Debug)]
pub struct Pattern {
    pub(crate) language: &'static Language,
    pub(crate) source: String,
    pub(crate) readings: Vec<Reading>,
    /// Other forms of the source that say the same.
    pub(crate) forms: Vec<String>,
    pub(crate) slots: Vec<SlotDef>,
    /// Symbols that words of the pattern stand for.
    pub(crate) names: Vec<NameDef>,
}

/// What a slot's contents must be.
#[derive(Debug, Default)]
pub struct Constraint {
    /// A regular expression that the text must fit; named groups become slots.
    pub text: Option<Regex>,
    /// A regular expression that the text must not fit.
    pub not_text: Option<Regex>,
    /// Forms, any of them.
    pub form: Vec<String>,
    /// Forms, none of them.
    pub not_form: Vec<String>,
    /// Symbols or globs (`a.b.*`, `a.b.**`), any of them.
    pub means: Vec<String>,
    /// Static types, any of them.
    pub types: Vec<emendo_lang::Ty>,
    /// Static types, none of them.
    pub not_types: Vec<emendo_lang::Ty>,
    /// Patterns, any of which must fit the whole of it.
    pub is: Vec<Pattern>,
    /// Patterns, none of which may.
    pub is_not: Vec<Pattern>,
}

impl Constraint {
    /// The words of what is asked.
    pub(crate) fn asked(&self) -> Vec<&'static str> {
        let all = [
            ("text", self.text.is_some()),
            ("not_text", self.not_text.is_some()),
            ("form", !self.form.is_empty()),
            ("not_form", !self.not_form.is_empty()),
            ("means", !self.means.is_empty()),
            ("type", !self.types.is_empty()),
            ("not_type", !self.not_types.is_empty()),
            ("is", !self.is.is_empty()),
            ("is_not", !self.is_not.is_empty()),
        ];
        all.into_iter().filter(|a| a.1).map(|a| a.0).collect()
    }

    /// True if only code can fit, not text.
    pub(crate) fn asks_code(&self) -> bool {
        !(self.form.is_empty()
            && self.means.is_empty()
            && self.is.is_empty()
            && self.types.is_empty())
    }
}

#[derive(Debug)]
pub(crate) struct SlotDef {
    pub(crate) name: String,
    pub(crate) repeat: Repeat,
    pub(crate) constraint: Constraint,
}

#[derive(Debug)]
pub(crate) struct NameDef {
    pub(crate) word: String,
    pub(crate) symbol: String,
    /// Other names of the same symbol, from renames of the run.
    pub(crate) also: Vec<String>,
}

/// One way to read a pattern.
#[derive(Debug)]
pub(crate) struct Reading {
    pub(crate) context: usize,
    /// Which of the forms of the pattern it reads; nought for the one that is written.
    pub(crate) form: usize,
    /// How its slots are spelled there.
    pub(crate) choice: Vec<usize>,
    pub(crate) roots: Vec<PNode>,
    pub(crate) tokens: Vec<PToken>,
    /// Words that every match holds.
    pub(crate) keys: Vec<KeyWords>,
    /// Tokens of keyed pairs that may be missing.
    pub(crate) optional: Vec<std::ops::Range<usize>>,
    /// Needless parentheses stand around the pattern.
    pub(crate) parens: bool,
    /// Names that nothing resolves: each with the slot that it is called on, if it is that.
    pub(crate) unresolved: Vec<(String, Option<usize>)>,
}

/// A word that every match holds, in any of some spellings.
#[derive(Debug)]
pub(crate) struct KeyWords {
    pub(crate) words: Vec<String>,
    /// Symbols that it stands for: a file may know them by names of its own.
    pub(crate) symbols: Vec<String>,
    /// How deep below the root.
    pub(crate) depth: usize,
}

/// A node of a pattern.
#[derive(Debug)]
pub(crate) struct PNode {
    pub(crate) kind: &'static str,
    pub(crate) field: Option<&'static str>,
    pub(crate) what: PatternToken,
}

#[derive(Debug)]
pub(crate) enum PatternToken {
    Inner(Inner),
    /// Text that must be equal; the token's index.
    Leaf(String, usize),
    /// The slot's and the token's index.
    Slot(usize, usize),
    /// The name's and the token's index, and the space of the position.
    Name(usize, usize, Space),
    /// A literal without slots, compared by its contents: what stands before the quotes, the contents, the token.
    Literal(String, String, usize),
    /// Text with slots in it.
    Text(LiteralText),
    /// What a link hangs on: anything.
    Base,
}

/// Text with slots: the contents of a literal, or a token.
#[derive(Debug)]
pub(crate) struct LiteralText {
    /// For a literal: what stands before the quotes, and the tokens of the quotes.
    pub(crate) quotes: Option<(String, usize, usize)>,
    pub(crate) pieces: Vec<TextPiece>,
}

#[derive(Debug)]
pub(crate) enum TextPiece {
    /// Text and its token.
    Part(String, usize),
    /// The slot's and the token's index.
    Slot(usize, usize),
}

#[derive(Debug)]
pub(crate) struct Inner {
    /// Without separators.
    pub(crate) children: Vec<PNode>,
    /// Separators: how many children stand before, and the token.
    pub(crate) separators: Vec<(usize, usize)>,
    /// For a call or member access whose receiver is a name: the full symbol it means.
    pub(crate) symbol: Option<MemberSymbol>,
    /// A chain in which some link is a slot for several.
    pub(crate) chained: bool,
}

impl Inner {
    /// The child in a field, or with a number among those that grammars name.
    pub(crate) fn part(&self, field: &str) -> Option<&PNode> {
        part_of(&self.children, field)
    }
}

/// The node in a field, or with a number among those that grammars name.
pub(crate) fn part_of<'p>(children: &'p [PNode], field: &str) -> Option<&'p PNode> {
    match field.parse::<usize>() {
        Ok(n) => children.iter().filter(|c| c.kind.starts_with(char::is_alphabetic)).nth(n),
        Err(_) => children.iter().find(|c| c.field == Some(field)),
    }
}

#[derive(Debug)]
pub(crate) struct MemberSymbol {
    pub(crate) symbol: String,
    /// Other names of the same symbol, from renames of the run.
    pub(crate) also: Vec<String>,
    /// Token of the member's name.
    pub(crate) name_token: usize,
}

/// A token of a pattern, with its place in the pattern's source.
#[derive(Debug, Clone)]
pub(crate) struct PToken {
    pub(crate) at: Span,
    /// Its text, escapes undone.
    pub(crate) text: String,
    pub(crate) key: Key,
    /// Kind and field of the place where it stands.
    pub(crate) place: (&'static str, &'static str),
    pub(crate) separator: bool,
}

/// What makes two tokens the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Key {
    Text(String),
    Slot(String, Vec<Filter>),
    Name {
        word: String,
        symbol: String,
        also: Vec<String>,
        space: Space,
    },
    /// What stands before the quotes of a literal, and its contents.
    Literal(String, String),
    /// The quotes of a literal with slots in it: what stands before them, and whether they open.
    Quote(String, bool),
    /// Text beside a slot.
    Part(String),
}

/// Why a pattern does not compile.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PatternError {
    /// Where, in the pattern's source.
    pub at: Span,
    /// What.
    pub message: String,
    /// The way out.
    pub help: String,
    /// No context of the language reads the source, and no reason is known: that of another language may.
    pub unread: bool,
}

impl Pattern {
    /// The source that it was compiled from.
    pub fn source(&self) -> &str {
        &self.source
    }

    /// The source of a reading, in the form that it reads.
    pub(crate) fn source_of(&self, reading: &Reading) -> &str {
        let other = reading.form.checked_sub(1).and_then(|f| self.forms.get(f));
        other.unwrap_or(&self.source)
    }

    /// The language that it is written in.
    pub fn language(&self) -> &'static Language {
        self.language
    }

    /// True if some reading is one node of these kinds.
    pub fn reads_as_one_of(&self, kinds: &[&str]) -> bool {
        let is = |r: &Reading| matches!(r.roots.as_slice(), [root] if kinds.contains(&root.kind));
        self.readings.iter().any(is)
    }

    /// How far in one level of its lines is: the least that a line is indented by.
    pub(crate) fn unit(&self) -> usize {
        emendo_text::template_unit(&self.source)
    }

    /// The names of the slots, each once, unnamed ones left out.
    pub fn slots(&self) -> impl Iterator<Item = &str> {
        self.slots.iter().map(|s| s.name.as_str()).filter(|n| *n != "_")
    }

    /// True if a slot of this name takes any number of nodes.
    pub fn is_list(&self, slot: &str) -> bool {
        let many = |s: &SlotDef| matches!(s.repeat, Repeat::Any | Repeat::Some);
        self.slots.iter().any(|s| s.name == slot && many(s))
    }

    /// True if a node of the pattern is a slot for any number of nodes.
    pub(crate) fn is_list_node(&self, p: &PNode) -> bool {
        match &p.what {
            PatternToken::Slot(ix, _) => {
                matches!(self.slots[*ix].repeat, Repeat::Any | Repeat::Some)
            }
            _ => false,
        }
    }

    /// Sets what a slot's contents must be.
    pub fn constrain(&mut self, slot: &str, constraint: Constraint) {
        if let Some(def) = self.slots.iter_mut().find(|s| s.name == slot) {
            def.constraint = constraint;
        }
    }

    /// True if the types or symbols of what slots hold are asked for.
    pub(crate) fn asks_types(&self) -> bool {
        self.slots
            .iter()
            .map(|s| &s.constraint)
            .any(|c| !(c.types.is_empty() && c.not_types.is_empty() && c.means.is_empty()))
    }

    /// The words of what is asked of a slot.
    pub(crate) fn asked_of(&self, slot: &str) -> Vec<&'static str> {
        self.slots.iter().find(|s| s.name == slot).map_or_else(Vec::new, |s| s.constraint.asked())
    }

    /// Words that the pattern uses as names of something, and that neither it nor `before` says anything of.
    pub fn undeclared(&self, before: &Self) -> Vec<String> {
        let Some(first) = self.readings.first() else { return Vec::new() };
        let known: Vec<&str> = before.plain_words();
        let here = |r: &Reading, word: &String| r.unresolved.iter().any(|u| u.0 == *word);
        let open = first.unresolved.iter().filter(|(_, slot)| slot.is_none()).map(|u| &u.0);
        // In another reading the word may be a name of its own.
        let open = open.filter(|w| self.readings.iter().all(|r| here(r, w)));
        open.filter(|w| !known.contains(&w.as_str())).cloned().collect()
    }

    /// What the contexts of the readings are called, in order.
    pub fn readings(&self) -> Vec<&'static str> {
        let contexts = self.language.fragments.contexts;
        let own = self.readings.iter().filter(|r| r.form == 0);
        let names = own.map(|r| contexts[r.context].name);
        // Code may stand as loose tokens everywhere: that is no other way to read it.
        let code: Vec<&str> = names.clone().filter(|n| *n != TOKENS).collect();
        if code.is_empty() { names.collect() } else { code }
    }

    /// Sets of words, one of which a file must hold whole to match, in whatever reading and spelling.
    pub fn needs(&self) -> Vec<Vec<String>> {
        let mut sets = vec![self.literals()];
        let last = |s: &String| self.language.names.last(s).to_owned();
        for def in self.names.iter().filter(|d| !d.also.is_empty()) {
            let own = last(&def.symbol);
            let others: Vec<String> = def.also.iter().map(last).filter(|o| *o != own).collect();
            let more: Vec<Vec<String>> = others
                .iter()
                .flat_map(|o| {
                    sets.iter()
                        .map(|s| {
                            s.iter()
                                .map(|w| if *w == own { o.clone() } else { w.clone() })
                                .collect()
                        })
                        .collect::<Vec<_>>()
                })
                .collect();
            sets.extend(more);
        }
        sets.sort();
        sets.dedup();
        sets
    }

    /// The words and literals that a file must hold to match, whatever the reading.
    fn literals(&self) -> Vec<String> {
        let mut sets = self.readings.iter().map(|r| {
            r.tokens
                .iter()
                .enumerate()
                .filter(|(i, _)| !r.optional.iter().any(|o| o.contains(i)))
                .filter_map(|(_, t)| literal(self.language, &t.key))
                .collect::<std::collections::BTreeSet<String>>()
        });
        let Some(first) = sets.next() else { return Vec::new() };
        sets.fold(first, |a, b| a.intersection(&b).cloned().collect()).into_iter().collect()
    }

    /// True if the pattern names a symbol, or asks a slot what it means or of what type it is.
    pub fn names_any(&self) -> bool {
        let used = |t: &PToken| matches!(t.key, Key::Name { .. });
        let asked = |s: &SlotDef| {
            let c = &s.constraint;
            !c.means.is_empty() || !c.types.is_empty()
        };
        self.readings.iter().any(|r| r.tokens.iter().any(used)) || self.slots.iter().any(asked)
    }

    /// The symbols of types that slots must be of.
    pub fn type_symbols(&self) -> impl Iterator<Item = &String> {
        self.slots.iter().flat_map(|s| &s.constraint.types).flat_map(emendo_lang::Ty::symbols)
    }

    /// True if it names a symbol.
    pub fn names_symbols(&self) -> bool {
        let named = |t: &PatternToken| matches!(t, PatternToken::Name(..));
        fn any(n: &PNode, named: &dyn Fn(&PatternToken) -> bool) -> bool {
            named(&n.what)
                || matches!(&n.what, PatternToken::Inner(i) if i.children.iter().any(|c| any(c, named)))
        }
        self.readings.iter().flat_map(|r| &r.roots).any(|n| any(n, &named))
    }

    /// The symbols whose words the pattern reads as their names.
    pub fn used_symbols(&self) -> Vec<&str> {
        let mut out: Vec<&str> = Vec::new();
        for token in self.readings.iter().flat_map(|r| &r.tokens) {
            if let Key::Name { symbol, .. } = &token.key
                && !out.contains(&symbol.as_str())
            {
                out.push(symbol);
            }
        }
        out
    }

    /// The members that stand behind the names of symbols, with whether they are called: `Stations.open(...)` where `Stations` is a name.
    pub fn used_members(&self) -> Vec<(String, bool)> {
        let names = &self.language.names;
        let dot = |t: &PToken| self.language.words.member_after.contains(&t.text.as_str());
        let word = |t: &PToken| {
            let own = t.text.starts_with(|c: char| c.is_alphabetic() || c == '_');
            own && matches!(t.key, Key::Text(_))
        };
        let mut out: Vec<(String, bool)> = Vec::new();
        for tokens in self.readings.iter().map(|r| &r.tokens) {
            for (i, window) in tokens.windows(3).enumerate() {
                let [owner, sign, member] = window else { continue };
                let Key::Name { symbol, .. } = &owner.key else { continue };
                if !dot(sign) || !word(member) {
                    continue;
                }
                let called = tokens.get(i + 3).is_some_and(|t| t.text == "(");
                let found = (names.member(symbol, &member.text), called);
                if !out.contains(&found) {
                    out.push(found);
                }
            }
        }
        out
    }

    /// The symbols that the pattern names.
    pub fn symbols(&self) -> impl Iterator<Item = &str> {
        self.names.iter().map(|d| d.symbol.as_str())
    }

    /// True if some reading declares a type: then other files may see the change.
    pub fn declares_types(&self) -> bool {
        let types = |kind: &str| {
            let mut rules = self.language.scopes.bindings.iter();
            rules.any(|b| b.kind == kind && b.space == Space::Type && !b.field.is_empty())
                || self.language.imports.packages.contains(&kind)
        };
        self.readings.iter().any(|r| r.roots.iter().any(|n| types(n.kind)))
    }
}

/// A word that is always spelled the same; short names of symbols always stand somewhere in the file.
pub(crate) fn literal(language: &Language, key: &Key) -> Option<String> {
    match key {
        Key::Text(t) if t.starts_with(|c: char| c.is_alphanumeric() || c == '_') && t.len() > 1 => {
            Some(t.clone())
        }
        // What a module gives unnamed has a name of each file's own.
        Key::Name { symbol, .. } => {
            let last = language.names.last(symbol);
            (last != language.names.default || last.is_empty()).then(|| last.to_owned())
        }
        // An escape may be spelled otherwise where the quotes differ.
        Key::Literal(_, content) if !content.contains(['\\', '"', '\'']) => Some(content.clone()),
        _ => None,
    }
}

/// The tokens of a node, from the first to after the last.
pub(crate) fn tokens_of(node: &PNode) -> Range<usize> {
    let one = |t: usize| t..t + 1;
    match &node.what {
        PatternToken::Leaf(_, t)
        | PatternToken::Slot(_, t)
        | PatternToken::Name(_, t, _)
        | PatternToken::Literal(_, _, t) => one(*t),
        PatternToken::Text(text) => {
            let pieces = text.pieces.iter().map(|p| match p {
                TextPiece::Part(_, t) | TextPiece::Slot(_, t) => one(*t),
            });
            let quotes = text.quotes.iter().flat_map(|q| [one(q.1), one(q.2)]);
            hull(pieces.chain(quotes))
        }
        PatternToken::Inner(inner) => {
            let separators = inner.separators.iter().map(|s| one(s.1));
            hull(inner.children.iter().map(tokens_of).chain(separators))
        }
        PatternToken::Base => 0..0,
    }
}

pub(crate) fn hull(ranges: impl Iterator<Item = Range<usize>>) -> Range<usize> {
    ranges
        .filter(|r| !r.is_empty())
        .reduce(|a, b| a.start.min(b.start)..a.end.max(b.end))
        .unwrap_or(0..0)
}

/// The key of a pair in a pattern, if it is written out.
pub(crate) fn key_of_pattern<'p>(keyed: &Keyed, p: &'p PNode) -> Option<&'p str> {
    let of = |what: &'p PatternToken| match what {
        PatternToken::Leaf(word, _) => Some(word.as_str()),
        PatternToken::Literal(_, content, _) => Some(content.as_str()),
        _ => None,
    };
    if p.kind == keyed.shorthand {
        if let PatternToken::Inner(inner) = &p.what {
            return inner.children.first().and_then(|c| of(&c.what));
        }
        return of(&p.what);
    }
    let PatternToken::Inner(inner) = &p.what else { return None };
    if p.kind != keyed.pair {
        return None;
    }
    if let Some((kind, _)) = keyed.key.split_once('/') {
        let inner = inner.children.iter().find_map(|c| match &c.what {
            PatternToken::Inner(inner) if c.kind == kind => Some(inner),
            _ => None,
        });
        return of(&inner?.children.first()?.what);
    }
    let written = if keyed.key.is_empty() {
        inner.children.first().filter(|_| !keyed.valued || inner.children.len() > 1)
    } else {
        inner.children.iter().find(|c| c.field == Some(keyed.key))
    };
    let written = written?;
    of(&written.what).map(|key| keyed.plain_key(written.kind, key))
}
