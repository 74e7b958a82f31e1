//! How the tree would look without some steps: their edits are left out, with those that need them, and all else is written as it was.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::io;
use std::sync::Arc;

use emendo_text::{Digest, RelPath, merge_lines};

use crate::apply::FileChange;
use crate::edits::{Edit, StepKey};
use crate::project::FileSource;
use crate::replay::past::{Otherwise, Past};
use crate::replay::{Rehearsal, RehearsedRun};
use crate::session::SessionError;

/// A tree beside the one on disk.
#[derive(Clone, Debug, Default)]
pub struct Variant {
    /// What is otherwise than on disk: the content, or none where there is to be no file.
    pub files: BTreeMap<RelPath, Option<Arc<Vec<u8>>>>,
    /// How many edits of the steps are left out.
    pub edits: usize,
    /// How many others are left out since they need one of these.
    pub along: usize,
}

/// Where a file lies, with its content; none where there is no file.
type Stand = Option<(RelPath, Arc<Vec<u8>>)>;

impl Rehearsal {
    /// True if the edits are written already: the tree on disk is the one with them.
    pub fn is_written(&self) -> bool {
        self.written
    }

    /// The tree with all of it.
    ///
    /// # Errors
    /// If a file cannot be read.
    pub fn whole(&self) -> Result<Variant, SessionError> {
        self.without(&HashSet::new())
    }

    /// The tree as it was before.
    ///
    /// # Errors
    /// If a journal cannot be read.
    pub fn before(&self) -> Result<Variant, SessionError> {
        if !self.written {
            return Ok(Variant::default());
        }
        let past = Past::before(&self.journals, 0, Otherwise::new());
        let paths: Vec<RelPath> = past.touched().cloned().collect();
        let files = paths.into_iter().map(|p| Ok((p.clone(), self.read(&past, &p)?)));
        let mut out = Variant { files: files.collect::<io::Result<_>>()?, ..Variant::default() };
        self.as_on_disk(&mut out)?;
        Ok(out)
    }

    /// The tree without the edits of some steps, and without those that need one of them.
    ///
    /// # Errors
    /// If the project cannot be read.
    pub fn without(&self, steps: &HashSet<StepKey>) -> Result<Variant, SessionError> {
        let (mut otherwise, mut out) = (Otherwise::new(), Variant::default());
        for (i, run) in self.runs.iter().enumerate() {
            if steps.is_empty() && otherwise.is_empty() {
                continue;
            }
            let past = |o: Otherwise| Past::before(&self.journals, run.before, o);
            let decisions = run.without(steps);
            let more: HashSet<RelPath> = otherwise.keys().cloned().collect();
            let (proposal, outcomes) =
                run.over(&self.project, past(otherwise.clone()), &decisions, Some(&more))?;
            let kept = RehearsedRun::ids(proposal.edits());
            let gone = run.edits().filter(|e| !e.derived && !kept.contains(&e.id));
            let (own, along): (Vec<&Edit>, Vec<&Edit>) =
                gone.partition(|e| steps.contains(&e.step));
            (out.edits, out.along) = (out.edits + own.len(), out.along + along.len());
            let was = past(Otherwise::new());
            otherwise = self.carried(i, (&outcomes, &was), otherwise)?;
        }
        if !self.written {
            // The tree on disk is the one before: what the run makes of it comes first.
            let runs = self.runs.iter().flat_map(|r| &r.outcomes);
            for o in runs {
                let gone = o.from.as_ref().filter(|f| o.to.as_ref() != Some(*f));
                out.files.extend(gone.map(|f| (f.clone(), None)));
            }
            for o in self.runs.iter().flat_map(|r| &r.outcomes) {
                let there = o.to.as_ref().map(|to| (to.clone(), Some(Arc::new(o.after.clone()))));
                out.files.extend(there);
            }
        }
        out.files.extend(otherwise);
        self.as_on_disk(&mut out)?;
        Ok(out)
    }

