//! `propose`: computes what recipes would change; no file of the project changes.

use std::process::ExitCode;

use clap::Args;
use emendo_core::{Limit, SkipReason, locks_of, summarize, unmet};
use emendo_report::json;

use crate::errors::{REFUSED, Shown, TO_DO, Usage};
use crate::globals::{Globals, inputs, load, refuse_faulty};
use crate::progress::Progress;
use crate::show;
use crate::show::LOOK;

/// Compute what recipes would change; no file of the project changes
///
/// Prints a summary by step, the notes, and a diff whose hunks name their steps. Decisions from earlier runs still apply.
#[derive(Args)]
pub(crate) struct Propose {
    /// Recipes in the order in which they run: files, or ids that `recipe list` shows
    #[arg(required = true, value_name = "RECIPE")]
    recipes: Vec<String>,
    /// A value for an input of the recipe; may be given several times
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
    /// Run only this step, or the steps of the recipe that it includes; may be given several times
    #[arg(long, value_name = "STEP")]
    step: Vec<String>,
    /// Stop after this step
    #[arg(long, value_name = "STEP")]
    until: Option<String>,
    /// Exit with 1 if there is anything to change or to review
    #[arg(long)]
    check: bool,
    /// Also look into files that are normally skipped
    #[arg(long, value_name = "KIND", value_parser = ["vendored", "minified", "generated"])]
    with: Vec<String>,
    /// Print the summary without the diff
    #[arg(long)]
    brief: bool,
}

impl Propose {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let inputs = inputs(&self.inputs)?;
        let mut checked = load(globals, &self.recipes, &inputs)?;
        refuse_faulty(&checked)?;
        let limit = Limit { steps: self.step.clone(), until: self.until.clone() };
        checked.limit(&limit).map_err(|what| {
            Usage::error(what, "`emendo recipe show RECIPE` shows what each one does")
        })?;
        let with: Vec<SkipReason> = SkipReason::INCLUDABLE
            .iter()
            .filter(|(w, _)| self.with.iter().any(|g| g == w))
            .map(|(_, k)| *k)
            .collect();
        let session = globals.session()?;
        let missing =
            unmet(session.world(), session.project(), &checked.recipes, &crate::machine::installed);
        if !missing.is_empty() {
            use std::io::Write;
            let mut err = anstream::stderr().lock();
            for m in &missing {
                writeln!(err, "{}: {}\n  = help: {}", m.recipe, m.says, m.help)?;
            }
            writeln!(err, "\nnothing was proposed: the project is not ready yet")?;
            return Err(Shown(REFUSED).into());
        }
        unprotected(&crate::git::health(session.project().root()))?;
        let mut bar = Progress::new();
        let proposal =
            session.propose(&checked, &inputs, &with, &mut |done, all| bar.at(done, all))?;
        drop(bar);
        let decisions = session.decisions()?;
        let summary = summarize(&proposal, &decisions);
        let mut out = anstream::stdout().lock();
        if globals.json {
            show::json(&mut out, &json::proposal(&proposal, &summary, &decisions))?;
        } else {
            show::proposal(&mut out, &proposal, &summary, &decisions, !self.brief)?;
            let raised = proposal.edits().filter(|e| e.action == "library").map(|e| &e.path);
            show::locks(&mut out, &locks_of(session.world(), session.project(), raised))?;
        }
        let open = summary.total.edits > summary.total.rejected
            || summary.total.notes > 0
            || summary.total.withheld > 0;
        Ok(if self.check && open { ExitCode::from(TO_DO) } else { ExitCode::SUCCESS })
    }
}

/// Says that the user's own changes cannot be recognised, where that is so.
pub(crate) fn unprotected(health: &crate::git::Health) -> std::io::Result<()> {
    use std::io::Write;
    let text = match health {
        crate::git::Health::Fine => return Ok(()),
        crate::git::Health::NoTree => {
            "no git tree: your own changes cannot be recognised, and nothing keeps them".to_owned()
        }
        other => format!(
            "{}: your own changes cannot be recognised, and `emendo apply` will refuse",
            other.problem().unwrap_or_default()
        ),
    };
    writeln!(anstream::stderr(), "{LOOK}note{LOOK:#}: {text}")
}
