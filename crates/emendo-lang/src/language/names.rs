//! How names work in a language.

use emendo_text::Span;

use crate::ground::{Export, Import, ImportName};
use crate::language::declared::{Binding, TypeFacts};
use crate::language::modules::Modules;
use crate::language::space::Space;

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
    pub fn import(&self, node: tree_sitter::Node<'_>, segments: Vec<(String, Span)>) -> Import {
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
    pub fn is_head(&self, kind: &str) -> bool {
        self.imports.contains(&kind) || self.packages.contains(&kind)
    }
}
