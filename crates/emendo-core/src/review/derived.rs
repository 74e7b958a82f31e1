//! What is left of a proposal when a part of it was written, without looking at the project again.

use std::collections::{HashMap, HashSet};

use emendo_text::{Digest, Hunk, LineKind, RelPath};

use crate::edits::Edit;
use crate::review::proposal::{FileRecord, Proposal};

/// A file as it was written.
pub(crate) struct WrittenFile {
    /// Digest of its bytes now.
    pub(crate) after: Digest,
    /// The lines that were changed.
    pub(crate) hunks: Vec<Hunk>,
}

impl WrittenFile {
    /// Where a line of the file before stands now.
    fn line(&self, old: u32) -> u32 {
        let mut moved = 0_i64;
        for h in &self.hunks {
            let (mut before, mut after) = (h.old_start, h.new_start);
            if h.old_lines > 0 && old < before || h.old_lines == 0 && old <= before {
                break;
            }
            for l in &h.lines {
                match l.kind {
                    LineKind::Same if before == old => return after,
                    LineKind::Removed if before == old => return after.max(1),
                    _ => {}
                }
                before += u32::from(l.kind != LineKind::Added);
                after += u32::from(l.kind != LineKind::Removed);
            }
            moved = i64::from(after) - i64::from(before);
        }
        u32::try_from(i64::from(old) + moved).unwrap_or(old)
    }
}

impl Proposal {
    /// The same without the edits that were written, with places as they stand now. It is not what a run over the files would give, and says so.
    pub(crate) fn without(
        mut self,
        written: &HashSet<Digest>,
        files: &HashMap<RelPath, WrittenFile>,
    ) -> Self {
        for record in &mut self.files {
            record.leave(written, files.get(&record.path));
        }
        self.files
            .retain(|f| !f.edits.is_empty() || !f.notes.is_empty() || !f.leftovers.is_empty());
        self.trailer.look = None;
        self.trailer.derived = true;
        self
    }
}

impl FileRecord {
    fn leave(&mut self, written: &HashSet<Digest>, now: Option<&WrittenFile>) {
        let Some(now) = now else { return };
        self.base = now.after;
        // Whose lines these are is another question by now.
        self.hunks.clear();
        self.marks.clear();
        self.edits.retain(|e| !written.contains(&e.id) && !e.derived);
        let line = |l: &mut u32| *l = now.line(*l);
        for e in &mut self.edits {
            let Edit { line: first, more_lines, parents, .. } = e;
            line(first);
            more_lines.iter_mut().for_each(line);
            parents.retain(|p| !written.contains(p));
        }
        self.notes.iter_mut().filter_map(|n| n.line.as_mut()).for_each(line);
        self.leftovers.iter_mut().for_each(|l| line(&mut l.line));
    }
}
