//! Does a name at a place mean a symbol? Answered from a file's facts, with how sure that is and why.

use std::collections::{HashMap, HashSet};

use emendo_text::Span;
use serde::{Deserialize, Serialize};

use crate::facts::{FileFacts, Import};
use crate::language::{Language, Space};

/// How sure it is that a place is what a recipe means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Certainty {
    /// The spelling fits and nothing contradicts.
    Unsure,
    /// Resolved by one inference that could be wrong.
    Likely,
    /// Everything named resolved.
    Certain,
}

impl Certainty {
    /// All levels, the surest first.
    pub const ALL: [Self; 3] = [Self::Certain, Self::Likely, Self::Unsure];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Certain => "certain",
            Self::Likely => "likely",
            Self::Unsure => "unsure",
        }
    }
}

/// One piece of evidence: what it says, in plain words, and where it stands in the file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fact {
    /// How sure this fact leaves the place.
    pub says: Certainty,
    /// The fact. `{line}` stands for the line of `at`.
    pub text: String,
    /// Where it stands.
    pub at: Option<Span>,
}

/// The types that the project declares itself, by package.
#[derive(Clone, Debug, Default)]
pub struct ProjectTypes(HashMap<String, HashSet<String>>);

impl ProjectTypes {
    /// Adds a declared type.
    pub fn add(&mut self, package: &str, name: &str) {
        self.0.entry(package.to_owned()).or_default().insert(name.to_owned());
    }

    /// True if a file of the project says that it belongs to this package.
    pub fn has_package(&self, package: &str) -> bool {
        self.0.contains_key(package)
    }

    /// True if the project declares this type.
    pub fn declares(&self, package: &str, name: &str) -> bool {
        self.0.get(package).is_some_and(|names| names.contains(name))
    }
}

/// Symbols that a run has renamed are one symbol under two names.
#[derive(Clone, Debug, Default)]
pub struct Spellings {
    pairs: Vec<(String, String)>,
}

impl Spellings {
    /// From now on `old` and `new` are one symbol, with all that lies below.
    pub fn join(&mut self, old: &str, new: &str) {
        self.pairs.push((old.to_owned(), new.to_owned()));
    }

    /// All names of a symbol, its own first.
    pub fn of(&self, symbol: &str) -> Vec<String> {
        let mut out = vec![symbol.to_owned()];
        let mut i = 0;
        while i < out.len() && out.len() < 32 {
            for (a, b) in self.pairs.iter().flat_map(|(a, b)| [(a, b), (b, a)]) {
                if let Some(rest) = below(&out[i], a) {
                    let other = format!("{b}{rest}");
                    if !out.contains(&other) {
                        out.push(other);
                    }
                }
            }
            i += 1;
        }
        out
    }
}

/// What of `symbol` lies below `parent`, with its leading separator; empty if they are equal.
fn below<'a>(symbol: &'a str, parent: &str) -> Option<&'a str> {
    let rest = symbol.strip_prefix(parent)?;
    (rest.is_empty() || rest.starts_with(['.', ':', '/'])).then_some(rest)
}

/// Answers what names mean in one file.
pub struct Resolver<'a> {
    /// The language.
    pub language: &'static Language,
    /// The facts of the file.
    pub facts: &'a FileFacts,
    /// What the project declares.
    pub project: &'a ProjectTypes,
}

