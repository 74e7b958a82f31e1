//! The symbols that a name may stand for.

use crate::language::Space;
use crate::names::Head;
use crate::resolver::Resolver;
use crate::{Declared, TypeDecl};

impl<'a> Resolver<'a> {
    /// The symbols that a name may stand for, the likeliest first; none for a variable.
    pub fn candidates(&self, path: &[&str], space: Space, at: u32) -> Vec<String> {
        self.candidates_within(path, space, at, 8)
    }

    pub(super) fn candidates_within(
        &self,
        path: &[&str],
        space: Space,
        at: u32,
        depth: usize,
    ) -> Vec<String> {
        let Some(first) = path.first().filter(|_| depth > 0) else { return Vec::new() };
        if self.language.names.rooted {
            return self.rooted(path, space, at).into_iter().map(|(symbol, _)| symbol).collect();
        }
        if self.language.names.nesting {
            return self.nested(path, at, depth).into_iter().map(|(symbol, _)| symbol).collect();
        }
        if self.language.names.absolute {
            return self.absolute_paths(path, space, at).into_iter().map(|(s, _)| s).collect();
        }
        if let Some(within) = self.held_around(path, at) {
            return within.map(|(whole, _)| whole).into_iter().collect();
        }
        match self.head(first, space, at) {
            Some(Head::Import(import)) => vec![self.passed_on(self.behind(import, path))],
            Some(Head::Own(own)) => self.own_candidates(path, own, space, at, depth),
            None => match self.absolute(path) {
                Some(absolute) => vec![self.passed_on(absolute)],
                None => self.undeclared_candidates(path, at),
            },
        }
    }

    /// The symbol that one stands for, through modules of the project or of a library that pass it on.
    fn passed_on(&self, symbol: String) -> String {
        let real = self.project.canonical(self.language, &symbol).map(|c| c.symbol);
        real.or_else(|| self.project.exported(self.language, &symbol)).unwrap_or(symbol)
    }

    /// A path that begins with a name of the file's own.
    fn own_candidates(
        &self,
        path: &[&str],
        own: Declared<'_>,
        space: Space,
        at: u32,
        depth: usize,
    ) -> Vec<String> {
        let names = &self.language.names;
        let declared = self.facts.type_named_at(own.at);
        let through = self.through_aliases(path, declared, space, at, depth);
        if !through.is_empty() {
            return through;
        }
        if let Some(declared) = declared {
            let whole = std::iter::once(self.own_name(declared));
            let whole = whole.chain(path[1..].iter().map(|p| (*p).to_owned()));
            return vec![whole.collect::<Vec<_>>().join(names.separator)];
        }
        let same = own.hint.filter(|h| h.how == crate::facts::Tells::Same && own.top);
        if let Some(same) = same.filter(|h| !h.path.starts_with(path[0])) {
            let mut next: Vec<&str> = same.path.split(names.separator).collect();
            next.extend(&path[1..]);
            return self.candidates_within(&next, space, own.at.start, depth - 1);
        }
        let of_module = self.language.modules.is_some() && !self.facts.module.is_empty();
        if own.top && own.hint.is_none() && of_module {
            return vec![self.below_module(&self.facts.module, path)];
        }
        Vec::new()
    }

    /// What the types stand for that a declaration is another name for. Declared several times, for several builds, it
    /// may be each.
    fn through_aliases(
        &self,
        path: &[&str],
        declared: Option<&TypeDecl>,
        space: Space,
        at: u32,
        depth: usize,
    ) -> Vec<String> {
        let names = &self.language.names;
        let last = declared.and_then(|d| d.path.last()).map_or("", |p| names.last(p));
        let same = self.facts.types_called(last, names);
        let same = same.filter(|t| declared.is_some_and(|d| d.path == t.path));
        let mut out: Vec<String> = Vec::new();
        for alias in same.filter_map(|d| d.alias.as_ref()) {
            let mut next: Vec<&str> = alias.split(self.language.names.separator).collect();
            next.extend(&path[1..]);
            if next[0] != path[0] {
                out.extend(self.candidates_within(&next, space, at, depth - 1));
            }
        }
        out
    }

