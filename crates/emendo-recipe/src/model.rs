//! A loaded recipe.

use std::collections::BTreeMap;

use emendo_text::{Digest, RelPath, Span};
use globset::GlobMatcher;

use crate::keys::ActionKind;
use crate::value::{Table, Text};

/// A recipe's text and where it comes from.
#[derive(Clone, Debug)]
pub struct Source {
    /// The path or name shown in messages.
    pub name: String,
    /// The full path, for reading it again.
    pub path: String,
    /// The text.
    pub text: String,
    /// Reads a file of the recipe's folder by relative path.
    pub folder: Option<std::path::PathBuf>,
}

/// A recipe.
pub struct Recipe {
    /// Its lasting word.
    pub id: String,
    /// Its title.
    pub title: String,
    /// What it does.
    pub summary: Option<String>,
    /// The library it is for.
    pub library: Option<Library>,
    /// Values that the user may give.
    pub inputs: Vec<Input>,
    /// What it tells of the library's types.
    pub types: Vec<TypeOf>,
    /// What must be there before anything changes.
    pub requires: Option<Table>,
    /// Where it holds as a whole.
    pub conditions: Vec<Condition>,
    /// The steps in order.
    pub steps: Vec<Step>,
    /// The examples in order.
    pub examples: Vec<Example>,
    /// Where it comes from.
    pub source: Source,
    /// Identity of all that was read: the text, tables, and input values.
    pub digest: Digest,
}

/// The library that a recipe is for.
#[derive(Clone, Debug)]
pub struct Library {
    /// Its name.
    pub name: String,
    /// Its coordinates, with the ecosystem before a colon.
    pub coordinates: Vec<Text>,
    /// The versions it starts from.
    pub from: Option<Text>,
    /// The version it leads to.
    pub to: Option<Text>,
}

/// What a recipe tells of a type or module of the library.
#[derive(Clone, Debug)]
pub struct TypeOf {
    /// The full symbol, with type parameters.
    pub name: Text,
    /// Types that it is built on.
    pub extends: Vec<Text>,
    /// Its members.
    pub members: Vec<MemberOf>,
    /// Symbols that it passes on.
    pub exports: Vec<Text>,
    /// The language, and words that stand for symbols.
    pub scope: Scope,
}

/// A member of such a type.
#[derive(Clone, Debug)]
pub struct MemberOf {
    /// As it is written: `find(K)`, `size`, `*`.
    pub key: Text,
    /// What it gives; empty if nothing.
    pub gives: Text,
    /// What a closure that it takes is called with.
    pub lambda: Vec<Text>,
}

/// A value that the user may give.
#[derive(Clone, Debug)]
pub struct Input {
    /// Its name.
    pub name: String,
    /// What it is for.
    pub summary: Option<String>,
    /// The value if none is given.
    pub default: Option<String>,
}

/// A step: one theme, the unit of review.
pub struct Step {
    /// Its lasting word.
    pub id: String,
    /// Its title.
    pub title: String,
    /// The reason.
    pub why: Option<String>,
    /// What behaves differently although it compiles.
    pub caution: Option<String>,
    /// Where it stands.
    pub span: Span,
    /// Where it holds.
    pub conditions: Vec<Condition>,
    /// The actions in the order of the file.
    pub actions: Vec<Action>,
}

/// What must hold, or must not.
#[derive(Clone, Debug)]
pub struct Condition {
    /// It must hold; else it must not.
    pub wanted: bool,
    /// What is asked: all of it together.
    pub asks: Table,
}

impl Condition {
    /// The conditions that a table says.
    pub fn of(table: &Table) -> Vec<Self> {
        let one = |(key, wanted)| table.table(key).map(|asks| Self { wanted, asks: asks.clone() });
        [("only_if", true), ("unless", false)].into_iter().filter_map(one).collect()
    }
}

/// One instruction.
pub struct Action {
    /// Its kind.
    pub kind: &'static dyn ActionKind,
    /// Its keys, checked for names and types.
    pub table: Table,
    /// Where it stands.
    pub span: Span,
    /// What it inherits and says itself about language, names and files.
    pub scope: Scope,
    /// Its keys have errors: it is not to be compiled.
    pub broken: bool,
}

/// A word that stands for a symbol.
#[derive(Clone, Debug)]
pub struct Name {
    /// The symbol.
    pub symbol: String,
    /// Where it is said.
    pub span: Span,
}

/// Language, names and files, from recipe, step and action.
#[derive(Clone, Debug, Default)]
pub struct Scope {
    /// The language's word.
    pub lang: Option<Text>,
    /// Words that stand for symbols; the innermost wins.
    pub names: BTreeMap<String, Name>,
    /// Only these files; the innermost list replaces the outer ones.
    pub files: Option<Globs>,
    /// Not these files; the lists add up.
    pub not_files: Globs,
}

impl Scope {
    /// The names as plain words and symbols.
    pub fn symbols(&self) -> BTreeMap<String, String> {
        self.names.iter().map(|(w, n)| (w.clone(), n.symbol.clone())).collect()
    }

    /// True if a path is within `files` and not in `not_files`.
    pub fn covers(&self, path: &RelPath) -> bool {
        self.files.as_ref().is_none_or(|f| f.matches(path)) && !self.not_files.matches(path)
    }
}

/// A compiled glob.
#[derive(Clone, Debug)]
pub struct Glob(pub(crate) GlobMatcher);

/// A list of globs, any of which may match.
#[derive(Clone, Debug, Default)]
pub struct Globs(pub(crate) Vec<Glob>);

impl Globs {
    /// Compiles globs that were checked.
    ///
    /// # Errors
    /// What is wrong with one of them.
    pub fn compile(globs: &[String]) -> Result<Self, globset::Error> {
        let one = |g: &String| {
            let glob = globset::GlobBuilder::new(g).literal_separator(true).build()?;
            Ok(Glob(glob.compile_matcher()))
        };
        globs.iter().map(one).collect::<Result<_, _>>().map(Self)
    }

    /// True if any matches.
    pub fn matches(&self, path: &RelPath) -> bool {
        self.0.iter().any(|g| g.0.is_match(path.as_path()))
    }
}

/// An example.
#[derive(Clone, Debug)]
pub struct Example {
    /// What it shows.
    pub title: Option<String>,
    /// The step to run, if only one.
    pub step: Option<Text>,
    /// The language, if it is not the recipe's.
    pub lang: Option<Text>,
    /// The file's name.
    pub path: Option<Text>,
    /// The code before.
    pub before: Text,
    /// The code after; the same as before for a look-alike.
    pub after: Text,
    /// A look-alike that must stay.
    pub unchanged: bool,
    /// Parts of the notes that are expected.
    pub notes: Vec<String>,
    /// Where it stands.
    pub span: Span,
}

impl Recipe {
    /// The step with this word.
    pub fn step(&self, id: &str) -> Option<&Step> {
        self.steps.iter().find(|s| s.id == id)
    }
}
