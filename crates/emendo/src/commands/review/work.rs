//! What the review asks for and takes longer than a key may: done beside the screen, one after another.

use std::sync::Arc;

use emendo_core::{Decisions, Proposal, Session, SessionError};
use emendo_review::{Effect, Input};
use emendo_text::RelPath;

use crate::commands::apply;
use crate::programs::git;

/// Something to be done.
pub(super) enum Job {
    Compute,
    Reword(emendo_text::Digest, String),
    Prepare(Vec<RelPath>),
    Apply { with_uncommitted: bool },
}

impl Job {
    /// The job that an effect is; none for what is done at once.
    pub(super) fn of(effect: Effect) -> Result<Self, Effect> {
        match effect {
            Effect::Compute => Ok(Self::Compute),
            Effect::Reword(id, text) => Ok(Self::Reword(id, text)),
            Effect::Prepare(paths) => Ok(Self::Prepare(paths)),
            Effect::Apply { with_uncommitted } => Ok(Self::Apply { with_uncommitted }),
            other => Err(other),
        }
    }

    /// Does it; what the screen is told.
    pub(super) fn run(self, session: &Session) -> Input {
        let failed = |e: &dyn std::fmt::Display| {
            Input::Failed(emendo_text::one_line(&e.to_string()), decisions(session))
        };
        match self {
            Self::Compute => match session.recompute(&mut |_, _| {}) {
                Ok(proposal) => Input::Now(Arc::new(proposal), decisions(session)),
                Err(e) => failed(&e),
            },
            Self::Reword(id, text) => match session.reword(&id.to_string(), &text) {
                Ok(_) => match now(session) {
                    Ok((proposal, decisions)) => Input::Reworded(proposal, decisions),
                    Err(e) => failed(&e),
                },
                Err(e) => Input::Refused(id, text, emendo_text::one_line(&e.to_string())),
            },
            Self::Prepare(paths) => {
                let root = session.project().root();
                let health = git::health(root);
                Input::Ready(match health.problem() {
                    Some(why) => Err(why),
                    None => Ok(git::dirty(root, &health, &paths)),
                })
            }
            Self::Apply { with_uncommitted } => match write(session, with_uncommitted) {
                Ok((lines, true)) => Input::Applied(lines, now(session).ok()),
                Ok((lines, false)) => Input::NotApplied(lines, decisions(session)),
                Err(e) => Input::NotApplied(crate::errors::lines(&e), decisions(session)),
            },
        }
    }
}

/// Applies: what is said about it, and whether anything was written.
fn write(session: &Session, with_uncommitted: bool) -> anyhow::Result<(Vec<String>, bool)> {
    let health = git::health(session.project().root());
    let request = apply::Request { with_uncommitted, ..apply::Request::default() };
    let (applied, _) = apply::apply(session, &health, request)?;
    let locks = emendo_core::locks_of(session.world(), session.project(), applied.files.iter());
    let mut out = anstream::StripStream::new(Vec::new());
    apply::show_applied(&mut out, &applied, &locks, None)?;
    let text = String::from_utf8_lossy(&out.into_inner()).into_owned();
    Ok((text.lines().map(str::to_owned).collect(), !applied.files.is_empty()))
}

/// The decisions as they are kept; none where they cannot be read any more.
pub(super) fn decisions(session: &Session) -> Box<Decisions> {
    Box::new(session.decisions().unwrap_or_default())
}

/// The proposal and the decisions as they are now.
pub(super) fn now(session: &Session) -> Result<(Arc<Proposal>, Box<Decisions>), SessionError> {
    let proposal = session.proposal()?.ok_or(SessionError::NoProposal)?;
    let proposal = match proposal.trailer.derived {
        true => session.recompute(&mut |_, _| {})?,
        false => proposal,
    };
    Ok((Arc::new(proposal), decisions(session)))
}
