//! One run writes at a time.

use std::fs::{File, OpenOptions, TryLockError};
use std::io::{self, Read, Seek, Write};
use std::path::Path;
use std::time::{Duration, Instant};

/// The lock of a state folder; it goes with the value.
#[derive(Debug)]
pub(crate) struct Lock(File);

/// How long to sleep between two tries.
const NAP: Duration = Duration::from_millis(25);

impl Lock {
    /// Takes the lock; the inner error says who holds it, if that can be read.
    ///
    /// # Errors
    /// If the lock's file cannot be opened.
    pub(crate) fn take(
        state: &Path,
        wait: Duration,
        who: &str,
    ) -> io::Result<Result<Self, Option<String>>> {
        let mut options = OpenOptions::new();
        options.create(true).truncate(false).read(true).write(true);
        #[cfg(unix)]
        {
            use std::os::unix::fs::OpenOptionsExt;
            options.custom_flags(i32::try_from(rustix::fs::OFlags::NOFOLLOW.bits()).unwrap_or(0));
        }
        let mut file = options.open(state.join("lock"))?;
        let until = Instant::now() + wait;
        loop {
            match file.try_lock() {
                Ok(()) => break,
                Err(TryLockError::WouldBlock) if Instant::now() < until => std::thread::sleep(NAP),
                Err(TryLockError::WouldBlock) => {
                    let mut text = String::new();
                    let read = (&mut file).take(200).read_to_string(&mut text);
                    let holder = text.lines().next().unwrap_or("").trim().to_owned();
                    return Ok(Err(read.ok().and(Some(holder)).filter(|h| !h.is_empty())));
                }
                Err(TryLockError::Error(e)) => return Err(e),
            }
        }
        // For others that wait; a full disk does not stop us.
        let note = || -> io::Result<()> {
            file.set_len(0)?;
            file.rewind()?;
            file.write_all(format!("{who} (process {})\n", std::process::id()).as_bytes())
        };
        let mut note = note;
        drop(note());
        Ok(Ok(Self(file)))
    }
}

impl Drop for Lock {
    fn drop(&mut self) {
        drop(self.0.set_len(0));
    }
}

/// True if nobody holds a file locked, after this long at most.
///
/// # Errors
/// If it cannot be opened.
pub(crate) fn is_free(path: &Path, wait: Duration) -> io::Result<bool> {
    let file = File::open(path)?;
    let until = Instant::now() + wait;
    loop {
        match file.try_lock_shared() {
            Ok(()) => return Ok(true),
            Err(TryLockError::WouldBlock) if Instant::now() < until => std::thread::sleep(NAP),
            Err(TryLockError::WouldBlock) => return Ok(false),
            Err(TryLockError::Error(e)) => return Err(e),
        }
    }
}
