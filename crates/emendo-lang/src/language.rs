//! What a language is: facts in tables, filled by one file each in `languages/`.

use emendo_text::RelPath;

/// The facts about one language. Nothing else in the engine knows a language by name.
pub struct Language {
    /// The word used in recipes (`lang = "java"`).
    pub id: &'static str,
    /// The name shown to people.
    pub title: &'static str,
    /// File name endings, without the dot.
    pub extensions: &'static [&'static str],
    /// The grammar.
    pub grammar: fn() -> &'static tree_sitter::Language,
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
    /// Lists of keyed things that match in any order: list kind, pair kind, field of the key.
    pub keyed: &'static [(&'static str, &'static str, &'static str)],
    /// The kind of an expression in parentheses.
    pub parenthesized: &'static str,
    /// Expressions that fall apart when they are put next to an operator or a dot.
    pub loose: &'static [&'static str],
    /// Places (kind, field) that bind tighter than a loose expression; an empty field is any.
    pub binding: &'static [(&'static str, &'static str)],
    /// Kinds whose evaluation may do something besides giving a value.
    pub effects: &'static [&'static str],
    /// Kinds that spread one argument over several.
    pub spreads: &'static [&'static str],
    /// Statements that are nothing but an expression.
    pub expression_statement: &'static str,
    /// Things that are deleted with the line they stand on.
    pub line_items: &'static [&'static str],
    /// The words for `form`, with the kinds that each stands for.
    pub forms: &'static [(&'static str, &'static [&'static str])],
    /// Names.
    pub names: Names,
}

/// A surrounding for a fragment.
pub struct Context {
    /// What the fragment is there; the word for `as`.
    pub name: &'static str,
    /// Text before the fragment.
    pub prefix: &'static str,
    /// Text behind the fragment.
    pub suffix: &'static str,
    /// The kinds that the fragment may be there; empty for any.
    pub accepts: &'static [&'static str],
    /// The suffix supplies a body, which the pattern leaves free.
    pub bodiless: bool,
}

/// A spelling of a slot: text around the placeholder word.
pub struct Placeholder {
    /// Before the word.
    pub before: &'static str,
    /// Behind the word.
    pub after: &'static str,
    /// The word begins with a capital letter.
    pub capital: bool,
}

/// Which parts of a declaration may be left out of a pattern.
pub struct Declaration {
    /// Its kind.
    pub kind: &'static str,
    /// Kinds of children that may be left out.
    pub free_kinds: &'static [&'static str],
    /// Fields that may be left out.
    pub free_fields: &'static [&'static str],
    /// The field of its body, if it has one.
    pub body: &'static str,
    /// The field of its own name.
    pub name: &'static str,
    /// Kind of the child that holds its modifiers, matched as a set.
    pub modifiers: &'static str,
}

/// In which name space a name lives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Space {
    /// Types only.
    Type,
    /// An expression: values first, then types.
    Value,
    /// The name of a call without receiver.
    Callable,
    /// Behind a dot: part of what stands before it.
    Member,
    /// The name of a declaration, a label, a key: no reference.
    Declared,
}

/// A rule for what a node declares.
pub struct Binding {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the name; empty: children of kind `child`.
    pub field: &'static str,
    /// Kind of the child that is the name, where there is no field.
    pub child: &'static str,
    /// What it declares.
    pub space: Space,
    /// Where it is visible.
    pub reach: Reach,
}

/// Where a binding is visible.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reach {
    /// In the whole scope around the node.
    Scope,
    /// In the scope around the node, from the node on.
    Onwards,
    /// In the scope that the node itself opens.
    Inside,
}

/// How names work in a language.
pub struct Names {
    /// Between the segments of a symbol.
    pub separator: &'static str,
    /// Kinds of single names, with the space that they live in by default.
    pub words: &'static [(&'static str, Space)],
    /// Words that can be no name, whatever the grammar takes them for.
    pub reserved: &'static [&'static str],
    /// Kinds of dotted names.
    pub paths: &'static [&'static str],
    /// Positions (parent kind, field) that decide the space of a name.
    pub positions: &'static [(&'static str, &'static str, Space)],
    /// A name behind one of these tokens is a member.
    pub member_after: &'static [&'static str],
    /// Kinds that open a scope.
    pub scopes: &'static [&'static str],
    /// What declares a name.
    pub bindings: &'static [Binding],
    /// Scopes whose values are visible from their start (members of a class).
    pub member_scopes: &'static [&'static str],
    /// Words that come before the name of a declared type, for a quick look without a parse.
    pub type_keywords: &'static [&'static str],
    /// The word that comes before the package of a file, for the same.
    pub package_keyword: &'static str,
    /// Calls whose receiver and name are fields of one node: kind, receiver, name.
    pub call: (&'static str, &'static str, &'static str),
    /// Member access: kind, receiver, name.
    pub member: (&'static str, &'static str, &'static str),
    /// Kinds of expressions with the field that leads to what they are built on.
    pub receivers: &'static [(&'static str, &'static str)],
    /// Packages whose names need no import.
    pub implicit: &'static [&'static str],
    /// Well-known names of the implicit packages.
    pub builtin: &'static [&'static str],
    /// The kind of the statement that says the file's package.
    pub package: &'static str,
    /// The kind of an import statement.
    pub import: &'static str,
    /// Reads an import statement.
    pub read_import: fn(tree_sitter::Node<'_>, &str) -> Option<crate::Import>,
    /// Writes an import statement.
    pub write_import: fn(&crate::ImportName) -> String,
    /// Whether a symbol used in this space is imported as a member.
    pub imports_member: fn(&str, Space) -> bool,
}

impl Language {
    /// True if a file of this name is of this language.
    pub fn claims(&self, path: &RelPath) -> bool {
        path.extension().is_some_and(|e| self.extensions.contains(&e))
    }

    /// The kind of a node, as long-lived as the language.
    pub(crate) fn kind(&self, node: tree_sitter::Node<'_>) -> &'static str {
        (self.grammar)().node_kind_for_id(node.kind_id()).unwrap_or("")
    }

    /// A field's name, as long-lived as the language.
    pub(crate) fn field(&self, name: Option<&str>) -> Option<&'static str> {
        let grammar = (self.grammar)();
        grammar.field_name_for_id(grammar.field_id_for_name(name?)?.get())
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
