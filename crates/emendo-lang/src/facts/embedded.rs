//! Facts of code that stands in a page: what the page around it makes known.

use emendo_text::Span;

use crate::facts::{BoundName, FileFacts, Scope, Word};
use crate::ground::Import;
use crate::language::Space;

/// What a page makes known to code in it.
#[derive(Debug, Default)]
pub struct PageFacts {
    /// Names, where each stands, and where it is known.
    pub known: Vec<(String, Span, Span)>,
    /// Names that are used as a part of others, and where.
    pub uses: Vec<(String, Span)>,
    /// What it imports.
    pub imports: Vec<Import>,
    /// What the code declares outermost is known before it too.
    pub hoisted: bool,
    /// Where the first import may stand.
    pub first_import: Option<u32>,
}

impl FileFacts {
    /// Takes in what the page around the code makes known.
    #[must_use]
    pub fn in_page(mut self, page: PageFacts) -> Self {
        self.imports.extend(page.imports);
        self.imports.sort_by_key(|i| i.span.start);
        if let Some(at) = page.first_import {
            self.preamble_end = self.preamble_end.max(at);
        }
        if let Some(top) = self.scopes.first_mut().filter(|_| page.hoisted) {
            top.bindings.iter_mut().for_each(|b| b.from = 0);
        }
        for (name, span) in page.uses {
            let word = Word {
                span,
                space: Space::Value,
                path_start: span.start,
                receiver: None,
                key: false,
            };
            let all = self.words.entry(name).or_default();
            let place = all.partition_point(|w| w.span.start < span.start);
            all.insert(place, word);
        }
        for (name, at, within) in page.known {
            self.bind_in(name, at, within);
        }
        self
    }

    /// A name that is known in a place, which becomes a scope.
    fn bind_in(&mut self, name: String, at: Span, within: Span) {
        // The outermost scope begins with the first code.
        let Some(top) = self.scopes.first().map(|s| s.span) else { return };
        let within = Span { start: within.start.max(top.start), ..within };
        if within.is_empty() {
            return;
        }
        let bound = BoundName { name, space: Space::Value, at, from: 0, lasts: false, hint: None };
        if let Some(known) = self.scopes.iter_mut().skip(1).find(|s| s.span == within) {
            known.bindings.push(bound);
            return;
        }
        let holds = |s: &Scope| s.span.contains(within) && s.span != within;
        let inner = self.scopes.iter().enumerate().filter(|(_, s)| holds(s));
        let around = inner.min_by_key(|(_, s)| s.span.len()).map_or(0, |(i, _)| i as u32);
        // Scopes come by their starts; the outermost stands first.
        let order = |s: &Scope| (s.span.start, std::cmp::Reverse(s.span.end));
        let scope = Scope {
            span: within,
            parent: Some(around),
            around: Some(around),
            walled: false,
            bindings: vec![bound],
        };
        let place = 1 + self.scopes[1..].partition_point(|s| order(s) < order(&scope));
        for s in &mut self.scopes {
            let moved = |link: &mut Option<u32>| {
                if let Some(i) = link.as_mut().filter(|i| **i as usize >= place) {
                    *i += 1;
                }
            };
            moved(&mut s.parent);
            moved(&mut s.around);
        }
        let mut scope = scope;
        let shifted = |i: u32| if i as usize >= place { i + 1 } else { i };
        (scope.parent, scope.around) = (scope.parent.map(shifted), scope.around.map(shifted));
        let around = shifted(around);
        self.scopes.insert(place, scope);
        for s in self.scopes.iter_mut().skip(1).filter(|s| s.span != within) {
            if within.contains(s.span) {
                for link in [&mut s.parent, &mut s.around] {
                    if *link == Some(around) {
                        *link = Some(place as u32);
                    }
                }
            }
        }
    }
}
