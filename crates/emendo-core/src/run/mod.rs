//! Runs a plan over a project: narrow, answer, and file by file through the stages.

mod anchor;
mod file;
mod fold;
mod folded;
mod moved;
mod naming;
mod pages;
mod protected;
mod record;
mod sink;
mod why;
mod write;

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::{Arc, Mutex};

use emendo_actions::FileOp;
use emendo_lang::{FileFacts, Index, Project as _, Tree};
use emendo_text::{Digest, Hasher, RelPath, Text};
use rayon::prelude::*;

pub(crate) use sink::CoverageLog;
pub use sink::{Counts, FileAfter, FileFate, FileResult, Mode, Sink};
pub(crate) use why::LineTrace;
pub use why::{WhyStage, WhyStop};

use crate::edits::{Carried, Decisions, Note, OnceWritten};
use crate::look::{
    Answers, Candidate, ExtraNames, KnownScan, Look, Memory, OutsideFacts, PathsNow, RecalledScan,
    Scan, ScanData, StampDiff, Stamps, Truths, ask, follow, moves_after_all,
};
use crate::plan::{Conditions, MissingRequirement, Plan, PlanStep, SkippedStep};
use crate::project::{PassedOver, Project, ProjectFiles, SkipCounts, SkipReason, walk};
use crate::run::file::{Env, FileRun};
use crate::run::protected::Protected;

/// A run over a project.
pub struct Engine<'a> {
    /// The project, as [`Project::reading`] gives it, so that no file is read twice.
    pub project: &'a Project,
    /// The plan.
    pub plan: &'a Plan,
    /// The decisions.
    pub decisions: &'a Decisions,
    /// View or write.
    pub mode: Mode,
    /// What steps wrote before that do their work once.
    pub own: &'a [OnceWritten],
    /// Kinds of files that are not passed over.
    pub with: &'a [SkipReason],
    /// Only these files are run; all are asked.
    pub only: Option<&'a HashSet<RelPath>>,
    /// What actions wait for counts as given: for examples, which show one file.
    pub(crate) unconditional: bool,
    /// Where looks are remembered.
    pub memory: Option<&'a Memory>,
    /// Gathers which actions found something, where that is asked.
    pub(crate) touched: Option<&'a CoverageLog>,
    /// A line that someone asks about.
    pub(crate) trace: Option<&'a LineTrace>,
    /// What each step makes of a file is kept, and which drafts accepted edits are.
    pub(crate) by_step: bool,
    /// How drafts stand that decisions were carried over for.
    pub(crate) carried: Option<&'a Carried>,
}

/// Files that are read for a chunk of results at a time.
const CHUNK: usize = 256;

/// A run that knows which files there are.
pub(crate) struct PreparedRun<'a> {
    engine: &'a Engine<'a>,
    files: Arc<ProjectFiles>,
    truths: Arc<Truths>,
    walked: (SkipCounts, PassedOver),
    stamps: Option<Stamps>,
    compared: Option<StampDiff>,
}

impl<'a> PreparedRun<'a> {
    /// The look that is remembered, if no file has changed since.
    pub(crate) fn as_it_was(&self) -> Option<Digest> {
        self.compared.as_ref().and_then(StampDiff::as_it_was)
    }

