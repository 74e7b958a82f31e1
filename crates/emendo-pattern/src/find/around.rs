//! What must stand around a match, within it, or where a slot's name is declared.

use std::collections::HashSet;

use emendo_lang::language::{Language, Space};
use emendo_lang::tree::{Tree, descend, span};
use emendo_lang::{FileFacts, Resolver};
use emendo_text::{Repeat, Span};

use crate::found::{Bound, Match};
use crate::model::{Pattern, PatternToken};

/// The slot that marks the place in a pattern of what stands around it.
pub const HERE: &str = "here";

/// What a match must fulfil besides its pattern.
#[derive(Debug, Default)]
pub struct Conditions {
    /// Any of these stands around it.
    pub surrounded_by: Vec<Pattern>,
    /// None of these does.
    pub not_surrounded_by: Vec<Pattern>,
    /// Any of these stands in it.
    pub holding: Vec<Pattern>,
    /// None of these does.
    pub not_holding: Vec<Pattern>,
    /// Its value is not used.
    pub unused: bool,
    /// What slots must fulfil.
    pub slots: Vec<SlotConditions>,
}

/// What a slot must fulfil once all of the pattern fits.
#[derive(Debug, Default)]
pub struct SlotConditions {
    /// The slot.
    pub slot: String,
    /// Any of these stands in it.
    pub holding: Vec<Pattern>,
    /// None of these does.
    pub not_holding: Vec<Pattern>,
    /// Any of these stands in the declaration of its name.
    pub defined_with: Vec<Pattern>,
}

/// Matches of a pattern in a file, by place.
struct Nest {
    matches: Vec<Match>,
    /// The nearest match around each.
    parent: Vec<Option<usize>>,
}

impl Nest {
    fn new(matches: Vec<Match>) -> Self {
        let mut parent = Vec::with_capacity(matches.len());
        let mut open: Vec<usize> = Vec::new();
        for (i, m) in matches.iter().enumerate() {
            while open.last().is_some_and(|o| !matches[*o].span.contains(m.span)) {
                open.pop();
            }
            parent.push(open.last().copied());
            open.push(i);
        }
        Self { matches, parent }
    }

    /// Those that hold more than a place, the nearest first.
    fn around(&self, at: Span) -> impl Iterator<Item = &Match> {
        let before = self.matches.partition_point(|m| m.span.start <= at.start);
        let mut next = before.checked_sub(1);
        std::iter::from_fn(move || {
            let i = next?;
            next = self.parent[i];
            Some(&self.matches[i])
        })
        .filter(move |m| m.span.contains(at) && m.span != at)
    }

    /// Those that stand in a place.
    fn within(&self, at: Span) -> impl Iterator<Item = &Match> {
        let first = self.matches.partition_point(|m| m.span.start < at.start);
        let inside = self.matches[first..].iter().take_while(move |m| m.span.start < at.end);
        inside.filter(move |m| at.contains(m.span))
    }
}

/// A file under the eyes of conditions: what their patterns match in it is found once.
struct Look<'a> {
    tree: &'a Tree,
    text: &'a str,
    resolver: &'a Resolver<'a>,
    language: &'static Language,
}

impl Conditions {
    /// True if there is nothing to fulfil.
    pub fn is_empty(&self) -> bool {
        !self.unused
            && self.slots.is_empty()
            && [&self.surrounded_by, &self.not_surrounded_by, &self.holding, &self.not_holding]
                .iter()
                .all(|p| p.is_empty())
    }

