//! One file through the steps of a run: find, fold, write, parse again.

use std::cell::OnceCell;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use emendo_actions::World;
use emendo_actions::{Change, Code, Draft, FileCx, Found, Kept, NoteDraft, TraceLog};
use emendo_docs::markup::Layer;
use emendo_lang::{Certainty, Files, Language, Project, Tree};
use emendo_text::{Digest, Hasher, Lines, Part, Piece, PieceMap, RelPath, Span, Splice, Text};

use crate::edits::{Carried, Decisions, DraftKey, Edit, Leftover, Note, OnceWritten};
use crate::look::Answers;
use crate::plan::{Plan, PlanStep, Watch, WordCache};
use crate::run::anchor::Anchors;
use crate::run::protected::Protected;
use crate::run::sink::{CoverageLog, Mode};
use crate::run::why::LineTrace;

/// Longest excerpt that is kept of a place; the diff shows the whole.
const EXCERPT: usize = 4000;
/// Rounds of withholding before all edits of the step in the file are.
pub(crate) const ROUNDS: usize = 12;

/// A file on its way through a run.
pub(crate) struct FileRun {
    pub(crate) world: Arc<World>,
    /// Where it lies before the run.
    pub(crate) path: RelPath,
    /// Where it lies by now.
    pub(crate) at: RelPath,
    /// Where the index knows it.
    pub(crate) indexed: RelPath,
    /// It is there by now, and was before the run.
    pub(crate) there: (bool, bool),
    /// Its bytes, where it is no text.
    pub(crate) bytes: Option<Arc<Vec<u8>>>,
    pub(crate) base: Text,
    pub(crate) digest: Digest,
    pub(crate) text: String,
    pub(crate) map: PieceMap,
    /// The trees of the text as it is.
    pub(crate) trees: Vec<(&'static Language, Tree)>,
    /// Those whose facts were asked for; in a page, its layers.
    pub(crate) code: Vec<Code>,
    /// The layers of code of the text as it is, where the file is a page; worked out when asked for.
    pub(crate) layers: OnceCell<Option<Vec<Arc<Layer>>>>,
    pub(crate) edits: Vec<Edit>,
    /// What each of them wrote, by its seal: of a choice, that of what was picked.
    pub(crate) wrote: Vec<Digest>,
    /// Those of them that another edit of the same place leaves nothing to do.
    pub(crate) covered: HashSet<usize>,
    pub(crate) notes: Vec<Note>,
    /// What edits leave to do, by what they provide: the line, from 1.
    pub(crate) left_by: Vec<(Digest, u32)>,
    pub(crate) leftovers: Vec<Leftover>,
    /// What nothing is written at.
    pub(crate) protected: Protected,
    /// How many notes of one step say the same of equal places.
    note_places: HashMap<Digest, u64>,
    lines: Option<Lines>,
    pub(crate) anchors: Option<Anchors>,
    /// Which drafts accepted edits are, where that is asked.
    pub(crate) keys: HashMap<Digest, DraftKey>,
    /// The file after each step that changed it, where that is asked: where it lies, and its text.
    pub(crate) steps: Vec<(usize, RelPath, Option<String>)>,
    /// The words of the text that the plan asks for, and those that were found on the way.
    pub(crate) words: (WordCache, WordCache),
    /// Statements that are comments by now, as they read: what stands in them is no leftover.
    pub(crate) commented: Vec<String>,
}

/// What a file may ask while it runs.
pub(crate) struct Env<'a> {
    /// Gathers which actions found something, where that is asked.
    pub(crate) touched: Option<&'a CoverageLog>,
    /// A line that someone asks about.
    pub(crate) trace: Option<&'a LineTrace>,
    /// What each step makes of a file is kept, and which drafts accepted edits are.
    pub(crate) by_step: bool,
    /// How drafts stand that decisions were carried over for.
    pub(crate) carried: Option<&'a Carried>,
    pub(crate) plan: &'a Plan,
    pub(crate) decisions: &'a Decisions,
    pub(crate) mode: Mode,
    pub(crate) answers: &'a Answers,
    pub(crate) own: &'a [OnceWritten],
    pub(crate) exists: &'a (dyn Fn(&RelPath) -> bool + Sync),
}

/// Code after a step.
pub(crate) struct NewTree {
    pub(crate) language: &'static Language,
    pub(crate) tree: Tree,
    /// The layer of the page that it is.
    pub(crate) layer: Option<Arc<Layer>>,
}

