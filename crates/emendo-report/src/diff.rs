//! A proposal as a unified diff in which each run of changed lines names its edits.

use std::collections::HashSet;
use std::io;

use emendo_core::{Decisions, Edit, FileRecord, Standing, Status};
use emendo_text::{
    ChangedRun, Digest, Hunk, HunkLine, LineKind, changed_lines, visible, visible_name,
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
/// what each rests on where that was not said in the file yet. Only hunks with an edit that is `shown` are written.
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
    if !file.hunks.iter().any(|h| wanted(&h)) {
        return Ok(());
    }
    let mut put = |kind, text: String| out(Line { kind, text });
    put(LineRole::File, format!("--- a/{}", visible_name(file.path.as_str())))?;
    put(LineRole::File, format!("+++ b/{}", visible_name(file.path.as_str())))?;
    let mut headings = Headings { file, decisions, said: HashSet::new(), headed: HashSet::new() };
    for hunk in file.hunks.iter().filter(wanted) {
        put(LineRole::Hunk, head(hunk, file))?;
        let mut at = 0;
        for run in &hunk.runs {
            let (from, end) = (run.from as usize, (run.from + run.lines) as usize);
            lines(&hunk.lines[at..from], &mut put)?;
            headings.of(run, &mut put)?;
            lines(&hunk.lines[from..end], &mut put)?;
            at = end;
        }
        lines(&hunk.lines[at..], &mut put)?;
    }
    Ok(())
}

/// How many lines a diff of a file has.
pub fn diff_len(file: &FileRecord) -> usize {
    let hunk = |h: &Hunk| 1 + h.lines.len() + h.runs.len();
    match file.hunks.is_empty() {
        true => 0,
        false => 2 + file.hunks.iter().map(hunk).sum::<usize>(),
    }
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

fn by<'f>(by: &'f [u32], file: &'f FileRecord) -> impl Iterator<Item = &'f Edit> {
    by.iter().filter_map(|i| file.edits.get(*i as usize))
}

/// `@@ -1,2 +1,3 @@ open, imports`
fn head(hunk: &Hunk, file: &FileRecord) -> String {
    let mut steps: Vec<String> = Vec::new();
    for e in by(&hunk.by, file) {
        let name = visible_name(&e.step.step).into_owned();
        if !steps.contains(&name) {
            steps.push(name);
        }
    }
    let Hunk { old_start, old_lines, new_start, new_lines, .. } = hunk;
    format!("@@ -{old_start},{old_lines} +{new_start},{new_lines} @@ {}", steps.join(", "))
}

/// The headings of a file: what one has said, the next need not say again.
struct Headings<'f> {
    file: &'f FileRecord,
    decisions: &'f Decisions,
    said: HashSet<String>,
    headed: HashSet<Digest>,
}

impl Headings<'_> {
    /// The edits of a run of changed lines; those of which the same is said, in one line.
    fn of(&mut self, run: &ChangedRun, put: &mut Put<'_>) -> io::Result<()> {
        let edits = || by(&run.by, self.file).filter(|e| !e.derived);
        let mut heads: Vec<(String, String, Vec<String>)> = Vec::new();
        for e in edits() {
            let again = self.headed.contains(&e.id);
            let (what, why) = match again {
                true => (format!("{} goes on", visible_name(&e.step.step)), String::new()),
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
            if !why.is_empty() && self.said.insert(why.clone()) {
                text.push_str(&format!(" · {why}"));
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
fn facts(e: &Edit) -> String {
    let mut facts: Vec<&str> = Vec::new();
    for f in &e.evidence {
        if !facts.contains(&f.text.as_str()) {
            facts.push(&f.text);
        }
    }
    visible(&facts.join("; ")).into_owned()
}