    /// Looks at the project, or at what has changed since the look that is remembered.
    pub(crate) fn look(self) -> StartedRun<'a> {
        let Self { engine, files, truths, walked, stamps, compared } = self;
        let look = engine.look(&truths);
        let recalled = engine.memory.zip(compared).and_then(|(m, c)| m.recall(&look, &files, c));
        let (seen, index, known) = match recalled {
            Some(RecalledScan { seen, index, known }) => (seen, index, Some(known)),
            None => {
                let mut index = Index::new(files.clone());
                let seen = look.run(files.paths(), &mut index);
                (seen, index, None)
            }
        };
        let mut index = index;
        for (language, symbol, told) in &engine.plan.types {
            index.teach(language, symbol, told.clone());
        }
        let actions = engine.plan.steps.iter().flat_map(|s| &s.actions);
        index.lenders(actions.flat_map(|a| a.asks.lenders.iter().cloned()));
        let all = 0..engine.plan.steps.len();
        let followed = follow(engine.plan, all, &files, &index, &truths);
        let mut seen = seen;
        for path in followed.values().flatten().flat_map(|f| &f.users) {
            if let Err(i) = seen.candidates.binary_search_by(|c| c.path.cmp(path)) {
                let size = engine.project.size(path).unwrap_or(0);
                seen.candidates.insert(i, Candidate { path: path.clone(), size });
            }
        }
        let now = PathsNow {
            project: engine.project,
            texts: &files,
            index: &index,
            truths: &truths,
            own: engine.own,
            decisions: engine.decisions,
            answers: &[],
            protected: &|path, text, at| engine.protected(path, text, at),
        };
        let moving = moves_after_all(engine.plan, &now);
        let answers = Answers { index, followed, truths, moving, ..Answers::default() };
        StartedRun { engine, files, walked, seen, answers, stamps, known }
    }
}

/// A run that has looked, and has not begun.
pub(crate) struct StartedRun<'a> {
    engine: &'a Engine<'a>,
    files: Arc<ProjectFiles>,
    walked: (SkipCounts, PassedOver),
    seen: Scan,
    answers: Answers,
    stamps: Option<Stamps>,
    /// The look that was remembered, if it holds.
    pub(crate) known: Option<KnownScan>,
}

/// What a run gave besides its files.
pub(crate) struct RunOutcome {
    pub(crate) counts: Counts,
    pub(crate) notes: Vec<Note>,
    /// Recipes that were left out, with what they require.
    pub(crate) left_out: Vec<MissingRequirement>,
    /// Steps that a condition keeps from running.
    pub(crate) skipped_steps: Vec<SkippedStep>,
    /// The look that it rests on, where that is remembered.
    pub(crate) look: Option<Digest>,
}

