//! Which versions of libraries a project depends on, before and after.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::Serialize;

use crate::project::{Project, survey};
use crate::replay::Rehearsal;
use crate::replay::past::{Otherwise, Past};
use crate::session::{Session, SessionError};

/// A library whose versions are others after than before.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct LibraryChange {
    /// The ecosystem.
    pub ecosystem: &'static str,
    /// The library.
    pub coordinate: String,
    /// The versions before; none where the project did not depend on it.
    pub before: Vec<String>,
    /// The versions after; none where it does not any more.
    pub after: Vec<String>,
}

/// What is said of a library that the project depends on without saying a version.
const NO_VERSION: &str = "no version";

/// The versions of each library, each once.
type Versions = BTreeMap<(&'static str, String), Vec<String>>;

impl Session {
    /// Libraries whose versions differ between the tree before a rehearsal and the tree with it, or with another one after that.
    ///
    /// # Errors
    /// If the project cannot be read.
    pub fn library_changes(
        &self,
        first: &Rehearsal,
        then: Option<&Rehearsal>,
    ) -> Result<Vec<LibraryChange>, SessionError> {
        let tree = |otherwise: Otherwise, n: usize| {
            let past = Past::before(&first.journals, n, otherwise);
            self.project().within("").with_source(Arc::new(past))
        };
        let from = if first.written { 0 } else { first.journals.len() };
        let last = then.unwrap_or(first).whole()?;
        let otherwise: Otherwise = last.files.into_iter().collect();
        let before = self.versions(&tree(Otherwise::new(), from));
        let after = self.versions(&tree(otherwise, first.journals.len()));
        let keys: std::collections::BTreeSet<_> = before.keys().chain(after.keys()).collect();
        let change = |key: &(&'static str, String)| LibraryChange {
            ecosystem: key.0,
            coordinate: key.1.clone(),
            before: before.get(key).cloned().unwrap_or_default(),
            after: after.get(key).cloned().unwrap_or_default(),
        };
        Ok(keys.into_iter().map(change).filter(|c| c.before != c.after).collect())
    }

    fn versions(&self, project: &Project) -> Versions {
        let mut out = Versions::new();
        for library in survey(self.world(), project).libraries {
            let all = out.entry((library.ecosystem, library.coordinate)).or_default();
            for version in library.held.into_iter().filter_map(|h| h.version) {
                if !all.contains(&version) {
                    all.push(version);
                }
            }
            all.sort();
            if all.is_empty() {
                all.push(NO_VERSION.to_owned());
            }
        }
        out
    }
}
