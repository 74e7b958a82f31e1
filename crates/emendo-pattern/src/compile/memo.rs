//! The spellings of slots that read, remembered by the shape of a pattern: many patterns of a recipe differ in their names
//! only. What is remembered is tried, not trusted.

use std::fmt::Write;
use std::sync::{LazyLock, Mutex};

use emendo_lang::language::Language;
use emendo_lang::token_texts;
use emendo_text::Chunk;
use rustc_hash::{FxHashMap, FxHashSet};

use crate::compile::wrap::Compiler;
use crate::model::Reading;

/// More shapes than that are not remembered: no recipe that people write has as many.
const MAX_SHAPES: usize = 10_000;

/// How each slot is spelled: an index into the placeholders of the language.
pub(super) type Choice = Vec<usize>;

/// The contexts that read a shape, each with the spellings of the slots.
type Readable = Vec<(usize, Choice)>;

/// The words that mean something to a language.
type WordSet = FxHashSet<&'static str>;

/// For each shape the contexts that read it, with the spellings.
static KNOWN: LazyLock<Mutex<FxHashMap<String, Readable>>> = LazyLock::new(Mutex::default);

/// The words that mean something to a grammar, by language.
static WORDS: LazyLock<Mutex<FxHashMap<&'static str, &'static WordSet>>> =
    LazyLock::new(Mutex::default);

/// What the source of a pattern has in common with those that differ in names only.
pub(super) struct Shape(String);

impl Shape {
    /// The shape of what is to be compiled; `wanted` is the only context to be read.
    pub(super) fn of(compiler: &Compiler<'_>, wanted: Option<&str>) -> Self {
        let language = compiler.language;
        let fixed = words(language);
        let mut out = format!("{} {wanted:?} {} ", language.id, compiler.thorough);
        let mut nth = 0;
        for chunk in &compiler.template.chunks {
            match chunk {
                Chunk::Text { text, .. } => {
                    let mut from = 0;
                    for (at, token) in token_texts(text) {
                        let word = token.starts_with(|c: char| c.is_alphabetic() || c == '_');
                        out.push_str(&text[from..at]);
                        from = at + token.len();
                        if !word || fixed.contains(token) {
                            out.push_str(token);
                        } else if compiler.names.iter().any(|n| n.word == token) {
                            out.push('\u{1}');
                        } else {
                            let capital = token.starts_with(char::is_uppercase);
                            out.push(if capital { '\u{2}' } else { '\u{3}' });
                        }
                    }
                    out.push_str(&text[from..]);
                }
                Chunk::Slot { name, filters, repeat, .. } => {
                    let slot = compiler.slot_index(name, nth);
                    let many = compiler.takes_many(name, *repeat);
                    let _ = write!(out, "\u{4}{slot} {many} {}\u{4}", filters.len());
                    nth += 1;
                }
            }
        }
        out.truncate(out.trim_end().len());
        Self(out)
    }

    /// What reads.
    pub(super) fn known(&self) -> Option<Readable> {
        let known = KNOWN.lock().ok()?;
        known.get(&self.0).cloned()
    }

    /// Remembers what read.
    pub(super) fn remember(self, readings: &[Reading]) {
        let Ok(mut known) = KNOWN.lock() else { return };
        if known.len() < MAX_SHAPES {
            known.insert(self.0, readings.iter().map(|r| (r.context, r.choice.clone())).collect());
        }
    }
}

/// The words that mean something to the grammar of a language.
fn words(language: &'static Language) -> &'static WordSet {
    static NONE: LazyLock<WordSet> = LazyLock::new(WordSet::default);
    let Ok(mut all) = WORDS.lock() else { return &NONE };
    all.entry(language.id).or_insert_with(|| {
        let grammar: &'static tree_sitter::Language = (language.grammar.main)();
        let ids = 0..u16::try_from(grammar.node_kind_count()).unwrap_or(u16::MAX);
        let own = ids.filter(|id| !grammar.node_kind_is_named(*id));
        Box::leak(Box::new(own.filter_map(|id| grammar.node_kind_for_id(id)).collect()))
    })
}
