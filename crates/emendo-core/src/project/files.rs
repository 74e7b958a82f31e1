//! The files of a project, as the languages ask for them: what exists, and what stands in it by now.

use std::collections::{BTreeSet, HashMap, HashSet};
use std::sync::{Arc, OnceLock, RwLock};

use emendo_actions::World;
use emendo_lang::{Files, Remembered};
use emendo_text::{RelPath, Text};
use rayon::prelude::*;

use crate::project::Project;

/// The files of a run.
pub(crate) struct ProjectFiles {
    /// What the program knows.
    pub(crate) world: Arc<World>,
    project: Project,
    /// All paths, in order.
    paths: Vec<RelPath>,
    /// Texts that steps have changed.
    changed: HashMap<RelPath, String>,
    /// Places in `paths` by the last part of the path.
    named: OnceLock<HashMap<String, Vec<usize>>>,
    /// Texts of files that are not code: small, and asked for again and again.
    settings: RwLock<HashMap<RelPath, Option<String>>>,
    /// Files of which more was asked than what they declare.
    whole: Arc<RwLock<BTreeSet<RelPath>>>,
    /// What languages worked out of settings.
    worked_out: RwLock<HashMap<String, Remembered>>,
}

impl ProjectFiles {
    /// The files of these paths, which are in order.
    pub(crate) fn new(world: Arc<World>, project: &Project, paths: Vec<RelPath>) -> Self {
        Self {
            world,
            project: project.clone(),
            paths,
            changed: HashMap::new(),
            named: OnceLock::new(),
            settings: RwLock::default(),
            whole: Arc::default(),
            worked_out: RwLock::default(),
        }
    }

    /// All paths, in order.
    pub(crate) fn paths(&self) -> &[RelPath] {
        &self.paths
    }

    /// The same files, some of them with other texts; some are not there any more, and others are.
    pub(crate) fn with(
        &self,
        changed: HashMap<RelPath, String>,
        (away, new): (&HashSet<RelPath>, Vec<RelPath>),
    ) -> Self {
        let whole = self.whole.clone();
        let mut paths = self.paths.clone();
        if !away.is_empty() || !new.is_empty() {
            paths.retain(|p| !away.contains(p));
            paths.extend(new);
            paths.sort();
            paths.dedup();
        }
        Self { changed, whole, ..Self::new(self.world.clone(), &self.project, paths) }
    }

    /// Files of which more was asked than what they declare.
    pub(crate) fn asked_whole(&self) -> BTreeSet<RelPath> {
        self.whole.read().map(|w| w.clone()).unwrap_or_default()
    }

    fn ask_whole(&self, path: &RelPath) {
        if let Ok(mut whole) = self.whole.write() {
            whole.insert(path.clone());
        }
    }

    /// What stands in a file by now, without keeping it.
    pub(crate) fn peek(&self, path: &RelPath) -> Option<String> {
        self.changed.get(path).cloned().or_else(|| self.read(path))
    }

    /// The same, if its bytes are wanted.
    pub(crate) fn peek_if(&self, path: &RelPath, wanted: &dyn Fn(&[u8]) -> bool) -> Option<String> {
        if let Some(text) = self.changed.get(path) {
            return wanted(text.as_bytes()).then(|| text.clone());
        }
        let bytes = self.project.bytes(path).ok().filter(|b| wanted(b))?;
        Text::decode(&bytes).ok().map(|t| t.as_str().to_owned())
    }

    fn read(&self, path: &RelPath) -> Option<String> {
        let bytes = self.project.bytes(path).ok()?;
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
        if self.world.language_of(path).is_some() {
            return self.read(path);
        }
        if let Some(known) = self.settings.read().ok()?.get(path) {
            return known.clone();
        }
        let text = self.read(path);
        self.ask_whole(path);
        self.settings.write().ok()?.insert(path.clone(), text.clone());
        text
    }

    fn whole(&self, path: &RelPath) -> Option<String> {
        self.ask_whole(path);
        self.text(path)
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

    fn with_ending(&self, ending: &str) -> Vec<RelPath> {
        self.paths.iter().filter(|p| p.as_str().ends_with(ending)).cloned().collect()
    }

    fn holding(&self, word: &str) -> Vec<RelPath> {
        let find = memchr::memmem::Finder::new(word);
        let holds = |p: &&RelPath| {
            self.peek_if(p, &|bytes| {
                find.find(bytes).is_some() || bytes.iter().take(64).any(|b| *b == 0)
            })
            .is_some()
        };
        let code = self.paths.par_iter().filter(|p| self.world.language_of(p).is_some());
        code.filter(holds).cloned().collect()
    }

    fn remember(&self, key: &str, make: &mut dyn FnMut() -> Remembered) -> Remembered {
        if let Some(known) = self.worked_out.read().ok().and_then(|w| w.get(key).cloned()) {
            return known;
        }
        let made = make();
        if let Ok(mut all) = self.worked_out.write() {
            all.insert(key.to_owned(), made.clone());
        }
        made
    }
}
