//! One file through the steps of a run: find, fold, write, parse again.

use std::collections::HashMap;

use emendo_actions::{Change, Code, Draft, FileCx, Found, NoteDraft};
use emendo_lang::{Certainty, FileFacts, Files, Language, Project, Tree};
use emendo_pattern::ImportPlan;
use emendo_text::{
    Digest, Hasher, Lines, Part, Piece, PieceMap, Placed, RelPath, Span, Splice, Text, hunks,
    render,
};

use crate::edits::{Decisions, Edit, Evidence, Leftover, Note, Option_, Own, Standing, Status};
use crate::look::Answers;
use crate::plan::{Kept, Plan, PlanStep, Watch};
use crate::run::anchor::Anchors;
use crate::run::conflicts::conflicts;
use crate::run::folded::Folded;
use crate::run::sink::{FileResult, Mode, Touched};

/// Longest excerpt that is kept of a place; the diff shows the whole.
const EXCERPT: usize = 4000;
/// Rounds of withholding before all edits of the step in the file are.
const ROUNDS: usize = 12;

/// A file on its way through a run.
pub(crate) struct FileRun {
    pub(crate) path: RelPath,
    pub(crate) base: Text,
    pub(crate) digest: Digest,
    pub(crate) text: String,
    map: PieceMap,
    /// The trees of the text as it is.
    trees: Vec<(&'static Language, Tree)>,
    /// Those whose facts were asked for.
    code: Vec<Code>,
    pub(crate) edits: Vec<Edit>,
    pub(crate) notes: Vec<Note>,
    leftovers: Vec<Leftover>,
    lines: Option<Lines>,
    anchors: Option<Anchors>,
    /// The words of the text that the plan asks for, and those that were found on the way.
    words: (Kept, Kept),
}

/// What a file may ask while it runs.
pub(crate) struct Env<'a> {
    /// Gathers which actions found something, where that is asked.
    pub(crate) touched: Option<&'a Touched>,
    pub(crate) plan: &'a Plan,
    pub(crate) decisions: &'a Decisions,
    pub(crate) mode: Mode,
    pub(crate) answers: &'a Answers,
    pub(crate) own: &'a [Own],
    pub(crate) exists: &'a (dyn Fn(&RelPath) -> bool + Sync),
}

/// A step's result for a file.
struct Written {
    text: String,
    pieces: Vec<Piece>,
    trees: Vec<(&'static Language, Tree)>,
    /// Import statements that follow, with their changes.
    derived: Vec<(Edit, Vec<Splice>)>,
}

impl FileRun {
    pub(crate) fn new(path: RelPath, base: Text, digest: Digest) -> Self {
        let text = base.as_str().to_owned();
        let map = PieceMap::new(Piece::whole(&text));
        Self {
            path,
            base,
            digest,
            text,
            map,
            trees: Vec::new(),
            code: Vec::new(),
            edits: Vec::new(),
            notes: Vec::new(),
            leftovers: Vec::new(),
            lines: None,
            anchors: None,
            words: Default::default(),
        }
    }

    /// True if the run has anything to say about the file.
    pub(crate) fn matters(&self) -> bool {
        !self.edits.is_empty() || !self.notes.is_empty() || !self.leftovers.is_empty()
    }

    /// True if a part of the file could not be parsed.
    pub(crate) fn has_errors(&self) -> bool {
        self.code.iter().any(|c| c.tree.has_error()) || self.trees.iter().any(|t| t.1.has_error())
    }

    /// Lets go of what can be made again.
    pub(crate) fn rest(&mut self) {
        self.code.clear();
        self.trees.clear();
        self.anchors = None;
    }

