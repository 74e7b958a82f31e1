//! The contents of an apply, collected before anything is written.

use std::collections::HashMap;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use emendo_text::{Digest, RelPath};

use crate::apply::disk::{Disk, StateFile};
use crate::apply::journal::{Journal, OPS, PACK, numbers, sync_folder};
use crate::apply::ops::{Op, Ops, Packed, may_write, temp_name};
use crate::apply::phase::{Phase, write_phase};

/// Collects the contents of an apply before anything is written.
pub(crate) struct Packer<'d> {
    disk: &'d dyn Disk,
    dir: PathBuf,
    id: u32,
    pack: Box<dyn StateFile>,
    at: u64,
    ops: Vec<Op>,
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
        Ok(Self { disk, dir, id, pack, at: 0, ops: Vec::new(), twins: HashMap::new() })
    }

    fn pack(&mut self, bytes: &[u8]) -> io::Result<Packed> {
        self.pack.write_all(bytes)?;
        let offset = self.at;
        self.at += bytes.len() as u64;
        Ok(Packed::of(offset, bytes))
    }

    /// Adds a file.
    ///
    /// # Errors
    /// If the pack cannot be written.
    pub(crate) fn add(
        &mut self,
        path: RelPath,
        before: &[u8],
        after: &[u8],
        dirty: bool,
    ) -> io::Result<()> {
        if !may_write(&path) {
            return Err(io::Error::other(format!("`{path}` is not written by any apply")));
        }
        let (before, after) = (self.pack(before)?, self.pack(after)?);
        let over = self.disk.keeps_inode(&path)?;
        if let Some(own) = self.disk.identity(&path)? {
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
        self.ops.push(Op { path, before, after, temp, over, dirty });
        Ok(())
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
        let ops = Ops { ops: std::mem::take(&mut self.ops), ..plan };
        let result = self.write(&ops);
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
