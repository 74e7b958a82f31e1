//! The file layer of apply and undo: writes that never follow a link, and that tests can make fail.

use std::io::{self, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

use cap_fs_ext::{DirExt, FollowSymlinks, OpenOptionsFollowExt};
use cap_std::ambient_authority;
use cap_std::fs::{Dir, OpenOptions};
use emendo_text::RelPath;

use crate::apply::ops::FileMeta;

/// A file of the journal that is being written.
pub trait StateFile: Write {
    /// Brings what was written to the disk.
    ///
    /// # Errors
    /// If the disk says so.
    fn sync(&mut self) -> io::Result<()>;
}

/// What apply and undo do to files.
pub trait Disk: Sync {
    /// The content of a file; `None` if there is none, or a link in its place.
    ///
    /// # Errors
    /// If it cannot be read.
    fn read(&self, path: &RelPath) -> io::Result<Option<Vec<u8>>>;
    /// True if the file has several names, or an owner that a new file would not get.
    ///
    /// # Errors
    /// If it cannot be looked at.
    fn keeps_inode(&self, path: &RelPath) -> io::Result<bool>;
    /// Writes a temporary file beside a file, with its mode and owner; where there is no file, with those that are given.
    ///
    /// # Errors
    /// If it cannot be written; nothing is left then.
    fn write_temp(
        &self,
        path: &RelPath,
        temp: &str,
        bytes: &[u8],
        meta: Option<FileMeta>,
    ) -> io::Result<()>;
    /// Puts the temporary file in the place of the file.
    ///
    /// # Errors
    /// If it cannot be renamed.
    fn rename(&self, path: &RelPath, temp: &str) -> io::Result<()>;
    /// Puts the temporary file where no file is.
    ///
    /// # Errors
    /// If something is there, or it cannot be renamed.
    fn rename_new(&self, path: &RelPath, temp: &str) -> io::Result<()>;
    /// Takes a file away.
    ///
    /// # Errors
    /// If it cannot be removed.
    fn remove(&self, path: &RelPath) -> io::Result<()>;
    /// What a file has besides its content; none if there is no file.
    ///
    /// # Errors
    /// If it cannot be looked at.
    fn meta(&self, path: &RelPath) -> io::Result<Option<FileMeta>>;
    /// True if nothing is called so: no file, no folder, no link.
    ///
    /// # Errors
    /// If it cannot be looked at.
    fn is_free(&self, path: &RelPath) -> io::Result<bool>;
    /// The mode of a folder; none if there is none.
    ///
    /// # Errors
    /// If it cannot be looked at, or is none.
    fn folder_mode(&self, folder: &RelPath) -> io::Result<Option<u32>>;
    /// Makes a folder whose outer folders are there, unless it is there.
    ///
    /// # Errors
    /// If it cannot be made.
    fn make_folder(&self, folder: &RelPath, mode: Option<u32>) -> io::Result<()>;
    /// Takes a folder away if it is empty; one that is not stays.
    ///
    /// # Errors
    /// If it cannot be looked at.
    fn remove_folder(&self, folder: &RelPath) -> io::Result<()>;
    /// Writes over a file, front to back, then cuts it.
    ///
    /// # Errors
    /// If it cannot be written.
    fn write_over(&self, path: &RelPath, bytes: &[u8]) -> io::Result<()>;
    /// Takes a temporary file away, if it is there.
    ///
    /// # Errors
    /// If it cannot be removed.
    fn remove_temp(&self, path: &RelPath, temp: &str) -> io::Result<()>;
    /// Brings all that was written to the disk: contents, names and folders.
    ///
    /// # Errors
    /// If the disk says so.
    fn sync(&self) -> io::Result<()>;
    /// Begins a file of the journal; `append` adds to one.
    ///
    /// # Errors
    /// If it cannot be made.
    fn state_file(&self, path: &Path, append: bool) -> io::Result<Box<dyn StateFile>>;
    /// Writes over a part of a file of the journal, which takes no room on the disk.
    ///
    /// # Errors
    /// If it cannot be written.
    fn state_at(&self, path: &Path, offset: u64) -> io::Result<Box<dyn StateFile>>;
    /// What tells whether two names are one file, for files with several names.
    ///
    /// # Errors
    /// If it cannot be looked at.
    fn identity(&self, path: &RelPath) -> io::Result<Option<(u64, u64)>>;
}

/// The real disk, below a project's root.
pub struct RealDisk {
    root: Dir,
    path: PathBuf,
}

impl RealDisk {
    /// Opens the root.
    ///
    /// # Errors
    /// If it cannot be opened.
    pub fn open(root: &Path) -> io::Result<Self> {
        Ok(Self { root: Dir::open_ambient_dir(root, ambient_authority())?, path: root.to_owned() })
    }

    /// The folder of a file, opened component by component without following links.
    fn folder(&self, path: &RelPath) -> io::Result<Dir> {
        let mut dir = self.root.try_clone()?;
        for part in path.folder().split('/').filter(|p| !p.is_empty()) {
            dir = dir.open_dir_nofollow(part)?;
        }
        Ok(dir)
    }
}

fn is_absent(e: &io::Error) -> bool {
    matches!(e.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory)
}

fn meta_of(meta: &cap_std::fs::Metadata) -> FileMeta {
    #[cfg(unix)]
    {
        use cap_std::fs::{MetadataExt, PermissionsExt};
        FileMeta { mode: meta.permissions().mode() & 0o7777, owner: Some((meta.uid(), meta.gid())) }
    }
    #[cfg(not(unix))]
    {
        FileMeta { mode: u32::from(meta.permissions().readonly()), owner: None }
    }
}

fn set_meta(file: &cap_std::fs::File, like: FileMeta) -> io::Result<()> {
    #[cfg(unix)]
    {
        use cap_std::fs::PermissionsExt;
        let own = (rustix::process::geteuid().as_raw(), rustix::process::getegid().as_raw());
        if let Some(owner) = like.owner.filter(|o| *o != own) {
            std::os::unix::fs::fchown(file, Some(owner.0), Some(owner.1))?;
        }
        file.set_permissions(cap_std::fs::Permissions::from_mode(like.mode))
    }
    #[cfg(not(unix))]
    {
        let mut permissions = file.metadata()?.permissions();
        permissions.set_readonly(like.mode == 1);
        file.set_permissions(permissions)
    }
}

fn no_follow() -> OpenOptions {
    let mut options = OpenOptions::new();
    options.follow(FollowSymlinks::No);
    options
}

impl Disk for RealDisk {
    fn read(&self, path: &RelPath) -> io::Result<Option<Vec<u8>>> {
        let open = || -> io::Result<Vec<u8>> {
            let folder = self.folder(path)?;
            // A pipe in its place would never end.
            if !folder.symlink_metadata(path.name())?.is_file() {
                return Err(io::ErrorKind::NotFound.into());
            }
            let mut file = folder.open_with(path.name(), no_follow().read(true))?;
            let mut bytes = Vec::new();
            io::Read::read_to_end(&mut file, &mut bytes)?;
            Ok(bytes)
        };
        match open() {
            Ok(bytes) => Ok(Some(bytes)),
            Err(e)
                if matches!(e.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) =>
            {
                Ok(None)
            }
            // A link where a file was.
            Err(_)
                if std::fs::symlink_metadata(self.path.join(path.as_path()))
                    .is_ok_and(|m| m.is_symlink()) =>
            {
                Ok(None)
            }
            Err(e) => Err(e),
        }
    }

    fn keeps_inode(&self, path: &RelPath) -> io::Result<bool> {
        let meta = std::fs::symlink_metadata(self.path.join(path.as_path()))?;
        #[cfg(unix)]
        {
            use std::os::unix::fs::MetadataExt;
            let own = rustix::process::geteuid().as_raw();
            let foreign = meta.uid() != own && own != 0;
            Ok(meta.nlink() > 1 || foreign)
        }
        #[cfg(not(unix))]
        {
            let _ = meta;
            Ok(false)
        }
    }

    fn write_temp(
        &self,
        path: &RelPath,
        temp: &str,
        bytes: &[u8],
        meta: Option<FileMeta>,
    ) -> io::Result<()> {
        let dir = self.folder(path)?;
        let write = || -> io::Result<()> {
            let mut file = dir.open_with(temp, no_follow().write(true).create_new(true))?;
            file.write_all(bytes)?;
            // Where no one call syncs all files, each is synced by itself.
            #[cfg(not(target_os = "linux"))]
            file.sync_all()?;
            let like = match dir.symlink_metadata(path.name()) {
                Ok(like) => Some(meta_of(&like)),
                Err(e) if e.kind() == io::ErrorKind::NotFound => meta,
                Err(e) => return Err(e),
            };
            if let Some(like) = like {
                set_meta(&file, like)?;
            }
            if cfg!(not(target_os = "linux")) {
                file.sync_all()?;
            }
            Ok(())
        };
        write().inspect_err(|_| drop(dir.remove_file(temp)))
    }

    fn rename(&self, path: &RelPath, temp: &str) -> io::Result<()> {
        let dir = self.folder(path)?;
        dir.rename(temp, &dir, path.name())
    }

    fn rename_new(&self, path: &RelPath, temp: &str) -> io::Result<()> {
        let dir = self.folder(path)?;
        #[cfg(target_os = "linux")]
        {
            use rustix::fs::{RenameFlags, renameat_with};
            match renameat_with(&dir, temp, &dir, path.name(), RenameFlags::NOREPLACE) {
                // A file system that has no such call.
                Err(rustix::io::Errno::INVAL | rustix::io::Errno::NOSYS) => {}
                other => return Ok(other?),
            }
        }
        if !self.is_free(path)? {
            return Err(io::ErrorKind::AlreadyExists.into());
        }
        dir.rename(temp, &dir, path.name())
    }

    fn remove(&self, path: &RelPath) -> io::Result<()> {
        self.folder(path)?.remove_file(path.name())
    }

    fn meta(&self, path: &RelPath) -> io::Result<Option<FileMeta>> {
        match self.folder(path).and_then(|d| d.symlink_metadata(path.name())) {
            Ok(meta) => Ok(meta.is_file().then(|| meta_of(&meta))),
            Err(e) if is_absent(&e) => Ok(None),
            Err(e) => Err(e),
        }
    }

    fn is_free(&self, path: &RelPath) -> io::Result<bool> {
        match self.folder(path).and_then(|d| d.symlink_metadata(path.name())) {
            Ok(_) => Ok(false),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(true),
            Err(e) => Err(e),
        }
    }

    fn folder_mode(&self, folder: &RelPath) -> io::Result<Option<u32>> {
        match self.folder(folder).and_then(|d| d.symlink_metadata(folder.name())) {
            Ok(meta) if meta.is_dir() => Ok(Some(meta_of(&meta).mode)),
            Ok(_) => Err(io::Error::other(format!("`{folder}` is not a folder"))),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(e) => Err(e),
        }
    }

    fn make_folder(&self, folder: &RelPath, mode: Option<u32>) -> io::Result<()> {
        let dir = self.folder(folder)?;
        match dir.create_dir(folder.name()) {
            Err(e) if e.kind() == io::ErrorKind::AlreadyExists => return Ok(()),
            other => other?,
        }
        #[cfg(unix)]
        if let Some(mode) = mode {
            use cap_std::fs::PermissionsExt;
            dir.set_permissions(folder.name(), cap_std::fs::Permissions::from_mode(mode))?;
        }
        #[cfg(not(unix))]
        let _ = mode;
        Ok(())
    }

    fn remove_folder(&self, folder: &RelPath) -> io::Result<()> {
        let full = [io::ErrorKind::DirectoryNotEmpty, io::ErrorKind::AlreadyExists];
        match self.folder(folder).and_then(|d| d.remove_dir(folder.name())) {
            Err(e) if full.contains(&e.kind()) || is_absent(&e) => Ok(()),
            other => other,
        }
    }

    fn write_over(&self, path: &RelPath, bytes: &[u8]) -> io::Result<()> {
        let mut file = self.folder(path)?.open_with(path.name(), no_follow().write(true))?;
        file.write_all(bytes)?;
        file.set_len(bytes.len() as u64)?;
        file.sync_all()
    }

    fn remove_temp(&self, path: &RelPath, temp: &str) -> io::Result<()> {
        match self.folder(path).and_then(|d| d.remove_file(temp)) {
            Err(e)
                if matches!(e.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) =>
            {
                Ok(())
            }
            other => other,
        }
    }

    fn sync(&self) -> io::Result<()> {
        #[cfg(target_os = "linux")]
        {
            // One call for the file system: a sync for each file costs more than all the rest.
            // The root is held by path only, which cannot be synced.
            rustix::fs::syncfs(std::fs::File::open(&self.path)?)?;
        }
        Ok(())
    }

    fn state_file(&self, path: &Path, append: bool) -> io::Result<Box<dyn StateFile>> {
        let mut options = std::fs::OpenOptions::new();
        if append {
            options.append(true).create(true);
        } else {
            options.write(true).create_new(true);
        }
        Ok(Box::new(RealStateFile(io::BufWriter::with_capacity(1 << 18, options.open(path)?))))
    }

    fn state_at(&self, path: &Path, offset: u64) -> io::Result<Box<dyn StateFile>> {
        let mut file = std::fs::OpenOptions::new().write(true).open(path)?;
        file.seek(SeekFrom::Start(offset))?;
        Ok(Box::new(RealStateFile(io::BufWriter::new(file))))
    }

    fn identity(&self, path: &RelPath) -> io::Result<Option<(u64, u64)>> {
        let meta = std::fs::symlink_metadata(self.path.join(path.as_path()))?;
        #[cfg(unix)]
        {
            use std::os::unix::fs::MetadataExt;
            Ok((meta.nlink() > 1).then(|| (meta.dev(), meta.ino())))
        }
        #[cfg(not(unix))]
        {
            let _ = meta;
            Ok(None)
        }
    }
}

struct RealStateFile(io::BufWriter<std::fs::File>);

impl Write for RealStateFile {
    fn write(&mut self, buf: &[u8]) -> io::Result<usize> {
        self.0.write(buf)
    }
    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

impl StateFile for RealStateFile {
    fn sync(&mut self) -> io::Result<()> {
        self.0.flush()?;
        self.0.get_ref().sync_all()
    }
}
