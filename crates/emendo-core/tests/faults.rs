//! A disk that fails at every possible moment: the tree is as before or as after, never in between.

use std::collections::BTreeMap;
use std::io::{self, Write};
use std::path::Path;
use std::sync::atomic::{AtomicI64, Ordering};

use emendo_core::{
    ApplyOptions, Disk, FileMeta, RealDisk, Selection, Session, StateFile, UndoOptions, check,
};
use emendo_recipe::Source;
use emendo_text::RelPath;

/// What goes wrong.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Fault {
    None,
    /// Bytes that still fit; the write that goes over is cut short.
    Full(i64),
    /// Calls that still work; the next one fails, and all after it where `lasting`.
    Call {
        after: i64,
        lasting: bool,
    },
    /// Nothing can be made or renamed in this folder.
    ReadOnly(&'static str),
}

struct FaultyDisk {
    real: RealDisk,
    fault: Fault,
    left: AtomicI64,
}

impl FaultyDisk {
    fn new(root: &Path, fault: Fault) -> Self {
        let left = match fault {
            Fault::Full(n) | Fault::Call { after: n, .. } => n,
            _ => 0,
        };
        Self { real: RealDisk::open(root).expect("there"), fault, left: AtomicI64::new(left) }
    }

    fn call(&self, path: Option<&RelPath>) -> io::Result<()> {
        match self.fault {
            Fault::Call { lasting, .. } => {
                let left = self.left.fetch_sub(1, Ordering::SeqCst);
                let fails = if lasting { left <= 0 } else { left == 0 };
                if fails { Err(io::Error::other("the disk is gone")) } else { Ok(()) }
            }
            Fault::ReadOnly(folder) if path.is_some_and(|p| p.folder() == folder) => {
                Err(io::ErrorKind::PermissionDenied.into())
            }
            _ => Ok(()),
        }
    }

    fn room(&self, len: usize) -> io::Result<()> {
        match self.fault {
            Fault::Full(_) if self.left.fetch_sub(len as i64, Ordering::SeqCst) < len as i64 => {
                Err(io::ErrorKind::StorageFull.into())
            }
            _ => Ok(()),
        }
    }
}

struct FaultyFile {
    real: Box<dyn StateFile>,
    full: bool,
    left: i64,
}

impl Write for FaultyFile {
    fn write(&mut self, buf: &[u8]) -> io::Result<usize> {
        if self.full && self.left < buf.len() as i64 {
            return Err(io::ErrorKind::StorageFull.into());
        }
        self.left -= buf.len() as i64;
        self.real.write(buf)
    }
    fn flush(&mut self) -> io::Result<()> {
        self.real.flush()
    }
}

impl StateFile for FaultyFile {
    fn sync(&mut self) -> io::Result<()> {
        self.real.sync()
    }
}

impl Disk for FaultyDisk {
    fn read(&self, path: &RelPath) -> io::Result<Option<Vec<u8>>> {
        self.real.read(path)
    }
    fn keeps_inode(&self, path: &RelPath) -> io::Result<bool> {
        self.real.keeps_inode(path)
    }
    fn write_temp(
        &self,
        path: &RelPath,
        temp: &str,
        bytes: &[u8],
        meta: Option<FileMeta>,
    ) -> io::Result<()> {
        self.call(Some(path))?;
        self.room(bytes.len())?;
        self.real.write_temp(path, temp, bytes, meta)
    }
    fn rename_new(&self, path: &RelPath, temp: &str) -> io::Result<()> {
        self.call(Some(path))?;
        self.real.rename_new(path, temp)
    }
    fn remove(&self, path: &RelPath) -> io::Result<()> {
        self.call(Some(path))?;
        self.real.remove(path)
    }
    fn meta(&self, path: &RelPath) -> io::Result<Option<FileMeta>> {
        self.real.meta(path)
    }
    fn is_free(&self, path: &RelPath) -> io::Result<bool> {
        self.real.is_free(path)
    }
    fn folder_mode(&self, folder: &RelPath) -> io::Result<Option<u32>> {
        self.real.folder_mode(folder)
    }
    fn make_folder(&self, folder: &RelPath, mode: Option<u32>) -> io::Result<()> {
        self.call(Some(folder))?;
        self.real.make_folder(folder, mode)
    }
    fn remove_folder(&self, folder: &RelPath) -> io::Result<()> {
        self.call(Some(folder))?;
        self.real.remove_folder(folder)
    }
    fn rename(&self, path: &RelPath, temp: &str) -> io::Result<()> {
        self.call(Some(path))?;
        self.real.rename(path, temp)
    }
    fn write_over(&self, path: &RelPath, bytes: &[u8]) -> io::Result<()> {
        self.call(Some(path))?;
        let old = self.real.read(path)?.unwrap_or_default();
        // What stands in blocks that the file has already takes no room.
        if self.room(bytes.len().saturating_sub(old.len())).is_err() {
            // A real disk keeps what still fitted.
            let mut half = bytes[..bytes.len() / 2].to_vec();
            half.extend(old.get(half.len()..).unwrap_or(&[]));
            self.real.write_over(path, &half)?;
            return Err(io::ErrorKind::StorageFull.into());
        }
        self.real.write_over(path, bytes)
    }
    fn remove_temp(&self, path: &RelPath, temp: &str) -> io::Result<()> {
        self.real.remove_temp(path, temp)
    }
    fn sync(&self) -> io::Result<()> {
        self.call(None)?;
        self.real.sync()
    }
    fn state_at(&self, path: &Path, offset: u64) -> io::Result<Box<dyn StateFile>> {
        self.call(None)?;
        self.real.state_at(path, offset)
    }
    fn identity(&self, path: &RelPath) -> io::Result<Option<(u64, u64)>> {
        self.real.identity(path)
    }
    fn state_file(&self, path: &Path, append: bool) -> io::Result<Box<dyn StateFile>> {
        self.call(None)?;
        let left = self.left.load(Ordering::SeqCst);
        let real = self.real.state_file(path, append)?;
        // A line of the phase always fits: real disks fail on data, and a test must be able to go on.
        Ok(Box::new(FaultyFile {
            real,
            full: matches!(self.fault, Fault::Full(_)) && !append,
            left,
        }))
    }
}

