//! `leftovers`: what still uses the old API, what is pending, and what was left on purpose.

use std::io;
use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Certainty, LeftoverAt, Note, OpenWork, Remaining};
use emendo_report::json;
use emendo_text::{one_line, visible_name};

use crate::errors::{TO_DO, Usage};
use crate::globals::{Globals, inputs, load, refuse_faulty};
use crate::open;
use crate::pager;
use crate::progress::Progress;
use crate::show::{self, BOLD, DIM, GOOD, LOOK, count, place};

/// List what still uses the old API
///
/// A leftover is a place that still uses a name which a recipe replaces, or mentions it in a string, a comment, a
/// configuration, a template or a text, and that no edit covers. Notes and edits that are held back are left to do too. Edits that are not
/// decided or not written yet are pending; what was rejected, left as it is or ticked off is left on purpose. Without a recipe, the recipes of
/// the last proposal or apply are used.
#[derive(Args)]
pub(crate) struct Leftovers {
    /// Recipes in the order in which they run: files, or ids that `recipe list` shows
    #[arg(value_name = "RECIPE")]
    recipes: Vec<String>,
    /// A value for an input of the recipe; may be given several times
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
    /// Only places of this certainty and above
    #[arg(long, value_name = "LEVEL", value_parser = ["certain", "likely", "unsure"], default_value = "unsure")]
    certainty: String,
    /// List what was left on purpose instead
    #[arg(long)]
    on_purpose: bool,
    /// Exit with 1 if anything is left or pending
    #[arg(long)]
    check: bool,
}

impl Leftovers {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let session = globals.session_anyway()?;
        let given = inputs(&self.inputs)?;
        let mut bar = Progress::new();
        let mut progress = |done, all| bar.at(done, all);
        let remaining = if self.recipes.is_empty() {
            session.still_remaining(&mut progress)?.ok_or_else(|| {
                Usage::error(
                    "no recipe was proposed or applied here yet",
                    "name the recipe: `emendo leftovers RECIPE`",
                )
            })?
        } else {
            let checked = load(globals, &self.recipes, &given)?;
            refuse_faulty(&checked)?;
            session.remaining(&checked, &given, &mut progress)?
        };
        drop(bar);
        let decisions = session.decisions()?;
        let least = Certainty::ALL.into_iter().find(|c| c.word() == self.certainty);
        let least = least.unwrap_or(Certainty::Unsure);
        let mut work = OpenWork::of(&remaining.proposal, &decisions);
        work.leftovers.retain(|(_, l)| l.certainty >= least);
        if globals.json {
            let mut out = anstream::stdout().lock();
            show::json(&mut out, &json::leftovers(&work, &remaining, &decisions))?;
        } else if self.on_purpose {
            pager::show(|out| on_purpose(out, &work))?;
        } else {
            pager::show(|out| left(out, &work, (&remaining, least == Certainty::Unsure)))?;
        }
        let counts = work.counts();
        let any = counts.left() || counts.pending();
        Ok(if self.check && any { ExitCode::from(TO_DO) } else { ExitCode::SUCCESS })
    }
}

/// What is left to do, and in a line each what is pending and what was left on purpose.
fn left(
    out: &mut impl Write,
    work: &OpenWork<'_>,
    (remaining, all): (&Remaining, bool),
) -> io::Result<()> {
    by_symbol(out, &work.leftovers)?;
    if !work.notes.is_empty() {
        writeln!(out, "{BOLD}Notes{BOLD:#}")?;
        for n in &work.notes {
            show::note(out, n)?;
        }
        writeln!(out)?;
    }
    if !work.held_back.is_empty() {
        writeln!(out, "{BOLD}Held back{BOLD:#}")?;
        for e in &work.held_back {
            writeln!(out, "  {}", show::head(e))?;
        }
        writeln!(out)?;
    }
    let counts = work.counts();
    if counts.left() {
        let n = |c: Certainty| work.leftovers.iter().filter(|(_, l)| l.certainty == c).count();
        let lists: Vec<String> = open::left(&counts).iter().map(open::OpenList::said).collect();
        writeln!(out, "{BOLD}left{BOLD:#}: {}", lists.join(", "))?;
        if counts.leftovers > 0 {
            let [certain, likely, unsure] =
                [Certainty::Certain, Certainty::Likely, Certainty::Unsure].map(n);
            writeln!(
                out,
                "{DIM}leftovers: {certain} certain, {likely} likely, {unsure} unsure{DIM:#}"
            )?;
        }
    }
    pending(out, work)?;
    open::purpose_line(out, &counts)?;
    if counts.left() || counts.pending() {
        return writeln!(out, "next: {}", open::next(&counts));
    }
    match all {
        true => nothing(out, remaining),
        false => writeln!(out, "nothing of that certainty is left"),
    }
}

