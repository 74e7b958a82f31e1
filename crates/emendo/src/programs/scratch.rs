//! A copy of the project in the system's scratch folder, in which checks run over other trees.

use std::collections::BTreeSet;
use std::fs::{self, File, FileTimes};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime};

use emendo_core::{STATE, Variant};
use emendo_text::RelPath;

use crate::programs::git;

/// What the folders of copies begin with.
const LEAD: &str = "emendo-copy-";
/// In such a folder: locked as long as it is in use.
const LOCK: &str = "in-use";
/// In such a folder: the copy.
const TREE: &str = "tree";
/// A larger project is copied only where the user says so.
pub(crate) const MOST: u64 = 2 << 30;

/// A copy of a project.
pub(crate) struct Scratch {
    /// The project's root.
    project: PathBuf,
    /// Where the copy of it lies.
    root: PathBuf,
    /// The files that are otherwise than in the project.
    laid: BTreeSet<RelPath>,
    /// When the last file was written, by its own word.
    stamp: SystemTime,
    /// The tree is one of git's.
    worktree: Option<PathBuf>,
    /// Goes last, with all that is in it.
    _folder: tempfile::TempDir,
    _lock: File,
}

/// How many bytes the files of a project take.
pub(crate) fn size(root: &Path) -> u64 {
    let mut todo = vec![root.to_owned()];
    let mut bytes = 0;
    while let Some(folder) = todo.pop() {
        let Ok(entries) = fs::read_dir(&folder) else { continue };
        for entry in entries.flatten() {
            match entry.metadata() {
                Ok(m) if m.is_dir() => todo.push(entry.path()),
                Ok(m) if m.is_file() => bytes += m.len(),
                _ => {}
            }
        }
    }
    bytes
}

impl Scratch {
    /// Copies a project with all its files, those that ignore files name too.
    ///
    /// # Errors
    /// If it cannot be read, or the copy cannot be written.
    pub(crate) fn of(project: &Path) -> io::Result<Self> {
        let scratch = Self::begin(project)?;
        copy_folder(project, &scratch.root, (project, &scratch.root), true)?;
        Ok(scratch)
    }

    /// Makes a tree of git's with the files that git keeps or would keep, as they are in the project: for a project that says how such a
    /// tree is made ready. None if this is no git tree.
    ///
    /// # Errors
    /// If git fails, or the copy cannot be written.
    pub(crate) fn tree_of(project: &Path) -> io::Result<Option<Self>> {
        let Some(top) = said(project, &["rev-parse", "--show-toplevel"]) else { return Ok(None) };
        let Some(prefix) = said(project, &["rev-parse", "--show-prefix"]) else { return Ok(None) };
        let top = PathBuf::from(top.trim_end_matches('\n'));
        let mut scratch = Self::begin(project)?;
        let tree = scratch.root.clone();
        let place = tree.to_string_lossy().into_owned();
        let add = ["worktree", "add", "--quiet", "--detach", "--no-checkout", &place, "HEAD"];
        if said(project, &add).is_none() {
            return Ok(None);
        }
        scratch.worktree = Some(tree.clone());
        said(&tree, &["reset", "--quiet"]);
        let listed = ["ls-files", "-z", "--cached", "--others", "--exclude-standard"];
        for name in said(&top, &listed).unwrap_or_default().split('\0').filter(|n| !n.is_empty()) {
            let (from, to) = (top.join(name), tree.join(name));
            let Ok(meta) = from.symlink_metadata() else { continue };
            if let Some(folder) = to.parent() {
                fs::create_dir_all(folder)?;
            }
            copy(&from, &to, &meta, (&top, &tree))?;
        }
        scratch.root = tree.join(prefix.trim_end_matches(['\n', '/']));
        Ok(Some(scratch))
    }

    fn begin(project: &Path) -> io::Result<Self> {
        let base = std::env::temp_dir();
        tidy(&base);
        let folder = tempfile::Builder::new().prefix(LEAD).tempdir_in(&base)?;
        let lock = File::create(folder.path().join(LOCK))?;
        lock.try_lock()?;
        let root = folder.path().canonicalize()?.join(TREE);
        Ok(Self {
            project: project.to_owned(),
            root,
            laid: BTreeSet::new(),
            stamp: SystemTime::now(),
            worktree: None,
            _folder: folder,
            _lock: lock,
        })
    }

    /// Where the copy of the project lies.
    pub(crate) fn root(&self) -> &Path {
        &self.root
    }

    /// Makes the copy a variant of the project.
    ///
    /// # Errors
    /// If a file cannot be read or written.
    pub(crate) fn lay(&mut self, variant: &Variant) -> io::Result<()> {
        let back: Vec<RelPath> =
            self.laid.iter().filter(|p| !variant.files.contains_key(*p)).cloned().collect();
        for path in back {
            let there = match fs::read(self.project.join(path.as_path())) {
                Ok(bytes) => Some(Arc::new(bytes)),
                Err(e) if e.kind() == io::ErrorKind::NotFound => None,
                Err(e) => return Err(e),
            };
            self.put(&path, there.as_ref())?;
            self.laid.remove(&path);
        }
        for (path, content) in &variant.files {
            self.put(path, content.as_ref())?;
            self.laid.insert(path.clone());
        }
        Ok(())
    }

