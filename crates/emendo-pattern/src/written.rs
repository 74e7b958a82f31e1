//! What is written at a match.

use emendo_lang::tree::Tree;
use emendo_lang::{Fact, ImportName, Resolver};
use emendo_text::{Span, Splice};

/// What a replacement writes at one match.
#[derive(Clone, Debug, Default)]
pub struct Written {
    /// The changes, in order.
    pub splices: Vec<Splice>,
    /// What lowers the certainty.
    pub facts: Vec<Fact>,
    /// Imports that the written names need.
    pub imports: Vec<ImportName>,
    /// Names of the old code that the new code does not use any more.
    pub released: Vec<Span>,
    /// Code that one slot holds, and that is one thing in the new code too.
    pub wholes: Vec<Span>,
}

/// Why a replacement cannot be written at a match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Unresolved(pub String);

/// The file that is written to.
#[derive(Clone, Copy)]
pub struct Place<'a> {
    /// Its tree.
    pub tree: &'a Tree,
    /// Its text.
    pub text: &'a str,
    /// The line end that most lines have.
    pub line_end: &'a str,
    /// What its names mean.
    pub resolver: &'a Resolver<'a>,
}

/// One change of the imports.
#[derive(Debug)]
pub struct ImportEdit {
    /// The change.
    pub splice: Splice,
    /// The statements that are changed or dropped, by path, and added.
    pub about: Vec<String>,
    /// The statement that is changed or dropped.
    pub statement: Option<Span>,
}
