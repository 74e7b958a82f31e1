//! The first look at a project: which files can a step touch, and what do others declare or pass on that matters?
//! Names that are found on the way are looked for until none is new.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use emendo_docs::{Manifest, ecosystem_of};
use emendo_lang::{FileFacts, Index, LANGUAGES, Language, Tree, language_of};
use emendo_text::{RelPath, Text};
use rayon::prelude::*;

use crate::discover::{Discovered, Subject, Wider};
use crate::narrow::{Declared, Kept, Narrow, Present};
use crate::plan::Plan;
use crate::project::Project;
use crate::walk::{Skipped, Skips, is_generated};

/// Larger files are passed over.
const MAX_FILE: u64 = 64 << 20;
/// Rounds of looking for names that were found on the way.
const ROUNDS: usize = 16;

/// A file that a step may look into.
pub(crate) struct Candidate {
    pub(crate) path: RelPath,
    pub(crate) size: u64,
}

/// Which more files matter to which action of which step.
#[derive(Default)]
pub(crate) struct Wide {
    narrow: Option<Narrow>,
    by_runner: HashMap<(usize, usize), Vec<Wider>>,
}

impl Wide {
    /// True if a text matters to an action by a name that was found on the way.
    pub(crate) fn met(&self, step: usize, runner: usize, text: &[u8], kept: &mut Kept) -> bool {
        let (Some(narrow), Some(sets)) = (&self.narrow, self.by_runner.get(&(step, runner))) else {
            return false;
        };
        let present = kept.present(narrow, text);
        sets.iter().any(|w| w.met(&present))
    }

    /// True if anything was found on the way.
    pub(crate) fn any(&self) -> bool {
        self.narrow.is_some()
    }
}

/// What the look told.
pub(crate) struct Seen {
    pub(crate) candidates: Vec<Candidate>,
    pub(crate) manifests: BTreeMap<RelPath, Arc<Manifest>>,
    pub(crate) skipped: Skips,
    pub(crate) wide: Wide,
}

/// A look at a project.
pub(crate) struct Look<'a> {
    pub(crate) project: &'a Project,
    pub(crate) plan: &'a Plan,
    pub(crate) with: &'a [Skipped],
}

/// What one look at a file told.
#[derive(Default)]
struct Looked {
    candidate: Option<Candidate>,
    declared: Option<Declares>,
    manifest: Option<(RelPath, Arc<Manifest>)>,
    skipped: Option<Skipped>,
    /// It may pass names on to others.
    passes: Option<RelPath>,
}

struct Declares {
    language: &'static Language,
    path: RelPath,
    text: String,
    facts: FileFacts,
}

