//! What a look at a project told, kept so that the next run need not look again.
//!
//! Files of the same size, times and inode are the same; where a time is as young as the note of it, the contents
//! decide. A file that changed inside, and says to others what it said before, is all that is looked at again.
//! Anything else that changed lets go of the whole: an answer is used only where nothing it rests on has changed.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use emendo_lang::{CachedIndex, FileFacts, Files, Index, Project as _, Tree};
use emendo_text::{Digest, Hasher, RelPath, Text};
use rayon::prelude::*;
use serde::de::DeserializeOwned;
use serde::{Deserialize, Serialize};

use crate::look::discover::ExtraWords;
use crate::look::seen::{Candidate, ExtraNames, Scan};
use crate::look::{Look, Recheck};
use crate::plan::Declared;
use crate::project::{PassedOver, Project, ProjectFiles, SkipCounts};

/// Changes with the form of what is kept.
const FORMAT: u64 = 2;
/// How much older than a note a time must be to be trusted, in nanoseconds: file systems may count by two seconds.
const YOUNG: u64 = 2_000_000_000;

/// What a file was to the run.
mod role {
    /// Steps look into it.
    pub(super) const CANDIDATE: u8 = 1;
    /// It passes names on.
    pub(super) const PASSES: u8 = 1 << 1;
    /// Others rest on its text as a whole.
    pub(super) const WHOLE: u8 = 1 << 2;
    /// A part of it could not be parsed.
    pub(super) const ERRORS: u8 = 1 << 3;
    /// It was passed over for what it holds.
    pub(super) const SKIPPED: u8 = 1 << 4;
}

/// By what a file is known to be as it was.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
struct Stamp {
    size: u64,
    modified: u64,
    changed: u64,
    inode: u64,
}

/// A file as it was when it was looked at.
#[derive(Clone, Debug, Serialize, Deserialize)]
struct StampedFile {
    path: RelPath,
    stamp: Stamp,
    roles: u8,
    /// Of its bytes, where its time was too young to tell.
    digest: Option<Digest>,
    /// What it said to others, where they asked.
    outside: Option<Digest>,
}

/// The files of a look.
#[derive(Serialize, Deserialize)]
struct ScanIndex {
    format: u64,
    key: Digest,
    generation: Digest,
    files: Vec<StampedFile>,
}

/// What the look told, of the same generation.
#[derive(Serialize, Deserialize)]
struct CachedScan {
    generation: Digest,
    skipped: SkipCounts,
    passed: PassedOver,
    wide: Option<Declared>,
    wider: Vec<((usize, usize), Vec<ExtraWords>)>,
    manifests: Vec<RelPath>,
    index: CachedIndex,
}

/// Where looks are kept.
#[derive(Clone, Debug)]
pub struct Memory {
    /// The state folder.
    pub(crate) folder: PathBuf,
    /// Identity of the program.
    pub(crate) build: String,
    /// This run may keep what it sees.
    pub(crate) keeps: bool,
}

/// All files of a run, as they are now.
pub(crate) struct Stamps {
    files: Vec<StampedFile>,
}

/// A look that was kept, beside the files as they are now.
pub(crate) struct StampDiff {
    noted: ScanIndex,
    /// Which have changed.
    changed: Vec<usize>,
}

impl StampDiff {
    /// The generation of the look, if no file has changed at all.
    pub(crate) fn as_it_was(&self) -> Option<Digest> {
        self.changed.is_empty().then_some(self.noted.generation)
    }
}

/// A look that still holds.
pub(crate) struct RecalledScan {
    pub(crate) seen: Scan,
    pub(crate) index: Index,
    pub(crate) known: KnownScan,
}

/// What is known of it.
pub(crate) struct KnownScan {
    /// The generation that it is of.
    pub(crate) generation: Digest,
    /// Any file has changed.
    touched: bool,
    /// Files that have changed inside since.
    pub(crate) changed: HashSet<RelPath>,
    /// Candidates with syntax errors.
    pub(crate) errors: BTreeSet<RelPath>,
    /// What each file was.
    roles: HashMap<RelPath, (u8, Option<Digest>)>,
}

