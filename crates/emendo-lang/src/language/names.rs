//! How names work in a language.

use emendo_text::{RelPath, Span};

use crate::ground::{Files, Import};

impl Names {
    /// The segments of a symbol: where modules are strings, the module is the first.
    pub fn segments<'s>(&self, symbol: &'s str) -> Vec<&'s str> {
        let mut out = Vec::new();
        let mut rest = symbol;
        if !self.module_separator.is_empty() {
            match self.in_module(symbol) {
                Some((module, below)) => {
                    out.push(module);
                    rest = below;
                }
                None => return vec![symbol],
            }
        }
        let dots =
            if self.leading_dots { rest.len() - rest.trim_start_matches('.').len() } else { 0 };
        if dots > 0 {
            out.push(&rest[..dots]);
            rest = &rest[dots..];
        }
        // A member keeps its mark: it is another thing than what lies below a package of that name.
        let (path, member) = rest.split_at(self.member_at(rest).unwrap_or(rest.len()));
        out.extend(path.split(self.separator).filter(|s| dots == 0 || !s.is_empty()));
        out.extend(Some(member).filter(|m| !m.is_empty()));
        out
    }

    /// The module of a symbol, where modules are strings, and what lies in it; none for a module itself.
    pub fn in_module<'s>(&self, symbol: &'s str) -> Option<(&'s str, &'s str)> {
        let separator = Some(self.module_separator).filter(|s| !s.is_empty())?;
        symbol.rsplit_once(separator).filter(|(module, _)| !self.schemes.contains(module))
    }

    /// The marks before members of types; none where these are joined like paths.
    fn marks(&self) -> impl Iterator<Item = &'static str> {
        [self.member_mark, self.static_mark].into_iter().filter(|m| !m.is_empty())
    }

    /// Where the member of a type begins in a symbol, with its mark.
    fn member_at(&self, symbol: &str) -> Option<usize> {
        self.marks().filter_map(|mark| symbol.find(mark)).min()
    }

    /// True for a segment that is a member, with its mark.
    fn is_marked(&self, segment: &str) -> bool {
        self.marks().any(|mark| segment.starts_with(mark))
    }

    /// Whether the symbol of a member is one of the type itself, and not of its objects; none where that does not show.
    pub fn of_type_itself(&self, symbol: &str) -> Option<bool> {
        let at = self.member_at(symbol).filter(|_| !self.static_mark.is_empty())?;
        Some(symbol[at..].starts_with(self.static_mark))
    }

    /// The symbol of a member of a type, or of what lies below a module.
    pub fn member(&self, owner: &str, name: &str) -> String {
        if self.member_mark.is_empty() {
            let mut whole = self.segments(owner);
            whole.push(name);
            return self.join(&whole);
        }
        format!("{owner}{}{name}", self.member_mark)
    }

    /// The symbol of a member of a type itself.
    pub fn static_member(&self, owner: &str, name: &str) -> String {
        match self.static_mark {
            "" => self.member(owner, name),
            mark => format!("{owner}{mark}{name}"),
        }
    }

    /// True for the symbol of a member, where that shows.
    pub fn is_member(&self, symbol: &str) -> bool {
        self.member_at(symbol).is_some()
    }

    /// True where a path is one name from its begin to its end, which no import binds a part of.
    pub fn whole_paths(&self) -> bool {
        self.rooted || self.nesting || self.absolute
    }

    /// The sign before a member in code.
    pub fn written_mark(&self) -> &'static str {
        let all = [self.static_mark, self.member_mark, self.separator];
        all.into_iter().find(|m| !m.is_empty()).unwrap_or("")
    }

    /// The symbol of the type that a member belongs to, by where its mark stands; none for what is no member.
    pub fn owner_of<'s>(&self, symbol: &'s str) -> Option<&'s str> {
        self.marks().filter_map(|mark| symbol.rfind(mark)).max().map(|at| &symbol[..at])
    }

    /// A symbol as recipes may write it, in the form in which symbols are compared: without a sign that it begins with
    /// because it is written in full, without that of a variable, and without how many
    /// arguments its function takes.
    pub fn plain(&self, symbol: &str) -> String {
        if let Some((name, _)) = self.with_count(symbol) {
            return name.to_owned();
        }
        if !self.rooted {
            return symbol.to_owned();
        }
        let symbol = symbol.strip_prefix(self.separator).unwrap_or(symbol);
        let marked = format!("{}{}", self.member_mark, self.variable_mark);
        symbol.replace(&marked, self.member_mark)
    }

    /// A symbol that says how many arguments its function takes: without that, and the number.
    pub fn with_count<'s>(&self, symbol: &'s str) -> Option<(&'s str, usize)> {
        let (name, count) =
            symbol.rsplit_once(self.arity_mark).filter(|_| !self.arity_mark.is_empty())?;
        Some((name, count.parse().ok()?))
    }

    /// The labels between the brackets of a symbol; none where these hold something else.
    pub fn labels_in<'s>(&self, inner: &'s str) -> Option<Vec<&'s str>> {
        if !self.labels || !inner.is_empty() && !inner.ends_with(':') {
            return None;
        }
        let plain = |l: &&str| !l.is_empty() && l.chars().all(|c| c.is_alphanumeric() || c == '_');
        let labels: Vec<&str> = inner.split_terminator(':').map(str::trim).collect();
        labels.iter().all(plain).then_some(labels)
    }

    /// A symbol as it is written where no import helps.
    pub fn in_full(&self, symbol: &str) -> String {
        if self.rooted { format!("{}{symbol}", self.separator) } else { symbol.to_owned() }
    }

    /// The symbol of these segments.
    pub fn join<S: AsRef<str>>(&self, segments: &[S]) -> String {
        let mut out = String::new();
        for (i, s) in segments.iter().enumerate() {
            let module = i == 1 && !self.module_separator.is_empty();
            let marked = self.is_marked(s.as_ref());
            if i > 0 && !marked && !(self.leading_dots && out.ends_with('.')) {
                out.push_str(if module { self.module_separator } else { self.separator });
            }
            out.push_str(s.as_ref());
        }
        out
    }

    /// The last segment of a symbol.
    pub fn last<'s>(&self, symbol: &'s str) -> &'s str {
        let last = self.segments(symbol).last().copied().unwrap_or(symbol);
        self.marks().find_map(|mark| last.strip_prefix(mark)).unwrap_or(last)
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
    pub fn import(&self, node: crate::ground::Node<'_>, segments: Vec<(String, Span)>) -> Import {
        let words: Vec<&str> = segments.iter().map(|(s, _)| s.as_str()).collect();
        let path = self.join(&words);
        Import::new(Span::new(node.start_byte(), node.end_byte()), segments, path)
    }

    /// True if an import's statement spells its path otherwise: relative to the file's own module.
    pub fn spells_relative(&self, import: &Import) -> bool {
        let words: Vec<&str> = import.segments.iter().map(|(s, _)| s.as_str()).collect();
        self.join(&words) != import.path()
    }
}

