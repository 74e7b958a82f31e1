//! The files of a project, as the languages ask for them: what exists, and what stands in it by now.

use std::collections::HashMap;
use std::sync::{OnceLock, RwLock};

use emendo_lang::Files;
use emendo_text::{RelPath, Text};

use crate::project::Project;

/// The files of a run.
pub(crate) struct ProjectFiles {
    project: Project,
    /// All paths, in order.
    paths: Vec<RelPath>,
    /// Texts that steps have changed.
    changed: HashMap<RelPath, String>,
    /// Places in `paths` by the last part of the path.
    named: OnceLock<HashMap<String, Vec<usize>>>,
    /// Texts of files that are no code: small, and asked for again and again.
    settings: RwLock<HashMap<RelPath, Option<String>>>,
}

impl ProjectFiles {
    /// The files of these paths, which are in order.
    pub(crate) fn new(project: &Project, paths: Vec<RelPath>) -> Self {
        Self {
            project: project.clone(),
            paths,
            changed: HashMap::new(),
            named: OnceLock::new(),
            settings: RwLock::default(),
        }
    }

    /// All paths, in order.
    pub(crate) fn paths(&self) -> &[RelPath] {
        &self.paths
    }

    /// The same files, some of them with other texts.
    pub(crate) fn with(&self, changed: HashMap<RelPath, String>) -> Self {
        Self { changed, ..Self::new(&self.project, self.paths.clone()) }
    }

    fn read(&self, path: &RelPath) -> Option<String> {
        let bytes = std::fs::read(self.project.path(path)).ok()?;
        Text::decode(&bytes).ok().map(|t| t.as_str().to_owned())
    }
}

impl Files for ProjectFiles {
    fn exists(&self, path: &str) -> bool {
        self.paths.binary_search_by(|p| p.as_str().cmp(path)).is_ok()
    }

    fn text(&self, path: &RelPath) -> Option<String> {
        if let Some(text) = self.changed.get(path) {
            return Some(text.clone());
        }
        if emendo_lang::language_of(path).is_some() {
            return self.read(path);
        }
        if let Some(known) = self.settings.read().ok()?.get(path) {
            return known.clone();
        }
        let text = self.read(path);
        self.settings.write().ok()?.insert(path.clone(), text.clone());
        text
    }

    fn named(&self, name: &str) -> Vec<RelPath> {
        let named = self.named.get_or_init(|| {
            let mut named: HashMap<String, Vec<usize>> = HashMap::new();
            for (i, path) in self.paths.iter().enumerate() {
                named.entry(path.name().to_owned()).or_default().push(i);
            }
            named
        });
        named.get(name).into_iter().flatten().map(|i| self.paths[*i].clone()).collect()
    }
}