    /// A path whose first word neither the file nor an import makes known.
    fn undeclared_candidates(&self, path: &[&str], at: u32) -> Vec<String> {
        let names = &self.language.names;
        let packages = !self.language.imports.packages.is_empty();
        let in_full = path.len() > 1
            && names.full_names
            && packages
            && !path[0].starts_with(char::is_uppercase);
        if in_full {
            return vec![path.join(names.separator)];
        }
        if let Some(own) = self.global(path, Space::Value, at) {
            let module = names.globals.0;
            let told = self.project.learned(self.language, module);
            let hidden = self.facts.imports.iter().any(|i| i.wildcard && !i.global);
            let symbol = names.join(&[module, own[0]]);
            let known = told.is_some_and(|m| m.has(own[0]))
                || self.project.learned(self.language, &symbol).is_some();
            if !hidden && known {
                let whole: Vec<&str> = std::iter::once(module).chain(own.iter().copied()).collect();
                return vec![names.join(&whole)];
            }
        }
        let known = self.known_around(path, at);
        if known.is_empty() { self.possible_around(path, at) } else { known }
    }

    /// What types, packages and wildcards around are known to hold under a name.
    fn known_around(&self, path: &[&str], at: u32) -> Vec<String> {
        let known = |package: &str| self.project.holds(self.language, package, path[0]);
        let mut out = Vec::new();
        // Types around, and what they are built on, may hold a type of this name.
        let types = self.facts.types_at(at).map(|t| self.own_name(t));
        let shown = |i: &&crate::Import| !i.hides.iter().any(|h| h == path[0]);
        let wildcards = self.wildcards(at).filter(shown).map(|i| i.path().to_owned());
        for package in types.chain(self.packages_around(at)).chain(wildcards) {
            if known(&package) {
                push(&mut out, self.lying_in(&package, path));
            }
        }
        out
    }

    /// What a name may stand for by wildcards, packages that need no import, and the file's own package.
    fn possible_around(&self, path: &[&str], at: u32) -> Vec<String> {
        let names = &self.language.names;
        let mut out = Vec::new();
        let shown = |i: &&crate::Import| !i.hides.iter().any(|h| h == path[0]);
        let implied = names.builtin.contains(&path[0]);
        if implied && self.language.modules.is_some() {
            names.implicit.iter().for_each(|p| push(&mut out, self.lying_in(p, path)));
        }
        for import in self.wildcards(at).filter(shown) {
            let symbol = self.lying_in(import.path(), path);
            if self.lacks(import.path(), path[0]) {
                continue;
            }
            push(
                &mut out,
                if self.language.modules.is_some() { self.passed_on(symbol) } else { symbol },
            );
        }
        if implied {
            names.implicit.iter().for_each(|p| push(&mut out, self.lying_in(p, path)));
        }
        for package in self.packages_around(at) {
            push(&mut out, self.below_package(&package, path));
        }
        push(&mut out, path.join(names.separator));
        out
    }

    /// True for a module of several files, all of the project, none of which declares a name.
    fn lacks(&self, module: &str, name: &str) -> bool {
        let files = self.language.modules.as_ref().map(|m| m.files);
        let several = files.is_some_and(|f| !f(module, self.project.files()).is_empty());
        let symbol = || self.below_module(module, &[name]);
        several
            && self.project.file_of(self.language, &symbol()).is_none()
            && self.project.canonical(self.language, &symbol()).is_none()
    }

    /// The package at a place, and those around it whose names are seen there too.
    fn packages_around(&self, at: u32) -> Vec<String> {
        let names = &self.language.names;
        if self.language.imports.packages.is_empty() {
            return Vec::new();
        }
        let mut out = vec![self.facts.package_at(at).to_owned()];
        while let Some(last) = out.last()
            && names.nested_packages
            && last.contains(names.separator)
        {
            out.push(names.parent(last));
        }
        out
    }

    /// What lies in a package or a module.
    fn lying_in(&self, holder: &str, path: &[&str]) -> String {
        match self.language.modules {
            Some(_) if !holder.is_empty() => self.below_module(holder, path),
            _ => self.below_package(holder, path),
        }
    }

    fn below_package(&self, package: &str, path: &[&str]) -> String {
        let separator = self.language.names.separator;
        let written = path.join(separator);
        if package.is_empty() { written } else { format!("{package}{separator}{written}") }
    }

    fn below_module(&self, module: &str, path: &[&str]) -> String {
        let names = &self.language.names;
        let mut whole = names.segments(module);
        whole.extend(path);
        names.join(&whole)
    }
}

/// Adds a symbol that is not among them yet.
fn push(out: &mut Vec<String>, symbol: String) {
    if !out.contains(&symbol) {
        out.push(symbol);
    }
}
