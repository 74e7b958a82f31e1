//! What a language is: facts in tables, filled by one file each in `languages/`.

use emendo_text::{RelPath, Span};

use crate::import::{Export, Import, ImportName};

use crate::files::Files;

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
    pub typing: crate::types::TypeRules,
}

/// A grammar for some of a language's files. Its kinds are named like those of the main grammar.
pub struct Dialect {
    /// The endings of its files.
    pub extensions: &'static [&'static str],
    /// The grammar.
    pub grammar: fn() -> &'static tree_sitter::Language,
}

/// Loose tokens that are mostly code: parsed once more, piece by piece, as statements.
pub struct Layer {
    /// The kind that holds the tokens, brackets included.
    pub kind: &'static str,
    /// Its parent's kind.
    pub parent: &'static str,
    /// The token between pieces.
    pub separator: &'static str,
    /// The byte that ends a piece when it is parsed as a statement; it stands in for separators and the last bracket.
    pub end: u8,
}

/// A list of keyed things.
pub struct Keyed {
    /// Kind of the list.
    pub list: &'static str,
    /// Kind of a pair.
    pub pair: &'static str,
    /// Field of the key; empty: the first named child.
    pub key: &'static str,
    /// A pair of a key and a value of the same name, written as one word; empty if there is none.
    pub shorthand: &'static str,
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

/// A context whose fragments are whole.
pub(crate) const fn context(
    name: &'static str,
    prefix: &'static str,
    suffix: &'static str,
    accepts: &'static [&'static str],
) -> Context {
    Context { name, prefix, suffix, accepts, bodiless: false }
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
    /// Kind of a child that holds modifiers, matched as a set; empty where they are children themselves.
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
    /// All names in what is found are declared: it is a pattern that takes a value apart.
    pub deep: bool,
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

/// A rule for a field that is the declared name itself.
pub(crate) const fn bind(
    kind: &'static str,
    field: &'static str,
    space: Space,
    reach: Reach,
) -> Binding {
    Binding { kind, field, child: "", space, reach, deep: false }
}

/// What declares a type, or adds to one.
pub struct TypeRule {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the name; for types without one, the kind of the child that is their body.
    pub name: &'static str,
    /// It has no name.
    pub anonymous: bool,
    /// Fields, or kinds of children, that hold the types it is built on.
    pub supers: &'static [&'static str],
    /// Field of the type that it is another name for; empty if it is none.
    pub alias: &'static str,
    /// The name is a use: members are added to a type that is declared elsewhere.
    pub extends: bool,
}

/// A type with a name of its own.
pub(crate) const fn declares(
    kind: &'static str,
    name: &'static str,
    supers: &'static [&'static str],
) -> TypeRule {
    TypeRule { kind, name, supers, alias: "", extends: false, anonymous: false }
}

/// A type without a name, by the kind of its body.
pub(crate) const fn anonymous(
    kind: &'static str,
    body: &'static str,
    supers: &'static [&'static str],
) -> TypeRule {
    TypeRule { kind, name: body, supers, alias: "", extends: false, anonymous: true }
}

/// How the types of variables and members are written and told from values.
pub struct TypeFacts {
    /// Parameters of a type are read by calls of their name too.
    pub read_by_calls: bool,
    /// What declares types.
    pub declared: &'static [TypeRule],
    /// Members that are no names in a scope: kind, field of the name, and their space.
    pub members: &'static [(&'static str, &'static str, Space)],
    /// Members without names: kind of their list, field of each one's type. They are called by their number.
    pub numbered: (&'static str, &'static str),
    /// Parameters that are members too where they have a child of this kind (or always, where it is empty): kind, child.
    pub parameters: &'static [(&'static str, &'static str)],
    /// Assignments to a field of the object itself: kind, field of the target, field of the value.
    pub assigned: (&'static str, &'static str, &'static str),
    /// Fields that hold the type of what a node declares, in the node or in the one around it.
    pub fields: &'static [&'static str],
    /// Where the value of what a node declares stands: kind, field (empty: the last child).
    pub values: &'static [(&'static str, &'static str)],
    /// Kinds that make an object of a type: kind, field of the type.
    pub made: &'static [(&'static str, &'static str)],
    /// Calls: kind, field of the function. A call of a type makes an object of it.
    pub call: (&'static str, &'static str),
    /// A function below a type is taken to give an object of that type.
    pub made_below: bool,
    /// Kinds around a type that leave it what it is.
    pub wraps: &'static [&'static str],
    /// Kinds within these that say nothing about the type.
    pub skipped: &'static [&'static str],
    /// How a type in text says that there may be nothing.
    pub nothing: &'static [&'static str],
    /// Wrappers whose contents are used like themselves.
    pub through: &'static [&'static str],
    /// Types that say nothing: the value tells.
    pub inferred: &'static [&'static str],
    /// The object itself.
    pub own: &'static [&'static str],
    /// The object as one of the type that its own is built on.
    pub base: &'static [&'static str],
    /// Kinds of values that name a key too.
    pub short_values: &'static [&'static str],
    /// Kinds of keys that name a variable too.
    pub shorthands: &'static [&'static str],
    /// Keyed things that name members of a type: kind of the pair, field of the key, and the fields that lead from
    /// a node around it to the type.
    pub keys: &'static [KeyRule],
}