struct Fixture {
    dir: tempfile::TempDir,
    before: BTreeMap<String, Vec<u8>>,
    after: BTreeMap<String, Vec<u8>>,
}

const RECIPE: &str = "emendo = 1\nid = 't'\ntitle = 'T'\nlang = 'java'\nnames = { Station = 'tidewire.client.Station' }\n[[step]]\nid = 's'\ntitle = 'S'\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h}).open()'\n[[step]]\nid = 'f'\ntitle = 'F'\n[[step.file]]\nold = 'sub/F1.java'\nnew = 'sub/Gauge.java'\n[[step.file]]\nold = 'alone/@{n}.txt'\nnew = 'far/away/@{n}.md'\n[[step.file]]\nold = 'sub/gone.txt'\ndelete = true\n[[step.file]]\ncreate = 'made/new.txt'\ncontent = 'made'\n";

impl Fixture {
    fn new() -> Self {
        let dir = tempfile::tempdir().expect("a scratch folder");
        std::fs::create_dir(dir.path().join("sub")).expect("fresh");
        std::fs::write(dir.path().join("emendo.toml"), "").expect("fresh");
        std::fs::write(dir.path().join("recipe.toml"), RECIPE).expect("fresh");
        for i in 0..6 {
            let path = if i % 2 == 0 { format!("F{i}.java") } else { format!("sub/F{i}.java") };
            let text = format!(
                "import tidewire.client.Station;\nclass F{i} {{ Object o = new Station(\"{i}\"); }}\n"
            );
            std::fs::write(dir.path().join(path), text).expect("fresh");
        }
        std::fs::create_dir(dir.path().join("alone")).expect("fresh");
        for path in ["alone/only.txt", "sub/gone.txt"] {
            std::fs::write(dir.path().join(path), path.repeat(20)).expect("fresh");
        }
        // One file that must be written over, since it has a second name.
        std::fs::hard_link(dir.path().join("F0.java"), dir.path().join("twin")).expect("same disk");
        let mut out = Self { before: BTreeMap::new(), after: BTreeMap::new(), dir };
        out.before = out.tree();
        let session = out.propose();
        out.apply(&session, &out.disk(Fault::None)).expect("a healthy disk works");
        out.after = out.tree();
        session
            .undo(&out.disk(Fault::None), &UndoOptions::default())
            .expect("a healthy disk works");
        assert_eq!(out.tree(), out.before);
        out
    }

    fn disk(&self, fault: Fault) -> FaultyDisk {
        FaultyDisk::new(self.dir.path(), fault)
    }

    fn propose(&self) -> Session {
        let session = Session::open(self.dir.path()).expect("opens");
        let path = self.dir.path().join("recipe.toml");
        let name = path.display().to_string();
        let source =
            Source { path: name.clone(), name, text: RECIPE.into(), beside: Default::default() };
        let checked = check(
            &Default::default(),
            vec![source],
            &BTreeMap::new(),
            &emendo_core::Shelf::default(),
        );
        session.propose(&checked, &BTreeMap::new(), &[], &mut |_, _| {}).expect("proposes");
        session.accept(&Selection { all: true, ..Selection::default() }).expect("accepts");
        session
    }