impl Stamps {
    /// Notes how the files are, before anything is read from them.
    pub(crate) fn take(project: &Project, paths: &[RelPath], now: u64) -> Self {
        let one = |path: &RelPath| {
            let stamp = Stamp::of(&project.path(path)).unwrap_or_default();
            let young = stamp.modified.max(stamp.changed).saturating_add(YOUNG) >= now;
            let digest = || project.bytes(path).ok().map(|b| Digest::of(&b));
            let digest = young.then(digest).flatten();
            StampedFile { path: path.clone(), stamp, roles: 0, digest, outside: None }
        };
        Self { files: paths.par_iter().map(one).collect() }
    }
}

impl Stamp {
    fn of(path: &Path) -> Option<Self> {
        let meta = std::fs::symlink_metadata(path).ok()?;
        #[cfg(unix)]
        {
            use std::os::unix::fs::MetadataExt;
            let nanos = |s: i64, n: i64| u64::try_from(s * 1_000_000_000 + n).unwrap_or(0);
            Some(Self {
                size: meta.size(),
                modified: nanos(meta.mtime(), meta.mtime_nsec()),
                changed: nanos(meta.ctime(), meta.ctime_nsec()),
                inode: meta.ino(),
            })
        }
        #[cfg(not(unix))]
        {
            let since = meta.modified().ok()?.duration_since(std::time::UNIX_EPOCH).ok()?;
            let modified = u64::try_from(since.as_nanos()).unwrap_or(0);
            Some(Self { size: meta.len(), modified, ..Self::default() })
        }
    }
}

