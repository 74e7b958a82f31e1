//! `review`: decide on a screen, or line by line.

mod editor;
mod plain;
mod screen;
mod work;

use std::io::IsTerminal;
use std::process::ExitCode;
use std::sync::Arc;

use clap::Args;
use emendo_core::{OpenWork, Session, SessionError};
use emendo_review::{KeyMap, Model};

use crate::commands::verify;
use crate::errors::Usage;
use crate::globals::Globals;
use crate::progress::Progress;

/// Decide on a screen: read each place, take it, leave it, put it in your own words
///
/// Every decision is kept at once: stop when you like, and go on later. `?` lists the keys; `[keys]` in emendo.toml changes them. With
/// `--plain` the same is asked line by line, in whole words.
#[derive(Args)]
pub(crate) struct Review {
    /// Ask line by line, and read the answers from standard input
    #[arg(long)]
    plain: bool,
}

impl Review {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        if globals.json {
            return Err(Usage::error(
                "a review has no result to print as JSON",
                "`emendo show --json` gives the proposal, `emendo accept --json` decides",
            ));
        }
        let terminal = std::io::stdin().is_terminal() && std::io::stdout().is_terminal();
        if !self.plain && !terminal {
            return Err(Usage::error(
                "the screen needs a terminal",
                "`emendo review --plain` asks line by line; `accept`, `reject`, `choose` and `reword` decide without questions",
            ));
        }
        let session = globals.session()?;
        let keys = KeyMap::with(session.project().keys()).map_err(|why| {
            Usage::error(format!("emendo.toml is faulty: {why}"), "correct `[keys]` there")
        })?;
        let model = model(&session, keys)?;
        match self.plain {
            true => plain::run(&session, model)?,
            false => screen::run(&session, model)?,
        }
        let mut out = anstream::stdout().lock();
        if let Some(proposal) = session.proposal()? {
            let open = OpenWork::of(&proposal, &session.decisions()?).counts();
            crate::open::line(&mut out, &open)?;
        }
        Ok(ExitCode::SUCCESS)
    }
}

/// The state of a review, of the proposal as it holds for the files by now.
fn model(session: &Session, keys: KeyMap) -> anyhow::Result<Model> {
    let proposal = session.proposal()?.ok_or(SessionError::NoProposal)?;
    // Whoever may not decide here is told before the screen is there.
    session.store(&[])?;
    let proposal = if proposal.trailer.derived {
        let mut bar = Progress::new();
        session.recompute(&mut |done, all| bar.at(done, all))?
    } else {
        proposal
    };
    let decisions = session.decisions()?;
    let check = verify::last(session)?.map(|v| verify::said::plain_line(&v));
    let model = Model::new(session.world().clone(), Arc::new(proposal), decisions, keys);
    Ok(model.with_check(check))
}
