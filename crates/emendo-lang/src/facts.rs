//! What one pass over a file's tree tells: its package, imports, scopes and words.

use rustc_hash::{FxHashMap, FxHashSet};

use emendo_text::Span;
use tree_sitter::{Node, TreeCursor};

use crate::language::{Binding, Language, Names, Reach, Space};
use crate::tree::{Tree, span, token_texts, walk_cursor, words_in};

/// A name, or all names of a place, that an import statement brings into a file. A statement may bring several.
#[derive(Clone, Debug)]
pub struct Import {
    /// The statement.
    pub span: Span,
    /// Its own place in a statement that lists several.
    pub item: Option<Span>,
    /// The brackets around the list that it stands in.
    pub group: Option<Span>,
    /// The segments of its path, with their places.
    pub segments: Vec<(String, Span)>,
    /// How many leading segments stand once for the whole list.
    pub shared: usize,
    /// Takes all names below the path.
    pub wildcard: bool,
    /// Takes members of a type.
    pub is_static: bool,
    /// Another item may be added to its list.
    pub open: bool,
    /// It makes the first segment of its path known, with what lies below.
    pub binds_root: bool,
    /// The last segment is not written out: it follows from the form of the statement.
    pub implied: bool,
    path: String,
    local: Option<String>,
    aliased: bool,
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
    /// The name that the file knows it by, if that is not its own.
    pub alias: Option<String>,
}

impl ImportName {
    /// The plain import of a symbol, as the language imports what is used in this space.
    pub fn of(language: &Language, symbol: &str, space: Space) -> Self {
        let is_static = (language.names.imports_member)(symbol, space);
        Self { is_static, path: symbol.to_owned(), wildcard: false, alias: None }
    }
}

impl Import {
    /// An import of `segments` by the statement at `node`.
    pub(crate) fn new(names: &Names, node: Node<'_>, segments: Vec<(String, Span)>) -> Self {
        let words: Vec<&str> = segments.iter().map(|(s, _)| s.as_str()).collect();
        let path = names.join(&words);
        let local = words.last().map(|l| (*l).to_owned());
        Self {
            span: span(node),
            item: None,
            group: None,
            segments,
            shared: 0,
            wildcard: false,
            is_static: false,
            open: false,
            binds_root: false,
            implied: false,
            path,
            local,
            aliased: false,
        }
    }

    /// It takes all names below its path.
    pub(crate) fn all(mut self) -> Self {
        self.wildcard = true;
        self.local = None;
        self
    }

    /// It is known by another name in the file.
    pub(crate) fn known_as(mut self, local: &str) -> Self {
        self.local = Some(local.to_owned());
        self.aliased = true;
        self
    }

    /// It is one of several in its statement, behind `shared` segments.
    pub(crate) fn listed(
        mut self,
        item: Span,
        group: Option<Span>,
        shared: usize,
        open: bool,
    ) -> Self {
        (self.item, self.group, self.shared, self.open) = (Some(item), group, shared, open);
        self
    }

    /// The path, as a symbol.
    pub fn path(&self) -> &str {
        &self.path
    }

    /// The name that it makes known, unless it is a wildcard.
    pub fn local(&self) -> Option<&str> {
        self.local.as_deref()
    }

    /// True if the file knows it by a name of its own choosing.
    pub fn aliased(&self) -> bool {
        self.aliased
    }

    /// The place of its path.
    pub fn path_span(&self) -> Span {
        self.segments.iter().map(|(_, s)| *s).reduce(Span::hull).unwrap_or(self.span)
    }

