//! What a file declares that others can name, and where they do.

use emendo_text::Span;

use crate::facts::Word;
use crate::language::{Language, Space};
use crate::owners::Owner;
use crate::resolver::Resolver;

/// A declaration that other files can name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Visible {
    /// The full symbol.
    pub symbol: String,
    /// The type that it is a member of.
    pub owner: Option<String>,
}

impl Visible {
    /// Its own name.
    pub fn name(&self, language: &Language) -> &str {
        language.names.last(&self.symbol)
    }
}

impl Resolver<'_> {
    /// What is declared at a place, if other files can name it: a type, a member, or what stands at the top of a file.
    pub fn visible(&self, at: Span, name: &str) -> Option<Visible> {
        if !self.facts.is_outer(at) {
            return None;
        }
        if let Some(t) = self.facts.type_named_at(at) {
            return Some(Visible { symbol: self.own_name(t), owner: None });
        }
        if let Some(t) = self.facts.owner_of(at) {
            let owner = self.own_name(t);
            let symbol = self.language.names.member(&owner, name);
            return Some(Visible { symbol, owner: Some(owner) });
        }
        let around = match self.language.modules {
            Some(_) => self.facts.module.as_str(),
            None => self.facts.package_at(at.start),
        };
        let top = self.facts.is_top(at) && !around.is_empty();
        top.then(|| Visible { symbol: self.below(around, name), owner: None })
    }

    /// The symbol of a name below another.
    fn below(&self, around: &str, name: &str) -> String {
        let mut whole = self.language.names.segments(around);
        whole.push(name);
        self.language.names.join(&whole)
    }

    /// The places of a file that mean what is declared elsewhere. Through an object of which nothing is known: if the
    /// file names its type.
    pub fn uses_of(&self, declared: &Visible, text: &str) -> Vec<Span> {
        let names = &self.language.names;
        let name = declared.name(self.language);
        let Some(owner) = &declared.owner else {
            // The file may know it under a name of its own.
            let aliases = self.facts.imports.iter().filter(|i| i.aliased()).filter_map(|i| {
                let local = i.local()?;
                let at = i.span.end;
                self.means(&[local], Space::Value, at, &declared.symbol).map(|_| local)
            });
            let own = |w: &Word| w.space == Space::Declared && self.facts.is_top(w.span);
            let means = |w: &&Word| {
                let path = Span { start: w.path_start, end: w.span.end }.of(text);
                let path: Vec<&str> = path.split(names.separator).map(str::trim).collect();
                !own(w) && self.means(&path, w.space, w.span.start, &declared.symbol).is_some()
            };
            let words = std::iter::once(name).chain(aliases).flat_map(|n| self.facts.words(n));
            return words.filter(means).map(|w| w.span).collect();
        };
        let words = self.facts.words(name).iter();
        let type_named = !self.facts.words(names.last(owner)).is_empty()
            || self.facts.imports.iter().any(|i| i.path() == owner);
        let is = |w: &&Word| match self.member_of(w, text, &|o| o == owner, &[]) {
            Owner::Is(_) => true,
            Owner::Partly(_) | Owner::Unknown(_) => type_named && w.space == Space::Member,
            Owner::Not => false,
        };
        words.filter(is).map(|w| w.span).collect()
    }
}