impl StartedRun<'_> {
    /// True if a step may rest on what a step before it made of another file.
    pub(crate) fn staged(&self) -> bool {
        let plan = self.engine.plan;
        let paths =
            |s: &PlanStep| s.actions.iter().any(|a| a.asks.paths.is_some() && !a.asks.paths_rarely);
        self.engine.stages_of(&self.seen.wide, &self.answers).len() > 1
            || self.answers.moving
            || plan.steps.iter().any(paths)
            || plan.reads_manifests()
            || plan.conditions.iter().any(|c| c.1.is_late())
    }

    /// Runs the steps over these of the files, or over all.
    ///
    /// # Errors
    /// What the sink gives.
    pub(crate) fn run(
        self,
        only: Option<&HashSet<RelPath>>,
        sink: &mut dyn Sink,
    ) -> std::io::Result<RunOutcome> {
        let Self { engine, files, walked, mut seen, mut answers, stamps, known } = self;
        let mut counts = Counts {
            files: files.paths().len() as u64,
            skipped: walked.0,
            passed: walked.1,
            candidates: seen.candidates.len() as u64,
            with_errors: 0,
        };
        for (why, n) in &seen.skipped {
            *counts.skipped.entry(*why).or_default() += n;
        }
        for (why, files) in &seen.passed {
            counts.passed.entry(*why).or_default().extend(files.iter().cloned());
        }
        answers.manifests = seen.manifests.clone();
        answers.wide = std::mem::take(&mut seen.wide);
        let wanted = |c: &Candidate| {
            only.is_none_or(|o| o.contains(&c.path))
                && engine.only.is_none_or(|o| o.contains(&c.path))
        };
        let (mut now, later): (Vec<Candidate>, Vec<Candidate>) =
            std::mem::take(&mut seen.candidates).into_iter().partition(wanted);
        // A file that someone asks about is looked into, whatever it holds.
        let asked = engine.trace.map(|t| &t.path);
        if let Some(path) = asked.filter(|p| !now.iter().any(|c| c.path == **p)) {
            let size = engine.project.size(path).unwrap_or(0);
            now.push(Candidate { path: path.clone(), size });
        }
        let staged = engine.stages_of(&answers.wide, &answers).len() > 1;
        let keeps = engine.memory.filter(|m| m.keeps);
        // Steps change what files say to others.
        let before = (staged && keeps.is_some()).then(|| OutsideFacts::of(&answers.index));
        let Trouble { mut errors, slow, looked } =
            engine.stages(&now, &mut answers, &files, sink)?;
        counts.candidates = counts.candidates.max(looked);
        if !slow.is_empty() {
            *counts.skipped.entry(SkipReason::Slow).or_default() += slow.len() as u64;
            let names = slow.iter().map(ToString::to_string);
            counts.passed.entry(SkipReason::Slow).or_default().extend(names);
        }
        seen.wide = answers.wide;
        if let Some(known) = &known {
            let elsewhere = |p: &&RelPath| now.binary_search_by(|c| c.path.cmp(p)).is_err();
            errors.extend(known.errors.iter().filter(elsewhere).cloned());
        }
        counts.with_errors = errors.len() as u64;
        seen.candidates = now.into_iter().chain(later).collect();
        let look = match (keeps, stamps) {
            // Which files took too long is not remembered: then nothing is.
            _ if !slow.is_empty() => None,
            (Some(memory), Some(stamps)) => {
                let told = match before {
                    Some(before) => before.and(&answers.index),
                    None => OutsideFacts::of(&answers.index),
                };
                let kit =
                    ScanData { seen: &seen, whole: files.asked_whole(), errors: &errors, told };
                memory.keep(&engine.look(&answers.truths), stamps, kit, known.as_ref())
            }
            _ => known.map(|k| k.generation),
        };
        let truths = &answers.truths;
        let (notes, left_out) = (engine.step_notes(truths), engine.left_out(truths));
        let skipped_steps = engine.skipped_steps(truths);
        Ok(RunOutcome { counts, notes, left_out, skipped_steps, look })
    }
}

impl<'a> Engine<'a> {
    /// A run over all files of a project, with nothing remembered.
    pub fn new(project: &'a Project, plan: &'a Plan, decisions: &'a Decisions, mode: Mode) -> Self {
        Self {
            project,
            plan,
            decisions,
            mode,
            own: &[],
            with: &[],
            only: None,
            memory: None,
            unconditional: false,
            touched: None,
            trace: None,
            by_step: false,
            carried: None,
        }
    }
}