impl Resolver<'_> {
    /// Does the dotted name `path` at `at` mean `symbol`? `None` if it does not, or nothing tells.
    pub fn means(&self, path: &[&str], space: Space, at: u32, symbol: &str) -> Option<Fact> {
        let names = &self.language.names;
        let wanted = names.segments(symbol);
        let first = *path.first()?;
        if names.full_names && path.len() > 1 && path == wanted {
            let hidden = self.facts.lookup(first, &[Space::Value, Space::Type], at);
            return hidden.is_none().then(|| Fact {
                says: Certainty::Certain,
                text: format!("`{symbol}` is written in full"),
                at: None,
            });
        }
        let package = || Some(names.join(wanted.strip_suffix(path)?));
        if let Some(own) = self.facts.lookup(first, spaces(space), at)
            && !(own.top && own.space != Space::Type && self.imported(first, space).is_some())
        {
            let top_type = own.space == Space::Type && self.facts.top_types().any(|t| t == first);
            let here = !names.packages.is_empty() && self.facts.package == package()?;
            let text = format!("`{first}` is declared in this file, line {{line}}");
            let says = Certainty::Certain;
            return (top_type && here).then_some(Fact { says, text, at: Some(own.at) });
        }
        if let Some(import) = self.imported(first, space) {
            return self.through(import, path, &wanted, at);
        }
        self.without_import(first, space, &package()?)
    }

    /// The import that makes a name known.
    pub(crate) fn imported(&self, name: &str, space: Space) -> Option<&Import> {
        let fits = |i: &&Import| space != Space::Callable || i.is_static;
        self.facts.imports.iter().filter(fits).find(|i| i.local() == Some(name))
    }

    /// Does a path that begins with an imported name mean the wanted symbol?
    fn through(&self, import: &Import, path: &[&str], wanted: &[&str], at: u32) -> Option<Fact> {
        let own = import.segments.iter().map(|(s, _)| s.as_str());
        let roots = if import.binds_root { 1 } else { import.segments.len() };
        let meant: Vec<&str> = own.take(roots).chain(path[1..].iter().copied()).collect();
        let first = path[0];
        // Assigned at the top of the file too: most often what stands in for a library that is not there.
        let again = self.facts.lookup(first, &[Space::Value], at).is_some();
        let (says, text) = if again {
            let text =
                format!("`{first}` is imported on line {{line}}, and assigned in the file too");
            (Certainty::Likely, text)
        } else {
            (Certainty::Certain, format!("`{first}` is imported on line {{line}}"))
        };
        (meant == wanted).then_some(Fact { says, text, at: Some(import.span) })
    }

    /// Same package, wildcard imports and names that need no import.
    fn without_import(&self, first: &str, space: Space, package: &str) -> Option<Fact> {
        let facts = self.facts;
        let names = &self.language.names;
        let packages = !names.packages.is_empty();
        let own =
            packages && space != Space::Callable && self.project.declares(&facts.package, first);
        if packages && facts.package == package && space != Space::Callable {
            let says = if own { Certainty::Certain } else { Certainty::Likely };
            let text = format!("this file is in the package `{package}` itself");
            return Some(Fact { says, text, at: facts.package_span });
        }
        if own {
            return None;
        }
        let fits = |is_static: bool| space != Space::Callable || is_static;
        let wild = || facts.imports.iter().filter(|i| i.wildcard && fits(i.is_static));
        if let Some(import) = wild().find(|i| i.path() == package) {
            let rival =
                wild().find(|i| i.path() != package && self.project.declares(i.path(), first));
            let (says, text) = match rival {
                Some(rival) => (
                    Certainty::Unsure,
                    format!(
                        "`{first}` may come from `{package}` (line {{line}}) or from `{}`",
                        rival.path()
                    ),
                ),
                None => (
                    if names.sure_wildcards { Certainty::Certain } else { Certainty::Likely },
                    format!("`{first}` comes in by `{package}` on line {{line}}"),
                ),
            };
            return Some(Fact { says, text, at: Some(import.span) });
        }
        (names.implicit.contains(&package) && names.builtin.contains(&first)).then(|| Fact {
            says: Certainty::Certain,
            text: format!("`{first}` needs no import"),
            at: None,
        })
    }

    /// True if `name` at `at` already means something that is not `symbol`, or may do so.
    pub fn taken(&self, name: &str, space: Space, at: u32, symbol: &str) -> bool {
        let path = [name];
        if self.means(&path, space, at, symbol).is_some() {
            return false;
        }
        let spaces = [Space::Value, Space::Type];
        let looked = if space == Space::Type { &spaces[1..] } else { &spaces[..] };
        self.facts.lookup(name, looked, at).is_some()
            || self.facts.imports.iter().any(|i| i.local() == Some(name))
            || (!self.language.names.packages.is_empty()
                && self.project.declares(&self.facts.package, name))
            || self.facts.words(name).iter().any(|w| matches!(w.space, Space::Type))
            || (self.language.names.builtin.contains(&name) && !self.facts.words(name).is_empty())
    }

    /// True if an import or a full name in the file lies below one of these packages.
    pub fn reaches(&self, packages: &[String], text: &str) -> bool {
        let names = &self.language.names;
        packages.iter().any(|p| {
            (!names.packages.is_empty() && below(&self.facts.package, p).is_some())
                || self.facts.imports.iter().any(|i| below(i.path(), p).is_some())
                || (names.full_names && p.contains(names.separator) && self.full_name(p, text))
        })
    }

    fn full_name(&self, package: &str, text: &str) -> bool {
        self.facts.words(self.language.names.last(package)).iter().any(|w| {
            let path = Span { start: w.path_start, end: w.span.end }.of(text);
            path.len() == package.len() && path == package
        })
    }
}

/// The spaces in which a name of a space is declared.
fn spaces(space: Space) -> &'static [Space] {
    match space {
        Space::Type => &[Space::Type],
        Space::Callable => &[Space::Callable],
        _ => &[Space::Value, Space::Type],
    }
}
