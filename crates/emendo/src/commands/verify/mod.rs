//! `verify`: does the project still build and pass, and if not, which step broke it?

mod copy;
pub(crate) mod said;
mod telling;
mod work;

use std::process::ExitCode;

use clap::Args;
use emendo_core::{Project, Rehearsal, Session, SessionError, StepKey};
use emendo_report::json;
use emendo_verify::{History, Trial, Trials, Verification, new_problems, search};

use crate::commands::verify::copy::Copies;
use crate::commands::verify::telling::Telling;
use crate::commands::verify::work::Work;
use crate::errors::{FAILED, Usage};
use crate::globals::Globals;
use crate::programs::check::CheckCommand;
use crate::programs::confirmed::{Consent, confirm};
use crate::show;

/// Run the project's check before and after; on failure find the step that broke it
///
/// Before anything is applied it runs the check in the project, and keeps what it says. Afterwards it runs it again and says what is new,
/// with the edit, note or leftover that is nearest to each error. If the check fails only since, steps are left out one by one in a
/// copy of the project until the guilty ones are found. Exits with 4 if the check fails.
#[derive(Args)]
pub(crate) struct Verify {
    /// The check, run as it is given; without it the `check` of emendo.toml
    #[arg(last = true, value_name = "COMMAND")]
    command: Vec<String>,
    /// Check what is accepted and not written yet, in a copy of the project
    #[arg(long)]
    ahead: bool,
    /// How often the check may run in the copy to find the step
    #[arg(long, value_name = "TIMES", default_value_t = 12)]
    tries: usize,
    /// Say what fails, and do not look for the step
    #[arg(long)]
    no_search: bool,
    /// Run the check over the tree before the edits again, although that result is known
    #[arg(long)]
    again: bool,
    /// Copy the project even if it is larger than 2 GB
    #[arg(long)]
    copy: bool,
    /// Show what the last verification said, and run nothing
    #[arg(long, conflicts_with_all = ["command", "ahead", "again"])]
    last: bool,
    /// The commands that emendo.toml names may run here, now and later
    #[arg(long)]
    trust_command: bool,
}

