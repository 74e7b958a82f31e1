//! Uses of what a match declares: rewritten all, or none; in its own file, and in those that can name it.

use std::collections::BTreeMap;

use emendo_lang::language::Space;
use emendo_lang::{Visible, Word};
use emendo_text::{Span, Splice};

use crate::along::merge;
use crate::write::Replacement;
use crate::written::{Place, Unresolved, Written};
use crate::{Bound, Match, Pattern};

/// Rewrites the uses of what a slot declares. All or nothing.
#[derive(Debug)]
pub struct Follow {
    /// The slot that holds the name.
    pub of: String,
    /// The rules, of all tables about the slot, in order; the name's slot is bound in each.
    pub rules: Vec<FollowRule>,
}

/// What becomes of a use.
#[derive(Debug)]
pub struct FollowRule {
    /// The use.
    pub old: Pattern,
    /// What is written for it; nothing if it stays as it is.
    pub new: Option<Replacement>,
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
        let line = |left: Span| at.text[..left.start as usize].matches('\n').count() + 1;
        if at.resolver.facts.words(name).is_empty() {
            // It is taken apart: its parts have names of their own.
            let mut parts: Vec<(&str, Span)> = Vec::new();
            for (word, all) in at.resolver.facts.all_words() {
                let own = |w: &&Word| w.space == Space::Declared && bound.span.contains(w.span);
                parts.extend(all.iter().filter(own).map(|w| (word, w.span)));
            }
            parts.sort_by_key(|p| p.1.start);
            let used = parts.into_iter().find_map(|(word, place)| {
                let uses = uses(word, place, at);
                Some((word, uses.into_iter().find(|u| !m.span.contains(*u))?))
            });
            return used.map_or(Ok(()), |(word, place)| Err(left_over(word, line(place))));
        }
        let uses = uses(name, bound.span, at);
        let agrees = |hit: &Match| m.agrees(hit, &[&self.of], at.tree, at.text);
        let slots: BTreeMap<String, String> = m.slots.iter().map(|b| b.held(at.text)).collect();
        let covered = self.covered(&uses, at, &agrees, &mut |rule, hit| {
            if let Some(taken) = captured(rule, hit, (m, &slots), at) {
                let line = line(hit.span);
                return Err(Unresolved(format!("`{taken}` means something else on line {line}")));
            }
            if let Some(new) = &rule.new {
                let hit = self.with_slots(hit, &slots);
                merge(out, written(new, &rule.old, &hit, at)?);
            }
            Ok(())
        })?;
        match uses.iter().find(|u| !covered.contains(u) && !m.span.contains(**u)) {
            Some(left) => Err(left_over(name, line(*left))),
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
            if let Some(new) = &rule.new {
                let hit = self.with_slots(hit, slots);
                let written = written(new, &rule.old, &hit, at)?;
                out.rewritten.push((hit, written));
            }
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

    /// Writes each use that a rule covers, the first rule that does. Gives the uses.
    fn covered(
        &self,
        uses: &[Span],
        at: Place<'_>,
        agrees: &dyn Fn(&Match) -> bool,
        write: &mut dyn FnMut(&FollowRule, &Match) -> Result<(), Unresolved>,
    ) -> Result<Vec<Span>, Unresolved> {
        let mut covered: Vec<Span> = Vec::new();
        for rule in &self.rules {
            // A name by itself is a use where nothing stands before it that it belongs to.
            if rule.old.fits_everything() {
                for used in uses.iter().filter(|u| is_alone(**u, at)) {
                    let found = rule.old.matches_at(at.tree, *used, at.text, at.resolver);
                    if !covered.contains(used)
                        && let Some(hit) = found.into_iter().find(|h| agrees(h))
                    {
                        covered.push(*used);
                        write(rule, &hit)?;
                    }
                }
                continue;
            }
            for hit in rule.old.matches(at.tree, at.text, at.resolver) {
                let here = hit.slot(&self.of).map(|b| b.span);
                let Some(used) = uses.iter().find(|u| here.is_some_and(|h| h.contains(**u))) else {
                    continue;
                };
                let whole = here.is_some_and(|h| h.end == used.end && is_path(h, at));
                if whole && !covered.contains(used) && agrees(&hit) {
                    covered.push(*used);
                    write(rule, &hit)?;
                }
            }
        }
        Ok(covered)
    }
}

fn left_over(name: &str, line: usize) -> Unresolved {
    Unresolved(format!(
        "`{name}` is used on line {line} in a way that nothing here rewrites: all of its uses change, or none"
    ))
}

/// True if a place is a name, or the member of an object by its name.
fn is_path(at: Span, place: Place<'_>) -> bool {
    let marks = place.resolver.language.names.separator;
    let plain = |c: char| {
        c.is_alphanumeric() || matches!(c, '_' | '$' | '.' | '?' | '!') || marks.contains(c)
    };
    at.of(place.text).chars().all(plain)
}

/// True if a name is used by itself: no object stands before it, and it is no key of another's.
fn is_alone(used: Span, at: Place<'_>) -> bool {
    let words = at.resolver.facts.words(used.of(at.text));
    let word = words.iter().find(|w| w.span == used);
    word.is_some_and(|w| w.space != Space::Member && !w.key)
}

/// What is written for a use; for one that is key and value in one word the key is written too.
fn written(
    new: &Replacement,
    old: &Pattern,
    hit: &Match,
    at: Place<'_>,
) -> Result<Written, Unresolved> {
    let language = old.language();
    let mut out = new.write(old, hit, at.tree, at.text, at.line_end, at.resolver)?;
    let node = at.tree.node_at(hit.span, &[]);
    let short =
        |k: &str| language.compare.keyed.iter().any(|rule| rule.shorthand == k && !k.is_empty());
    if node.is_some_and(|n| short(n.kind())) {
        let key = format!("{}: ", hit.span.of(at.text));
        out.splices.insert(0, Splice::text(Span::at(hit.span.start as usize), key));
    }
    Ok(out)
}

/// A name that a rule would write at a use and that means something else there than where it was bound.
fn captured(
    rule: &FollowRule,
    hit: &Match,
    (m, slots): (&Match, &BTreeMap<String, String>),
    at: Place<'_>,
) -> Option<String> {
    let facts = at.resolver.facts;
    let written = rule.new.as_ref()?.pattern()?;
    let spaces = [Space::Value];
    let means = |name: &str, place: u32| facts.lookup(name, &spaces, place).map(|d| d.at);
    let plain = |t: &str| t.chars().all(|c| c.is_alphanumeric() || c == '_' || c == '$');
    written.slots().filter(|s| hit.slot(s).is_none()).find_map(|slot| {
        let text = slots.get(slot).filter(|t| plain(t) && !t.is_empty())?;
        let bound = m.slot(slot)?;
        let own = bound.text.is_none().then_some(bound.span.start)?;
        (means(text, own) != means(text, hit.span.start)).then(|| text.clone())
    })
}

/// The places that mean what is declared at `declared`: in its scope, or through an object if it is a member.
fn uses(name: &str, declared: Span, at: Place<'_>) -> Vec<Span> {
    let facts = at.resolver.facts;
    let spaces = [Space::Value, Space::Type, Space::Callable];
    let own = |place: u32| facts.lookup(name, &spaces, place).map(|d| d.at);
    let visible = at.resolver.visible(declared, name).filter(|v| v.owner.is_some());
    let through: Vec<Span> = visible.map_or_else(Vec::new, |v| at.resolver.uses_of(&v, at.text));
    let words = facts.words(name).iter().filter(|w| w.span != declared && !is_key(w.span, at));
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

/// The name is the key of a pair: that of something else.
fn is_key(word: Span, at: Place<'_>) -> bool {
    let keyed = at.resolver.language.compare.keyed;
    let path = emendo_lang::tree::descend(at.tree.root(), word);
    let place = path.iter().rposition(|(n, _)| emendo_lang::tree::span(*n) == word);
    place.is_some_and(|i| {
        let above = i.checked_sub(1).map_or("", |a| path[a].0.kind());
        let field = path[i].1;
        let first =
            || i.checked_sub(1).is_some_and(|a| path[a].0.named_child(0) == Some(path[i].0));
        keyed.iter().any(|k| {
            k.pair == above && if k.key.is_empty() { first() } else { field == Some(k.key) }
        })
    })
}
