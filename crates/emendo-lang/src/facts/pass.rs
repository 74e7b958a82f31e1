//! The one pass over a file's tree that its facts come from.

use std::cell::RefCell;

use emendo_text::Span;
use rustc_hash::{FxHashMap, FxHashSet};
use tree_sitter::{Node, TreeCursor};

use crate::facts::{Bound, FileFacts, Hint, Member, Scope, Tells, TypeDecl, Word};
use crate::language::{Binding, Language, Reach, Space, TypeRule};
use crate::tree::Tree;
use crate::tree::{children, span, token_texts, walk_cursor, words_in};

/// How far above a key the thing that it belongs to may stand.
const KEY_REACH: usize = 4;

/// Reads the facts of a text; for an outline, without its words.
pub(super) fn read(language: &Language, tree: &Tree, text: &str, outline: bool) -> FileFacts {
    let whole = Span::new(0, text.len());
    let mut facts = FileFacts {
        package: String::new(),
        module: String::new(),
        package_span: None,
        packages: Vec::new(),
        imports: Vec::new(),
        exports: Vec::new(),
        types: Vec::new(),
        literals: FxHashSet::default(),
        preamble_end: preamble_end(language, tree.root(), text),
        has_errors: tree.has_error(),
        comments: Vec::new(),
        strings: Vec::new(),
        quoted: FxHashSet::default(),
        scopes: vec![Scope { span: whole, parent: None, bindings: Vec::new() }],
        words: FxHashMap::default(),
        outer: std::sync::OnceLock::new(),
    };
    let pass = Pass {
        language,
        kinds: Vec::new(),
        text,
        facts: &mut facts,
        open: vec![0],
        types: Vec::new(),
        inside: Vec::new(),
        parents: Vec::new(),
        import_until: 0,
        outline,
        telling: Vec::new(),
        fields: RefCell::default(),
    };
    let pass = RefCell::new(pass);
    walk_cursor(
        tree.root(),
        |cursor| pass.borrow_mut().enter(cursor),
        |_| pass.borrow_mut().leave(),
    );
    facts
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

/// What a kind of node may be, one bit for each question that is asked of every node.
mod bits {
    pub(super) const KNOWN: u16 = 1;
    pub(super) const MEMBER_AFTER: u16 = 1 << 1;
    pub(super) const IMPORT: u16 = 1 << 2;
    pub(super) const IMPORT_LIKE: u16 = 1 << 3;
    pub(super) const EXPORT: u16 = 1 << 4;
    pub(super) const PACKAGE: u16 = 1 << 5;
    pub(super) const SCOPE: u16 = 1 << 6;
    pub(super) const TYPE: u16 = 1 << 7;
    pub(super) const BINDS: u16 = 1 << 8;
    pub(super) const MEMBER: u16 = 1 << 9;
    pub(super) const WORD: u16 = 1 << 10;
    pub(super) const TEXT: u16 = 1 << 11;
    pub(super) const VALUE: u16 = 1 << 12;
    pub(super) const HEAD: u16 = 1 << 13;
    pub(super) const NAMED: u16 = 1 << 14;
    pub(super) const SEALED: u16 = 1 << 15;
}

/// A kind of node, with what it may be.
#[derive(Clone, Copy)]
struct Kind {
    name: &'static str,
    bits: u16,
}

impl Kind {
    fn of(language: &Language, node: Node<'_>) -> Self {
        let name = language.kind(node);
        let names = &language.names;
        let types = &names.types;
        let member = types.members.iter().any(|m| m.0 == name)
            || types.parameters.iter().any(|p| p.0 == name)
            || (!name.is_empty() && [types.assigned.0, types.numbered.0].contains(&name));
        let value = is_literal(language, name);
        let all = [
            (bits::MEMBER_AFTER, names.member_after.contains(&name)),
            (bits::IMPORT, names.imports.contains(&name)),
            (bits::IMPORT_LIKE, names.import_like.contains(&name)),
            (bits::EXPORT, names.export_kinds.contains(&name)),
            (bits::PACKAGE, names.packages.contains(&name) || names.inner_modules.contains(&name)),
            (bits::SCOPE, names.scopes.contains(&name)),
            (bits::TYPE, types.declared.iter().any(|r| r.kind == name)),
            (bits::BINDS, names.bindings.iter().any(|b| b.kind == name)),
            (bits::MEMBER, member),
            (bits::WORD, names.words.iter().any(|w| w.0 == name)),
            (bits::TEXT, language.strings.contains(&name)),
            (bits::VALUE, value),
            (bits::HEAD, names.heads.contains(&name)),
            (bits::NAMED, node.is_named()),
            (bits::SEALED, names.sealed.contains(&name)),
        ];
        let bits = all.iter().filter(|b| b.1).fold(bits::KNOWN, |sum, b| sum | b.0);
        Self { name, bits }
    }

    fn is(self, bit: u16) -> bool {
        self.bits & bit != 0
    }
}

struct Pass<'a> {
    language: &'a Language,
    /// Kinds by their number, as they are met.
    kinds: Vec<Kind>,
    text: &'a str,
    facts: &'a mut FileFacts,
    open: Vec<u32>,
    /// The types around, as indices.
    types: Vec<usize>,
    /// The packages and modules around, inside the file.
    inside: Vec<String>,
    /// The nodes above.
    parents: Vec<Above>,
    /// The end of a statement that imports and is walked all the same: nothing in it declares.
    import_until: u32,
    /// Only what other files may ask for is wanted.
    outline: bool,
    /// Whether a field tells of the type of what stands around it, by its number.
    telling: Vec<bool>,
    /// Numbers of fields, as they are asked for.
    fields: RefCell<FxHashMap<&'static str, Option<u16>>>,
}

