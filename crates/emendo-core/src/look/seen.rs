//! What a look at files found.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use emendo_docs::Manifest;
use emendo_lang::Language;
use emendo_text::RelPath;

use crate::look::discover::ExtraWords;
use crate::plan::{Declared, Narrow, WordCache};
use crate::project::{PassedOver, SkipCounts};

/// A file that a step may look into.
#[derive(Clone)]
pub(crate) struct Candidate {
    pub(crate) path: RelPath,
    pub(crate) size: u64,
}

/// Which more files matter to which action of which step.
#[derive(Default)]
pub(crate) struct ExtraNames {
    pub(crate) narrow: Option<(Declared, Narrow)>,
    pub(crate) by_runner: HashMap<(usize, usize), Vec<ExtraWords>>,
}

impl ExtraNames {
    /// What was found on the way, in the words that it was compiled from.
    pub(crate) fn of(
        languages: &[&'static Language],
        declared: Option<Declared>,
        sets: impl IntoIterator<Item = ((usize, usize), Vec<ExtraWords>)>,
    ) -> Self {
        let compiled = |d: Declared| {
            let narrow = Narrow::new([], &d, languages);
            (d, narrow)
        };
        Self { narrow: declared.map(compiled), by_runner: sets.into_iter().collect() }
    }

    /// The words that it was compiled from.
    pub(crate) fn declared(&self) -> Option<&Declared> {
        self.narrow.as_ref().map(|n| &n.0)
    }

    /// What matters to which action.
    pub(crate) fn sets(&self) -> Vec<((usize, usize), Vec<ExtraWords>)> {
        self.by_runner.iter().map(|(at, sets)| (*at, sets.clone())).collect()
    }

    /// True if a text matters to an action by a name that was found on the way.
    pub(crate) fn met(
        &self,
        step: usize,
        runner: usize,
        text: &[u8],
        kept: &mut WordCache,
    ) -> bool {
        let (Some((_, narrow)), Some(sets)) = (&self.narrow, self.by_runner.get(&(step, runner)))
        else {
            return false;
        };
        let present = kept.present(narrow, text);
        sets.iter().any(|w| w.met(&present))
    }

    /// True if anything was found on the way.
    pub(crate) fn any(&self) -> bool {
        self.narrow.is_some()
    }

    /// True if anything was found that what a step writes may change.
    pub(crate) fn changes(&self) -> bool {
        self.by_runner.values().flatten().any(|w| !w.carried)
    }

    /// True if a member that gives objects is known.
    pub(crate) fn carries(&self, name: &str) -> bool {
        let mut carried = self.by_runner.values().flatten().filter(|w| w.carried);
        carried.any(|w| w.with.is_empty() || w.with.iter().any(|n| n == name))
    }
}

/// What the look told.
pub(crate) struct Scan {
    pub(crate) candidates: Vec<Candidate>,
    /// Files that may pass names on.
    pub(crate) passing: BTreeSet<RelPath>,
    /// Files that were passed over for what they hold.
    pub(crate) over: BTreeSet<RelPath>,
    pub(crate) manifests: BTreeMap<RelPath, Arc<Manifest>>,
    pub(crate) skipped: SkipCounts,
    /// The same by name.
    pub(crate) passed: PassedOver,
    pub(crate) wide: ExtraNames,
}
