//! The first look at a project: which files can a step touch, and what do others declare or pass on that matters?
//! Names that are found on the way are looked for until none is new.
//!
//! Files reach a type through members of the project (carriers): their names are searched before candidates are final.

mod answers;
mod discover;
mod followed;
mod memory;
mod moved;
mod search;
mod seen;
mod truths;
mod unread;

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::sync::Arc;

use emendo_actions::Subject;
use emendo_docs::Manifest;
use emendo_lang::{DeclaredIn, FileFacts, Index, Language, Project as _, Tree};
use emendo_text::{RelPath, Text};
use rayon::prelude::*;

pub(crate) use answers::{Answers, ask};
pub(crate) use followed::follow;
pub(crate) use memory::{
    KnownScan, Memory, OutsideFacts, RecalledScan, ScanData, StampDiff, Stamps,
};
pub(crate) use moved::{PathsNow, StepMoves, moves, moves_after_all};
pub use search::{Hit, Near, Search, search};
pub(crate) use seen::{Candidate, ExtraNames, Scan};
pub(crate) use truths::Truths;
pub use unread::UnreadFile;
pub(crate) use unread::unread;

use crate::look::discover::{ExtraWords, FoundNames};
use crate::plan::{Declared, Narrow, Plan, PlannedAction, Present, Watch};
use crate::project::{PassedOver, Project, SkipCounts, SkipReason, is_generated};

/// Larger files are passed over.
const MAX_FILE: u64 = 64 << 20;
/// With more members that give objects, those that give what these give are not looked for.
const MANY: usize = 32;
/// Rounds of looking for what gives objects that something gives.
const CARRIED: usize = 2;
/// Rounds of looking for names that were found on the way.
const ROUNDS: usize = 16;

/// A look at a project.
pub(crate) struct Look<'a> {
    pub(crate) project: &'a Project,
    pub(crate) plan: &'a Plan,
    pub(crate) with: &'a [SkipReason],
    /// Where what actions wait for holds.
    pub(crate) truths: &'a Truths,
}

/// What one look at a file told.
#[derive(Default)]
struct ScanResult {
    candidate: Option<Candidate>,
    declared: Option<DeclaredIn>,
    manifest: Option<(RelPath, Arc<Manifest>)>,
    skipped: Option<(RelPath, SkipReason)>,
    /// It seems to declare what the run asks for.
    declares: bool,
    /// It may pass names on to others.
    passes: Option<RelPath>,
}

/// What a changed file is to a run.
#[derive(Default)]
pub(crate) struct Recheck {
    pub(crate) wanted: bool,
    pub(crate) declares: bool,
    pub(crate) passes: bool,
    pub(crate) skipped: bool,
}

impl Recheck {
    fn add(&mut self, looked: Option<ScanResult>) {
        let Some(l) = looked else { return };
        self.wanted |= l.candidate.is_some();
        self.declares |= l.declares;
        self.passes |= l.passes.is_some();
        self.skipped |= l.skipped.is_some();
    }
}