impl Memory {
    /// The time by the clock that files are stamped with; `None` if nothing can be kept.
    pub(crate) fn now(&self) -> Option<u64> {
        if !self.keeps {
            // Readers change nothing in the state folder: the system's clock, and a wide margin for that of the files.
            let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).ok()?;
            return u64::try_from(now.as_nanos()).ok()?.checked_sub(YOUNG);
        }
        let path = self.folder.join("now");
        std::fs::write(&path, b"").ok()?;
        let stamp = Stamp::of(&path)?;
        drop(std::fs::remove_file(&path));
        Some(stamp.modified)
    }

    fn key(&self, look: &Look<'_>) -> Digest {
        let mut h = Hasher::new();
        h.number(FORMAT).part(env!("CARGO_PKG_VERSION")).part(&self.build);
        h.digest(look.plan.digest()).part(look.project.below());
        for with in look.with {
            h.part(format!("{with:?}"));
        }
        for glob in look.project.protected() {
            h.part(glob);
        }
        h.finish()
    }

    /// The look at these files that was kept, with the files that have changed since.
    pub(crate) fn compare(&self, look: &Look<'_>, stamps: &Stamps) -> Option<StampDiff> {
        let noted: ScanIndex = self.read("seen")?;
        if noted.format != FORMAT || noted.key != self.key(look) {
            return None;
        }
        let same_paths = noted.files.len() == stamps.files.len()
            && noted.files.iter().zip(&stamps.files).all(|(a, b)| a.path == b.path);
        if !same_paths {
            return None;
        }
        let differs = |(i, (was, is)): (usize, (&StampedFile, &StampedFile))| {
            (!same(look.project, was, is)).then_some(i)
        };
        let pairs = noted.files.par_iter().zip(&stamps.files).enumerate();
        let changed: Vec<usize> = pairs.filter_map(differs).collect();
        Some(StampDiff { noted, changed })
    }

    /// What that look told, if all that it rests on is as it was.
    pub(crate) fn recall(
        &self,
        look: &Look<'_>,
        files: &Arc<ProjectFiles>,
        compared: StampDiff,
    ) -> Option<RecalledScan> {
        let StampDiff { noted, changed } = compared;
        if !changed.is_empty() && look.plan.asks_bodies() {
            return None;
        }
        let told: CachedScan = self.read("told")?;
        if told.generation != noted.generation {
            return None;
        }
        let wide = ExtraNames::of(&look.plan.world.languages, told.wide, told.wider);
        let index =
            Index::kept(files.clone(), told.index, |id| look.plan.world.language(id).map(|l| l.id));
        let mut roles: HashMap<RelPath, (u8, Option<Digest>)> =
            noted.files.iter().map(|e| (e.path.clone(), (e.roles, e.outside))).collect();
        let again: Option<Vec<(RelPath, u8)>> = changed
            .par_iter()
            .map(|i| inside_only(look, &wide, &index, &noted.files[*i]))
            .collect();
        let again = again?;
        let mut inside = HashSet::new();
        for (path, now) in again {
            inside.insert(path.clone());
            roles.entry(path).and_modify(|r| r.0 = now);
        }
        let of = |bit: u8| {
            let mut all: Vec<&RelPath> =
                roles.iter().filter(|r| r.1.0 & bit != 0).map(|r| r.0).collect();
            all.sort_unstable();
            all
        };
        let sizes: HashMap<&RelPath, u64> =
            noted.files.iter().map(|e| (&e.path, e.stamp.size)).collect();
        let candidate = |path: &RelPath| Candidate { path: path.clone(), size: sizes[path] };
        let mut manifests = BTreeMap::new();
        for path in told.manifests {
            let read = look.plan.world.ecosystem_of(&path)?.read;
            manifests.insert(path.clone(), Arc::new(read(&path, &files.text(&path)?).ok()?));
        }
        Some(RecalledScan {
            seen: Scan {
                candidates: of(role::CANDIDATE).into_iter().map(candidate).collect(),
                passing: of(role::PASSES).into_iter().cloned().collect(),
                over: BTreeSet::new(),
                manifests,
                skipped: told.skipped,
                passed: told.passed,
                wide,
            },
            index,
            known: KnownScan {
                generation: noted.generation,
                touched: !changed.is_empty(),
                changed: inside,
                errors: of(role::ERRORS).into_iter().cloned().collect(),
                roles,
            },
        })
    }

    /// Keeps a look, with what the files were in it. Gives its generation; `None` where it cannot be kept.
    pub(crate) fn keep(
        &self,
        look: &Look<'_>,
        stamps: Stamps,
        kit: ScanData<'_>,
        before: Option<&KnownScan>,
    ) -> Option<Digest> {
        let ScanData { seen, whole, errors, told } = kit;
        if let Some(before) = before.filter(|b| !b.touched) {
            let role = |p: &RelPath| before.roles.get(p);
            let asked = |f: &(RelPath, Digest)| role(&f.0).is_some_and(|r| r.1.is_some());
            let held = |p: &RelPath| role(p).is_some_and(|r| r.0 & role::WHOLE != 0);
            if told.files.iter().all(asked) && whole.iter().all(held) {
                return Some(before.generation);
            }
        }
        let mut roles: HashMap<&RelPath, (u8, Option<Digest>)> = HashMap::new();
        let mut add = |path, bit: u8| roles.entry(path).or_default().0 |= bit;
        seen.candidates.iter().for_each(|c| add(&c.path, role::CANDIDATE));
        seen.passing.iter().for_each(|p| add(p, role::PASSES));
        seen.over.iter().for_each(|p| add(p, role::SKIPPED));
        seen.manifests.keys().for_each(|p| add(p, role::WHOLE));
        whole.iter().for_each(|p| add(p, role::WHOLE));
        errors.iter().for_each(|p| add(p, role::ERRORS));
        for (path, outside) in &told.files {
            roles.entry(path).or_default().1 = Some(*outside);
        }
        let was = before.map(|b| &b.roles);
        let mut files = stamps.files;
        for e in &mut files {
            (e.roles, e.outside) = roles.get(&e.path).copied().unwrap_or_default();
            if let Some((bits, outside)) = was.and_then(|w| w.get(&e.path)) {
                e.roles |= bits & !(role::ERRORS | role::CANDIDATE);
                e.outside = e.outside.or(*outside);
            }
        }
        let key = self.key(look);
        let mut h = Hasher::new();
        h.digest(key);
        for e in &files {
            let s = e.stamp;
            h.part(e.path.as_str()).number(s.size).number(s.modified).number(s.changed);
            h.number(s.inode);
        }
        let generation = h.finish();
        let told = CachedScan {
            generation,
            skipped: seen.skipped.clone(),
            passed: seen.passed.clone(),
            wide: seen.wide.declared().cloned(),
            wider: seen.wide.sets(),
            manifests: seen.manifests.keys().cloned().collect(),
            index: told.index,
        };
        self.write("told", &told)?;
        self.write("seen", &ScanIndex { format: FORMAT, key, generation, files })?;
        Some(generation)
    }

    fn read<T: DeserializeOwned>(&self, name: &str) -> Option<T> {
        postcard::from_bytes(&std::fs::read(self.folder.join(name)).ok()?).ok()
    }

    /// What cannot be kept is only looked up again.
    fn write(&self, name: &str, value: &impl Serialize) -> Option<()> {
        let (temp, path) = (self.folder.join(format!("{name}.new")), self.folder.join(name));
        std::fs::write(&temp, postcard::to_stdvec(value).ok()?).ok()?;
        std::fs::rename(temp, path).ok()
    }
}

