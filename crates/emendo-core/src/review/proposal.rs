//! A proposal on disk: a line for the run, a line for each file, a line for the counts. It is written as it grows.

use std::collections::BTreeMap;
use std::io;
use std::io::{BufRead, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};

use emendo_text::{Digest, Hunk, LineMark, RelPath};
use serde::{Deserialize, Serialize};

use crate::edits::{Edit, Leftover, Note};
use crate::plan::{Limit, MissingRequirement, RecipeInfo, SkippedStep, StepInfo};
use crate::project::SkipReason;
use crate::run::{Counts, FileFate, FileResult};

/// What a proposal was made from.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Header {
    /// Version of the format.
    pub proposal: u32,
    /// The recipes in order.
    pub recipes: Vec<RecipeInfo>,
    /// The values given for inputs.
    pub inputs: BTreeMap<String, String>,
    /// Kinds of files that were not passed over.
    pub with: Vec<SkipReason>,
    /// The folder that limited the run; empty for none.
    pub below: String,
    /// The steps in order.
    pub steps: Vec<StepInfo>,
    /// Identity of the plan.
    pub plan: Digest,
    /// Which of the steps ran.
    #[serde(default)]
    pub limit: Limit,
}

impl Header {
    /// True if a run of that would be made from the same.
    pub(crate) fn is_of(&self, other: &Self) -> bool {
        let recipes = self.recipes.iter().zip(&other.recipes);
        self.plan == other.plan
            && self.recipes.len() == other.recipes.len()
            && { recipes }.all(|(a, b)| a.path == b.path && a.digest == b.digest)
            && (&self.inputs, &self.with, &self.below) == (&other.inputs, &other.with, &other.below)
            && self.limit == other.limit
    }
}

/// What is proposed for one file.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct FileRecord {
    /// The file.
    pub path: RelPath,
    /// Digest of its bytes when it was read.
    pub base: Digest,
    /// The edits.
    pub edits: Vec<Edit>,
    /// The notes.
    pub notes: Vec<Note>,
    /// What still uses the old API when all edits are in.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub leftovers: Vec<Leftover>,
    /// The changed lines; `by` are indices into `edits`.
    pub hunks: Vec<Hunk>,
    /// The parts of lines that each edit changed; `by` as in the hunks.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub marks: Vec<LineMark>,
    /// What becomes of it as a whole.
    #[serde(default, skip_serializing_if = "FileFate::stays")]
    pub fate: FileFate,
    /// Identity of the decisions that it was made under.
    pub decided: Digest,
}

/// What a run counted, and what stands at no file.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub struct Trailer {
    /// Counts.
    pub counts: Counts,
    /// Notes at steps.
    pub notes: Vec<Note>,
    /// Recipes that were left out, with what they require.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub left_out: Vec<MissingRequirement>,
    /// Steps that a condition keeps from running.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub skipped_steps: Vec<SkippedStep>,
    /// It is what an apply left of the proposal before: a run over the files may give something else.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub derived: bool,
    /// The look at the project that it rests on, where that is remembered.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub look: Option<Digest>,
    /// Identity of what the journals said that steps wrote before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub own: Option<Digest>,
}

/// A proposal as read back.
#[derive(Clone, Debug)]
pub struct Proposal {
    /// What it was made from.
    pub header: Header,
    /// The files in order of path.
    pub files: Vec<FileRecord>,
    /// Counts and notes at steps.
    pub trailer: Trailer,
}

const NAME: &str = "proposal.jsonl";

/// Writes a proposal as it grows; it takes the place of the last one when it is finished.
pub(crate) struct ProposalWriter {
    out: BufWriter<std::fs::File>,
    temp: PathBuf,
    path: PathBuf,
}

impl ProposalWriter {
    /// Begins a proposal in a state folder.
    ///
    /// # Errors
    /// If it cannot be written.
    pub(crate) fn begin(state: &Path, header: &Header) -> io::Result<Self> {
        let (temp, path) = (state.join(format!("{NAME}.new")), state.join(NAME));
        let mut out = BufWriter::with_capacity(1 << 18, std::fs::File::create(&temp)?);
        line(&mut out, header)?;
        Ok(Self { out, temp, path })
    }

    /// Adds a file.
    ///
    /// # Errors
    /// If it cannot be written.
    pub(crate) fn record(&mut self, record: &FileRecord) -> io::Result<()> {
        line(&mut self.out, record)
    }

    /// Takes an unfinished proposal away; the one before it stays.
    pub(crate) fn discard(state: &Path) {
        drop(std::fs::remove_file(state.join(format!("{NAME}.new"))));
    }

