//! What an import or export statement says.

use emendo_text::Span;
use serde::{Deserialize, Serialize};

/// A name, or all names of a place, that an import statement brings into a file. A statement may bring several.
#[derive(Clone, Debug, Serialize, Deserialize)]
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
    /// It is imported as a type only.
    pub is_type: bool,
    /// Its name is written twice: `a as a`.
    pub doubled: bool,
    /// It holds for all files of the project.
    pub global: bool,
    /// The word before the statement that says who else may use the name; empty if there is none.
    pub shown: String,
    /// It passes the name on to whoever imports this file, and brings nothing into the file itself.
    pub passes_on: bool,
    /// It only says which names of a module another import of its statement takes, or leaves out; it passes nothing on.
    pub restricts: bool,
    /// Names that a wildcard leaves out.
    pub hides: Vec<String>,
    /// How many arguments a function takes that it brings in, where it says so.
    pub count: Option<usize>,
    /// Where it is visible.
    pub scope: Span,
    /// The modules around it inside the file.
    pub inside: Vec<String>,
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
    /// It makes the first part of the path known, with what lies below.
    pub whole: bool,
    /// It is imported as a type only.
    pub is_type: bool,
    /// It is passed on to whoever imports the file, and brings nothing into it.
    pub passes_on: bool,
    /// The path is as the file writes it: from its own place, where modules are written so.
    pub spelled: bool,
    /// The word before the statement that says who else may use the name; empty if there is none.
    pub shown: String,
}

impl ImportName {
    /// True if both bring in the same name, as a type or not.
    pub fn same(&self, other: &Self) -> bool {
        Self { is_type: false, ..self.clone() } == Self { is_type: false, ..other.clone() }
    }

    /// The name of a symbol by itself.
    pub fn plain(symbol: &str) -> Self {
        Self {
            is_static: false,
            path: symbol.to_owned(),
            wildcard: false,
            alias: None,
            whole: false,
            is_type: false,
            passes_on: false,
            spelled: false,
            shown: String::new(),
        }
    }
}

impl Import {
    /// An import of `segments`, which together are the symbol `path`, by the statement at `span`.
    pub fn new(span: Span, segments: Vec<(String, Span)>, path: String) -> Self {
        let local = segments.last().map(|(s, _)| s.clone());
        Self {
            span,
            item: None,
            group: None,
            segments,
            shared: 0,
            wildcard: false,
            is_static: false,
            open: false,
            binds_root: false,
            implied: false,
            is_type: false,
            doubled: false,
            global: false,
            shown: String::new(),
            passes_on: false,
            restricts: false,
            hides: Vec::new(),
            count: None,
            scope: Span { start: 0, end: u32::MAX },
            inside: Vec::new(),
            path,
            local,
            aliased: false,
        }
    }

    /// It takes all names below its path.
    pub fn all(mut self) -> Self {
        self.wildcard = true;
        self.local = None;
        self
    }

    /// It is known by another name in the file. Its own name said once more only marks that it is passed on.
    pub fn known_as(mut self, local: &str) -> Self {
        self.doubled = self.segments.len() > 1 && self.local.as_deref() == Some(local);
        self.local = Some(local.to_owned());
        self.aliased = !self.doubled;
        self
    }

    /// It is one of several in its statement, after `shared` segments.
    /// The same with a path that is spelled otherwise.
    pub fn leading_to(mut self, path: String) -> Self {
        self.path = path;
        self
    }

    /// Its own place in a list.
    pub fn listed(mut self, item: Span, group: Option<Span>, shared: usize, open: bool) -> Self {
        (self.item, self.group, self.shared, self.open) = (Some(item), group, shared, open);
        self
    }

    /// The path, as a symbol: a module that is written relative to the file's own is made absolute.
    pub fn path(&self) -> &str {
        &self.path
    }

    /// The symbol becomes that of its path made absolute.
    pub(crate) fn located(&mut self, path: String) {
        self.path = path;
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
            alias: self.local.clone().filter(|_| self.aliased && !self.binds_root),
            whole: self.binds_root,
            is_type: self.is_type,
            passes_on: self.passes_on,
            spelled: false,
            shown: self.shown.clone(),
        }
    }
}

/// A name that a file passes on to others.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Export {
    /// The name outside.
    pub outside: String,
    /// The name inside the file.
    pub inside: String,
    /// The name outside stays when that inside becomes another: it is a key of the file's own.
    pub fixed: bool,
}

impl Export {
    /// A name that others see as it stands here.
    pub fn new(outside: String, inside: String) -> Self {
        Self { fixed: outside != inside, outside, inside }
    }

    /// A name that others see as a key.
    pub fn fixed(outside: String, inside: String) -> Self {
        Self { outside, inside, fixed: true }
    }
}
