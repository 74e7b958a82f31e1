//! What the names of collected code mean, and what another file needs to say the same.

use emendo_lang::language::PathTo;
use emendo_lang::tree::Node;
use emendo_lang::tree::{span, tokens};
use emendo_lang::{Import, ImportName, Index, OwnName, Project as _, Resolver, Space, Word};
use emendo_text::{RelPath, Span};

use crate::contract::Code;
use crate::file::generate::lines::comments_above;

/// Declarations that rest on one another, deeper than this, are not taken along.
const DEEPEST: usize = 16;

/// A name in collected code that means something beyond it.
#[derive(Clone, Debug)]
pub(super) struct NameInPiece {
    pub(super) at: Span,
    pub(super) name: String,
    /// It is a key and its value in one word.
    pub(super) short: bool,
    /// It is the name of a declaration.
    pub(super) declares: bool,
    pub(super) means: NameMeaning,
}

/// What a name means.
#[derive(Clone, Debug)]
pub(super) enum NameMeaning {
    /// Something that a file must import, by its symbol.
    Symbol(String, ImportName),
    /// The same, of which only files of its package know.
    Package(String, ImportName),
    /// Something that comes in with all names of a module.
    Wildcard(ImportName),
    /// What the statement at this place declares.
    Local(Span),
    /// Something that cannot be said elsewhere: why.
    Bound(String),
}

/// A statement that declares what collected code uses.
#[derive(Clone, Debug)]
pub(super) struct LocalDeclaration {
    pub(super) at: Span,
    /// The same with the comments above it.
    pub(super) whole: Span,
    /// The names that it declares.
    pub(super) names: Vec<String>,
    /// All places of these names in it.
    pub(super) own: Vec<(String, Span)>,
    /// All other places of these names.
    pub(super) elsewhere: Vec<Span>,
    /// What its names mean.
    pub(super) uses: Vec<NameInPiece>,
    /// Its value is a plain literal.
    pub(super) plain: bool,
}

/// The names of one parsed text.
pub(super) struct CodeNames<'a> {
    code: &'a Code,
    text: &'a str,
    resolver: &'a Resolver<'a>,
    project: &'a Index,
    /// Where the code is written to.
    target: &'a RelPath,
    words: Vec<(&'a str, &'a Word)>,
}

const SPACES: [Space; 3] = [Space::Value, Space::Type, Space::Callable];

impl<'a> CodeNames<'a> {
    pub(super) fn new(
        (code, text): (&'a Code, &'a str),
        resolver: &'a Resolver<'a>,
        project: &'a Index,
        target: &'a RelPath,
    ) -> Self {
        let all = code.facts.all_words();
        let mut words: Vec<(&str, &Word)> =
            all.flat_map(|(name, words)| words.iter().map(move |w| (name, w))).collect();
        words.sort_by_key(|w| (w.1.span.start, w.1.span.end));
        Self { code, text, resolver, project, target, words }
    }

    /// What the names of a place mean beyond it. A slot that is the name of a declaration names that.
    pub(super) fn of(
        &self,
        at: Span,
        slots: &[Span],
        locals: &mut Vec<LocalDeclaration>,
    ) -> Vec<NameInPiece> {
        self.at_depth(at, slots, locals, DEEPEST)
    }

    fn at_depth(
        &self,
        at: Span,
        slots: &[Span],
        locals: &mut Vec<LocalDeclaration>,
        depth: usize,
    ) -> Vec<NameInPiece> {
        let mut out = self.own_object(at);
        let first = self.words.partition_point(|w| w.1.span.start < at.start);
        for (name, w) in self.words[first..].iter().take_while(|w| w.1.span.start < at.end) {
            let means = match w.space {
                Space::Member => continue,
                Space::Declared if slots.contains(&w.span) => self.declared(name, w.span),
                Space::Declared => continue,
                _ if w.path_start != w.span.start => continue,
                _ => self.means(name, w, at, locals, depth),
            };
            let Some(means) = means else { continue };
            let short = self.is_short(w.span);
            if w.key && !short || out.iter().any(|o| o.at == w.span) {
                continue;
            }
            let (name, declares) = ((*name).to_owned(), w.space == Space::Declared);
            out.push(NameInPiece { at: w.span, name, short, declares, means });
        }
        out.sort_by_key(|u| u.at.start);
        out
    }

    /// A key and its value in one word.
    fn is_short(&self, at: Span) -> bool {
        let language = self.code.language;
        let node =
            self.code.tree.root().descendant_for_byte_range(at.start as usize, at.end as usize);
        let kind = node.map_or("", |n| n.kind());
        language.compare.keyed.iter().any(|k| k.shorthand == kind && !kind.is_empty())
            || language.declares.shorthands.contains(&kind)
    }

