//! Imports and exports as statements.

use emendo_text::RelPath;

use crate::ground::{Export, Files, Import, ImportName};
use crate::language::space::Space;

/// Statements that import, and those that say a package.
pub struct Imports {
    /// The kinds of import statements.
    pub kinds: &'static [&'static str],
    /// Kinds of other statements that may import: they are read as such where `read_import` finds something.
    pub import_like: &'static [&'static str],
    /// The kinds of statements that say the file's package.
    pub packages: &'static [&'static str],
    /// The word that comes before the package of a file, for the same.
    pub package_keyword: &'static str,
    /// What stands before the imports of a file: a kind, and the kind of its first child if that matters.
    pub preamble: &'static [(&'static str, &'static str)],
    /// Reads an import statement.
    pub read_import: fn(crate::ground::Node<'_>, &str) -> Vec<Import>,
    /// Writes an import statement, in the manner of another one of the file.
    pub write_import: fn(&ImportName, Option<&str>) -> String,
    /// Writes several names of one module in one statement, in the manner of another one; `None` where a statement
    /// takes one name.
    pub write_list: fn(&str, &[String], Option<&str>) -> Option<String>,
    /// An item of a list may be a path of several segments.
    pub paths_in_lists: bool,
    /// The group that an import belongs to by the first segment of its path, in the order in which groups stand.
    pub group: fn(&str) -> u8,
    /// Whether a symbol used in this space is imported as a member.
    pub imports_member: fn(&str, Space) -> bool,
    /// Imports of types stand before those of functions.
    pub types_first: bool,
    /// A name that an import gives is that of a module: what it holds is written behind that name.
    pub names_modules: bool,
    /// That name is the module's own, whatever else is imported of it.
    pub own_names: bool,
    /// A symbol of one segment is a module, which is imported by itself.
    pub roots: bool,
    /// The imports that a file has by the project that it belongs to.
    pub of_project: fn(&RelPath, &dyn Files) -> Vec<Import>,
}

impl Imports {
    /// True if the statement kind imports, or says the package.
    pub fn is_head(&self, kind: &str) -> bool {
        self.kinds.contains(&kind) || self.packages.contains(&kind)
    }

    /// Nothing of it.
    pub const NONE: Self = Self {
        kinds: &[],
        import_like: &[],
        packages: &[],
        package_keyword: "",
        preamble: &[],
        read_import: |_, _| Vec::new(),
        write_import: |_, _| String::new(),
        write_list: |_, _, _| None,
        paths_in_lists: false,
        group: |_| 0,
        imports_member: |_, _| false,
        types_first: false,
        names_modules: false,
        own_names: false,
        roots: false,
        of_project: |_, _| Vec::new(),
    };
}

/// How a file passes names on to others.
pub struct Exports {
    /// What stands before the name of a module that is loaded by a string.
    pub loads: &'static [&'static str],
    /// The same where the path is one from the folder of the file itself.
    pub loads_near: &'static [&'static str],
    /// Text by which a file shows that it may pass names on to others.
    pub passing: &'static [&'static str],
    /// All names at the top of a file are seen by other files, imported ones too.
    pub exports_all: bool,
    /// Kinds that pass names on to other files.
    pub export_kinds: &'static [&'static str],
    /// Reads what such a node passes on.
    pub read_exports: fn(crate::ground::Node<'_>, &str) -> Vec<Export>,
    /// The list of names that a file passes on, as the target of an assignment: its strings are names.
    pub export_list: &'static str,
    /// The package of a file that others may depend on, by its name, as far as its manifest tells.
    pub published: fn(&RelPath, &dyn Files) -> Option<String>,
    /// True if a declaration that begins so shows its name to other packages; for a member, if its type does.
    pub shown: fn(head: &str, name: &str, member: bool) -> bool,
}

impl Exports {
    /// Nothing of it.
    pub const NONE: Self = Self {
        loads: &[],
        loads_near: &[],
        passing: &[],
        exports_all: false,
        export_kinds: &[],
        read_exports: |_, _| Vec::new(),
        export_list: "",
        published: |_, _| None,
        shown: |_, _, _| false,
    };
}
