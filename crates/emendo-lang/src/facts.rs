//! What one pass over a file's tree tells: its package, imports, scopes and words.

use rustc_hash::FxHashMap;

use emendo_text::Span;
use tree_sitter::{Node, TreeCursor};

use crate::language::{Language, Reach, Space};
use crate::tree::{Tree, span, walk_cursor, words_in};

/// An import statement of a file.
#[derive(Clone, Debug)]
pub struct Import {
    /// The statement.
    pub span: Span,
    /// The segments of its path, with their places.
    pub segments: Vec<(String, Span)>,
    /// Takes all names below the path.
    pub wildcard: bool,
    /// Takes members of a type.
    pub is_static: bool,
    path: String,
}

/// An import as a name, without a place.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct ImportName {
    /// Takes members of a type.
    pub is_static: bool,
    /// The full symbol, or what a wildcard stands below.
    pub path: String,
    /// Takes all names below the path.
    pub wildcard: bool,
}

impl Import {
    /// An import statement at `node`.
    pub(crate) fn new(
        node: Node<'_>,
        segments: Vec<(String, Span)>,
        wildcard: bool,
        is_static: bool,
    ) -> Self {
        let path = segments.iter().map(|(s, _)| s.as_str()).collect::<Vec<_>>().join(".");
        Self { span: span(node), segments, wildcard, is_static, path }
    }

    /// The dotted path.
    pub fn path(&self) -> &str {
        &self.path
    }

    /// The name that it makes known, unless it is a wildcard.
    pub fn local(&self) -> Option<&str> {
        if self.wildcard { None } else { self.segments.last().map(|(s, _)| s.as_str()) }
    }

    /// The place of its path.
    pub fn path_span(&self) -> Span {
        self.segments.iter().map(|(_, s)| *s).reduce(Span::hull).unwrap_or(self.span)
    }

    /// The import as a name.
    pub fn name(&self) -> ImportName {
        ImportName { is_static: self.is_static, path: self.path.clone(), wildcard: self.wildcard }
    }
}

/// A single name somewhere in the code (imports and the package statement are not among them).
#[derive(Clone, Copy, Debug)]
pub struct Word {
    /// Its place.
    pub span: Span,
    /// The space that its position asks.
    pub space: Space,
    /// Where the dotted name begins that it belongs to.
    pub path_start: u32,
}

#[derive(Debug)]
struct Scope {
    span: Span,
    parent: Option<u32>,
    bindings: Vec<Bound>,
}

#[derive(Debug)]
struct Bound {
    name: String,
    space: Space,
    at: Span,
    from: u32,
}

/// A name found in a scope.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Declared {
    /// The space it lives in.
    pub(crate) space: Space,
    /// Where it is declared.
    pub(crate) at: Span,
}

/// The facts about one file, from one pass over its tree.
#[derive(Debug)]
pub struct FileFacts {
    /// The package that the file says it belongs to; empty if it says none.
    pub package: String,
    /// The place of the package statement.
    pub package_span: Option<Span>,
    /// The import statements in order.
    pub imports: Vec<Import>,
    scopes: Vec<Scope>,
    words: FxHashMap<String, Vec<Word>>,
}

impl FileFacts {
    /// Reads the facts of a file.
    pub fn read(language: &Language, tree: &Tree, text: &str) -> Self {
        let mut facts = Self {
            package: String::new(),
            package_span: None,
            imports: Vec::new(),
            scopes: vec![Scope {
                span: Span::new(0, text.len()),
                parent: None,
                bindings: Vec::new(),
            }],
            words: FxHashMap::default(),
        };
        let mut pass =
            Pass { language, text, facts: &mut facts, open: vec![0], parents: Vec::new() };
        let pass = std::cell::RefCell::new(&mut pass);
        walk_cursor(
            tree.root(),
            |cursor| pass.borrow_mut().enter(cursor),
            |_| pass.borrow_mut().leave(),
        );
        facts
    }

    /// The import statement of a symbol itself, if there is one: what a written name rests on must stay.
    pub fn import_of(&self, symbol: &str) -> Option<ImportName> {
        self.imports.iter().find(|i| !i.wildcard && i.path() == symbol).map(Import::name)
    }

    /// All places of a single name.
    pub fn words(&self, name: &str) -> &[Word] {
        self.words.get(name).map_or(&[], Vec::as_slice)
    }

    /// All single names of the file.
    pub fn all_words(&self) -> impl Iterator<Item = (&str, &[Word])> {
        self.words.iter().map(|(k, v)| (k.as_str(), v.as_slice()))
    }

    /// Names of the types that the file declares at its top level.
    pub fn top_types(&self) -> impl Iterator<Item = &str> {
        let top = self.scopes[0].bindings.iter().filter(|b| b.space == Space::Type);
        top.map(|b| b.name.as_str())
    }

    /// True if a word does not mean what is imported under its name: something in its scope hides that.
    pub(crate) fn hides(&self, name: &str, word: &Word) -> bool {
        let spaces: &[Space] = match word.space {
            Space::Type => &[Space::Type],
            Space::Callable => &[Space::Callable],
            _ => &[Space::Value, Space::Type],
        };
        self.lookup(name, spaces, word.span.start).is_some()
    }

