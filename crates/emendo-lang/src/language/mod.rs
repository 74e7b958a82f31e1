//! What a language is: facts in tables, filled by one file each in `languages/`.

mod calls;
mod declared;
mod grammar;
mod imports;
mod modules;
mod names;
mod scopes;
mod shape;
mod space;
mod tags;
mod typing;
mod words;

use emendo_text::RelPath;

pub use calls::{
    ArgumentRule, CalleeRule, Calls, FunctionRule, FunctionTypeRule, Memberwise, Packing, Taken,
    Waiting,
};
pub use declared::{Binding, Declares, Hints, KeyRule, TypeRule, anonymous, bind, declares};
pub use grammar::{Budget, Dialect, Grammar, Layer, Reshape};
pub use imports::{Exports, Imports};
pub use modules::{Absolute, Modules, PathTo};
pub use names::{Names, TypeFiles};
pub use scopes::{Outside, Scopes, Shadows};
pub use shape::{
    BareValue, Compare, Context, DeclarationShape, Flow, Fragments, Keyed, OtherForms, Placeholder,
    Writing, context,
};
pub use typing::{
    Branch, Branching, BuiltIn, CaseRule, Delegate, Gives, Intro, Origin, ReturnRule, Syntax, Test,
    TypePart, Typing,
};
pub use words::{DocCode, DocTypes, Split, SymbolOf, SymbolRule, Words};

pub use space::{Reach, Space};
pub use tags::Tags;

use crate::ground::ImportName;

/// The facts about one language. Nothing else in the engine knows a language by name.
pub struct Language {
    /// The word used in recipes (`lang = "java"`).
    pub id: &'static str,
    /// The name shown to people.
    pub title: &'static str,
    /// The grammar, and the files that are read with it.
    pub grammar: Grammar,
    /// How pieces of source are read by themselves.
    pub fragments: Fragments,
    /// What tells two codes apart.
    pub compare: Compare,
    /// How new code is written.
    pub writing: Writing,
    /// What is done, and when.
    pub flow: Flow,
    /// How symbols are written.
    pub names: Names,
    /// Where names stand.
    pub words: Words,
    /// What declares them.
    pub scopes: Scopes,
    /// What brings them into a file.
    pub imports: Imports,
    /// What passes them on to other files.
    pub exports: Exports,
    /// Where modules lie; none where files say themselves what they belong to.
    pub modules: Option<Modules>,
    /// How types and their members are declared.
    pub declares: Declares,
    /// How expressions are typed.
    pub typing: Typing,
    /// Markup within the code.
    pub tags: Tags,
}

impl Language {
    /// A language of which nothing but its grammar is known: its file says the rest, group by group.
    pub const fn new(id: &'static str, title: &'static str, grammar: Grammar) -> Self {
        Self {
            id,
            title,
            grammar,
            fragments: Fragments::NONE,
            compare: Compare::NONE,
            writing: Writing::NONE,
            flow: Flow::NONE,
            names: Names::NONE,
            words: Words::NONE,
            scopes: Scopes::NONE,
            imports: Imports::NONE,
            exports: Exports::NONE,
            modules: None,
            declares: Declares::NONE,
            typing: Typing::NONE,
            tags: Tags::NONE,
        }
    }
}

impl Language {
    /// True if a file of this name is of this language.
    pub fn claims(&self, path: &RelPath) -> bool {
        match path.read_as() {
            Some(word) => word == self.id,
            None => {
                let ends = || path.extension().is_some_and(|e| self.claims_ending(e));
                self.grammar.names.contains(&path.name()) || !self.excepts(path) && ends()
            }
        }
    }

    /// True if a file of this name can be read as this language.
    pub fn reads(&self, path: &RelPath) -> bool {
        match path.read_as() {
            Some(word) => word == self.id,
            None => {
                let ends = || path.extension().is_some_and(|e| self.reads_ending(e));
                self.grammar.names.contains(&path.name()) || !self.excepts(path) && ends()
            }
        }
    }

