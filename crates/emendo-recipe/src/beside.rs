//! What lies beside a recipe: read without leaving its folder, and never from anything but regular files.

use std::io;
use std::path::{Path, PathBuf};

use emendo_text::RelPath;

/// The most bytes of one file beside a recipe.
const LARGEST: u64 = 64 << 20;

fn refused(why: &str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidInput, why)
}

/// The full path of something in a folder; links on the way may lead anywhere, and are refused.
///
/// # Errors
/// If a part of the path is a link, or is not there.
pub(crate) fn inside(folder: &Path, path: &RelPath) -> io::Result<PathBuf> {
    let mut at = folder.to_owned();
    for part in path.as_str().split('/') {
        at.push(part);
        if at.symlink_metadata()?.is_symlink() {
            return Err(refused(
                "it is reached through a symbolic link, which may leave the recipe's folder",
            ));
        }
    }
    Ok(at)
}

/// The bytes of a regular file: devices, pipes and sockets are never opened, very large files never read.
///
/// # Errors
/// If it is none, or cannot be read.
pub fn read_regular(path: &Path) -> io::Result<Vec<u8>> {
    let meta = std::fs::metadata(path)?;
    if !meta.is_file() {
        return Err(refused("it is not a regular file"));
    }
    if meta.len() > LARGEST {
        return Err(refused("it is larger than 64 MB"));
    }
    std::fs::read(path)
}
