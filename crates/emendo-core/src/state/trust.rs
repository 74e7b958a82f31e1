//! Whether a state folder was made on this machine, by this user: what an unpacked archive brings along is not.

use std::hash::{BuildHasher, Hasher as _, RandomState};
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use emendo_text::Hasher;
use serde::{Deserialize, Serialize};

/// The form of state folders that this program writes. A newer one is refused; older ones are read.
const FORMAT: u32 = 1;
/// Who made a state folder.
const MADE_BY: &str = "made-by";
/// The ids of state folders that were made here, in the user's own folder.
const KNOWN: &str = "states";
/// What makes a state folder worth protecting: without any of these it holds nothing.
const CONTENTS: &[&str] = &["journal", "decisions.jsonl", "proposal.jsonl", "seen", "told"];

/// Where the ids of state folders that were made here are kept, and whether the user vouches for others.
#[derive(Clone, Debug, Default)]
pub struct Trust {
    /// The user's own folder of the program; none if there is no place for one.
    pub folder: Option<PathBuf>,
    /// The user says that the state is theirs: it is recorded, and used.
    pub given: bool,
}

/// What a state folder says of itself.
#[derive(Serialize, Deserialize)]
struct MadeBy {
    format: u32,
    id: String,
}

/// Where a state folder comes from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Origin {
    /// It is not there, or holds nothing.
    Empty,
    /// It was made here.
    Own,
    /// Nothing shows that it was made here.
    Foreign,
}

/// Why a state folder is not used.
#[derive(Debug)]
pub(crate) enum StateError {
    /// A newer program wrote it.
    Newer,
    /// It cannot be read or written.
    Io(io::Error),
}

impl From<io::Error> for StateError {
    fn from(e: io::Error) -> Self {
        Self::Io(e)
    }
}

impl Trust {
    /// Where a state folder comes from.
    ///
    /// # Errors
    /// If a newer program wrote it, or it cannot be read.
    pub(crate) fn origin(&self, state: &Path) -> Result<Origin, StateError> {
        let holds = CONTENTS.iter().any(|n| state.join(n).symlink_metadata().is_ok());
        let Some(made) = read(state)? else {
            return Ok(if holds { Origin::Foreign } else { Origin::Empty });
        };
        if made.format > FORMAT {
            return Err(StateError::Newer);
        }
        if self.knows(&made.id) {
            return Ok(Origin::Own);
        }
        Ok(if holds { Origin::Foreign } else { Origin::Empty })
    }

    /// Marks a state folder as made here.
    ///
    /// # Errors
    /// If that cannot be written in the folder itself. Where there is no place for the user's own record, the next run does
    /// not know it: that is said then.
    pub(crate) fn record(&self, state: &Path) -> io::Result<()> {
        let id = match read(state) {
            Ok(Some(made)) if plain(&made.id) => made.id,
            _ => {
                let id = random();
                let made = MadeBy { format: FORMAT, id: id.clone() };
                let temp = state.join(format!("{MADE_BY}.new"));
                std::fs::write(&temp, serde_json::to_vec(&made)?)?;
                std::fs::rename(temp, state.join(MADE_BY))?;
                id
            }
        };
        if !self.knows(&id)
            && let Some(folder) = &self.folder
        {
            let record = || -> io::Result<()> {
                std::fs::create_dir_all(folder)?;
                let path = folder.join(KNOWN);
                let mut file = std::fs::OpenOptions::new().create(true).append(true).open(path)?;
                file.write_all(format!("{id}\n").as_bytes())
            };
            drop(record());
        }
        Ok(())
    }

    fn knows(&self, id: &str) -> bool {
        let text = self.folder.as_ref().map(|f| std::fs::read_to_string(f.join(KNOWN)));
        plain(id) && text.is_some_and(|t| t.is_ok_and(|t| t.lines().any(|l| l == id)))
    }
}

fn read(state: &Path) -> io::Result<Option<MadeBy>> {
    let path = state.join(MADE_BY);
    match path.symlink_metadata() {
        Ok(meta) if meta.is_file() && meta.len() < 4096 => {}
        Ok(_) => return Ok(None),
        Err(e) if e.kind() == io::ErrorKind::NotFound => return Ok(None),
        Err(e) => return Err(e),
    }
    Ok(serde_json::from_slice(&std::fs::read(path)?).ok())
}

fn plain(id: &str) -> bool {
    id.len() == 32 && id.bytes().all(|b| b.is_ascii_hexdigit())
}

/// An id that nobody can guess: the keys of the standard library's hashers come from the system's source of randomness.
fn random() -> String {
    let mut h = Hasher::new();
    for _ in 0..4 {
        h.number(RandomState::new().build_hasher().finish());
    }
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH);
    h.number(now.map_or(0, |d| d.as_nanos() as u64)).number(u64::from(std::process::id()));
    h.finish().to_string()
}