impl Look<'_> {
    /// Looks at all files; types that matter go to the index.
    pub(crate) fn run(&self, files: &[RelPath], index: &mut Index) -> Seen {
        let covered: Vec<&RelPath> = files.iter().filter(|p| self.covered(p)).collect();
        let first = |path: &&RelPath, present: &Present<'_>| {
            self.runners().any(|(_, r)| r.covers(path) && r.needs().met(present))
                || self.watches().any(|r| r.covers(path) && r.needs().met(present))
        };
        let found = self.scan(&covered, &self.plan.narrow, &first, true, index);
        let mut seen = Seen {
            candidates: Vec::new(),
            manifests: BTreeMap::new(),
            skipped: Skips::new(),
            wide: Wide::default(),
        };
        let mut discovered: HashMap<&'static str, Discovered> = HashMap::new();
        let subjects = self.subjects();
        for (language, subjects) in &subjects {
            let own = discovered.entry(language.id).or_default();
            if language.names.modules.is_some() {
                for s in subjects {
                    let mut at = language.names.parent(&s.symbol);
                    while !at.is_empty() {
                        if index.module_file(language, &at).is_some() {
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
        self.rounds(&covered, index, &mut seen, &mut discovered, &subjects);
        seen.candidates.sort_unstable_by(|a, b| a.path.cmp(&b.path));
        seen
    }

    fn runners(&self) -> impl Iterator<Item = ((usize, usize), &dyn crate::actions::Runner)> {
        let steps = self.plan.steps.iter().enumerate();
        steps.flat_map(|(s, step)| {
            step.runners.iter().enumerate().map(move |(r, runner)| ((s, r), runner.as_ref()))
        })
    }

    fn watches(&self) -> impl Iterator<Item = &dyn crate::actions::Runner> {
        self.plan.watches.iter().map(|w| w.runner.as_ref())
    }

    fn covered(&self, path: &RelPath) -> bool {
        self.runners().any(|(_, r)| r.covers(path)) || self.watches().any(|r| r.covers(path))
    }

    fn subjects(&self) -> Vec<(&'static Language, Vec<Subject>)> {
        let mut out: Vec<(&'static Language, Vec<Subject>)> = Vec::new();
        for (_, r) in self.runners() {
            let (Some(language), subjects) = (r.language(), r.subjects()) else { continue };
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
        found: Vec<Looked>,
        index: &mut Index,
        seen: &mut Seen,
        discovered: &mut HashMap<&'static str, Discovered>,
        subjects: &[(&'static Language, Vec<Subject>)],
    ) {
        for l in found {
            if let Some(why) = l.skipped {
                *seen.skipped.entry(why).or_default() += 1;
            }
            if let Some(d) = l.declared.filter(|d| !index.knows(&d.path)) {
                index.add(d.language, &d.path, &d.text, &d.facts);
            }
            seen.manifests.extend(l.manifest);
            if let Some(path) = l.passes
                && let Some(language) = language_of(&path)
            {
                for (known, all) in
                    subjects.iter().filter(|s| s.0.id == language.id || s.0.reads(&path))
                {
                    let own = discovered.entry(known.id).or_default();
                    if known.names.modules.is_some() {
                        own.module(&path);
                    } else {
                        all.iter().for_each(|s| own.everywhere(&s.symbol));
                    }
                }
            }
            seen.candidates.extend(l.candidate);
        }
    }

    /// Looks for what was found on the way, until nothing is new.
    fn rounds(
        &self,
        covered: &[&RelPath],
        index: &mut Index,
        seen: &mut Seen,
        discovered: &mut HashMap<&'static str, Discovered>,
        subjects: &[(&'static Language, Vec<Subject>)],
    ) {
        let mut known: HashMap<(usize, usize), Vec<Wider>> = HashMap::new();
        for _ in 0..ROUNDS {
            for (language, all) in subjects {
                if let Some(own) = discovered.get_mut(language.id) {
                    own.types(language, index, all);
                }
            }
            let mut wider: HashMap<(usize, usize), Vec<Wider>> = HashMap::new();
            for (at, r) in self.runners() {
                let (Some(language), own) = (r.language(), r.subjects()) else { continue };
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
                supers: discovered.values().flat_map(Discovered::type_names).cloned().collect(),
                words: wider.values().flatten().flat_map(Wider::words).map(str::to_owned).collect(),
                ..Declared::default()
            };
            let narrow = Narrow::new([], &declared, LANGUAGES);
            let more = |path: &&RelPath, present: &Present<'_>| {
                wider.iter().any(|((s, r), sets)| {
                    self.plan.steps[*s].runners[*r].covers(path)
                        && sets.iter().any(|w| w.met(present))
                })
            };
            // Candidates are looked at again: what they declare may matter only now.
            let mut found = self.scan(covered, &narrow, &more, false, index);
            let done: HashSet<&RelPath> = seen.candidates.iter().map(|c| &c.path).collect();
            for l in &mut found {
                if l.candidate.as_ref().is_some_and(|c| done.contains(&c.path)) {
                    l.candidate = None;
                    l.passes = None;
                }
                l.skipped = None;
            }
            self.take_in(found, index, seen, discovered, subjects);
            seen.wide = Wide { narrow: Some(narrow), by_runner: wider.clone() };
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
            id == language.id || emendo_lang::language(id).is_some_and(|l| l.reads(path))
        };
        self.plan.reach.iter().any(|(id, needs)| reads(id) && needs.met(present))
    }

    fn scan(
        &self,
        files: &[&RelPath],
        narrow: &Narrow,
        wanted: &(dyn Fn(&&RelPath, &Present<'_>) -> bool + Sync),
        first: bool,
        index: &Index,
    ) -> Vec<Looked> {
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
    ) -> Option<Looked> {
        let mut out = Looked::default();
        let full = self.project.path(path);
        let size = std::fs::metadata(&full).map(|m| m.len()).unwrap_or(0);
        if size > MAX_FILE {
            out.skipped = Some(Skipped::Large);
            return Some(out);
        }
        let Ok(bytes) = std::fs::read(&full) else {
            out.skipped = Some(Skipped::Unreadable);
            return Some(out);
        };
        if !narrow.may_matter(&bytes) {
            return None;
        }
        // A byte order mark is no part of the first word.
        let present = narrow.present(bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes));
        let wanted = wanted(&path, &present);
        let language = language_of(path);
        // Later on, what names a subject was led to by a module that passes it on.
        let reached = first && self.reached(path, language, &present) || !first && wanted;
        let passes = reached && passes(language, &bytes);
        if !wanted && !present.declares && !passes {
            return None;
        }
        let Ok(text) = Text::decode(&bytes) else {
            out.skipped = Some(Skipped::Encoding);
            return Some(out);
        };
        if is_generated(&bytes) && !self.with.contains(&Skipped::Generated) {
            out.skipped = Some(Skipped::Generated);
            return Some(out);
        }
        let whole = passes && language.is_some_and(|l| l.names.modules.is_none());
        if (present.declares || whole)
            && !index.knows(path)
            && let Some(language) = language
        {
            let text = text.as_str();
            let tree = Tree::parse_file(language, path, text);
            let facts = FileFacts::of_file(language, &tree, text, path, index.files());
            out.declared =
                Some(Declares { language, path: path.clone(), text: text.to_owned(), facts });
        }
        if self.plan.reads_manifests()
            && let Some(e) = ecosystem_of(path)
        {
            out.manifest = (e.read)(text.as_str()).ok().map(|m| (path.clone(), Arc::new(m)));
        }
        out.passes = passes.then(|| path.clone());
        out.candidate = wanted.then(|| Candidate { path: path.clone(), size });
        Some(out)
    }
}

/// True if a text shows that the file may pass names on to others.
fn passes(language: Option<&Language>, bytes: &[u8]) -> bool {
    let marks = language.map_or(&[][..], |l| l.names.passing);
    marks.iter().any(|m| memchr::memmem::find(bytes, m.as_bytes()).is_some())
}
