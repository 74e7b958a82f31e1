//! Results of the project's check, kept in the state folder by the tree that each is about.

use std::collections::BTreeSet;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use emendo_text::{Digest, RelPath};
use serde::{Deserialize, Serialize};

use crate::landmarks::PlacedProblem;
use crate::problem::CheckResult;
use crate::search::{Findings, Guilty};

/// The results, one a line.
const RESULTS: &str = "results.jsonl";
/// The last verification.
const LAST: &str = "last.json";
/// Files that the check itself writes.
const MADE: &str = "made.json";
/// How many logs are kept.
const LOGS: u32 = 30;

/// What a verification says.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Verification {
    /// The command, in words.
    pub command: String,
    /// The folder that it ran in, from the project's root; empty for the root.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub below: String,
    /// Identity of the tree that it speaks of.
    pub tree: Digest,
    /// The applies that stood by then.
    #[serde(default)]
    pub applies: Vec<u32>,
    /// What the check says before the edits; none where it was not run.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<CheckResult>,
    /// What it says with them; none where no edit is written yet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<CheckResult>,
    /// The edits are not written: what is accepted was tried in a copy.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub ahead: bool,
    /// The problems that are new.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub new: Vec<PlacedProblem>,
    /// What the search for guilty steps says; none where there was none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub findings: Option<Findings>,
}

impl Verification {
    /// The steps that are to blame, as far as that is known.
    pub fn guilty(&self) -> &[Guilty] {
        self.findings.as_ref().map_or(&[], Findings::guilty)
    }

    /// True if the last run of the check passed.
    pub fn passed(&self) -> bool {
        self.after.as_ref().or(self.before.as_ref()).is_some_and(|r| r.passed)
    }
}

#[derive(Serialize, Deserialize)]
struct Kept {
    tree: Digest,
    command: String,
    #[serde(default)]
    below: String,
    #[serde(flatten)]
    result: CheckResult,
}

/// What is kept of a project's checks.
pub struct History {
    folder: PathBuf,
}

impl History {
    /// In this folder of the state; it need not be there.
    pub fn new(folder: PathBuf) -> Self {
        Self { folder }
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The name and path of a log that is not there yet; old ones go.
    ///
    /// # Errors
    /// If the folder cannot be read or written.
    pub fn new_log(&self) -> io::Result<(String, PathBuf)> {
        std::fs::create_dir_all(&self.folder)?;
        let mut numbers = BTreeSet::new();
        for entry in std::fs::read_dir(&self.folder)?.flatten() {
            let name = entry.file_name();
            let number = name.to_str().and_then(|n| n.strip_suffix(".log")?.parse::<u32>().ok());
            numbers.extend(number);
        }
        let next = numbers.last().map_or(1, |n| n + 1);
        for old in numbers.iter().filter(|n| **n + LOGS < next) {
            drop(std::fs::remove_file(self.folder.join(format!("{old}.log"))));
        }
        let name = format!("{next}.log");
        let path = self.folder.join(&name);
        Ok((name, path))
    }

    /// The last result of a command over a tree, run in place.
    pub fn known(&self, tree: Digest, command: &str, below: &str) -> Option<CheckResult> {
        let text = std::fs::read_to_string(self.folder.join(RESULTS)).ok()?;
        let kept = text.lines().rev().filter_map(|l| serde_json::from_str::<Kept>(l).ok());
        let fits = |k: &Kept| k.tree == tree && k.command == command && k.below == below;
        kept.filter(fits).map(|k| k.result).find(|r| !r.in_copy)
    }

    /// Keeps a result.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn keep(
        &self,
        tree: Digest,
        (command, below): (&str, &str),
        result: &CheckResult,
    ) -> io::Result<()> {
        std::fs::create_dir_all(&self.folder)?;
        let path = self.folder.join(RESULTS);
        let mut file = std::fs::OpenOptions::new().create(true).append(true).open(path)?;
        let (command, below) = (command.to_owned(), below.to_owned());
        let mut line = serde_json::to_vec(&Kept { tree, command, below, result: result.clone() })?;
        line.push(b'\n');
        file.write_all(&line)
    }

    /// The last verification.
    pub fn last(&self) -> Option<Verification> {
        serde_json::from_slice(&std::fs::read(self.folder.join(LAST)).ok()?).ok()
    }

    /// Keeps a verification.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn keep_last(&self, v: &Verification) -> io::Result<()> {
        self.replace(LAST, &serde_json::to_vec_pretty(v)?)
    }

    /// Files that came or changed while the check ran: they are its own, not the project's.
    pub fn made(&self) -> BTreeSet<RelPath> {
        let bytes = std::fs::read(self.folder.join(MADE)).unwrap_or_default();
        serde_json::from_slice(&bytes).unwrap_or_default()
    }

    /// Keeps which files the check writes.
    ///
    /// # Errors
    /// If that cannot be written.
    pub fn keep_made(&self, files: &BTreeSet<RelPath>) -> io::Result<()> {
        self.replace(MADE, &serde_json::to_vec(files)?)
    }

    fn replace(&self, name: &str, bytes: &[u8]) -> io::Result<()> {
        std::fs::create_dir_all(&self.folder)?;
        let temp = self.folder.join(format!("{name}.new"));
        std::fs::write(&temp, bytes)?;
        std::fs::rename(temp, self.folder.join(name))
    }
}