    /// Words for the object that code belongs to.
    fn own_object(&self, at: Span) -> Vec<NameInPiece> {
        let hints = &self.code.language.declares.hints;
        let types = self.code.language.declares.declared;
        // A type within it has objects of its own.
        let inside = |t: Node<'_>| {
            let around = std::iter::successors(t.parent(), |n| n.parent());
            let mut around = around.take_while(|n| at.contains(span(*n)));
            around.any(|n| types.iter().any(|t| t.kind == n.kind()))
        };
        let all = tokens(self.code.tree.root(), at).into_iter().filter(|t| {
            let word = span(*t).of(self.text);
            let is = hints.own.contains(&word) || hints.base.contains(&word);
            t.kind() == word && is && !inside(*t)
        });
        let one = |at: Span| {
            let name = at.of(self.text).to_owned();
            let means = NameMeaning::Bound(format!("it uses `{name}`"));
            NameInPiece { at, name, short: false, declares: false, means }
        };
        all.map(span).map(one).collect()
    }

    /// A word of the language for the module that code is written in, or for one around it.
    fn is_place_word(&self, at: Span) -> bool {
        let own = self.code.language.modules.as_ref().map_or("", |m| m.own);
        let node =
            self.code.tree.root().descendant_for_byte_range(at.start as usize, at.end as usize);
        !own.is_empty() && node.is_some_and(|n| n.kind() == at.of(self.text))
    }

    fn means(
        &self,
        name: &str,
        w: &Word,
        within: Span,
        locals: &mut Vec<LocalDeclaration>,
        depth: usize,
    ) -> Option<NameMeaning> {
        let facts = &self.code.facts;
        let at = w.span.start;
        if self.is_place_word(w.span) {
            let own = self.code.language.modules.as_ref().map_or("", |m| m.own);
            let why = || format!("`{name}` means something else elsewhere");
            return (name != own).then(|| NameMeaning::Bound(why()));
        }
        let own = facts.lookup(name, &SPACES, at);
        let import = self.resolver.import_at(name, at);
        if let Some(own) = own {
            if within.contains(own.at) {
                return None;
            }
            if import.is_none() || !own.top {
                if own.top && self.resolver.is_shown(own.at, name) {
                    return self.exported(name, own.at);
                }
                if facts.type_named_at(own.at).is_some_and(|t| t.path.len() == 1) {
                    return Some(self.in_package(name, own.at));
                }
                return Some(match self.resolver.own_name_at(name, &own) {
                    OwnName::Constant { statement, plain } if !statement.contains(within) => {
                        self.local(statement, plain, locals, depth)
                    }
                    OwnName::Constant { .. } => {
                        NameMeaning::Bound(format!("`{name}` is declared by what it stands in"))
                    }
                    OwnName::Changed => {
                        NameMeaning::Bound(format!("`{name}` is given another value later"))
                    }
                    OwnName::Parameter => NameMeaning::Bound(format!(
                        "`{name}` gets its value from around it: from a call, or a loop"
                    )),
                    OwnName::Other => {
                        NameMeaning::Bound(format!("other files cannot name `{name}`"))
                    }
                });
            }
        }
        match import {
            Some(import) => Some(self.imported(import)),
            None => self.undeclared(name, w),
        }
    }

    /// What a name means that is declared at a place of the file, to other files.
    fn declared(&self, name: &str, at: Span) -> Option<NameMeaning> {
        let facts = &self.code.facts;
        let top = facts.is_top(at) || facts.type_named_at(at).is_some_and(|t| t.path.len() == 1);
        match top && self.resolver.is_shown(at, name) {
            true => self.exported(name, at),
            false if top => Some(self.in_package(name, at)),
            false => Some(NameMeaning::Bound(format!("other files cannot name `{name}`"))),
        }
    }

    fn exported(&self, name: &str, at: Span) -> Option<NameMeaning> {
        let language = self.code.language;
        let names = &language.names;
        let visible = self.resolver.visible(at, name)?;
        let exports = &self.code.facts.exports;
        let outside = exports.iter().find(|e| e.inside == name).map(|e| e.outside.as_str());
        let symbol = match outside.filter(|o| *o != name) {
            Some(outside) => names.join(&[names.parent(&visible.symbol).as_str(), outside]),
            None => visible.symbol,
        };
        let space = match self.code.facts.type_named_at(at) {
            Some(_) => Space::Type,
            None => Space::Value,
        };
        let import = language.import_of(&symbol, space);
        let own = language.modules.as_ref().map_or("", |m| m.own);
        let own = if own.is_empty() { "./x" } else { own };
        let path =
            self.written(&symbol, &[own, names.last(&symbol)]).unwrap_or_else(|| symbol.clone());
        let alias = (names.last(&symbol) != name).then(|| name.to_owned());
        Some(NameMeaning::Symbol(symbol, ImportName { path, alias, spelled: true, ..import }))
    }

    /// What only files of its package can name, if there are packages.
    fn in_package(&self, name: &str, at: Span) -> NameMeaning {
        let packages = self.code.language.modules.is_none();
        match self.exported(name, at).filter(|_| packages) {
            // Where packages hold others, what they declare is known in the whole project.
            Some(meant) if self.code.language.names.nested_packages => meant,
            Some(NameMeaning::Symbol(symbol, import)) => NameMeaning::Package(symbol, import),
            _ => NameMeaning::Bound(format!("other files cannot name `{name}`")),
        }
    }

    fn imported(&self, import: &Import) -> NameMeaning {
        let manner: Vec<&str> = import.segments.iter().map(|s| s.0.as_str()).collect();
        let name = import.name();
        let path = self.written(import.path(), &manner).unwrap_or_else(|| name.path.clone());
        NameMeaning::Symbol(import.path().to_owned(), ImportName { path, spelled: true, ..name })
    }

    /// How the target writes the path of something in a module of the project, in a manner that stands elsewhere.
    fn written(&self, symbol: &str, manner: &[&str]) -> Option<String> {
        let language = self.code.language;
        let (names, files) = (&language.names, self.project.files());
        // Elsewhere a path from the root says the same in every file.
        let modules = language.modules.as_ref().filter(|_| !manner.is_empty())?;
        if names.module_separator.is_empty() && modules.own.is_empty() {
            return None;
        }
        let own = |s: &str| s.strip_prefix("./").and_then(|p| RelPath::new(p).ok());
        // A file that is not there, or is no module, is still named by its place.
        let file = (modules.file)(symbol, files)
            .or_else(|| (modules.file)(&names.parent(symbol), files))
            .or_else(|| own(names.segments(symbol).first()?))?;
        let path =
            PathTo { written: manner, target: symbol, file: &file, from: self.target, inside: &[] };
        let written = (modules.written)(&path, files)?;
        let written: Vec<&str> = written.iter().map(String::as_str).collect();
        Some(names.join(&written))
    }

    /// A name that neither the file nor an import of its own makes known.
    fn undeclared(&self, name: &str, w: &Word) -> Option<NameMeaning> {
        let language = self.code.language;
        let names = &language.names;
        let all = self.resolver.candidates(&[name], w.space, w.span.start);
        let known = |s: &&String| {
            let project = self.project;
            project.type_of(s).is_some() || project.holds(language, &names.parent(s), names.last(s))
        };
        let packages = !language.imports.packages.is_empty();
        if let Some(symbol) = all.iter().find(known).filter(|_| packages) {
            let import = language.import_of(symbol, Space::Type);
            return Some(NameMeaning::Symbol(symbol.clone(), import));
        }
        if names.builtin.contains(&name) {
            return None;
        }
        let facts = &self.code.facts;
        let wildcard = facts.imports.iter().find(|i| i.wildcard && !i.global && !i.passes_on);
        wildcard.map(|i| NameMeaning::Wildcard(i.name()))
    }

    /// A declaration that goes along.
    fn local(
        &self,
        at: Span,
        plain: bool,
        locals: &mut Vec<LocalDeclaration>,
        depth: usize,
    ) -> NameMeaning {
        if locals.iter().any(|l| l.at == at) {
            return NameMeaning::Local(at);
        }
        let Some(depth) = depth.checked_sub(1) else {
            return NameMeaning::Bound("what it uses rests on too much".to_owned());
        };
        let uses = self.at_depth(at, &[], locals, depth);
        if let Some(NameMeaning::Bound(why)) =
            uses.iter().map(|u| &u.means).find(|m| matches!(m, NameMeaning::Bound(_)))
        {
            return NameMeaning::Bound(format!("a variable that it uses goes no further: {why}"));
        }
        let facts = &self.code.facts;
        let is_own = |name: &str, w: &Word| {
            let declared = facts.lookup(name, &SPACES, w.span.start);
            let is = |d: &emendo_lang::Declared<'_>| at.contains(d.at) && !at.contains(d.scope);
            w.space != Space::Member && declared.is_some_and(|d| is(&d))
        };
        let first = self.words.partition_point(|w| w.1.span.start < at.start);
        let here = self.words[first..].iter().take_while(|w| w.1.span.start < at.end);
        let own: Vec<(String, Span)> = here
            .filter(|(name, w)| is_own(name, w))
            .map(|(name, w)| ((*name).to_owned(), w.span))
            .collect();
        let mut names: Vec<String> = own.iter().map(|o| o.0.clone()).collect();
        names.sort();
        names.dedup();
        let all = names.iter().flat_map(|n| facts.words(n).iter().map(move |w| (n, w)));
        let other = all.filter(|(n, w)| !at.contains(w.span) && is_own(n, w));
        let elsewhere = other.map(|(_, w)| w.span).collect();
        let lead = comments_above(self.text, &facts.comments, at);
        let whole = lead.map_or(at, |lead| lead.hull(at));
        locals.push(LocalDeclaration { at, whole, names, own, elsewhere, uses, plain });
        NameMeaning::Local(at)
    }
}
