//! What an apply wrote, kept so that it can be taken back, even after a kill at any moment.
//!
//! A journal is a folder: `pack` holds the contents before and after, `ops.json` says what goes where,
//! `phase` is filled in a line at a time; its room is there from the start, so that a full disk cannot stop it. Both are on the disk before the first temporary file is written;
//! all temporary files are on the disk before the first one is renamed. `commit.json` and `revert.json` say which commits are about to be made, before they are.

use std::collections::{HashMap, HashSet};
use std::io;
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use emendo_text::{Digest, RelPath};
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::apply::disk::Disk;
use crate::apply::message::title;
use crate::apply::ops::{
    CarriedDecision, CommitKind, CommitRecord, Folder, Op, Ops, Packed, may_write, temp_name,
};
use crate::apply::phase::{Phase, read_phase, write_phase};

/// A journal on disk.
#[derive(Debug)]
pub struct Journal {
    dir: PathBuf,
    /// Its number, from 1.
    pub id: u32,
    /// How far it came.
    pub phase: Phase,
    /// What it does.
    pub ops: Ops,
}

/// What was taken back, and what was not.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct TakenBack {
    /// Files that are as before again.
    pub restored: Vec<RelPath>,
    /// Files that someone changed since: left as they are.
    pub kept: Vec<RelPath>,
    /// Files that a command of the project or a hook left unfinished, with where that is kept.
    pub aside: Vec<(RelPath, PathBuf)>,
}

/// What becomes of a file that is neither as before nor as it was written.
#[derive(Clone, Copy, Debug)]
pub(crate) enum Unknown<'a> {
    /// Someone changed it: it is left as it is.
    Keep,
    /// A command of the project or a hook did, in the middle of an apply: it is put aside into this folder, and restored.
    Aside(&'a Path),
}

impl Journal {
    /// One whose plan is on the disk.
    pub(super) fn sealed(dir: PathBuf, id: u32, ops: Ops) -> Self {
        Self { dir, id, phase: Phase::Prepared, ops }
    }

    /// All journals below a state folder, the oldest first; of one that never got as far as a plan there is nothing to say.
    ///
    /// # Errors
    /// If one cannot be read, or, of the kind `InvalidData`, asks for what no apply does.
    pub fn all(state: &Path) -> io::Result<Vec<Self>> {
        let base = state.join("journal");
        let mut out = Vec::new();
        for id in numbers(&base)? {
            let dir = base.join(format!("{id:06}"));
            let Some(phase) = read_phase(&dir) else { continue };
            let ops: Ops = match std::fs::read(dir.join(OPS)) {
                Ok(bytes) => serde_json::from_slice(&bytes).map_err(|e| damaged(id, &e))?,
                // It was given up between the two looks.
                Err(e) if e.kind() == io::ErrorKind::NotFound => continue,
                Err(e) => return Err(e),
            };
            for (n, op) in ops.ops.iter().enumerate() {
                if !may_write(&op.path) {
                    return Err(damaged(
                        id,
                        &format!("it names `{}`, which no apply writes", op.path),
                    ));
                }
                if op.temp != temp_name(id, n) {
                    return Err(damaged(
                        id,
                        &format!("`{}` is not the name of a temporary file", op.temp),
                    ));
                }
            }
            out.push(Self { dir, id, phase, ops });
        }
        Ok(out)
    }

    /// Takes away journals that never got as far as a plan, since nothing was written for them, and those that were taken back,
    /// since nothing can be done with them any more; the last one stays, for what it was made from. Only who holds the lock may.
    ///
    /// # Errors
    /// If one cannot be removed.
    pub(crate) fn tidy(state: &Path) -> io::Result<()> {
        let base = state.join("journal");
        let all = numbers(&base)?;
        for id in &all {
            let dir = base.join(format!("{id:06}"));
            let useless = match read_phase(&dir) {
                None => true,
                Some(phase) => phase == Phase::Undone && Some(id) != all.last(),
            };
            if useless {
                std::fs::remove_dir_all(&dir)?;
            }
        }
        Ok(())
    }

    /// Its folder.
    pub(crate) fn folder(&self) -> &Path {
        &self.dir
    }

    /// True if it was interrupted.
    pub fn unfinished(&self) -> bool {
        !matches!(self.phase, Phase::Done | Phase::Undone)
    }

    /// Enters a phase.
    ///
    /// # Errors
    /// If the disk fails.
    pub(crate) fn enter(&mut self, disk: &dyn Disk, phase: Phase) -> io::Result<()> {
        write_phase(disk, &self.dir, phase)?;
        self.phase = phase;
        Ok(())
    }

