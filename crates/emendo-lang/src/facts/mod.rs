//! What one pass over a file's tree tells: its package, imports, scopes and words.

mod carriers;
mod embedded;
mod lookups;
mod pass;
mod places;

use std::collections::BTreeSet;

pub use embedded::PageFacts;
use emendo_text::Span;
use rustc_hash::{FxHashMap, FxHashSet};

use crate::ground::{Export, Import, ImportName};
use crate::language::Space;

/// A single name somewhere in the code (imports and the package statement are not among them).
#[derive(Clone, Copy, Debug)]
pub struct Word {
    /// Its place.
    pub span: Span,
    /// The space that its position asks.
    pub space: Space,
    /// Where the dotted name begins that it belongs to.
    pub path_start: u32,
    /// What stands before the dot; for a key, the type that it is a member of.
    pub receiver: Option<Span>,
    /// It is the key of a pair.
    pub key: bool,
}

#[derive(Debug)]
struct Scope {
    span: Span,
    /// The one whose names it sees.
    parent: Option<u32>,
    /// The one that it stands in.
    around: Option<u32>,
    /// Values that are declared around it are not seen in it, unless they are members.
    walled: bool,
    bindings: Vec<BoundName>,
}

#[derive(Debug)]
struct BoundName {
    name: String,
    space: Space,
    at: Span,
    from: u32,
    /// It belongs to the whole type around, or is a function.
    lasts: bool,
    hint: Option<Hint>,
}

/// What tells the type of a variable or member.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hint {
    /// The name of the type, or of the function that gives it, as it is written.
    pub path: String,
    /// How it tells.
    pub how: Tells,
}

/// How the type of something is told.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Tells {
    /// It is declared with the type.
    Declared,
    /// It is made as an object of the type.
    Made,
    /// It is the result of a call.
    Called,
    /// It is the same thing under another name.
    Same,
}

/// A name found in a scope.
#[derive(Clone, Copy, Debug)]
pub struct Declared<'f> {
    /// The space it lives in.
    pub space: Space,
    /// Where it is declared.
    pub at: Span,
    /// It is declared at the top of the file.
    pub top: bool,
    /// The scope.
    pub scope: Span,
    /// What tells its type.
    pub hint: Option<&'f Hint>,
}

/// A type that a file declares, or adds to.
#[derive(Clone, Debug)]
pub struct TypeDecl {
    /// Its name, after those of the types around it.
    pub path: Vec<String>,
    /// The name's place.
    pub at: Span,
    /// The whole declaration.
    pub span: Span,
    /// The package or module that the file says it is in there, without the file's own module.
    pub inside: Vec<String>,
    /// The types that it is built on, as they are written.
    pub supers: Vec<(String, Span)>,
    /// The type that it is another name for.
    pub alias: Option<String>,
    /// It adds to a type that is declared elsewhere.
    pub extends: bool,
    /// Its members.
    pub members: Vec<Member>,
    /// Their numbers by name, gathered when there are many.
    pub(crate) by_name: std::sync::OnceLock<FxHashMap<String, Vec<u32>>>,
}

/// A member that a type declares.
#[derive(Clone, Debug)]
pub struct Member {
    /// Its name.
    pub name: String,
    /// Its place.
    pub at: Span,
    /// How it is used.
    pub space: Space,
    /// What tells its type.
    pub hint: Option<Hint>,
    /// A call of its name reads it too.
    pub read_by_calls: bool,
}

/// A type that documentation tells of what stands below it.
#[derive(Clone, Copy, Debug)]
pub(crate) struct DocType {
    /// The comment.
    pub(crate) comment: Span,
    /// The tag that it stands behind.
    pub(crate) tag: &'static str,
    /// The type.
    pub(crate) ty: Span,
    /// The name of what it is the type of, if that stands there.
    pub(crate) name: Option<Span>,
}

/// The facts about one file, from one pass over its tree.
#[derive(Debug)]
pub struct FileFacts {
    /// The package that the file says it belongs to; empty if it says none.
    pub package: String,
    /// The module that the file is, by its path; empty where files say themselves what they belong to.
    pub module: String,
    /// The folder of the file, from the root on; empty for the root and where files say themselves what they belong to.
    pub folder: String,
    /// The place of the package statement.
    pub package_span: Option<Span>,
    /// Types that documentation tells, in order.
    pub(crate) doc_types: Vec<DocType>,
    /// Functions and constants are imported apart from types, and letters are alike whatever their case.
    pub(crate) apart: bool,
    /// All packages of the file, with where they hold, outer ones first.
    pub packages: Vec<(Span, String)>,
    /// The imports in order.
    pub imports: Vec<Import>,
    /// What holds for the file without standing in it: its project says so.
    pub around: Vec<Import>,
    /// The names that it passes on under a name of their own choosing.
    pub exports: Vec<Export>,
    /// The types that it declares, in order.
    pub types: Vec<TypeDecl>,
    /// Words that may name a member by their name alone.
    pub(crate) loose: FxHashSet<Span>,
    /// Literals that stand right before a dot.
    pub(crate) literals: FxHashSet<Span>,
    /// The end of what must stand before imports: a file comment, a documentation string, attributes of the file.
    pub preamble_end: u32,
    /// A part of the file could not be parsed.
    pub has_errors: bool,
    /// The places of comments.
    pub comments: Vec<Span>,
    /// The places of what stands within string literals.
    pub strings: Vec<Span>,
    /// The places of texts that code may stand in, those over several lines.
    pub(crate) templates: Vec<Span>,
    /// Those of the strings that are documentation.
    pub docs: Vec<Span>,
    /// Words of types that are written in strings and comments: they use imports too.
    quoted: FxHashSet<String>,
    scopes: Vec<Scope>,
    words: FxHashMap<String, Vec<Word>>,
    /// Declarations by place and name.
    places: lookups::Lookups,
    /// One level of indentation, worked out when it is asked for.
    level: std::sync::OnceLock<Option<String>>,
}

