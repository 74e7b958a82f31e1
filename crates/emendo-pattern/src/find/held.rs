//! What slots must fulfil once a pattern fits: what they are, what stands in them, how what they name is declared.

use std::collections::HashSet;

use emendo_lang::language::Space;
use emendo_lang::tree::{Tree, descend, span};
use emendo_lang::{Certainty, Fact, FileFacts, Resolver};
use emendo_text::Span;

use crate::find::around::{Asks, Look, any_group, no_group};
use crate::find::asked::SlotConditions;
use crate::found::{Bound, Match};
use crate::model::Pattern;

impl Asks<'_> {
    /// True if a slot of a match fulfils what is asked of it; an empty list passes all but what it must hold.
    pub(super) fn holds(&self, s: &SlotConditions, m: &mut Match) -> bool {
        let Some(bound) = m.slot(&s.slot).cloned() else { return true };
        if bound.text.is_some() {
            return true;
        }
        let mut spans =
            if bound.scattered.is_empty() { vec![bound.span] } else { bound.scattered.clone() };
        // The first of several links begins with its dot.
        if let [only] = spans.as_mut_slice() {
            *only = self.look.with_dot(*only);
        }
        let within = |m: &mut Match, p: &Pattern| spans.iter().any(|at| self.within(p, m, *at));
        let is = |m: &mut Match, p: &Pattern| {
            let at = [bound.span];
            at.iter().any(|at| self.is(p, m, *at))
        };
        let defined = |m: &mut Match, p: &Pattern| self.defined(p, &bound, m);
        // Of several, and of links, each was asked where it was bound.
        let alone = bound.count == 1 && !bound.kind.is_empty();
        (!alone || any_group(&s.is, m, &is))
            && any_group(&s.holding, m, &within)
            && no_group(&s.not_holding, m, &within)
            && any_group(&s.defined_with, m, &defined)
    }

    /// A pattern fits a place, in a way that goes together with the match.
    fn is(&self, p: &Pattern, m: &mut Match, at: Span) -> bool {
        let look = self.look;
        let ways = p.ways_at(look.tree, at, look.text, look.resolver, Default::default());
        ways.iter().any(|o| self.goes_with(p, o, m, None))
    }

    /// The declaration of what a slot names holds a pattern: in this file, or in another of the project.
    fn defined(&self, p: &Pattern, bound: &Bound, m: &mut Match) -> bool {
        let places = self.look.declarations(bound);
        places.iter().any(|at| self.within(p, m, *at))
            || self.defined_elsewhere(p, bound, m).is_some()
    }

    /// The declaration of what a slot names, in another file of the project, holds the pattern.
    fn defined_elsewhere(&self, p: &Pattern, bound: &Bound, m: &mut Match) -> Option<()> {
        let look = self.look;
        let names = &look.language.names;
        let text = bound.span.of(look.text);
        let path: Vec<&str> = text.split(names.separator).map(str::trim).collect();
        let symbols = look.resolver.candidates(&path, Space::Value, bound.span.start);
        let index = look.resolver.project;
        let (path, name) = symbols.iter().find_map(|symbol| {
            Some((index.file_of(look.language, symbol)?, names.last(symbol).to_owned()))
        })?;
        let text = index.files().whole(&path)?;
        let tree = Tree::parse_file(look.language, &path, &text);
        let facts = FileFacts::of_file(look.language, &tree, &text, &path, index.files());
        let resolver = Resolver::new(look.language, &facts, index, &tree, &text);
        let there = Look::new(&tree, &text, &resolver);
        let declared = facts.words(&name).iter().filter(|w| w.space == Space::Declared);
        let places: Vec<Span> = declared.filter_map(|w| there.declaration(w.span)).collect();
        let held = |b: &Bound, text: &str| b.held(text).1;
        let ways = if p.varies() {
            p.ways(&tree, &text, &resolver)
        } else {
            p.matches(&tree, &text, &resolver)
        };
        let found = ways.into_iter().find(|hit| {
            let agrees =
                hit.slots.iter().filter(|b| b.name != "_").all(|b| {
                    m.slot(&b.name).is_none_or(|own| held(own, look.text) == held(b, &text))
                });
            agrees && places.iter().any(|at| at.contains(hit.span))
        })?;
        for b in found.slots.iter().filter(|b| b.name != "_") {
            if m.slot(&b.name).is_some() {
                continue;
            }
            // It stands in another file: only its text is of use here.
            let mut here = Bound::new(&b.name, Span::at(m.span.start as usize), "", 0);
            here.text = Some(held(b, &text));
            m.slots.push(here);
        }
        let says = format!("`{name}` is declared in {path}");
        let mut told: Vec<Fact> = found.told().map(|f| f.from_file(Some(&path), &text)).collect();
        told.push(Fact { says: Certainty::Certain, text: says, at: None });
        m.beside.push(told);
        Some(())
    }
}

impl Look<'_> {
    /// A place with the dot before it.
    fn with_dot(&self, at: Span) -> Span {
        let before = self.text[..at.start as usize].trim_end();
        let dots = self.language.words.member_after.iter();
        let dot = dots.filter(|d| before.ends_with(**d)).map(|d| d.len()).max();
        let start = dot.map_or(at.start, |len| (before.len() - len) as u32);
        Span { start, end: at.end }
    }

    /// The declarations in this file that the name in a slot may mean.
    fn declarations(&self, bound: &Bound) -> Vec<Span> {
        let text = bound.span.of(self.text);
        let separator = self.language.names.separator;
        let Some(name) = text.rsplit(separator).next().map(str::trim) else { return Vec::new() };
        let facts: &FileFacts = self.resolver.facts;
        let spaces = [Space::Value, Space::Type, Space::Callable];
        let mut names: Vec<Span> = Vec::new();
        if name == text {
            names.extend(facts.lookup(name, &spaces, bound.span.start).map(|d| d.at));
        }
        if names.is_empty() {
            let declared = facts.words(name).iter().filter(|w| w.space == Space::Declared);
            names.extend(declared.map(|w| w.span));
        }
        let mut seen = HashSet::new();
        let whole = names.into_iter().filter_map(|at| self.declaration(at));
        whole.filter(|at| seen.insert((at.start, at.end))).collect()
    }

    /// The whole declaration of a name.
    fn declaration(&self, name: Span) -> Option<Span> {
        // A parameter is declared by itself, and not by the whole function.
        if let Some((function, place)) = self.resolver.parameter_at(name)
            && function.params[place].span.contains(name)
        {
            return Some(function.params[place].span);
        }
        let path = descend(self.tree.root(), name);
        let declares = |kind: &str| {
            self.language.writing.line_items.contains(&kind)
                || self.language.declaration(kind).is_some_and(|d| !d.body.is_empty())
        };
        path.iter().rev().find(|(n, _)| declares(n.kind())).map(|(n, _)| span(*n))
    }
}