impl Engine<'_> {
    /// Runs all steps over all files. Results come in order of path.
    ///
    /// # Errors
    /// What the sink gives.
    pub fn run(&self, sink: &mut dyn Sink) -> std::io::Result<(Counts, Vec<Note>)> {
        self.start().look().run(self.only, sink).map(|ran| (ran.counts, ran.notes))
    }

    fn look<'l>(&'l self, truths: &'l Truths) -> Look<'l> {
        Look { project: self.project, plan: self.plan, with: self.with, truths }
    }

    /// Walks the project, and compares it with what is remembered.
    pub(crate) fn start(&self) -> PreparedRun<'_> {
        let mut walked = walk(self.project, self.with);
        // A recipe speaks of the old API because it must.
        let own: Vec<RelPath> =
            self.plan.sources.iter().filter_map(|p| self.project.inside(p)).collect();
        let folders = self.project.recipe_folders().iter();
        let kept: Vec<RelPath> =
            folders.filter_map(|f| self.project.inside(&f.display().to_string())).collect();
        let below = |p: &RelPath, folder: &RelPath| {
            p.as_str().strip_prefix(folder.as_str()).is_some_and(|r| r.starts_with('/'))
        };
        walked.files.retain(|p| !own.contains(p) && !kept.iter().any(|f| below(p, f)));
        let files =
            Arc::new(ProjectFiles::new(self.plan.world.clone(), self.project, walked.files));
        let truths = Arc::new(match self.unconditional {
            true => Truths::default(),
            false => Truths::decide(self.plan, &files),
        });
        let memory = self.memory.filter(|_| self.project.unsaved().is_empty());
        let now = memory.and_then(Memory::now);
        let stamps = now.map(|now| Stamps::take(self.project, files.paths(), now));
        let compared = (self.memory.zip(stamps.as_ref()))
            .and_then(|(memory, stamps)| memory.compare(&self.look(&truths), stamps));
        PreparedRun {
            engine: self,
            files,
            truths,
            walked: (walked.skipped, walked.passed),
            stamps,
            compared,
        }
    }

    fn step_notes(&self, truths: &Truths) -> Vec<Note> {
        let notes = self.plan.steps.iter().flat_map(|s| {
            let say = s.actions.iter().filter_map(|a| truths.step_note(a));
            say.map(|say| Note {
                id: {
                    let mut h = Hasher::new();
                    h.part("note").part(&s.info.key.recipe).part(&s.info.key.step).part(&say);
                    h.finish()
                },
                step: s.info.key.clone(),
                path: None,
                line: None,
                source: String::new(),
                say,
                protected: false,
            })
        });
        notes.collect()
    }

    /// Steps of which no action may run anywhere, with the condition that keeps them from it.
    fn skipped_steps(&self, truths: &Truths) -> Vec<SkippedStep> {
        let one = |s: &PlanStep| {
            let mut all = s.actions.iter().map(|a| truths.fails(a));
            let because = all.next()??;
            all.all(|f| f.is_some()).then(|| SkippedStep { step: s.info.key.clone(), because })
        };
        self.plan.steps.iter().filter_map(one).collect()
    }

    /// What recipes require that were left out for it.
    fn left_out(&self, truths: &Truths) -> Vec<MissingRequirement> {
        let mut out: Vec<MissingRequirement> = Vec::new();
        for action in self.plan.steps.iter().flat_map(|s| &s.actions) {
            let more = truths.missing(action).into_iter();
            out.extend(more.filter(|m| !out.contains(m)).collect::<Vec<_>>());
        }
        out
    }

    /// The files, stage by stage. Gives those that could not be parsed whole.
    fn stages(
        &self,
        files: &[Candidate],
        answers: &mut Answers,
        texts: &Arc<ProjectFiles>,
        sink: &mut dyn Sink,
    ) -> std::io::Result<Trouble> {
        let exists = |p: &RelPath| self.project.exists(p);
        let trouble = Mutex::new(Trouble::default());
        let all = files.len() as u64;
        let stages = self.stages_of(&answers.wide, answers).to_vec();
        let mut kept: HashMap<RelPath, FileRun> = HashMap::new();
        let mut files = files.to_vec();
        for (n, stage) in stages.iter().enumerate() {
            let last = n + 1 == stages.len();
            self.ask_now(stage, answers, &kept, texts);
            self.with_moves(stage, answers, (&kept, texts), &mut files);
            let moving = stage.clone().any(|n| answers.moves.contains_key(&n));
            let (mut done, mut held) = (0, Vec::new());
            for chunk in chunks(&files) {
                let env = Env {
                    touched: self.touched,
                    trace: self.trace,
                    by_step: self.by_step,
                    carried: self.carried,
                    plan: self.plan,
                    decisions: self.decisions,
                    mode: self.mode,
                    answers,
                    own: self.own,
                    exists: &exists,
                };
                let starts: Vec<(RelPath, Option<FileRun>)> =
                    chunk.iter().map(|c| (c.path.clone(), kept.remove(&c.path))).collect();
                let runs: Vec<FileRun> = starts
                    .into_par_iter()
                    .filter_map(|(path, run)| {
                        let fresh = run.is_none();
                        let mut run = run.or_else(|| self.open(path, answers))?;
                        for n in stage.clone() {
                            run.step(n, &env);
                        }
                        if last && self.mode == Mode::View {
                            run.look_back(&env);
                        }
                        if fresh && let Ok(mut trouble) = trouble.lock() {
                            trouble.note(&run);
                        }
                        run.rest();
                        run.matters().then_some(run)
                    })
                    .collect();
                for run in runs {
                    match (last, moving) {
                        (true, false) => sink.file(run.finish())?,
                        // What other files say may make a move less sure.
                        (true, true) => held.push(run),
                        (false, _) => drop(kept.insert(run.path.clone(), run)),
                    }
                }
                done += chunk.len() as u64;
                sink.progress(done, all);
            }
            if moving {
                FileRun::doubt(held.iter_mut().chain(kept.values_mut()));
            }
            held.into_iter().try_for_each(|run| sink.file(run.finish()))?;
            if !last {
                self.update(answers, &mut kept, texts);
            }
        }
        let trouble = trouble.into_inner().unwrap_or_default();
        Ok(Trouble { looked: files.len() as u64, ..trouble })
    }

    /// Asks what the steps of a stage wait for, as the files are by now.
    fn ask_now(
        &self,
        stage: &std::ops::Range<usize>,
        answers: &mut Answers,
        kept: &HashMap<RelPath, FileRun>,
        texts: &Arc<ProjectFiles>,
    ) {
        let late = |c: &&(usize, Arc<Conditions>)| stage.contains(&c.0) && c.1.is_late();
        let mut late = self.plan.conditions.iter().filter(late).peekable();
        if late.peek().is_some() {
            answers.truths.decide_late(late.map(|(_, c)| c), &overlaid(kept, texts));
        }
        let queries = self.plan.queries(stage.clone());
        if !queries.is_empty() {
            let texts = overlaid(kept, texts);
            answers.queries.extend(ask(queries, &texts, (&self.plan.world, &answers.index)));
        }
        let follows = |n: &usize| self.plan.steps[*n].actions.iter().any(|a| a.asks.follows);
        if stage.start > 0 && stage.clone().any(|n| follows(&n)) {
            let texts = overlaid(kept, texts);
            let now = follow(self.plan, stage.clone(), &texts, &answers.index, &answers.truths);
            answers.followed.retain(|n, _| !stage.contains(n));
            answers.followed.extend(now);
        }
    }

    /// The stages: what files pass on to one another may change with every step.
    fn stages_of(&self, wide: &ExtraNames, answers: &Answers) -> &[std::ops::Range<usize>] {
        if wide.changes() || answers.moving { &self.plan.single } else { &self.plan.stages }
    }

    fn open(&self, path: RelPath, answers: &Answers) -> Option<FileRun> {
        let path = self.project.as_said(path);
        let moves = || answers.moves.values().filter_map(|m| m.moves.of(&path)).next();
        let bytes = match self.project.bytes(&path) {
            Ok(bytes) => bytes,
            Err(_) if moves().is_some_and(|m| m.op == FileOp::Create) => {
                let base = (Text::new(""), Digest::of(b""));
                let mut run = FileRun::new(self.plan.world.clone(), path, base.0, base.1);
                run.there = (false, false);
                return Some(run);
            }
            Err(_) => return None,
        };
        let text = match Text::decode(&bytes) {
            Ok(text) => text,
            // What is no text can be moved and deleted.
            Err(_) if moves().is_some() => {
                let digest = Digest::of(&bytes);
                let world = self.plan.world.clone();
                let whole = self.project.protects(&path);
                let protected = Protected::of(&path, "", None, whole);
                let mut run = FileRun::new(world, path, Text::new(""), digest);
                (run.bytes, run.protected) = (Some(bytes), protected);
                return Some(run);
            }
            Err(_) => return None,
        };
        let whole = self.project.protects(&path);
        let language = self.plan.world.language_of(&path);
        let protected = Protected::of(&path, text.as_str(), language, whole);
        let mut run = FileRun::new(self.plan.world.clone(), path, text, Digest::of(&bytes));
        run.protected = protected;
        Some(run)
    }

    /// Reads again what the files of a stage say to others.
    fn update(
        &self,
        answers: &mut Answers,
        kept: &mut HashMap<RelPath, FileRun>,
        texts: &Arc<ProjectFiles>,
    ) {
        let texts = overlaid(kept, texts);
        answers.index.replace_files(Arc::new(texts));
        let moved = |r: &&FileRun| r.indexed != r.at || !r.there.0;
        for run in kept.values().filter(moved) {
            answers.index.forget(&run.indexed);
            answers.manifests.remove(&run.indexed);
        }
        for run in kept.values().filter(|r| r.there.0 && r.bytes.is_none()) {
            let path = &run.at;
            if let Some(e) =
                self.plan.world.ecosystem_of(path).filter(|_| self.plan.reads_manifests())
            {
                match (e.read)(path, &run.text) {
                    Ok(m) => drop(answers.manifests.insert(path.clone(), Arc::new(m))),
                    Err(_) => drop(answers.manifests.remove(path)),
                }
            }
            if let Some(language) = self.plan.world.language_of(path) {
                let tree = Tree::parse_file(language, path, &run.text);
                let files = answers.index.files();
                let facts = FileFacts::outline(language, &tree, &run.text, path, files);
                answers.index.forget(path);
                answers.index.add(language, path, &run.text, &tree, &facts);
            }
        }
        kept.values_mut().for_each(|r| r.indexed.clone_from(&r.at));
    }
}

