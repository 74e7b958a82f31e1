//! What stands near a line: edits, notes and leftovers, so that a problem finds its cause.

use std::collections::{BTreeMap, BTreeSet};

use emendo_core::{Edit, LineMap, Note, OpenWork, Rehearsal, RehearsedRun, StepKey};
use emendo_text::{ChangedRun, Digest, Hunk, LineKind, RelPath};
use serde::{Deserialize, Serialize};

use crate::problem::Problem;

/// What is nearest to a problem.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "near")]
pub enum Near {
    /// An edit wrote the line, or one so many lines away.
    Edit {
        /// The edit.
        edit: Digest,
        /// Its step.
        #[serde(flatten)]
        step: StepKey,
        /// How many lines lie between.
        lines: u32,
    },
    /// A note stands at the line.
    Note {
        /// The note.
        note: Digest,
        /// Its step.
        #[serde(flatten)]
        step: StepKey,
        /// What it says.
        say: String,
    },
    /// A leftover stands at the line.
    Leftover {
        /// The leftover.
        leftover: Digest,
        /// Its step.
        #[serde(flatten)]
        step: StepKey,
        /// The old symbol.
        symbol: String,
    },
    /// The file was changed, elsewhere in it.
    ChangedFile {
        /// By these steps.
        steps: Vec<StepKey>,
    },
    /// Nothing changed the file.
    UntouchedFile,
    /// It names no file of the project.
    Nowhere,
}

impl Near {
    /// The step whose edit it is, or is near.
    pub fn step(&self) -> Option<&StepKey> {
        match self {
            Self::Edit { step, .. } => Some(step),
            _ => None,
        }
    }
}

/// A problem with what is nearest.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlacedProblem {
    /// The problem.
    #[serde(flatten)]
    pub problem: Problem,
    /// What is nearest.
    #[serde(flatten)]
    pub near: Near,
}

/// How many lines from an edit a problem still counts as its own.
const CLOSE: u32 = 3;

/// What stands where in the files as they are checked.
#[derive(Debug, Default)]
pub struct Landmarks {
    /// The lines that edits wrote, or took something away at.
    edits: BTreeMap<RelPath, BTreeMap<u32, (Digest, StepKey)>>,
    /// Notes and leftovers.
    places: BTreeMap<RelPath, BTreeMap<u32, Near>>,
    /// The steps that changed each file.
    changed: BTreeMap<RelPath, BTreeSet<StepKey>>,
    /// By the path that a file has, the one that it had before.
    came: BTreeMap<RelPath, RelPath>,
}

impl Landmarks {
    /// What a rehearsal wrote, where its lines stand by now. `now` gives the text of a file as it is checked.
    pub fn of(rehearsal: &Rehearsal, now: &dyn Fn(&RelPath) -> Option<Vec<u8>>) -> Self {
        let mut out = Self::default();
        for run in &rehearsal.runs {
            out.run(run, now);
        }
        out
    }

    fn run(&mut self, run: &RehearsedRun, now: &dyn Fn(&RelPath) -> Option<Vec<u8>>) {
        for (file, outcome) in run.proposal.files.iter().zip(&run.written) {
            let Some(path) = &outcome.to else { continue };
            if let Some(from) = outcome.from.as_ref().filter(|f| *f != path) {
                let first = self.came.remove(from).unwrap_or_else(|| from.clone());
                self.came.insert(path.clone(), first);
            }
            let Some(text) = now(path) else { continue };
            let lines = LineMap::between(&outcome.after, &text);
            let edit = |i: &u32| file.edits.get(*i as usize);
            let steps = file.hunks.iter().flat_map(|h| &h.by).filter_map(edit);
            self.changed.entry(path.clone()).or_default().extend(steps.map(|e| e.step.clone()));
            for (hunk, run) in file.hunks.iter().flat_map(|h| h.runs.iter().map(move |r| (h, r))) {
                let by: Vec<&Edit> = run.by.iter().filter_map(edit).collect();
                // An import follows from others: those are to blame, not it, where both are there.
                let Some(e) = by.iter().find(|e| !e.derived).or(by.first()) else { continue };
                for line in written(hunk, run) {
                    let at = self.edits.entry(path.clone()).or_default();
                    at.insert(lines.at(line), (e.id, e.step.clone()));
                }
            }
        }
    }

    /// Adds the notes and leftovers that are open; `line` gives where a line of a file stands in what is checked.
    pub fn add(&mut self, open: &OpenWork<'_>, line: &dyn Fn(&RelPath, u32) -> (RelPath, u32)) {
        let mut put = |path: &RelPath, at: u32, near: Near| {
            let (path, at) = line(path, at);
            self.places.entry(path).or_default().entry(at).or_insert(near);
        };
        for n in &open.notes {
            let Note { id, step, say, .. } = *n;
            let near = Near::Note { note: *id, step: step.clone(), say: say.clone() };
            if let (Some(path), Some(at)) = (&n.path, n.line) {
                put(path, at, near);
            }
        }
        for (path, l) in &open.leftovers {
            let (step, symbol) = (l.step.clone(), l.symbol.clone());
            put(path, l.line, Near::Leftover { leftover: l.id, step, symbol });
        }
    }