    pub(super) fn unpack(&self, packed: Packed) -> io::Result<Vec<u8>> {
        let mut file = std::fs::File::open(self.dir.join(PACK))?;
        file.seek(SeekFrom::Start(packed.offset))?;
        let mut bytes = Vec::new();
        file.take(packed.len).read_to_end(&mut bytes)?;
        if Digest::of(&bytes) != packed.digest {
            return Err(io::Error::new(
                io::ErrorKind::InvalidData,
                "the journal's pack is damaged",
            ));
        }
        Ok(bytes)
    }

    /// Writes all files; what follows from that is to be done before it enters [`Phase::Done`]. On an error all is as it was before.
    ///
    /// # Errors
    /// What stopped it; the message says so if taking back failed too.
    pub fn run(&mut self, disk: &dyn Disk) -> io::Result<()> {
        let Err(e) = self.write_all(disk) else { return Ok(()) };
        if self.phase == Phase::Prepared {
            // Nothing was replaced yet: only temporary files go, which needs no room.
            for op in &self.ops.ops {
                drop(disk.remove_temp(&op.path, &op.temp));
            }
            // What cannot be tidied up now is left to who takes it back.
            if self.remove_folders(disk, &self.ops.made).is_ok() {
                drop(std::fs::remove_dir_all(&self.dir));
            }
            return Err(e);
        }
        match self.take_back(disk, Unknown::Keep) {
            Ok(_) => Err(e),
            Err(second) if second.to_string() == e.to_string() => Err(e),
            Err(second) => {
                let both = format!("{e}; taking back what was written failed too: {second}");
                Err(io::Error::new(e.kind(), both))
            }
        }
    }

    /// How many bytes must fit on the disk beside what is there: to write it all, or to take it all back.
    pub(crate) fn room(&self, back: bool) -> u64 {
        self.ops.ops.iter().map(|o| if back { o.before.len } else { o.after.len }).sum()
    }

    fn write_all(&mut self, disk: &dyn Disk) -> io::Result<()> {
        self.make_folders(disk, &self.ops.made)?;
        for op in self.ops.ops.iter().filter(|o| !o.over && !o.gone) {
            let bytes = self.unpack(op.after)?;
            disk.write_temp(&op.path, &op.temp, &bytes, op.meta).map_err(|e| at(op, e))?;
        }
        disk.sync()?;
        self.enter(disk, Phase::Renaming)?;
        let twins = self.case_twins();
        for op in &self.ops.ops {
            // Someone may have written the file a moment ago.
            let now = disk.read(&op.path).map_err(|e| at(op, e))?;
            let now = now.map(|b| Digest::of(&b));
            if op.over && now == op.becomes() {
                // It was written under its other name.
                continue;
            }
            let twin = twins.get(&op.path).copied();
            let taken = twin.is_some_and(|t| now == t.was() && op.born);
            if now != op.was() && !taken {
                return Err(at(op, io::Error::other("the file was changed just now")));
            }
            if op.gone {
                continue;
            }
            if op.over {
                let bytes = self.unpack(op.after)?;
                disk.write_over(&op.path, &bytes).map_err(|e| at(op, e))?;
            } else if op.born {
                // Where case does not count, the two names are one.
                if let Some(twin) = twin {
                    self.take_away(disk, twin)?;
                }
                disk.rename_new(&op.path, &op.temp).map_err(|e| at(op, e))?;
            } else {
                disk.rename(&op.path, &op.temp).map_err(|e| at(op, e))?;
            }
        }
        for op in self.ops.ops.iter().filter(|o| o.gone && !twins.contains_key(&o.path)) {
            self.take_away(disk, op)?;
        }
        self.remove_folders(disk, &self.ops.left)?;
        disk.sync()?;
        self.enter(disk, Phase::Written)
    }

    /// Takes a file away whose content is as it was.
    fn take_away(&self, disk: &dyn Disk, op: &Op) -> io::Result<()> {
        match disk.read(&op.path).map_err(|e| at(op, e))?.map(|b| Digest::of(&b)) {
            now if now == op.was() => disk.remove(&op.path).map_err(|e| at(op, e)),
            None => Ok(()),
            Some(_) => Err(at(op, io::Error::other("the file was changed just now"))),
        }
    }

