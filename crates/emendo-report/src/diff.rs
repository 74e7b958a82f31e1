//! A proposal as a unified diff in which each run of changed lines names its edits.

use std::collections::HashSet;
use std::io;

use emendo_core::{Decisions, Edit, FileRecord, Standing, Status};
use emendo_text::{
    ChangedRun, Digest, Hunk, HunkLine, LineKind, RelPath, changed_lines, visible, visible_name,
};

/// What a line is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineRole {
    /// Names a file.
    File,
    /// Opens a hunk.
    Hunk,
    /// Says which edit changed what.
    Edit,
    /// Stands in both.
    Same,
    /// Is taken away.
    Removed,
    /// Is added.
    Added,
}

/// A line to show, without its line end.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Line {
    /// What it is.
    pub kind: LineRole,
    /// The text, harmless to show.
    pub text: String,
}

/// Takes lines as they come.
type Put<'o> = dyn FnMut(LineRole, String) -> io::Result<()> + 'o;

/// Writes one file of a proposal as a diff for people: above each run of changed lines stand the edits that changed exactly these, with
/// what each rests on where that was not said in the file yet. Of the runs only those with an edit that is `shown` are written; what the others
/// change reads as it will be.
///
/// # Errors
/// What `out` gives.
pub fn diff(
    file: &FileRecord,
    decisions: &Decisions,
    shown: &dyn Fn(&Edit) -> bool,
    out: &mut dyn FnMut(Line) -> io::Result<()>,
) -> io::Result<()> {
    let wanted = |h: &&Hunk| by(&h.by, file).any(shown);
    let whole: Vec<&Edit> = of_whole(file).filter(|e| shown(e)).collect();
    if !file.hunks.iter().any(|h| wanted(&h)) && whole.is_empty() {
        return Ok(());
    }
    let mut put = |kind, text: String| out(Line { kind, text });
    let name = |lead: &str, path: &RelPath, there: bool| match there {
        true => format!("{lead}{}", visible_name(path.as_str())),
        false => "/dev/null".to_owned(),
    };
    let to = file.fate.to.as_ref().unwrap_or(&file.path);
    put(LineRole::File, format!("--- {}", name("a/", &file.path, !file.fate.created)))?;
    put(LineRole::File, format!("+++ {}", name("b/", to, !file.fate.deleted)))?;
    let mut headings = Headings { file, decisions, said: HashSet::new(), headed: HashSet::new() };
    headings.whole(&whole, &mut put)?;
    for hunk in file.hunks.iter().filter(wanted) {
        let runs: Vec<&ChangedRun> =
            hunk.runs.iter().filter(|r| by(&r.by, file).any(shown)).collect();
        if runs.len() == hunk.runs.len() {
            put(LineRole::Hunk, head(hunk, file))?;
            headings.runs(hunk, &runs, (0, hunk.lines.len()), &mut put)?;
            continue;
        }
        for near in
            runs.chunk_by(|a, b| (a.from + a.lines) as usize + 2 * CONTEXT >= b.from as usize)
        {
            let (Some(first), Some(last)) = (near.first(), near.last()) else { continue };
            let from = (first.from as usize).saturating_sub(CONTEXT);
            let end = (last.from + last.lines) as usize + CONTEXT;
            let end = end.min(hunk.lines.len());
            put(LineRole::Hunk, part_head(hunk, from, near, file))?;
            headings.runs(hunk, near, (from, end), &mut put)?;
        }
    }
    Ok(())
}

/// Lines around a run that is shown alone.
const CONTEXT: usize = 3;

/// `@@ -12 +14 @@ open`: where a part of a hunk begins.
fn part_head(hunk: &Hunk, from: usize, runs: &[&ChangedRun], file: &FileRecord) -> String {
    let before = |not: LineKind| hunk.lines[..from].iter().filter(|l| l.kind != not).count();
    let old = hunk.old_start as usize + before(LineKind::Added);
    let new = hunk.new_start as usize + before(LineKind::Removed);
    let steps = steps_of(runs.iter().flat_map(|r| by(&r.by, file)));
    format!("@@ -{old} +{new} @@ {steps}")
}

