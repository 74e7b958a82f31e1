//! What names mean where a path is written from the outermost module on, unless an import or a type declared around makes its
//! first word known.

use crate::facts::TypeDecl;
use crate::ground::{Certainty, Fact};
use crate::language::Space;
use crate::names::{Head, Spelled};
use crate::resolver::Resolver;

impl<'a> Resolver<'a> {
    /// The symbols that a path may stand for, the likeliest first, each with what tells so.
    pub(super) fn absolute_paths(
        &self,
        path: &[&str],
        space: Space,
        at: u32,
    ) -> Vec<(String, Fact)> {
        let names = &self.language.names;
        let Some(first) = path.first() else { return Vec::new() };
        let whole = |head: &str| {
            let rest = path[1..].iter().copied();
            std::iter::once(head).chain(rest).collect::<Vec<_>>().join(names.separator)
        };
        if self.language.declares.hints.own.contains(first) {
            let around = self.facts.types_at(at).next().map(|t| self.own_name(t));
            let text = format!("`{first}` is the module around");
            return around
                .map(|own| (whole(&own), Fact { says: Certainty::Certain, text, at: None }))
                .into_iter()
                .collect();
        }
        if path.len() == 1 && !first.starts_with(char::is_uppercase) {
            return self.functions_called(first, space, at);
        }
        let declared = self.facts.types_called(first, names).find(|t| t.at.start == at);
        if let Some(own) = declared.filter(|_| path.len() == 1) {
            let text = format!("`{first}` is declared here");
            return vec![(self.own_name(own), Fact { says: Certainty::Certain, text, at: None })];
        }
        let nested = self.nested_around(first, at);
        match self.head(first, Space::Type, at) {
            Some(Head::Import(import))
                if nested.as_ref().is_none_or(|n| n.1 < import.span.start) =>
            {
                let text = format!("`{first}` is another name by line {{line}}");
                let fact = Fact { says: Certainty::Certain, text, at: Some(import.span) };
                vec![(self.behind(import, path), fact)]
            }
            _ => {
                let (symbol, text) = match nested {
                    Some((own, _)) => {
                        (whole(&own), format!("`{first}` is declared in the module around"))
                    }
                    None => (whole(first), format!("`{}` is written in full", whole(first))),
                };
                vec![(symbol, Fact { says: Certainty::Certain, text, at: None })]
            }
        }
    }

