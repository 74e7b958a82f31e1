//! Does a name at a place mean a symbol? Answered from a file's facts, with how sure that is and why.
//!
//! `facts/pass/` goes over a tree once (imports with where they hold, scopes, words with what stands before their dot,
//! types with what they are built on and their members, what gives a variable's type). `Resolver::means` decides whether
//! a path is a symbol; `names/candidates.rs` which symbols it may be; `owners/mod.rs` whose member a word is;
//! `names/spell.rs` how a symbol is written at a place; `owners/visible.rs` what a file declares that others can name.
//! `index/` holds what other files declare, and reads on demand what the project's modules pass on (`modules` in a
//! language's file says where they lie).

mod absolute;
mod candidates;
mod inherited;
mod nested;
mod rooted;
mod spell;
mod static_type;

use emendo_text::Span;

pub use crate::names::spell::Spelled;
pub use crate::names::static_type::{StaticType, TypePiece};

use crate::facts::{Declared, TypeDecl};
use crate::ground::{Certainty, Fact, Import, below};
use crate::language::Space;
use crate::resolver::Resolver;

/// What makes the first word of a path known.
enum Head<'a> {
    /// A declaration of the file.
    Own(Declared<'a>),
    /// An import.
    Import(&'a Import),
}

impl<'a> Resolver<'a> {
    /// Does the dotted name `path` at `at` mean `symbol`? `None` if it does not, or nothing tells.
    pub fn means(&self, path: &[&str], space: Space, at: u32, symbol: &str) -> Option<Fact> {
        let names = &self.language.names;
        if names.nesting {
            return self.nested_means(path, at, symbol);
        }
        if names.absolute {
            return self.absolute_means(path, space, at, symbol);
        }
        if names.rooted {
            let mut meant = self.rooted(path, space, at).into_iter();
            let same = |meant: &str| meant == symbol || rooted::alike(meant, symbol);
            let variable = path.len() == 1 && space == Space::Value;
            let found = meant.find(|(meant, _)| same(meant)).filter(|_| !variable);
            return found.map(|(_, fact)| fact);
        }
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
        if !names.globals.0.is_empty() && wanted[0] == names.globals.0 {
            return self.global(path, space, at).filter(|own| wanted[1..] == **own).map(|_| Fact {
                says: Certainty::Certain,
                text: format!("`{first}` is declared nowhere in the file: it is a global"),
                at: None,
            });
        }
        let package = || Some(names.join(wanted.strip_suffix(path)?));
        if let Some(within) = self.held_around(path, at) {
            return within.filter(|(whole, _)| whole == symbol).map(|(_, around)| Fact {
                says: Certainty::Certain,
                text: format!("`{first}` is one of `{around}`"),
                at: None,
            });
        }
        match self.head(first, space, at) {
            Some(Head::Own(own)) => {
                self.own(path, own, symbol).or_else(|| self.by_alias(path, own, symbol))
            }
            Some(Head::Import(import)) => self.through(import, path, symbol, at),
            None if names.full_names && self.absolute(path).is_some() => {
                let whole = self.absolute(path)?;
                let says = if whole == symbol {
                    Certainty::Certain
                } else {
                    let real = self.project.canonical(self.language, &whole)?;
                    (real.symbol == symbol).then_some(Certainty::Likely)?
                };
                let text = format!("`{}` is written in full", path.join(names.separator));
                Some(Fact { says, text, at: None })
            }
            None => self
                .without_import(first, space, &package()?, at)
                .or_else(|| self.by_wildcard(path, space, at, symbol)),
        }
    }

    /// The words of a path that is a name without any declaration, what holds such names left out.
    pub(crate) fn global<'p>(
        &self,
        path: &'p [&'p str],
        space: Space,
        at: u32,
    ) -> Option<&'p [&'p str]> {
        let (module, holders) = self.language.names.globals;
        let first = *path.first().filter(|_| !module.is_empty())?;
        if self.head(first, space, at).is_some() || self.head(first, Space::Value, at).is_some() {
            return None;
        }
        Some(if holders.contains(&first) && path.len() > 1 { &path[1..] } else { path })
    }

    /// The innermost thing that makes a name known: a declaration of the file, or an import.
    fn head(&self, first: &str, space: Space, at: u32) -> Option<Head<'a>> {
        let import = self.imported_at(first, space, at);
        if self.language.names.rooted {
            return import.map(Head::Import);
        }
        let own = self.facts.lookup(first, spaces(space), at);
        match (own, import) {
            (Some(own), Some(import)) => {
                let inner = own.scope.start >= import.scope.start && own.scope != import.scope;
                // Declared beside an import of the same name at the top: most often what stands in for a library that is not there.
                let again = own.top && own.space != Space::Type;
                Some(if inner || !again && own.scope == import.scope {
                    Head::Own(own)
                } else {
                    Head::Import(import)
                })
            }
            (Some(own), None) => Some(Head::Own(own)),
            (None, Some(import)) => Some(Head::Import(import)),
            (None, None) => None,
        }
    }

    /// Does a path that begins with a name of the file's own mean the symbol?
    fn own(&self, path: &[&str], own: Declared<'_>, symbol: &str) -> Option<Fact> {
        let names = &self.language.names;
        let fact = || Fact {
            says: Certainty::Certain,
            text: format!("`{}` is declared in this file, line {{line}}", path[0]),
            at: Some(own.at),
        };
        if own.space == Space::Type
            && let Some(declared) = self.facts.type_named_at(own.at)
        {
            let mut whole = names.segments(symbol);
            let rest = path[1..].iter().rev().all(|p| whole.pop() == Some(*p));
            let same = rest && self.own_name(declared) == names.join(&whole);
            return (same && !self.is_local(declared, own)).then(fact);
        }
        let named = own.top && self.language.modules.is_some() && !self.facts.module.is_empty();
        let whole = || {
            let mut whole = names.segments(&self.facts.module);
            whole.extend(path);
            names.join(&whole)
        };
        (named && whole() == symbol).then(fact)
    }

    /// True for a type that a function declares for itself: nothing else can name it.
    fn is_local(&self, declared: &TypeDecl, own: Declared<'_>) -> bool {
        if own.top || declared.path.len() > 1 {
            return false;
        }
        let mut around = self.leaf(own.at).and_then(|l| l.parent()).and_then(|t| t.parent());
        while let Some(node) = around {
            if self.language.is_function(node.kind()) {
                return true;
            }
            around = node.parent();
        }
        false
    }

    /// Is a path meant that begins with another name of the file's own for a type?
    fn by_alias(&self, path: &[&str], own: Declared<'_>, symbol: &str) -> Option<Fact> {
        let names = &self.language.names;
        let declared = self.facts.type_named_at(own.at)?;
        let mut whole = names.segments(symbol);
        let rest = path[1..].iter().rev().all(|p| whole.pop() == Some(*p));
        let wanted = names.join(&whole);
        let meant = || self.candidates(&path[..1], Space::Type, own.at.start);
        let fits = rest && declared.alias.is_some() && meant().first() == Some(&wanted);
        fits.then(|| Fact {
            says: Certainty::Certain,
            text: format!("`{}` is another name for `{wanted}`, line {{line}}", path[0]),
            at: Some(own.at),
        })
    }

    /// The full name of a type that the file declares.
    pub fn own_name(&self, declared: &TypeDecl) -> String {
        let names = &self.language.names;
        let mut whole: Vec<&str> =
            names.segments(&self.facts.module).into_iter().filter(|s| !s.is_empty()).collect();
        whole.extend(declared.inside.iter().map(String::as_str));
        if self.language.modules.is_none() && declared.inside.is_empty() {
            whole.extend(names.segments(&self.facts.package).into_iter().filter(|s| !s.is_empty()));
        }
        whole.extend(declared.path.iter().map(String::as_str));
        if names.nesting
            && declared.path.len() > 1
            && let Some((head, rest)) =
                declared.path.last().and_then(|p| p.split_once(names.separator))
        {
            // What leads to it is looked for where it stands.
            let before = declared.span.start.saturating_sub(1);
            let outer = self.candidates(&[head], Space::Type, before).into_iter().next();
            if let Some(head) = outer {
                return names.join(&[head.as_str(), rest]);
            }
        }
        names.join(&whole)
    }

    /// A path of modules made absolute, where it begins with a word for the file's own.
    pub(crate) fn absolute(&self, path: &[&str]) -> Option<String> {
        let names = &self.language.names;
        if path.len() < 2 || names.builtin.iter().all(|b| *b != path[0]) {
            return None;
        }
        let modules = self.language.modules.as_ref()?;
        let nowhere = emendo_text::RelPath::new("x").ok()?;
        let whole = (modules.absolute)(path, &self.facts.module, &nowhere, self.project.files())?;
        Some(names.join(&whole))
    }

    /// The import that makes the first word of a path known, unless something nearer hides it.
    pub fn import_at(&self, first: &str, at: u32) -> Option<&'a Import> {
        match self.head(first, Space::Value, at) {
            Some(Head::Import(import)) => Some(import),
            _ => None,
        }
    }

    /// The import that makes a name known.
    pub fn imported(&self, name: &str, space: Space) -> Option<&'a Import> {
        self.imported_at(name, space, u32::MAX)
    }

    /// The import that makes a name known at a place: the innermost.
    pub(crate) fn imported_at(&self, name: &str, space: Space, at: u32) -> Option<&'a Import> {
        let fits = |i: &&Import| {
            !i.passes_on
                && (space != Space::Callable || i.is_static)
                && (!self.language.names.rooted || i.is_static == (space == Space::Callable))
                && i.local().is_some_and(|own| {
                    own == name || self.language.names.rooted && rooted::alike(own, name)
                })
                && (at == u32::MAX
                    || (i.scope.start <= at
                        && at < i.scope.end.max(at + u32::from(i.scope.end == u32::MAX))))
        };
        let own = self.facts.imports.iter().filter(fits);
        let own = own.reduce(|a, b| if b.scope.start > a.scope.start { b } else { a });
        own.or_else(|| self.globals().find(fits))
    }

    /// Does a path that begins with an imported name mean the wanted symbol?
    fn through(&self, import: &Import, path: &[&str], symbol: &str, at: u32) -> Option<Fact> {
        let first = path[0];
        let meant = self.behind(import, path);
        // Assigned at the top of the file too: most often what stands in for a library that is not there.
        let again = self.facts.lookup(first, &[Space::Value], at).is_some();
        let (says, text) = if again {
            let text =
                format!("`{first}` is imported on line {{line}}, and assigned in the file too");
            (Certainty::Likely, text)
        } else if import.global {
            (Certainty::Certain, format!("`{first}` is imported for all files of the project"))
        } else {
            (Certainty::Certain, format!("`{first}` is imported on line {{line}}"))
        };
        let place = (!import.global).then_some(import.span);
        if meant == symbol {
            return Some(Fact { says, text, at: place });
        }
        if self.project.exported(self.language, &meant).as_deref() == Some(symbol) {
            let text = format!("{text}, and passed on there as `{symbol}`");
            return Some(Fact { says, text, at: place });
        }
        let real = self.project.canonical(self.language, &meant)?;
        (real.symbol == symbol).then(|| Fact {
            says: Certainty::Likely,
            text: format!(
                "{text} from the project's own {}, which passes on `{symbol}`",
                quoted(&real.through)
            ),
            at: place,
        })
    }

    /// The symbol of a path that begins with an imported name.
    fn behind(&self, import: &Import, path: &[&str]) -> String {
        let names = &self.language.names;
        let own = names.segments(import.path());
        let roots = if import.binds_root { 1 } else { own.len() };
        let whole: Vec<&str> =
            own.into_iter().take(roots).chain(path[1..].iter().copied()).collect();
        names.join(&whole)
    }

    /// Same package, wildcard imports and names that need no import.
    fn without_import(&self, first: &str, space: Space, package: &str, at: u32) -> Option<Fact> {
        let facts = self.facts;
        let names = &self.language.names;
        let packages = !self.language.imports.packages.is_empty();
        let here = facts.package_at(at);
        let own = || {
            let mut at = here.to_owned();
            loop {
                if self.project.holds(self.language, &at, first) {
                    return true;
                }
                if !names.nested_packages || !at.contains(names.separator) {
                    return false;
                }
                at = names.parent(&at);
            }
        };
        let own = packages && space != Space::Callable && own();
        let around = names.nested_packages && below(here, package).is_some();
        if packages && (here == package || around) && space != Space::Callable {
            if own && !self.project.holds(self.language, package, first) {
                return None;
            }
            let says = if own || around { Certainty::Certain } else { Certainty::Likely };
            let text = format!("this file is in the package `{here}` itself");
            return Some(Fact { says, text, at: facts.package_span });
        }
        if own {
            return None;
        }
        let fits = |is_static: bool| space != Space::Callable || is_static;
        let wild = || {
            let all = self.wildcards(at).filter(|i| fits(i.is_static));
            all.filter(|i| !i.hides.iter().any(|h| h == first))
        };
        if let Some(import) = wild().find(|i| i.path() == package) {
            // What the file's own module declares comes before all that is imported.
            let of_module = |i: &&Import| i.global && i.path() == facts.module;
            let rival = wild().filter(|_| !of_module(&import)).find(|i| {
                i.path() != package && self.project.holds(self.language, i.path(), first)
            });
            if rival.as_ref().is_some_and(of_module) {
                return None;
            }
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
                    if import.global {
                        format!("`{first}` comes in by `{package}`, for all files of the project")
                    } else {
                        format!("`{first}` comes in by `{package}` on line {{line}}")
                    },
                ),
            };
            return Some(Fact { says, text, at: (!import.global).then_some(import.span) });
        }
        (names.implicit.contains(&package) && names.builtin.contains(&first)).then(|| Fact {
            says: Certainty::Certain,
            text: format!("`{first}` needs no import"),
            at: None,
        })
    }

    /// The imports that hold for the file without standing in it.
    pub(super) fn globals(&self) -> impl Iterator<Item = &'a Import> {
        self.project.globals(self.language).iter().chain(&self.facts.around)
    }

    /// Does the file see all that a package gives? What it gives to types of others is not sure by that.
    pub fn opens(&self, package: &str, at: u32) -> Option<Fact> {
        let here = self.facts.package_at(at) == package && !package.is_empty();
        let import = self.wildcards(at).find(|i| !i.is_static && i.path() == package);
        let place = import.filter(|i| !i.global).map(|i| i.span);
        (here || import.is_some()).then(|| Fact {
            says: Certainty::Likely,
            text: match place {
                Some(_) => format!("`{package}` is imported on line {{line}}"),
                None => format!("`{package}` is known in this file"),
            },
            at: place,
        })
    }

    /// The wildcard imports that hold at a place.
    fn wildcards(&self, at: u32) -> impl Iterator<Item = &'a Import> {
        let own = self.facts.imports.iter().filter(move |i| {
            !i.passes_on && (i.scope.end == u32::MAX || (i.scope.start <= at && at <= i.scope.end))
        });
        own.chain(self.globals()).filter(|i| i.wildcard)
    }

    /// A name that comes in with all names of a module of the project's own.
    fn by_wildcard(&self, path: &[&str], space: Space, at: u32, symbol: &str) -> Option<Fact> {
        self.language.modules.as_ref()?;
        let names = &self.language.names;
        let fits = |i: &&Import| space != Space::Callable || !i.is_static;
        let all = self.wildcards(at).filter(fits);
        all.filter(|i| !i.hides.iter().any(|h| h == path[0])).find_map(|i| {
            let mut whole = names.segments(i.path());
            whole.extend(path);
            let whole = names.join(&whole);
            if self.project.exported(self.language, &whole).as_deref() == Some(symbol) {
                let says =
                    if names.sure_wildcards { Certainty::Certain } else { Certainty::Likely };
                let text = format!("`{}` comes in by `{}` on line {{line}}", path[0], i.path());
                return Some(Fact { says, text, at: Some(i.span) });
            }
            let real = self.project.canonical(self.language, &whole)?;
            let by = quoted(&real.through);
            (real.symbol == symbol).then(|| Fact {
                says: Certainty::Likely,
                text: format!("`{}` comes in by the project's own {by} on line {{line}}", path[0]),
                at: Some(i.span),
            })
        })
    }

    /// True if `name` at `at` already means something that is not `symbol`, or may do so.
    pub fn taken(&self, name: &str, space: Space, at: u32, symbol: &str) -> bool {
        let path = [name];
        if self.means(&path, space, at, symbol).is_some() {
            return false;
        }
        if self.language.names.rooted {
            return self.rooted_taken(name, space, at);
        }
        if self.language.names.nesting || self.language.names.absolute && space != Space::Type {
            return space != Space::Type && self.facts.lookup(name, &[Space::Value], at).is_some();
        }
        let spaces = [Space::Value, Space::Type];
        let looked = if space == Space::Type { &spaces[1..] } else { &spaces[..] };
        self.facts.lookup(name, looked, at).is_some()
            || self.facts.imports.iter().any(|i| !i.passes_on && i.local() == Some(name))
            || (!self.language.imports.packages.is_empty()
                && self.project.holds(self.language, self.facts.package_at(at), name))
            || self.facts.words(name).iter().any(|w| matches!(w.space, Space::Type))
            || (self.language.names.builtin.contains(&name) && !self.facts.words(name).is_empty())
    }

    /// True if an import or a full name in the file lies below one of these packages.
    pub fn reaches(&self, packages: &[String], text: &str) -> bool {
        let names = &self.language.names;
        let own = |p: &String| {
            self.facts.packages.iter().any(|own| below(&own.1, p).is_some())
                || (!self.facts.module.is_empty() && below(&self.facts.module, p).is_some())
        };
        let imports = || self.facts.imports.iter().chain(self.globals());
        packages.iter().any(|p| {
            own(p)
                || imports().any(|i| below(i.path(), p).is_some())
                || (names.full_names && p.contains(names.separator) && self.full_name(p, text))
                || ((names.nesting || names.absolute) && self.names_outermost(p, text))
        }) || (self.language.modules.is_some()
            && self.facts.imports.iter().any(|i| {
                let real = self.project.canonical(self.language, i.path());
                real.is_some_and(|r| packages.iter().any(|p| below(&r.symbol, p).is_some()))
            }))
    }

    /// True if the file names the outermost type of a symbol, or loads what is called like it.
    fn names_outermost(&self, symbol: &str, text: &str) -> bool {
        let first = self.language.names.segments(symbol)[0];
        let file = emendo_text::Filter::Snake.apply(first);
        let loads = |s: &Span| {
            let path = s.of(text);
            path == file || path.strip_prefix(&file).is_some_and(|r| r.starts_with('/'))
        };
        let named = |w: &crate::facts::Word| w.space == Space::Type || w.space == Space::Declared;
        self.facts.words(first).iter().any(named) || self.facts.strings.iter().any(loads)
    }

    fn full_name(&self, package: &str, text: &str) -> bool {
        self.facts.words(self.language.names.last(package)).iter().any(|w| {
            let path = Span { start: w.path_start, end: w.span.end }.of(text);
            let path = path.strip_prefix(self.language.names.separator).unwrap_or(path);
            path.len() == package.len() && path == package
        })
    }
}

/// Modules in words.
fn quoted(modules: &[String]) -> String {
    modules.iter().map(|m| format!("`{m}`")).collect::<Vec<_>>().join(" and ")
}

/// The spaces in which a name of a space is declared.
fn spaces(space: Space) -> &'static [Space] {
    match space {
        Space::Type => &[Space::Type],
        Space::Callable => &[Space::Callable],
        _ => &[Space::Value, Space::Type],
    }
}