    /// The import as a name.
    pub fn name(&self) -> ImportName {
        ImportName {
            is_static: self.is_static,
            path: self.path.clone(),
            wildcard: self.wildcard,
            alias: self.local.clone().filter(|_| self.aliased),
        }
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
    /// It is declared at the top of the file.
    pub(crate) top: bool,
}

/// The facts about one file, from one pass over its tree.
#[derive(Debug)]
pub struct FileFacts {
    /// The package that the file says it belongs to; empty if it says none.
    pub package: String,
    /// The place of the package statement.
    pub package_span: Option<Span>,
    /// The imports in order.
    pub imports: Vec<Import>,
    /// The end of what must stand before imports: a file comment, a documentation string, attributes of the file.
    pub preamble_end: u32,
    /// A part of the file could not be parsed.
    pub has_errors: bool,
    /// Words of types that are written in strings and comments: they use imports too.
    quoted: FxHashSet<String>,
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
            preamble_end: preamble_end(language, tree.root(), text),
            has_errors: tree.has_error(),
            quoted: FxHashSet::default(),
            scopes: vec![Scope {
                span: Span::new(0, text.len()),
                parent: None,
                bindings: Vec::new(),
            }],
            words: FxHashMap::default(),
        };
        let mut pass = Pass {
            language,
            text,
            facts: &mut facts,
            open: vec![0],
            parents: Vec::new(),
            import_until: 0,
        };
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

