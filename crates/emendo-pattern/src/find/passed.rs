//! What calls pass for the parameter that a slot holds.

use std::cell::RefCell;
use std::sync::Arc;

use emendo_lang::{Certainty, Fact, KnownCall, KnownCalls, remembered};
use emendo_text::{Digest, Span};

use crate::find::around::{Asks, Look};
use crate::find::asked::{Groups, Passed, SlotConditions};
use crate::found::{Bound, Match};
use crate::model::Pattern;

/// What the calls tell.
#[derive(Clone)]
struct Told {
    holds: bool,
    facts: Vec<Fact>,
}

impl Asks<'_> {
    /// True if the calls pass what is asked for all slots; why that cannot be told becomes a note.
    pub(super) fn passed(&self, m: &mut Match) -> bool {
        self.slots.iter().filter(|s| !s.passed.is_empty()).all(|s| {
            let Some(bound) = m.slot(&s.slot).cloned() else { return true };
            if bound.text.is_some() || bound.count == 0 {
                return false;
            }
            let told = self.look.passed(s, &bound);
            match told.as_ref() {
                Ok(told) => {
                    if told.holds {
                        m.beside.push(told.facts.clone());
                    }
                    told.holds
                }
                Err(why) => {
                    let param = bound.span.of(self.look.text);
                    let say = format!("what calls pass for `{param}` is not known: {why}");
                    self.look.open.borrow_mut().push((m.span, say));
                    false
                }
            }
        })
    }
}

impl Look<'_> {
    /// What the calls tell, asked once for each parameter.
    fn passed(&self, s: &SlotConditions, bound: &Bound) -> Arc<Result<Told, String>> {
        let ask = || self.ask_passed(s, bound);
        let Some(path) = self.resolver.path() else { return Arc::new(ask()) };
        let text = Digest::of(self.text.as_bytes());
        let place = std::ptr::from_ref(s);
        let key = format!("passed {path} {text} {} {place:p}", bound.span.start);
        remembered(self.resolver.project.files(), &key, ask)
    }

    fn ask_passed(&self, s: &SlotConditions, bound: &Bound) -> Result<Told, String> {
        let asked = &s.passed;
        let (misfit, facts) = (RefCell::new(false), RefCell::new(Vec::new()));
        let mut see = |call: &KnownCall<'_>| {
            let fits = |p: &Pattern, at: Span| {
                let found = p.matches_at(call.tree, at, call.text, call.resolver);
                let found = found.first();
                // What another file tells has no place in this one.
                let told = found.map(|m| {
                    m.told()
                        .map(|f| f.from_file(call.resolver.path(), call.text))
                        .collect::<Vec<_>>()
                });
                facts.borrow_mut().extend(told.into_iter().flatten());
                found.is_some()
            };
            let any =
                |groups: &Groups, at| groups.iter().any(|all| all.iter().all(|p| fits(p, at)));
            let wrong = |at: &Span| {
                !asked.fits.is_empty() && !any(&asked.fits, *at) || any(&asked.fits_not, *at)
            };
            let wrong = call.given.iter().any(wrong);
            *misfit.borrow_mut() |= wrong;
        };
        let Some(calls) = self.resolver.known_calls(bound.span, &mut see)? else {
            return Ok(Told { holds: false, facts: Vec::new() });
        };
        let when = match asked.when {
            None => true,
            Some(Passed::Always) => calls.giving == calls.all,
            Some(Passed::Never) => calls.giving == 0,
            Some(Passed::Sometimes) => calls.giving > 0 && calls.giving < calls.all,
        };
        let mut facts = facts.into_inner();
        facts.insert(0, summary(&calls, bound.span.of(self.text)));
        facts.extend(calls.doubts);
        Ok(Told { holds: when && !misfit.into_inner(), facts })
    }
}

/// What was counted.
fn summary(calls: &KnownCalls, param: &str) -> Fact {
    let KnownCalls { function, all, giving, .. } = calls;
    let text = match (*all, *giving) {
        (1, 1) => format!("the only known call of `{function}` gives `{param}`"),
        (1, _) => format!("the only known call of `{function}` does not give `{param}`"),
        (2, 2) => format!("both known calls of `{function}` give `{param}`"),
        (2, 0) => format!("neither of the known calls of `{function}` gives `{param}`"),
        (2, _) => format!("one of the two known calls of `{function}` gives `{param}`"),
        (all, giving) if all == giving => {
            format!("all {all} known calls of `{function}` give `{param}`")
        }
        (all, 0) => format!("none of the {all} known calls of `{function}` gives `{param}`"),
        (all, giving) => format!("{giving} of {all} known calls of `{function}` give `{param}`"),
    };
    Fact { says: Certainty::Certain, text, at: None }
}
