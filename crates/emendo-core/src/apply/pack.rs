//! The contents of an apply, collected before anything is written.

use std::collections::{HashMap, HashSet};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use emendo_text::{Digest, RelPath};

use crate::apply::disk::{Disk, StateFile};
use crate::apply::journal::{Journal, OPS, PACK, numbers, sync_folder};
use crate::apply::ops::{FileMeta, Folder, Op, Ops, Packed, may_write, temp_name};
use crate::apply::phase::{Phase, write_phase};

/// What becomes of one path.
pub(crate) struct PathChange<'a> {
    /// The path.
    pub(crate) path: &'a RelPath,
    /// The content before; none where there is no file.
    pub(crate) before: Option<&'a [u8]>,
    /// The content after; none where there is to be no file.
    pub(crate) after: Option<&'a [u8]>,
    /// Where the file goes that leaves the path.
    pub(crate) moved_to: Option<&'a RelPath>,
    /// What the file that comes has besides its content.
    pub(crate) meta: Option<FileMeta>,
    /// It holds changes of the user's that are in no commit.
    pub(crate) dirty: bool,
}

/// Collects the contents of an apply before anything is written.
pub(crate) struct Packer<'d> {
    disk: &'d dyn Disk,
    dir: PathBuf,
    id: u32,
    pack: Box<dyn StateFile>,
    at: u64,
    ops: Vec<Op>,
    /// Where each path stands among them.
    by_path: HashMap<RelPath, usize>,
    /// Files with several names, and what they become.
    twins: HashMap<(u64, u64), (RelPath, Digest)>,
}

impl<'d> Packer<'d> {
    /// Begins a journal below the state folder.
    ///
    /// # Errors
    /// If it cannot be made.
    pub(crate) fn begin(disk: &'d dyn Disk, state: &Path) -> io::Result<Self> {
        let base = state.join("journal");
        std::fs::create_dir_all(&base)?;
        let id = numbers(&base)?.last().map_or(1, |n| n + 1);
        let dir = base.join(format!("{id:06}"));
        std::fs::create_dir(&dir)?;
        let pack = match disk.state_file(&dir.join(PACK), false) {
            Ok(pack) => pack,
            Err(e) => {
                drop(std::fs::remove_dir(&dir));
                return Err(e);
            }
        };
        Ok(Self {
            disk,
            dir,
            id,
            pack,
            at: 0,
            ops: Vec::new(),
            by_path: HashMap::new(),
            twins: HashMap::new(),
        })
    }

    fn pack(&mut self, bytes: &[u8]) -> io::Result<Packed> {
        self.pack.write_all(bytes)?;
        let offset = self.at;
        self.at += bytes.len() as u64;
        Ok(Packed::of(offset, bytes))
    }

    /// Adds a file. One that was taken away from a path and one that comes to it are one change of that path.
    ///
    /// # Errors
    /// If the pack cannot be written.
    pub(crate) fn add(&mut self, change: &PathChange<'_>) -> io::Result<()> {
        let path = change.path;
        if !may_write(path) {
            return Err(io::Error::other(format!("`{path}` is not written by any apply")));
        }
        if let Some(known) = self.by_path.get(path) {
            return self.join(*known, change);
        }
        let (born, gone) = (change.before.is_none(), change.after.is_none());
        let before = self.pack(change.before.unwrap_or(&[]))?;
        let after = self.pack(change.after.unwrap_or(&[]))?;
        let over = !born && self.disk.keeps_inode(path)?;
        if over && gone {
            let why = "has several names, or belongs to someone else: it is not moved or deleted";
            return Err(io::Error::other(format!("`{path}` {why}")));
        }
        if !born && let Some(own) = self.disk.identity(path)? {
            if let Some((twin, digest)) = self.twins.get(&own)
                && *digest != after.digest
            {
                return Err(io::Error::other(format!(
                    "`{twin}` and `{path}` are two names of one file, and would become different"
                )));
            }
            self.twins.insert(own, (path.clone(), after.digest));
        }
        let temp = temp_name(self.id, self.ops.len());
        let meta = match (born, gone) {
            (true, _) => change.meta,
            (false, true) => self.disk.meta(path)?,
            _ => None,
        };
        let (moved_to, dirty) = (change.moved_to.cloned(), change.dirty);
        let path = path.clone();
        self.by_path.insert(path.clone(), self.ops.len());
        self.ops.push(Op { path, before, after, born, gone, moved_to, meta, temp, over, dirty });
        Ok(())
    }