/// Where types lie, in languages whose files are called after them.
#[derive(Clone, Copy, Debug)]
pub struct TypeFiles {
    /// Folders are called after packages.
    pub folders: bool,
    /// Where packages lie by settings of the project that a file belongs to: their names, each with its folder. Without such
    /// a setting the folders are called after the whole package.
    pub roots: fn(&RelPath, &dyn Files) -> Vec<(String, String)>,
    /// Types may be visible in their own package only.
    pub hidden: bool,
    /// Files and folders are called after the whole name of a type, in small letters with lines between the words.
    pub small: bool,
    /// The folder of files that are called after a type, and name those that fulfil it; empty if there is none.
    pub services: &'static str,
}

impl TypeFiles {
    /// Files are called after types, and nothing else follows from that.
    pub const PLAIN: Self = Self {
        folders: false,
        roots: |_, _| Vec::new(),
        hidden: false,
        small: false,
        services: "",
    };

    /// The package of a file that lies in a folder, by settings of its project.
    pub fn package_in(&self, separator: &str, path: &RelPath, files: &dyn Files) -> Option<String> {
        let roots = (self.roots)(path, files);
        let roots = roots.iter().map(|(package, folder)| (folder, package));
        counterpart((path.folder(), "/"), separator, roots)
    }

    /// The folder of a package, by settings of the project of a file.
    pub fn folder_of(
        &self,
        separator: &str,
        package: &str,
        path: &RelPath,
        files: &dyn Files,
    ) -> Option<String> {
        let roots = (self.roots)(path, files);
        let roots = roots.iter().map(|(package, folder)| (package, folder));
        counterpart((package, separator), "/", roots)
    }
}