    fn apply(
        &self,
        session: &Session,
        disk: &dyn Disk,
    ) -> Result<usize, emendo_core::SessionError> {
        let none = |_: &[RelPath]| Vec::new();
        let options = ApplyOptions::new(&none);
        session.apply(disk, &options).map(|a| a.files.len())
    }

    /// Files with their contents, and folders.
    fn tree(&self) -> BTreeMap<String, Vec<u8>> {
        let mut out = BTreeMap::new();
        let mut folders = vec![String::new()];
        while let Some(folder) = folders.pop() {
            for entry in std::fs::read_dir(self.dir.path().join(&folder)).expect("readable") {
                let entry = entry.expect("readable");
                let name = format!("{folder}/{}", entry.file_name().to_string_lossy());
                let name = name.trim_start_matches('/').to_owned();
                let is_file = entry.file_type().expect("known").is_file();
                if is_file {
                    out.insert(name, std::fs::read(entry.path()).expect("readable"));
                } else if name != ".emendo" {
                    out.insert(format!("{name}/"), Vec::new());
                    folders.push(name);
                }
            }
        }
        out
    }

    /// Fails once with this fault; then the tree must be known, and a healthy disk must bring it to both ends.
    fn survives(&self, fault: Fault) -> bool {
        let session = self.propose();
        let failed = self.apply(&session, &self.disk(fault)).is_err();
        if failed {
            let interrupted = session
                .journals()
                .expect("readable")
                .last()
                .is_some_and(emendo_core::Journal::unfinished);
            if interrupted {
                session
                    .undo(&self.disk(Fault::None), &UndoOptions::default())
                    .expect("undo goes on");
            }
            assert_eq!(self.tree(), self.before, "{fault:?}: as before after a failed apply");
            self.apply(&session, &self.disk(Fault::None)).expect("apply works once the disk does");
        }
        assert_eq!(self.tree(), self.after, "{fault:?}: as after");
        session.undo(&self.disk(Fault::None), &UndoOptions::default()).expect("undo works");
        assert_eq!(self.tree(), self.before, "{fault:?}: taken back");
        failed
    }
}

#[test]
fn a_full_disk_at_any_byte() {
    let f = Fixture::new();
    let failed = (0..6000).step_by(97).filter(|n| f.survives(Fault::Full(*n))).count();
    assert!((10..60).contains(&failed), "{failed} of the limits were hit");
}

#[test]
fn any_call_may_fail_once_or_for_good() {
    let f = Fixture::new();
    for lasting in [false, true] {
        let failed = (0..60).filter(|n| f.survives(Fault::Call { after: *n, lasting })).count();
        assert!((20..60).contains(&failed), "{failed} of the calls failed");
    }
}

#[test]
fn a_read_only_folder_stops_everything() {
    let f = Fixture::new();
    assert!(f.survives(Fault::ReadOnly("sub")));
}

impl Fixture {
    /// Applies on a healthy disk, then takes back on a faulty one. Gives whether that failed.
    fn undo_survives(&self, fault: Fault) -> bool {
        let session = self.propose();
        self.apply(&session, &self.disk(Fault::None)).expect("a healthy disk works");
        let failed = session.undo(&self.disk(fault), &UndoOptions::default()).is_err();
        if failed {
            let journals = session.journals().expect("readable");
            let half = journals.last().is_some_and(emendo_core::Journal::unfinished);
            if !matches!(fault, Fault::Call { .. }) {
                assert!(!half, "{fault:?}: no half state");
            }
            if !half {
                assert_eq!(self.tree(), self.after, "{fault:?}: a failed undo changes nothing");
            }
            session
                .undo(&self.disk(Fault::None), &UndoOptions::default())
                .expect("undo works once the disk does");
        }
        assert_eq!(self.tree(), self.before, "{fault:?}: taken back");
        failed
    }
}

#[test]
fn undo_onto_a_full_disk_changes_nothing() {
    let f = Fixture::new();
    let failed = (0..2000).step_by(61).filter(|n| f.undo_survives(Fault::Full(*n))).count();
    assert!(failed >= 5, "{failed} of the limits were hit");
}

#[test]
fn undo_may_fail_at_any_call() {
    let f = Fixture::new();
    for lasting in [false, true] {
        let failed =
            (0..50).filter(|n| f.undo_survives(Fault::Call { after: *n, lasting })).count();
        assert!(failed >= 20, "{failed} of the calls failed");
    }
}

#[test]
fn undo_in_a_read_only_folder_changes_nothing() {
    assert!(Fixture::new().undo_survives(Fault::ReadOnly("sub")));
}