/// How many lines a diff of a file has.
pub fn diff_len(file: &FileRecord) -> usize {
    let hunk = |h: &Hunk| 1 + h.lines.len() + h.runs.len();
    match is_changed(file) {
        true => 2 + of_whole(file).count() + file.hunks.iter().map(hunk).sum::<usize>(),
        false => 0,
    }
}

/// True if a diff of a file says anything.
pub fn is_changed(file: &FileRecord) -> bool {
    !file.hunks.is_empty() || of_whole(file).next().is_some()
}

/// The edits of a file as a whole that no changed lines show.
fn of_whole(file: &FileRecord) -> impl Iterator<Item = &Edit> {
    let lines: HashSet<usize> =
        file.hunks.iter().flat_map(|h| &h.by).map(|i| *i as usize).collect();
    let all = file.edits.iter().enumerate();
    let stands = |e: &Edit| e.file.is_some() && e.standing == Standing::In;
    all.filter(move |(i, e)| stands(e) && !lines.contains(i)).map(|(_, e)| e)
}

/// The lines in which two texts differ, those that go before those that come.
///
/// # Errors
/// What `out` gives.
pub fn differing(
    before: &str,
    after: &str,
    out: &mut dyn FnMut(Line) -> io::Result<()>,
) -> io::Result<()> {
    let changed = changed_lines(before, after);
    lines(&changed, &mut |kind, text| out(Line { kind, text }))
}

fn lines(all: &[HunkLine], put: &mut Put<'_>) -> io::Result<()> {
    for l in all {
        let (kind, sign) = match l.kind {
            LineKind::Same => (LineRole::Same, ' '),
            LineKind::Removed => (LineRole::Removed, '-'),
            LineKind::Added => (LineRole::Added, '+'),
        };
        put(kind, format!("{sign}{}", visible(&l.text)))?;
        if l.unfinished {
            put(LineRole::Same, "\\ No newline at end of file".into())?;
        }
    }
    Ok(())
}

/// Lines that are not the subject: as they read with what else changes in them.
fn as_it_will_be(all: &[HunkLine], put: &mut Put<'_>) -> io::Result<()> {
    for l in all.iter().filter(|l| l.kind != LineKind::Removed) {
        lines(&[HunkLine { kind: LineKind::Same, ..l.clone() }], put)?;
    }
    Ok(())
}

fn by<'f>(by: &'f [u32], file: &'f FileRecord) -> impl Iterator<Item = &'f Edit> {
    by.iter().filter_map(|i| file.edits.get(*i as usize))
}

/// `@@ -1,2 +1,3 @@ open, imports`
fn head(hunk: &Hunk, file: &FileRecord) -> String {
    let steps = steps_of(by(&hunk.by, file));
    let Hunk { old_start, old_lines, new_start, new_lines, .. } = hunk;
    format!("@@ -{old_start},{old_lines} +{new_start},{new_lines} @@ {steps}")
}

/// The steps of some edits, each once.
fn steps_of<'e>(edits: impl Iterator<Item = &'e Edit>) -> String {
    let mut steps: Vec<String> = Vec::new();
    for e in edits {
        let name = visible_name(&e.step.step).into_owned();
        if !steps.contains(&name) {
            steps.push(name);
        }
    }
    steps.join(", ")
}

/// The headings of a file: what one has said, the next need not say again.
struct Headings<'f> {
    file: &'f FileRecord,
    decisions: &'f Decisions,
    said: HashSet<String>,
    headed: HashSet<Digest>,
}

