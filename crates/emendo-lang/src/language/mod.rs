//! What a language is: facts in tables, filled by one file each in `languages/`.

mod declared;
mod grammar;
mod modules;
mod names;
mod shape;
mod space;
mod typing;

use emendo_text::RelPath;

pub use declared::{Binding, KeyRule, TypeFacts, TypeRule, anonymous, bind, declares};
pub use grammar::{Dialect, Layer};
pub use modules::{Absolute, Modules};
pub use names::Names;
pub use shape::{Context, Declaration, Keyed, Placeholder, context};
pub use space::{Reach, Space};
pub use typing::{
    ArgumentRule, Branch, CalleeRule, Delegate, FunctionRule, FunctionTypeRule, Gives, Intro,
    Origin, Packing, Part, ReturnRule, Syntax, Taken, Test, TypeRules, Waiting,
};

use crate::ground::ImportName;

/// The facts about one language. Nothing else in the engine knows a language by name.
pub struct Language {
    /// The word used in recipes (`lang = "java"`).
    pub id: &'static str,
    /// The name shown to people.
    pub title: &'static str,
    /// File name endings, without the dot.
    pub extensions: &'static [&'static str],
    /// Endings of another language whose files can be read as this one, where an action asks for it.
    pub also_reads: &'static [&'static str],
    /// The grammar; patterns are read with it.
    pub grammar: fn() -> &'static tree_sitter::Language,
    /// Grammars of the same kinds for files with certain endings.
    pub dialects: &'static [Dialect],
    /// Code inside code that the grammar leaves as loose tokens.
    pub layer: Option<Layer>,
    /// A small source that parses without error, for tests over the whole table.
    pub sample: &'static str,
    /// Surroundings in which a fragment may be parsed, in order of preference.
    pub contexts: &'static [Context],
    /// Spellings of a slot, tried in this order where the plain word does not parse.
    pub placeholders: &'static [Placeholder],
    /// Tokens between the items of a list; they never tell two codes apart.
    pub separators: &'static [&'static str],
    /// Tokens that may be missing without a difference.
    pub optional: &'static [&'static str],
    /// Kinds that count as one when compared.
    pub alike: &'static [&'static [&'static str]],
    /// Declarations: which parts a pattern may leave out.
    pub declarations: &'static [Declaration],
    /// Lists of keyed things that match in any order.
    pub keyed: &'static [Keyed],
    /// Kinds of literals that are compared by their contents, whatever their quotes.
    pub strings: &'static [&'static str],
    /// Kinds inside such literals that hold code.
    pub interpolations: &'static [&'static str],
    /// Kinds of text in which white space does not count.
    pub loose_text: &'static [&'static str],
    /// Kinds whose children are loose tokens: a slot takes what stands up to the next separator.
    pub token_runs: &'static [&'static str],
    /// Links of a chain: kind, and field of what they are hung on (empty: the first child).
    pub chain: &'static [(&'static str, &'static str)],
    /// Kinds that wrap one node and add nothing.
    pub transparent: &'static [&'static str],
    /// Kinds of bodies without brackets: a slot for one is a slot for what stands in it.
    pub bare_bodies: &'static [&'static str],
    /// Kinds whose children count as those of the node around.
    pub splices: &'static [&'static str],
    /// Kinds that wait for a value and pass it on.
    pub waits: &'static [&'static str],
    /// Functions, lambdas and types: what stands in them is not done where they stand.
    pub nested: &'static [&'static str],
    /// The kind of an expression in parentheses.
    pub parenthesized: &'static str,
    /// Expressions that fall apart when they are put next to an operator or a dot.
    pub loose: &'static [&'static str],
    /// Places (kind, field) that bind tighter than a loose expression; an empty field is any.
    pub binding: &'static [(&'static str, &'static str)],
    /// Kinds whose evaluation may do something besides giving a value.
    pub effects: &'static [&'static str],
    /// Kinds that spread one argument over several, or are no plain one: a single slot never takes them.
    pub spreads: &'static [&'static str],
    /// The same for a kind only where it has this field.
    pub spread_fields: &'static [(&'static str, &'static str)],
    /// Statements that are nothing but an expression.
    pub expression_statement: &'static str,
    /// Things that are deleted with the line they stand on.
    pub line_items: &'static [&'static str],
    /// The words for `form`, with the kinds that each stands for.
    pub forms: &'static [(&'static str, &'static [&'static str])],
    /// Names.
    pub names: Names,
    /// Types of expressions.
    pub typing: TypeRules,
}