impl Look<'_> {
    /// Looks at all files; types that matter go to the index.
    pub(crate) fn run(&self, files: &[RelPath], index: &mut Index) -> Scan {
        let covered: Vec<&RelPath> = files.iter().filter(|p| self.covered(p)).collect();
        let first = |path: &&RelPath, present: &Present<'_>| self.asked(path, present);
        // Imports that hold for all files come first: what other files name may depend on them.
        let shared: Vec<&RelPath> = covered.iter().copied().filter(|p| self.for_all(p)).collect();
        for l in self.scan(&shared, &self.plan.narrow, &first, true, index) {
            if let Some(d) = l.declared {
                index.take(d);
            }
        }
        let found = self.scan(&covered, &self.plan.narrow, &first, true, index);
        let mut seen = Scan {
            candidates: Vec::new(),
            passing: BTreeSet::new(),
            over: BTreeSet::new(),
            manifests: BTreeMap::new(),
            skipped: SkipCounts::new(),
            passed: PassedOver::new(),
            wide: ExtraNames::default(),
        };
        let mut discovered: HashMap<&'static str, FoundNames> = HashMap::new();
        let subjects = self.subjects();
        for (language, subjects) in &subjects {
            let own = discovered.entry(language.id).or_default();
            if language.modules.is_some() {
                for s in subjects {
                    let mut at = language.names.parent(&s.symbol);
                    while !at.is_empty() {
                        if index.has_module(language, &at) {
                            own.everywhere(&s.symbol);
                            break;
                        }
                        let up = language.names.parent(&at);
                        at = if up == at { String::new() } else { up };
                    }
                }
            }
        }
        self.take_in(found, index, &mut seen, &mut discovered, &subjects);
        for (language, subjects) in &subjects {
            let own = discovered.entry(language.id).or_default();
            self.carriers(&covered, language, subjects, own, index);
        }
        self.rounds(&covered, index, &mut seen, &mut discovered, &subjects);
        seen.candidates.sort_unstable_by(|a, b| a.path.cmp(&b.path));
        seen
    }

    fn actions(&self) -> impl Iterator<Item = ((usize, usize), &PlannedAction)> {
        let steps = self.plan.steps.iter().enumerate();
        steps.flat_map(|(s, step)| {
            step.actions.iter().enumerate().map(move |(r, action)| ((s, r), action))
        })
    }

    /// True if a file may hold imports for all files of its language.
    fn for_all(&self, path: &RelPath) -> bool {
        let language = self.plan.world.language_of(path).filter(|l| l.modules.is_none());
        language.is_some_and(|l| !l.exports.passing.is_empty())
            && self.project.bytes(path).is_ok_and(|b| passes(language, &b))
    }

    /// True if a file with these words matters by the words of the recipes.
    fn asked(&self, path: &RelPath, present: &Present<'_>) -> bool {
        self.actions().any(|(_, a)| self.truths.cover(a, path) && present.meets(&a.asks.needs))
            || self.watches().any(|w| w.runner.covers(path) && present.meets(&w.asks.needs))
    }

    /// True if a file with these words matters by what was found on the way.
    fn asked_by(
        &self,
        sets: &HashMap<(usize, usize), Vec<ExtraWords>>,
        path: &RelPath,
        present: &Present<'_>,
    ) -> bool {
        sets.iter().any(|((s, r), sets)| {
            self.truths.cover(&self.plan.steps[*s].actions[*r], path)
                && sets.iter().any(|w| w.met(present))
        })
    }

    /// What a file that has changed is to a run now, by all that was found before.
    pub(crate) fn once_more(&self, path: &RelPath, wide: &ExtraNames, index: &Index) -> Recheck {
        if !self.covered(path) {
            return Recheck::default();
        }
        let first = |path: &&RelPath, present: &Present<'_>| self.asked(path, present);
        let mut out = Recheck::default();
        out.add(self.look(path, &self.plan.narrow, &first, true, index));
        if let Some((_, narrow)) = &wide.narrow {
            let more = |path: &&RelPath, present: &Present<'_>| {
                self.asked_by(&wide.by_runner, path, present)
            };
            out.add(self.look(path, narrow, &more, false, index));
        }
        out
    }

    fn watches(&self) -> impl Iterator<Item = &Watch> {
        self.plan.watches.iter()
    }

    fn covered(&self, path: &RelPath) -> bool {
        self.actions().any(|(_, a)| self.truths.cover(a, path))
            || self.watches().any(|w| w.runner.covers(path))
    }

    fn subjects(&self) -> Vec<(&'static Language, Vec<Subject>)> {
        let mut out: Vec<(&'static Language, Vec<Subject>)> = Vec::new();
        for r in self.actions().map(|(_, a)| &a.asks) {
            let (Some(language), subjects) = (r.language, r.subjects.clone()) else { continue };
            if subjects.is_empty() {
                continue;
            }
            match out.iter_mut().find(|o| std::ptr::eq(o.0, language)) {
                Some(known) => known.1.extend(subjects),
                None => out.push((language, subjects)),
            }
        }
        out
    }

    fn take_in(
        &self,
        found: Vec<ScanResult>,
        index: &mut Index,
        seen: &mut Scan,
        discovered: &mut HashMap<&'static str, FoundNames>,
        subjects: &[(&'static Language, Vec<Subject>)],
    ) {
        for l in found {
            if let Some((path, why)) = l.skipped {
                *seen.skipped.entry(why).or_default() += 1;
                seen.passed.entry(why).or_default().push(path.to_string());
                seen.over.insert(path);
            }
            if let Some(d) = l.declared.filter(|d| !index.knows(d.path())) {
                index.take(d);
            }
            seen.manifests.extend(l.manifest);
            if let Some(path) = l.passes
                && let Some(language) = self.plan.world.language_of(&path)
            {
                seen.passing.insert(path.clone());
                for (known, all) in
                    subjects.iter().filter(|s| s.0.id == language.id || s.0.reads(&path))
                {
                    let own = discovered.entry(known.id).or_default();
                    if let Some(modules) = &known.modules {
                        own.module(&path, &(modules.called)(&path, index.files()));
                    } else {
                        all.iter().for_each(|s| own.everywhere(&s.symbol));
                    }
                }
            }
            seen.candidates.extend(l.candidate);
        }
    }

    /// Looks for members and functions that give objects of the types whose members are asked for, and for those that
    /// give what these give.
    fn carriers(
        &self,
        covered: &[&RelPath],
        language: &'static Language,
        subjects: &[Subject],
        own: &mut FoundNames,
        index: &Index,
    ) {
        let mut words = owners(language, subjects);
        let mut asked: BTreeSet<String> = words.clone();
        let rounds = if language.typing.built_in.members_typed { 1 } else { CARRIED };
        for _ in 0..rounds {
            if words.is_empty() {
                return;
            }
            let declared = Declared { words: words.clone(), ..Declared::default() };
            let narrow = Narrow::new([], &declared, &[]);
            let wanted = |w: &str| words.contains(w);
            let found: BTreeSet<String> = covered
                .par_iter()
                .filter(|p| language.reads(p))
                .flat_map_iter(|p| self.carried_in(p, language, &narrow, &wanted, index))
                .collect();
            own.carried(found.iter().cloned());
            words = found.into_iter().filter(|w| asked.insert(w.clone())).collect();
            // Many names lead everywhere: what they give is not followed further.
            if words.len() > MANY {
                return;
            }
        }
    }

    /// The members and functions of a file that give what certain words speak of.
    fn carried_in(
        &self,
        path: &RelPath,
        language: &'static Language,
        narrow: &Narrow,
        wanted: &dyn Fn(&str) -> bool,
        index: &Index,
    ) -> Vec<String> {
        let small = self.project.size(path).is_ok_and(|size| size <= MAX_FILE);
        let bytes = small.then(|| self.project.bytes(path).ok()).flatten().unwrap_or_default();
        if !narrow.may_matter(&bytes) {
            return Vec::new();
        }
        let Ok(text) = Text::decode(&bytes) else { return Vec::new() };
        let generated = is_generated(&bytes) && !self.with.contains(&SkipReason::Generated);
        if generated || !emendo_lang::token_texts(text.as_str()).any(|(_, t)| wanted(t)) {
            return Vec::new();
        }
        let tree = Tree::parse_file(language, path, text.as_str());
        let facts = FileFacts::outline(language, &tree, text.as_str(), path, index.files());
        facts.carriers(language, text.as_str(), wanted)
    }

    /// True if a file that has changed gives objects under a name that was not known to.
    pub(crate) fn carries_more(&self, path: &RelPath, wide: &ExtraNames, index: &Index) -> bool {
        self.subjects().iter().any(|(language, subjects)| {
            let words = owners(language, subjects);
            if words.is_empty() || !language.reads(path) {
                return false;
            }
            let declared = Declared { words: words.clone(), ..Declared::default() };
            let narrow = Narrow::new([], &declared, &[]);
            let found = self.carried_in(path, language, &narrow, &|w| words.contains(w), index);
            found.iter().any(|n| !wide.carries(n))
        })
    }

    /// Looks for what was found on the way, until nothing is new.
    fn rounds(
        &self,
        covered: &[&RelPath],
        index: &mut Index,
        seen: &mut Scan,
        discovered: &mut HashMap<&'static str, FoundNames>,
        subjects: &[(&'static Language, Vec<Subject>)],
    ) {
        let mut known: HashMap<(usize, usize), Vec<ExtraWords>> = HashMap::new();
        for _ in 0..ROUNDS {
            for (language, all) in subjects {
                if let Some(own) = discovered.get_mut(language.id) {
                    own.types(language, index, all);
                }
            }
            let mut wider: HashMap<(usize, usize), Vec<ExtraWords>> = HashMap::new();
            for (at, r) in self.actions().map(|(at, a)| (at, &a.asks)) {
                let (Some(language), own) = (r.language, r.subjects.clone()) else { continue };
                let Some(found) = discovered.get(language.id).filter(|_| !own.is_empty()) else {
                    continue;
                };
                let sets = found.wider(language, &own);
                if !sets.is_empty() {
                    wider.insert(at, sets);
                }
            }
            if wider == known {
                return;
            }
            let declared = Declared {
                supers: discovered.values().flat_map(FoundNames::type_names).cloned().collect(),
                words: wider
                    .values()
                    .flatten()
                    .flat_map(ExtraWords::words)
                    .map(str::to_owned)
                    .collect(),
                ..Declared::default()
            };
            let wide = ExtraNames::of(&self.plan.world.languages, Some(declared), wider.clone());
            let Some((_, narrow)) = &wide.narrow else { return };
            let more =
                |path: &&RelPath, present: &Present<'_>| self.asked_by(&wider, path, present);
            // Candidates are looked at again: what they declare may matter only now.
            let mut found = self.scan(covered, narrow, &more, false, index);
            let done: HashSet<&RelPath> = seen.candidates.iter().map(|c| &c.path).collect();
            for l in &mut found {
                if l.candidate.as_ref().is_some_and(|c| done.contains(&c.path)) {
                    l.candidate = None;
                    l.passes = None;
                }
                l.skipped = None;
            }
            self.take_in(found, index, seen, discovered, subjects);
            seen.wide = wide;
            known = wider;
        }
    }

    /// True if a file names what it may pass on.
    fn reached(
        &self,
        path: &RelPath,
        language: Option<&'static Language>,
        present: &Present<'_>,
    ) -> bool {
        let Some(language) = language else { return false };
        let reads = |id: &str| {
            id == language.id || self.plan.world.language(id).is_some_and(|l| l.reads(path))
        };
        self.plan.reach.iter().any(|(id, needs)| reads(id) && needs.met(|w| present.holds(w)))
    }

    fn scan(
        &self,
        files: &[&RelPath],
        narrow: &Narrow,
        wanted: &(dyn Fn(&&RelPath, &Present<'_>) -> bool + Sync),
        first: bool,
        index: &Index,
    ) -> Vec<ScanResult> {
        files.par_iter().filter_map(|p| self.look(p, narrow, wanted, first, index)).collect()
    }

    /// Reads a file once: is it a candidate, what does it declare, and may it pass names on?
    fn look(
        &self,
        path: &RelPath,
        narrow: &Narrow,
        wanted: &(dyn Fn(&&RelPath, &Present<'_>) -> bool + Sync),
        first: bool,
        index: &Index,
    ) -> Option<ScanResult> {
        let mut out = ScanResult::default();
        let size = self.project.size(path).unwrap_or(0);
        if size > MAX_FILE {
            out.skipped = Some((path.clone(), SkipReason::Large));
            return Some(out);
        }
        let Ok(bytes) = self.project.bytes(path) else {
            out.skipped = Some((path.clone(), SkipReason::Unreadable));
            return Some(out);
        };
        // Words cannot be looked for in it: it is named, whatever it holds.
        if first && (bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff")) {
            out.skipped = Some((path.clone(), SkipReason::Wide));
            return Some(out);
        }
        if !narrow.may_matter(&bytes) {
            return None;
        }
        // A byte order mark is not part of the first word.
        let present = narrow.present(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes));
        let wanted = wanted(&path, &present);
        let language = self.plan.world.language_of(path);
        // Later on, what names a subject was led to by a module that passes it on.
        let reached = first && self.reached(path, language, &present) || !first && wanted;
        let passes = reached && passes(language, &bytes);
        if !wanted && !present.declares && !passes {
            return None;
        }
        let Ok(text) = Text::decode(&bytes) else {
            out.skipped = Some((path.clone(), SkipReason::Encoding));
            return Some(out);
        };
        if is_generated(&bytes) && !self.with.contains(&SkipReason::Generated) {
            out.skipped = Some((path.clone(), SkipReason::Generated));
            return Some(out);
        }
        self.project.hold(path, &bytes);
        let whole = passes && language.is_some_and(|l| l.modules.is_none());
        out.declares = present.declares || whole;
        if out.declares
            && !index.knows(path)
            && let Some(language) = language
        {
            let text = text.as_str();
            let tree = Tree::parse_file(language, path, text);
            let facts = FileFacts::outline(language, &tree, text, path, index.files());
            out.declared = Some(index.declared(language, path, text, &tree, &facts));
        }
        if self.plan.reads_manifests()
            && let Some(e) = self.plan.world.ecosystem_of(path)
        {
            out.manifest = (e.read)(path, text.as_str()).ok().map(|m| (path.clone(), Arc::new(m)));
        }
        out.passes = passes.then(|| path.clone());
        out.candidate = wanted.then(|| Candidate { path: path.clone(), size });
        Some(out)
    }
}

/// The types whose members are asked for, by their own names.
fn owners(language: &Language, subjects: &[Subject]) -> BTreeSet<String> {
    let names = &language.names;
    let members = subjects.iter().filter(|s| s.member);
    let owner = |s: &Subject| names.last(&names.parent(&s.symbol)).to_owned();
    members.map(owner).filter(|o| !o.is_empty()).collect()
}

/// True if a text shows that the file may pass names on to others.
fn passes(language: Option<&Language>, bytes: &[u8]) -> bool {
    let marks = language.map_or(&[][..], |l| l.exports.passing);
    marks.iter().any(|m| memchr::memmem::find(bytes, m.as_bytes()).is_some())
}