    /// Files that leave a path and come to one whose name differs by case only: by each of the two paths the other.
    fn case_twins(&self) -> HashMap<&RelPath, &Op> {
        let lower = |o: &Op| o.path.as_str().to_lowercase();
        let ops = &self.ops.ops;
        let gone: HashMap<String, &Op> =
            ops.iter().filter(|o| o.gone).map(|o| (lower(o), o)).collect();
        let mut out = HashMap::new();
        for born in ops.iter().filter(|o| o.born && !gone.is_empty()) {
            if let Some(gone) = gone.get(&lower(born)) {
                out.insert(&born.path, *gone);
                out.insert(&gone.path, born);
            }
        }
        out
    }

    fn make_folders(&self, disk: &dyn Disk, all: &[Folder]) -> io::Result<()> {
        all.iter()
            .try_for_each(|f| disk.make_folder(&f.path, f.mode).map_err(|e| at_path(&f.path, e)))
    }

    /// Takes away those of the folders that are empty, the innermost first.
    fn remove_folders(&self, disk: &dyn Disk, all: &[Folder]) -> io::Result<()> {
        all.iter()
            .rev()
            .try_for_each(|f| disk.remove_folder(&f.path).map_err(|e| at_path(&f.path, e)))
    }

    /// Writes once more what it wrote: an undo was refused, or an apply with a commit was killed. Files that someone changed stay.
    ///
    /// # Errors
    /// If a file cannot be written; calling it again goes on.
    pub(crate) fn write_again(&mut self, disk: &dyn Disk) -> io::Result<()> {
        self.turn(disk, Turn::Forth, &mut Turned::default(), Unknown::Keep)
    }

    /// Takes over what became of the files since they were written: it is what undo takes back from now on. Gives the files that
    /// changed.
    ///
    /// # Errors
    /// If the journal cannot be written.
    pub(crate) fn adopt(&mut self, disk: &dyn Disk) -> io::Result<Vec<RelPath>> {
        let pack = self.dir.join(PACK);
        let mut at = std::fs::metadata(&pack)?.len();
        let mut file = disk.state_file(&pack, true)?;
        let (mut ops, mut changed) = (self.ops.clone(), Vec::new());
        for op in ops.ops.iter_mut().filter(|o| !o.gone) {
            let gone = || io::Error::other("the file is not there any more");
            let now = disk.read(&op.path).map_err(|e| at_path(&op.path, e))?;
            let now = now.ok_or_else(gone).map_err(|e| at_path(&op.path, e))?;
            if Digest::of(&now) == op.after.digest {
                continue;
            }
            file.write_all(&now)?;
            op.after = Packed::of(at, &now);
            at += now.len() as u64;
            changed.push(op.path.clone());
        }
        if !changed.is_empty() {
            file.sync()?;
            self.replace(disk, OPS, &ops)?;
            self.ops = ops;
        }
        Ok(changed)
    }

    /// Puts a value in the place of a file of the journal, whole or not at all.
    fn replace(&self, disk: &dyn Disk, name: &str, value: &impl Serialize) -> io::Result<()> {
        let temp = self.dir.join(format!("{name}.new"));
        drop(std::fs::remove_file(&temp));
        let mut file = disk.state_file(&temp, false)?;
        serde_json::to_writer(&mut file, value)?;
        file.sync()?;
        std::fs::rename(&temp, self.dir.join(name))?;
        sync_folder(&self.dir)
    }

    /// The commit of what it wrote, or the one that takes it back, as far as it came.
    ///
    /// # Errors
    /// If that cannot be read.
    pub(crate) fn commit_of(&self, kind: CommitKind) -> io::Result<Option<CommitRecord>> {
        self.kept(kind.name())
    }

    /// A value that was kept beside the plan.
    fn kept<T: DeserializeOwned>(&self, name: &str) -> io::Result<Option<T>> {
        match std::fs::read(self.dir.join(name)) {
            Ok(bytes) => serde_json::from_slice(&bytes).map(Some).map_err(|e| damaged(self.id, &e)),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(e) => Err(e),
        }
    }

    /// Keeps the decisions that were carried over for what it left.
    ///
    /// # Errors
    /// If that cannot be written.
    pub(crate) fn keep_carried(&self, disk: &dyn Disk, all: &[CarriedDecision]) -> io::Result<()> {
        self.replace(disk, CARRIED, &all)
    }

    /// The decisions that were carried over for what it left.
    ///
    /// # Errors
    /// If that cannot be read.
    pub(crate) fn carried(&self) -> io::Result<Vec<CarriedDecision>> {
        Ok(self.kept(CARRIED)?.unwrap_or_default())
    }

    /// Keeps how far a commit came.
    ///
    /// # Errors
    /// If that cannot be written.
    pub(crate) fn keep_commit(
        &self,
        disk: &dyn Disk,
        kind: CommitKind,
        record: &CommitRecord,
    ) -> io::Result<()> {
        self.replace(disk, kind.name(), record)
    }