fn pending(out: &mut impl Write, work: &OpenWork<'_>) -> io::Result<()> {
    let lists: Vec<String> =
        open::pending(&work.counts()).iter().map(open::OpenList::said).collect();
    match lists.is_empty() {
        true => Ok(()),
        false => writeln!(out, "{LOOK}pending{LOOK:#}: {} (`emendo status`)", lists.join(", ")),
    }
}

/// That nothing is left, where that can be said; else what was not looked at.
fn nothing(out: &mut impl Write, r: &Remaining) -> io::Result<()> {
    let names = count(r.looked_for, "old name");
    let files = count(r.proposal.trailer.counts.files as usize, "file");
    if r.unnamed.is_empty() && r.unread.is_empty() {
        return writeln!(
            out,
            "{GOOD}nothing of the old API is left{GOOD:#}: {names} looked for in {files}"
        );
    }
    match r.looked_for {
        0 => writeln!(out, "{LOOK}nothing could be looked for{LOOK:#}")?,
        _ => writeln!(out, "nothing was found: {names} looked for in {files}")?,
    }
    if !r.unnamed.is_empty() {
        writeln!(
            out,
            "{LOOK}not looked for{LOOK:#}, since no symbol is named (`names`, or a key with dots):"
        )?;
        for u in &r.unnamed {
            writeln!(out, "  {} {DIM}[{}]{DIM:#}", one_line(&u.what), visible_name(&u.step.step))?;
        }
    }
    if !r.unread.is_empty() {
        writeln!(out, "{LOOK}not looked at{LOOK:#}, and an old name stands in it:")?;
        for f in &r.unread {
            let names = match f.names.is_empty() {
                true => "too many files to look at".to_owned(),
                false => f.names.join(", "),
            };
            writeln!(
                out,
                "  {} {DIM}({}): {}{DIM:#}",
                visible_name(&f.path),
                f.why.word(),
                one_line(&names)
            )?;
        }
    }
    Ok(())
}

/// What was rejected, left as it is, protected, or ticked off.
fn on_purpose(out: &mut impl Write, work: &OpenWork<'_>) -> io::Result<()> {
    let heads = |out: &mut dyn Write, title: &str, edits: &[&emendo_core::Edit]| {
        if edits.is_empty() {
            return Ok(());
        }
        writeln!(out, "{BOLD}{title}{BOLD:#}")?;
        for e in edits {
            let why = e.standing.barred().map_or(String::new(), |w| format!(" {}", one_line(w)));
            writeln!(out, "  {}{why}", show::head(e))?;
            writeln!(out, "      {DIM}{}{DIM:#}", one_line(&e.before))?;
        }
        writeln!(out)
    };
    heads(out, "Rejected", &work.rejected)?;
    heads(out, "Left as they are", &work.kept)?;
    heads(out, "Protected", &work.protected)?;
    let title = "Notes and old names at protected places";
    places(out, title, &work.protected_notes, &work.protected_leftovers)?;
    places(out, "Ticked off", &work.done_notes, &work.done_leftovers)?;
    match work.counts().on_purpose() {
        0 => writeln!(out, "nothing was left on purpose"),
        n => writeln!(
            out,
            "{} left on purpose; `emendo reopen` takes a decision back",
            count(n, "place")
        ),
    }
}

/// Notes and old names under a title, if there are any.
fn places(
    out: &mut impl Write,
    title: &str,
    notes: &[&Note],
    leftovers: &[LeftoverAt<'_>],
) -> io::Result<()> {
    if notes.is_empty() && leftovers.is_empty() {
        return Ok(());
    }
    writeln!(out, "{BOLD}{title}{BOLD:#}")?;
    for n in notes {
        show::note(out, n)?;
    }
    for (path, l) in leftovers {
        place(out, path, l)?;
    }
    writeln!(out)
}

fn by_symbol(out: &mut impl Write, left: &[LeftoverAt<'_>]) -> io::Result<()> {
    let mut symbols: Vec<&str> = left.iter().map(|(_, l)| l.symbol.as_str()).collect();
    symbols.sort_unstable();
    symbols.dedup();
    for symbol in symbols {
        let places = || left.iter().filter(|(_, l)| l.symbol == symbol);
        let Some((_, first)) = places().next() else { continue };
        writeln!(
            out,
            "{BOLD}{}{BOLD:#} {DIM}{} [{}]{DIM:#}",
            one_line(symbol),
            count(places().count(), "place"),
            visible_name(&first.step.step)
        )?;
        if let Some(advice) = &first.advice {
            writeln!(out, "  {LOOK}{}{LOOK:#}", one_line(advice))?;
        }
        for (path, l) in places() {
            place(out, path, l)?;
        }
        writeln!(out)?;
    }
    Ok(())
}