/// What stands for a path on the other side, with the separator of that, by the longest of the roots that it lies below.
fn counterpart<'r>(
    (path, from): (&str, &str),
    to: &str,
    roots: impl Iterator<Item = (&'r String, &'r String)>,
) -> Option<String> {
    let below = |root: &str| match root {
        "" => Some(path),
        root if root == path => Some(""),
        root => path.strip_prefix(root)?.strip_prefix(from),
    };
    let fits = roots.filter_map(|(root, other)| Some((root.len(), other, below(root)?)));
    let (_, other, below) = fits.max_by_key(|(length, ..)| *length)?;
    let parts = [other.clone(), below.replace(from, to)];
    Some(parts.iter().filter(|p| !p.is_empty()).cloned().collect::<Vec<_>>().join(to))
}

/// How symbols are written, and what makes a name known.
pub struct Names {
    /// Between the segments of a symbol.
    pub separator: &'static str,
    /// After the module of a symbol, where modules are strings; else empty.
    pub module_separator: &'static str,
    /// What stands before such a separator at the begin of a module and belongs to it.
    pub schemes: &'static [&'static str],
    /// Before a member of a type, where that is joined otherwise than a path; else empty.
    pub member_mark: &'static str,
    /// The same for members of the type itself, where they are told from those of its objects; else empty.
    pub static_mark: &'static str,
    /// A path begins with what the types around hold, from the innermost on, or what the innermost is built on, or with a
    /// type of the outermost. A sign before it says that it is one of the outermost.
    pub nesting: bool,
    /// A path is written from the outermost module on, unless an import or a type declared around makes its first word known.
    pub absolute: bool,
    /// Between the name of a function and how many arguments it takes; empty where that is no part of its name.
    pub arity_mark: &'static str,
    /// The labels of what a function takes are part of its name, each with a colon behind it: `add(frame:at:)`.
    pub labels: bool,
    /// A type sees the types in what it adds to, or is built on, before what its file declares.
    pub inherits: bool,
    /// Before the name of a variable; empty if there is none.
    pub variable_mark: &'static str,
    /// A path that begins with the separator is written from the outermost package; any other begins with what an import
    /// makes known, or with the package around. Functions and constants are imported apart from types, and are those of the
    /// outermost package where the own one has none.
    pub rooted: bool,
    /// Paths are joined otherwise than members: only a type or a module stands before the separator.
    pub paths_apart: bool,
    /// Leading dots of a symbol stand for packages around.
    pub leading_dots: bool,
    /// A name written in full needs no import.
    pub full_names: bool,
    /// A name that a wildcard import brings in is as good as one that is imported alone.
    pub sure_wildcards: bool,
    /// A member is only reached through a receiver, inside its own type too.
    pub members_need_receiver: bool,
    /// A name is also that of the packages around the own one, and imports may hold for all files.
    pub nested_packages: bool,
    /// How many leading segments of a symbol name its package or module.
    pub package_of: fn(&[&str]) -> usize,
    /// The word before a full name that is looked for from the outermost package; empty if there is none.
    pub root: &'static str,
    /// Words that can be no name, whatever the grammar takes them for.
    pub reserved: &'static [&'static str],
    /// Packages whose names need no import.
    pub implicit: &'static [&'static str],
    /// Well-known names of the implicit packages.
    pub builtin: &'static [&'static str],
    /// Kinds of nodes whose name may leave out the end of a type's, and that end.
    pub shortened: (&'static [&'static str], &'static str),
    /// A package may give members to types of others: such a member is called by the package and its name.
    pub extensions: bool,
    /// Members of some types are known only where the type that declares them is imported.
    pub scoped_owners: bool,
    /// The name of what a module gives when nothing is named; empty if there is none.
    pub default: &'static str,
    /// The module that names without any declaration belong to, and the objects that hold them; empty if there is none.
    pub globals: (&'static str, &'static [&'static str]),
    /// Files are called after the type in them.
    pub files: Option<TypeFiles>,
}

impl Names {
    /// Nothing of it.
    pub const NONE: Self = Self {
        separator: "",
        module_separator: "",
        schemes: &[],
        member_mark: "",
        static_mark: "",
        nesting: false,
        absolute: false,
        arity_mark: "",
        labels: false,
        inherits: false,
        variable_mark: "",
        rooted: false,
        paths_apart: false,
        leading_dots: false,
        full_names: false,
        sure_wildcards: false,
        members_need_receiver: false,
        nested_packages: false,
        package_of: |segments| segments.len().saturating_sub(1),
        root: "",
        reserved: &[],
        implicit: &[],
        builtin: &[],
        shortened: (&[], ""),
        extensions: false,
        scoped_owners: false,
        default: "",
        globals: ("", &[]),
        files: None,
    };
}
