//! Runs the examples of a recipe: what comes out, that a second run finds nothing, and what no example exercises.

use std::collections::{BTreeMap, BTreeSet};
use std::io;
use std::path::Path;
use std::sync::Arc;

use emendo_actions::World;
use emendo_lang::Language;
use emendo_recipe::{Example, Recipe};
use emendo_text::{RelPath, Span};
use rayon::prelude::*;

use crate::edits::{Decisions, OnceWritten};
use crate::plan::{Limit, Plan};
use crate::project::Project;
use crate::recipes::check::check;
use crate::recipes::shelf::Shelf;
use crate::run::{CoverageLog, Engine, FileResult, LineTrace, Mode, Sink, WhyStop};

/// What an example showed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// All as it says.
    Passed,
    /// Something else came out.
    Differs {
        /// The file, where it is one of a tree.
        path: Option<RelPath>,
        /// What was expected.
        expected: String,
        /// What came out.
        actual: String,
    },
    /// The result is changed by a second run.
    NotSettled {
        /// What the second run made of it.
        actual: String,
    },
    /// Other notes than expected.
    Notes {
        /// A part of a note that is missing, or a note too many.
        problem: String,
    },
    /// It could not be run.
    Broken(String),
}

/// An example that was run.
#[derive(Clone, Debug)]
pub struct ExampleResult {
    /// Its number in the file, from 1.
    pub number: usize,
    /// Its title.
    pub title: String,
    /// Where it stands.
    pub span: Span,
    /// What it showed.
    pub verdict: Verdict,
    /// All files of a tree that came out otherwise, as they came out; none that should be there is missing.
    pub came: BTreeMap<RelPath, Vec<u8>>,
    /// The first line that should have changed and did not, with the reasons.
    pub stayed: Option<StayedLine>,
}

/// A line of an example that stayed as it was against what is expected.
#[derive(Clone, Debug)]
pub struct StayedLine {
    /// Its text.
    pub source: String,
    /// Why an edit there was held back.
    pub withheld: Vec<String>,
    /// Where actions stop at it, the nearest first.
    pub stops: Vec<WhyStop>,
}

/// An action, or a row of one, that no example exercises.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct UncoveredRow {
    /// The step.
    pub step: String,
    /// The kind of the action.
    pub kind: &'static str,
    /// The recipe that it stands in.
    pub source: String,
    /// Where it stands there.
    pub span: Span,
    /// The row, as the recipe writes it; none if nothing of the action was exercised.
    pub row: Option<String>,
}

/// What the examples of a recipe showed.
pub struct TestReport {
    /// Each example.
    pub ran: Vec<ExampleResult>,
    /// What none of them exercises.
    pub uncovered: Vec<UncoveredRow>,
    /// How many actions and rows there are to exercise.
    pub coverable: usize,
}

/// Runs all examples of a recipe, and those of the recipes that it includes not; `compiled` is its plan, if there is one.
pub fn test(
    world: &Arc<World>,
    recipe: &Recipe,
    compiled: Option<&Plan>,
    inputs: &BTreeMap<String, String>,
    shelf: &Shelf,
) -> TestReport {
    // Examples of one step share a plan.
    let wanted: BTreeSet<&str> =
        recipe.examples.iter().filter_map(|e| Some(e.step.as_ref()?.text.as_str())).collect();
    let plans: BTreeMap<&str, Plan> = wanted
        .into_iter()
        .map(|step| (step, plan_for(world, recipe, Some(step), inputs, shelf)))
        .collect();
    let own;
    let whole = match compiled {
        Some(plan) => plan,
        None => {
            own = plan_for(world, recipe, None, inputs, shelf);
            &own
        }
    };
    // By step, runner and row, since plans of one step count anew.
    let seen: std::sync::Mutex<BTreeSet<(String, usize, Option<usize>)>> =
        std::sync::Mutex::default();
    let run = |(i, e): (usize, &Example)| {
        let title = e.title.clone().unwrap_or_else(|| format!("example {}", i + 1));
        let touched = CoverageLog::default();
        let (mut came, mut stayed) = (BTreeMap::new(), None);
        let plan = e.step.as_ref().and_then(|s| plans.get(s.text.as_str())).unwrap_or(whole);
        let verdict = match &e.tree {
            Some(_) => tree(recipe, e, plan, &touched, (&mut came, &mut stayed)),
            None => one(recipe, e, plan, &touched, &mut stayed),
        };
        if let (Ok(touched), Ok(mut seen)) = (touched.lock(), seen.lock()) {
            let key = |n: usize| plan.steps[n].info.key.step.clone();
            seen.extend(touched.iter().map(|(n, runner, row)| (key(*n), *runner, *row)));
        }
        let verdict = verdict.unwrap_or_else(Verdict::Broken);
        ExampleResult { number: i + 1, title, span: e.span, verdict, came, stayed }
    };
    // What steps wait for is asked of a tree, and never of a text: trees come after texts, one by one.
    let (trees, texts): (Vec<_>, Vec<_>) =
        recipe.examples.iter().enumerate().partition(|(_, e)| e.tree.is_some());
    let mut ran: Vec<ExampleResult> = texts.into_par_iter().map(run).collect();
    ran.extend(trees.into_iter().map(run));
    ran.sort_by_key(|r| r.number);
    let seen = seen.into_inner().unwrap_or_default();
    let (uncovered, coverable) = uncovered(whole, &seen);
    TestReport { ran, uncovered, coverable }
}