/// What a run saw, to be kept.
pub(crate) struct ScanData<'a> {
    pub(crate) seen: &'a Scan,
    /// Files of which the whole text was asked for.
    pub(crate) whole: BTreeSet<RelPath>,
    pub(crate) errors: &'a BTreeSet<RelPath>,
    pub(crate) told: OutsideFacts,
}

/// What files say to others, as it was before the first step.
pub(crate) struct OutsideFacts {
    index: CachedIndex,
    files: Vec<(RelPath, Digest)>,
}

impl OutsideFacts {
    pub(crate) fn of(index: &Index) -> Self {
        Self { index: index.keep(), files: index.outside() }
    }

    /// Adds files that were asked later on.
    pub(crate) fn and(mut self, index: &Index) -> Self {
        let known: HashSet<RelPath> = self.files.iter().map(|f| f.0.clone()).collect();
        self.files.extend(index.outside().into_iter().filter(|f| !known.contains(&f.0)));
        self
    }
}

fn same(project: &Project, was: &StampedFile, is: &StampedFile) -> bool {
    was.stamp == is.stamp
        && was.digest.is_none_or(|digest| {
            let now = || project.bytes(&was.path).ok().map(|b| Digest::of(&b));
            is.digest.or_else(now) == Some(digest)
        })
}

/// What a changed file is to the run now; `None` if that may matter to other files.
fn inside_only(
    look: &Look<'_>,
    wide: &ExtraNames,
    index: &Index,
    was: &StampedFile,
) -> Option<(RelPath, u8)> {
    let Recheck { wanted, declares, passes, skipped } = look.once_more(&was.path, wide, index);
    if skipped || was.roles & (role::WHOLE | role::SKIPPED) != 0 {
        return None;
    }
    if look.carries_more(&was.path, wide, index) {
        return None;
    }
    if passes != (was.roles & role::PASSES != 0) || declares && was.outside.is_none() {
        return None;
    }
    if let Some(outside) = was.outside {
        let language = look.plan.world.language_of(&was.path)?;
        let bytes = look.project.bytes(&was.path).ok()?;
        let text = Text::decode(&bytes).ok()?;
        let tree = Tree::parse_file(language, &was.path, text.as_str());
        let facts = FileFacts::outline(language, &tree, text.as_str(), &was.path, index.files());
        if facts.outside(language, text.as_str()) != outside {
            return None;
        }
    }
    let candidate = if wanted { role::CANDIDATE } else { 0 };
    Some((was.path.clone(), was.roles & !(role::ERRORS | role::CANDIDATE) | candidate))
}
