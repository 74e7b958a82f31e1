//! What a step does to a file as a whole, and to the references in it.

use std::collections::HashMap;

use emendo_actions::{Draft, FileCx, FileMove, FileOp, Found, Moves, Runner, Tie};
use emendo_lang::{Certainty, Project as _, weakest};
use emendo_text::{Digest, Lines, RelPath, Span, Splice};

use crate::edits::Evidence;
use crate::look::StepMoves;
use crate::look::{Answers, Candidate, PathsNow, moves};
use crate::plan::PlanStep;
use crate::project::ProjectFiles;
use crate::run::file::{Env, FileRun};
use crate::run::protected::Protected;
use crate::run::{CoverageLog, Engine, overlaid};

impl FileRun {
    /// What becomes of the file, and what mends its references to files that move.
    pub(crate) fn moves(
        &mut self,
        StepMoves { moves, menders }: &StepMoves,
        (n, step): (usize, &PlanStep),
        env: &Env<'_>,
        found: &mut Found,
    ) {
        let along = moves.of(&self.at).and_then(|m| m.along);
        for d in found.drafts.iter_mut().filter(|d| along.is_some() && !d.names.is_empty()) {
            d.tie.provides = d.tie.provides.or(along.filter(|a| *a == d.declared_tie(&self.at)));
        }
        let from = found.drafts.len();
        self.references((moves, menders), step, env, found);
        // What rests on a move is no surer than that.
        for m in moves.all().iter().filter(|m| weakest(&m.facts) < Certainty::Certain) {
            let Some(doubt) = m.facts.iter().min_by_key(|f| f.says) else { continue };
            let needs = |d: &&mut Draft| d.op.is_none() && d.tie.needs == Some(m.tie());
            for d in found.drafts[from..].iter_mut().filter(needs) {
                if doubt.says < d.certainty {
                    d.certainty = doubt.says;
                    d.evidence.push(doubt.clone());
                }
            }
        }
        if let Some(Ok(mut touched)) = env.touched.map(CoverageLog::lock) {
            let all = found.drafts[from..].iter().map(|d| (n, d.action.0, Some(d.action.1)));
            touched.extend(all);
        }
    }

    fn references(
        &mut self,
        (moves, menders): (&Moves, &[Box<dyn Runner>]),
        step: &PlanStep,
        env: &Env<'_>,
        found: &mut Found,
    ) {
        found.drafts.extend(moves.of(&self.at).map(|m| self.whole(m)));
        let (drafts, notes) = moves.along(&self.at);
        if !drafts.is_empty() && self.there.0 {
            // Imports follow from what is written, and mistakes show, where it is parsed.
            let language = self.world.language_of(&self.at);
            self.code(language, env.answers.index.files());
        }
        found.drafts.extend_from_slice(drafts);
        found.notes.extend_from_slice(notes);
        if !self.there.0 || self.bytes.is_some() || !moves.users.contains(&self.at) {
            return;
        }
        for mender in menders {
            let asks = mender.asks();
            if !mender.covers(&self.at) {
                continue;
            }
            for code in self.code(asks.language, env.answers.index.files()) {
                let moves = Some(moves);
                let cx = FileCx { packages: &step.packages, moves, ..self.cx(code, env) };
                let before = (found.drafts.len(), found.notes.len());
                mender.find(&cx, 0, found);
                self.fit_into_page(code, found, before);
            }
        }
    }

    /// The edit of a file as a whole.
    fn whole(&self, m: &FileMove) -> Draft {
        let draft = Draft::new(m.action, m.digest, Span::at(0), m.facts.clone());
        let all = Span::new(0, self.text.len());
        let splices = match m.op {
            FileOp::Move(_) => Vec::new(),
            FileOp::Create if self.text.is_empty() && !m.content.is_empty() => {
                vec![Splice::text(Span::at(0), m.content.clone())]
            }
            FileOp::Create => Vec::new(),
            FileOp::Delete if all.is_empty() => Vec::new(),
            FileOp::Delete => vec![Splice::text(all, "")],
        };
        let draft = draft.writing(splices);
        let tie = Tie { provides: Some(m.tie()), needs: m.needs, uses: Vec::new() };
        Draft { op: Some(m.op.clone()), withheld: m.withheld.clone(), tie, ..draft }
    }
}

impl FileRun {
    /// A move is not sure, nor what needs it, where a reference to the file cannot be mended.
    pub(super) fn doubt<'r>(runs: impl Iterator<Item = &'r mut Self>) {
        let mut runs: Vec<&mut Self> = runs.collect();
        runs.sort_by(|a, b| a.path.cmp(&b.path));
        let mut left: HashMap<Digest, (RelPath, u32)> = HashMap::new();
        for run in &mut runs {
            for (tie, line) in std::mem::take(&mut run.left_by) {
                left.entry(tie).or_insert_with(|| (run.path.clone(), line));
            }
        }
        if left.is_empty() {
            return;
        }
        for e in runs.iter_mut().flat_map(|r| &mut r.edits) {
            let by = |tie: Option<Digest>| tie.and_then(|t| left.get(&t));
            let own = by(e.provides).filter(|_| e.file.is_some());
            let Some((path, line)) = own.or_else(|| by(e.needs)) else { continue };
            e.certainty = Certainty::Unsure;
            let text = format!(
                "what `{path}` says on line {line} cannot be mended along: a note says how"
            );
            e.evidence.push(Evidence { says: Certainty::Unsure, text, line: None });
        }
    }
}

impl Engine<'_> {
    /// Why nothing may be written at a place.
    pub(super) fn protected(&self, path: &RelPath, text: &str, at: Span) -> Option<String> {
        let language = self.plan.world.language_of(path);
        let protected = Protected::of(path, text, language, self.project.protects(path));
        let lines = Lines::new(text);
        let all: Vec<u32> = (lines.line(at.start)..=lines.line(at.end)).collect();
        protected.reason(&all).map(|why| format!("{why} (`{path}`)"))
    }

    /// Works out what the steps of a stage do to files as a whole; these files, and those that may refer to them, are looked into.
    pub(super) fn with_moves(
        &self,
        stage: &std::ops::Range<usize>,
        answers: &mut Answers,
        (kept, texts): (&HashMap<RelPath, FileRun>, &ProjectFiles),
        files: &mut Vec<Candidate>,
    ) {
        for n in stage.clone() {
            if self.plan.steps[n].actions.iter().all(|a| a.asks.paths.is_none()) {
                continue;
            }
            let texts = overlaid(kept, texts);
            let now = PathsNow {
                project: self.project,
                texts: &texts,
                index: &answers.index,
                truths: &answers.truths,
                own: self.own,
                decisions: self.decisions,
                answers: &answers.queries,
                protected: &|path, text, at| self.protected(path, text, at),
            };
            let Some(moves) = moves(self.plan, n, &now) else { continue };
            let origin: HashMap<&RelPath, &RelPath> =
                kept.values().map(|r| (&r.at, &r.path)).collect();
            let at_first = |p: &RelPath| origin.get(p).map_or_else(|| p.clone(), |o| (*o).clone());
            for path in moves.moves.users.iter().map(at_first) {
                if self.only.is_some_and(|only| !only.contains(&path)) {
                    continue;
                }
                if let Err(i) = files.binary_search_by(|c| c.path.cmp(&path)) {
                    let size = self.project.size(&path).unwrap_or(0);
                    files.insert(i, Candidate { path, size });
                }
            }
            answers.moves.insert(n, moves);
        }
    }
}
