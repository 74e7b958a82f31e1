//! What is rewritten along with a match: inside a slot, or wherever what it declares is used; and what is collected
//! from a slot.

mod follow;
mod gather;

use emendo_text::Span;

pub use follow::{Elsewhere, Follow, FollowRule};
pub use gather::{Gather, GatherRule};

use crate::found::Match;
use crate::model::Pattern;
use crate::write::Replacement;
use crate::written::{Place, Unresolved, Written};

/// An old and a new pattern.
#[derive(Debug)]
pub struct AlongRule {
    /// What is looked for.
    pub old: Pattern,
    /// What is written.
    pub new: Replacement,
}

/// Rewrites inside a slot.
#[derive(Debug)]
pub struct Rework {
    /// The slot.
    pub slot: String,
    /// The rules; the first that fits a place wins.
    pub rules: Vec<AlongRule>,
    /// Only the slot's whole value.
    pub whole: bool,
}

impl Rework {
    /// The changes inside the slot at a match.
    ///
    /// # Errors
    /// If a place that fits cannot be written.
    pub fn write(&self, m: &Match, at: Place<'_>, out: &mut Written) -> Result<(), Unresolved> {
        let Some(bound) = m.slot(&self.slot) else { return Ok(()) };
        let spans =
            if bound.scattered.is_empty() { vec![bound.span] } else { bound.scattered.clone() };
        let fits = |place: Span| {
            if self.whole {
                spans.contains(&place)
            } else {
                spans.iter().any(|s| s.contains(place))
            }
        };
        let mut taken: Vec<Span> = Vec::new();
        for rule in &self.rules {
            // Of several readings at a place, one that can be written there counts.
            let (mut done, mut failed): (Vec<Span>, Vec<(Span, Unresolved)>) = Default::default();
            for hit in rule.old.matches(at.tree, at.text, at.resolver) {
                let own: Vec<Span> = hit.own_tokens(&rule.old).collect();
                let free = !own.iter().any(|t| taken.iter().any(|o| o.meets(*t)));
                if !fits(hit.span) || !free || !m.agrees(&hit, &[], at.tree, at.text) {
                    continue;
                }
                if done.contains(&hit.span) {
                    continue;
                }
                match rule.write(&hit, at) {
                    Ok(written) => {
                        taken.extend(own);
                        done.push(hit.span);
                        merge(out, written);
                    }
                    Err(e) => failed.push((hit.span, e)),
                }
            }
            if let Some((_, e)) = failed.into_iter().find(|(place, _)| !done.contains(place)) {
                return Err(e);
            }
        }
        Ok(())
    }
}

pub(super) fn merge(out: &mut Written, more: Written) {
    for mut splice in more.splices {
        splice.inner = true;
        if !out.splices.contains(&splice) {
            out.splices.push(splice);
        }
    }
    out.facts.extend(more.facts);
    out.imports.extend(more.imports);
    out.released.extend(more.released);
}

impl AlongRule {
    pub(super) fn write(&self, hit: &Match, at: Place<'_>) -> Result<Written, Unresolved> {
        self.new.write(&self.old, hit, at.tree, at.text, at.line_end, at.resolver)
    }
}
