//! What a file has gone through, as edits and lines.

use std::collections::{HashMap, HashSet};

use emendo_actions::{Draft, FileOp};
use emendo_text::{
    Digest, Hasher, Hunk, LineMark, Part, Piece, Placed, RelPath, Span, Splice, hunks, line_marks,
    render,
};

use crate::edits::{Edit, Evidence, ShownAlternative, Standing, Status, by_line};
use crate::plan::PlanStep;
use crate::run::file::{FileRun, applied, excerpt};
use crate::run::fold::own_place;
use crate::run::folded::FoldedDraft;
use crate::run::sink::{FileAfter, FileFate, FileResult, Mode};

/// Lines that are kept of an edit; one that changes more is told by those before.
const MOST_LINES: usize = 400;
/// Bytes of a file up to which places are worked out with what changes inside them.
const MOST_RENDERED: usize = 1 << 18;

impl FileRun {
    pub(crate) fn record(
        &mut self,
        step: &PlanStep,
        folded: Vec<FoldedDraft>,
        derived: Vec<(Edit, Vec<Splice>)>,
        mode: Mode,
    ) {
        let ids: Vec<Digest> = folded.iter().map(|f| f.id).collect();
        let first = self.edits.len();
        self.covered
            .extend((0..folded.len()).filter(|i| is_covered(step, &folded, *i)).map(|i| first + i));
        self.line(Span::at(0));
        // What is in, for those around it.
        let active: Vec<(Span, Vec<Splice>)> = folded
            .iter()
            .filter(|f| f.withheld.is_none() && f.status != Status::Rejected)
            .filter_map(|f| Some((f.draft.hull, f.change()?.splices.clone())))
            .collect();
        for f in folded {
            self.wrote.push(f.wrote());
            let mut lines = self.lines_of(&f);
            let evidence: Vec<Evidence> =
                f.draft.evidence.iter().map(|fact| self.evidence(fact)).collect();
            let parents: Vec<&Edit> =
                f.parents.iter().map(|p| &self.edits[*p as usize]).filter(|p| !p.derived).collect();
            let own = f.draft.certainty;
            let certainty = parents.iter().map(|p| p.certainty).min().map_or(own, |p| p.min(own));
            let standing = match (&f.withheld, &f.status) {
                (Some(why), _) if f.protected => Standing::Protected(why.clone()),
                (Some(why), _) => Standing::Withheld(why.clone()),
                (None, Status::Rejected) => Standing::Out,
                (None, _) if f.change().is_none() => Standing::Out,
                (None, _) => Standing::In,
            };
            let after = self.after(&f);
            let with_inner = self.with_inner(&f, &active);
            let reworded = f.own.is_some();
            let options = f.draft.alternatives.iter().zip(&f.options).map(|(a, (label, seal))| {
                ShownAlternative {
                    label: label.clone(),
                    why: a.why.clone(),
                    after: excerpt(&applied(&self.text, f.draft.hull, &a.change)),
                    seal: *seal,
                    leaves: a.change.splices.is_empty() && a.change.imports.is_empty(),
                }
            });
            if step.actions[f.draft.action.0].asks.comments_out && standing == Standing::In {
                self.commented.push(after.clone());
            }
            let edit = Edit {
                id: f.id,
                step: step.info.key.clone(),
                action: step.actions[f.draft.action.0].asks.kind.to_owned(),
                path: self.path.clone(),
                line: lines.remove(0),
                more_lines: lines,
                origin: self.origin(f.draft.hull),
                certainty,
                evidence,
                caution: step.info.caution.clone().or_else(|| {
                    let runner = &step.actions[f.draft.action.0].runner;
                    let at = |path| runner.caution(path, f.draft.action.1);
                    let to = match &f.draft.op {
                        Some(FileOp::Move(to)) => at(to),
                        _ => None,
                    };
                    at(&self.at).or(to).map(str::to_owned)
                }),
                before: match &f.draft.op {
                    Some(FileOp::Move(_) | FileOp::Delete) => self.at.as_str().to_owned(),
                    _ => excerpt(f.draft.hull.of(&self.text)),
                },
                // The user's own text is found again by all of it.
                after: if reworded { after } else { excerpt(&after) },
                with_inner,
                reworded,
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
                file: f.draft.op.clone(),
            };
            match edit.file.clone().filter(|_| edit.standing == Standing::In) {
                // What is not in yet becomes so when it is accepted: a look ahead changes nothing on disk.
                Some(op) if f.wanted(mode) => self.becomes(op),
                _ => {}
            }
            self.edits.push(edit);
        }
        for (mut edit, splices) in derived {
            edit.line = splices.first().map_or(1, |s| self.line(s.span));
            self.wrote.push(edit.seal);
            self.edits.push(edit);
        }
    }