    /// Gives a file its content, or takes it away. What stands already is not written again, so that builds keep what they know of it.
    fn put(&mut self, path: &RelPath, content: Option<&Arc<Vec<u8>>>) -> io::Result<()> {
        let full = self.root.join(path.as_path());
        let Some(bytes) = content else {
            return match fs::remove_file(&full) {
                Err(e) if e.kind() != io::ErrorKind::NotFound => Err(e),
                _ => Ok(()),
            };
        };
        if fs::read(&full).is_ok_and(|there| there == **bytes) {
            return Ok(());
        }
        if let Some(folder) = full.parent() {
            fs::create_dir_all(folder)?;
        }
        // A link to a file elsewhere is not written through.
        if full.symlink_metadata().is_ok_and(|m| !m.is_file()) {
            fs::remove_file(&full)?;
        }
        fs::write(&full, &**bytes)?;
        // Tools that compare times and sizes must see each change, however quickly they come.
        self.stamp = (self.stamp + Duration::from_secs(2)).max(SystemTime::now());
        File::options().write(true).open(&full)?.set_modified(self.stamp)
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        if let Some(tree) = &self.worktree {
            let tree = tree.to_string_lossy();
            drop(said(&self.project, &["worktree", "remove", "--force", &tree]));
        }
    }
}

/// Takes copies away that nobody uses: of runs that were killed.
fn tidy(base: &Path) {
    let Ok(entries) = fs::read_dir(base) else { return };
    for entry in entries.flatten().filter(|e| e.file_name().to_string_lossy().starts_with(LEAD)) {
        let lock = entry.path().join(LOCK);
        let ours = entry.metadata().is_ok_and(|m| m.is_dir() && is_own(&m));
        if let (true, Ok(file)) = (ours, File::open(&lock))
            && file.try_lock().is_ok()
        {
            drop(fs::remove_dir_all(entry.path()));
        }
    }
}

#[cfg(unix)]
fn is_own(meta: &fs::Metadata) -> bool {
    use std::os::unix::fs::MetadataExt;
    // The folder for settings is the user's own: so is what has the same owner.
    let home = std::env::home_dir().and_then(|h| h.metadata().ok());
    home.is_some_and(|h| h.uid() == meta.uid())
}

#[cfg(not(unix))]
fn is_own(_: &fs::Metadata) -> bool {
    true
}

/// Copies what is in a folder; `roots` are those of the project and of the copy.
fn copy_folder(from: &Path, to: &Path, roots: (&Path, &Path), top: bool) -> io::Result<()> {
    fs::create_dir_all(to)?;
    for entry in fs::read_dir(from)? {
        let entry = entry?;
        if top && entry.file_name() == STATE || entry.file_name() == ".git" && is_elsewhere(&entry)
        {
            continue;
        }
        let (from, to) = (entry.path(), to.join(entry.file_name()));
        let meta = from.symlink_metadata()?;
        if meta.is_dir() {
            copy_folder(&from, &to, roots, false)?;
        } else {
            copy(&from, &to, &meta, roots)?;
        }
    }
    fs::set_permissions(to, writable(fs::metadata(from)?.permissions()))
}

/// True for a tree of git's whose repository lies elsewhere: what a check does with git in a copy of it must not reach that.
fn is_elsewhere(entry: &fs::DirEntry) -> bool {
    let is_file = entry.file_type().is_ok_and(|t| t.is_file());
    let text = if is_file { fs::read_to_string(entry.path()) } else { Ok(String::new()) };
    let place = text.unwrap_or_default();
    place.trim().strip_prefix("gitdir:").is_some_and(|p| Path::new(p.trim()).is_absolute())
}

/// A folder of a copy can be emptied again.
fn writable(permissions: fs::Permissions) -> fs::Permissions {
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        fs::Permissions::from_mode(permissions.mode() | 0o700)
    }
    #[cfg(not(unix))]
    permissions
}

/// Copies a file or a link, with its mode and time. What is neither, a pipe or a device, is left out. On file systems that can share the
/// bytes until one is written, they do.
fn copy(
    from: &Path,
    to: &Path,
    meta: &fs::Metadata,
    (project, root): (&Path, &Path),
) -> io::Result<()> {
    if meta.file_type().is_symlink() {
        let target = fs::read_link(from)?;
        let target = match target.strip_prefix(project) {
            Ok(rest) => root.join(rest),
            Err(_) => target,
        };
        return link(&target, to);
    }
    if !meta.is_file() {
        return Ok(());
    }
    match fs::copy(from, to) {
        Ok(_) => {}
        // What cannot be read cannot be needed.
        Err(e) if e.kind() == io::ErrorKind::PermissionDenied => return Ok(()),
        Err(e) => return Err(e),
    }
    let Ok(time) = meta.modified() else { return Ok(()) };
    match File::options().write(true).open(to) {
        Ok(file) => file.set_times(FileTimes::new().set_modified(time)),
        // A file that may not be written keeps the time of the copy.
        Err(_) => Ok(()),
    }
}

#[cfg(unix)]
fn link(target: &Path, at: &Path) -> io::Result<()> {
    std::os::unix::fs::symlink(target, at)
}

#[cfg(windows)]
fn link(target: &Path, at: &Path) -> io::Result<()> {
    std::os::windows::fs::symlink_file(target, at)
}

/// What git says in a folder, with no hook at work; none if it refuses, or is not there.
fn said(folder: &Path, args: &[&str]) -> Option<String> {
    let out = git::output(folder, &[&["-c", "core.hooksPath=/dev/null"], args].concat())?;
    Some(String::from_utf8_lossy(&out).into_owned())
}