impl Language {
    /// True if a file of this name is of this language.
    pub fn claims(&self, path: &RelPath) -> bool {
        path.extension().is_some_and(|e| self.extensions.contains(&e))
    }

    /// True if a file of this name can be read as this language.
    pub fn reads(&self, path: &RelPath) -> bool {
        path.extension()
            .is_some_and(|e| self.extensions.contains(&e) || self.also_reads.contains(&e))
    }

    /// The grammar for a file of this name.
    pub(crate) fn grammar_for(&self, path: Option<&RelPath>) -> &'static tree_sitter::Language {
        let ending = path.and_then(RelPath::extension);
        let dialect =
            self.dialects.iter().find(|d| ending.is_some_and(|e| d.extensions.contains(&e)));
        dialect.map_or_else(|| (self.grammar)(), |d| (d.grammar)())
    }

    /// The kind of a node, as long-lived as the language.
    pub fn kind(&self, node: tree_sitter::Node<'_>) -> &'static str {
        let main = (self.grammar)();
        let own = node.language();
        let grammar =
            self.dialects.iter().map(|d| (d.grammar)()).find(|g| **g == *own).unwrap_or(main);
        grammar.node_kind_for_id(node.kind_id()).unwrap_or("")
    }

    /// The node itself, or what it wraps without adding anything.
    pub fn core<'t>(&self, mut node: tree_sitter::Node<'t>) -> tree_sitter::Node<'t> {
        while node.child_count() == 1 && self.transparent.contains(&node.kind()) {
            let Some(inner) = node.child(0) else { break };
            node = inner;
        }
        node
    }

    /// True for what a single slot never takes.
    pub fn is_spread(&self, node: tree_sitter::Node<'_>) -> bool {
        let kind = node.kind();
        self.spreads.contains(&kind)
            || self
                .spread_fields
                .iter()
                .any(|(k, f)| *k == kind && node.child_by_field_name(f).is_some())
    }

    /// What a link of a chain hangs on; `None` for a node that is no link.
    pub fn base_of<'t>(&self, node: tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>> {
        let (_, field) = self.chain.iter().find(|(k, _)| *k == node.kind())?;
        if field.is_empty() { node.child(0) } else { node.child_by_field_name(field) }
    }

    /// A field's name, as long-lived as the language.
    pub fn field(&self, name: Option<&str>) -> Option<&'static str> {
        let grammar = (self.grammar)();
        grammar.field_name_for_id(grammar.field_id_for_name(name?)?.get())
    }

    /// The plain import of a symbol, as it is imported where it is used in this space.
    pub fn import_of(&self, symbol: &str, space: Space) -> ImportName {
        ImportName {
            is_static: (self.names.imports_member)(symbol, space),
            path: symbol.to_owned(),
            wildcard: false,
            alias: None,
            whole: false,
            is_type: false,
        }
    }

    /// The declaration facts of a kind.
    pub fn declaration(&self, kind: &str) -> Option<&'static Declaration> {
        self.declarations.iter().find(|d| d.kind == kind)
    }

    /// True if two kinds count as one.
    pub fn alike(&self, a: &str, b: &str) -> bool {
        a == b || self.alike.iter().any(|g| g.contains(&a) && g.contains(&b))
    }

    /// True if a token of this kind never tells two codes apart.
    pub fn is_separator(&self, kind: &str) -> bool {
        self.separators.contains(&kind) || self.optional.contains(&kind)
    }

    /// True for a place that binds tighter than a loose expression.
    pub fn binds(&self, kind: &str, field: Option<&str>) -> bool {
        self.binding.iter().any(|(k, f)| *k == kind && (f.is_empty() || Some(*f) == field))
    }
}

impl std::fmt::Debug for Language {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.id)
    }
}
