//! A proposal as a unified diff whose hunks name their steps.

use std::io;

use emendo_core::{Decisions, Edit, FileRecord, Standing, Status};
use emendo_text::{Hunk, LineKind, visible, visible_name};

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

/// Writes one file of a proposal as a diff for people: each hunk names its steps and says what each edit rests on.
///
/// # Errors
/// What `out` gives.
pub fn diff(
    file: &FileRecord,
    decisions: &Decisions,
    out: &mut dyn FnMut(Line) -> io::Result<()>,
) -> io::Result<()> {
    if file.hunks.is_empty() {
        return Ok(());
    }
    let mut put = |kind, text: String| out(Line { kind, text });
    put(LineRole::File, format!("--- a/{}", visible_name(file.path.as_str())))?;
    put(LineRole::File, format!("+++ b/{}", visible_name(file.path.as_str())))?;
    for hunk in &file.hunks {
        put(LineRole::Hunk, head(hunk, file))?;
        for e in by(hunk, file).filter(|e| !e.derived) {
            put(LineRole::Edit, format!("# {}", about(e, decisions)))?;
        }
        for l in &hunk.lines {
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
    }
    Ok(())
}

fn by<'f>(hunk: &'f Hunk, file: &'f FileRecord) -> impl Iterator<Item = &'f Edit> {
    hunk.by.iter().filter_map(|i| file.edits.get(*i as usize))
}

/// `@@ -1,2 +1,3 @@ open, imports`
fn head(hunk: &Hunk, file: &FileRecord) -> String {
    let mut steps: Vec<String> = Vec::new();
    for e in by(hunk, file) {
        let name = visible_name(&e.step.step).into_owned();
        if !steps.contains(&name) {
            steps.push(name);
        }
    }
    let Hunk { old_start, old_lines, new_start, new_lines, .. } = hunk;
    format!("@@ -{old_start},{old_lines} +{new_start},{new_lines} @@ {}", steps.join(", "))
}

/// What an edit is: id, step, certainty and evidence, in a line.
fn about(e: &Edit, decisions: &Decisions) -> String {
    let mut text =
        format!("{} {} · {}", e.id.short(8), visible_name(&e.step.step), e.certainty.word());
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
    let mut facts: Vec<&str> = Vec::new();
    for f in &e.evidence {
        if !facts.contains(&f.text.as_str()) {
            facts.push(&f.text);
        }
    }
    if !facts.is_empty() {
        text.push_str(&format!(" · {}", visible(&facts.join("; "))));
    }
    text
}