    fn excepts(&self, path: &RelPath) -> bool {
        self.grammar.except.iter().any(|e| path.name().ends_with(e))
    }

    /// True if files with this ending are of this language.
    pub fn claims_ending(&self, ending: &str) -> bool {
        self.grammar.extensions.contains(&ending)
    }

    /// True if code as in files with this ending can be read as this language.
    pub fn reads_ending(&self, ending: &str) -> bool {
        self.grammar.extensions.contains(&ending) || self.grammar.also_reads.contains(&ending)
    }

    /// The grammar for files with this ending.
    pub(crate) fn grammar_for(&self, ending: Option<&str>) -> &'static tree_sitter::Language {
        let dialect = self
            .grammar
            .dialects
            .iter()
            .find(|d| ending.is_some_and(|e| d.extensions.contains(&e)));
        dialect.map_or_else(|| (self.grammar.main)(), |d| (d.grammar)())
    }

    /// The kind of a node, as long-lived as the language.
    pub fn kind(&self, node: crate::ground::Node<'_>) -> &'static str {
        if let Some(own) = node.own_kind() {
            return own;
        }
        let main = (self.grammar.main)();
        let own = node.language();
        let grammar = self
            .grammar
            .dialects
            .iter()
            .map(|d| (d.grammar)())
            .find(|g| **g == *own)
            .unwrap_or(main);
        grammar.node_kind_for_id(node.kind_id()).unwrap_or("")
    }

    /// True for a kind of function.
    pub fn is_function(&self, kind: &str) -> bool {
        self.typing.calls.functions.iter().any(|f| f.kind == kind)
    }

    /// True for a comment, and not for a text that stands below the line which it belongs to.
    pub fn is_comment(&self, node: crate::ground::Node<'_>) -> bool {
        node.is_extra() && (self.flow.below.1.is_empty() || node.kind() != self.flow.below.1)
    }

    /// The node itself, or what it wraps without adding anything.
    pub fn core<'t>(&self, mut node: crate::ground::Node<'t>) -> crate::ground::Node<'t> {
        while node.child_count() == 1 && self.compare.transparent.contains(&node.kind()) {
            let Some(inner) = node.child(0) else { break };
            node = inner;
        }
        node
    }

    /// The name of a variable without the mark before it; any other node itself.
    pub fn unmarked<'t>(
        &self,
        node: crate::ground::Node<'t>,
        text: &str,
    ) -> crate::ground::Node<'t> {
        let mark = self.names.variable_mark;
        let marked = !mark.is_empty() && text[node.start_byte()..].starts_with(mark);
        if marked { node.named_child(0).unwrap_or(node) } else { node }
    }

    /// True for what a single slot never takes.
    pub fn is_spread(&self, node: crate::ground::Node<'_>) -> bool {
        let kind = node.kind();
        self.compare.spreads.contains(&self.core(node).kind())
            || self
                .compare
                .spread_fields
                .iter()
                .any(|(k, f)| *k == kind && node.child_by_field_name(f).is_some())
    }

    /// What a link of a chain hangs on; `None` for a node that is not a link.
    pub fn base_of<'t>(&self, node: crate::ground::Node<'t>) -> Option<crate::ground::Node<'t>> {
        let (_, field) = self.compare.chain.iter().find(|(k, _)| *k == node.kind())?;
        if field.is_empty() { node.child(0) } else { node.child_by_field_name(field) }
    }

    /// True for the field of the key of a pair.
    pub fn is_key(&self, field: Option<&str>) -> bool {
        field.is_some_and(|f| self.compare.keyed.iter().any(|k| k.key == f))
    }

    /// A field's name, as long-lived as the language.
    pub fn field(&self, name: Option<&str>) -> Option<&'static str> {
        let own = self.grammar.reshape.as_ref().map_or(&[][..], |r| r.fields);
        if let Some(field) = own.iter().find(|f| Some(**f) == name) {
            return Some(field);
        }
        let grammar = (self.grammar.main)();
        grammar.field_name_for_id(grammar.field_id_for_name(name?)?.get())
    }

    /// The plain import of a symbol, as it is imported where it is used in this space.
    pub fn import_of(&self, symbol: &str, space: Space) -> ImportName {
        let is_static = (self.imports.imports_member)(symbol, space);
        ImportName { is_static, ..ImportName::plain(symbol) }
    }

    /// A symbol as the imports of a file in a folder write it: modules of the project may be written from there on.
    pub fn spelled_from(&self, folder: &str, symbol: &str) -> Option<String> {
        let mut segments = self.names.segments(symbol);
        let first = (self.modules.as_ref()?.from_folder)(segments.first()?, folder)?;
        segments[0] = &first;
        Some(self.names.join(&segments))
    }

    /// The declaration facts of a kind.
    pub fn declaration(&self, kind: &str) -> Option<&'static DeclarationShape> {
        self.compare.declarations.iter().find(|d| d.kind == kind)
    }

    /// True if two kinds count as one.
    pub fn alike(&self, a: &str, b: &str) -> bool {
        a == b || self.compare.alike.iter().any(|g| g.contains(&a) && g.contains(&b))
    }

    /// True if a token of this kind never tells two codes apart.
    pub fn is_separator(&self, kind: &str) -> bool {
        self.compare.separators.contains(&kind) || self.compare.optional.contains(&kind)
    }

    /// The brackets that code needs where it is put in another place, by the kind and the field of that.
    pub fn brackets(
        &self,
        Moved { kind, open, followed }: Moved<'_>,
        (place, field): (&str, &str),
    ) -> Option<(&'static str, &'static str)> {
        let is = |at: (&str, &str)| at.0 == place && (at.1.is_empty() || at.1 == field);
        if let Some(bare) = self.writing.bare.iter().find(|b| b.kind == kind) {
            let stands = !followed && bare.stands.iter().any(|s| is(*s));
            return (!stands).then_some(bare.brackets);
        }
        let binds = self.writing.binding.iter().any(|b| is(*b));
        let among = self.compare.lists.contains(&place)
            || self.compare.keyed.iter().any(|k| k.pair == place);
        let loose =
            self.writing.loose.contains(&kind) && !self.writing.flat.contains(&(kind, place));
        let caught = self.writing.caught.iter().any(|c| c.0 == kind && is((c.1, c.2)));
        let needs = binds && loose || caught || (binds || among) && open();
        needs.then_some(("(", ")"))
    }

    /// True for a list that does without its brackets, and for code that has one or ends in one.
    pub fn is_open(&self, node: crate::ground::Node<'_>) -> bool {
        if self.compare.bracketed.is_empty() {
            return false;
        }
        let bare = |n: crate::ground::Node<'_>| {
            let given = self.typing.calls.arguments.lists.contains(&n.kind());
            let rule = self.compare.bracketed.iter().find(|b| given && b.0 == n.kind());
            rule.is_some_and(|r| n.child(0).is_some_and(|first| !r.1.contains(&first.kind())))
        };
        let mut at = Some(node);
        while let Some(n) = at {
            let last = n.child_count().checked_sub(1).and_then(|last| n.child(last));
            if last.is_some_and(|l| self.writing.closing.contains(&l.kind())) {
                return false;
            }
            if bare(n) || n.children(&mut n.walk()).any(bare) {
                return true;
            }
            at = last;
        }
        false
    }
}

/// Code that is put in another place.
#[derive(Clone, Copy)]
pub struct Moved<'a> {
    /// Its kind.
    pub kind: &'a str,
    /// True if it would take in what stands behind it in a list.
    pub open: &'a dyn Fn() -> bool,
    /// Something stands behind it in a list that did not before.
    pub followed: bool,
}

impl std::fmt::Debug for Language {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id)
    }
}
