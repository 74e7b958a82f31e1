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
