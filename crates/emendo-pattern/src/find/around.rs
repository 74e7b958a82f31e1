//! What must stand around a match and within it, and what its slots must fulfil: the one place where that is asked.
//!
//! What is found there is evidence for the match, and binds more slots. A pattern that fits in several ways is asked for
//! a way that goes together with what is bound already.

use std::cell::RefCell;
use std::collections::HashMap;
use std::rc::Rc;

use emendo_lang::language::Language;
use emendo_lang::tree::{Tree, descend, span};
use emendo_lang::{Certainty, Fact, Resolver};
use emendo_text::{Repeat, Span};

use crate::compare::{Given, only_around};
use crate::find::asked::{Conditions, Groups, SlotConditions};
use crate::found::Match;
use crate::model::{HERE, Pattern, PatternToken};

/// Matches of a pattern in a file, by place.
struct Nest {
    matches: Vec<Match>,
    /// The nearest match around each.
    parent: Vec<Option<usize>>,
}

impl Nest {
    fn new(mut matches: Vec<Match>) -> Self {
        // Those of layers come after those of the text itself.
        matches.sort_by_key(|m| (m.span.start, std::cmp::Reverse(m.span.end), m.reading));
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
pub(super) struct Look<'a> {
    pub(super) tree: &'a Tree,
    pub(super) text: &'a str,
    pub(super) resolver: &'a Resolver<'a>,
    pub(super) language: &'static Language,
    nests: RefCell<HashMap<*const Pattern, Rc<Nest>>>,
    /// Places where something could not be told, with what.
    pub(super) open: RefCell<Vec<(Span, String)>>,
}

impl Conditions {
    /// The matches that fulfil all of it. What stands around or within may bind more slots.
    pub fn fulfilled(
        &self,
        matches: Vec<Match>,
        tree: &Tree,
        text: &str,
        resolver: &Resolver<'_>,
    ) -> Vec<Match> {
        self.fulfilled_or(matches, (tree, text), resolver, &mut Vec::new())
    }

    /// The same; `open` gets the places where what is asked cannot be told, with what to say of them.
    pub fn fulfilled_or(
        &self,
        matches: Vec<Match>,
        (tree, text): (&Tree, &str),
        resolver: &Resolver<'_>,
        open: &mut Vec<(Span, String)>,
    ) -> Vec<Match> {
        if matches.is_empty() || self.is_empty() {
            return matches;
        }
        let look = Look::new(tree, text, resolver);
        let fulfilled = matches.into_iter().filter_map(|m| self.fulfilled_by(m, &look)).collect();
        open.append(&mut look.open.borrow_mut());
        fulfilled
    }

    /// The key of the first condition that a match does not fulfil.
    pub fn unfulfilled(
        &self,
        m: &Match,
        (tree, text): (&Tree, &str),
        resolver: &Resolver<'_>,
    ) -> Option<&'static str> {
        let look = Look::new(tree, text, resolver);
        let asks = Asks { slots: &self.slots, look: &look };
        let around = |m: &mut Match, p: &Pattern| asks.around(p, m);
        let within = |m: &mut Match, p: &Pattern| asks.within(p, m, m.span);
        let mut m = m.clone();
        match () {
            () if self.unused && !look.is_unused(&m) => Some("value"),
            () if !any_group(&self.surrounded_by, &mut m, &around) => Some("surrounded_by"),
            () if !any_group(&self.holding, &mut m, &within) => Some("holding"),
            () if !asks.all_of(&mut m) => Some("slots"),
            () if !no_group(&self.not_surrounded_by, &mut m, &around) => Some("not_surrounded_by"),
            () if !no_group(&self.not_holding, &mut m, &within) => Some("not_holding"),
            () if !asks.passed(&mut m) => Some("passed"),
            () => None,
        }
    }

    /// True if what stands around or within a match keeps it from counting.
    pub(crate) fn bar(&self, m: &Match, tree: &Tree, text: &str, resolver: &Resolver<'_>) -> bool {
        let look = Look::new(tree, text, resolver);
        let asks = Asks { slots: &[], look: &look };
        let around = |m: &mut Match, p: &Pattern| asks.around(p, m);
        let within = |m: &mut Match, p: &Pattern| asks.within(p, m, m.span);
        let mut m = m.clone();
        !(no_group(&self.not_surrounded_by, &mut m, &around)
            && no_group(&self.not_holding, &mut m, &within))
    }

    fn fulfilled_by(&self, mut m: Match, look: &Look<'_>) -> Option<Match> {
        if self.unused && !look.is_unused(&m) {
            return None;
        }
        let (mut told, mut partly) = (false, None);
        let asks = Asks { slots: &self.slots, look };
        let around = |m: &mut Match, p: &Pattern| asks.around(p, m);
        let within = |m: &mut Match, p: &Pattern| asks.within(p, m, m.span);
        any_group(&self.surrounded_by, &mut m, &around).then_some(())?;
        any_group(&self.holding, &mut m, &within).then_some(())?;
        asks.all_of(&mut m).then_some(())?;
        no_group(&self.not_surrounded_by, &mut m, &around).then_some(())?;
        no_group(&self.not_holding, &mut m, &within).then_some(())?;
        // It costs the most, and what cannot be told is worth a note only where all else fits.
        asks.passed(&mut m).then_some(())?;
        for found in m.beside.drain(..) {
            told |= found.iter().any(|f| f.says > Certainty::Unsure);
            partly = partly.or(found.iter().find(|f| f.says == Certainty::Unsure).cloned());
            m.facts.extend(found);
        }
        if told || partly.is_some() {
            // What surrounds the place tells what its own words do not.
            m.facts.retain(|f| !m.open.contains(f));
            m.open.clear();
        }
        Some(m)
    }
}