/// A keyed thing whose key is a member of the type that stands before it.
pub struct KeyRule {
    /// Kind of the pair.
    pub pair: &'static str,
    /// Field of the key.
    pub key: &'static str,
    /// Kind of the node around that names the type.
    pub around: &'static str,
    /// Field of the type there.
    pub owner: &'static str,
}

/// Makes the module that a path begins with absolute: the written segments, the module that it is written in, and its file.
pub type Absolute = fn(&[&str], &str, &RelPath, &dyn Files) -> Option<Vec<String>>;

/// Where the modules of a project lie, for languages whose modules follow from paths.
pub struct Modules {
    /// The module of a file.
    pub of: fn(&RelPath, &dyn Files) -> String,
    /// The module that a written path begins with, made absolute.
    pub absolute: Absolute,
    /// The file of a module of the project.
    pub file: fn(&str, &dyn Files) -> Option<RelPath>,
    /// Other names that settings or manifests of the project give to the module of a file.
    pub called: fn(&RelPath, &dyn Files) -> Vec<String>,
}

/// How names work in a language.
pub struct Names {
    /// Between the segments of a symbol.
    pub separator: &'static str,
    /// Behind the module of a symbol, where modules are strings; else empty.
    pub module_separator: &'static str,
    /// A name written in full needs no import.
    pub full_names: bool,
    /// A name that a wildcard import brings in is as good as one that is imported alone.
    pub sure_wildcards: bool,
    /// Names of functions and variables are written with underscores.
    pub snake: bool,
    /// How a function of a type is declared as a property: before its name, and on a line above it; both empty where it
    /// has a form of its own.
    pub property: (&'static str, &'static str),
    /// A list of imports that is left with one name loses its brackets.
    pub bare_single: bool,
    /// Kinds of nodes within which nothing is declared that other files can name.
    pub sealed: &'static [&'static str],
    /// Kinds of nodes whose name may leave out the end of a type's, and that end.
    pub shortened: (&'static [&'static str], &'static str),
    /// A member is only reached through a receiver, inside its own type too.
    pub members_need_receiver: bool,
    /// Types of variables and members.
    pub types: TypeFacts,
    /// Where modules lie; none where files say themselves what they belong to.
    pub modules: Option<Modules>,
    /// What stands before the name of a module that is loaded by a string.
    pub loads: &'static [&'static str],
    /// Text by which a file shows that it may pass names on to others.
    pub passing: &'static [&'static str],
    /// All names at the top of a file are seen by other files, imported ones too.
    pub exports_all: bool,
    /// Kinds that pass names on to other files.
    pub export_kinds: &'static [&'static str],
    /// Reads what such a node passes on.
    pub read_exports: fn(tree_sitter::Node<'_>, &str) -> Vec<Export>,
    /// The list of names that a file passes on, as the target of an assignment: its strings are names.
    pub export_list: &'static str,
    /// A name is also that of the packages around the own one, and imports may hold for all files.
    pub nested_packages: bool,
    /// What does not declare when a value is taken apart: a kind, or (with an empty kind) a field.
    pub pattern_skips: &'static [(&'static str, &'static str)],
    /// Kinds of patterns in which names in capitals are constants, and declare nothing.
    pub constants_in: &'static [&'static str],
    /// The name of what a module gives when nothing is named; empty if there is none.
    pub default: &'static str,
    /// How many leading segments of a symbol name its package or module.
    pub package_of: fn(&[&str]) -> usize,
    /// Kinds of single names, with the space that they live in by default.
    pub words: &'static [(&'static str, Space)],
    /// The word before a full name that is looked for from the outermost package; empty if there is none.
    pub root: &'static str,
    /// Words that can be no name, whatever the grammar takes them for.
    pub reserved: &'static [&'static str],
    /// Kinds of dotted names.
    pub paths: &'static [&'static str],
    /// Positions (parent kind, field) that decide the space of a name.
    pub positions: &'static [(&'static str, &'static str, Space)],
    /// A name behind one of these tokens is a member.
    pub member_after: &'static [&'static str],
    /// Kinds whose first word stands for the whole: behind a dot it is a member.
    pub heads: &'static [&'static str],
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
    /// The kinds of statements that say the file's package.
    pub packages: &'static [&'static str],
    /// Kinds that open a module of their own inside a file.
    pub inner_modules: &'static [&'static str],
    /// The kinds of import statements.
    pub imports: &'static [&'static str],
    /// Kinds of other statements that may import: they are read as such where `read_import` finds something.
    pub import_like: &'static [&'static str],
    /// Where types are written in text: the kind of a type, in which strings hold code, and how comments with types begin.
    pub quoted_types: Option<(&'static str, &'static str)>,
    /// What stands before the imports of a file: a kind, and the kind of its first child if that matters.
    pub preamble: &'static [(&'static str, &'static str)],
    /// Reads an import statement.
    pub read_import: fn(tree_sitter::Node<'_>, &str) -> Vec<Import>,
    /// Writes an import statement, in the manner of another one of the file.
    pub write_import: fn(&ImportName, Option<&str>) -> String,
    /// Writes several names of one module in one statement, in the manner of another one; `None` where a statement
    /// takes one name.
    pub write_list: fn(&str, &[String], Option<&str>) -> Option<String>,
    /// Whether a symbol used in this space is imported as a member.
    pub imports_member: fn(&str, Space) -> bool,
}