    /// Runs one step.
    pub(crate) fn step(&mut self, n: usize, env: &Env<'_>) {
        let step = &env.plan.steps[n];
        let covering: Vec<usize> =
            (0..step.runners.len()).filter(|i| step.runners[*i].covers(&self.path)).collect();
        if covering.is_empty() {
            return;
        }
        let text = self.text.as_bytes();
        let present = self.words.0.present(&env.plan.narrow, text);
        let wider = &mut self.words.1;
        let followed = env.answers.followed.get(&n).map_or(&[][..], Vec::as_slice);
        let wanted: Vec<usize> = covering
            .into_iter()
            .filter(|i| {
                step.runners[*i].needs().met(|w| present.holds(w))
                    || env.answers.wide.met(n, *i, text, wider)
                    || followed.iter().any(|f| f.leads(*i, &self.path))
            })
            .collect();
        if wanted.is_empty() {
            return;
        }
        let mut found = Found::default();
        let here = |o: &&Own| o.step == step.info.key && o.path == self.path;
        let own: Vec<&str> = env.own.iter().filter(here).map(|o| o.text.as_str()).collect();
        for i in wanted {
            let runner = &step.runners[i];
            let code = runner.language().map(|l| self.code(l, env.answers.index.files()));
            let cx = FileCx {
                path: &self.path,
                text: &self.text,
                line_end: self.base.line_end(),
                code: code.map(|c| &self.code[c]),
                project: &env.answers.index,
                manifests: &env.answers.manifests,
                packages: &step.packages,
                answers: &env.answers.queries,
                followed,
                own: &own,
            };
            let notes = found.notes.len();
            runner.find(&cx, i, &mut found);
            if let Some(Ok(mut touched)) = env.touched.map(Touched::lock) {
                touched.extend((found.notes.len() > notes).then_some((n, i, None)));
                let own = found.drafts.iter().filter(|d| d.action.0 == i);
                touched.extend(own.map(|d| (n, i, Some(d.action.1))));
            }
        }
        self.notes(step, std::mem::take(&mut found.notes));
        if !found.drafts.is_empty() {
            self.fold(step, found.drafts, env);
        }
    }

    /// Looks for what still uses the old API, in the text as the steps leave it.
    pub(crate) fn look_back(&mut self, env: &Env<'_>) {
        let covering = env.plan.watches.iter().filter(|w| w.runner.covers(&self.path));
        let watches: Vec<&Watch> = covering.collect();
        if watches.is_empty() {
            return;
        }
        let present = self.words.0.present(&env.plan.narrow, self.text.as_bytes());
        let reached = env.answers.wide.any();
        let watches =
            watches.into_iter().filter(|w| w.runner.needs().met(|w| present.holds(w)) || reached);
        for watch in watches.collect::<Vec<_>>() {
            let code = watch.runner.language().map(|l| self.code(l, env.answers.index.files()));
            let cx = FileCx {
                path: &self.path,
                text: &self.text,
                line_end: self.base.line_end(),
                code: code.map(|c| &self.code[c]),
                project: &env.answers.index,
                manifests: &env.answers.manifests,
                packages: &env.plan.packages,
                answers: &env.answers.queries,
                followed: &[],
                own: &[],
            };
            let mut found = Vec::new();
            watch.runner.remains(&cx, &mut found);
            // Of places within one another, the outermost is said, and the surest of its reasons.
            found.sort_by_key(|r| (r.at.start, std::cmp::Reverse((r.at.end, r.certainty))));
            let mut end = 0;
            found.retain(|r| {
                let outer = r.at.end > end;
                end = end.max(r.at.end);
                outer
            });
            for r in found {
                let Some((step, advice)) = watch.about.get(&r.symbol) else { continue };
                let why = r.fact.as_ref().map_or_else(|| r.why.clone(), |f| self.evidence(f).text);
                let leftover = Leftover {
                    symbol: r.symbol,
                    line: self.line(r.at),
                    source: self.source(r.at),
                    certainty: r.certainty,
                    why,
                    step: step.clone(),
                    advice: advice.clone(),
                };
                self.leftovers.push(leftover);
            }
        }
        self.leftovers.sort_by(|a, b| (a.line, &a.symbol).cmp(&(b.line, &b.symbol)));
        self.leftovers.dedup_by(|a, b| (a.line, &a.symbol) == (b.line, &b.symbol));
    }

    /// The line of a place.
    fn source(&self, at: Span) -> String {
        let start = self.text[..at.start as usize].rfind(['\n', '\r']).map_or(0, |i| i + 1);
        self.text[start..].lines().next().unwrap_or("").trim().chars().take(200).collect()
    }