impl Headings<'_> {
    /// What becomes of the file as a whole.
    fn whole(&mut self, edits: &[&Edit], put: &mut Put<'_>) -> io::Result<()> {
        for e in edits {
            let Some(what) = e.of_file() else { continue };
            let about = about(e, self.decisions);
            let mut text = format!("# {} {about}: {}", e.id.short(8), visible_name(&what));
            let why: Vec<String> =
                facts(e).into_iter().filter(|f| self.said.insert(f.clone())).collect();
            if !why.is_empty() {
                text.push_str(&format!(" · {}", why.join("; ")));
            }
            put(LineRole::Edit, text)?;
        }
        Ok(())
    }

    /// The lines of a range of a hunk, with headings above these of its runs.
    fn runs(
        &mut self,
        hunk: &Hunk,
        runs: &[&ChangedRun],
        (from, end): (usize, usize),
        put: &mut Put<'_>,
    ) -> io::Result<()> {
        let mut at = from;
        for run in runs {
            let (start, stop) = (run.from as usize, (run.from + run.lines) as usize);
            as_it_will_be(&hunk.lines[at..start], put)?;
            self.of(run, put)?;
            lines(&hunk.lines[start..stop], put)?;
            at = stop;
        }
        as_it_will_be(&hunk.lines[at..end], put)
    }

    /// The edits of a run of changed lines; those of which the same is said, in one line.
    fn of(&mut self, run: &ChangedRun, put: &mut Put<'_>) -> io::Result<()> {
        let edits = || by(&run.by, self.file).filter(|e| !e.derived);
        let mut heads: Vec<(String, Vec<String>, Vec<String>)> = Vec::new();
        for e in edits() {
            let again = self.headed.contains(&e.id);
            let (what, why) = match again {
                true => (format!("{} goes on", visible_name(&e.step.step)), Vec::new()),
                false => (about(e, self.decisions), facts(e)),
            };
            let id = e.id.short(8);
            match heads.iter_mut().find(|h| h.0 == what && h.1 == why) {
                Some(same) => same.2.push(id),
                None => heads.push((what, why, vec![id])),
            }
        }
        for e in edits().map(|e| e.id).collect::<Vec<_>>() {
            self.headed.insert(e);
        }
        for (what, why, ids) in heads {
            let mut text = format!("# {} {what}", ids.join(" "));
            let new: Vec<String> =
                why.into_iter().filter(|f| self.said.insert(f.clone())).collect();
            if !new.is_empty() {
                text.push_str(&format!(" · {}", new.join("; ")));
            }
            put(LineRole::Edit, text)?;
        }
        if edits().next().is_some() {
            return Ok(());
        }
        // Imports follow from other edits: nobody decides them alone.
        let mut steps: Vec<&str> = by(&run.by, self.file).map(|e| e.step.step.as_str()).collect();
        steps.dedup();
        match steps.is_empty() {
            true => Ok(()),
            false => {
                let steps = visible_name(&steps.join(", ")).into_owned();
                put(LineRole::Edit, format!("# {steps}: follows from its other edits"))
            }
        }
    }
}

/// What an edit is: step, certainty, decision, what is to be minded.
fn about(e: &Edit, decisions: &Decisions) -> String {
    let mut text = format!("{} · {}", visible_name(&e.step.step), e.certainty.word());
    match decisions.status(e) {
        Status::Accepted(Some(label)) => {
            text.push_str(&format!(" · picked: {}", visible_name(&label)));
        }
        Status::Accepted(None) => text.push_str(" · accepted"),
        Status::Reworded(_) => text.push_str(" · in your own words"),
        Status::Again => text.push_str(" · decide again"),
        Status::Rejected => text.push_str(" · rejected"),
        Status::Undecided => {}
    }
    if let Standing::Withheld(why) = &e.standing {
        text.push_str(&format!(" · held back: {why}"));
    }
    if let Some(caution) = &e.caution {
        text.push_str(&format!(" · caution: {}", visible(caution)));
    }
    text
}

/// What an edit rests on.
fn facts(e: &Edit) -> Vec<String> {
    let mut facts: Vec<String> = Vec::new();
    for f in &e.evidence {
        let text = visible(&f.text).into_owned();
        if !facts.contains(&text) {
            facts.push(text);
        }
    }
    facts
}
