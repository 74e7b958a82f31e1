//! What stood at the paths of an apply, and what stands there since.

use std::collections::BTreeMap;
use std::io;

use emendo_text::RelPath;

use crate::apply::journal::Journal;
use crate::apply::ops::Op;

impl Journal {
    /// What stood at the path of one of its files; none where there was no file.
    ///
    /// # Errors
    /// If the pack cannot be read, or is damaged.
    pub(crate) fn content_before(&self, n: usize) -> io::Result<Option<Vec<u8>>> {
        let op = &self.ops.ops[n];
        if op.born { Ok(None) } else { self.unpack(op.before).map(Some) }
    }

    /// What stands at the path of one of its files once it is written; none where there is no file any more.
    ///
    /// # Errors
    /// If the pack cannot be read, or is damaged.
    pub(crate) fn content_after(&self, n: usize) -> io::Result<Option<Vec<u8>>> {
        let op = &self.ops.ops[n];
        if op.gone { Ok(None) } else { self.unpack(op.after).map(Some) }
    }
}

/// What applies together made of one file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FileChange {
    /// Where it lay; none for a file that is new.
    pub from: Option<RelPath>,
    /// Where it lies; none for a file that is gone.
    pub to: Option<RelPath>,
    /// Its bytes before; none of a file that is new.
    pub before: Vec<u8>,
    /// Its bytes after; none of a file that is gone.
    pub after: Vec<u8>,
}

/// What applies, the oldest first, made of the files together. What is as it was is not among them.
///
/// # Errors
/// If a pack cannot be read, or is damaged.
pub(crate) fn changes_of(journals: &[&Journal]) -> io::Result<Vec<FileChange>> {
    // By the path at which a file lies now: where it came from.
    let mut now: BTreeMap<RelPath, FileChange> = BTreeMap::new();
    let mut gone: Vec<FileChange> = Vec::new();
    for journal in journals {
        let ops = &journal.ops.ops;
        let mut arriving: BTreeMap<RelPath, FileChange> = BTreeMap::new();
        for (n, op) in ops.iter().enumerate().filter(|(_, o)| !o.born) {
            let known = now.remove(&op.path);
            let mut change = match known {
                Some(change) => change,
                None => FileChange {
                    from: Some(op.path.clone()),
                    to: None,
                    before: journal.content_before(n)?.unwrap_or_default(),
                    after: Vec::new(),
                },
            };
            let stays = !op.gone && op.moved_to.is_none();
            change.to = if stays { Some(op.path.clone()) } else { op.moved_to.clone() };
            match change.to.clone() {
                Some(to) => {
                    if stays {
                        change.after = journal.content_after(n)?.unwrap_or_default();
                    }
                    arriving.insert(to, change);
                }
                None if change.from.is_some() => {
                    gone.push(FileChange { after: Vec::new(), ..change })
                }
                None => {}
            }
        }
        // A file may come to a path that another leaves.
        let comes = |o: &Op| !o.gone && (o.born || o.moved_to.is_some());
        for (n, op) in ops.iter().enumerate().filter(|(_, o)| comes(o)) {
            let after = journal.content_after(n)?.unwrap_or_default();
            let change = arriving.entry(op.path.clone()).or_insert_with(|| FileChange {
                from: None,
                to: Some(op.path.clone()),
                before: Vec::new(),
                after: Vec::new(),
            });
            change.after = after;
        }
        now.extend(arriving);
    }
    let mut out: Vec<FileChange> = now.into_values().collect();
    out.extend(gone);
    out.retain(|c| c.from != c.to || c.before != c.after);
    out.sort_by(|a, b| (a.to.as_ref().or(a.from.as_ref())).cmp(&b.to.as_ref().or(b.from.as_ref())));
    Ok(out)
}