    /// A path that one file leaves and another takes.
    fn join(&mut self, known: usize, change: &PathChange<'_>) -> io::Result<()> {
        let after = self.pack(change.after.unwrap_or(&[]))?;
        let before = self.pack(change.before.unwrap_or(&[]))?;
        let op = &mut self.ops[known];
        match (op.gone, op.born) {
            (true, false) if change.before.is_none() && change.after.is_some() => {
                (op.after, op.gone) = (after, false);
            }
            (false, true) if change.before.is_some() && change.after.is_none() => {
                (op.before, op.born) = (before, false);
                op.moved_to = change.moved_to.cloned();
            }
            _ => return Err(io::Error::other(format!("`{}` would become two files", op.path))),
        }
        op.dirty |= change.dirty;
        Ok(())
    }

    /// Refuses to create a file where something is; where case does not count, the file that leaves may be it.
    fn refuse_taken(&self) -> io::Result<()> {
        let lower = |p: &RelPath| p.as_str().to_lowercase();
        let gone: HashSet<String> =
            self.ops.iter().filter(|o| o.gone).map(|o| lower(&o.path)).collect();
        for op in self.ops.iter().filter(|o| o.born && !gone.contains(&lower(&o.path))) {
            if !self.disk.is_free(&op.path)? {
                return Err(io::Error::other(format!("`{}` is there already", op.path)));
            }
        }
        Ok(())
    }

    /// The folders that files are taken out of, and those that are made, the outermost first.
    fn folders(&self) -> io::Result<(Vec<Folder>, Vec<Folder>)> {
        let around = |wanted: &dyn Fn(&Op) -> bool| {
            let mut all: Vec<RelPath> = Vec::new();
            for op in self.ops.iter().filter(|o| wanted(o)) {
                let mut folder = op.path.folder();
                while !folder.is_empty() {
                    all.extend(RelPath::new(folder).ok());
                    folder = folder.rsplit_once('/').map_or("", |f| f.0);
                }
            }
            all.sort();
            all.dedup();
            all
        };
        let mut left = Vec::new();
        for path in around(&|o| o.gone) {
            let mode = self.disk.folder_mode(&path)?;
            left.extend(mode.is_some().then_some(Folder { path, mode }));
        }
        let mut made = Vec::new();
        let mut missing: Vec<RelPath> = Vec::new();
        for path in around(&|o| o.born) {
            // Below one that is missing none is there.
            let below = missing.iter().any(|m| path.as_str().starts_with(m.as_str()));
            if below || self.disk.folder_mode(&path)?.is_none() {
                missing.push(path.clone());
                made.push(Folder { path, mode: None });
            }
        }
        Ok((left, made))
    }

    /// The number that the journal will have.
    pub(crate) fn id(&self) -> u32 {
        self.id
    }

    /// True if no file was added.
    pub(crate) fn is_empty(&self) -> bool {
        self.ops.is_empty()
    }

    /// Takes the begun journal away.
    pub(crate) fn abandon(self) {
        drop(std::fs::remove_dir_all(&self.dir));
    }

    /// Brings contents and plan to the disk: from here on a kill can be taken back. The files of `plan` are those that were added.
    ///
    /// # Errors
    /// If they cannot be written; then nothing is left of the journal.
    pub(crate) fn seal(mut self, plan: Ops) -> io::Result<Journal> {
        let folders = self.refuse_taken().and_then(|()| self.folders());
        let mut ops = Ops { ops: std::mem::take(&mut self.ops), ..plan };
        let result = folders.and_then(|(left, made)| {
            (ops.left, ops.made) = (left, made);
            self.write(&ops)
        });
        if let Err(e) = result {
            drop(std::fs::remove_dir_all(&self.dir));
            return Err(e);
        }
        Ok(Journal::sealed(self.dir, self.id, ops))
    }

    fn write(&mut self, ops: &Ops) -> io::Result<()> {
        self.pack.sync()?;
        let mut file = self.disk.state_file(&self.dir.join(OPS), false)?;
        serde_json::to_writer(&mut file, ops)?;
        file.sync()?;
        write_phase(self.disk, &self.dir, Phase::Prepared)?;
        sync_folder(&self.dir)?;
        self.dir.parent().map_or(Ok(()), sync_folder)
    }
}