    /// The parsed text, parsed if it is not.
    fn code(&mut self, language: &'static Language, files: &dyn Files) -> usize {
        if let Some(i) = self.code.iter().position(|c| std::ptr::eq(c.language, language)) {
            return i;
        }
        let known = self.trees.iter().position(|t| std::ptr::eq(t.0, language));
        let tree = known.map_or_else(
            || Tree::parse_file(language, &self.path, &self.text),
            |i| self.trees.swap_remove(i).1,
        );
        let facts = FileFacts::of_file(language, &tree, &self.text, &self.path, files);
        self.code.push(Code { language, tree, facts });
        self.code.len() - 1
    }

    fn line(&mut self, at: Span) -> u32 {
        let origin = self.map.origin(at);
        let base = self.base.as_str();
        self.lines.get_or_insert_with(|| Lines::new(base)).line(origin.start)
    }

    fn notes(&mut self, step: &PlanStep, drafts: Vec<NoteDraft>) {
        for n in drafts {
            let line = self.line(n.at);
            let source = self.source(n.at);
            let note = Note {
                step: step.info.key.clone(),
                path: Some(self.path.clone()),
                line: Some(line),
                source,
                say: n.say,
            };
            if !self.notes.contains(&note) {
                self.notes.push(note);
            }
        }
    }

