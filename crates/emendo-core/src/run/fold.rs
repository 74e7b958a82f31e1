//! Drafts become edits: named, decided, freed of conflicts.

use std::cell::OnceCell;

use emendo_actions::{Change, Draft, NoteDraft};
use emendo_lang::{Certainty, Tree};
use emendo_text::{Digest, Part, PieceMap, Span, Splice};

use crate::edits::Status;
use crate::plan::PlanStep;
use crate::run::anchor::Anchors;
use crate::run::file::{Env, FileRun, ROUNDS, StepText, written};
use crate::run::folded::{FoldedDraft, conflicts, keys};
use crate::run::sink::Mode;

impl FileRun {
    pub(crate) fn fold(&mut self, step: &PlanStep, drafts: Vec<Draft>, env: &Env<'_>) {
        let mut folded = self.name(step, drafts);
        let ids: Vec<Digest> = folded.iter().map(|f| f.id).collect();
        let keys = if env.by_step { keys(&self.text, &folded) } else { Vec::new() };
        let carried = env.carried.and_then(|c| c.at(&step.info.key, &self.path));
        for (i, f) in folded.iter_mut().enumerate() {
            f.status = env.decisions.status_of(f.id, f.seal, &f.options);
            let silent = env.decisions.silent(f.id);
            if silent && env.decisions.weakly_rejected(f.weak, &self.path, &ids, env.exists) {
                f.status = Status::Rejected;
            }
            if let Some(status) = carried.and_then(|c| c.get(keys.get(i)?)) {
                f.status = status.clone();
            }
            if let Status::Reworded(text) = &f.status {
                let text = self.base.with_line_ends(text);
                f.own = Some(own_change(&f.draft, &text));
            }
            let own = f.own.iter().flat_map(|c| &c.splices).flat_map(|s| Part::leaves(&s.parts));
            let own = own.filter_map(|p| match p {
                Part::Text(t) => Some(t.as_str()),
                _ => None,
            });
            let own: String = own.collect();
            if !self.base.can_hold(&written(&f.draft)) || !self.base.can_hold(&own) {
                f.withheld = Some(
                    "the file is in an 8-bit encoding that the new text cannot be written in"
                        .into(),
                );
            }
        }
        for f in folded.iter_mut().filter(|f| f.withheld.is_none()) {
            f.withheld = f.draft.withheld.take();
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
        let named = folded.iter().zip(&keys).filter(|(f, _)| f.status.is_accepted());
        self.keys.extend(named.map(|(f, key)| (f.id, *key)));
        decided_along(&mut folded);
        conflicts(step, &mut folded);
        for i in 0..folded.len() {
            // Held back by another: only its own acceptance, with the other rejected, brings it in.
            let behind = folded[i].behind.map(|b| folded[b].status.clone());
            if matches!((&folded[i].status, behind), (s, Some(Status::Rejected)) if s.is_accepted())
            {
                folded[i].withheld = None;
                folded[i].behind = None;
            }
        }
        self.still_used(step, &mut folded, env.mode);
        self.give_way(step, &mut folded, env.mode);
        let first = self.edits.len() as u32;
        let ending = self.at.extension().map(str::to_owned);
        for round in 0..=ROUNDS {
            let new = self.write(step, &folded, first, env.mode);
            let bad = self.broken(&new, first, folded.len());
            let StepText { text, pieces, trees, derived, .. } = new;
            if bad.is_empty() {
                self.record(step, folded, derived, env.mode);
                let before = std::mem::replace(&mut self.text, text);
                self.map = PieceMap::new(pieces);
                if self.text != before {
                    self.words = Default::default();
                    let whole = trees.into_iter().filter(|t| t.layer.is_none());
                    self.trees = whole.map(|t| (t.language, t.tree)).collect();
                    self.code.clear();
                    self.layers = OnceCell::new();
                }
                if self.at.extension() != ending.as_deref() {
                    // It is read as something else now.
                    self.trees.clear();
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
                notes.push(NoteDraft::new(*first, say));
            }
        }
        self.notes(step, notes);
    }

    /// Names for places in the original text; its declarations are known where it is code.
    pub(crate) fn new_anchors(&self) -> Anchors {
        let base = self.base.as_str();
        let whole = self.code.first().filter(|c| c.layer.is_none());
        let Some(code) = whole else { return Anchors::new(base, None) };
        if self.map.untouched() {
            return Anchors::new(base, Some((code.language, &code.tree)));
        }
        Anchors::new(
            base,
            Some((code.language, &Tree::parse_file(code.language, &self.path, base))),
        )
    }
}

/// What the user wrote for a place, as the change of that: what the edit changes elsewhere stays.
fn own_change(draft: &Draft, own: &str) -> Change {
    let all = || draft.alternatives.iter().map(|a| &a.change).chain([&draft.change]);
    let around = own_place(draft);
    let mut splices: Vec<Splice> =
        draft.change.splices.iter().filter(|s| !touches(around, s.span)).cloned().collect();
    splices.push(Splice::text(around, own));
    splices.sort_by_key(|s| (s.span.start, s.span.end));
    // Of the imports those that the text has words for.
    let word = |path: &str| {
        let name = path.rsplit(|c: char| !is_word(c)).find(|w| !w.is_empty());
        name.is_some_and(|name| own.split(|c: char| !is_word(c)).any(|w| w == name))
    };
    let imports = all().flat_map(|c| &c.imports).filter(|i| word(&i.path)).cloned().collect();
    let partners = draft.change.partners.iter().filter(|p| word(&p.1)).cloned().collect();
    let beside = draft.change.beside.iter().filter(|p| word(&p.1)).cloned().collect();
    let released = vec![around];
    Change { splices, imports, partners, beside, released, ..draft.change.clone() }
}

fn is_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

/// The bytes that the user's own text stands for: what the edit would write over as one, its deletion without the line.
pub(crate) fn own_place(draft: &Draft) -> Span {
    let deletes = draft.change.splices.iter().all(|s| s.parts.is_empty());
    let near = draft.change.splices.iter().map(|s| s.span).filter(|s| touches(draft.hull, *s));
    if deletes { draft.hull } else { near.fold(draft.hull, Span::hull) }
}

fn touches(a: Span, b: Span) -> bool {
    a.start <= b.end && b.start <= a.end
}

/// Edits inside a place that the user has put in words of their own are decided with it.
fn decided_along(folded: &mut [FoldedDraft]) {
    for i in 0..folded.len() {
        let (place, id) = match &folded[i] {
            f if f.own.is_some() && f.withheld.is_none() => (own_place(&f.draft), f.id),
            _ => continue,
        };
        for j in (0..folded.len()).filter(|j| *j != i) {
            let f = &mut folded[j];
            if f.own.is_none() && f.withheld.is_none() && place.contains(f.draft.hull) {
                f.withheld =
                    Some(format!("{} puts the whole place in your own words", id.short(8)));
                f.behind = Some(i);
            }
        }
    }
}
