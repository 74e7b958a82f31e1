//! `propose`: computes what recipes would change; no file of the project changes.

use std::collections::BTreeSet;
use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Limit, Proposal, Session, SkipReason, locks_of, summarize, survey, unmet};
use emendo_lang::Language;
use emendo_recipe::Recipe;
use emendo_report::json;
use emendo_text::one_line;

use crate::errors::{REFUSED, Shown, TO_DO, Usage};
use crate::globals::{Globals, inputs, load, refuse_faulty};
use crate::progress::Progress;
use crate::show;
use crate::show::LOOK;
use crate::view::{DiffWhen, View};

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
    /// Print the diff however long it is; else it is printed where it is short
    #[arg(long, conflicts_with = "brief")]
    diff: bool,
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
        let missing = unmet(
            session.world(),
            session.project(),
            &checked.recipes,
            &crate::programs::machine::installed,
        );
        if !missing.is_empty() {
            let mut err = anstream::stderr().lock();
            for m in &missing {
                writeln!(err, "{}: {}\n  = help: {}", m.recipe, m.says, m.help)?;
            }
            writeln!(err, "\nnothing was proposed: the project is not ready yet")?;
            let messages = missing.iter().map(json::missing).collect();
            let message = "the project is not ready yet: a requirement is not met";
            return Err(Shown { code: REFUSED, message, messages }.into());
        }
        unprotected(&crate::programs::git::health(session.project().root()))?;
        let mut bar = Progress::new();
        let mut progress = |done, all| bar.at(done, all);
        // A part of the steps is only looked at: what is stored is the whole.
        let stored = self.step.is_empty();
        let proposal = match stored {
            true => session.propose(&checked, &inputs, &with, &mut progress)?,
            false => session.look(&checked, &inputs, &mut progress)?,
        };
        drop(bar);
        let decisions = session.decisions()?;
        let summary = summarize(&proposal, &decisions);
        if globals.json {
            let mut out = anstream::stdout().lock();
            show::json(&mut out, &json::proposal(&proposal, &summary, &decisions))?;
        } else {
            let view = View {
                proposal: &proposal,
                summary: &summary,
                decisions: &decisions,
                stored,
                disk: None,
            };
            let when = match (self.diff, self.brief) {
                (true, _) => DiffWhen::Always,
                (_, true) => DiffWhen::Never,
                _ => DiffWhen::Short,
            };
            let raised = proposal.edits().filter(|e| e.action == "library").map(|e| &e.path);
            let locks = locks_of(session.world(), session.project(), raised);
            crate::pager::show(|out| {
                view.show(out, when)?;
                if !stored {
                    writeln!(
                        out,
                        "\nthis is a part of the steps: it is not stored, and `emendo accept` does not see it"
                    )?;
                }
                show::locks(out, &locks)
            })?;
            for line in misfits(&session, &checked.recipes, &proposal) {
                writeln!(anstream::stderr(), "{LOOK}note{LOOK:#}: {}", one_line(&line))?;
            }
        }
        let open = summary.open.pending() || summary.open.notes + summary.open.held_back > 0;
        Ok(if self.check && open { ExitCode::from(TO_DO) } else { ExitCode::SUCCESS })
    }
}

/// Why recipes may have nothing to do in a project: their library, in the versions that they start from, or code in their
/// languages is not there. Where the versions of libraries change, that is no question.
fn misfits(session: &Session, recipes: &[Recipe], proposal: &Proposal) -> Vec<String> {
    if proposal.edits().any(|e| e.action == "library") {
        return Vec::new();
    }
    let nothing = proposal.edits().next().is_none();
    let found = survey(session.world(), session.project());
    let mut out = Vec::new();
    for recipe in recipes {
        let fit = found.fits(session.world(), std::slice::from_ref(recipe));
        let (Some(library), Some(fit)) = (&recipe.library, fit.first()) else { continue };
        let name = &library.name;
        if fit.fits || library.coordinates.is_empty() {
            continue;
        }
        let coordinates: Vec<&str> = library.coordinates.iter().map(|c| c.text.as_str()).collect();
        // The recipe may have given it another name already.
        if fit.libraries.is_empty() && !nothing {
            continue;
        }
        out.push(match fit.libraries.is_empty() {
            true => {
                format!("nothing of {name} is here: no manifest names {}", coordinates.join(", "))
            }
            false => {
                let from = library.from.as_ref().map_or("", |f| f.text.as_str());
                format!(
                    "{name} is here in other versions than `{}` starts from ({from}): {}",
                    recipe.id,
                    fit.libraries.join(", ")
                )
            }
        });
    }
    let words = languages_of(recipes);
    let world = session.world();
    let meant: Vec<&Language> = words.iter().filter_map(|w| world.language(w)).collect();
    let named = |title: &str| found.languages.iter().any(|l| l.name == title);
    // Pages hold code too.
    let here = |l: &&Language| named(l.title) || world.pages_with(l).any(named);
    if nothing && !meant.is_empty() && !meant.iter().any(here) {
        let titles: Vec<&str> = meant.iter().map(|l| l.title).collect();
        out.push(format!("the recipe is about code that is not here: {}", titles.join(", ")));
    }
    out
}

/// The words of the languages that recipes are about.
fn languages_of(recipes: &[Recipe]) -> BTreeSet<String> {
    let actions =
        recipes.iter().flat_map(Recipe::whole).flat_map(|r| &r.steps).flat_map(|s| &s.actions);
    actions
        .filter(|a| a.kind.about_code())
        .filter_map(|a| a.scope.lang.as_ref())
        .map(|l| l.text.clone())
        .collect()
}

/// Says that the user's own changes cannot be recognised, where that is so.
pub(crate) fn unprotected(health: &crate::programs::git::Health) -> std::io::Result<()> {
    let text = match health {
        crate::programs::git::Health::Fine => return Ok(()),
        crate::programs::git::Health::NoTree => {
            "no git tree: your own changes cannot be recognised, and nothing keeps them".to_owned()
        }
        other => format!(
            "{}: your own changes cannot be recognised, and `emendo apply` will refuse",
            other.problem().unwrap_or_default()
        ),
    };
    writeln!(anstream::stderr(), "{LOOK}note{LOOK:#}: {text}")
}