impl FileFacts {
    /// The names that may hide what the types of the file are built on.
    pub(crate) fn around_types(&self) -> impl Iterator<Item = &str> {
        let mut scopes = BTreeSet::new();
        for t in &self.types {
            let mut at = Some(self.scope_at(t.span.start));
            while let Some(i) = at.filter(|i| scopes.insert(*i)) {
                at = self.scopes[i as usize].parent;
            }
        }
        scopes.into_iter().flat_map(|i| &self.scopes[i as usize].bindings).map(|b| b.name.as_str())
    }

    /// Where lines begin inside string literals at a place: their indentation belongs to the string.
    pub fn lines_in_strings(&self, text: &str, place: Span) -> Vec<u32> {
        let mut out: Vec<u32> = Vec::new();
        for all in [&self.strings, &self.templates] {
            let from = all.partition_point(|s| s.end < place.start);
            for s in all[from..].iter().take_while(|s| s.start < place.end) {
                let breaks = s.of(text).match_indices('\n');
                out.extend(breaks.map(|(i, _)| s.start + i as u32 + 1));
            }
        }
        out.sort_unstable();
        out.dedup();
        out
    }

    /// One level of indentation in the file's text: a tab, or so many blanks. `None` if nothing is indented.
    pub fn indent_unit(&self, text: &str) -> Option<&str> {
        self.level.get_or_init(|| emendo_text::indent_unit(text)).as_deref()
    }

    /// The package at a place.
    pub fn package_at(&self, at: u32) -> &str {
        let mut all = self.packages.iter().rev();
        all.find(|p| p.0.start <= at && at < p.0.end).map_or(&self.package, |p| &p.1)
    }

    /// The import statement of a symbol itself, if there is one: what a written name rests on must stay.
    pub fn import_of(&self, symbol: &str) -> Option<ImportName> {
        self.imports.iter().find(|i| !i.wildcard && i.path() == symbol).map(Import::name)
    }

    /// True if a type that is written in a string or a comment uses this name.
    pub fn quotes(&self, name: &str) -> bool {
        self.quoted.contains(name)
    }

    /// True if a word is known by this import, and not by another of the same name that stands nearer.
    pub fn rests_on(&self, word: &Word, import: &Import) -> bool {
        let at = word.span.start;
        // The end of a longer name is known by how that begins.
        if word.path_start < at && word.space != Space::Member && word.receiver.is_none() {
            return false;
        }
        if self.apart && !serves(word, import) {
            return false;
        }
        let holds =
            |i: &Import| i.scope.end == u32::MAX || (i.scope.start <= at && at < i.scope.end);
        let nearer = |i: &Import| {
            !i.passes_on
                && i.local() == import.local()
                && i.scope.start > import.scope.start
                && holds(i)
        };
        holds(import) && !self.imports.iter().any(nearer)
    }

    /// All places of a single name.
    pub fn words(&self, name: &str) -> &[Word] {
        self.words.get(name).map_or(&[], Vec::as_slice)
    }

    /// Places of a name in other letters, where their case does not tell names apart.
    pub fn words_alike<'f>(&'f self, name: &'f str) -> impl Iterator<Item = &'f Word> {
        let caseless = |w: &&Word| w.space != Space::Value;
        let alike = move |k: &String| k.as_str() != name && k.eq_ignore_ascii_case(name);
        let all = self.words.iter().filter(move |(k, _)| self.apart && alike(k));
        all.flat_map(|(_, words)| words).filter(caseless)
    }

    /// True if two places lie in the same scope.
    pub(crate) fn same_scope(&self, a: u32, b: u32) -> bool {
        self.scope_at(a) == self.scope_at(b)
    }

    /// The functions at the top of packages, with their packages.
    pub(crate) fn functions(&self) -> impl Iterator<Item = (&str, &str)> {
        let tops = self
            .scopes
            .iter()
            .filter(|s| s.parent.is_none() || self.packages.iter().any(|(at, _)| *at == s.span));
        let all = tops.flat_map(|s| &s.bindings).filter(|b| b.space == Space::Callable);
        all.map(|b| (self.package_at(b.at.start), b.name.as_str()))
    }

