//! Grammars for some files, and code that a grammar leaves as loose tokens.

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
    /// The byte that ends a piece when it is parsed as a statement; it stands in for separators and the last bracket.
    pub end: u8,
}

/// The grammar, and the files that are read with it.
pub struct Grammar {
    /// File name endings, without the dot.
    pub extensions: &'static [&'static str],
    /// Endings of another language whose files can be read as this one, where an action asks for it.
    pub also_reads: &'static [&'static str],
    /// The grammar; patterns are read with it.
    pub main: fn() -> &'static tree_sitter::Language,
    /// Grammars of the same kinds for files with certain endings.
    pub dialects: &'static [Dialect],
    /// Code inside code that the grammar leaves as loose tokens.
    pub layer: Option<Layer>,
    /// A small source that parses without error, for tests over the whole table.
    pub sample: &'static str,
}

impl Grammar {
    /// A grammar for files with these endings; `sample` is a small source that parses without error.
    pub const fn new(
        extensions: &'static [&'static str],
        main: fn() -> &'static tree_sitter::Language,
        sample: &'static str,
    ) -> Self {
        Self { extensions, also_reads: &[], main, dialects: &[], layer: None, sample }
    }
}