    /// Forgets a commit that was not made.
    pub(crate) fn forget_commit(&self, kind: CommitKind) {
        drop(std::fs::remove_file(self.dir.join(kind.name())));
    }

    /// The titles of the steps that it wrote, or of its recipes where it wrote all in one.
    pub fn title(&self) -> String {
        match (&self.ops.from, self.ops.steps.as_slice()) {
            (Some(from), steps) if !steps.is_empty() => title(from, steps),
            _ => self.ops.recipes.join("; "),
        }
    }

    /// The id of the commit of what it wrote, if there is one.
    pub fn commit(&self) -> Option<String> {
        self.commit_of(CommitKind::Written).ok().flatten()?.made
    }

    /// Files that are not as one of these says.
    ///
    /// # Errors
    /// If one cannot be read.
    pub(crate) fn unlike<const N: usize>(
        &self,
        disk: &dyn Disk,
        of: impl Fn(&Op) -> [Option<Digest>; N],
    ) -> io::Result<Vec<RelPath>> {
        let mut out = Vec::new();
        for op in &self.ops.ops {
            let now = disk.read(&op.path).map_err(|e| at(op, e))?.map(|b| Digest::of(&b));
            if !of(op).contains(&now) {
                out.push(op.path.clone());
            }
        }
        Ok(out)
    }

    /// Makes every file as it was before. If that cannot be done, everything is left as it is.
    ///
    /// # Errors
    /// If a file cannot be written; calling it again goes on.
    pub(crate) fn take_back(
        &mut self,
        disk: &dyn Disk,
        unknown: Unknown<'_>,
    ) -> io::Result<TakenBack> {
        let back = self.restore(disk, unknown)?;
        self.enter(disk, Phase::Undone)?;
        Ok(back)
    }

    /// The same, and the phase after it is left to whoever asks.
    ///
    /// # Errors
    /// As [`Journal::take_back`].
    pub(crate) fn restore(
        &mut self,
        disk: &dyn Disk,
        unknown: Unknown<'_>,
    ) -> io::Result<TakenBack> {
        let was = self.phase;
        if was != Phase::Undoing {
            self.enter(disk, Phase::Undoing)?;
        }
        let mut back = Turned::default();
        if let Err(e) = self.turn(disk, Turn::Back, &mut back, unknown) {
            if !back.renaming {
                for op in &self.ops.ops {
                    drop(disk.remove_temp(&op.path, &op.temp));
                }
                drop(self.remove_folders(disk, &self.ops.left));
                let again = |op: &usize| {
                    let op = &self.ops.ops[*op];
                    self.unpack(op.after).and_then(|bytes| disk.write_over(&op.path, &bytes))
                };
                if back.over.iter().map(again).all(|r| r.is_ok()) {
                    drop(self.enter(disk, was));
                }
            }
            return Err(e);
        }
        Ok(back.done)
    }