struct Above {
    kind: &'static str,
    span: Span,
    opened: bool,
    /// It declares a type.
    is_type: bool,
    /// How many segments of packages or modules it opened.
    packages: usize,
    /// The token that was passed last below it, if nothing named came since.
    token: &'static str,
    /// The named node that was passed last below it.
    last: Option<Span>,
    /// It stands behind a dot, and its first word stands for it.
    behind: bool,
    /// The type that it says its children are of.
    hint: Option<Hint>,
    /// The type that keys below it are members of.
    owner: Option<Span>,
}

impl Above {
    /// A named node was passed. Loose tokens that hang together count as one.
    fn pass(&mut self, language: &Language, text: &str, at: Span) {
        let hangs = |last: &Span| {
            let between = Span { start: last.end, end: at.start }.of(text).trim();
            let call = between.is_empty() && last.end == at.start;
            language.token_runs.contains(&self.kind)
                && (language.names.member_after.contains(&between)
                    || (call && at.of(text).starts_with(['(', '['])))
        };
        self.last = Some(self.last.filter(hangs).map_or(at, |last| last.hull(at)));
    }
}

impl Pass<'_> {
    fn enter(&mut self, cursor: &TreeCursor<'_>) -> bool {
        let node = cursor.node();
        let names = &self.language.names;
        let known = self.kind(node);
        let kind = known.name;
        if !known.is(bits::NAMED) || known.is(bits::MEMBER_AFTER) {
            let types = &names.types;
            if let Some(above) = self.parents.last_mut() {
                above.token = kind;
                if types.own.contains(&kind) || types.base.contains(&kind) {
                    above.last = Some(span(node));
                }
            }
            return false;
        }
        let extra = node.is_extra();
        if !self.outline && (known.is(bits::TEXT) || extra) {
            self.quoted(node, kind);
        }
        // What could not be parsed is marked as extra too; its words may be uses all the same.
        if extra && !node.is_error() {
            self.facts.comments.push(span(node));
            return false;
        }
        if self.outline && known.is(bits::SEALED) {
            return false;
        }
        if known.is(bits::IMPORT) && self.imports(node) {
            return false;
        }
        if known.is(bits::IMPORT_LIKE) && self.imports(node) {
            self.import_until = node.end_byte() as u32;
        }
        if known.is(bits::EXPORT) {
            self.facts.exports.extend((names.read_exports)(node, self.text));
        }
        let mut packages = 0;
        if known.is(bits::PACKAGE) {
            match self.package(node) {
                Some(n) => packages = n,
                None => return false,
            }
        }
        self.told_above(cursor, kind);
        let before_dot = !self.outline
            && known.is(bits::VALUE)
            && self.parents.last().is_some_and(|p| {
                self.language.chain.iter().any(|c| c.0 == p.kind)
                    || p.kind == self.language.parenthesized
            });
        if before_dot {
            self.facts.literals.insert(span(node));
        }
        let token = self.word(cursor, known);
        let around = self.open.last().copied().unwrap_or(0);
        let opens = known.is(bits::SCOPE) && !self.parents.is_empty();
        if opens {
            let id = self.facts.scopes.len() as u32;
            let scope = Scope { span: span(node), parent: Some(around), bindings: Vec::new() };
            self.facts.scopes.push(scope);
            self.open.push(id);
        }
        let is_type = known.is(bits::TYPE) && self.declares(node, kind);
        if known.is(bits::BINDS) {
            self.bind(node, around);
        }
        if known.is(bits::MEMBER) {
            self.members(node, kind);
        }
        if node.child_count() == 0 {
            if opens {
                self.open.pop();
            }
            if let Some(above) = self.parents.last_mut() {
                above.pass(self.language, self.text, span(node));
            }
            return false;
        }
        self.parents.push(Above {
            kind,
            span: span(node),
            opened: opens,
            is_type,
            packages,
            token: "",
            last: None,
            behind: known.is(bits::HEAD) && names.member_after.contains(&token),
            hint: None,
            owner: None,
        });
        true
    }

    /// A node's child with this field; the field's number is looked up once.
    fn field<'t>(&self, node: Node<'t>, field: &'static str) -> Option<Node<'t>> {
        let known = self.fields.borrow().get(field).copied();
        let id = known.unwrap_or_else(|| {
            let id = node.language().field_id_for_name(field).map(std::num::NonZero::get);
            self.fields.borrow_mut().insert(field, id);
            id
        });
        node.child_by_field_id(id?)
    }

    /// The kind of a node, looked up once for each.
    fn kind(&mut self, node: Node<'_>) -> Kind {
        let id = node.kind_id() as usize;
        if id >= self.kinds.len() {
            // What could not be parsed has the last number of all.
            if id > 4096 {
                return Kind::of(self.language, node);
            }
            self.kinds.resize(id + 1, Kind { name: "", bits: 0 });
        }
        if !self.kinds[id].is(bits::KNOWN) {
            self.kinds[id] = Kind::of(self.language, node);
        }
        self.kinds[id]
    }

    fn leave(&mut self) {
        let Some(gone) = self.parents.pop() else { return };
        if gone.opened {
            self.open.pop();
        }
        if gone.is_type {
            self.types.pop();
        }
        self.inside.truncate(self.inside.len() - gone.packages);
        if let Some(above) = self.parents.last_mut() {
            above.pass(self.language, self.text, gone.span);
        }
    }

    /// Types in text, and what stands within literals.
    fn quoted(&mut self, node: Node<'_>, kind: &str) {
        let names = &self.language.names;
        let literal = self.language.strings.contains(&kind);
        if literal {
            self.facts.strings.push(within(node));
        }
        let Some((kind, comment)) = names.quoted_types else { return };
        let text = span(node).of(self.text);
        if node.is_extra() && text.starts_with(comment) {
            self.facts.quoted.extend(token_texts(text).map(|(_, t)| t.to_owned()));
        } else if literal && self.parents.iter().rev().take(8).any(|p| p.kind == kind) {
            self.type_in_text(within(node));
        }
    }

    /// The words of a type that stands in a literal.
    fn type_in_text(&mut self, at: Span) {
        let text = at.of(self.text);
        let mut path: Option<Span> = None;
        let mut dot = false;
        for (i, token) in token_texts(text) {
            let start = at.start as usize + i;
            if token.starts_with(|c: char| c.is_alphabetic() || c == '_') {
                let span = Span::new(start, start + token.len());
                let before = path.filter(|_| dot);
                let space = if before.is_some() { Space::Member } else { Space::Type };
                let path_start = before.map_or(span.start, |p| p.start);
                let word = Word { span, space, path_start, receiver: before, key: false };
                self.push(token, word);
                path = Some(before.map_or(span, |b| b.hull(span)));
                dot = false;
            } else {
                dot = token == ".";
                path = path.filter(|_| dot);
            }
        }
    }

    /// Reads a statement that imports; false if it does not.
    fn imports(&mut self, node: Node<'_>) -> bool {
        let mut found = (self.language.names.read_import)(node, self.text);
        let scope = self.open.last().map_or(0, |s| *s as usize);
        let any = !found.is_empty();
        for import in &mut found {
            import.scope = self.facts.scopes[scope].span;
            import.inside.clone_from(&self.inside);
        }
        self.facts.imports.extend(found);
        any
    }

    /// A statement that says a package. Gives how many segments it opens, `None` if nothing is in it.
    fn package(&mut self, node: Node<'_>) -> Option<usize> {
        let names = &self.language.names;
        let body = self.field(node, "body");
        let name = self.field(node, "name").unwrap_or(node);
        let mut words = Vec::new();
        words_in(name, self.text, &mut words);
        let own: Vec<String> = words.into_iter().map(|w| w.0).collect();
        let count = own.len();
        if names.inner_modules.contains(&node.kind()) {
            // A module without a body lies in a file of its own.
            let count = if body.is_some() { count } else { 0 };
            self.inside.extend(own.into_iter().take(count));
            return Some(count);
        }
        self.inside.extend(own);
        let whole = self.inside.join(names.separator);
        let until = body.map_or(self.text.len(), |_| node.end_byte());
        self.facts.packages.push((Span::new(node.start_byte(), until), whole.clone()));
        self.facts.package = whole;
        let end = body.map_or(node.end_byte(), |b| b.start_byte());
        self.facts.package_span = Some(Span::new(node.start_byte(), end));
        body.is_some().then_some(count)
    }

    /// Notes for what stands around what a child with a telling field says of it.
    fn told_above(&mut self, cursor: &TreeCursor<'_>, kind: &str) {
        let Some(id) = cursor.field_id() else { return };
        let types = &self.language.names.types;
        if self.telling.is_empty() {
            let grammar = cursor.node().language();
            self.telling.resize(grammar.field_count() + 1, false);
            let all = types.keys.iter().map(|k| k.owner).chain(types.fields.iter().copied());
            for id in all.filter_map(|f| grammar.field_id_for_name(f)) {
                self.telling[usize::from(id.get())] = true;
            }
        }
        if !self.telling.get(usize::from(id.get())).is_some_and(|t| *t) {
            return;
        }
        let Some(field) = cursor.field_name() else { return };
        let Some(above) = self.parents.last_mut() else { return };
        if types.keys.iter().any(|k| k.around == above.kind && k.owner == field) {
            let node = cursor.node();
            above.owner = Some(span(core_of(self.language, node).unwrap_or(node)));
        }
        if types.fields.contains(&field) && above.kind != kind {
            above.hint = type_head(self.language, cursor.node(), self.text)
                .filter(|p| !types.inferred.contains(&p.as_str()))
                .map(|path| Hint { path, how: Tells::Declared });
        }
    }

    /// Notes a word. Gives the token before the node.
    fn word(&mut self, cursor: &TreeCursor<'_>, kind: Kind) -> &'static str {
        let node = cursor.node();
        let names = &self.language.names;
        let token = self.parents.last_mut().map_or("", |p| std::mem::take(&mut p.token));
        if self.outline {
            if let Some(above) = self.parents.last_mut() {
                above.behind = false;
            }
            return token;
        }
        if kind.is(bits::TEXT) {
            self.listed(node);
        }
        if !kind.is(bits::WORD) {
            return token;
        }
        let at = span(node);
        let Some((_, space)) = names.words.iter().find(|(k, _)| *k == kind.name) else {
            return token;
        };
        let (parent, start) = self.parents.last().map_or(("", 0), |p| (p.kind, p.span.start));
        let field = || cursor.field_name().unwrap_or("");
        let positions = names.positions.iter();
        let position =
            { positions }.find(|(k, f, _)| *k == parent && (f.is_empty() || *f == field()));
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
        let mut receiver = None;
        let mut key = false;
        if space == Space::Member {
            let near = self.parents.iter().rev().take(if behind { 2 } else { 3 });
            receiver = near.filter_map(|p| p.last).next();
        } else if at.start >= self.import_until
            && let Some(owner) = self.key_of(node, kind.name, parent, &field)
        {
            (receiver, key) = (Some(owner), true);
        }
        self.push(at.of(self.text), Word { span: at, space, path_start, receiver, key });
        token
    }

    fn push(&mut self, text: &str, word: Word) {
        match self.facts.words.get_mut(text) {
            Some(words) => words.push(word),
            None => {
                self.facts.words.insert(text.to_owned(), vec![word]);
            }
        }
    }

    /// The type that a key is a member of, if the word is one.
    fn key_of<'f>(
        &self,
        node: Node<'_>,
        kind: &str,
        parent: &str,
        field: &dyn Fn() -> &'f str,
    ) -> Option<Span> {
        let rules = self.language.names.types.keys;
        let fits = |k: &&crate::language::KeyRule| {
            (k.pair == parent && (k.key.is_empty() || k.key == field())) || k.pair == kind
        };
        rules.iter().filter(fits).find_map(|rule| {
            let mut above = self.parents.iter().rev().take(KEY_REACH);
            // A pair around the pair: it is taken from what that one gives.
            let mut pairs = 0;
            let place = above.find(|p| {
                pairs += usize::from(rules.iter().any(|r| r.pair == p.kind));
                p.kind == rule.around
            })?;
            if pairs > usize::from(rule.pair == parent) {
                return None;
            }
            place.owner.or_else(|| {
                // What it is taken from stands behind it.
                let mut up = node.parent();
                while let Some(n) = up.filter(|n| n.kind() != rule.around) {
                    up = n.parent();
                }
                let owner = self.field(up?, rule.owner)?;
                Some(span(core_of(self.language, owner).unwrap_or(owner)))
            })
        })
    }

    /// A string of the list of names that the file passes on.
    fn listed(&mut self, node: Node<'_>) {
        let names = &self.language.names;
        if names.export_list.is_empty() || !self.language.strings.contains(&node.kind()) {
            return;
        }
        let in_list = self.parents.iter().rev().take(3).any(|p| {
            let head = self.text[p.span.start as usize..].trim_start();
            self.parents.len() <= 5
                && head
                    .strip_prefix(names.export_list)
                    .is_some_and(|r| r.trim_start().starts_with(['=', '+', ':', '.']))
        });
        if in_list {
            let at = within(node);
            let space = Space::Value;
            let word = Word { span: at, space, path_start: at.start, receiver: None, key: false };
            self.push(at.of(self.text), word);
        }
    }

    /// A type that the node declares.
    fn declares(&mut self, node: Node<'_>, kind: &str) -> bool {
        let names = &self.language.names;
        let Some(rule) = names.types.declared.iter().find(|r| r.kind == kind) else { return false };
        if rule.anonymous {
            let Some(body) = children(node).into_iter().find(|c| c.kind() == rule.name) else {
                return false;
            };
            return self.open_type(rule, node, Span::at(body.start_byte()), vec![String::new()]);
        }
        let Some(name) = self.field(node, rule.name) else { return false };
        let head = if rule.extends { core_of(self.language, name) } else { Some(name) };
        let Some(name) = head else { return false };
        let outer = self.types.last().map(|t| self.facts.types[*t].path.clone());
        let mut path = outer.filter(|_| !rule.extends).unwrap_or_default();
        path.push(clean(span(name).of(self.text)));
        self.open_type(rule, node, span(name), path)
    }

    fn open_type(&mut self, rule: &TypeRule, node: Node<'_>, at: Span, path: Vec<String>) -> bool {
        let supers = self.supers(rule, node);
        let alias = (!rule.alias.is_empty())
            .then(|| self.field(node, rule.alias))
            .flatten()
            .and_then(|t| type_head(self.language, t, self.text));
        self.types.push(self.facts.types.len());
        self.facts.types.push(TypeDecl {
            path,
            at,
            span: span(node),
            inside: self.inside.clone(),
            supers,
            alias,
            extends: rule.extends,
            members: Vec::new(),
        });
        if node.child_count() == 0 {
            self.types.pop();
            return false;
        }
        true
    }

    fn supers(&self, rule: &TypeRule, node: Node<'_>) -> Vec<(String, Span)> {
        let mut out = Vec::new();
        let mut holders: Vec<Node<'_>> = Vec::new();
        for child in children(node) {
            holders.extend(rule.supers.contains(&child.kind()).then_some(child));
        }
        for field in rule.supers {
            let by_field = self.field(node, field);
            holders.extend(by_field.filter(|n| !holders.contains(n)));
        }
        // Types stand directly in what holds them, or in lists within it.
        for _ in 0..3 {
            let mut next = Vec::new();
            for h in std::mem::take(&mut holders) {
                match type_head(self.language, h, self.text) {
                    Some(path) => out.push((path, span(h))),
                    None => next
                        .extend(children(h).into_iter().filter(|c| c.is_named() && !c.is_extra())),
                }
            }
            holders = next;
        }
        out.sort_by_key(|s| s.1.start);
        out
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
                if names.constants_in.contains(&rule.kind) {
                    let constant = |n: &Node<'_>| {
                        let text = span(*n).of(self.text);
                        text.contains(char::is_uppercase) && !text.contains(char::is_lowercase)
                    };
                    words.retain(|w| !constant(w));
                }
            } else if is_word(&n) {
                words.push(n);
            }
        }
        let scope = match rule.reach {
            Reach::Inside => self.open.last().copied().unwrap_or(around),
            Reach::Scope | Reach::Onwards => around,
        };
        let owner = self.parents.iter().rposition(|p| p.opened);
        let member = owner.is_some_and(|o| names.member_scopes.contains(&self.parents[o].kind));
        // A body without a name of its own has no members that anyone could ask for.
        let of_type = owner.is_some_and(|o| {
            self.parents[o].is_type || o.checked_sub(1).is_some_and(|up| self.parents[up].is_type)
        });
        let onwards = rule.reach == Reach::Onwards && !member;
        let from = if onwards { node.start_byte() as u32 } else { 0 };
        let space = if member && names.members_need_receiver && rule.space != Space::Type {
            Space::Member
        } else {
            rule.space
        };
        // A value that is taken apart has no type that tells that of its parts.
        let hint = match words.as_slice() {
            [_] if rule.space != Space::Type => self.hint(node),
            _ => None,
        };
        for name in words {
            let deep = || self.hint_of_pattern(name, node);
            let hint = hint.clone().or_else(|| rule.deep.then(deep).flatten());
            let (at, name) = (span(name), span(name).of(self.text).to_owned());
            if member && of_type && rule.space != Space::Type && rule.reach != Reach::Inside {
                self.member(name.clone(), at, rule.space, hint.clone());
            }
            self.facts.scopes[scope as usize].bindings.push(Bound { name, space, at, from, hint });
        }
    }

    /// A name among several in a node whose own parts tell its type: parameters that are bound together.
    fn hint_of_pattern(&self, name: Node<'_>, rule_node: Node<'_>) -> Option<Hint> {
        let mut up = name.parent();
        while let Some(n) = up.filter(|n| n.id() != rule_node.id()) {
            if let Some(hint) = self.declared_type(n) {
                return Some(hint);
            }
            up = n.parent();
        }
        None
    }

    fn declared_type(&self, node: Node<'_>) -> Option<Hint> {
        let types = &self.language.names.types;
        let found = types.fields.iter().find_map(|f| self.field(node, f))?;
        let path = type_head(self.language, found, self.text)?;
        let told = !types.inferred.contains(&path.as_str());
        told.then_some(Hint { path, how: Tells::Declared })
    }

    /// What tells the type of what a node declares.
    fn hint(&self, node: Node<'_>) -> Option<Hint> {
        let types = &self.language.names.types;
        let above = || self.parents.last().and_then(|p| p.hint.clone());
        let value = || {
            let (_, field) = types.values.iter().find(|v| v.0 == node.kind())?;
            let found = if field.is_empty() {
                let parts = children(node);
                let named: Vec<_> =
                    parts.iter().filter(|c| c.is_named() && !c.is_extra()).collect();
                (named.len() > 1).then(|| *named[named.len() - 1])?
            } else {
                self.field(node, field)?
            };
            value_hint(self.language, found, self.text)
        };
        self.declared_type(node).or_else(above).or_else(value)
    }

    /// Members that are no names in a scope.
    fn members(&mut self, node: Node<'_>, kind: &str) {
        let types = &self.language.names.types;
        let direct = self.parents.iter().rev().take(2).any(|p| p.is_type);
        for (_, field, space) in types.members.iter().filter(|m| m.0 == kind && direct) {
            let name = if field.is_empty() { Some(node) } else { self.field(node, field) };
            if let Some(name) = name {
                let hint = self.hint(node);
                self.member(span(name).of(self.text).to_owned(), span(name), *space, hint);
            }
        }
        let (list, field) = types.numbered;
        if kind == list && !list.is_empty() && direct {
            let mut cursor = node.walk();
            for (i, ty) in node.children_by_field_name(field, &mut cursor).enumerate() {
                let hint = type_head(self.language, ty, self.text)
                    .map(|path| Hint { path, how: Tells::Declared });
                self.member(i.to_string(), span(ty), Space::Value, hint);
            }
        }
        let (assigned, target, value) = types.assigned;
        if kind == assigned && !kind.is_empty() {
            let Some(target) = self.field(node, target) else { return };
            let Some(text) = plain(target, self.text) else { return };
            let Some((object, name)) = text.split_once('.') else { return };
            if types.own.contains(&object) && !name.contains(['.', '(', '[']) {
                let hint = self.declared_type(node).or_else(|| {
                    let value = self.field(node, value)?;
                    value_hint(self.language, value, self.text)
                });
                let at = Span::new(target.end_byte() - name.len(), target.end_byte());
                self.member(name.to_owned(), at, Space::Value, hint);
            }
        }
        for (_, child) in types.parameters.iter().filter(|p| p.0 == kind) {
            let marked = child.is_empty() || children(node).iter().any(|c| c.kind() == *child);
            // Without a mark, only those of the type itself are.
            let marked = marked && (direct || !child.is_empty());
            let named = self.field(node, "name").or(self.field(node, "pattern"));
            if let Some(name) = named.filter(|_| marked) {
                let hint = self.hint(node);
                self.member(span(name).of(self.text).to_owned(), span(name), Space::Value, hint);
                let own = self.types.last().map(|t| &mut self.facts.types[*t].members);
                if let Some(member) = own.and_then(|m| m.last_mut()) {
                    member.read_by_calls = types.read_by_calls && member.at == span(name);
                }
            }
        }
    }

    fn member(&mut self, name: String, at: Span, space: Space, hint: Option<Hint>) {
        let Some(owner) = self.types.last() else { return };
        let members = &mut self.facts.types[*owner].members;
        // Overloads are members of one name; what tells the type of one tells that of all.
        let known = members.iter().rev().take(64).find(|m| m.name == name && m.space == space);
        if known.is_some_and(|m| m.at == at) {
            return;
        }
        let hint = hint.or_else(|| known.and_then(|m| m.hint.clone()));
        members.push(Member { name, at, space, hint, read_by_calls: false });
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

/// What stands between the quotes of a literal: its contents as far as they are one piece.
fn within(node: Node<'_>) -> Span {
    let parts = children(node);
    let inner = parts.iter().filter(|c| c.is_named()).map(|c| span(*c)).reduce(Span::hull);
    match (parts.first(), parts.last()) {
        (Some(first), Some(last)) if parts.len() >= 2 && !first.is_named() => {
            Span::new(first.end_byte(), last.start_byte().max(first.end_byte()))
        }
        (Some(first), Some(last)) if parts.len() >= 2 && inner != Some(span(*first)) => {
            Span::new(first.end_byte(), last.start_byte().max(first.end_byte()))
        }
        _ if node.end_byte() - node.start_byte() >= 2 => {
            Span::new(node.start_byte() + 1, node.end_byte() - 1)
        }
        _ => span(node),
    }
}

/// True for kinds of literals: what they are is not a matter of names.
fn is_literal(language: &Language, kind: &str) -> bool {
    const FORMS: &[&str] =
        &["number", "string", "boolean", "null", "object", "list", "template", "function"];
    language.forms.iter().any(|(form, kinds)| FORMS.contains(form) && kinds.contains(&kind))
}

/// A dotted name without blanks.
fn clean(text: &str) -> String {
    text.chars().filter(|c| !c.is_whitespace()).collect()
}

/// Longest dotted name that is looked at.
const LONGEST: usize = 300;

/// A dotted name without blanks; `None` for a chain with calls, and for names of unlikely length.
fn plain(node: Node<'_>, text: &str) -> Option<String> {
    if node.end_byte() - node.start_byte() > LONGEST {
        return None;
    }
    let name = clean(span(node).of(text));
    let dotted =
        name.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '.' | ':' | '$' | '@' | '#'));
    dotted.then_some(name)
}