/// Actions and rows that nothing has exercised, and how many there are.
fn uncovered(
    plan: &Plan,
    seen: &BTreeSet<(String, usize, Option<usize>)>,
) -> (Vec<UncoveredRow>, usize) {
    let (mut out, mut all) = (Vec::new(), 0);
    for step in &plan.steps {
        let mut from = 0;
        while let Some(span) = step.actions.get(from).map(|a| a.place) {
            // One action may need several runners.
            let to = step.actions[from..].iter().take_while(|a| a.place == span).count() + from;
            let hits: Vec<Option<usize>> = seen
                .iter()
                .filter(|s| s.0 == step.info.key.step && (from..to).contains(&s.1))
                .map(|s| s.2)
                .collect();
            let rows = step.actions[from].asks.rows.clone();
            let missing = |row: Option<String>| UncoveredRow {
                step: step.info.key.step.clone(),
                kind: step.actions[from].asks.kind,
                source: step.source.clone(),
                span,
                row,
            };
            all += rows.len().max(1);
            // A note at the step itself shows whenever it runs.
            let told = step.actions[from].asks.step_note.is_some();
            if hits.is_empty() && !told {
                out.push(missing(None));
            } else if rows.len() > 1 && !hits.contains(&None) {
                let without =
                    rows.into_iter().enumerate().filter(|(i, _)| !hits.contains(&Some(*i)));
                out.extend(without.map(|(_, row)| missing(Some(row))));
            }
            from = to;
        }
    }
    (out, all)
}

fn one(
    recipe: &Recipe,
    e: &Example,
    plan: &Plan,
    touched: &CoverageLog,
    stayed: &mut Option<StayedLine>,
) -> Result<Verdict, String> {
    let path = path_for(&plan.world, recipe, e)?;
    let code = plan.world.language_of(&path);
    let head = code.map_or(String::new(), |l| head(&plan.world, recipe, e, l));
    let before = format!("{head}{}", e.before.text);
    let expected = format!("{head}{}", e.after.text);
    let ran = over_text(plan, &path, &before, &[], Some(touched)).map_err(|e| e.to_string())?;
    let edits = ran.files.iter().flat_map(|f| &f.edits);
    let own = OnceWritten::of(edits, &plan.once_steps());
    let own_notes = ran.files.iter().flat_map(|f| &f.notes).map(|n| n.say.clone());
    // The notes of the steps themselves may be expected; they are said whatever the text is.
    let own_notes: Vec<String> = own_notes.collect();
    let of_steps = ran.notes.iter().filter(|n| !own_notes.contains(n));
    let expected_too = |n: &&String| e.notes.iter().any(|wanted| n.contains(wanted.as_str()));
    let said: Vec<String> =
        own_notes.iter().chain(of_steps.filter(expected_too)).cloned().collect();
    let deleted = ran.files.iter().any(|f| f.path == path && f.fate.deleted);
    let actual = if deleted { String::new() } else { text_of(&before, ran.after(&path)) };
    if let Some(problem) = lies_elsewhere(e, &ran, &path) {
        return Ok(Verdict::Broken(problem));
    }
    if body(code, &actual, &head) != body(code, &expected, &head) {
        let show = |t: &str| body(code, t, &head);
        *stayed = stays(plan, &path, &before, (&expected, &actual)).map_err(|e| e.to_string())?;
        return Ok(Verdict::Differs {
            path: None,
            expected: show(&expected),
            actual: show(&actual),
        });
    }
    if let Some(problem) = notes(e, &said) {
        return Ok(Verdict::Notes { problem });
    }
    let fate = ran.files.iter().find(|f| f.path == path).map(|f| &f.fate);
    if deleted {
        return Ok(Verdict::Passed);
    }
    let path = fate.and_then(|f| f.to.clone()).unwrap_or(path);
    let again = over_text(plan, &path, &actual, &own, None).map_err(|e| e.to_string())?;
    if let Some(after) = again.after(&path) {
        let actual = body(code, &text_of(&actual, Some(after)), &head);
        return Ok(Verdict::NotSettled { actual });
    }
    Ok(Verdict::Passed)
}