    /// Writes what was before, or after: beside the files first, which changes nothing yet, then in their places.
    fn turn(
        &self,
        disk: &dyn Disk,
        turn: Turn,
        turned: &mut Turned,
        unknown: Unknown<'_>,
    ) -> io::Result<()> {
        let (mut swaps, mut over, mut away) = (Vec::new(), Vec::new(), Vec::new());
        let (from_folders, to_folders) = match turn {
            Turn::Back => (&self.ops.made, &self.ops.left),
            Turn::Forth => (&self.ops.left, &self.ops.made),
        };
        let twins = self.case_twins();
        let mut kept: HashSet<&RelPath> = HashSet::new();
        let arrived: HashSet<&RelPath> =
            self.ops.ops.iter().filter_map(|o| o.moved_to.as_ref()).collect();
        let mut folders = false;
        // Where a file went is looked at first: it stays gone where someone changed it there.
        let arrivals = self.ops.ops.iter().enumerate().filter(|o| o.1.born);
        let others = self.ops.ops.iter().enumerate().filter(|o| !o.1.born);
        for (n, op) in arrivals.chain(others) {
            let (from, to, target) = match turn {
                Turn::Back => (op.becomes(), op.was(), op.before),
                Turn::Forth => (op.was(), op.becomes(), op.after),
            };
            disk.remove_temp(&op.path, &op.temp).map_err(|e| at(op, e))?;
            let now = disk.read(&op.path).map_err(|e| at(op, e))?;
            let digest = now.as_ref().map(|b| Digest::of(b));
            let twin = twins.get(&op.path);
            if digest == to && twin.is_none() {
                continue;
            }
            let half = match &now {
                Some(now) => op.over && self.half_written(op, now)?,
                None => false,
            };
            let by_twin = twin.is_some_and(|t| digest == t.was() || digest == t.becomes());
            let ours = digest == from || digest == to || half || by_twin;
            let follows = op.moved_to.as_ref().is_some_and(|to| kept.contains(to));
            match (&now, unknown) {
                (Some(now), Unknown::Aside(folder)) if !ours => {
                    let name = format!("{}-{n}-{}", self.id, op.path.name());
                    std::fs::create_dir_all(folder)?;
                    std::fs::write(folder.join(&name), now)?;
                    turned.done.aside.push((op.path.clone(), folder.join(name)));
                }
                _ if !ours || follows => {
                    turned.done.kept.push(op.path.clone());
                    kept.insert(&op.path);
                    continue;
                }
                (..) => {}
            }
            match to {
                None => away.push(op),
                Some(_) if op.over => over.push(n),
                Some(_) => {
                    if !std::mem::replace(&mut folders, true) {
                        self.make_folders(disk, to_folders)?;
                    }
                    let bytes = self.unpack(target)?;
                    disk.write_temp(&op.path, &op.temp, &bytes, op.meta).map_err(|e| at(op, e))?;
                    swaps.push(op);
                }
            }
            // A file that moves is said by where it comes to lie.
            let leaves = match turn {
                Turn::Back => arrived.contains(&op.path),
                Turn::Forth => op.moved_to.is_some(),
            };
            turned.done.restored.extend((!leaves).then(|| op.path.clone()));
        }
        for n in over {
            let op = &self.ops.ops[n];
            turned.over.push(n);
            let to = if turn == Turn::Back { op.before } else { op.after };
            disk.write_over(&op.path, &self.unpack(to)?).map_err(|e| at(op, e))?;
        }
        disk.sync()?;
        turned.renaming = true;
        for op in away {
            if disk.read(&op.path).map_err(|e| at(op, e))?.is_some() {
                disk.remove(&op.path).map_err(|e| at(op, e))?;
            }
        }
        for op in swaps {
            disk.rename(&op.path, &op.temp).map_err(|e| at(op, e))?;
        }
        self.remove_folders(disk, from_folders)?;
        disk.sync()
    }

    /// True if a file is the new content up to some byte and the old one after it.
    fn half_written(&self, op: &Op, now: &[u8]) -> io::Result<bool> {
        let (before, after) = (self.unpack(op.before)?, self.unpack(op.after)?);
        let same = |a: &[u8], b: &[u8]| a.iter().zip(b).take_while(|(a, b)| a == b).count();
        let forth = same(now, &after);
        let back = same(now, &before);
        let rest = |from: usize, of: &[u8]| of.get(from..).unwrap_or(&[]).to_vec();
        // Forward: the head is new. Backward (an undo that was killed): the head is old.
        Ok(now[forth..] == rest(forth, &before) || now[back..] == rest(back, &after))
    }
}

/// Which of its two contents a file gets.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Turn {
    Back,
    Forth,
}

/// How far that came.
#[derive(Default)]
struct Turned {
    done: TakenBack,
    /// Files that were written over.
    over: Vec<usize>,
    /// Files are being replaced: there is no way but on.
    renaming: bool,
}

/// The contents of files before and after.
pub(super) const PACK: &str = "pack";
/// What goes where.
pub(super) const OPS: &str = "ops.json";
/// Decisions that were carried over for what was left.
const CARRIED: &str = "carried.json";

fn at(op: &Op, e: io::Error) -> io::Error {
    at_path(&op.path, e)
}

fn at_path(path: &RelPath, e: io::Error) -> io::Error {
    io::Error::new(e.kind(), format!("{path}: {e}"))
}

fn damaged(id: u32, why: &dyn std::fmt::Display) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, format!("the journal {id:06} is damaged: {why}"))
}

pub(super) fn numbers(base: &Path) -> io::Result<Vec<u32>> {
    let entries = match std::fs::read_dir(base) {
        Ok(entries) => entries,
        Err(e) if e.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
        Err(e) => return Err(e),
    };
    let mut out: Vec<u32> =
        entries.filter_map(|e| e.ok()?.file_name().to_str()?.parse().ok()).collect();
    out.sort_unstable();
    Ok(out)
}

pub(super) fn sync_folder(dir: &Path) -> io::Result<()> {
    if cfg!(unix) { std::fs::File::open(dir)?.sync_all() } else { Ok(()) }
}