/// The node of a type's own name: without arguments, references and the like.
fn core_of<'t>(language: &Language, node: Node<'t>) -> Option<Node<'t>> {
    let names = &language.names;
    let types = &names.types;
    let mut node = node;
    for _ in 0..16 {
        let kind = node.kind();
        if names.words.iter().any(|w| w.0 == kind) || names.paths.contains(&kind) {
            return Some(node);
        }
        if !types.wraps.contains(&kind) {
            return None;
        }
        let inner: Vec<Node<'t>> = children(node)
            .into_iter()
            .filter(|c| c.is_named() && !c.is_extra() && !types.skipped.contains(&c.kind()))
            .collect();
        node = match inner.as_slice() {
            [one] => *one,
            // A type by its name and its arguments in brackets.
            _ => node.child_by_field_name("value")?,
        };
    }
    None
}

/// The name of a type, as it is written, without its arguments.
fn type_head(language: &Language, node: Node<'_>, text: &str) -> Option<String> {
    let types = &language.names.types;
    // A type in quotes is one all the same.
    let mut inner = node;
    while types.wraps.contains(&inner.kind()) && inner.named_child_count() == 1 {
        inner = inner.named_child(0)?;
    }
    if language.strings.contains(&inner.kind()) && types.wraps.contains(&node.kind()) {
        let parts = within(inner).of(text).split('|').map(str::trim);
        let mut parts = parts.filter(|p| !types.nothing.contains(p));
        let quoted = parts.next().filter(|_| parts.next().is_none())?;
        let dotted = !quoted.is_empty()
            && quoted.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '.'));
        return dotted.then(|| quoted.to_owned());
    }
    let core = core_of(language, node)?;
    let path = plain(core, text)?;
    if types.through.contains(&path.as_str()) {
        // A wrapper that leaves its contents what they are.
        let holder = core.parent()?;
        let arguments = children(holder).into_iter().find(|c| types.skipped.contains(&c.kind()))?;
        let first = children(arguments)
            .into_iter()
            .find(|c| c.is_named() && !types.skipped.contains(&c.kind()))?;
        return type_head(language, first, text);
    }
    Some(path)
}