    /// The lines of the original that a draft changes, the first one first: at least that of its place.
    pub(crate) fn lines_of(&mut self, f: &FoldedDraft) -> Vec<u32> {
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
        if let Status::Reworded(own) = &f.status {
            return self.base.with_line_ends(own).into_owned();
        }
        if let Some(FileOp::Move(to)) = &f.draft.op {
            return to.as_str().to_owned();
        }
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
        let line = fact.at.map(|at| self.line(at));
        Evidence { says: fact.says, text, line }
    }

    /// Where a place stands in the original, if all of it does.
    fn origin(&self, hull: Span) -> Option<Span> {
        let mut pieces = self.map.slice(hull).into_iter();
        match (pieces.next(), pieces.next()) {
            (None, _) => Some(self.map.origin(hull)),
            (Some(Piece::Base(at)), None) => Some(at),
            _ => None,
        }
    }

    /// The place of an edit as it reads with it and with what changes inside it; none where nothing does, or in files of a size in which
    /// that takes long.
    fn with_inner(&self, f: &FoldedDraft, active: &[(Span, Vec<Splice>)]) -> Option<String> {
        let own = f.change().filter(|_| f.own.is_none() && self.text.len() < MOST_RENDERED)?;
        let hull = f.draft.hull;
        let inside = active.iter().filter(|(h, _)| hull.contains(*h) && *h != hull);
        let mut placed: Vec<Placed<'_>> = Vec::new();
        for (by, (hull, splices)) in (1..).zip(inside) {
            placed.extend(splices.iter().map(|s| Placed {
                by,
                hull: *hull,
                inner: s.inner,
                span: s.span,
                parts: &s.parts,
            }));
        }
        if placed.is_empty() {
            return None;
        }
        let around = own_place(&f.draft);
        let mine = own.splices.iter().filter(|s| around.contains(s.span));
        placed.extend(mine.map(|s| Placed {
            by: 0,
            hull,
            inner: s.inner,
            span: s.span,
            parts: &s.parts,
        }));
        let out = render(&self.text, &self.map, &mut placed).text;
        let end = out.len().checked_sub(self.text.len() - around.end as usize)?;
        out.get(around.start as usize..end).map(excerpt)
    }

    /// What becomes of the file as a whole.
    fn becomes(&mut self, op: FileOp) {
        match op {
            FileOp::Move(to) => self.at = to,
            FileOp::Create => self.there.0 = true,
            FileOp::Delete => self.there.0 = false,
        }
        // Names and modules follow from where it lies.
        self.code.clear();
        self.layers = std::cell::OnceCell::new();
    }

    /// Of a file that a step deletes nothing else is left to do.
    fn held_back_by_deletion(&mut self) {
        let deletes = |e: &&Edit| e.file == Some(FileOp::Delete) && e.standing == Standing::In;
        let Some(id) = self.edits.iter().find(deletes).map(|e| e.id).filter(|_| !self.there.0)
        else {
            return;
        };
        let why = format!("{} deletes the file", id.short(8));
        for e in self.edits.iter_mut().filter(|e| e.id != id && e.standing == Standing::In) {
            e.standing = Standing::Withheld(why.clone());
            e.behind = Some(id);
        }
        self.edits.retain(|e| !e.derived);
        self.notes.clear();
        self.leftovers.clear();
    }

