//! Whether what is kept has changed since somebody looked.

use std::path::Path;
use std::time::SystemTime;

/// How the files of decisions and of the proposal were when somebody looked: their lengths and times, where they are there.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Stamp {
    /// The log of decisions.
    pub decisions: Option<(u64, SystemTime)>,
    /// The proposal.
    pub proposal: Option<(u64, SystemTime)>,
}

impl Stamp {
    /// How they are now.
    pub(crate) fn of(state: &Path) -> Self {
        let of = |name: &str| {
            let meta = std::fs::metadata(state.join(name)).ok()?;
            Some((meta.len(), meta.modified().ok()?))
        };
        Self { decisions: of("decisions.jsonl"), proposal: of("proposal.jsonl") }
    }
}