    /// The innermost declaration of a name that is visible at `at`.
    pub(crate) fn lookup(&self, name: &str, spaces: &[Space], at: u32) -> Option<Declared> {
        let mut scope = Some(self.scope_at(at));
        while let Some(i) = scope {
            let s = &self.scopes[i as usize];
            let hit = s
                .bindings
                .iter()
                .find(|b| b.name == name && spaces.contains(&b.space) && b.from <= at);
            if let Some(b) = hit {
                return Some(Declared { space: b.space, at: b.at });
            }
            scope = s.parent;
        }
        None
    }

    /// Scopes are stored in source order of their starts: the innermost at a place is the last that
    /// starts before it and still holds it, or one of its ancestors.
    fn scope_at(&self, at: u32) -> u32 {
        let mut i = self.scopes.partition_point(|s| s.span.start <= at).max(1) as u32 - 1;
        while !(self.scopes[i as usize].span.start <= at && at < self.scopes[i as usize].span.end) {
            match self.scopes[i as usize].parent {
                Some(parent) => i = parent,
                None => return i,
            }
        }
        i
    }
}

struct Pass<'a> {
    language: &'a Language,
    text: &'a str,
    facts: &'a mut FileFacts,
    open: Vec<u32>,
    /// The nodes above.
    parents: Vec<Above>,
}

struct Above {
    kind: &'static str,
    start: u32,
    opened: bool,
    /// The token that was passed last below it, if nothing named came since.
    token: &'static str,
}

impl Pass<'_> {
    fn enter(&mut self, cursor: &TreeCursor<'_>) -> bool {
        let node = cursor.node();
        let names = &self.language.names;
        let kind = self.language.kind(node);
        if !node.is_named() {
            if let Some(above) = self.parents.last_mut() {
                above.token = kind;
            }
            return false;
        }
        if node.is_extra() {
            return false;
        }
        if kind == names.import {
            self.facts.imports.extend((names.read_import)(node, self.text));
            return false;
        }
        if kind == names.package {
            let mut words = Vec::new();
            words_in(node, self.text, &mut words);
            self.facts.package =
                words.iter().map(|(w, _)| w.as_str()).collect::<Vec<_>>().join(names.separator);
            self.facts.package_span = Some(span(node));
            return false;
        }
        self.word(cursor);
        let around = self.open.last().copied().unwrap_or(0);
        let opens = names.scopes.contains(&kind) && !self.parents.is_empty();
        if opens {
            let id = self.facts.scopes.len() as u32;
            self.facts.scopes.push(Scope {
                span: span(node),
                parent: Some(around),
                bindings: Vec::new(),
            });
            self.open.push(id);
        }
        self.bind(node, around);
        if node.child_count() == 0 {
            if opens {
                self.open.pop();
            }
            return false;
        }
        self.parents.push(Above {
            kind,
            start: node.start_byte() as u32,
            opened: opens,
            token: "",
        });
        true
    }

    fn leave(&mut self) {
        if self.parents.pop().is_some_and(|p| p.opened) {
            self.open.pop();
        }
    }

    fn word(&mut self, cursor: &TreeCursor<'_>) {
        let node = cursor.node();
        let names = &self.language.names;
        let token = self.parents.last_mut().map_or("", |p| std::mem::take(&mut p.token));
        let Some((_, space)) = names.words.iter().find(|(k, _)| *k == node.kind()) else { return };
        let (parent, start) = self.parents.last().map_or(("", 0), |p| (p.kind, p.start));
        let field = cursor.field_name().unwrap_or("");
        let at = span(node);
        let position =
            names.positions.iter().find(|(k, f, _)| *k == parent && (f.is_empty() || *f == field));
        let mut space = position.map_or(*space, |p| p.2);
        if names.member_after.contains(&token) && space != Space::Declared {
            space = Space::Member;
        }
        let in_path = space == Space::Member && names.paths.contains(&parent);
        let path_start = if in_path { start } else { at.start };
        let word = Word { span: at, space, path_start };
        let text = at.of(self.text);
        match self.facts.words.get_mut(text) {
            Some(words) => words.push(word),
            None => {
                self.facts.words.insert(text.to_owned(), vec![word]);
            }
        }
    }

    fn bind(&mut self, node: Node<'_>, around: u32) {
        let kind = node.kind();
        let names = &self.language.names;
        for rule in names.bindings.iter().filter(|b| b.kind == kind) {
            let found = if rule.field.is_empty() {
                let mut cursor = node.walk();
                node.named_children(&mut cursor).filter(|c| c.kind() == rule.child).collect()
            } else {
                node.child_by_field_name(rule.field).into_iter().collect::<Vec<_>>()
            };
            for name in
                found.into_iter().filter(|n| names.words.iter().any(|(k, _)| *k == n.kind()))
            {
                let scope = match rule.reach {
                    Reach::Inside => self.open.last().copied().unwrap_or(around),
                    Reach::Scope | Reach::Onwards => around,
                };
                let owner = self.parents.iter().rev().find(|p| p.opened);
                let member = owner.is_some_and(|o| names.member_scopes.contains(&o.kind));
                let from = if rule.reach == Reach::Onwards && !member {
                    node.start_byte() as u32
                } else {
                    0
                };
                self.facts.scopes[scope as usize].bindings.push(Bound {
                    name: span(name).of(self.text).to_owned(),
                    space: rule.space,
                    at: span(name),
                    from,
                });
            }
        }
    }
}