    /// All single names of the file.
    pub fn all_words(&self) -> impl Iterator<Item = (&str, &[Word])> {
        self.words.iter().map(|(k, v)| (k.as_str(), v.as_slice()))
    }

    /// True if a word does not mean what an import makes known under its name: something in its scope hides that.
    pub fn hides(&self, name: &str, word: &Word, import: &Import) -> bool {
        let spaces: &[Space] = match word.space {
            Space::Type => &[Space::Type],
            Space::Callable => &[Space::Callable],
            _ => &[Space::Value, Space::Type],
        };
        let beside = |d: &Declared<'_>| d.top && d.space != Space::Type && d.scope == import.scope;
        self.lookup(name, spaces, word.span.start).is_some_and(|d| !beside(&d))
    }

    /// The innermost declaration of a name that is visible at `at`.
    pub fn lookup(&self, name: &str, spaces: &[Space], at: u32) -> Option<Declared<'_>> {
        let mut scope = Some(self.scope_at(at));
        let mut walled = false;
        while let Some(i) = scope {
            let s = &self.scopes[i as usize];
            let seen = |b: &BoundName| b.from <= at || b.at.start <= at && at < b.at.end;
            let passes = |b: &BoundName| {
                !walled || b.space == Space::Type || b.lasts || self.owner_of(b.at).is_some()
            };
            let fits = |b: &&BoundName| spaces.contains(&b.space) && seen(b) && passes(b);
            let mut own = self.bound(i, name).filter(fits);
            // Declared twice: what tells the type stands with one of them.
            if let Some(b) = own.next() {
                let mut told = || own.find(|b| b.hint.is_some());
                return Some(Declared {
                    space: b.space,
                    at: b.at,
                    top: s.parent.is_none(),
                    scope: s.span,
                    hint: b.hint.as_ref().or_else(|| told()?.hint.as_ref()),
                });
            }
            walled |= s.walled;
            scope = s.parent;
        }
        None
    }

    /// True for the scope that is the whole file.
    pub fn is_whole(&self, scope: Span) -> bool {
        scope.end == u32::MAX || scope == self.scopes[0].span
    }

    /// The names that are declared at the top of the file.
    pub fn top_names(&self) -> impl Iterator<Item = &str> {
        self.scopes[0].bindings.iter().map(|b| b.name.as_str())
    }

    /// True if another import makes the same name known in the same place: one of them holds where the other cannot.
    pub fn bound_twice(&self, import: &Import) -> bool {
        let plain = |i: &Import| !i.wildcard && !i.passes_on && !i.binds_root;
        let other = |i: &Import| {
            plain(i)
                && i.local() == import.local()
                && i.path() != import.path()
                && i.scope == import.scope
                && i.is_type == import.is_type
                && (!self.apart || i.is_static == import.is_static)
        };
        import.local().is_some() && plain(import) && self.imports.iter().any(other)
    }

    /// The uses of a variable that is declared at a place, and the scope that it is known in; `None` if nothing is, or
    /// if it stands at the top of the file.
    pub fn uses_of_local(&self, name: &str, at: Span) -> Option<(Span, Vec<Word>)> {
        let spaces = [Space::Value, Space::Type, Space::Callable];
        let here = |place: u32| self.lookup(name, &spaces, place).filter(|d| d.at == at);
        let declared = here(at.start).filter(|d| !d.top)?;
        let words = self.words(name).iter().filter(|w| w.span != at && w.space != Space::Member);
        let uses = words.filter(|w| !w.key && here(w.span.start).is_some()).copied();
        Some((declared.scope, uses.collect()))
    }

    /// True if a variable of this name can be known in a scope: nothing there has the name, and nothing around it.
    pub fn is_free(&self, name: &str, scope: Span) -> bool {
        let spaces = [Space::Value, Space::Type, Space::Callable];
        let mut words = self.words(name).iter();
        !words.any(|w| w.space != Space::Member && !w.key && scope.contains(w.span))
            && self.lookup(name, &spaces, scope.start).is_none()
            && !self.imports.iter().any(|i| i.local() == Some(name))
    }

    /// Scopes are stored in source order of their starts: the innermost at a place is the last that
    /// starts before it and still holds it, or one of its ancestors.
    fn scope_at(&self, at: u32) -> u32 {
        let mut i = self.scopes.partition_point(|s| s.span.start <= at).max(1) as u32 - 1;
        while !(self.scopes[i as usize].span.start <= at && at < self.scopes[i as usize].span.end) {
            match self.scopes[i as usize].around {
                Some(around) => i = around,
                None => return i,
            }
        }
        i
    }
}

/// True if a word is one that an import of its kind makes known, where functions are imported apart from types.
fn serves(word: &Word, import: &Import) -> bool {
    match word.space {
        Space::Callable => import.is_static,
        Space::Type => !import.is_static,
        Space::Value | Space::Member | Space::Declared => false,
    }
}
