//! Which files a project holds, and what stands in them: two trees of one identity give the same to a build.

use std::collections::{BTreeMap, BTreeSet};

use emendo_text::{Digest, Hasher, RelPath};
use rayon::prelude::*;

use crate::project::{Project, SkipReason, walk};

/// The files of a project by what stands in them. What ignore files name, and code of others that is kept here, is not among them.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TreeState(BTreeMap<RelPath, Digest>);

impl TreeState {
    /// The files as they lie.
    pub(crate) fn of(project: &Project) -> Self {
        let with = [SkipReason::Minified, SkipReason::Generated];
        let files = walk(project, &with).files;
        let known = files.into_par_iter().filter_map(|path| {
            let digest = Digest::of(&project.bytes(&path).ok()?);
            Some((path, digest))
        });
        Self(known.collect())
    }

    /// What two trees of the same files have in common.
    pub fn id(&self) -> Digest {
        let mut h = Hasher::new();
        for (path, digest) in &self.0 {
            h.part(path.as_str()).part(digest.to_string());
        }
        h.finish()
    }

    /// Files that are not the same in another, or stand in one of them only.
    pub fn unlike(&self, other: &Self) -> BTreeSet<RelPath> {
        let differs = |(path, digest): &(&RelPath, &Digest)| other.0.get(*path) != Some(*digest);
        let here = self.0.iter().filter(differs).map(|f| f.0.clone());
        here.chain(other.0.keys().filter(|p| !self.0.contains_key(*p)).cloned()).collect()
    }

    /// The same without some files.
    #[must_use]
    pub fn without(mut self, paths: &BTreeSet<RelPath>) -> Self {
        self.0.retain(|p, _| !paths.contains(p));
        self
    }

    /// The paths in order.
    pub fn paths(&self) -> impl Iterator<Item = &RelPath> {
        self.0.keys()
    }
}
