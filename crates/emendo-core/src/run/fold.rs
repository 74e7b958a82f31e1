//! Drafts become edits: named, decided, freed of conflicts.

use emendo_actions::{Draft, NoteDraft};
use emendo_lang::{Certainty, Tree};
use emendo_text::{Digest, Part, PieceMap, Span};

use crate::edits::Status;
use crate::plan::PlanStep;
use crate::run::anchor::Anchors;
use crate::run::conflicts::conflicts;
use crate::run::file::{Env, FileRun, ROUNDS, StepText, written};
use crate::run::folded::FoldedDraft;
use crate::run::sink::Mode;

impl FileRun {
    pub(crate) fn fold(&mut self, step: &PlanStep, drafts: Vec<Draft>, env: &Env<'_>) {
        let mut folded = self.name(step, drafts);
        let ids: Vec<Digest> = folded.iter().map(|f| f.id).collect();
        for f in &mut folded {
            f.status = env.decisions.status_of(f.id, f.seal, &f.options);
            let silent = env.decisions.silent(f.id);
            if silent && env.decisions.weakly_rejected(f.weak, &self.path, &ids, env.exists) {
                f.status = Status::Rejected;
            }
            if !self.base.can_hold(&written(&f.draft)) {
                f.withheld = Some(
                    "the file is in an 8-bit encoding that the new text cannot be written in"
                        .into(),
                );
            }
        }
        for f in folded.iter_mut().filter(|f| f.status != Status::Rejected) {
            if f.draft.tie.needs.is_some_and(|tie| env.decisions.gone(tie)) {
                f.withheld = Some("the edit that it needs is rejected".into());
            }
        }
        for f in &mut folded {
            let lines = self.lines_of(f);
            if let Some(why) = self.protected.reason(&lines) {
                (f.withheld, f.protected) = (Some(why), true);
            }
        }
        conflicts(&mut folded);
        for i in 0..folded.len() {
            // Held back by another: only its own acceptance, with the other rejected, brings it in.
            let behind = folded[i].behind.map(|b| folded[b].status.clone());
            if matches!((&folded[i].status, behind), (Status::Accepted(_), Some(Status::Rejected)))
            {
                folded[i].withheld = None;
                folded[i].behind = None;
            }
        }
        self.still_used(step, &mut folded, env.mode);
        let first = self.edits.len() as u32;
        for round in 0..=ROUNDS {
            let new = self.write(step, &folded, first, env.mode);
            let bad = self.broken(&new, first, folded.len());
            let StepText { text, pieces, trees, derived, .. } = new;
            if bad.is_empty() {
                self.record(step, folded, derived);
                let before = std::mem::replace(&mut self.text, text);
                self.map = PieceMap::new(pieces);
                if self.text != before {
                    self.words = Default::default();
                    self.trees = trees;
                    self.code.clear();
                }
                return;
            }
            let all = round + 1 >= ROUNDS;
            for (i, f) in folded.iter_mut().enumerate() {
                let why = bad.iter().find(|b| b.0 == i as u32).or(bad.first().filter(|_| all));
                if f.withheld.is_none() {
                    f.withheld = why.map(|(_, why)| why.clone());
                }
            }
        }
    }

    /// What an edit takes away may be used where no other edit of the step changes that: then it is unsure.
    fn still_used(&mut self, step: &PlanStep, folded: &mut [FoldedDraft], mode: Mode) {
        if folded.iter().all(|f| f.draft.tie.uses.is_empty()) {
            return;
        }
        let active = folded.iter().filter(|f| f.withheld.is_none() && f.wanted(mode));
        let splices = active.filter_map(|f| Some((f.draft.certainty, f.change()?)));
        let splices = splices.flat_map(|(c, change)| change.splices.iter().map(move |s| (c, s)));
        let gone: Vec<(Certainty, Span, Vec<Span>)> =
            splices.map(|(c, s)| (c, s.span, Part::copies(&s.parts).collect())).collect();
        // How sure it is that a use goes.
        let goes = |u: &Span| {
            let all = gone.iter().filter(|(_, at, _)| at.contains(*u));
            all.filter(|(.., kept)| !kept.iter().any(|k| k.contains(*u))).map(|g| g.0).max()
        };
        let mut notes = Vec::new();
        for f in folded.iter_mut().filter(|f| f.withheld.is_none()) {
            for (name, uses) in &f.draft.tie.uses {
                let mut left = uses.iter().filter(|u| goes(u).is_none());
                let Some(first) = left.next() else {
                    let weakest = uses.iter().filter_map(|u| Some((goes(u)?, *u))).min();
                    let weaker = weakest.filter(|w| w.0 < f.draft.certainty);
                    if let Some((says, at)) = weaker {
                        let text = format!("`{name}` is dropped, and a use of it may stay");
                        f.draft.certainty = says;
                        f.draft.evidence.push(emendo_lang::Fact { says, text, at: Some(at) });
                    }
                    continue;
                };
                let times = match left.count() + 1 {
                    1 => "once".to_owned(),
                    n => format!("{n} times"),
                };
                let text = format!("`{name}` is dropped, and still used");
                f.draft.certainty = Certainty::Unsure;
                let fact = emendo_lang::Fact { says: Certainty::Unsure, text, at: Some(*first) };
                f.draft.evidence.push(fact);
                let say = format!("`{name}` is no parameter any more, and used {times} here");
                notes.push(NoteDraft { at: *first, say });
            }
        }
        self.notes(step, notes);
    }

    /// Names for places in the original text; its declarations are known where it is code.
    pub(crate) fn new_anchors(&self) -> Anchors {
        let base = self.base.as_str();
        let Some(code) = self.code.first() else { return Anchors::new(base, None) };
        if self.map.untouched() {
            return Anchors::new(base, Some((code.language, &code.tree)));
        }
        Anchors::new(
            base,
            Some((code.language, &Tree::parse_file(code.language, &self.path, base))),
        )
    }
}