/// What a value tells of its type.
fn value_hint(language: &Language, node: Node<'_>, text: &str) -> Option<Hint> {
    let types = &language.names.types;
    let mut node = node;
    while (language.waits.contains(&node.kind()) || node.kind() == language.parenthesized)
        && node.named_child_count() >= 1
    {
        node = node.named_child(0)?;
    }
    if let Some((_, field)) = types.made.iter().find(|m| m.0 == node.kind()) {
        let path = type_head(language, node.child_by_field_name(field)?, text)?;
        return Some(Hint { path, how: Tells::Made });
    }
    if node.kind() == types.call.0 {
        let function = node.child_by_field_name(types.call.1)?;
        let mut path = plain(core_of(language, function)?, text)?;
        let object = language.names.call.1;
        if !object.is_empty()
            && let Some(object) = node.child_by_field_name(object)
        {
            let own = types.own.contains(&object.kind());
            let object = if own { object } else { core_of(language, object)? };
            path = format!("{}{}{path}", plain(object, text)?, language.names.separator);
        }
        return Some(Hint { path, how: Tells::Called });
    }
    let named = language.names.words.iter().any(|w| w.0 == node.kind())
        || language.names.paths.contains(&node.kind());
    let path = if named { plain(node, text)? } else { return None };
    Some(Hint { path, how: Tells::Same })
}
