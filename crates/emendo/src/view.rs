//! A proposal as `propose` and `show` print it: the summary first, then what needs a person, then the diff.

use std::collections::HashSet;
use std::io::{self, Write};

use emendo_core::{
    Counts, Decisions, Disk as _, Edit, FileRecord, OpenWork, Proposal, RealDisk, SkipReason,
    Standing, Summary,
};
use emendo_report::{diff, diff_len, differing, is_changed};
use emendo_text::{Digest, one_line, visible_name};

use crate::open;
use crate::pager;
use crate::show::{self, BOLD, DIM, LOOK, count, head, note, place};

/// Places of a list that are shown with a proposal; the list's own command shows all.
const FEW: usize = 12;
/// Lines of an edit that are shown in a list.
const LINES: usize = 40;

/// When the diff is printed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum DiffWhen {
    /// Where it is short.
    Short,
    Always,
    Never,
}

/// What is shown.
pub(crate) struct View<'p> {
    pub(crate) proposal: &'p Proposal,
    pub(crate) summary: &'p Summary,
    pub(crate) decisions: &'p Decisions,
    /// It is kept, so that further commands can speak of it.
    pub(crate) stored: bool,
    /// Where the lines of places stand that no hunk shows.
    pub(crate) disk: Option<&'p RealDisk>,
}

