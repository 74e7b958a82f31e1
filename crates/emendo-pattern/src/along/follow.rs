//! Uses of what a match declares: rewritten all, or none; in its own file, and in those that can name it.

use std::collections::BTreeMap;

use emendo_lang::Visible;
use emendo_lang::language::Space;
use emendo_text::Span;

use crate::along::{AlongRule, merge};
use crate::written::{Place, Unresolved, Written};
use crate::{Bound, Match};

/// Rewrites the uses of what a slot declares. All or nothing.
#[derive(Debug)]
pub struct Follow {
    /// The slot that holds the name.
    pub of: String,
    /// The rules; the name's slot is bound in each.
    pub rules: Vec<AlongRule>,
}

/// What the uses in another file become.
#[derive(Default)]
pub struct Elsewhere {
    /// Each rewritten use, with what is written.
    pub rewritten: Vec<(Match, Written)>,
    /// The first use that no rule rewrites.
    pub left: Option<Span>,
}

impl Follow {
    /// The changes at all uses of the name in the file that declares it.
    ///
    /// # Errors
    /// If a use is covered by no rule, or cannot be written.
    pub fn write(&self, m: &Match, at: Place<'_>, out: &mut Written) -> Result<(), Unresolved> {
        let Some(bound) = m.slot(&self.of) else { return Ok(()) };
        let name = bound.span.of(at.text);
        let uses = uses(name, bound.span, at);
        let agrees = |hit: &Match| m.agrees(hit, &[&self.of], at.tree, at.text);
        let slots: BTreeMap<String, String> = m.slots.iter().map(|b| b.held(at.text)).collect();
        let covered = self.covered(&uses, at, &agrees, &mut |rule, hit| {
            merge(out, rule.write(&self.with_slots(hit, &slots), at)?);
            Ok(())
        })?;
        match uses.iter().find(|u| !covered.contains(u) && !m.span.contains(**u)) {
            Some(left) => {
                let line = at.text[..left.start as usize].matches('\n').count() + 1;
                Err(Unresolved(format!(
                    "`{name}` is used on line {line} in a way that nothing here rewrites: all of its uses change, or none"
                )))
            }
            None => Ok(()),
        }
    }

    /// The symbol that a match declares, if other files can name it.
    pub fn visible(&self, m: &Match, at: Place<'_>) -> Option<Visible> {
        let bound = m.slot(&self.of)?;
        at.resolver.visible(bound.span, bound.span.of(at.text))
    }

    /// The changes at the uses of `declared` in another file. `slots` are what the match bound there.
    ///
    /// # Errors
    /// If a use cannot be written.
    pub fn elsewhere(
        &self,
        declared: &Visible,
        slots: &BTreeMap<String, String>,
        at: Place<'_>,
    ) -> Result<Elsewhere, Unresolved> {
        let uses = at.resolver.uses_of(declared, at.text);
        let mut out = Elsewhere::default();
        let agrees = |hit: &Match| {
            hit.slots.iter().all(|b: &Bound| {
                let same = |text: &String| b.span.of(at.text) == text;
                b.name == self.of || slots.get(&b.name).is_none_or(same)
            })
        };
        let covered = self.covered(&uses, at, &agrees, &mut |rule, hit| {
            let hit = self.with_slots(hit, slots);
            let written = rule.write(&hit, at)?;
            out.rewritten.push((hit, written));
            Ok(())
        })?;
        out.left = uses.into_iter().find(|u| !covered.contains(u));
        Ok(out)
    }

    /// A use with what the slots of the declaration hold, as far as it binds none of that name itself.
    fn with_slots(&self, hit: &Match, slots: &BTreeMap<String, String>) -> Match {
        let mut hit = hit.clone();
        for (slot, text) in slots.iter().filter(|s| *s.0 != self.of && *s.0 != "_") {
            if hit.slot(slot).is_none() {
                hit.add_text(slot, text.clone());
            }
        }
        hit
    }

    /// Writes each use that a rule covers. Gives the uses.
    fn covered(
        &self,
        uses: &[Span],
        at: Place<'_>,
        agrees: &dyn Fn(&Match) -> bool,
        write: &mut dyn FnMut(&AlongRule, &Match) -> Result<(), Unresolved>,
    ) -> Result<Vec<Span>, Unresolved> {
        let mut covered: Vec<Span> = Vec::new();
        for rule in &self.rules {
            for hit in rule.old.matches(at.tree, at.text, at.resolver) {
                let here = hit.slot(&self.of).map(|b| b.span);
                let Some(used) = uses.iter().find(|u| here.is_some_and(|h| h.contains(**u))) else {
                    continue;
                };
                let whole = here.is_some_and(|h| h.end == used.end);
                if whole && !covered.contains(used) && agrees(&hit) {
                    covered.push(*used);
                    write(rule, &hit)?;
                }
            }
        }
        Ok(covered)
    }
}

/// The places that mean what is declared at `declared`: in its scope, or through an object if it is a member.
fn uses(name: &str, declared: Span, at: Place<'_>) -> Vec<Span> {
    let facts = at.resolver.facts;
    let spaces = [Space::Value, Space::Type, Space::Callable];
    let own = |place: u32| facts.lookup(name, &spaces, place).map(|d| d.at);
    let visible = at.resolver.visible(declared, name).filter(|v| v.owner.is_some());
    let through: Vec<Span> = visible.map_or_else(Vec::new, |v| at.resolver.uses_of(&v, at.text));
    let words = facts.words(name).iter().filter(|w| w.span != declared);
    words
        .filter(|w| match w.space {
            Space::Declared => own(w.span.start) == Some(declared) && is_assigned(w.span, at),
            Space::Member => {
                let before = at.text[..w.span.start as usize].trim_end();
                through.contains(&w.span)
                    || ["this.", "self.", "this?."].iter().any(|s| before.ends_with(s))
                        && own(w.span.start).is_none_or(|d| d == declared)
            }
            _ => own(w.span.start) == Some(declared),
        })
        .map(|w| w.span)
        .collect()
}

/// The name is assigned anew here, which is a use; other declarations of the name are not.
fn is_assigned(word: Span, at: Place<'_>) -> bool {
    let rest = at.text[word.end as usize..].trim_start();
    rest.starts_with('=') && !rest.starts_with("==")
}