/// What is wrong with where the file of an example lies afterwards.
fn lies_elsewhere(e: &Example, ran: &Gathered, path: &RelPath) -> Option<String> {
    let wanted = e.new_path.as_ref()?.text.as_str();
    let fate = ran.files.iter().find(|f| f.path == *path).map(|f| &f.fate);
    let lies = match fate {
        Some(f) if f.deleted => "",
        Some(f) => f.to.as_ref().map_or(path.as_str(), RelPath::as_str),
        None => path.as_str(),
    };
    let said = |p: &str| match p {
        "" => "is deleted".to_owned(),
        p => format!("lies at `{p}`"),
    };
    (lies != wanted).then(|| format!("the file {}, and not: it {}", said(lies), said(wanted)))
}

/// A project on disk of its own, before and after.
fn tree(
    recipe: &Recipe,
    e: &Example,
    plan: &Plan,
    touched: &CoverageLog,
    (came, stayed): (&mut BTreeMap<RelPath, Vec<u8>>, &mut Option<StayedLine>),
) -> Result<Verdict, String> {
    let Some(name) = &e.tree else { return Ok(Verdict::Passed) };
    let read = |part: &str| {
        let path = RelPath::new(&format!("{}/{part}", name.text.trim_end_matches('/')));
        let path = path.map_err(|e| e.to_string())?;
        recipe
            .source
            .tree(&path)
            .map_err(|_| format!("there is no folder `{path}` beside the recipe, or nothing in it"))
    };
    let (before, after) = (read("before")?, read("after")?);
    let dir = tempfile::tempdir().map_err(|e| e.to_string())?;
    for (path, bytes) in &before {
        write(dir.path(), path, bytes).map_err(|e| e.to_string())?;
    }
    let first = over(dir.path(), plan, &[], Some(touched), false).map_err(|e| e.to_string())?;
    let own = OnceWritten::of(first.files.iter().flat_map(|f| f.edits.iter()), &plan.once_steps());
    let old = before.clone();
    let mut actual = before;
    for f in &first.files {
        let to = f.fate.to.as_ref().unwrap_or(&f.path);
        if f.fate.deleted || *to != f.path {
            actual.remove(&f.path);
        }
        if let Some(bytes) = &f.after {
            actual.insert(to.clone(), bytes.clone());
        }
    }
    let show = |b: Option<&Vec<u8>>| {
        b.map_or("(no file)\n".to_owned(), |b| String::from_utf8_lossy(b).into_owned())
    };
    let paths: BTreeSet<&RelPath> = actual.keys().chain(after.keys()).collect();
    let other = paths.into_iter().find(|p| actual.get(*p) != after.get(*p)).cloned();
    if let Some(path) = other {
        let differs = Verdict::Differs {
            path: Some(path.clone()),
            expected: show(after.get(&path)),
            actual: show(actual.get(&path)),
        };
        if let Verdict::Differs { expected, actual, .. } = &differs
            && let Some(old) = old.get(&path)
        {
            let old = String::from_utf8_lossy(old);
            *stayed = stopped(dir.path(), plan, &path, &old, (expected, actual))
                .map_err(|e| e.to_string())?;
        }
        *came = actual;
        return Ok(differs);
    }
    if let Some(problem) = notes(e, &first.notes) {
        return Ok(Verdict::Notes { problem });
    }
    for path in old.keys().filter(|p| !actual.contains_key(*p)) {
        std::fs::remove_file(dir.path().join(path.as_path())).map_err(|e| e.to_string())?;
    }
    for (path, bytes) in &actual {
        write(dir.path(), path, bytes).map_err(|e| e.to_string())?;
    }
    let again = over(dir.path(), plan, &own, None, false).map_err(|e| e.to_string())?;
    match again.files.iter().find(|f| f.after.is_some() || !f.fate.stays()) {
        Some(f) => {
            Ok(Verdict::NotSettled { actual: format!("{}\n{}", f.path, show(f.after.as_ref())) })
        }
        None => Ok(Verdict::Passed),
    }
}