    /// The type of a name that is declared within a type around, before a place, and where it is.
    fn nested_around(&self, first: &str, at: u32) -> Option<(String, u32)> {
        let separator = self.language.names.separator;
        let head = |t: &&'a TypeDecl| {
            let own = t.path.last().map_or("", |p| p.split(separator).next().unwrap_or(p));
            t.path.len() > 1 && own == first && t.at.start <= at
        };
        let around = |t: &&'a TypeDecl| {
            let outer = &t.path[..t.path.len() - 1];
            self.facts.types_at(at).any(|o| o.path == outer)
        };
        let found = self.facts.types.iter().filter(head).filter(around).last()?;
        let whole = self.own_name(found);
        let below = found.path.last().map_or(0, |p| p.len() - first.len());
        Some((whole[..whole.len() - below].to_owned(), found.at.start))
    }

    /// The functions that a name by itself may stand for: one of the module around, or what an import brings in.
    fn functions_called(&self, name: &str, space: Space, at: u32) -> Vec<(String, Fact)> {
        let names = &self.language.names;
        let variable = || self.facts.lookup(name, &[Space::Value], at).is_some();
        if !matches!(space, Space::Callable | Space::Value | Space::Member)
            || space == Space::Value && variable()
        {
            return Vec::new();
        }
        if let Some(own) = self.facts.lookup(name, &[Space::Callable], at) {
            let Some(around) = self.facts.types_at(own.at.start).next() else { return Vec::new() };
            let text = format!("`{name}` is declared in this file, line {{line}}");
            let fact = Fact { says: Certainty::Certain, text, at: Some(own.at) };
            return vec![(names.member(&self.own_name(around), name), fact)];
        }
        if let Some(import) = self.imported_at(name, Space::Callable, at) {
            let text = format!("`{name}` is imported on line {{line}}");
            let fact = Fact { says: Certainty::Certain, text, at: Some(import.span) };
            return vec![(self.behind(import, &[name]), fact)];
        }
        let shown = |i: &&crate::Import| i.is_static && !i.hides.iter().any(|h| h == name);
        let imported = self.wildcards(at).filter(shown).map(|i| (i.path().to_owned(), i.span));
        let mut wild: Vec<(String, emendo_text::Span)> = imported.chain(self.used(at)).collect();
        // One that is known to hold the name is meant; one that is known not to is not.
        let holds = |w: &(String, emendo_text::Span)| self.module_holds(&w.0, name);
        if let Some(known) = wild.iter().position(|w| holds(w) == Some(true)) {
            wild = vec![wild.swap_remove(known)];
        }
        wild.retain(|w| holds(w) != Some(false));
        let sure = wild.len() == 1 && holds(&wild[0]) == Some(true);
        let says = match wild.len() {
            _ if sure => Certainty::Certain,
            1 => Certainty::Likely,
            _ => Certainty::Unsure,
        };
        let each = wild.into_iter().map(|(module, span)| {
            let text = format!("`{name}` comes in by `{module}` on line {{line}}");
            (names.member(&module, name), Fact { says, text, at: Some(span) })
        });
        each.collect()
    }

    /// The modules whose functions come in by what the module around is built on, as recipes tell, each with where that is said.
    fn used(&self, at: u32) -> Vec<(String, emendo_text::Span)> {
        let separator = self.language.names.separator;
        let mut out = Vec::new();
        for (written, span) in self.facts.types_at(at).flat_map(|t| &t.supers) {
            let path: Vec<&str> = written.split(separator).collect();
            for symbol in self.candidates(&path, Space::Type, span.start) {
                let learned = self.project.learned(self.language, &symbol);
                let exports = learned.into_iter().flat_map(|l| l.exports());
                out.extend(exports.map(|e| (e.to_owned(), *span)));
            }
        }
        out
    }

    /// True if a module is known to hold a function of a name, false if it is known not to.
    fn module_holds(&self, module: &str, name: &str) -> Option<bool> {
        if let Some(own) = self.facts.types.iter().find(|t| self.own_name(t) == module) {
            return Some(own.members_called(name).next().is_some());
        }
        let learned = self.project.learned(self.language, module);
        if learned.is_some_and(|m| m.has(name)) {
            return Some(true);
        }
        self.project.type_of(module)?;
        Some(self.member(&crate::ty::Ty::object(module).itself(), name).is_some())
    }

    /// How a symbol is written at a place that does not know it; none where it is imported as its neighbours are.
    pub(super) fn spell_absolute(&self, symbol: &str, space: Space, at: u32) -> Option<Spelled> {
        let names = &self.language.names;
        let (parent, last) = (names.parent(symbol), names.last(symbol));
        let holds = |i: &&crate::Import| i.scope.start <= at && at <= i.scope.end;
        if !last.starts_with(char::is_uppercase) && !parent.is_empty() {
            // A function is brought in with all of its module, or with others of it.
            let brought = |i: &crate::Import| i.is_static && i.wildcard && i.path() == parent;
            let hidden =
                space == Space::Value && self.facts.lookup(last, &[Space::Value], at).is_some();
            let around = self.facts.types_at(at).next().map(|t| self.own_name(t));
            let own = around.is_some_and(|a| a == parent);
            let hidden = hidden || self.facts.lookup(last, &[Space::Callable], at).is_some();
            if own || !hidden && self.facts.imports.iter().filter(holds).any(brought) {
                return Some(Spelled { text: last.to_owned(), imports: Vec::new() });
            }
            let of = self.spell(&parent, Space::Type, at).ok()?;
            return Some(Spelled { text: format!("{}{}{last}", of.text, names.separator), ..of });
        }
        // Declared in a module around, under its own name.
        if self.facts.types_at(at).any(|t| self.own_name(t) == parent) {
            return Some(Spelled { text: last.to_owned(), imports: Vec::new() });
        }
        // An import holds for one module.
        let several = self.facts.types.iter().filter(|t| t.path.len() == 1).count() > 1;
        let beside =
            |i: &crate::Import| !several && !i.is_static && !i.aliased() && !parent.is_empty();
        let known = self.facts.imports.iter().filter(holds).any(beside);
        let taken = self.taken(last, Space::Type, at, symbol);
        let full = Spelled { text: symbol.to_owned(), imports: Vec::new() };
        (!known || taken).then_some(full)
    }

    /// Does a path mean the symbol?
    pub(super) fn absolute_means(
        &self,
        path: &[&str],
        space: Space,
        at: u32,
        symbol: &str,
    ) -> Option<Fact> {
        let all = self.absolute_paths(path, space, at);
        all.into_iter().find(|(s, _)| s == symbol).map(|(_, fact)| fact)
    }
}