    /// Ends the proposal and puts it in place.
    ///
    /// # Errors
    /// If it cannot be written.
    pub(crate) fn finish(mut self, trailer: &Trailer) -> io::Result<()> {
        line(&mut self.out, trailer)?;
        self.out.flush()?;
        drop(self.out);
        std::fs::rename(&self.temp, &self.path)
    }
}

fn line(out: &mut impl Write, value: &impl Serialize) -> io::Result<()> {
    serde_json::to_writer(&mut *out, value)?;
    out.write_all(b"\n")
}

impl FileRecord {
    /// The record of a file, made under these decisions.
    pub(crate) fn of(f: FileResult, decided: Digest) -> Self {
        Self {
            path: f.path,
            base: f.base,
            edits: f.edits,
            notes: f.notes,
            leftovers: f.leftovers,
            hunks: f.hunks,
            marks: f.marks,
            fate: f.fate,
            decided,
        }
    }
}

impl Proposal {
    /// Reads the proposal of a state folder; `None` if there is none.
    ///
    /// # Errors
    /// If it cannot be read, or is damaged: then of the kind `InvalidData`.
    pub fn read(state: &Path) -> io::Result<Option<Self>> {
        let file = match std::fs::File::open(state.join(NAME)) {
            Ok(file) => file,
            Err(e) if e.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(e) => return Err(e),
        };
        let mut lines: Vec<String> = BufReader::new(file).lines().collect::<io::Result<_>>()?;
        let damaged = || io::Error::new(io::ErrorKind::InvalidData, "the proposal is damaged");
        let trailer =
            serde_json::from_str(&lines.pop().ok_or_else(damaged)?).map_err(|_| damaged())?;
        let mut lines = lines.into_iter();
        let header =
            serde_json::from_str(&lines.next().ok_or_else(damaged)?).map_err(|_| damaged())?;
        let files = lines
            .map(|l| serde_json::from_str(&l).map_err(|_| damaged()))
            .collect::<io::Result<_>>()?;
        Ok(Some(Self { header, files, trailer }))
    }

    /// Stores the proposal.
    ///
    /// # Errors
    /// If it cannot be written.
    pub(crate) fn store(&self, state: &Path) -> io::Result<()> {
        let mut writer = ProposalWriter::begin(state, &self.header)?;
        for record in &self.files {
            writer.record(record)?;
        }
        writer.finish(&self.trailer)
    }

    /// Puts the proposal of a state folder beside a journal: when that is taken back, it holds again.
    ///
    /// # Errors
    /// If it cannot be moved.
    pub(crate) fn put_by(state: &Path, journal: &Path) -> io::Result<()> {
        std::fs::rename(state.join(NAME), journal.join(NAME))
    }

    /// True if a proposal was put by beside a journal.
    pub(crate) fn is_by(journal: &Path) -> bool {
        journal.join(NAME).exists()
    }

    /// Brings back what was put by; false if nothing was.
    ///
    /// # Errors
    /// If it cannot be moved.
    pub(crate) fn bring_back(state: &Path, journal: &Path) -> io::Result<bool> {
        match std::fs::rename(journal.join(NAME), state.join(NAME)) {
            Ok(()) => Ok(true),
            Err(e) if e.kind() == io::ErrorKind::NotFound => Ok(false),
            Err(e) => Err(e),
        }
    }

    /// Takes the proposal of a state folder away: it was applied or taken back.
    ///
    /// # Errors
    /// If it cannot be removed.
    pub fn remove(state: &Path) -> io::Result<()> {
        match std::fs::remove_file(state.join(NAME)) {
            Err(e) if e.kind() != io::ErrorKind::NotFound => Err(e),
            _ => Ok(()),
        }
    }

    /// All edits.
    pub fn edits(&self) -> impl Iterator<Item = &Edit> {
        self.files.iter().flat_map(|f| &f.edits)
    }

    /// The edits that are decided: all but the imports that follow from others.
    pub fn decidable(&self) -> impl Iterator<Item = &Edit> {
        self.edits().filter(|e| !e.derived)
    }

    /// All leftovers, with their files.
    pub fn leftovers(&self) -> impl Iterator<Item = (&RelPath, &Leftover)> {
        self.files.iter().flat_map(|f| f.leftovers.iter().map(move |l| (&f.path, l)))
    }

    /// All notes, those at steps too.
    pub fn notes(&self) -> impl Iterator<Item = &Note> {
        self.files.iter().flat_map(|f| &f.notes).chain(&self.trailer.notes)
    }
}