    /// The matches that fulfil all of it. What stands around or within may bind more slots.
    pub fn fulfilled(
        &self,
        matches: Vec<Match>,
        tree: &Tree,
        text: &str,
        resolver: &Resolver<'_>,
    ) -> Vec<Match> {
        if matches.is_empty() || self.is_empty() {
            return matches;
        }
        let look = Look { tree, text, resolver, language: resolver.language };
        let nests = |patterns: &[Pattern]| -> Vec<Nest> {
            patterns.iter().map(|p| Nest::new(p.matches(tree, text, resolver))).collect()
        };
        let around = nests(&self.surrounded_by);
        let not_around = nests(&self.not_surrounded_by);
        let holding = nests(&self.holding);
        let not_holding = nests(&self.not_holding);
        let slots: Vec<[Vec<Nest>; 3]> = self
            .slots
            .iter()
            .map(|s| [nests(&s.holding), nests(&s.not_holding), nests(&s.defined_with)])
            .collect();
        let keep = |mut m: Match| {
            if self.unused && !look.is_unused(&m) {
                return None;
            }
            if look.any_around(&self.not_surrounded_by, &not_around, &m).is_some()
                || look.any_within(&not_holding, &m, m.span).is_some()
            {
                return None;
            }
            if !around.is_empty() {
                let more = look.any_around(&self.surrounded_by, &around, &m)?;
                add_slots(&mut m, more);
            }
            if !holding.is_empty() {
                let more = look.any_within(&holding, &m, m.span)?;
                add_slots(&mut m, more);
            }
            for (s, [holding, not_holding, defined]) in self.slots.iter().zip(&slots) {
                look.slot(s, holding, not_holding, defined, &mut m)?;
            }
            Some(m)
        };
        matches.into_iter().filter_map(keep).collect()
    }
}

fn add_slots(m: &mut Match, more: Vec<Bound>) {
    for b in more {
        if b.name != HERE && b.name != "_" && m.slot(&b.name).is_none() {
            m.slots.push(b);
        }
    }
}

