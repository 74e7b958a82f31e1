//! What remains to be done: the lists, and what was looked for to make them.

use std::collections::BTreeMap;

use crate::look::{UnreadFile, unread};
use crate::plan::{Unnamed, unnamed};
use crate::recipes::Checked;
use crate::review::{Header, Proposal};
use crate::session::Session;
use crate::session::error::SessionError;

/// What remains of the old API, and what was looked for.
pub struct Remaining {
    /// What the recipes would still do.
    pub proposal: Proposal,
    /// How many old names, keys and libraries were looked for.
    pub looked_for: usize,
    /// What steps change without a name to look for.
    pub unnamed: Vec<Unnamed>,
    /// Files that were passed over and hold an old name.
    pub unread: Vec<UnreadFile>,
}

impl Session {
    /// What remains, of these recipes.
    ///
    /// # Errors
    /// If the project cannot be read.
    pub fn remaining(
        &self,
        checked: &Checked,
        inputs: &BTreeMap<String, String>,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Remaining, SessionError> {
        let header = self.header(checked, inputs, &[]);
        self.remaining_of(checked, header, progress)
    }

    /// The same for the recipes of the last proposal, or of the last apply; `None` if there is neither.
    ///
    /// # Errors
    /// If the project or a recipe cannot be read.
    pub fn still_remaining(
        &self,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Option<Remaining>, SessionError> {
        let Some((checked, header)) = self.last_recipes()? else { return Ok(None) };
        self.remaining_of(&checked, header, progress).map(Some)
    }

    fn remaining_of(
        &self,
        checked: &Checked,
        header: Header,
        progress: &mut dyn FnMut(u64, u64),
    ) -> Result<Remaining, SessionError> {
        let proposal = self.look_with(checked, header, progress)?;
        let plan = &checked.plan;
        Ok(Remaining {
            looked_for: plan.watches.iter().map(|w| w.about.len()).sum(),
            unnamed: unnamed(&plan.steps),
            unread: unread(self.project(), plan, &proposal.trailer.counts.passed),
            proposal,
        })
    }
}
