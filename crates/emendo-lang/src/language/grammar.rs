//! Grammars for some files, and code that a grammar leaves as loose tokens.

use crate::ground::ReadShape;

/// A grammar for some of a language's files. Its kinds are named like those of the main grammar.
pub struct Dialect {
    /// The endings of its files.
    pub extensions: &'static [&'static str],
    /// The grammar.
    pub grammar: fn() -> &'static tree_sitter::Language,
}

/// Loose tokens that are mostly code: parsed once more, piece by piece, as statements.
pub struct Layer {
    /// The kind that holds the tokens, brackets included.
    pub kind: &'static str,
    /// Its parent's kind.
    pub parent: &'static str,
    /// The token between pieces.
    pub separator: &'static str,
    /// The token before and behind the parameters of a closure, between which separators end nothing; empty if there is none.
    pub closure: &'static str,
    /// Words after which such a token opens.
    pub openers: &'static [&'static str],
    /// The byte that ends a piece when it is parsed as a statement; it stands in for separators and the last bracket.
    pub end: u8,
    /// Words at the begin of a text that is a page with code in brackets; none where the tokens are code themselves.
    pub pages: &'static [&'static str],
}

impl Layer {
    /// A row that says nothing yet.
    pub const NONE: Self = Self {
        kind: "",
        parent: "",
        separator: "",
        closure: "",
        openers: &[],
        end: b';',
        pages: &[],
    };
}

/// What nodes are by the words in them, where a grammar has one kind for many things.
pub struct Reshape {
    /// Kinds that the grammar does not have.
    pub kinds: &'static [&'static str],
    /// Fields that the grammar does not have, and those of children in groups.
    pub fields: &'static [&'static str],
    /// Says what a node is, and nodes within it: asked of each node, the outer ones first.
    pub read: ReadShape,
}

/// The grammar, and the files that are read with it.
pub struct Grammar {
    /// File name endings, without the dot.
    pub extensions: &'static [&'static str],
    /// Whole names of files without such an ending.
    pub names: &'static [&'static str],
    /// Endings of names that are something else, although their last part is one of these.
    pub except: &'static [&'static str],
    /// Endings of another language whose files can be read as this one, where an action asks for it.
    pub also_reads: &'static [&'static str],
    /// The grammar; patterns are read with it.
    pub main: fn() -> &'static tree_sitter::Language,
    /// Grammars of the same kinds for files with certain endings.
    pub dialects: &'static [Dialect],
    /// What code stands behind in a file; empty where that is nothing.
    pub opening: &'static str,
    /// Code inside code that the grammar leaves as loose tokens.
    pub layer: Option<Layer>,
    /// What its nodes are besides; none where their kinds say it all.
    pub reshape: Option<Reshape>,
    /// A small source that parses without error, for tests over the whole table.
    pub sample: &'static str,
    /// What parsing a file may take before it is given up.
    pub budget: Budget,
}

/// What a parser may do with one text, in rounds: one is what it does between two calls of its progress callback. The outcome
/// depends on the text alone, not on the machine.
#[derive(Clone, Copy, Debug)]
pub struct Budget {
    /// For any text.
    pub rounds: usize,
    /// For each 1024 bytes besides.
    pub per_kb: usize,
}

impl Budget {
    /// Ordinary code takes 5 rounds for 1024 bytes; what a grammar takes cubic time for takes many. A million rounds are about
    /// half a minute.
    pub const USUAL: Self = Self { rounds: 60_000, per_kb: 200 };
}

impl Grammar {
    /// A grammar for files with these endings; `sample` is a small source that parses without error.
    pub const fn new(
        extensions: &'static [&'static str],
        main: fn() -> &'static tree_sitter::Language,
        sample: &'static str,
    ) -> Self {
        Self {
            extensions,
            names: &[],
            except: &[],
            also_reads: &[],
            main,
            dialects: &[],
            opening: "",
            layer: None,
            reshape: None,
            sample,
            budget: Budget::USUAL,
        }
    }
}
