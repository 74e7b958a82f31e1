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
    /// It is a program.
    pub executable: bool,
}

impl FileChange {
    /// Where it lies, or lay if it is gone.
    pub fn path(&self) -> Option<&RelPath> {
        self.to.as_ref().or(self.from.as_ref())
    }

    /// True if nothing is otherwise than before.
    fn is_none(&self) -> bool {
        self.from == self.to && self.before == self.after
    }
}

/// Changes, and others over what they made, together.
pub fn composed(first: Vec<FileChange>, then: &[FileChange]) -> Vec<FileChange> {
    let mut now: BTreeMap<RelPath, FileChange> = BTreeMap::new();
    let mut out: Vec<FileChange> = Vec::new();
    for c in first {
        match c.to.clone() {
            Some(to) => drop(now.insert(to, c)),
            None => out.push(c),
        }
    }
    let known: Vec<Option<FileChange>> =
        then.iter().map(|t| now.remove(t.from.as_ref()?)).collect();
    out.extend(now.into_values());
    for (t, known) in then.iter().zip(known) {
        let whole = match known {
            Some(k) => FileChange { from: k.from, before: k.before, ..t.clone() },
            None => t.clone(),
        };
        if whole.from.is_some() || whole.to.is_some() {
            out.push(whole);
        }
    }
    whole(out)
}

/// Changes in order of path, each file once: one that went and came again is one that changed.
fn whole(mut all: Vec<FileChange>) -> Vec<FileChange> {
    let gone = |c: &FileChange| c.to.is_none();
    let mut went: BTreeMap<RelPath, FileChange> = BTreeMap::new();
    for c in all.iter().filter(|c| gone(c)) {
        went.extend(c.from.clone().map(|from| (from, c.clone())));
    }
    for c in all.iter_mut().filter(|c| c.from.is_none()) {
        if let Some(was) = c.to.as_ref().and_then(|to| went.remove(to)) {
            (c.from, c.before) = (was.from, was.before);
        }
    }
    all.retain(|c| !gone(c) || c.from.as_ref().is_some_and(|from| went.contains_key(from)));
    all.retain(|c| !c.is_none());
    all.sort_by(|a, b| a.path().cmp(&b.path()));
    all
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
                    executable: op.meta.is_some_and(|m| m.mode & 0o111 != 0),
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
                    gone.push(FileChange { after: Vec::new(), ..change });
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
                executable: false,
            });
            change.after = after;
        }
        now.extend(arriving);
    }
    let mut out: Vec<FileChange> = now.into_values().collect();
    out.extend(gone);
    Ok(whole(out))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn change(from: Option<&str>, to: Option<&str>, before: &str, after: &str) -> FileChange {
        let path = |p: Option<&str>| p.and_then(|p| RelPath::new(p).ok());
        FileChange {
            from: path(from),
            to: path(to),
            before: before.into(),
            after: after.into(),
            executable: false,
        }
    }

    #[test]
    fn changes_one_after_the_other_are_one_for_each_file() {
        let first = vec![
            change(Some("a"), Some("b"), "1", "2"),
            change(Some("c"), None, "3", ""),
            change(None, Some("d"), "", "4"),
            change(Some("e"), Some("e"), "5", "6"),
        ];
        let then = [
            change(Some("b"), Some("b"), "2", "7"),
            change(None, Some("c"), "", "8"),
            change(Some("d"), None, "4", ""),
            change(Some("e"), Some("e"), "6", "5"),
        ];
        let both = [change(Some("a"), Some("b"), "1", "7"), change(Some("c"), Some("c"), "3", "8")];
        assert_eq!(composed(first, &then), both);
    }
}