/// Files that could not be handled whole.
#[derive(Default)]
struct Trouble {
    /// Those with syntax errors.
    errors: BTreeSet<RelPath>,
    /// Those that take too long to parse.
    slow: BTreeSet<RelPath>,
    /// How many files were looked into.
    looked: u64,
}

impl Trouble {
    fn note(&mut self, run: &FileRun) {
        if run.gave_up() {
            self.slow.insert(run.path.clone());
        } else if run.has_errors() {
            self.errors.insert(run.path.clone());
        }
    }
}

/// The files as the steps have left them.
fn overlaid(kept: &HashMap<RelPath, FileRun>, texts: &ProjectFiles) -> ProjectFiles {
    let elsewhere = |run: &FileRun| run.at != run.path || run.there != (true, true);
    let moved: Vec<&FileRun> = kept.values().filter(|r| elsewhere(r)).collect();
    let away = moved.iter().filter(|r| r.there.1).map(|r| r.path.clone()).collect();
    let new = moved.iter().filter(|r| r.there.0).map(|r| r.at.clone()).collect();
    let changed = kept.values().filter(|r| r.there.0 && r.bytes.is_none());
    let changed = changed.filter(|r| elsewhere(r) || r.text != r.base.as_str());
    texts.with(changed.map(|r| (r.at.clone(), r.text.clone())).collect(), (&away, new))
}

/// Chunks of files; one that is over a megabyte goes alone, since its tree is many times larger.
fn chunks(files: &[Candidate]) -> impl Iterator<Item = &[Candidate]> {
    let mut rest = files;
    std::iter::from_fn(move || {
        if rest.is_empty() {
            return None;
        }
        let large = |c: &Candidate| c.size > 1 << 20;
        let n = if large(&rest[0]) {
            1
        } else {
            rest.iter().take(CHUNK).take_while(|c| !large(c)).count()
        };
        let (head, tail) = rest.split_at(n);
        rest = tail;
        Some(head)
    })
}