impl Verify {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session()?;
        if self.last {
            let last = History::new(session.checks()?).last();
            let Some(last) = last else {
                return Err(Usage::error(
                    "nothing was verified here yet",
                    "`emendo verify -- COMMAND` runs the project's check",
                ));
            };
            return self.shows(globals, &session, &last);
        }
        let (command, below) = self.command(globals, &session)?;
        let prepare = session.project().prepare().map(str::to_owned);
        self.confirm(globals, &session, prepare.as_deref())?;
        let history = History::new(session.make_checks()?);
        let telling = Telling::new(globals.json);
        let applies = applies(&session)?;
        let work = Work {
            applies: &applies,
            session: &session,
            history: &history,
            command: &command,
            below: &below,
            prepare: prepare.as_deref(),
            any_size: self.copy,
            telling: &telling,
        };
        let verification = match (self.ahead, !applies.is_empty()) {
            (true, _) => self.ahead(&work)?,
            (false, true) => self.after(&work)?,
            (false, false) => work.baseline()?,
        };
        history.keep_last(&verification)?;
        self.shows(globals, &session, &verification)
    }

    fn shows(
        &self,
        globals: &Globals,
        session: &Session,
        v: &Verification,
    ) -> anyhow::Result<ExitCode> {
        let mut out = anstream::stdout().lock();
        let folder = session.checks()?;
        if globals.json {
            show::json(&mut out, &json::verified(v, &folder))?;
        } else {
            said::verification(&mut out, v, session)?;
        }
        Ok(if v.passed() { ExitCode::SUCCESS } else { ExitCode::from(FAILED) })
    }

    /// The check, and the folder that it runs in: where the user stands, or the root for that of the settings.
    fn command(
        &self,
        globals: &Globals,
        session: &Session,
    ) -> anyhow::Result<(CheckCommand, String)> {
        if !self.command.is_empty() {
            let here = Project::open(&globals.dir).map_err(SessionError::from)?;
            return Ok((CheckCommand::Program(self.command.clone()), here.below().to_owned()));
        }
        match session.project().check() {
            Some(line) => Ok((CheckCommand::Shell(line.to_owned()), String::new())),
            None => Err(Usage::error(
                "there is no check to run",
                "give one: `emendo verify -- COMMAND`, or name it in emendo.toml: `check = \"COMMAND\"`",
            )),
        }
    }

    /// Commands of the settings run only if the user knows them.
    fn confirm(
        &self,
        globals: &Globals,
        session: &Session,
        prepare: Option<&str>,
    ) -> anyhow::Result<()> {
        let check = session.project().check().filter(|_| self.command.is_empty());
        let named: Vec<&str> = check.into_iter().chain(prepare).collect();
        confirm(session.project().root(), &named, Consent::of(self.trust_command, globals.json))
    }

    /// Over the tree as it was written, with what the check says of it before.
    fn after(&self, work: &Work<'_>) -> anyhow::Result<Verification> {
        let (tree, after) = work.in_place("after the edits")?;
        let made = work.history.made();
        let before = work.session.tree_before()?.without(&made);
        let known = || work.history.known(before.id(), &work.command.words(), work.below);
        let before = if self.again { None } else { known() };
        let out = Verification { after: Some(after), before, ..work.verification(&tree) };
        if out.passed() && !self.again {
            return Ok(out);
        }
        match work.session.rehearse_applied() {
            Ok(rehearsal) => self.examine(work, &rehearsal, out),
            Err(SessionError::Recipe(recipe)) => {
                work.telling.warn(&format!(
                    "the recipe `{recipe}` is not what it was: errors cannot be joined to its steps"
                ))?;
                Ok(out)
            }
            Err(e) => Err(e.into()),
        }
    }

    /// What is accepted, tried in a copy.
    fn ahead(&self, work: &Work<'_>) -> anyhow::Result<Verification> {
        let rehearsal = work.session.rehearse_accepted()?;
        if rehearsal.runs.iter().all(|r| r.edits().next().is_none()) {
            return Err(Usage::error(
                "nothing is accepted that is not written yet",
                "accept edits first: `emendo review`, or `emendo accept --certainty certain`",
            ));
        }
        let tree = work.session.tree().without(&work.history.made());
        let known = work.history.known(tree.id(), &work.command.words(), work.below);
        let before = match known.filter(|_| !self.again) {
            Some(known) => known,
            None => work.in_place("before the edits")?.1,
        };
        let mut copies = Copies::new(work, &rehearsal);
        let after = copies.run(&Trial::Whole)?.0;
        let (before, after) = (Some(before), Some(after));
        let out = Verification { ahead: true, before, after, ..work.verification(&tree) };
        if out.passed() {
            return Ok(out);
        }
        self.judge(work, &rehearsal, copies, out)
    }

    /// What is new, and who is to blame. Where nobody knows what the check said before, it runs in a copy of that.
    fn examine(
        &self,
        work: &Work<'_>,
        rehearsal: &Rehearsal,
        mut out: Verification,
    ) -> anyhow::Result<Verification> {
        let mut copies = Copies::new(work, rehearsal);
        if out.before.is_none() {
            out.before = Some(copies.run(&Trial::Before)?.0);
        }
        if out.passed() {
            return Ok(out);
        }
        self.judge(work, rehearsal, copies, out)
    }

    fn judge(
        &self,
        work: &Work<'_>,
        rehearsal: &Rehearsal,
        mut copies: Copies<'_>,
        mut out: Verification,
    ) -> anyhow::Result<Verification> {
        let (Some(before), Some(after)) = (&out.before, &out.after) else { return Ok(out) };
        copies.took(before);
        copies.took(after);
        let marks = work.landmarks(rehearsal)?;
        // Of equal ones those that edits stand at are taken for the new ones.
        let mut problems = after.problems.clone();
        problems.sort_by_key(|p| marks.near(p).step().is_some());
        let new = new_problems(&problems, &before.problems, &|p| marks.before(p));
        out.new = marks.placed(new);
        if out.new.is_empty() || self.no_search {
            return Ok(out);
        }
        let steps = rehearsal.runs.iter().flat_map(|r| &r.proposal.header.steps);
        let written = |key: &StepKey| rehearsal.runs.iter().any(|r| r.counts().contains_key(key));
        let mut others: Vec<StepKey> = Vec::new();
        for key in steps.map(|s| &s.key).filter(|k| written(k)) {
            if !others.contains(key) {
                others.push(key.clone());
            }
        }
        let mut suspects = marks.suspects(&out.new);
        suspects.retain(|k| others.contains(k));
        others.retain(|k| !suspects.contains(k));
        if suspects.is_empty() {
            std::mem::swap(&mut suspects, &mut others);
        }
        if suspects.is_empty() {
            return Ok(out);
        }
        work.telling.searching(suspects.len(), self.tries)?;
        let before = out.before.as_ref().filter(|b| !b.in_copy);
        let mut n = 0;
        let tries = self.tries;
        let mut tell = |a: &_| {
            n += 1;
            work.telling.attempt(n, tries, a);
        };
        out.findings =
            Some(search((before, after), (suspects, others), tries, &mut copies, &mut tell)?);
        Ok(out)
    }
}

/// The applies that stand.
fn applies(session: &Session) -> Result<Vec<u32>, SessionError> {
    Ok(session.standing()?.iter().map(|j| j.id).collect())
}

/// The last verification, if nothing was applied or undone since.
pub(crate) fn last(session: &Session) -> Result<Option<Verification>, SessionError> {
    let last = History::new(session.checks()?).last();
    Ok(match last {
        Some(last) if last.applies == applies(session)? => Some(last),
        _ => None,
    })
}
