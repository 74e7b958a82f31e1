//! Lasting ids and seals of edits.

use std::collections::HashMap;

use emendo_actions::{Change, Draft, FileOp};
use emendo_text::{Digest, Hasher, Part, Piece, Span};

use crate::edits::Status;
use crate::plan::PlanStep;
use crate::run::file::FileRun;
use crate::run::folded::FoldedDraft;

impl FileRun {
    /// Gives drafts their lasting ids, seals and parents.
    pub(crate) fn name(&mut self, step: &PlanStep, mut drafts: Vec<Draft>) -> Vec<FoldedDraft> {
        drafts.sort_by_key(|d| (d.action, d.hull.start, std::cmp::Reverse(d.hull.end)));
        let kept = merged(drafts);
        let names = self.ids(step, &kept);
        let ids = told_apart(names.iter().map(|n| n.0).collect(), &kept);
        kept.into_iter()
            .zip(names.into_iter().zip(ids))
            .map(|(draft, ((_, weak), id))| {
                let (parents, seal) = self.seal(&draft, &draft.change);
                let options = draft
                    .alternatives
                    .iter()
                    .map(|a| (a.label.clone(), self.seal(&draft, &a.change).1))
                    .collect();
                FoldedDraft {
                    draft,
                    id,
                    weak,
                    parents,
                    seal,
                    options,
                    status: Status::Undecided,
                    own: None,
                    withheld: None,
                    protected: false,
                    behind: None,
                }
            })
            .collect()
    }

    /// The id of each draft, and what a rejection is found again by when that is gone.
    fn ids(&mut self, step: &PlanStep, drafts: &[Draft]) -> Vec<(Digest, Digest)> {
        let mut anchors = self.anchors.take().unwrap_or_else(|| self.new_anchors());
        let key = &step.info.key;
        let mut inside: HashMap<u32, u64> = HashMap::new();
        let mut names: Vec<(Digest, Digest)> = Vec::new();
        for d in drafts {
            let slice = self.map.slice(d.hull);
            let only = match slice.as_slice() {
                [Piece::Written { by, .. }] => Some(*by),
                _ => None,
            };
            let mut h = Hasher::new();
            h.part(&key.recipe).part(&key.step);
            let mut weak = Hasher::new();
            weak.part(&key.recipe).part(&key.step).digest(d.digest);
            if d.op.is_some() {
                h.part("file").part(self.path.as_str());
                weak.part(self.path.name());
            } else if let Some(by) = only {
                // Inside text that the tool wrote: the parent and an ordinal.
                let n = inside.entry(by).or_default();
                h.digest(self.edits[by as usize].id).digest(d.digest).number(*n);
                weak.digest(self.edits[by as usize].id).number(*n);
                *n += 1;
            } else {
                let a = anchors.name(self.base.as_str(), self.map.origin(d.hull));
                h.part(self.path.as_str())
                    .part(&a.declaration)
                    .digest(a.tokens)
                    .number(a.ordinal as u64);
                weak.digest(a.tokens);
            }
            names.push((h.finish(), weak.finish()));
        }
        self.anchors = Some(anchors);
        names
    }

    /// The edits that wrote what a change touches, and the digest of its text before and after.
    fn seal(&self, draft: &Draft, change: &Change) -> (Vec<u32>, Digest) {
        let mut parents: Vec<u32> = Vec::new();
        let mut h = Hasher::new();
        match &draft.op {
            // Whatever the file holds.
            Some(FileOp::Delete) => return (parents, h.part("delete").finish()),
            Some(FileOp::Move(to)) => drop(h.part("move").part(to.as_str())),
            Some(FileOp::Create) => drop(h.part("create")),
            None => {}
        }
        let mut source = |span: Span, h: &mut Hasher| {
            for piece in self.map.slice(span) {
                match piece {
                    Piece::Base(s) => drop(h.part(s.of(self.base.as_str()))),
                    Piece::Written { by, .. } => {
                        parents.push(by);
                        h.digest(self.wrote[by as usize]);
                    }
                }
            }
        };
        for t in &draft.tokens {
            source(*t, &mut h);
        }
        for s in &change.splices {
            h.number(u64::from(s.span.start - draft.hull.start.min(s.span.start)));
            source(s.span, &mut h);
            for part in Part::leaves(&s.parts) {
                match part {
                    Part::Text(t) => drop(h.part(t)),
                    Part::Copy(span) => source(*span, &mut h),
                    Part::Shifted(_) => {}
                }
            }
        }
        for i in &change.imports {
            h.part(&i.path);
        }
        parents.sort_unstable();
        parents.dedup();
        (parents, h.finish())
    }
}

/// Ids of which no two are equal: those of several edits at one place are told apart by what they look for, then by what
/// they write, then by their order.
fn told_apart(mut ids: Vec<Digest>, drafts: &[Draft]) -> Vec<Digest> {
    let written = |d: &Draft| {
        let mut h = Hasher::new();
        let all = d.alternatives.iter().map(|a| &a.change).chain([&d.change]);
        for s in all.flat_map(|c| &c.splices) {
            for part in Part::leaves(&s.parts) {
                h.part(if let Part::Text(t) = part { t } else { "" });
            }
        }
        h.finish()
    };
    let more: [&dyn Fn(usize) -> Digest; 3] =
        [&|i| drafts[i].digest, &|i| written(&drafts[i]), &|i| {
            Hasher::new().number(i as u64).finish()
        }];
    for more in more {
        let mut count: HashMap<Digest, usize> = HashMap::new();
        ids.iter().for_each(|id| *count.entry(*id).or_default() += 1);
        if count.len() == ids.len() {
            break;
        }
        for (i, id) in ids.iter_mut().enumerate().filter(|(_, id)| count[*id] > 1) {
            *id = Hasher::new().digest(*id).digest(more(i)).finish();
        }
    }
    ids
}

/// Equal drafts merged: the one that stands first in the recipe speaks for both.
fn merged(drafts: Vec<Draft>) -> Vec<Draft> {
    let mut kept: Vec<Draft> = Vec::new();
    for d in drafts {
        let equal = |k: &Draft| {
            k.hull == d.hull
                && k.op == d.op
                && k.change.splices == d.change.splices
                && k.alternatives.is_empty()
                && d.alternatives.is_empty()
        };
        if !kept.iter().rev().take(64).any(equal) {
            kept.push(d);
        }
    }
    kept
}
