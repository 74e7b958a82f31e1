//! How far an apply came, kept so that a kill or a full disk cannot lose it.

use std::io::{self, Write};
use std::path::Path;

use serde::{Deserialize, Serialize};

use crate::apply::disk::Disk;

/// How far an apply came.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Phase {
    /// Contents and plan are on the disk; temporary files may be.
    Prepared,
    /// Files may have been replaced.
    Renaming,
    /// All files are written; what follows from that is not done yet.
    Written,
    /// The project's own commands bring the files into form.
    Formatting,
    /// All is done.
    Done,
    /// It is being taken back.
    Undoing,
    /// All is as before.
    Undone,
}

/// How many bytes a line of the phase takes, and how many lines there is room for.
const LINE: usize = 16;
const LINES: usize = 24;

fn phase_line(phase: Phase) -> io::Result<String> {
    let word = serde_json::to_string(&phase)?;
    Ok(format!("{word:<width$}\n", width = LINE - 1))
}

/// Fills in the next line of the phase. The room for it was written with the first one.
pub(super) fn write_phase(disk: &dyn Disk, dir: &Path, phase: Phase) -> io::Result<()> {
    let path = dir.join("phase");
    let line = phase_line(phase)?;
    let text = match std::fs::read_to_string(&path) {
        Ok(text) => text,
        Err(e) if e.kind() == io::ErrorKind::NotFound => {
            let mut file = disk.state_file(&path, false)?;
            let blank = format!("{}\n", " ".repeat(LINE - 1)).repeat(LINES - 1);
            file.write_all(format!("{line}{blank}").as_bytes())?;
            return file.sync();
        }
        Err(e) => return Err(e),
    };
    let mut offset = 0;
    for old in text.split_inclusive('\n') {
        if old.len() == LINE && old.trim().is_empty() {
            let mut file = disk.state_at(&path, offset)?;
            file.write_all(line.as_bytes())?;
            return file.sync();
        }
        offset += old.len() as u64;
    }
    let mut file = disk.state_file(&path, true)?;
    // A line that a killed run cut off does not take the new one along.
    let lead = if text.is_empty() || text.ends_with('\n') { "" } else { "\n" };
    file.write_all(format!("{lead}{line}").as_bytes())?;
    file.sync()
}

/// The last whole line counts.
pub(super) fn read_phase(dir: &Path) -> Option<Phase> {
    let text = std::fs::read_to_string(dir.join("phase")).ok()?;
    let whole = text.split_inclusive('\n').filter(|l| l.ends_with('\n'));
    whole.filter_map(|l| serde_json::from_str(l.trim()).ok()).next_back()
}