    /// What is otherwise after a run, by what it made of the files in this variant.
    fn carried(
        &self,
        i: usize,
        (outcomes, was): (&[FileChange], &Past),
        before: Otherwise,
    ) -> io::Result<Otherwise> {
        let run = &self.runs[i];
        let mut all: BTreeMap<RelPath, (Stand, Stand)> = BTreeMap::new();
        for path in before.keys() {
            let there = |bytes: Option<Arc<Vec<u8>>>| bytes.map(|b| (path.clone(), b));
            let here = there(before.get(path).cloned().flatten());
            all.insert(path.clone(), (there(self.read(was, path)?), here));
        }
        let key = |o: &FileChange| o.from.as_ref().or(o.to.as_ref()).cloned();
        let stand = |o: &FileChange| Some((o.to.clone()?, Arc::new(o.after.clone())));
        let of = |list: &[FileChange]| -> HashMap<RelPath, (FileChange, Stand)> {
            list.iter().filter_map(|o| Some((key(o)?, (o.clone(), stand(o))))).collect()
        };
        let (whole, variant) = (of(&run.outcomes), of(outcomes));
        let paths: BTreeSet<&RelPath> = whole.keys().chain(variant.keys()).collect();
        for path in paths {
            // Without an outcome a file is as it was before the run.
            let left = |changed: &FileChange| {
                changed.from.as_ref().map(|f| (f.clone(), Arc::new(changed.before.clone())))
            };
            let known = all.get(path).cloned();
            let stands = |own: Option<&(FileChange, Stand)>,
                          was: Option<Stand>,
                          other: Option<&(FileChange, Stand)>| {
                match own {
                    Some((_, stand)) => stand.clone(),
                    None => was.unwrap_or_else(|| other.and_then(|(o, _)| left(o))),
                }
            };
            let (w, v) = (whole.get(path), variant.get(path));
            let by_us = stands(w, known.as_ref().map(|k| k.0.clone()), v);
            let here = stands(v, known.map(|k| k.1), w);
            all.insert(path.clone(), (by_us, here));
        }
        self.against(i, all.into_values().collect())
    }

    /// What is otherwise than after a run, where files differ between it and a variant of it.
    fn against(&self, i: usize, all: Vec<(Stand, Stand)>) -> io::Result<Otherwise> {
        let (mut gone, mut there) = (Otherwise::new(), Otherwise::new());
        for (whole, variant) in all.into_iter().filter(|(w, v)| w != v) {
            let after = match &whole {
                Some((path, bytes)) => self.after(i, path, bytes)?,
                None => None,
            };
            if let Some((path, _)) = &whole {
                gone.insert(path.clone(), None);
            }
            let Some((path, bytes)) = variant else { continue };
            let content = match (&whole, after) {
                (Some((_, whole)), Some(after)) if after != *whole => {
                    Arc::new(merge_lines(whole, &bytes, &after))
                }
                _ => bytes,
            };
            there.insert(path, Some(content));
        }
        gone.extend(there);
        Ok(gone)
    }

    /// What stands at a path after a run: someone may have changed what it wrote.
    fn after(
        &self,
        i: usize,
        path: &RelPath,
        bytes: &Arc<Vec<u8>>,
    ) -> io::Result<Option<Arc<Vec<u8>>>> {
        match self.runs.get(i + 1) {
            Some(next) => {
                let past = Past::before(&self.journals, next.before, Otherwise::new());
                self.read(&past, path)
            }
            None if self.written => self.on_disk(path),
            None => Ok(Some(bytes.clone())),
        }
    }

    fn read(&self, past: &Past, path: &RelPath) -> io::Result<Option<Arc<Vec<u8>>>> {
        there(past.bytes(&self.project.path(path), path))
    }

    fn on_disk(&self, path: &RelPath) -> io::Result<Option<Arc<Vec<u8>>>> {
        match self.project.bytes(path) {
            Ok(bytes) => Ok(Some(bytes)),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(e) => Err(e),
        }
    }

    /// Leaves out what is as it is on disk.
    fn as_on_disk(&self, variant: &mut Variant) -> io::Result<()> {
        let mut same = Vec::new();
        for (path, content) in &variant.files {
            if self.on_disk(path)? == *content {
                same.push(path.clone());
            }
        }
        same.iter().for_each(|p| drop(variant.files.remove(p)));
        Ok(())
    }
}

impl RehearsedRun {
    fn ids<'e>(edits: impl Iterator<Item = &'e Edit>) -> HashSet<Digest> {
        edits.filter(|e| e.standing == crate::edits::Standing::In).map(|e| e.id).collect()
    }
}

fn there(read: io::Result<Vec<u8>>) -> io::Result<Option<Arc<Vec<u8>>>> {
    match read {
        Ok(bytes) => Ok(Some(Arc::new(bytes))),
        Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(None),
        Err(e) => Err(e),
    }
}