impl Names {
    /// The segments of a symbol: where modules are strings, the module is the first.
    pub fn segments<'s>(&self, symbol: &'s str) -> Vec<&'s str> {
        let mut out = Vec::new();
        let mut rest = symbol;
        if !self.module_separator.is_empty() {
            match symbol.rsplit_once(self.module_separator) {
                Some((module, below)) => {
                    out.push(module);
                    rest = below;
                }
                None => return vec![symbol],
            }
        }
        // Leading dots stand for packages around.
        let relative = self.separator == "." && self.module_separator.is_empty();
        let dots = if relative { rest.len() - rest.trim_start_matches('.').len() } else { 0 };
        if dots > 0 {
            out.push(&rest[..dots]);
            rest = &rest[dots..];
        }
        out.extend(rest.split(self.separator).filter(|s| dots == 0 || !s.is_empty()));
        out
    }

    /// The symbol of these segments.
    pub fn join<S: AsRef<str>>(&self, segments: &[S]) -> String {
        let mut out = String::new();
        for (i, s) in segments.iter().enumerate() {
            let module = i == 1 && !self.module_separator.is_empty();
            let relative = self.module_separator.is_empty() && self.separator == ".";
            if i > 0 && !(relative && out.ends_with('.')) {
                out.push_str(if module { self.module_separator } else { self.separator });
            }
            out.push_str(s.as_ref());
        }
        out
    }

    /// The last segment of a symbol.
    pub fn last<'s>(&self, symbol: &'s str) -> &'s str {
        self.segments(symbol).last().copied().unwrap_or(symbol)
    }

    /// The symbol without its last segment; empty if it has one only.
    pub fn parent(&self, symbol: &str) -> String {
        let segments = self.segments(symbol);
        self.join(&segments[..segments.len() - 1])
    }

    /// The package or module of a symbol.
    pub fn package(&self, symbol: &str) -> String {
        let segments = self.segments(symbol);
        self.join(&segments[..(self.package_of)(&segments).min(segments.len())])
    }

    /// An import of `segments` by the statement at `node`.
    pub(crate) fn import(
        &self,
        node: tree_sitter::Node<'_>,
        segments: Vec<(String, Span)>,
    ) -> Import {
        let words: Vec<&str> = segments.iter().map(|(s, _)| s.as_str()).collect();
        let path = self.join(&words);
        Import::new(Span::new(node.start_byte(), node.end_byte()), segments, path)
    }

    /// True if an import's statement spells its path otherwise: relative to the file's own module.
    pub fn spells_relative(&self, import: &Import) -> bool {
        let words: Vec<&str> = import.segments.iter().map(|(s, _)| s.as_str()).collect();
        self.join(&words) != import.path()
    }

    /// True if the statement kind imports, or says the package.
    pub(crate) fn is_head(&self, kind: &str) -> bool {
        self.imports.contains(&kind) || self.packages.contains(&kind)
    }
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
    pub(crate) fn kind(&self, node: tree_sitter::Node<'_>) -> &'static str {
        let main = (self.grammar)();
        let own = node.language();
        let grammar =
            self.dialects.iter().map(|d| (d.grammar)()).find(|g| **g == *own).unwrap_or(main);
        grammar.node_kind_for_id(node.kind_id()).unwrap_or("")
    }

    /// The node itself, or what it wraps without adding anything.
    pub(crate) fn core<'t>(&self, mut node: tree_sitter::Node<'t>) -> tree_sitter::Node<'t> {
        while node.child_count() == 1 && self.transparent.contains(&node.kind()) {
            let Some(inner) = node.child(0) else { break };
            node = inner;
        }
        node
    }

    /// True for what a single slot never takes.
    pub(crate) fn is_spread(&self, node: tree_sitter::Node<'_>) -> bool {
        let kind = node.kind();
        self.spreads.contains(&kind)
            || self
                .spread_fields
                .iter()
                .any(|(k, f)| *k == kind && node.child_by_field_name(f).is_some())
    }

    /// What a link of a chain hangs on; `None` for a node that is no link.
    pub(crate) fn base_of<'t>(&self, node: tree_sitter::Node<'t>) -> Option<tree_sitter::Node<'t>> {
        let (_, field) = self.chain.iter().find(|(k, _)| *k == node.kind())?;
        if field.is_empty() { node.child(0) } else { node.child_by_field_name(field) }
    }

    /// A field's name, as long-lived as the language.
    pub(crate) fn field(&self, name: Option<&str>) -> Option<&'static str> {
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
