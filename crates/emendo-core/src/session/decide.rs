//! Decisions about edits.

use crate::edits::{Decision, Decisions, Edit, Status, Verdict};
use crate::review::{Decided, Proposal, Refusal, Selection, accept, select};
use crate::session::Session;
use crate::session::error::SessionError;

impl Session {
    /// Computes again what depends on decisions that changed.
    fn refresh(&self, proposal: &Proposal) -> Result<(), SessionError> {
        let checked = self.recipes_of(&proposal.header)?;
        self.run_view(&checked, proposal.header.clone(), &mut |_, _| {})?;
        Ok(())
    }

    /// Accepts the edits of a selection.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn accept(&self, selection: &Selection) -> Result<Decided, SessionError> {
        let _lock = self.lock()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let (decided, log) = accept(&proposal, &self.decisions()?, selection)?;
        Decisions::append(&self.log()?, &log)?;
        Ok(decided)
    }

    /// Rejects the edits of a selection; what builds on them is computed again.
    ///
    /// # Errors
    /// If there is no proposal, or the selection fits nothing.
    pub fn reject(&self, selection: &Selection) -> Result<Decided, SessionError> {
        let _lock = self.lock()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let decisions = self.decisions()?;
        let edits = select(&proposal, selection)?;
        let fresh: Vec<Edit> = edits
            .into_iter()
            .filter(|e| decisions.status(e) != Status::Rejected)
            .cloned()
            .collect();
        let log: Vec<Decision> =
            fresh.iter().map(|e| Decision::about(e, Verdict::Rejected)).collect();
        Decisions::append(&self.log()?, &log)?;
        self.refresh(&proposal)?;
        Ok(Decided { decided: fresh, ..Decided::default() })
    }

    /// Picks an alternative of each selected choice that has one of this name.
    ///
    /// # Errors
    /// If there is no proposal, the selection fits nothing, or no edit has that alternative.
    pub fn choose(&self, selection: &Selection, label: &str) -> Result<Decided, SessionError> {
        let _lock = self.lock()?;
        let proposal = self.proposal()?.ok_or(SessionError::NoProposal)?;
        let mut out = Decided::default();
        let mut log = Vec::new();
        for e in select(&proposal, selection)? {
            match e.options.iter().find(|o| o.label == label) {
                Some(o) => {
                    log.push(Decision::about(
                        e,
                        Verdict::Picked { label: label.to_owned(), seal: o.seal },
                    ));
                    out.decided.push(e.clone());
                }
                None if e.options.is_empty() => {
                    out.refused.push((e.clone(), Refusal::Other("it is not a choice".into())));
                }
                None => {
                    let labels: Vec<&str> = e.options.iter().map(|o| o.label.as_str()).collect();
                    let why = format!("its alternatives are: {}", labels.join(", "));
                    out.refused.push((e.clone(), Refusal::Other(why)));
                }
            }
        }
        if out.decided.is_empty() {
            let why = match out.refused.first() {
                Some((e, Refusal::Other(why))) => format!(" (`{}`: {why})", e.id.short(8)),
                _ => String::new(),
            };
            return Err(SessionError::Selection(crate::review::SelectionError(format!(
                "no selected edit has an alternative `{label}`{why}"
            ))));
        }
        Decisions::append(&self.log()?, &log)?;
        self.refresh(&proposal)?;
        Ok(out)
    }
}