/// Writes a file of an example into its folder.
fn write(root: &Path, path: &RelPath, bytes: &[u8]) -> io::Result<()> {
    let full = root.join(path.as_path());
    full.parent().map_or(Ok(()), std::fs::create_dir_all)?;
    std::fs::write(full, bytes)
}

/// Why a line of a text alone stayed as it was.
fn stays(
    plan: &Plan,
    path: &RelPath,
    before: &str,
    came: (&str, &str),
) -> io::Result<Option<StayedLine>> {
    let dir = tempfile::tempdir()?;
    write(dir.path(), path, before.as_bytes())?;
    stopped(dir.path(), plan, path, before, came)
}

/// Why the first line of a file that should have changed did not, asked of the project in a folder.
fn stopped(
    root: &Path,
    plan: &Plan,
    path: &RelPath,
    before: &str,
    (expected, actual): (&str, &str),
) -> io::Result<Option<StayedLine>> {
    // What came out differs from what is expected first where a line of the old text is left.
    let wanted: BTreeSet<&str> = expected.lines().collect();
    let left: BTreeSet<&str> = actual.lines().filter(|l| !wanted.contains(l)).collect();
    let found = before.lines().enumerate().find(|(_, l)| left.contains(l) && !l.trim().is_empty());
    let Some((at, source)) = found else { return Ok(None) };
    let line = at as u32 + 1;
    let root = root.canonicalize()?;
    let (project, decisions) = (Project::alone(&root).reading(), Decisions::default());
    let trace = LineTrace::new(path.clone(), line);
    let new = Engine::new(&project, plan, &decisions, Mode::View);
    let engine = Engine { trace: Some(&trace), unconditional: true, ..new };
    let mut out = Gathered::default();
    engine.run(&mut out)?;
    let edits = out.files.iter().filter(|f| f.path == *path).flat_map(|f| &f.edits);
    let here = edits.filter(|e| e.is_on(line));
    let withheld = here.filter_map(|e| e.standing.barred().map(str::to_owned));
    let (source, withheld) = (source.to_owned(), withheld.collect());
    Ok(Some(StayedLine { source, withheld, stops: trace.into_stops() }))
}

/// What a run over a folder gives.
#[derive(Default)]
struct Gathered {
    files: Vec<FileResult>,
    notes: Vec<String>,
}

impl Gathered {
    /// A file as it is after the run, if that changed it.
    fn after(&self, path: &RelPath) -> Option<Vec<u8>> {
        self.files.iter().find(|f| f.path == *path)?.after.clone()
    }
}

impl Sink for Gathered {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        self.notes.extend(file.notes.iter().map(|n| n.say.clone()));
        self.files.push(file);
        Ok(())
    }
}

/// A project of one file.
fn over_text(
    plan: &Plan,
    path: &RelPath,
    text: &str,
    own: &[OnceWritten],
    touched: Option<&CoverageLog>,
) -> io::Result<Gathered> {
    let dir = tempfile::tempdir()?;
    // A file that is not there yet.
    if !text.is_empty() {
        write(dir.path(), path, text.as_bytes())?;
    }
    over(dir.path(), plan, own, touched, true)
}

fn over(
    root: &Path,
    plan: &Plan,
    own: &[OnceWritten],
    touched: Option<&CoverageLog>,
    unconditional: bool,
) -> io::Result<Gathered> {
    let root = root.canonicalize()?;
    let (project, decisions) = (Project::alone(&root).reading(), Decisions::default());
    let new = Engine::new(&project, plan, &decisions, Mode::View);
    let engine = Engine { own, touched, unconditional, ..new };
    let mut out = Gathered::default();
    let (_, notes) = engine.run(&mut out)?;
    out.notes.extend(notes.into_iter().map(|n| n.say));
    Ok(out)
}

fn text_of(before: &str, after: Option<Vec<u8>>) -> String {
    after.map_or_else(|| before.to_owned(), |bytes| String::from_utf8_lossy(&bytes).into_owned())
}

/// The recipe's plan, or that of one step.
fn plan_for(
    world: &Arc<World>,
    recipe: &Recipe,
    step: Option<&str>,
    inputs: &BTreeMap<String, String>,
    shelf: &Shelf,
) -> Plan {
    let mut checked = check(world, vec![recipe.source.clone()], inputs, shelf);
    if let Some(step) = step {
        // The step was checked when the recipe was loaded.
        let limit = Limit { steps: vec![step.to_owned()], until: None };
        drop(checked.limit(&limit));
    }
    checked.plan
}

