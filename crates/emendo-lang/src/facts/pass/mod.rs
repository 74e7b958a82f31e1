//! The one pass over a file's tree that its facts come from.

mod bindings;
mod doc_types;
mod hints;
mod imports;
mod kinds;
mod layers;
mod types;
mod words;

use std::cell::RefCell;

use crate::tree::{Node, TreeCursor};
use emendo_text::{RelPath, Span};
use rustc_hash::{FxHashMap, FxHashSet};

use crate::facts::pass::hints::preamble_end;
use crate::facts::pass::kinds::{KindFacts, bits};
use crate::facts::{FileFacts, Hint, Scope};
use crate::ground::Files;
use crate::language::Language;
use crate::tree::{Tree, children, part, span, walk_cursor};

/// How far above a key the thing that it belongs to may stand.
const KEY_REACH: usize = 6;

/// Reads the facts of a text; for an outline, without its words.
pub(super) fn read(language: &Language, tree: &Tree, text: &str, outline: bool) -> FileFacts {
    let whole = Span::new(0, text.len());
    let mut facts = FileFacts {
        package: String::new(),
        module: String::new(),
        folder: String::new(),
        package_span: None,
        apart: language.names.rooted,
        doc_types: Vec::new(),
        packages: Vec::new(),
        around: Vec::new(),
        imports: Vec::new(),
        exports: Vec::new(),
        types: Vec::new(),
        loose: FxHashSet::default(),
        literals: FxHashSet::default(),
        preamble_end: preamble_end(language, tree.root(), text),
        has_errors: tree.has_error(),
        comments: Vec::new(),
        strings: Vec::new(),
        templates: Vec::new(),
        docs: Vec::new(),
        quoted: FxHashSet::default(),
        scopes: vec![Scope {
            span: whole,
            parent: None,
            around: None,
            walled: false,
            bindings: Vec::new(),
        }],
        words: FxHashMap::default(),
        places: crate::facts::lookups::Lookups::default(),
        level: std::sync::OnceLock::new(),
    };
    let pass = Pass {
        language,
        tree,
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

struct Pass<'a> {
    language: &'a Language,
    /// For the layers of loose tokens.
    tree: &'a Tree,
    /// Kinds by their number, as they are met.
    kinds: Vec<KindFacts>,
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
    /// It stands after a dot, and its first word stands for it.
    behind: bool,
    /// The type that it says its children are of.
    hint: Option<Hint>,
    /// The type that keys below it are members of.
    owner: Option<Span>,
}

impl Above {
    fn new(kind: &'static str, span: Span, opened: bool) -> Self {
        Self {
            kind,
            span,
            opened,
            is_type: false,
            packages: 0,
            token: "",
            last: None,
            behind: false,
            hint: None,
            owner: None,
        }
    }

    /// A named node was passed. Loose tokens that hang together count as one.
    fn pass(&mut self, language: &Language, text: &str, at: Span) {
        let hangs = |last: &Span| {
            let between = Span { start: last.end, end: at.start }.of(text).trim();
            let call = between.is_empty() && last.end == at.start;
            language.fragments.token_runs.contains(&self.kind)
                && (language.words.member_after.contains(&between)
                    || (call && at.of(text).starts_with(['(', '['])))
        };
        self.last = Some(self.last.filter(hangs).map_or(at, |last| last.hull(at)));
    }
}

impl Pass<'_> {
    /// Takes in a node. Says whether its children are to be visited.
    fn enter(&mut self, cursor: &TreeCursor<'_>) -> bool {
        let node = cursor.node();
        let known = self.kind(node);
        let kind = known.name;
        // Among loose tokens a word of the language is a name like others.
        let runs = self.language.fragments.token_runs;
        let loose =
            known.is(bits::WORD) && self.parents.last().is_some_and(|p| runs.contains(&p.kind));
        if !(known.is(bits::NAMED) || loose) || known.is(bits::MEMBER_AFTER) {
            self.sign(node, kind);
            return false;
        }
        if self.is_aside(node, known) {
            return false;
        }
        let Some(packages) = self.statement(node, known) else { return false };
        self.told_above(cursor, kind);
        if self.is_before_dot(known) {
            self.facts.literals.insert(span(node));
        }
        let token = self.word(cursor, known);
        let around = self.open.last().copied().unwrap_or(0);
        let layered = self.is_layered(node);
        let outside = self.is_outside(cursor);
        let scope = known.is(bits::SCOPE) && !self.parents.is_empty() && self.holds_scope(node);
        let opens = scope || layered || outside;
        if opens {
            let sees = match outside {
                true => self.facts.scopes[around as usize].parent.unwrap_or(around),
                false => around,
            };
            self.open_scope(node, sees, around);
        }
        let is_type = known.is(bits::TYPE) && self.declares(node, kind);
        if known.is(bits::BINDS) {
            self.bind(node, around);
        }
        if known.is(bits::MEMBER) {
            self.members(node, kind);
        }
        if known.is(bits::SYMBOL) {
            self.symbol(node, kind);
        }
        if known.is(bits::BRINGS) {
            self.brings(node);
        }
        let page =
            layered && !self.language.grammar.layer.as_ref().is_none_or(|l| l.pages.is_empty());
        if page {
            self.parents.push(Above::new(kind, span(node), opens));
            self.paged(span(node));
            self.leave();
            return false;
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
        let behind = known.is(bits::HEAD) && self.language.words.member_after.contains(&token);
        let above = Above::new(kind, span(node), opens);
        self.parents.push(Above { is_type, packages, behind, ..above });
        if layered {
            self.layered(span(node), 1, 0);
            // The tokens themselves come now.
            if let Some(own) = self.parents.last_mut() {
                own.last = None;
            }
        }
        true
    }

    /// False for what would open a scope if it held something that it does not hold.
    fn holds_scope(&self, node: Node<'_>) -> bool {
        let holding = self.language.scopes.holding;
        let rule = holding.iter().find(|h| h.0 == node.kind());
        rule.is_none_or(|(_, kinds)| children(node).iter().any(|c| kinds.contains(&c.kind())))
    }

    /// True for what stands in a scope and is evaluated outside of it: it sees nothing that the scope declares.
    fn is_outside(&self, cursor: &TreeCursor<'_>) -> bool {
        let outside = self.language.scopes.outside;
        let Some(above) = self.parents.last().filter(|_| !outside.is_empty()) else { return false };
        let mut rules = outside.iter().filter(|o| o.kind == above.kind);
        let Some(rule) = rules.find(|o| Some(o.field) == cursor.field_name()) else { return false };
        // Only the first of its kind: those behind it see what it declares.
        let first = || {
            let holder = cursor.node().parent();
            let before = holder.and_then(|h| h.prev_named_sibling());
            before.is_none_or(|b| b.kind() != rule.kind)
        };
        !rule.first || first()
    }

    /// Passes a sign or a word of the language.
    fn sign(&mut self, node: Node<'_>, kind: &'static str) {
        let hints = &self.language.declares.hints;
        if let Some(above) = self.parents.last_mut() {
            above.token = kind;
            if hints.own.contains(&kind) || hints.base.contains(&kind) {
                above.last = Some(span(node));
            }
        }
    }

    /// Takes in comments and what stands in literals. True if nothing in the node is code that is asked for.
    fn is_aside(&mut self, node: Node<'_>, known: KindFacts) -> bool {
        let extra = self.language.is_comment(node);
        if !self.outline && (known.is(bits::TEXT) || extra) {
            self.quoted(node, known.name);
        }
        if !self.outline && known.is(bits::TEMPLATE) {
            self.template(node);
        }
        // What could not be parsed is marked as extra too; its words may be uses all the same.
        if extra && !node.is_error() {
            self.facts.comments.push(span(node));
            self.doc_types(span(node));
            return true;
        }
        self.outline && known.is(bits::SEALED)
    }

    /// Takes in what a statement imports, exports or says of packages. Gives how many segments of packages it opens;
    /// `None` if nothing else is in it.
    fn statement(&mut self, node: Node<'_>, known: KindFacts) -> Option<usize> {
        if known.is(bits::IMPORT) && self.imports(node) {
            return None;
        }
        if known.is(bits::IMPORT_LIKE) && self.imports(node) {
            self.import_until = node.end_byte() as u32;
        }
        if known.is(bits::EXPORT) {
            self.facts.exports.extend((self.language.exports.read_exports)(node, self.text));
        }
        if known.is(bits::PACKAGE) { self.package(node) } else { Some(0) }
    }

    /// True for a literal right before a dot.
    fn is_before_dot(&self, known: KindFacts) -> bool {
        let compare = &self.language.compare;
        !self.outline
            && known.is(bits::VALUE)
            && self.parents.last().is_some_and(|p| {
                compare.chain.iter().any(|c| c.0 == p.kind) || p.kind == compare.parenthesized
            })
    }

    /// A node's child with this field; the field's number is looked up once.
    fn field<'t>(&self, node: Node<'t>, field: &'static str) -> Option<Node<'t>> {
        if field.contains('/') {
            return part(node, field);
        }
        let known = self.fields.borrow().get(field).copied();
        let id = known.unwrap_or_else(|| {
            let id = node.field_number(field);
            self.fields.borrow_mut().insert(field, id);
            id
        });
        node.child_by_field_id(id?)
    }

    /// The kind of a node, looked up once for each.
    fn kind(&mut self, node: Node<'_>) -> KindFacts {
        let id = node.kind_id() as usize;
        if id >= self.kinds.len() {
            // What could not be parsed has the last number of all.
            if id > 4096 {
                return KindFacts::of(self.language, node);
            }
            self.kinds.resize(id + 1, KindFacts { name: "", bits: 0 });
        }
        if !self.kinds[id].is(bits::KNOWN) {
            self.kinds[id] = KindFacts::of(self.language, node);
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
        if let Some(above) = self.parents.last_mut()
            && !self.language.words.asides.contains(&gone.kind)
        {
            above.pass(self.language, self.text, gone.span);
        }
    }
}

impl FileFacts {
    /// Reads the facts of a text that lies nowhere.
    pub fn read(language: &Language, tree: &Tree, text: &str) -> Self {
        read(language, tree, text, false)
    }

    /// Reads the facts of a file: its module, and what its imports mean there.
    pub fn of_file(
        language: &Language,
        tree: &Tree,
        text: &str,
        path: &RelPath,
        files: &dyn Files,
    ) -> Self {
        Self::read(language, tree, text).located(language, path, files)
    }

    /// What other files may ask of the text of a file: its imports, its declarations, what it passes on. No words.
    pub fn outline(
        language: &Language,
        tree: &Tree,
        text: &str,
        path: &RelPath,
        files: &dyn Files,
    ) -> Self {
        read(language, tree, text, true).located(language, path, files)
    }

    fn located(mut self, language: &Language, path: &RelPath, files: &dyn Files) -> Self {
        self.locate(language, path, files);
        self
    }

    fn locate(&mut self, language: &Language, path: &RelPath, files: &dyn Files) {
        self.around = (language.imports.of_project)(path, files);
        let Some(modules) = &language.modules else { return };
        self.module = (modules.of)(path, files);
        path.folder().clone_into(&mut self.folder);
        for import in &mut self.imports {
            let written: Vec<&str> = import.segments.iter().map(|s| s.0.as_str()).collect();
            let mut here = self.module.clone();
            for name in &import.inside {
                here.push_str(language.names.separator);
                here.push_str(name);
            }
            if let Some(absolute) = (modules.absolute)(&written, &here, path, files) {
                import.located(language.names.join(&absolute));
            }
        }
    }
}