    /// True if a type that is written in a string or a comment uses this name.
    pub(crate) fn quotes(&self, name: &str) -> bool {
        self.quoted.contains(name)
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
                return Some(Declared { space: b.space, at: b.at, top: s.parent.is_none() });
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

fn preamble_end(language: &Language, root: Node<'_>, text: &str) -> u32 {
    let mut end = 0;
    let mut cursor = root.walk();
    if !cursor.goto_first_child() {
        return end;
    }
    loop {
        let node = cursor.node();
        let child = || node.named_child(0).map_or("", |c| c.kind());
        let known = |(kind, only): &(&str, &str)| {
            *kind == node.kind() && (only.is_empty() || *only == child())
        };
        let rest = &text[node.end_byte()..];
        let set_apart = rest.trim_start_matches([' ', '\t']).lines().take(2).count() == 2
            && rest.lines().nth(1).is_some_and(|l| l.trim().is_empty());
        if language.names.preamble.iter().any(known) || (node.is_extra() && set_apart) {
            end = node.end_byte() as u32;
        } else if !node.is_extra() {
            return end;
        }
        if !cursor.goto_next_sibling() {
            return end;
        }
    }
}

struct Pass<'a> {
    language: &'a Language,
    text: &'a str,
    facts: &'a mut FileFacts,
    open: Vec<u32>,
    /// The nodes above.
    parents: Vec<Above>,
    /// The end of a statement that imports and is walked all the same: nothing in it declares.
    import_until: u32,
}

struct Above {
    kind: &'static str,
    start: u32,
    opened: bool,
    /// The token that was passed last below it, if nothing named came since.
    token: &'static str,
    /// It stands behind a dot, and its first word stands for it.
    behind: bool,
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
        if let Some((kind, comment)) = names.quoted_types {
            let text = span(node).of(self.text);
            let in_type = || self.parents.iter().any(|p| p.kind == kind);
            let holds = if node.is_extra() {
                text.starts_with(comment)
            } else {
                self.language.strings.contains(&node.kind()) && in_type()
            };
            if holds {
                self.facts.quoted.extend(token_texts(text).map(|(_, t)| t.to_owned()));
            }
        }
        // What could not be parsed is marked as extra too; its words may be uses all the same.
        if node.is_extra() && !node.is_error() {
            return false;
        }
        if names.imports.contains(&kind) {
            self.facts.imports.extend((names.read_import)(node, self.text));
            return false;
        }
        if names.import_like.contains(&kind) {
            let found = (names.read_import)(node, self.text);
            if !found.is_empty() {
                self.facts.imports.extend(found);
                self.import_until = node.end_byte() as u32;
            }
        }
        if names.packages.contains(&kind) {
            let body = node.child_by_field_name("body");
            let name = node.child_by_field_name("name").unwrap_or(node);
            let mut words = Vec::new();
            words_in(name, self.text, &mut words);
            self.facts.package =
                words.iter().map(|(w, _)| w.as_str()).collect::<Vec<_>>().join(names.separator);
            self.facts.package_span = Some(body.map_or(span(node), |b| Span {
                start: node.start_byte() as u32,
                end: b.start_byte() as u32,
            }));
            if body.is_none() {
                return false;
            }
        }
        let token = self.word(cursor);
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
            behind: names.heads.contains(&kind) && names.member_after.contains(&token),
        });
        true
    }

    fn leave(&mut self) {
        if self.parents.pop().is_some_and(|p| p.opened) {
            self.open.pop();
        }
    }

    /// Notes a word. Gives the token before the node.
    fn word(&mut self, cursor: &TreeCursor<'_>) -> &'static str {
        let node = cursor.node();
        let names = &self.language.names;
        let token = self.parents.last_mut().map_or("", |p| std::mem::take(&mut p.token));
        let Some((_, space)) = names.words.iter().find(|(k, _)| *k == node.kind()) else {
            return token;
        };
        let (parent, start) = self.parents.last().map_or(("", 0), |p| (p.kind, p.start));
        let field = cursor.field_name().unwrap_or("");
        let at = span(node);
        let position =
            names.positions.iter().find(|(k, f, _)| *k == parent && (f.is_empty() || *f == field));
        let mut space = position.map_or(*space, |p| p.2);
        let behind = self.parents.last_mut().is_some_and(|p| std::mem::take(&mut p.behind));
        if (behind || names.member_after.contains(&token)) && space != Space::Declared {
            space = Space::Member;
        }
        if at.start < self.import_until {
            space = Space::Declared;
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
        token
    }

    fn bind(&mut self, node: Node<'_>, around: u32) {
        if (node.start_byte() as u32) < self.import_until {
            return;
        }
        let kind = node.kind();
        for rule in self.language.names.bindings.iter().filter(|b| b.kind == kind) {
            self.declare(rule, node, around);
        }
    }

    /// What a rule says that `node` declares.
    fn declare(&mut self, rule: &Binding, node: Node<'_>, around: u32) {
        let names = &self.language.names;
        let mut cursor = node.walk();
        let found: Vec<Node<'_>> = if rule.field.is_empty() {
            node.named_children(&mut cursor)
                .filter(|c| rule.child.is_empty() || c.kind() == rule.child)
                .collect()
        } else {
            node.children_by_field_name(rule.field, &mut cursor).collect()
        };
        let is_word = |n: &Node<'_>| names.words.iter().any(|(k, _)| *k == n.kind());
        let mut words = Vec::new();
        for n in found {
            if rule.deep {
                self.taken_apart(n, &mut words);
            } else if is_word(&n) {
                words.push(n);
            }
        }
        let scope = match rule.reach {
            Reach::Inside => self.open.last().copied().unwrap_or(around),
            Reach::Scope | Reach::Onwards => around,
        };
        let owner = self.parents.iter().rev().find(|p| p.opened);
        let member = owner.is_some_and(|o| names.member_scopes.contains(&o.kind));
        let onwards = rule.reach == Reach::Onwards && !member;
        let from = if onwards { node.start_byte() as u32 } else { 0 };
        let space = if member && names.members_need_receiver && rule.space != Space::Type {
            Space::Member
        } else {
            rule.space
        };
        for name in words {
            let (at, name) = (span(name), span(name).of(self.text).to_owned());
            self.facts.scopes[scope as usize].bindings.push(Bound { name, space, at, from });
        }
    }

    /// The names in a pattern that takes a value apart.
    fn taken_apart<'t>(&self, pattern: Node<'t>, out: &mut Vec<Node<'t>>) {
        let names = &self.language.names;
        walk_cursor(
            pattern,
            |cursor| {
                let node = cursor.node();
                // Not asked for the pattern itself: its own field is what led here.
                let parent = (node.id() != pattern.id()).then(|| cursor.field_name()).flatten();
                let skipped = names.pattern_skips.iter().any(|(kind, field)| {
                    if field.is_empty() { *kind == node.kind() } else { Some(*field) == parent }
                });
                if skipped {
                    return false;
                }
                if names.words.iter().any(|(k, _)| *k == node.kind()) {
                    out.push(node);
                }
                true
            },
            |_| {},
        );
    }
}
