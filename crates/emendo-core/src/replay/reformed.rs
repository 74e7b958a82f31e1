//! Files that were written otherwise than the edits alone would: the project's own commands brought them into another form.

use std::collections::HashMap;

use emendo_text::{Hunk, Lines, Piece, RelPath, Span, Text, hunks};

use crate::apply::FileChange;
use crate::edits::Edit;
use crate::replay::RehearsedRun;

/// A change that no edit made.
const NOBODY: u32 = u32::MAX;

impl RehearsedRun {
    /// Takes over how the files were written: lines that differ from what the edits alone make are joined to edits by the lines that
    /// these change.
    pub(super) fn as_written(&mut self, changes: &[FileChange]) {
        let by_path: HashMap<&RelPath, &FileChange> =
            changes.iter().filter_map(|c| Some((c.to.as_ref()?, c))).collect();
        for (file, outcome) in self.proposal.files.iter_mut().zip(&mut self.written) {
            let Some(change) = outcome.to.as_ref().and_then(|to| by_path.get(to)) else { continue };
            if change.after == outcome.after {
                continue;
            }
            outcome.after.clone_from(&change.after);
            if let (Ok(before), Ok(after)) =
                (Text::decode(&outcome.before), Text::decode(&outcome.after))
            {
                file.hunks = joined(&file.edits, before.as_str(), after.as_str());
                file.marks.clear();
            }
        }
    }
}

/// The changed lines between two texts, each with the edits that change lines there.
fn joined(edits: &[Edit], before: &str, after: &str) -> Vec<Hunk> {
    let (old, new): (Vec<&str>, Vec<&str>) =
        (before.split_inclusive('\n').collect(), after.split_inclusive('\n').collect());
    let (old_at, new_at) = (Lines::new(before), Lines::new(after));
    let mut pieces = Vec::new();
    for op in similar::capture_diff_slices(similar::Algorithm::Myers, &old, &new) {
        let (from, to) = (op.old_range(), op.new_range());
        let span =
            Span::new(old_at.start(from.start, before.len()), old_at.start(from.end, before.len()));
        if op.tag() == similar::DiffTag::Equal {
            pieces.push(Piece::Base(span));
            continue;
        }
        let len = new_at.start(to.end, after.len()) - new_at.start(to.start, after.len());
        let here = |line: u32| {
            let line = line as usize;
            // What only comes stands between two lines.
            (from.start + 1..=from.end.max(from.start + 1)).contains(&line)
                || from.is_empty() && line == from.start
        };
        let of = |e: &Edit| here(e.line) || e.more_lines.iter().any(|l| here(*l));
        let mut by: Vec<u32> = (0..).zip(edits).filter(|(_, e)| of(e)).map(|e| e.0).collect();
        if by.is_empty() {
            by.push(NOBODY);
        }
        pieces.push(Piece::Written { by: by[0], len: len as u32, origin: span });
        let end = Span::at(span.end as usize);
        pieces.extend(by[1..].iter().map(|by| Piece::Written { by: *by, len: 0, origin: end }));
    }
    hunks(before, after, &pieces)
}