/// The name that the example's file would have.
fn path_for(world: &World, recipe: &Recipe, e: &Example) -> Result<RelPath, String> {
    if let Some(path) = &e.path {
        return RelPath::new(&path.text).map_err(|e| e.to_string());
    }
    let lang = e.lang.as_ref().map(|t| t.text.clone()).or_else(|| lang_of(recipe, e));
    let Some(lang) = lang else {
        return Err(
            "the example does not say what it is written in: give it a `lang` or a `path`".into()
        );
    };
    match world.ending_of(&lang) {
        Some(ending) => RelPath::new(&format!("Example.{ending}")).map_err(|e| e.to_string()),
        None => Err(format!("`{lang}` is no language, format or kind of page that is built")),
    }
}

fn lang_of(recipe: &Recipe, e: &Example) -> Option<String> {
    let steps = recipe.steps.iter().filter(|s| e.step.as_ref().is_none_or(|w| w.text == s.id));
    steps.flat_map(|s| &s.actions).find_map(|a| a.scope.lang.as_ref()).map(|t| t.text.clone())
}

/// Imports for an example that is not a whole file: the names of the steps count as imported.
fn head(world: &World, recipe: &Recipe, e: &Example, language: &'static Language) -> String {
    let opening = language.grammar.opening;
    let opening = if e.before.text.contains(opening.trim_end()) { "" } else { opening };
    let text = format!("{opening}{}", e.before.text);
    let tree = emendo_lang::Tree::parse(language, &text);
    let facts = emendo_lang::FileFacts::read(language, &tree, &text);
    if !facts.imports.is_empty() || !facts.package.is_empty() {
        return opening.to_owned();
    }
    let names = &language.names;
    let steps = recipe.steps.iter().filter(|s| e.step.as_ref().is_none_or(|w| w.text == s.id));
    let mut symbols: Vec<(String, String)> = Vec::new();
    // What actions in other languages name is nothing here.
    let reads = |a: &&emendo_recipe::Action| {
        let lang = a.scope.lang.as_ref().and_then(|l| world.language(&l.text));
        lang.is_none_or(|l| l.id == language.id)
    };
    for action in steps.flat_map(|s| &s.actions).filter(reads) {
        symbols.extend(action.scope.symbols());
        let old = emendo_actions::renames(world, action, &recipe.source)
            .into_iter()
            .filter(|_| action.kind.renames_symbols());
        symbols.extend(old.map(|(old, _)| (names.last(&old).to_owned(), old)));
    }
    let declared: Vec<&str> = facts.top_names().collect();
    let mut lines: Vec<String> = symbols
        .into_iter()
        .filter(|(word, symbol)| {
            let simple = language.names.last(symbol);
            // Only what the example really says, and does not declare itself.
            let said = !facts.words(simple).is_empty() || !facts.words(word).is_empty();
            said && language.names.segments(symbol).len() > 1
                && !names.is_member(symbol)
                && !declared.contains(&simple)
                && !declared.contains(&word.as_str())
        })
        .map(|(_, symbol)| {
            let symbol = names.plain(&symbol);
            // Functions by themselves are imported in a way of their own.
            let function = names.rooted && names.last(&symbol).starts_with(char::is_lowercase);
            let space =
                if function { emendo_lang::Space::Callable } else { emendo_lang::Space::Value };
            let name = language.import_of(&symbol, space);
            (language.imports.write_import)(&name, None)
        })
        .collect();
    lines.sort();
    lines.dedup();
    match lines.is_empty() {
        true => opening.to_owned(),
        false => format!("{opening}{}\n\n", lines.join("\n")),
    }
}

/// The text without the imports that were put before it; they are not compared.
fn body(code: Option<&'static Language>, text: &str, head: &str) -> String {
    let (Some(language), false) = (code, head.is_empty()) else { return text.to_owned() };
    let tree = emendo_lang::Tree::parse(language, text);
    let facts = emendo_lang::FileFacts::read(language, &tree, text);
    let from = facts.imports.last().map_or(0, |i| i.span.end as usize);
    let opening = language.grammar.opening;
    let rest = text[from..].trim_start();
    let bare = rest.strip_prefix(opening).filter(|_| head.starts_with(opening) && from == 0);
    bare.unwrap_or(rest).trim_start().to_owned()
}

fn notes(e: &Example, said: &[String]) -> Option<String> {
    let missing = e.notes.iter().find(|want| !said.iter().any(|s| s.contains(want.as_str())));
    if let Some(missing) = missing {
        return Some(format!("no note says `{missing}`; the notes: {said:?}"));
    }
    let extra = said.iter().find(|s| !e.notes.iter().any(|want| s.contains(want.as_str())));
    extra.map(|s| format!("a note that the example does not expect: `{s}`"))
}