    /// What became of the file.
    pub(crate) fn finish(mut self) -> FileResult {
        self.held_back_by_deletion();
        let fate = FileFate {
            to: (self.there.0 && self.at != self.path).then(|| self.at.clone()),
            created: self.there == (true, false),
            deleted: self.there == (false, true),
        };
        let changed = self.text != self.base.as_str();
        let hunks = if changed {
            hunks(self.base.as_str(), &self.text, self.map.pieces())
        } else {
            Vec::new()
        };
        // Steps that take one another back change nothing: there is nothing to decide.
        let taken_back = |e: &Edit| e.standing == Standing::In && e.options.is_empty();
        let undone = !changed && fate.stays() && self.edits.iter().all(taken_back);
        let texts = (self.base.as_str(), self.text.as_str());
        let (edits, hunks, marks) = match undone {
            true => (Vec::new(), hunks, Vec::new()),
            false => {
                let marks = line_marks(texts.0, texts.1, self.map.pieces());
                let lines = (hunks, marks);
                without_cancelled((self.edits, self.covered), lines, self.map.pieces(), texts)
            }
        };
        let bytes = |text: &str| match &self.bytes {
            Some(bytes) => Some(bytes.as_ref().clone()),
            None => self.base.encode(text),
        };
        let differs = changed || !fate.stays();
        let after = (differs && !fate.deleted).then(|| bytes(&self.text)).flatten();
        // What is taken back by a later step is in no step's text.
        let steps = self.steps.iter().filter(|_| differs);
        let after_step = |(n, at, text): &(usize, RelPath, Option<String>)| {
            let bytes = match text {
                Some(text) => Some(bytes(text)?),
                None => None,
            };
            Some((*n, FileAfter { path: at.clone(), bytes }))
        };
        let steps = steps.filter_map(after_step).collect();
        let mut leftovers = by_line(&self.path, self.leftovers);
        for l in &mut leftovers {
            l.protected = self.protected.reason(&[l.line]).is_some();
        }
        FileResult {
            path: self.path,
            base: self.digest,
            edits,
            notes: self.notes,
            leftovers,
            hunks,
            marks,
            after,
            fate,
            steps,
            keys: self.keys,
        }
    }
}

/// True for the new name of a package where an edit that is in writes the whole place: nothing of it is left to do there.
fn is_covered(step: &PlanStep, folded: &[FoldedDraft], i: usize) -> bool {
    let f = &folded[i];
    let Some(winner) = f.behind.map(|b| &folded[b]) else { return false };
    if winner.own.is_some()
        && winner.withheld.is_none()
        && own_place(&winner.draft).contains(f.draft.hull)
    {
        return true;
    }
    let package = !step.actions[f.draft.action.0].asks.packages.is_empty();
    let over = winner.draft.hull.contains(f.draft.hull);
    let stands = winner.withheld.is_none() && winner.status != Status::Rejected;
    package && over && stands && f.status == Status::Undecided
}

/// Takes out edits that later steps took back: what they wrote stands nowhere in the result, and changes no line of it.
fn without_cancelled(
    (edits, covered): (Vec<Edit>, HashSet<usize>),
    (mut hunks, mut marks): (Vec<Hunk>, Vec<LineMark>),
    pieces: &[Piece],
    (base, text): (&str, &str),
) -> (Vec<Edit>, Vec<Hunk>, Vec<LineMark>) {
    // What each wrote, and what of that reads otherwise than before.
    let (mut written, mut shown) = (HashSet::new(), HashSet::new());
    let mut at = 0;
    for piece in pieces {
        let end = at + piece.len();
        if let Piece::Written { by, origin, .. } = piece {
            written.insert(*by);
            if text.get(at..end) != Some(origin.of(base)) {
                shown.insert(*by);
            }
        }
        at = end;
    }
    let mut children: HashMap<Digest, Vec<usize>> = HashMap::new();
    for (i, e) in edits.iter().enumerate() {
        e.parents.iter().for_each(|p| children.entry(*p).or_default().push(i));
    }
    // Later edits come after those that they build on.
    let mut cancelled = covered;
    for (i, e) in edits.iter().enumerate().rev() {
        let plain = e.standing == Standing::In && e.options.is_empty();
        let unseen = !shown.contains(&(i as u32));
        let over = children.get(&e.id).is_some_and(|c| c.iter().all(|c| cancelled.contains(c)));
        let gone = match written.contains(&(i as u32)) {
            // An import that is again what it was.
            true if e.derived => true,
            true => !e.parents.is_empty() && children.get(&e.id).is_none_or(|_| over),
            false => over,
        };
        if plain && unseen && gone {
            cancelled.insert(i);
        }
    }
    if cancelled.is_empty() {
        return (edits, hunks, marks);
    }
    let kept: Vec<usize> = (0..edits.len()).filter(|i| !cancelled.contains(i)).collect();
    let number = |old: u32| kept.binary_search(&(old as usize)).ok().map(|i| i as u32);
    for h in &mut hunks {
        h.by = h.by.iter().filter_map(|b| number(*b)).collect();
        for r in &mut h.runs {
            r.by = r.by.iter().filter_map(|b| number(*b)).collect();
        }
    }
    marks.retain_mut(|m| number(m.by).map(|by| m.by = by).is_some());
    let edits = edits.into_iter().enumerate().filter(|(i, _)| !cancelled.contains(i));
    (edits.map(|(_, e)| e).collect(), hunks, marks)
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