    fn fold(&mut self, step: &PlanStep, drafts: Vec<Draft>, env: &Env<'_>) {
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
            let Written { text, pieces, trees, derived } =
                self.write(step, &folded, first, env.mode);
            let bad = self.broken(&text, &pieces, &trees, first, folded.len());
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
                if (all || bad.contains(&(i as u32))) && f.withheld.is_none() {
                    f.withheld = Some("the file would no longer parse with it".into());
                }
            }
        }
    }

    /// What an edit takes away may be used where no other edit of the step changes that: then it is unsure.
    fn still_used(&mut self, step: &PlanStep, folded: &mut [Folded], mode: Mode) {
        if folded.iter().all(|f| f.draft.tie.uses.is_empty()) {
            return;
        }
        let active = folded.iter().filter(|f| f.withheld.is_none() && f.wanted(mode));
        let splices = active.filter_map(Folded::change).flat_map(|c| &c.splices);
        let gone: Vec<(Span, Vec<Span>)> = splices
            .map(|s| {
                let copied = s.parts.iter().filter_map(|p| match p {
                    Part::Copy(c) => Some(*c),
                    Part::Text(_) => None,
                });
                (s.span, copied.collect())
            })
            .collect();
        let is_gone = |u: &Span| {
            gone.iter().any(|(at, kept)| at.contains(*u) && !kept.iter().any(|k| k.contains(*u)))
        };
        let mut notes = Vec::new();
        for f in folded.iter_mut().filter(|f| f.withheld.is_none()) {
            for (name, uses) in &f.draft.tie.uses {
                let mut left = uses.iter().filter(|u| !is_gone(u));
                let Some(first) = left.next() else { continue };
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
    fn new_anchors(&self) -> Anchors {
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

    /// Gives drafts their lasting ids, seals and parents.
    fn name(&mut self, step: &PlanStep, mut drafts: Vec<Draft>) -> Vec<Folded> {
        drafts.sort_by_key(|d| (d.action, d.hull.start, std::cmp::Reverse(d.hull.end)));
        let mut kept: Vec<Draft> = Vec::new();
        for d in drafts {
            // Equal edits merge: the one that stands first in the recipe speaks for both.
            let equal = |k: &&Draft| {
                k.hull == d.hull
                    && k.change.splices == d.change.splices
                    && k.alternatives.is_empty()
                    && d.alternatives.is_empty()
            };
            if !kept.iter().rev().take(64).any(|k| equal(&k)) {
                kept.push(d);
            }
        }
        let mut anchors = self.anchors.take().unwrap_or_else(|| self.new_anchors());
        let key = &step.info.key;
        let mut inside: HashMap<u32, u64> = HashMap::new();
        let mut names: Vec<(Digest, Digest)> = Vec::new();
        for d in &kept {
            let slice = self.map.slice(d.hull);
            let only = match slice.as_slice() {
                [Piece::Written { by, .. }] => Some(*by),
                _ => None,
            };
            let mut h = Hasher::new();
            h.part(&key.recipe).part(&key.step);
            let mut weak = Hasher::new();
            weak.part(&key.recipe).part(&key.step).digest(d.digest);
            if let Some(by) = only {
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
        let mut count: HashMap<Digest, usize> = HashMap::new();
        names.iter().for_each(|(id, _)| *count.entry(*id).or_default() += 1);
        kept.into_iter()
            .zip(names)
            .map(|(draft, (id, weak))| {
                let id = if count[&id] > 1 {
                    Hasher::new().digest(id).digest(draft.digest).finish()
                } else {
                    id
                };
                let (parents, seal) = self.seal(&draft, &draft.change);
                let options = draft
                    .alternatives
                    .iter()
                    .map(|a| (a.label.clone(), self.seal(&draft, &a.change).1))
                    .collect();
                Folded {
                    draft,
                    id,
                    weak,
                    parents,
                    seal,
                    options,
                    status: Status::Undecided,
                    withheld: None,
                    behind: None,
                }
            })
            .collect()
    }

    /// The edits that wrote what a change touches, and the digest of its text before and after.
    fn seal(&self, draft: &Draft, change: &Change) -> (Vec<u32>, Digest) {
        let mut parents: Vec<u32> = Vec::new();
        let mut h = Hasher::new();
        let mut source = |span: Span, h: &mut Hasher| {
            for piece in self.map.slice(span) {
                match piece {
                    Piece::Base(s) => drop(h.part(s.of(self.base.as_str()))),
                    Piece::Written { by, .. } => {
                        parents.push(by);
                        h.digest(self.edits[by as usize].seal);
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
            for part in &s.parts {
                match part {
                    Part::Text(t) => drop(h.part(t)),
                    Part::Copy(span) => source(*span, &mut h),
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

    /// Writes what is in: the new text, its pieces and tree, and the imports that follow.
    fn write(&self, step: &PlanStep, folded: &[Folded], first: u32, mode: Mode) -> Written {
        let active: Vec<(u32, &Folded, &Change)> = folded
            .iter()
            .enumerate()
            .filter(|(_, f)| f.withheld.is_none() && f.wanted(mode))
            .filter_map(|(i, f)| Some((first + i as u32, f, f.change()?)))
            .collect();
        let (derived, absorbed) = self.imports(step, &active);
        let mut placed: Vec<Placed<'_>> = Vec::new();
        for (by, f, change) in active.iter().filter(|a| !absorbed.contains(&a.0)) {
            placed.extend(change.splices.iter().map(|s| Placed {
                inner: s.inner,
                by: *by,
                span: s.span,
                hull: f.draft.hull,
                parts: &s.parts,
            }));
        }
        for (i, (_, splices)) in derived.iter().enumerate() {
            let by = first + folded.len() as u32 + i as u32;
            placed.extend(splices.iter().map(|s| Placed {
                inner: s.inner,
                by,
                span: s.span,
                hull: s.span,
                parts: &s.parts,
            }));
        }
        if placed.is_empty() {
            let (text, pieces) = (self.text.clone(), self.map.pieces().to_vec());
            return Written { text, pieces, trees: Vec::new(), derived };
        }
        let out = render(&self.text, &self.map, &mut placed);
        let trees = self.code.iter().map(|c| {
            (c.language, c.tree.parse_edited(c.language, &self.text, &out.text, &out.replaced))
        });
        let trees = trees.collect();
        Written { text: out.text, pieces: out.pieces, trees, derived }
    }

    /// Import statements that follow from the active edits of the step, and the edits of statements that
    /// go with their last use, so that nothing is left to change in them.
    fn imports(
        &self,
        step: &PlanStep,
        active: &[(u32, &Folded, &Change)],
    ) -> (Vec<(Edit, Vec<Splice>)>, Vec<u32>) {
        let Some(code) = self.code.first() else { return (Vec::new(), Vec::new()) };
        let mut plan = ImportPlan::default();
        for (_, _, change) in active {
            plan.add.extend(change.imports.iter().cloned());
            plan.drop.extend(change.drop_imports.iter().cloned());
            plan.kept.extend(&change.kept);
            plan.gone.extend(change.gone.iter().copied());
            plan.partners.extend(change.partners.iter().cloned());
            plan.removed.extend(&change.released);
            for s in &change.splices {
                plan.removed.extend(uncopied(s));
            }
        }
        let edits = plan.edits(code.language, &code.facts, &self.text, self.base.line_end());
        let statements: Vec<Span> = edits.iter().filter_map(|e| e.statement).collect();
        let absorbed: Vec<u32> =
            active.iter().filter(|a| statements.contains(&a.1.draft.hull)).map(|a| a.0).collect();
        let others = || active.iter().filter(|a| !absorbed.contains(&a.0));
        let touched =
            |span: Span| others().any(|(_, _, c)| c.splices.iter().any(|s| s.span.meets(span)));
        let key = &step.info.key;
        let derived = edits.into_iter().filter(|e| !touched(e.splice.span)).map(|e| {
            let mut h = Hasher::new();
            h.part("import").part(&key.recipe).part(&key.step).part(self.path.as_str());
            for a in &e.about {
                h.part(a);
            }
            let id = h.finish();
            let what = e.about.join(", ");
            let edit = Edit {
                id,
                step: key.clone(),
                action: "import".into(),
                path: self.path.clone(),
                line: 0,
                certainty: Certainty::Certain,
                evidence: vec![Evidence {
                    says: Certainty::Certain,
                    text: format!("follows from the other edits: {what}"),
                }],
                caution: None,
                before: excerpt(e.splice.span.of(&self.text)),
                after: excerpt(&plain_parts(&e.splice.parts, &self.text)),
                seal: id,
                shape: id,
                parents: Vec::new(),
                options: Vec::new(),
                weak: id,
                behind: None,
                standing: Standing::In,
                derived: true,
                provides: None,
                needs: None,
            };
            (edit, vec![e.splice])
        });
        (derived.collect(), absorbed)
    }

    /// The edits of this step that made the text stop parsing, as indices among its drafts.
    fn broken(
        &self,
        text: &str,
        pieces: &[Piece],
        trees: &[(&'static Language, Tree)],
        first: u32,
        count: usize,
    ) -> Vec<u32> {
        let mut out = Vec::new();
        let faults = self.new_faults(text);
        if faults.is_empty() && trees.iter().all(|t| !t.1.has_error()) {
            return out;
        }
        let map = PieceMap::new(pieces.to_vec());
        let mine = |by: &u32| *by >= first && *by < first + count as u32;
        // An error shows up at the wrong bytes or right behind them.
        let near = |e: &Span| {
            let mut reach = 1usize;
            let mut hit: Vec<u32> = Vec::new();
            while hit.is_empty() && reach <= text.len().max(1) * 2 {
                let around = Span::new(
                    (e.start as usize).saturating_sub(reach),
                    (e.end as usize + reach).min(text.len()),
                );
                hit = map.writers(around).into_iter().filter(mine).collect();
                reach *= 8;
            }
            hit
        };
        for e in &faults {
            // The one that stands last in the recipe made it a fault.
            out.extend(near(e).into_iter().max().map(|by| by - first));
        }
        for (old, (_, new)) in self.code.iter().zip(trees).filter(|t| t.1.1.has_error()) {
            let errors = new.errors();
            if old.tree.has_error() && errors.len() <= old.tree.errors().len() {
                continue;
            }
            let before = out.len();
            for e in &errors {
                out.extend(near(e).into_iter().map(|by| by - first));
            }
            if out.len() == before {
                out.extend(0..count as u32);
            }
        }
        out
    }

    /// What a reader of a settings file or manifest refuses in its new text, and did not before.
    fn new_faults(&self, text: &str) -> Vec<Span> {
        let code = emendo_languages::language_of(&self.path).is_some();
        let Some(format) = emendo_docs::format_of(&self.path).filter(|_| !code) else {
            return Vec::new();
        };
        // Elements may stand many times.
        if text == self.text || matches!(format.style, emendo_docs::Style::Elements) {
            return Vec::new();
        }
        let new = (format.read)(text).faults();
        let known = if new.is_empty() { 0 } else { (format.read)(&self.text).faults().len() };
        if new.len() > known { new } else { Vec::new() }
    }

    fn record(&mut self, step: &PlanStep, folded: Vec<Folded>, derived: Vec<(Edit, Vec<Splice>)>) {
        let ids: Vec<Digest> = folded.iter().map(|f| f.id).collect();
        self.line(Span::at(0));
        for f in folded {
            let line = self.line(f.draft.hull);
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
            let after = match f.change() {
                None => f.draft.hull.of(&self.text).to_owned(),
                // Only its import becomes another.
                Some(c) if c.splices.is_empty() && !c.imports.is_empty() => {
                    c.imports.iter().map(|i| i.path.as_str()).collect::<Vec<_>>().join(", ")
                }
                Some(c) => applied(&self.text, f.draft.hull, c),
            };
            let options =
                f.draft.alternatives.iter().zip(&f.options).map(|(a, (label, seal))| Option_ {
                    label: label.clone(),
                    why: a.why.clone(),
                    after: excerpt(&applied(&self.text, f.draft.hull, &a.change)),
                    seal: *seal,
                });
            let mut shape = Hasher::new();
            shape.part(&step.info.key.recipe).part(&step.info.key.step).digest(f.draft.digest);
            for s in &f.draft.change.splices {
                for p in &s.parts {
                    shape.part(match p {
                        Part::Text(t) => t.as_str(),
                        Part::Copy(_) => "",
                    });
                }
            }
            let edit = Edit {
                id: f.id,
                step: step.info.key.clone(),
                action: step.runners[f.draft.action.0].kind().to_owned(),
                path: self.path.clone(),
                line,
                certainty,
                evidence,
                caution: step.info.caution.clone().or_else(|| {
                    let runner = &step.runners[f.draft.action.0];
                    runner.caution(&self.path, f.draft.action.1).map(str::to_owned)
                }),
                before: excerpt(f.draft.hull.of(&self.text)),
                after: excerpt(&after),
                seal: f.seal,
                shape: shape.finish(),
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

    fn evidence(&mut self, fact: &emendo_lang::Fact) -> Evidence {
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
        let after = changed.then(|| self.base.encode(&self.text)).flatten();
        FileResult {
            path: self.path,
            base: self.digest,
            edits: self.edits,
            notes: self.notes,
            leftovers: self.leftovers,
            hunks,
            after,
        }
    }
}

/// The bytes that a splice takes away without copying them.
fn uncopied(s: &Splice) -> Vec<Span> {
    let mut copies: Vec<Span> = s
        .parts
        .iter()
        .filter_map(|p| match p {
            Part::Copy(c) if s.span.contains(*c) => Some(*c),
            _ => None,
        })
        .collect();
    copies.sort();
    let mut out = Vec::new();
    let mut at = s.span.start;
    for c in copies {
        if c.start > at {
            out.push(Span { start: at, end: c.start });
        }
        at = at.max(c.end);
    }
    if s.span.end > at {
        out.push(Span { start: at, end: s.span.end });
    }
    out
}

/// All text that a draft would write, to see whether the file can hold it.
fn written(d: &Draft) -> String {
    let changes = std::iter::once(&d.change).chain(d.alternatives.iter().map(|a| &a.change));
    let parts = changes.flat_map(|c| &c.splices).flat_map(|s| &s.parts);
    parts
        .filter_map(|p| match p {
            Part::Text(t) => Some(t.as_str()),
            Part::Copy(_) => None,
        })
        .collect()
}

/// A place with one change applied, for showing.
fn applied(text: &str, hull: Span, change: &Change) -> String {
    let around = change.splices.iter().map(|s| s.span).fold(hull, Span::hull);
    let mut out = String::new();
    let mut at = around.start;
    for s in &change.splices {
        out.push_str(Span { start: at, end: s.span.start.max(at) }.of(text));
        out.push_str(&plain_parts(&s.parts, text));
        at = s.span.end.max(at);
    }
    out.push_str(Span { start: at, end: around.end }.of(text));
    out
}

fn plain_parts(parts: &[Part], text: &str) -> String {
    parts
        .iter()
        .map(|p| match p {
            Part::Text(t) => t.as_str(),
            Part::Copy(span) => span.of(text),
        })
        .collect()
}

fn excerpt(text: &str) -> String {
    if text.len() <= EXCERPT {
        return text.to_owned();
    }
    let mut end = EXCERPT;
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    format!("{}…", &text[..end])
}