/// True if there are no groups, or all patterns of one fit; what that finds stays with the match.
pub(super) fn any_group(
    groups: &Groups,
    m: &mut Match,
    fits: &dyn Fn(&mut Match, &Pattern) -> bool,
) -> bool {
    groups.is_empty()
        || groups.iter().any(|all| {
            let mut trial = m.clone();
            let whole = all.iter().all(|p| fits(&mut trial, p));
            if whole {
                *m = trial;
            }
            whole
        })
}

/// True if no group fits whole. Where one fits by what is not known, the place stays, and is not sure.
pub(super) fn no_group(
    groups: &Groups,
    m: &mut Match,
    fits: &dyn Fn(&mut Match, &Pattern) -> bool,
) -> bool {
    for all in groups {
        let mut trial = m.clone();
        trial.beside.clear();
        if !all.iter().all(|p| fits(&mut trial, p)) {
            continue;
        }
        let unknown = trial.beside.iter().flatten().find(|f| f.says == Certainty::Unsure);
        let Some(unknown) = unknown else { return false };
        let text = format!("what must not stand here may do so: {}", unknown.text);
        m.beside.push(vec![Fact { text, ..unknown.clone() }]);
    }
    true
}

/// The questions of an action about a match in a file.
pub(super) struct Asks<'a> {
    pub(super) slots: &'a [SlotConditions],
    pub(super) look: &'a Look<'a>,
}

impl Asks<'_> {
    /// The nearest place around a match where a pattern fits.
    fn around(&self, p: &Pattern, m: &mut Match) -> bool {
        let at = m.span;
        let nest = self.look.nest(p);
        nest.around(at).any(|o| self.goes_with(p, o, m, Some(at)))
    }

    /// The first place within a place where a pattern fits.
    pub(super) fn within(&self, p: &Pattern, m: &mut Match, at: Span) -> bool {
        let nest = self.look.nest(p);
        nest.within(at).any(|o| self.goes_with(p, o, m, None))
    }

    /// Takes in what a pattern found, in any way that goes together with what is bound already.
    pub(super) fn goes_with(
        &self,
        p: &Pattern,
        found: &Match,
        m: &mut Match,
        here: Option<Span>,
    ) -> bool {
        let look = self.look;
        let marks = |o: &Match| here.is_none_or(|at| look.marks(p, o, at));
        let first = m.agrees(found, &[HERE], look.tree, look.text) && marks(found);
        if first && self.take_in(found, m) {
            return true;
        }
        if !p.varies() {
            return false;
        }
        let known = m.clone();
        let given = Given { known: Some(&known), here, ..Given::default() };
        let ways = p.ways_at(look.tree, found.span, look.text, look.resolver, given);
        ways.iter().any(|o| marks(o) && self.take_in(o, m))
    }

    /// Binds what another pattern bound, if that fulfils what is asked of it.
    fn take_in(&self, found: &Match, m: &mut Match) -> bool {
        let mut whole = m.clone();
        let new: Vec<String> = found.slots.iter().map(|b| b.name.clone()).collect();
        whole.bind_more(&found.slots);
        whole.beside.push(found.told().cloned().collect());
        let asked =
            self.slots.iter().filter(|s| new.contains(&s.slot) && m.slot(&s.slot).is_none());
        for s in asked {
            if !self.holds(s, &mut whole) {
                return false;
            }
        }
        *m = whole;
        true
    }

    /// True if all slots that are bound fulfil what is asked of them.
    pub(super) fn all_of(&self, m: &mut Match) -> bool {
        self.slots.iter().all(|s| m.slot(&s.slot).is_none() || self.holds(s, m))
    }
}

impl<'a> Look<'a> {
    pub(super) fn new(tree: &'a Tree, text: &'a str, resolver: &'a Resolver<'a>) -> Self {
        let (nests, open) = (RefCell::default(), RefCell::default());
        Self { tree, text, resolver, language: resolver.language, nests, open }
    }

    fn nest(&self, p: &Pattern) -> Rc<Nest> {
        let key = std::ptr::from_ref(p);
        if let Some(known) = self.nests.borrow().get(&key) {
            return known.clone();
        }
        let nest = Rc::new(Nest::new(p.matches(self.tree, self.text, self.resolver)));
        self.nests.borrow_mut().insert(key, nest.clone());
        nest
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
        only_around(self.text, here.span, at)
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
        value_unused(self.language, self.tree, m)
    }
}

/// True if nothing uses the value of a place: it is a statement, or all of one.
pub fn value_unused(language: &Language, tree: &Tree, m: &Match) -> bool {
    if m.statement.is_some() || language.writing.line_items.contains(&m.kind) {
        return true;
    }
    let path = descend(tree.root(), m.span);
    let Some(at) = path.iter().position(|(n, _)| span(*n) == m.span) else { return false };
    let flow = &language.flow;
    let plain = |kind: &str| flow.waits.contains(&kind) || kind == language.compare.parenthesized;
    for i in (1..=at).rev() {
        let ((_, field), (up, _)) = (path[i], path[i - 1]);
        let fits = |(kind, of, operators): &&(&str, &str, &[&str])| {
            let sign = || {
                let all = emendo_lang::tree::children(up);
                all.iter().any(|c| operators.contains(&c.kind()))
            };
            *kind == up.kind()
                && (of.is_empty() || field == Some(*of))
                && (operators.is_empty() || sign())
        };
        if up.kind() == language.writing.expression_statement || flow.drops.iter().any(|d| fits(&d))
        {
            return true;
        }
        if !flow.passes.iter().any(|p| fits(&p)) && !plain(up.kind()) {
            return false;
        }
    }
    false
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