/// A step's result for a file.
pub(crate) struct StepText {
    pub(crate) text: String,
    pub(crate) pieces: Vec<Piece>,
    /// A tree for each that the text had before, with its text where that is a layer of a page.
    pub(crate) trees: Vec<NewTree>,
    /// What stands for what is to stay one thing, by the number of its edit: before and after.
    pub(crate) wholes: Vec<(u32, Span, Span)>,
    /// What was written, in the new text and in order.
    pub(crate) changed: Vec<Span>,
    /// Import statements that follow, with their changes.
    pub(crate) derived: Vec<(Edit, Vec<Splice>)>,
}

impl FileRun {
    pub(crate) fn new(world: Arc<World>, path: RelPath, base: Text, digest: Digest) -> Self {
        let text = base.as_str().to_owned();
        let map = PieceMap::new(Piece::whole(&text));
        Self {
            world,
            at: path.clone(),
            indexed: path.clone(),
            path,
            there: (true, true),
            bytes: None,
            base,
            digest,
            text,
            map,
            trees: Vec::new(),
            code: Vec::new(),
            layers: OnceCell::new(),
            edits: Vec::new(),
            wrote: Vec::new(),
            covered: HashSet::new(),
            notes: Vec::new(),
            left_by: Vec::new(),
            leftovers: Vec::new(),
            protected: Protected::default(),
            note_places: HashMap::new(),
            lines: None,
            anchors: None,
            keys: HashMap::new(),
            steps: Vec::new(),
            words: Default::default(),
            commented: Vec::new(),
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

    /// True if parsing the file was given up.
    pub(crate) fn gave_up(&self) -> bool {
        self.code.iter().any(|c| c.tree.gave_up()) || self.trees.iter().any(|t| t.1.gave_up())
    }

    /// Lets go of what can be made again.
    pub(crate) fn rest(&mut self) {
        self.code.clear();
        self.trees.clear();
        self.layers = OnceCell::new();
        self.anchors = None;
    }

    /// Runs one step.
    pub(crate) fn step(&mut self, n: usize, env: &Env<'_>) {
        let step = &env.plan.steps[n];
        let step_moves = env.answers.moves.get(&n);
        let moves = step_moves.map(|m| &m.moves);
        let moved = moves.is_some_and(|m| m.of(&self.at).is_some() || m.users.contains(&self.at));
        if !self.there.0 && !moved {
            return;
        }
        let readable = self.there.0 && self.bytes.is_none();
        let covering: Vec<usize> = (0..step.actions.len())
            .filter(|i| readable && env.answers.truths.cover(&step.actions[*i], &self.at))
            .collect();
        let trace = self.trace(env);
        if covering.is_empty() && !moved {
            if let Some(log) = &trace {
                self.untried(step, &[], (log, env));
            }
            return;
        }
        let text = self.text.as_bytes();
        let present = self.words.0.present(&env.plan.narrow, text);
        let wider = &mut self.words.1;
        let followed = env.answers.followed.get(&n).map_or(&[][..], Vec::as_slice);
        let wanted: Vec<usize> = covering
            .into_iter()
            .filter(|i| {
                present.meets(&step.actions[*i].asks.needs)
                    || env.answers.wide.met(n, *i, text, wider)
                    || followed.iter().any(|f| f.leads(*i, &self.at))
            })
            .collect();
        if let Some(log) = &trace {
            self.untried(step, &wanted, (log, env));
        }
        if wanted.is_empty() && !moved {
            return;
        }
        let mut found = Found::default();
        let here = |o: &&OnceWritten| o.step == step.info.key && o.path == self.at;
        let (reworded, own): (Vec<&OnceWritten>, _) =
            env.own.iter().filter(here).partition(|o| o.own.is_some());
        let own: Vec<&str> = own.into_iter().map(|o: &OnceWritten| o.text.as_str()).collect();
        for i in wanted {
            let runner = &step.actions[i].runner;
            let notes = found.notes.len();
            for code in self.code(step.actions[i].asks.language, env.answers.index.files()) {
                let log = trace.as_ref().map(|t| TraceLog::new(t.at));
                let cx = FileCx {
                    packages: &step.packages,
                    followed,
                    own: &own,
                    moves,
                    trace: log.as_ref(),
                    ..self.cx(code, env)
                };
                let before = (found.drafts.len(), found.notes.len());
                runner.find(&cx, i, &mut found);
                self.fit_into_page(code, &mut found, before);
                if let Some(log) = log {
                    self.keep_trace(step, log, step.actions[i].asks.kind, env);
                }
            }
            if let Some(Ok(mut touched)) = env.touched.map(CoverageLog::lock) {
                touched.extend((found.notes.len() > notes).then_some((n, i, None)));
                let own = found.drafts.iter().filter(|d| d.action.0 == i);
                touched.extend(own.map(|d| (n, i, Some(d.action.1))));
            }
        }
        if let Some(moves) = step_moves.filter(|_| moved) {
            self.moves(moves, (n, step), env, &mut found);
        }
        leave_own_words(&self.text, &reworded, &mut found);
        self.leave_written(step, &mut found);
        self.only_sure(step, &mut found);
        let kept = self.kept(env);
        // What reads otherwise by now is a comment.
        let reads =
            |at: Span| at.of(&self.text).lines().map(str::trim).collect::<Vec<_>>().join("\n");
        let is_comment = |n: &&NoteDraft| n.reads.as_ref().is_some_and(|r| *r != reads(n.at));
        let before = found.notes.iter().filter(is_comment);
        self.commented.extend(before.map(|n| n.at.of(&self.text).to_owned()));
        self.notes(step, found.notes);
        if !found.drafts.is_empty() {
            withhold_kept(&mut found.drafts, &kept);
            self.fold(step, found.drafts, env);
            if env.by_step {
                self.keep_step(n);
            }
        }
    }

    /// Keeps what the file is after a step, if that changed it.
    fn keep_step(&mut self, n: usize) {
        let before = match self.steps.last() {
            Some((_, at, text)) => text.as_ref().map(|t| (at, t.as_str())),
            None => self.there.1.then_some((&self.path, self.base.as_str())),
        };
        if before != self.there.0.then_some((&self.at, self.text.as_str())) {
            let text = self.there.0.then(|| self.text.clone());
            self.steps.push((n, self.at.clone(), text));
        }
    }

    /// Takes out the drafts that are not as sure as their action asks: they become notes, or leftovers.
    fn only_sure(&mut self, step: &PlanStep, found: &mut Found) {
        let wanted = |d: &Draft| {
            let least = step.actions[d.action.0].at_least.as_ref()?;
            let at = if least.certain { Certainty::Certain } else { Certainty::Likely };
            (d.certainty < at).then(|| least.clone())
        };
        let unsure = found.drafts.extract_if(.., |d| wanted(d).is_some());
        for draft in unsure.collect::<Vec<_>>() {
            let Some(least) = wanted(&draft) else { continue };
            let say = least.say.unwrap_or_else(|| step.info.title.clone());
            if !least.leave {
                found.notes.push(NoteDraft::new(draft.hull, say));
                continue;
            }
            let why = draft.evidence.iter().min_by_key(|f| f.says);
            let leftover = Leftover {
                protected: false,
                id: Digest::of(b""),
                also: Vec::new(),
                symbol: emendo_lang::tree::in_line(draft.hull.of(&self.text)),
                line: self.line(draft.hull),
                source: self.source(draft.hull),
                certainty: draft.certainty,
                why: why.map_or_else(String::new, |f| self.evidence(f).text),
                step: step.info.key.clone(),
                advice: Some(say),
            };
            self.leftovers.push(leftover);
        }
    }

    /// Takes out what would write over what another action wrote, where its own action gives way.
    fn leave_written(&self, step: &PlanStep, found: &mut Found) {
        let yields = |d: &Draft| step.actions[d.action.0].asks.yields;
        let by_others = |d: &Draft| {
            let by = self.map.writers(d.hull).into_iter();
            let other = |by: u32| {
                let kind = &self.edits.get(by as usize)?.action;
                let created = self.edits[by as usize].file.is_some();
                (!created && *kind != step.actions[d.action.0].asks.kind).then_some(())
            };
            by.filter_map(other).next().is_some()
        };
        found.drafts.retain(|d| !yields(d) || !by_others(d));
    }

    /// What notes keep as it is, those of other steps too.
    fn kept(&mut self, env: &Env<'_>) -> Vec<Kept> {
        let mut kept = Vec::new();
        for step in env.plan.steps.iter().chain(&env.plan.keepers) {
            for (i, action) in step.actions.iter().enumerate().filter(|a| a.1.asks.keeps) {
                if !env.answers.truths.cover(action, &self.at) {
                    continue;
                }
                let mut found = Found::default();
                for code in self.code(action.asks.language, env.answers.index.files()) {
                    let cx = FileCx { packages: &step.packages, ..self.cx(code, env) };
                    action.runner.find(&cx, i, &mut found);
                }
                kept.extend(found.kept);
            }
        }
        kept
    }

    /// Looks for what still uses the old API, in the text as the steps leave it.
    pub(crate) fn look_back(&mut self, env: &Env<'_>) {
        // A recipe speaks of the old API because it must.
        if !self.there.0
            || self.bytes.is_some()
            || emendo_recipe::is_recipe(self.path.name(), &self.text)
        {
            return;
        }
        let covering = env.plan.watches.iter().filter(|w| w.runner.covers(&self.at));
        let watches: Vec<&Watch> = covering.collect();
        if watches.is_empty() {
            return;
        }
        let present = self.words.0.present(&env.plan.narrow, self.text.as_bytes());
        let reached = env.answers.wide.any();
        let watches = watches.into_iter().filter(|w| present.meets(&w.asks.needs) || reached);
        let mut said: Vec<Span> = Vec::new();
        let text = &self.text;
        let all = self.commented.iter().filter(|c| !c.is_empty());
        let commented: Vec<Span> = all
            .flat_map(|c| text.match_indices(c).map(|(at, t)| Span::new(at, at + t.len())))
            .collect();
        for watch in watches.collect::<Vec<_>>() {
            let mut found = Vec::new();
            for code in self.code(watch.asks.language, env.answers.index.files()) {
                let moves = env.answers.moves.values().next_back().map(|m| &m.moves);
                let packages = &env.plan.packages;
                let cx = FileCx { packages, moves, ..self.cx(code, env) };
                watch.runner.remains(&cx, &mut found);
            }
            found.retain(|r| r.certainty >= watch.least);
            // Of places within one another, the outermost is said, and the surest of its reasons.
            found.sort_by_key(|r| (r.at.start, std::cmp::Reverse((r.at.end, r.certainty))));
            let mut end = 0;
            found.retain(|r| {
                let outer = r.at.end > end;
                end = end.max(r.at.end);
                outer
            });
            found.retain(|r| !commented.iter().any(|c| c.contains(r.at)));
            // What one watch says of a place, another need not say once more.
            found.retain(|r| !said.iter().any(|s| s.meets(r.at)));
            said.extend(found.iter().map(|r| r.at));
            for r in found {
                let Some((step, advice)) = watch.about.get(&r.symbol) else { continue };
                let why = r.fact.as_ref().map_or_else(|| r.why.clone(), |f| self.evidence(f).text);
                let leftover = Leftover {
                    protected: false,
                    id: Digest::of(b""),
                    also: Vec::new(),
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
    }

    /// The line of a place.
    fn source(&self, at: Span) -> String {
        let start = self.text[..at.start as usize].rfind(['\n', '\r']).map_or(0, |i| i + 1);
        self.text[start..].lines().next().unwrap_or("").trim().chars().take(200).collect()
    }

    /// What an action sees of the text as it is by now.
    pub(crate) fn cx<'c>(&'c self, code: Option<usize>, env: &Env<'c>) -> FileCx<'c> {
        FileCx {
            code: code.map(|c| &self.code[c]),
            manifests: &env.answers.manifests,
            answers: &env.answers.queries,
            ..FileCx::new(
                &env.plan.world,
                &self.at,
                (code.map_or(&self.text, |c| self.code[c].text(&self.text)), self.base.line_end()),
                &env.answers.index,
            )
        }
    }

    /// What is read of the text for an action: nothing but the text, or code of its language: the text as a whole, or the layers of a page.
    /// What is not parsed yet is parsed.
    pub(crate) fn code(
        &mut self,
        language: Option<&'static Language>,
        files: &dyn Files,
    ) -> Vec<Option<usize>> {
        let Some(language) = language else { return vec![None] };
        if self.page_layers().is_some() {
            return self.layers_in(language, files).into_iter().map(Some).collect();
        }
        if let Some(i) = self.code.iter().position(|c| std::ptr::eq(c.language, language)) {
            return vec![Some(i)];
        }
        let known = self.trees.iter().position(|t| std::ptr::eq(t.0, language));
        let tree = known.map_or_else(
            || Tree::parse_file(language, &self.at, &self.text),
            |i| self.trees.swap_remove(i).1,
        );
        self.code.push(Code::whole(language, tree, &self.text, (&self.at, files)));
        vec![Some(self.code.len() - 1)]
    }

    pub(crate) fn line(&mut self, at: Span) -> u32 {
        let origin = self.map.origin(at);
        let base = self.base.as_str();
        self.lines.get_or_insert_with(|| Lines::new(base)).line(origin.start)
    }

    /// The lines of the original that a place stands for.
    pub(crate) fn lines(&mut self, at: Span) -> std::ops::RangeInclusive<u32> {
        let origin = self.map.origin(at);
        let base = self.base.as_str();
        let lines = self.lines.get_or_insert_with(|| Lines::new(base));
        let end = origin.end.max(origin.start + 1) - 1;
        lines.line(origin.start)..=lines.line(end)
    }

    pub(crate) fn notes(&mut self, step: &PlanStep, drafts: Vec<NoteDraft>) {
        for n in drafts {
            let line = self.line(n.at);
            self.left_by.extend(n.left_by.iter().map(|tie| (*tie, line)));
            let source = self.source(n.at);
            let place = n.reads.as_deref().unwrap_or(n.at.of(&self.text)).trim();
            let place = if place.is_empty() { source.as_str() } else { place };
            let mut h = Hasher::new();
            h.part("note").part(&step.info.key.recipe).part(&step.info.key.step);
            h.part(self.path.as_str()).part(&n.say).part(place);
            let place = h.finish();
            let equal = self.note_places.entry(place).or_insert(0);
            let mut id = Hasher::new();
            id.digest(place).number(*equal);
            let note = Note {
                id: id.finish(),
                step: step.info.key.clone(),
                path: Some(self.path.clone()),
                line: Some(line),
                source,
                say: n.say,
                protected: self.protected.reason(&[line]).is_some(),
            };
            let same = |o: &Note| {
                (&o.step, o.line, &o.say, &o.source)
                    == (&note.step, note.line, &note.say, &note.source)
            };
            if !self.notes.iter().any(same) {
                *equal += 1;
                self.notes.push(note);
            }
        }
    }
}

/// Holds back what would write over what a note keeps.
fn withhold_kept(drafts: &mut [Draft], kept: &[Kept]) {
    for d in drafts.iter_mut().filter(|_| !kept.is_empty()) {
        let changes = std::iter::once(&d.change).chain(d.alternatives.iter().map(|a| &a.change));
        let gone: Vec<Span> = changes.flat_map(Change::uncopied).collect();
        let over = |k: &&Kept| k.tokens.iter().any(|t| gone.iter().any(|g| g.meets(*t)));
        if let Some(k) = kept.iter().find(over) {
            d.withheld = Some(format!("a note keeps this code: {}", k.say));
        }
    }
}

/// Takes out what would change places that the user has put in words of their own, until these read otherwise.
fn leave_own_words(text: &str, reworded: &[&OnceWritten], found: &mut Found) {
    let place = |o: &&OnceWritten| {
        let own = text.match_indices(o.text.as_str()).filter(|(_, t)| !t.is_empty());
        own.map(|(at, t)| Span::new(at, at + t.len())).nth(o.own?)
    };
    let places: Vec<Span> = reworded.iter().filter_map(place).collect();
    if !places.is_empty() {
        found.drafts.retain(|d| !places.iter().any(|p| p.contains(d.hull)));
    }
}

/// All text that a draft would write, to see whether the file can hold it.
pub(crate) fn written(d: &Draft) -> String {
    let changes = std::iter::once(&d.change).chain(d.alternatives.iter().map(|a| &a.change));
    let parts = changes.flat_map(|c| &c.splices).flat_map(|s| Part::leaves(&s.parts));
    parts
        .filter_map(|p| match p {
            Part::Text(t) => Some(t.as_str()),
            _ => None,
        })
        .collect()
}

/// A place with one change applied, for showing.
pub(crate) fn applied(text: &str, hull: Span, change: &Change) -> String {
    let around = change.splices.iter().map(|s| s.span).fold(hull, Span::hull);
    Splice::written(text, around, &change.splices)
}

pub(crate) fn excerpt(text: &str) -> String {
    if text.len() <= EXCERPT {
        return text.to_owned();
    }
    let mut end = EXCERPT;
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    format!("{}…", &text[..end])
}