    /// The path that a file had before the edits.
    pub fn before(&self, path: &RelPath) -> RelPath {
        self.came.get(path).unwrap_or(path).clone()
    }

    /// What is nearest to a problem.
    pub fn near(&self, p: &Problem) -> Near {
        let (Some(path), Some(line)) = (&p.path, p.line) else {
            return match &p.path {
                Some(path) => self.file(path),
                None => Near::Nowhere,
            };
        };
        if let Some(near) = self.edit(path, line, 0).or_else(|| self.place(path, line)) {
            return near;
        }
        let through = p.also.iter().find_map(|(path, line)| self.edit(path, *line, 0));
        let close = through.or_else(|| self.edit(path, line, CLOSE));
        close.unwrap_or_else(|| self.file(path))
    }

    fn edit(&self, path: &RelPath, line: u32, most: u32) -> Option<Near> {
        let range = line.saturating_sub(most)..=line.saturating_add(most);
        let near = self.edits.get(path)?.range(range).min_by_key(|(at, _)| at.abs_diff(line))?;
        let (at, (edit, step)) = near;
        Some(Near::Edit { edit: *edit, step: step.clone(), lines: at.abs_diff(line) })
    }

    fn place(&self, path: &RelPath, line: u32) -> Option<Near> {
        self.places.get(path)?.get(&line).cloned()
    }

    fn file(&self, path: &RelPath) -> Near {
        match self.changed.get(path) {
            Some(steps) => Near::ChangedFile { steps: steps.iter().cloned().collect() },
            None => Near::UntouchedFile,
        }
    }

    /// Problems with what is nearest to each.
    pub fn placed(&self, problems: Vec<Problem>) -> Vec<PlacedProblem> {
        let one = |problem: Problem| PlacedProblem { near: self.near(&problem), problem };
        problems.into_iter().map(one).collect()
    }

    /// The steps that problems speak against, those with most problems first; none if they speak against none.
    pub fn suspects(&self, problems: &[PlacedProblem]) -> Vec<StepKey> {
        let mut counts: BTreeMap<StepKey, (usize, usize)> = BTreeMap::new();
        for p in problems {
            if let Some(step) = p.near.step() {
                counts.entry(step.clone()).or_default().0 += 1;
            }
            let files = p.problem.path.iter().chain(p.problem.also.iter().map(|a| &a.0));
            let steps: BTreeSet<&StepKey> =
                files.filter_map(|f| self.changed.get(f)).flatten().collect();
            for step in steps {
                counts.entry(step.clone()).or_default().1 += 1;
            }
        }
        let mut all: Vec<(StepKey, (usize, usize))> = counts.into_iter().collect();
        all.sort_by_key(|s| std::cmp::Reverse(s.1));
        all.into_iter().map(|s| s.0).collect()
    }
}

/// The lines of the new text that a run wrote; where it only took lines away, the one that stands there now.
fn written(hunk: &Hunk, run: &ChangedRun) -> Vec<u32> {
    let upto = (run.from as usize).min(hunk.lines.len());
    let before = hunk.lines[..upto].iter().filter(|l| l.kind != LineKind::Removed).count() as u32;
    let first = hunk.new_start.max(1) + before;
    let end = (upto + run.lines as usize).min(hunk.lines.len());
    let added = hunk.lines[upto..end].iter().filter(|l| l.kind == LineKind::Added).count() as u32;
    (first..first + added.max(1)).collect()
}

/// Problems by what they stand at: the steps with the most first, then notes, leftovers, the rest.
pub fn gathered(problems: &[PlacedProblem]) -> Vec<(&Near, Vec<&PlacedProblem>)> {
    let group = |n: &Near| match n {
        Near::Edit { step, .. } => (0, Some(step.clone())),
        Near::Note { .. } => (1, None),
        Near::Leftover { .. } => (2, None),
        Near::ChangedFile { .. } => (3, None),
        Near::UntouchedFile => (4, None),
        Near::Nowhere => (5, None),
    };
    let mut out: Vec<(&Near, Vec<&PlacedProblem>)> = Vec::new();
    for p in problems {
        match out.iter_mut().find(|(near, _)| group(near) == group(&p.near)) {
            Some((_, all)) => all.push(p),
            None => out.push((&p.near, vec![p])),
        }
    }
    out.sort_by_key(|(near, all)| (group(near).0, std::cmp::Reverse(all.len())));
    out
}
