//! `why`: which actions came nearest to a line, and at what each stopped.

use std::io::{self, Write};
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Standing, WhyLine};
use emendo_report::json;
use emendo_text::{RelPath, one_line, visible_name};

use crate::errors::Usage;
use crate::globals::Globals;
use crate::show::{self, BOLD, DIM, LOOK, PLACE};

/// Stops that are shown.
const SHOWN: usize = 8;

/// Why something, or nothing, happens at a line
///
/// Asks the recipes of the last proposal or apply: edits, notes and leftovers of the line, and the actions that came nearest to it, each with what it
/// stopped at: the shape of the code, the meaning of a name, a constraint, a condition, `files`, or a rule that passes the file over.
#[derive(Args)]
pub(crate) struct Why {
    /// The file and the line, as other commands print them
    #[arg(value_name = "PATH:LINE")]
    place: String,
    /// Show all actions whose words stand on the line
    #[arg(long)]
    all: bool,
}

impl Why {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let bad = || {
            let message = format!("`{}` is not a place", one_line(&self.place));
            Usage::error(message, "write the file and the line: `emendo why src/Pier.java:8`")
        };
        let (path, line) = self.place.rsplit_once(':').ok_or_else(bad)?;
        let line: u32 = line.parse().ok().filter(|n| *n > 0).ok_or_else(bad)?;
        let path = globals.files(session.project(), &[path.to_owned()])?.remove(0);
        let path = RelPath::new(&path).map_err(|_| bad())?;
        if !session.project().exists(&path) {
            let message = format!("there is no file `{}`", visible_name(path.as_str()));
            return Err(Usage::error(
                message,
                "paths are read from where you stand, or from the project's root",
            ));
        }
        let why = session.why(&path, line)?.ok_or_else(|| {
            Usage::error(
                "no recipe was proposed or applied here yet",
                "`emendo propose RECIPE` first",
            )
        })?;
        let mut out = anstream::stdout().lock();
        if globals.json {
            return show::json(&mut out, &json::why(&why));
        }
        self.show(&mut out, &why)?;
        Ok(ExitCode::SUCCESS)
    }

    fn show(&self, out: &mut impl Write, why: &WhyLine) -> io::Result<()> {
        let path = visible_name(why.path.as_str());
        writeln!(out, "{PLACE}{path}:{}{PLACE:#}  {}", why.line, one_line(&why.source))?;
        if let Some(rule) = why.passed_over {
            writeln!(out, "{LOOK}the file is not read{LOOK:#}: {}", rule.word())?;
        }
        for e in &why.edits {
            let state = match &e.standing {
                Standing::In => "changes it".to_owned(),
                Standing::Out if e.options.is_empty() => "is rejected".to_owned(),
                Standing::Out => "waits for a choice".to_owned(),
                Standing::Withheld(why) => format!("is held back: {}", one_line(why)),
                Standing::Protected(why) => format!("is left on purpose: {}", one_line(why)),
            };
            writeln!(out, "  {} {state}", show::head(e))?;
            for f in &e.evidence {
                writeln!(out, "      {DIM}{}: {}{DIM:#}", f.says.word(), one_line(&f.text))?;
            }
        }
        for n in &why.notes {
            show::note(out, n)?;
        }
        for l in &why.leftovers {
            show::place(out, &why.path, l)?;
        }
        if why.edits.is_empty() {
            writeln!(out, "no edit changes this line")?;
        }
        if why.stops.is_empty() {
            if why.edits.is_empty() && why.passed_over.is_none() {
                writeln!(out, "no action has a word on it")?;
            }
            return Ok(());
        }
        writeln!(out, "\n{BOLD}nearest actions, and at what they stop{BOLD:#}")?;
        // What is about another language is shown where nothing else is.
        let near = why.stops.iter().filter(|s| s.fitted > 0).count();
        let most = match (self.all, near) {
            (true, _) => usize::MAX,
            (_, 0) => 3,
            (_, near) => near.min(SHOWN),
        };
        for s in why.stops.iter().take(most) {
            show::stop(out, s, "  ")?;
        }
        if why.stops.len() > most {
            writeln!(out, "  ... and {} more: `--all`", why.stops.len() - most)?;
        }
        Ok(())
    }
}
