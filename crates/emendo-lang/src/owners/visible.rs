//! What a file declares that others can name, and where they do.

use emendo_text::Span;

use crate::facts::Word;
use crate::ground::{Certainty, Fact};
use crate::language::{Language, Space, SymbolOf};
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
            let leaf = self.leaf(at);
            let symbol = match leaf.is_some_and(|l| self.is_static(l)) {
                true => self.language.names.static_member(&owner, name),
                false => self.language.names.member(&owner, name),
            };
            return Some(Visible { symbol, owner: Some(owner) });
        }
        let around = match self.language.modules {
            Some(_) => self.facts.module.as_str(),
            None => self.facts.package_at(at.start),
        };
        let top = self.facts.is_top(at) && !around.is_empty();
        top.then(|| Visible { symbol: self.below(around, name), owner: None })
    }

    /// True if a word names a member of a type itself where one of its objects is asked for, or the other way round.
    pub fn is_on_other_side(&self, word: &Word, itself: bool) -> bool {
        // Members of another type may be taken over as those of the type itself.
        let own = &self.language.declares;
        let extended = || own.brings_itself.iter().any(|w| !self.facts.words(w).is_empty());
        if word.key {
            // By its name alone, a member of the objects is named.
            return itself;
        }
        let Some(receiver) = word.receiver else {
            let Some(leaf) = self.leaf(word.span) else { return false };
            if word.space == Space::Declared {
                return self.is_static(leaf) != itself;
            }
            let on_type = self.works_on_type(leaf);
            if on_type && self.works_in_block_of_type(leaf) {
                return false;
            }
            return on_type != itself && !(on_type && extended());
        };
        let written = receiver.of(self.text).trim();
        if self.language.declares.hints.own.contains(&written) {
            let on_type = self.leaf(word.span).is_some_and(|l| self.works_on_type(l));
            return on_type != itself && !(on_type && extended());
        }
        match self.type_at(receiver) {
            Some(told) if told.ty.is_named() => !itself && !extended(),
            Some(told) => itself && !told.ty.symbols().is_empty(),
            None => false,
        }
    }

    /// What speaks against a word that is taken for a member of the type around: nothing but its name, or a block that
    /// may be called on another object.
    pub fn doubt_of_own(&self, word: &Word) -> Option<Fact> {
        let says = Certainty::Unsure;
        if self.facts.loose.contains(&word.span) {
            let name = word.span.of(self.text);
            let text = format!("what `{name}` is handed to may take it for the name of a method");
            return Some(Fact { says, text, at: None });
        }
        let implied = word.receiver.is_none() && word.space != Space::Declared;
        let block = self.language.declares.statics.first().filter(|_| implied).is_some()
            && self.leaf(word.span).is_some_and(|l| self.works_in_block_of_type(l));
        let text = "the block around may be called on an object, or on the type".to_owned();
        block.then_some(Fact { says, text, at: None })
    }

    /// True in a function without a name in the body of a type.
    fn works_in_block_of_type(&self, leaf: crate::tree::Node<'_>) -> bool {
        let (own, walls) = (&self.language.declares, self.language.scopes.walls);
        let mut node = leaf.parent();
        let mut block = false;
        while let Some(n) = node {
            if walls.contains(&n.kind()) {
                return block && own.declared.iter().any(|d| d.kind == n.kind());
            }
            block |= self.language.is_function(n.kind());
            node = n.parent();
        }
        false
    }

    /// True where the object itself is a type.
    pub fn is_on_type(&self, at: Span) -> bool {
        self.leaf(at).is_some_and(|l| self.works_on_type(l))
    }

    /// True for code that stands for a type itself.
    pub fn is_type_value(&self, at: Span) -> bool {
        self.type_at(at).is_some_and(|t| t.ty.is_named())
    }

    /// The path of a type that some code stands for, in full where it is told otherwise than by its name.
    pub fn type_path(&self, at: Span) -> String {
        let written = at.of(self.text);
        let plain = written.chars().all(|c| c.is_alphanumeric() || c == '_' || c == ':');
        if plain && written.starts_with(|c: char| c.is_uppercase() || c == ':') {
            return written.to_owned();
        }
        let told = self.type_at(at).filter(|t| t.ty.is_named());
        let symbol = told.and_then(|t| t.ty.symbols().first().cloned());
        let full = symbol.map(|s| format!("{}{s}", self.language.names.separator));
        full.unwrap_or_else(|| written.to_owned())
    }

    /// True where the object itself is a type: in its body, and in members of the type itself.
    pub(crate) fn works_on_type(&self, leaf: crate::tree::Node<'_>) -> bool {
        let (own, calls) = (&self.language.declares, &self.language.typing.calls);
        let walls = self.language.scopes.walls;
        let mut node = leaf.parent();
        while let Some(n) = node {
            if calls.functions.iter().any(|f| f.kind == n.kind()) && walls.contains(&n.kind()) {
                return self.is_static(n);
            }
            if own.declared.iter().any(|d| d.kind == n.kind()) && walls.contains(&n.kind()) {
                return true;
            }
            node = n.parent();
        }
        false
    }

    /// True for a member that is declared by its name alone over a variable that is called like it.
    pub fn is_over_variable(&self, at: Span) -> bool {
        let rules = self.language.words.symbols.iter().filter(|r| r.of == SymbolOf::Variable);
        let (start, end) = (at.start as usize, at.end as usize);
        let leaf = || self.tree.root().descendant_for_byte_range(start, end);
        let Some(leaf) = rules.clone().next().and_then(|_| leaf()) else { return false };
        let call = leaf.parent().and_then(|list| list.parent());
        let split = call.and_then(|c| self.language.words.call(c.kind()));
        let Some(name) = split.and_then(|s| crate::tree::part(call?, s.2)) else { return false };
        let name = crate::tree::span(name).of(self.text);
        { rules }.any(|r| r.kind == leaf.kind() && r.calls.contains(&name))
    }

    /// True if a member is declared at a place as one of the type itself, where that is told apart.
    pub fn is_static_at(&self, at: Span) -> bool {
        self.leaf(at).is_some_and(|l| self.is_static(l))
    }

    /// True for what is declared as a member of the type itself.
    pub(crate) fn is_static(&self, leaf: crate::tree::Node<'_>) -> bool {
        let own = &self.language.declares;
        let mut node = Some(leaf);
        while let Some(n) = node {
            if own.statics.contains(&n.kind()) {
                return true;
            }
            if own.declared.iter().any(|d| d.kind == n.kind()) {
                return false;
            }
            node = n.parent();
        }
        false
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
