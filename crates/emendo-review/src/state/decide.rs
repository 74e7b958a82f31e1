//! Decisions: made here, on the proposal at hand, and kept by whoever runs the screen.

use std::collections::{BTreeMap, HashSet};

use emendo_core::{
    Decided, Decision, Decisions, Edit, Refusal, StepKey, Terms, Verdict, accept_edits, pick,
    reject_edits, reopen_edits,
};
use emendo_text::{Digest, RelPath};

use crate::input::Effect;
use crate::state::items::{At, Item};
use crate::state::{Batch, Model, Page};

/// What is done with places.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Verb {
    Take,
    Leave,
    Reopen,
    /// The alternative of this label.
    Pick(String),
}

impl Verb {
    fn word(&self) -> &'static str {
        match self {
            Self::Take => "taken",
            Self::Leave => "left as it is",
            Self::Reopen => "open again",
            Self::Pick(_) => "picked",
        }
    }
}

impl Model {
    /// Decides on places. With `on`, the next open place is there afterwards.
    pub(crate) fn decide(
        &mut self,
        verb: &Verb,
        (places, terms): (&[usize], Terms),
        effects: &mut Vec<Effect>,
    ) {
        let (decided, mut log) = self.deciding(verb, places, terms);
        let mut ticked = 0;
        // Who takes edits has not seen to the notes among them.
        let edits = places.iter().any(|i| self.items[*i].is_edit());
        for item in places.iter().map(|i| &self.items[*i]).filter(|i| !i.is_edit()) {
            let done = self.decisions.done(item.id);
            let verdict = match verb {
                Verb::Take if !done && !edits => Verdict::Done,
                Verb::Reopen if done => Verdict::Reopened,
                _ => continue,
            };
            if let Some((step, path)) = self.of_place(item) {
                log.push(Decision::of_place(item.id, step, path, verdict));
                ticked += 1;
            }
        }
        if log.is_empty() {
            let why = self.why_nothing(verb, places, &decided);
            self.warn(why);
            return;
        }
        let says = said(verb, &decided, ticked);
        let again = decided.decided.iter().chain(&decided.along).any(|e| e.behind.is_some());
        self.keep(log, says.clone(), effects);
        let refused = refused(&decided);
        match refused.is_empty() {
            true => self.say(says),
            false => self.warn(format!("{says}; not: {refused}")),
        }
        if again || !matches!(verb, Verb::Take) {
            self.compute(effects);
        }
        self.after(places, verb);
    }

    fn deciding(&self, verb: &Verb, places: &[usize], terms: Terms) -> (Decided, Vec<Decision>) {
        let edits: Vec<&Edit> = places.iter().filter_map(|i| self.edit(&self.items[*i])).collect();
        match verb {
            Verb::Take => accept_edits(&self.proposal, &self.decisions, &edits, terms),
            Verb::Leave => reject_edits(&self.decisions, &edits, terms.each),
            Verb::Reopen => reopen_edits(&self.decisions, &edits),
            Verb::Pick(label) => pick(&self.decisions, &edits, label, terms.each),
        }
    }

    /// The step and the file of a note or a leftover.
    fn of_place(&self, item: &Item) -> Option<(&StepKey, Option<&RelPath>)> {
        let p = &self.proposal;
        match item.at {
            At::Note(f, n) => {
                let note = p.files.get(f)?.notes.get(n)?;
                Some((&note.step, note.path.as_ref()))
            }
            At::StepNote(n) => Some((&p.trailer.notes.get(n)?.step, None)),
            At::Leftover(f, l) => {
                let file = p.files.get(f)?;
                Some((&file.leftovers.get(l)?.step, Some(&file.path)))
            }
            At::Edit(..) => None,
        }
    }

    /// Keeps decisions: here, for undoing them, and with whoever runs the screen.
    fn keep(&mut self, log: Vec<Decision>, says: String, effects: &mut Vec<Effect>) {
        let before = log.iter().map(|d| self.stood(d)).collect();
        let id = self.current().map(|i| i.id);
        self.history.push(Batch { before, says, id });
        log.iter().for_each(|d| self.decisions.add(d.clone()));
        effects.push(Effect::Store(log));
    }

    /// What stands about a place before a decision.
    fn stood(&self, d: &Decision) -> Decision {
        let before = self.decisions.last(d.edit).cloned();
        before.unwrap_or_else(|| Decision { verdict: Verdict::Cleared, ..d.clone() })
    }

    /// After a decision: the lists anew, and the next open place.
    fn after(&mut self, places: &[usize], verb: &Verb) {
        let here = self.list.cursor;
        // What follows, in the order in which it is listed now.
        let ids: Vec<Digest> = self.ids_from(here);
        let decided: HashSet<Digest> = places.iter().map(|i| self.items[*i].id).collect();
        let stay = self.current().map(|i| i.id).filter(|_| matches!(verb, Verb::Reopen));
        self.rebuild(stay);
        if stay.is_some() || self.page == Page::Overview {
            return;
        }
        let waits = self.items.iter().filter(|i| i.state.waits()).map(|i| i.id);
        let open: HashSet<Digest> = waits.filter(|id| !decided.contains(id)).collect();
        let next = ids.iter().find(|id| open.contains(id)).and_then(|id| self.row_of(*id));
        match next {
            Some(row) => {
                self.list.cursor = usize::MAX;
                self.move_to(row);
            }
            None if !self.go_to_open(true) => {
                self.code.line = None;
                self.why = None;
            }
            None => {}
        }
    }