impl View<'_> {
    /// All of it.
    pub(crate) fn show(&self, out: &mut impl Write, when: DiffWhen) -> io::Result<()> {
        let (p, s) = (self.proposal, self.summary);
        for r in &p.header.recipes {
            let (title, id) = (one_line(&r.title), one_line(&r.id));
            writeln!(out, "{BOLD}{title}{BOLD:#} {DIM}({id}){DIM:#}")?;
        }
        counts(out, &p.trailer.counts)?;
        writeln!(out)?;
        show::steps(out, s, show::Rows::All)?;
        self.skipped(out)?;
        left_out(out, p)?;
        let open = OpenWork::of(p, self.decisions);
        self.held_back(out, &open.held_back, FEW)?;
        self.choices(out, &open.choices, FEW)?;
        self.notes(out, &open, FEW)?;
        self.leftovers(out, &open)?;
        self.diff(out, when)?;
        if self.stored {
            writeln!(out)?;
            open::line(out, &s.open)?;
        }
        Ok(())
    }

    /// The diff, or how to see it.
    fn diff(&self, out: &mut impl Write, when: DiffWhen) -> io::Result<()> {
        let files: Vec<&FileRecord> =
            self.proposal.files.iter().filter(|f| is_changed(f)).collect();
        let lines = files.iter().map(|f| diff_len(f)).sum::<usize>();
        if files.is_empty() || when == DiffWhen::Never {
            return Ok(());
        }
        writeln!(out)?;
        if when == DiffWhen::Short && lines > pager::room() {
            let how = match self.stored {
                true => {
                    "`emendo show --diff` prints it, `emendo show --step STEP` or `--file PATH` a part"
                }
                false => "`--diff` prints it",
            };
            return writeln!(
                out,
                "{BOLD}diff{BOLD:#}: {lines} lines in {}; {how}",
                count(files.len(), "file")
            );
        }
        self.files(out, &|_| true)
    }

    /// The hunks with these edits.
    fn files(&self, out: &mut impl Write, shown: &dyn Fn(&Edit) -> bool) -> io::Result<()> {
        for f in &self.proposal.files {
            diff(f, self.decisions, shown, &mut |l| show::line(out, l.kind, &l.text))?;
        }
        Ok(())
    }

    /// These edits: those that are in as hunks, the others by what each would change.
    pub(crate) fn edits(&self, out: &mut impl Write, edits: &[&Edit]) -> io::Result<()> {
        let ids: HashSet<Digest> = edits.iter().map(|e| e.id).collect();
        let steps: HashSet<_> = edits.iter().map(|e| (&e.step, &e.path)).collect();
        // Imports follow the edits of their step.
        let shown =
            |e: &Edit| ids.contains(&e.id) || e.derived && steps.contains(&(&e.step, &e.path));
        self.files(out, &shown)?;
        let mut inside: HashSet<Digest> = self
            .proposal
            .files
            .iter()
            .flat_map(|f| {
                f.hunks.iter().flat_map(|h| &h.by).filter_map(|i| f.edits.get(*i as usize))
            })
            .map(|e| e.id)
            .collect();
        // What becomes of a file as a whole stands at the head of its diff.
        let whole = |e: &&&Edit| e.file.is_some() && e.standing == Standing::In;
        inside.extend(edits.iter().filter(whole).map(|e| e.id));
        let outside: Vec<&Edit> =
            edits.iter().copied().filter(|e| !inside.contains(&e.id)).collect();
        for e in outside {
            match e.options.is_empty() {
                true => self.lines_of(out, e)?,
                false => choice(out, e, false)?,
            }
        }
        Ok(())
    }

    /// An edit that is not in, by the lines in which it would change the place.
    fn lines_of(&self, out: &mut impl Write, e: &Edit) -> io::Result<()> {
        let why = match &e.standing {
            Standing::Withheld(why) => format!(" held back: {}", one_line(why)),
            Standing::Protected(why) => format!(" left on purpose: {}", one_line(why)),
            _ => String::new(),
        };
        writeln!(out, "{}{why}", head(e))?;
        match self.whole_line(e) {
            Some((before, after)) => changes(out, &before, &after),
            None => changes(out, &e.before, &e.after),
        }
    }

    /// The line of a place within a line, as it is and as the edit would make it.
    fn whole_line(&self, e: &Edit) -> Option<(String, String)> {
        if e.before.contains('\n') || e.before.is_empty() {
            return None;
        }
        let bytes = self.disk?.read(&e.path).ok()??;
        let text = String::from_utf8_lossy(&bytes);
        let line = text.lines().nth((e.line as usize).checked_sub(1)?)?;
        let single = line.matches(e.before.as_str()).count() == 1;
        single.then(|| (line.to_owned(), line.replace(&e.before, &e.after)))
    }

    fn skipped(&self, out: &mut impl Write) -> io::Result<()> {
        let all = &self.proposal.trailer.skipped_steps;
        if all.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{BOLD}Skipped steps{BOLD:#}")?;
        for s in all {
            writeln!(out, "  {}: {}", visible_name(&s.step.step), one_line(&s.because))?;
        }
        Ok(())
    }

    pub(crate) fn notes(
        &self,
        out: &mut impl Write,
        open: &OpenWork<'_>,
        most: usize,
    ) -> io::Result<()> {
        if open.notes.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{BOLD}Notes: places to look at by hand{BOLD:#}")?;
        for n in open.notes.iter().take(most) {
            note(out, n)?;
        }
        more(out, open.notes.len(), most, "emendo show --notes")
    }

    pub(crate) fn held_back(
        &self,
        out: &mut impl Write,
        edits: &[&Edit],
        most: usize,
    ) -> io::Result<()> {
        if edits.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{BOLD}Held back{BOLD:#}")?;
        for e in edits.iter().take(most) {
            let Standing::Withheld(why) = &e.standing else { continue };
            writeln!(out, "  {} {}", head(e), one_line(why))?;
            writeln!(out, "      {DIM}{}{DIM:#}", first_line(&e.before))?;
        }
        more(out, edits.len(), most, "emendo show --held-back")
    }

    pub(crate) fn choices(
        &self,
        out: &mut impl Write,
        edits: &[&Edit],
        most: usize,
    ) -> io::Result<()> {
        if edits.is_empty() {
            return Ok(());
        }
        writeln!(out, "\n{BOLD}Choices: pick with `emendo choose --edit ID LABEL`{BOLD:#}")?;
        for e in edits.iter().take(most) {
            // In a summary, what is long is told by its labels.
            choice(out, e, most < usize::MAX)?;
        }
        more(out, edits.len(), most, "emendo show --choices")
    }

    /// What stays of the old API when all edits are in.
    pub(crate) fn leftovers(&self, out: &mut impl Write, open: &OpenWork<'_>) -> io::Result<()> {
        let all = &open.leftovers;
        if all.is_empty() {
            return Ok(());
        }
        writeln!(
            out,
            "\n{BOLD}Leftovers: {} of the old API that no edit covers{BOLD:#}",
            count(all.len(), "place")
        )?;
        for (path, l) in all.iter().take(FEW) {
            place(out, path, l)?;
        }
        more(out, all.len(), FEW, "emendo leftovers")
    }
}

/// True for a choice whose alternatives are a line each.
fn is_short(e: &Edit) -> bool {
    !e.before.contains('\n') && e.options.iter().all(|o| !o.after.contains('\n'))
}

/// A choice with its alternatives: over several lines, those that differ, or only the labels.
fn choice(out: &mut impl Write, e: &Edit, brief: bool) -> io::Result<()> {
    let single = is_short(e);
    let shown = if single { one_line(&e.before) } else { first_line(&e.before) };
    writeln!(out, "  {} {DIM}{shown}{DIM:#}", head(e))?;
    for o in &e.options {
        let why =
            o.why.as_ref().map_or(String::new(), |w| format!(" {DIM}({}){DIM:#}", one_line(w)));
        let label = one_line(&o.label);
        let leaves = o.leaves || o.after == e.before;
        match () {
            () if brief && !single => writeln!(out, "      {BOLD}{label}{BOLD:#}{why}")?,
            () if leaves => writeln!(out, "      {BOLD}{label}{BOLD:#}: leave it as it is{why}")?,
            () if single => {
                writeln!(out, "      {BOLD}{label}{BOLD:#}: {}{why}", one_line(&o.after))?;
            }
            () => {
                writeln!(out, "      {BOLD}{label}{BOLD:#}:{why}")?;
                changes(out, &e.before, &o.after)?;
            }
        }
    }
    Ok(())
}

fn more(out: &mut impl Write, n: usize, most: usize, command: &str) -> io::Result<()> {
    match n > most {
        true => writeln!(out, "  {DIM}and {} more: `{command}` lists them{DIM:#}", n - most),
        false => Ok(()),
    }
}

/// The first line of a text, with a sign that more follows.
fn first_line(text: &str) -> String {
    match text.trim_end().split_once('\n') {
        Some((first, _)) => format!("{} ...", one_line(first)),
        None => one_line(text),
    }
}

/// The lines in which two texts differ.
fn changes(out: &mut impl Write, before: &str, after: &str) -> io::Result<()> {
    let mut n = 0;
    differing(before, after, &mut |l| {
        n += 1;
        match n {
            n if n <= LINES => show::line(out, l.kind, &format!("      {}", l.text)),
            n if n == LINES + 1 => writeln!(out, "      ..."),
            _ => Ok(()),
        }
    })
}

fn counts(out: &mut impl Write, c: &Counts) -> io::Result<()> {
    let mut text =
        format!("{} in the project, {} looked into", count(c.files as usize, "file"), c.candidates);
    if c.with_errors > 0 {
        text.push_str(&format!(
            ", {} with syntax errors (handled where they are sound)",
            c.with_errors
        ));
    }
    let skipped: Vec<String> =
        c.skipped.iter().map(|(why, n)| format!("{n} {}", why.word())).collect();
    if !skipped.is_empty() {
        text.push_str(&format!("; passed over: {}", skipped.join(", ")));
    }
    writeln!(out, "{DIM}{text}{DIM:#}")?;
    for why in [SkipReason::Wide, SkipReason::Unreadable, SkipReason::Slow] {
        let Some(files) = c.passed.get(&why) else { continue };
        let named: Vec<_> = files.iter().take(5).map(|f| visible_name(f)).collect();
        let more = if files.len() > 5 { ", ..." } else { "" };
        writeln!(out, "{LOOK}not read{LOOK:#} ({}): {}{more}", why.word(), named.join(", "))?;
    }
    Ok(())
}

/// Recipes whose steps wait for something.
fn left_out(out: &mut impl Write, p: &Proposal) -> io::Result<()> {
    if p.trailer.left_out.is_empty() {
        return Ok(());
    }
    writeln!(out, "\n{BOLD}Left out: recipes that cannot run yet{BOLD:#}")?;
    for m in &p.trailer.left_out {
        writeln!(out, "  {}: {}", visible_name(&m.recipe), one_line(&m.says))?;
        writeln!(out, "      {DIM}{}{DIM:#}", one_line(&m.help))?;
    }
    Ok(())
}
