//! Decisions about edits, notes and leftovers.

use crate::edits::{Decision, Decisions};
use crate::review::{
    Decided, OpenWork, Proposal, Refusal, Selection, SelectionError, SelectionWay, accept, begins,
    pick, reject, reopen, select, tick_off,
};
use crate::session::Session;
use crate::session::error::SessionError;

/// What decides: from the proposal, the decisions so far and a selection.
type Decides =
    fn(&Proposal, &Decisions, &Selection) -> Result<(Decided, Vec<Decision>), SelectionError>;

impl Session {
    /// Computes again what depends on decisions that changed.
    fn refresh(&self, proposal: &Proposal) -> Result<Proposal, SessionError> {
        let checked = self.recipes_of(&proposal.header)?;
        self.run_view(&checked, proposal.header.clone(), &mut |_, _| {})
    }

    /// The proposal as it holds for the files by now: what an apply left of one is computed first. Only who holds the lock may ask.
    pub(crate) fn current(&self) -> Result<Proposal, SessionError> {
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        if proposal.trailer.derived { self.refresh(&proposal) } else { Ok(proposal) }
    }

    /// Decides, and computes again what depends on it where that can be more than a word in a list.
    fn decide(
        &self,
        selection: &Selection,
        decides: Decides,
        again: bool,
    ) -> Result<Decided, SessionError> {
        let _lock = self.lock_settled()?;
        let proposal = self.current()?;
        self.refuse_applied(&proposal, selection)?;
        let (mut decided, log) = decides(&proposal, &self.decisions()?, selection)?;
        Decisions::append(&self.log()?, &log)?;
        let proposal = match again && !decided.decided.is_empty() {
            true => self.refresh(&proposal)?,
            false => proposal,
        };
        decided.open = OpenWork::of(&proposal, &self.decisions()?).counts();
        Ok(decided)
    }

    /// Keeps decisions that were made with a proposal at hand. What depends on them is computed by [`Session::recompute`].
    ///
    /// # Errors
    /// If they cannot be written, or the state folder is not to be trusted.
    pub fn store(&self, decisions: &[Decision]) -> Result<(), SessionError> {
        let state = self.project().state()?;
        if !self.trusts(&state)? {
            return Err(SessionError::Untrusted(state));
        }
        Ok(Decisions::append(&self.log()?, decisions)?)
    }

    /// The proposal anew, under the decisions as they are now.
    ///
    /// # Errors
    /// If there is none, or a recipe or the project cannot be read.
    pub fn recompute(&self, progress: &mut dyn FnMut(u64, u64)) -> Result<Proposal, SessionError> {
        let _lock = self.lock_settled()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let checked = self.recipes_of(&proposal.header)?;
        self.run_view(&checked, proposal.header, progress)
    }

    /// An edit that was applied is in no proposal any more.
    pub(crate) fn refuse_applied(
        &self,
        proposal: &Proposal,
        selection: &Selection,
    ) -> Result<(), SessionError> {
        let open = |word: &&String| !proposal.edits().any(|e| begins(e.id, word));
        let Some(word) = selection.edits.iter().find(open) else { return Ok(()) };
        let journals = self.journals()?;
        let written = journals.iter().filter(|j| !j.unfinished());
        match written.flat_map(|j| &j.ops.decisions).any(|d| begins(d.edit, word)) {
            true => Err(SessionError::Selection(SelectionError {
                message: format!("`{word}` was applied"),
                way: SelectionWay::TakeBack,
            })),
            false => Ok(()),
        }
    }

    /// Accepts the edits of a selection.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn accept(&self, selection: &Selection) -> Result<Decided, SessionError> {
        self.decide(selection, accept, false)
    }

    /// Rejects the edits of a selection; what builds on them is computed again.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn reject(&self, selection: &Selection) -> Result<Decided, SessionError> {
        self.decide(selection, reject, true)
    }

    /// Takes decisions back that are not written yet; what builds on them is computed again.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn reopen(&self, selection: &Selection) -> Result<Decided, SessionError> {
        self.decide(selection, reopen, true)
    }

    /// Ticks notes and leftovers off, in later runs too.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn tick_off(&self, selection: &Selection) -> Result<Decided, SessionError> {
        self.decide(selection, tick_off, false)
    }

    /// Picks an alternative of each selected choice that has one of this name.
    ///
    /// # Errors
    /// If there is no proposal, the selection fits nothing, or no edit has that alternative.
    pub fn choose(&self, selection: &Selection, label: &str) -> Result<Decided, SessionError> {
        let _lock = self.lock_settled()?;
        let proposal = self.current()?;
        self.refuse_applied(&proposal, selection)?;
        let selected = select(&proposal, selection)?;
        let each = !selection.edits.is_empty();
        let (mut out, log) = pick(&self.decisions()?, &selected, label, each);
        if out.decided.is_empty() {
            let why = match out.refused.first() {
                Some((e, Refusal::Other(why))) => format!(" (`{}`: {why})", e.id.short(8)),
                Some((e, _)) => format!(" (`{}` is rejected: name it by itself)", e.id.short(8)),
                None => String::new(),
            };
            return Err(SessionError::Selection(SelectionError::new(format!(
                "no selected edit has an alternative `{label}`{why}"
            ))));
        }
        Decisions::append(&self.log()?, &log)?;
        let proposal = self.refresh(&proposal)?;
        out.open = OpenWork::of(&proposal, &self.decisions()?).counts();
        Ok(out)
    }
}
