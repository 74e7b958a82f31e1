//! What a file has gone through, as edits and lines.

use emendo_actions::Draft;
use emendo_text::{Digest, Hasher, Part, Span, Splice, hunks};

use crate::edits::{Edit, Evidence, ShownAlternative, Standing, Status, by_line};
use crate::plan::PlanStep;
use crate::run::file::{FileRun, applied, excerpt};
use crate::run::folded::FoldedDraft;
use crate::run::sink::FileResult;

/// Lines that are kept of an edit; one that changes more is told by those before.
const MOST_LINES: usize = 400;

impl FileRun {
    pub(crate) fn record(
        &mut self,
        step: &PlanStep,
        folded: Vec<FoldedDraft>,
        derived: Vec<(Edit, Vec<Splice>)>,
    ) {
        let ids: Vec<Digest> = folded.iter().map(|f| f.id).collect();
        self.line(Span::at(0));
        for f in folded {
            let mut lines = self.lines_of(&f);
            let evidence: Vec<Evidence> =
                f.draft.evidence.iter().map(|fact| self.evidence(fact)).collect();
            let parents: Vec<&Edit> =
                f.parents.iter().map(|p| &self.edits[*p as usize]).filter(|p| !p.derived).collect();
            let own = f.draft.certainty;
            let certainty = parents.iter().map(|p| p.certainty).min().map_or(own, |p| p.min(own));
            let standing = match (&f.withheld, &f.status) {
                (Some(why), _) => Standing::Withheld(why.clone()),
                (None, Status::Rejected) => Standing::Out,
                (None, _) if f.change().is_none() => Standing::Out,
                (None, _) => Standing::In,
            };
            let after = self.after(&f);
            let options = f.draft.alternatives.iter().zip(&f.options).map(|(a, (label, seal))| {
                ShownAlternative {
                    label: label.clone(),
                    why: a.why.clone(),
                    after: excerpt(&applied(&self.text, f.draft.hull, &a.change)),
                    seal: *seal,
                    leaves: a.change.splices.is_empty() && a.change.imports.is_empty(),
                }
            });
            let edit = Edit {
                id: f.id,
                step: step.info.key.clone(),
                action: step.actions[f.draft.action.0].asks.kind.to_owned(),
                path: self.path.clone(),
                line: lines.remove(0),
                more_lines: lines,
                certainty,
                evidence,
                caution: step.info.caution.clone().or_else(|| {
                    let runner = &step.actions[f.draft.action.0].runner;
                    runner.caution(&self.path, f.draft.action.1).map(str::to_owned)
                }),
                before: excerpt(f.draft.hull.of(&self.text)),
                after: excerpt(&after),
                seal: f.seal,
                shape: shape(step, &f.draft),
                parents: parents.iter().map(|p| p.id).collect(),
                options: options.collect(),
                weak: f.weak,
                behind: f.behind.map(|b| ids[b]),
                standing,
                derived: false,
                provides: f.draft.tie.provides,
                needs: f.draft.tie.needs,
            };
            self.edits.push(edit);
        }
        for (mut edit, splices) in derived {
            edit.line = splices.first().map_or(1, |s| self.line(s.span));
            self.edits.push(edit);
        }
    }

    /// The lines of the original that a draft changes, the first one first: at least that of its place.
    fn lines_of(&mut self, f: &FoldedDraft) -> Vec<u32> {
        let changes = std::iter::once(&f.draft.change);
        let all = changes.chain(f.draft.alternatives.iter().map(|a| &a.change));
        let spans: Vec<Span> = all.flat_map(|c| &c.splices).map(|s| s.span).collect();
        let mut out: Vec<u32> = spans.into_iter().flat_map(|s| self.lines(s)).collect();
        out.sort_unstable();
        out.dedup();
        if out.is_empty() {
            out.push(self.line(f.draft.hull));
        }
        out.truncate(MOST_LINES);
        out
    }

    /// The place of an edit as it reads with it.
    fn after(&self, f: &FoldedDraft) -> String {
        match f.change() {
            None => f.draft.hull.of(&self.text).to_owned(),
            // Only its import becomes another.
            Some(c) if c.splices.is_empty() && !c.imports.is_empty() => {
                c.imports.iter().map(|i| i.path.as_str()).collect::<Vec<_>>().join(", ")
            }
            Some(c) => applied(&self.text, f.draft.hull, c),
        }
    }

    pub(crate) fn evidence(&mut self, fact: &emendo_lang::Fact) -> Evidence {
        let text = match fact.at {
            Some(at) if fact.text.contains("{line}") => {
                let line = self.line(at);
                fact.text.replace("{line}", &line.to_string())
            }
            _ => fact.text.clone(),
        };
        Evidence { says: fact.says, text }
    }

    /// What became of the file.
    pub(crate) fn finish(self) -> FileResult {
        let changed = self.text != self.base.as_str();
        let hunks = if changed {
            hunks(self.base.as_str(), &self.text, self.map.pieces())
        } else {
            Vec::new()
        };
        // Steps that take one another back change nothing: there is nothing to decide.
        let taken_back = |e: &Edit| e.standing == Standing::In && e.options.is_empty();
        let undone = !changed && self.edits.iter().all(taken_back);
        let edits = if undone { Vec::new() } else { self.edits };
        let after = changed.then(|| self.base.encode(&self.text)).flatten();
        let leftovers = by_line(&self.path, self.leftovers);
        FileResult {
            path: self.path,
            base: self.digest,
            edits,
            notes: self.notes,
            leftovers,
            hunks,
            after,
        }
    }
}

/// What edits that look alike have in common: the step, the action, and what is written.
fn shape(step: &PlanStep, draft: &Draft) -> Digest {
    let mut h = Hasher::new();
    h.part(&step.info.key.recipe).part(&step.info.key.step).digest(draft.digest);
    for p in draft.change.splices.iter().flat_map(|s| Part::leaves(&s.parts)) {
        h.part(match p {
            Part::Text(t) => t.as_str(),
            _ => "",
        });
    }
    h.finish()
}
