//! Trials of the check in a copy of the project, over trees without some of the edits.

use std::time::Duration;

use emendo_core::{Rehearsal, TreeState, Variant};
use emendo_verify::{CheckResult, Trial, Trials};

use crate::commands::verify::work::{Work, failed_to_run};
use crate::errors::{self, Refused};
use crate::programs::check::{CheckCommand, CheckPlace, Files, run_check};
use crate::programs::scratch::{self, Scratch};
use crate::progress::while_at;

/// Runs the check in a copy; that is made with the first run.
pub(super) struct Copies<'a> {
    work: &'a Work<'a>,
    rehearsal: &'a Rehearsal,
    scratch: Option<Scratch>,
    tree: Option<TreeState>,
    /// The longest run so far.
    longest: Option<Duration>,
}

/// How much longer than the longest run before a run in a copy may take: without a step the check may hang.
const TIMES: u32 = 10;
/// And this besides.
const MORE: Duration = Duration::from_secs(60);

impl<'a> Copies<'a> {
    pub(super) fn new(work: &'a Work<'a>, rehearsal: &'a Rehearsal) -> Self {
        Self { work, rehearsal, scratch: None, tree: None, longest: None }
    }

    /// A run that came before.
    pub(super) fn took(&mut self, result: &CheckResult) {
        let took = Duration::from_millis(result.took);
        self.longest = Some(self.longest.map_or(took, |l| l.max(took)));
    }

    /// Makes the copy.
    fn make(&mut self) -> anyhow::Result<()> {
        if self.scratch.is_some() {
            return Ok(());
        }
        let root = self.work.session.project().root();
        let prepared = match self.work.prepare {
            Some(_) => while_at("making a tree of git", || Scratch::tree_of(root))?,
            None => None,
        };
        let made = match prepared {
            Some(made) => made,
            None => {
                let bytes = scratch::size(root);
                if bytes > scratch::MOST && !self.work.any_size {
                    return Err(Refused::error(
                        format!(
                            "the project is {} MB large: it is not copied to find the step",
                            bytes >> 20
                        ),
                        "copy it all the same: `--copy`; or only say what fails: `--no-search`",
                    ));
                }
                while_at("copying the project", || Scratch::of(root))?
            }
        };
        if let Some(line) = self.work.prepare {
            let command = CheckCommand::Shell(line.to_owned());
            let tree = self.work.session.tree();
            let place = CheckPlace { project: root, root: made.root(), below: "" };
            let files = Files::new(place, &tree, std::iter::empty());
            let ran = while_at(&format!("preparing the copy: {line}"), || {
                run_check(&command, place, self.work.history, &files, None, &mut |_| {})
            });
            let result = ran.map_err(|e| failed_to_run(line, &e))?;
            if !result.passed {
                let log = self.work.history.folder().join(&result.log);
                let text = emendo_text::one_line(&log.display().to_string());
                return Err(errors::Failed::error(
                    format!("`{}`, which prepares the copy, failed", emendo_text::one_line(line)),
                    format!("its output is in {text}"),
                ));
            }
        }
        self.scratch = Some(made);
        Ok(())
    }

    fn variant(&self, trial: &Trial) -> anyhow::Result<Variant> {
        Ok(match trial {
            Trial::Before => self.rehearsal.before()?,
            Trial::Whole => self.rehearsal.whole()?,
            Trial::Without { steps } => self.rehearsal.without(&steps.iter().cloned().collect())?,
        })
    }
}

impl Trials for Copies<'_> {
    type Error = anyhow::Error;

    fn run(&mut self, trial: &Trial) -> Result<(CheckResult, usize), Self::Error> {
        self.make()?;
        let variant = self.variant(trial)?;
        let work = self.work;
        let tree = self.tree.get_or_insert_with(|| work.session.tree());
        let Some(scratch) = &mut self.scratch else { return Err(anyhow::anyhow!("no copy")) };
        scratch.lay(&variant)?;
        let project = work.session.project().root();
        let place = CheckPlace { project, root: scratch.root(), below: work.below };
        let files = Files::new(place, tree, variant.files.keys());
        let limit = self.longest.map(|l| l * TIMES + MORE);
        let what = work.telling.trial(trial);
        let ran = while_at(&what, || {
            run_check(work.command, place, work.history, &files, limit, &mut |_| {})
        });
        let result = ran.map_err(|e| failed_to_run(&work.command.words(), &e))?;
        self.took(&result);
        Ok((result, variant.along))
    }
}
