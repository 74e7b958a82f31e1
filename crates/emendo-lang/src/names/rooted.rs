//! What names mean where a path is written from the outermost package, or from what is known at the place: an import, or
//! the package around. Nothing else brings names in, so a path means one thing; only functions and constants by a single
//! name are looked for in the outermost package too.

use crate::ground::{Certainty, Fact, Import};
use crate::language::Space;
use crate::resolver::Resolver;

/// True if two names are one, whatever their letters: those of constants count.
pub(super) fn alike(a: &str, b: &str) -> bool {
    a.eq_ignore_ascii_case(b) && [a, b].iter().all(|n| n.contains(char::is_lowercase))
}

impl<'a> Resolver<'a> {
    /// The symbols that a path may stand for, the likeliest first, each with what tells so.
    pub(super) fn rooted(&self, path: &[&str], space: Space, at: u32) -> Vec<(String, Fact)> {
        let names = &self.language.names;
        let Some(first) = path.first() else { return Vec::new() };
        let fact = |says, text, at| Fact { says, text, at };
        let certain = |text, at| fact(Certainty::Certain, text, at);
        if let ("", Some(rest)) = (*first, path.get(1..).filter(|r| !r.is_empty())) {
            let symbol = names.join(rest);
            let text = format!("`{}` is written in full", names.in_full(&symbol));
            return vec![(symbol, certain(text, None))];
        }
        let single = path.len() == 1;
        if let Some(own) = self.own_words(first, at).filter(|_| single) {
            let text = format!("`{first}` is the type around");
            return own.into_iter().map(|s| (s, certain(text.clone(), None))).collect();
        }
        let (package, place) = (self.facts.package_at(at), self.facts.package_span);
        let below = |path: &[&str]| {
            let whole: Vec<&str> =
                names.segments(package).into_iter().chain(path.iter().copied()).collect();
            if package.is_empty() { names.join(path) } else { names.join(&whole) }
        };
        let here = || match package {
            "" => {
                certain(format!("`{first}` is not imported, and this file is in no package"), None)
            }
            package => certain(format!("this file is in the package `{package}` itself"), place),
        };
        if *first == names.root && !single {
            return vec![(below(&path[1..]), here())];
        }
        let free = single && space == Space::Callable;
        let head = if free { Space::Callable } else { Space::Type };
        if let Some(import) = self.imported_at(first, head, at) {
            let text = format!("`{first}` is imported on line {{line}}");
            return vec![(self.behind(import, path), certain(text, Some(import.span)))];
        }
        if !free || package.is_empty() {
            return vec![(below(path), here())];
        }
        if self.project.holds(self.language, package, &format!("{first}()")) {
            return vec![(below(path), here())];
        }
        let text = format!("the package `{package}` is not known to have a `{first}` of its own");
        vec![
            (names.join(path), certain(text.clone(), None)),
            (below(path), fact(Certainty::Likely, text, None)),
        ]
    }

    /// The types that a word of the language for the type around stands for.
    fn own_words(&self, word: &str, at: u32) -> Option<Vec<String>> {
        let hints = &self.language.declares.hints;
        let around = || self.facts.types_at(at).next();
        if hints.own.contains(&word) {
            return Some(around().map_or(Vec::new(), |t| vec![self.own_name(t)]));
        }
        let supers =
            || around().map_or(Vec::new(), |t| self.around(t).into_iter().skip(1).collect());
        hints.base.contains(&word).then(supers)
    }

    /// True if a name means something else than a symbol, or may do so.
    pub(super) fn rooted_taken(&self, name: &str, space: Space, at: u32) -> bool {
        let free = space == Space::Callable;
        let same = |i: &Import| !i.passes_on && i.is_static == free && i.local() == Some(name);
        let own = if free { format!("{name}()") } else { name.to_owned() };
        let package = self.facts.package_at(at);
        self.facts.imports.iter().any(same)
            || self.project.holds(self.language, package, &own)
            || self.facts.types.iter().any(|t| !free && t.path == [name])
            || self
                .facts
                .words(name)
                .iter()
                .any(|w| w.space == if free { Space::Callable } else { Space::Type })
    }

    /// True where a type of the outermost package is written by its name alone once it is imported: the file does so.
    pub(super) fn imports_outermost(&self) -> bool {
        self.facts.imports.iter().any(|i| !i.is_static && i.segments.len() == 1)
    }
}