    /// The places from a row on, then those before it.
    fn ids_from(&self, row: usize) -> Vec<Digest> {
        let rows = &self.list.rows;
        let order = rows.iter().skip(row).chain(rows.iter().take(row));
        let ids = order.filter_map(|r| match r {
            crate::state::rows::Row::Place { item, .. } => Some(self.items[*item].id),
            crate::state::rows::Row::Head { .. } => None,
        });
        ids.collect()
    }

    /// Why nothing was decided.
    fn why_nothing(&self, verb: &Verb, places: &[usize], decided: &Decided) -> String {
        if let Some((_, why)) = decided.refused.first() {
            let rest = match decided.refused.len() {
                1 => String::new(),
                n => format!(" (and {} more)", n - 1),
            };
            return format!("not {}: {}{rest}", verb.word(), refusal(why, self.only_edit(places)));
        }
        let notes = places.iter().any(|i| !self.items[*i].is_edit());
        match verb {
            Verb::Leave if notes => {
                let (tick, later) = (
                    self.keys.shown(crate::keys::Action::Take),
                    self.keys.shown(crate::keys::Action::Later),
                );
                format!(
                    "notes and leftovers are ticked off with {tick}, or left for later with {later}"
                )
            }
            Verb::Pick(_) => "this is not a choice".into(),
            Verb::Reopen => "nothing is decided here".into(),
            _ => format!("this is {} already", verb.word()),
        }
    }

    fn only_edit(&self, places: &[usize]) -> Option<&Edit> {
        match places {
            [one] => self.edit(&self.items[*one]),
            _ => None,
        }
    }

    /// Asks for the proposal anew; once it is there once more, if something was decided meanwhile.
    pub(crate) fn compute(&mut self, effects: &mut Vec<Effect>) {
        if self.work.computing {
            self.work.again = true;
            return;
        }
        self.work.computing = true;
        effects.push(Effect::Compute);
    }

    /// The proposal is there anew.
    pub(crate) fn computed(&mut self, effects: &mut Vec<Effect>) {
        self.work.computing = false;
        if std::mem::take(&mut self.work.again) {
            self.compute(effects);
        }
    }

    /// Takes the last decision back.
    pub(crate) fn undo(&mut self, effects: &mut Vec<Effect>) {
        let Some(batch) = self.history.pop() else {
            self.warn("there is no decision of this review to undo");
            return;
        };
        for d in batch.before.iter().rev() {
            self.decisions.add(d.clone());
        }
        effects.push(Effect::Store(batch.before.into_iter().rev().collect()));
        self.rebuild(batch.id);
        if let Some(id) = batch.id {
            self.go_to(id);
        }
        self.say(format!("undone: {}", batch.says));
        self.compute(effects);
    }

    /// Remembers what stood before a place was put in the user's own words, with what was accepted along.
    pub(crate) fn reworded(&mut self, now: &Decisions) {
        let other = |e: &&Edit| self.decisions.last(e.id) != now.last(e.id);
        let changed = self.proposal.decidable().filter(other);
        let before: Vec<Decision> =
            changed.map(|e| self.stood(&Decision::about(e, Verdict::Cleared))).collect();
        let id = self.current().map(|i| i.id);
        self.history.push(Batch { before, says: "a place in your own words".into(), id });
    }
}

/// What was done, in words.
fn said(verb: &Verb, d: &Decided, ticked: usize) -> String {
    let mut parts = Vec::new();
    if let [one] = d.decided.as_slice() {
        parts.push(format!(
            "{}: {}:{}",
            verb.word(),
            emendo_text::visible_name(one.path.as_str()),
            one.line
        ));
    } else if !d.decided.is_empty() {
        parts.push(format!("{}: {} edits", verb.word(), d.decided.len()));
    }
    if !d.along.is_empty() {
        parts.push(format!("with {} that it builds on", d.along.len()));
    }
    if ticked > 0 {
        let word = if *verb == Verb::Reopen { "open again" } else { "ticked off" };
        parts.push(format!("{word}: {ticked}"));
    }
    parts.join(", ")
}

/// What was not done, by reasons.
fn refused(d: &Decided) -> String {
    let mut by: BTreeMap<&'static str, usize> = BTreeMap::new();
    for (_, why) in &d.refused {
        let word = match why {
            Refusal::Withheld(_) => "held back",
            Refusal::Choice => "choices",
            Refusal::Caution => "that call for caution",
            Refusal::Unsure => "unsure",
            Refusal::Rejected => "left before",
            Refusal::Accepted => "taken before",
            Refusal::Other(_) => "that build on others",
        };
        *by.entry(word).or_default() += 1;
    }
    by.iter().map(|(word, n)| format!("{n} {word}")).collect::<Vec<_>>().join(", ")
}

/// Why one edit was not decided, with the way out.
fn refusal(why: &Refusal, edit: Option<&Edit>) -> String {
    match why {
        Refusal::Withheld(why) => format!("it is held back: {why}"),
        Refusal::Choice => match edit {
            Some(e) => format!("it is a choice: press 1 to {}", e.options.len()),
            None => "they are choices: each has its alternatives".into(),
        },
        Refusal::Caution => "it calls for caution: decide on it by itself, or by its step".into(),
        Refusal::Unsure => "it is unsure: decide on it by itself".into(),
        Refusal::Rejected => "it was left as it is: take it by itself".into(),
        Refusal::Accepted => "it was taken: open it again first, or leave it by itself".into(),
        Refusal::Other(why) => why.clone(),
    }
}