impl Look<'_> {
    fn any_around(&self, patterns: &[Pattern], nests: &[Nest], m: &Match) -> Option<Vec<Bound>> {
        patterns.iter().zip(nests).find_map(|(p, nest)| {
            let fits = |o: &&Match| self.shares(o, m) && self.marks(p, o, m.span);
            nest.around(m.span).find(fits).map(|o| o.slots.clone())
        })
    }

    fn any_within(&self, nests: &[Nest], m: &Match, at: Span) -> Option<Vec<Bound>> {
        nests
            .iter()
            .find_map(|nest| nest.within(at).find(|o| self.shares(o, m)).map(|o| o.slots.clone()))
    }

    /// Slots of the same name hold equal code.
    fn shares(&self, other: &Match, m: &Match) -> bool {
        m.agrees(other, &[HERE], self.tree, self.text)
    }

    /// If the pattern marks the place, it stands there.
    fn marks(&self, pattern: &Pattern, other: &Match, at: Span) -> bool {
        let Some(def) = pattern.slots.iter().find(|s| s.name == HERE) else { return true };
        let Some(here) = other.slot(HERE) else { return false };
        if !here.span.contains(at) {
            return false;
        }
        if matches!(def.repeat, Repeat::Any | Repeat::Some) {
            return !self.nested_between(here.span, at);
        }
        let only =
            |text: &str, set: &[char]| text.chars().all(|c| c.is_whitespace() || set.contains(&c));
        let before = Span { start: here.span.start, end: at.start }.of(self.text);
        let behind = Span { start: at.end, end: here.span.end }.of(self.text);
        only(before, &['(']) && only(behind, &[')', ';'])
    }

    /// A function or type stands between a place and what holds it.
    fn nested_between(&self, outer: Span, at: Span) -> bool {
        let path = descend(self.tree.root(), at);
        path.iter().any(|(n, _)| {
            let s = span(*n);
            outer.contains(s)
                && s.contains(at)
                && s != at
                && self.language.flow.nested.contains(&n.kind())
        })
    }

    fn is_unused(&self, m: &Match) -> bool {
        if m.statement.is_some() || self.language.writing.line_items.contains(&m.kind) {
            return true;
        }
        let path = descend(self.tree.root(), m.span);
        let Some(at) = path.iter().position(|(n, _)| span(*n) == m.span) else { return false };
        let passes = |kind: &str| {
            self.language.flow.waits.contains(&kind) || kind == self.language.compare.parenthesized
        };
        let mut above = path[..at].iter().rev().map(|(n, _)| n.kind());
        above.find(|kind| !passes(kind)) == Some(self.language.writing.expression_statement)
    }

    fn slot(
        &self,
        s: &SlotConditions,
        holding: &[Nest],
        not_holding: &[Nest],
        defined: &[Nest],
        m: &mut Match,
    ) -> Option<()> {
        let bound = m.slot(&s.slot)?.clone();
        let spans =
            if bound.scattered.is_empty() { vec![bound.span] } else { bound.scattered.clone() };
        if spans.iter().any(|at| self.any_within(not_holding, m, *at).is_some()) {
            return None;
        }
        if !holding.is_empty() {
            let more = spans.iter().find_map(|at| self.any_within(holding, m, *at))?;
            add_slots(m, more);
        }
        if !defined.is_empty() {
            let places = self.declarations(&bound);
            match places.iter().find_map(|at| self.any_within(defined, m, *at)) {
                Some(more) => add_slots(m, more),
                None => self.defined_elsewhere(s, &bound, m)?,
            }
        }
        Some(())
    }

    /// The declaration of what a slot names, in another file of the project, holds one of the patterns.
    fn defined_elsewhere(&self, s: &SlotConditions, bound: &Bound, m: &mut Match) -> Option<()> {
        let names = &self.language.names;
        let text = bound.span.of(self.text);
        let path: Vec<&str> = text.split(names.separator).map(str::trim).collect();
        let symbols = self.resolver.candidates(&path, Space::Value, bound.span.start);
        let index = self.resolver.project;
        let (path, name) = symbols.iter().find_map(|symbol| {
            Some((index.file_of(self.language, symbol)?, names.last(symbol).to_owned()))
        })?;
        let text = index.files().whole(&path)?;
        let tree = Tree::parse_file(self.language, &path, &text);
        let facts = FileFacts::of_file(self.language, &tree, &text, &path, index.files());
        let resolver = Resolver::new(self.language, &facts, index, &tree, &text);
        let there = Look { tree: &tree, text: &text, resolver: &resolver, language: self.language };
        let declared = facts.words(&name).iter().filter(|w| w.space == Space::Declared);
        let places: Vec<Span> = declared.filter_map(|w| there.declaration(w.span)).collect();
        let held =
            |b: &Bound, text: &str| b.text.clone().unwrap_or_else(|| b.span.of(text).to_owned());
        let found = s.defined_with.iter().find_map(|p| {
            p.matches(&tree, &text, &resolver).into_iter().find(|hit| {
                let agrees = hit.slots.iter().all(|b| {
                    m.slot(&b.name).is_none_or(|own| held(own, self.text) == held(b, &text))
                });
                agrees && places.iter().any(|at| at.contains(hit.span))
            })
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
        m.facts.push(emendo_lang::Fact {
            says: emendo_lang::Certainty::Certain,
            text: says,
            at: None,
        });
        Some(())
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
        let path = descend(self.tree.root(), name);
        let declares = |kind: &str| {
            self.language.writing.line_items.contains(&kind)
                || self.language.declaration(kind).is_some_and(|d| !d.body.is_empty())
        };
        path.iter().rev().find(|(n, _)| declares(n.kind())).map(|(n, _)| span(*n))
    }
}

impl Pattern {
    /// How the pattern marks the place that it stands around: not at all, the place itself, or anywhere in a list.
    pub fn marks_here(&self) -> Option<Repeat> {
        self.slots.iter().find(|s| s.name == HERE).map(|s| s.repeat)
    }

    /// True if some reading is nothing but a slot: it fits everywhere.
    pub fn fits_everything(&self) -> bool {
        self.readings
            .iter()
            .any(|r| matches!(r.roots.as_slice(), [n] if matches!(n.what, PatternToken::Slot(..))))
    }
}
