//! What the user decided: an append-only log, one line each, safe for several writers.

use std::collections::{HashMap, HashSet};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;

use emendo_text::{Digest, Hasher, RelPath};
use serde::{Deserialize, Serialize};

use crate::edits::edit::{Edit, Standing, StepKey};

/// What was decided about an edit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase", tag = "verdict")]
pub enum Verdict {
    /// To be written, as long as it says the same.
    Accepted {
        /// What was accepted.
        seal: Digest,
    },
    /// Never to be written.
    Rejected,
    /// One of the alternatives is to be written.
    Picked {
        /// The alternative.
        label: String,
        /// What it wrote.
        seal: Digest,
    },
    /// The user's own text is to be written instead.
    Own {
        /// The text of the whole place.
        text: String,
        /// What it was written over.
        seal: Digest,
    },
    /// A note or a leftover that was seen to.
    Done,
    /// Open again, also where something like it was rejected elsewhere.
    Reopened,
    /// As if nothing had been decided: it was written.
    Cleared,
}

/// One line of the log.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Decision {
    /// The edit.
    pub edit: Digest,
    /// For finding a rejection again when the id has changed.
    pub weak: Digest,
    /// The step, for people who read the log.
    #[serde(flatten)]
    pub step: StepKey,
    /// The file; none for a note at a step.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub path: Option<RelPath>,
    /// What was decided.
    #[serde(flatten)]
    pub verdict: Verdict,
    /// What other edits need it by.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub provides: Option<Digest>,
}

impl Decision {
    /// A decision about an edit.
    pub fn about(edit: &Edit, verdict: Verdict) -> Self {
        Self {
            edit: edit.id,
            weak: edit.weak,
            step: edit.step.clone(),
            path: Some(edit.path.clone()),
            verdict,
            provides: edit.provides,
        }
    }

    /// A decision about a note or a leftover.
    pub fn of_place(id: Digest, step: &StepKey, path: Option<&RelPath>, verdict: Verdict) -> Self {
        let path = path.cloned();
        Self { edit: id, weak: id, step: step.clone(), path, verdict, provides: None }
    }
}

/// How an edit stands, from the decisions.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Status {
    /// Nothing is decided.
    Undecided,
    /// Accepted as it is; an alternative, where it is a choice.
    Accepted(Option<String>),
    /// Accepted with the user's own text.
    Reworded(String),
    /// Rejected.
    Rejected,
    /// Accepted once, but it says something else now.
    Again,
}

impl Status {
    /// True if the edit is to be written: as it is, by an alternative, or in the user's own words.
    pub fn is_accepted(&self) -> bool {
        matches!(self, Self::Accepted(_) | Self::Reworded(_))
    }
}

/// All decisions of a project; the last one about an edit counts.
#[derive(Clone, Debug, Default)]
pub struct Decisions {
    last: HashMap<Digest, Decision>,
    rejected: HashMap<Digest, Vec<(Digest, RelPath)>>,
    /// Rejected edits, by what others need them by.
    gone: HashMap<Digest, HashSet<Digest>>,
}

/// Why the log cannot be used.
#[derive(Debug, thiserror::Error)]
pub enum DecisionError {
    /// Reading or writing failed.
    #[error("cannot use the log of decisions")]
    Io(#[from] std::io::Error),
    /// A line is not one of ours.
    #[error("line {line} of the log of decisions cannot be read: {error}")]
    Line {
        /// The line, from 1.
        line: usize,
        /// What is wrong.
        error: serde_json::Error,
    },
}

impl Decisions {
    /// Reads a log; a missing one is empty. An unfinished last line (a killed writer) is passed over.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn read(path: &Path) -> Result<Self, DecisionError> {
        let text = match std::fs::read_to_string(path) {
            Ok(text) => text,
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => return Ok(Self::default()),
            Err(e) => return Err(e.into()),
        };
        let mut out = Self::default();
        for (i, line) in text.split_inclusive('\n').enumerate() {
            match serde_json::from_str::<Decision>(line.trim()) {
                Ok(d) => out.add(d),
                Err(_) if !line.ends_with('\n') || line.trim().is_empty() => {}
                Err(error) => return Err(DecisionError::Line { line: i + 1, error }),
            }
        }
        Ok(out)
    }

    /// Adds a decision.
    pub fn add(&mut self, d: Decision) {
        let list = self.rejected.entry(d.weak).or_default();
        list.retain(|(id, _)| *id != d.edit);
        if let (Verdict::Rejected, Some(path)) = (&d.verdict, &d.path) {
            list.push((d.edit, path.clone()));
        }
        if let Some(tie) = d.provides {
            let gone = self.gone.entry(tie).or_default();
            gone.remove(&d.edit);
            if d.verdict == Verdict::Rejected {
                gone.insert(d.edit);
            }
        }
        self.last.insert(d.edit, d);
    }

    /// Appends decisions to a log, each as one write.
    ///
    /// # Errors
    /// If it cannot be written.
    pub fn append(path: &Path, decisions: &[Decision]) -> Result<(), DecisionError> {
        let mut file =
            std::fs::OpenOptions::new().create(true).read(true).append(true).open(path)?;
        // Another writer's half line must not be taken for a killed one's.
        file.lock()?;
        // What a killed writer began would spoil the line that comes after it.
        if !ends_whole(&mut file)? {
            let before = std::fs::read(path)?;
            let whole = before.iter().rposition(|b| *b == b'\n').map_or(0, |i| i + 1);
            file.set_len(whole as u64)?;
        }
        let mut text = String::new();
        for d in decisions {
            let line = serde_json::to_string(d).map_err(std::io::Error::other)?;
            text.push_str(&line);
            text.push('\n');
        }
        file.write_all(text.as_bytes())?;
        file.sync_data()?;
        Ok(())
    }

    /// How an edit stands.
    pub fn status(&self, edit: &Edit) -> Status {
        let seals: Vec<(String, Digest)> =
            edit.options.iter().map(|o| (o.label.clone(), o.seal)).collect();
        match self.status_of(edit.id, edit.seal, &seals) {
            // A rejection that was found again by weaker means: the run left it out.
            Status::Undecided
                if edit.standing == Standing::Out
                    && edit.options.is_empty()
                    && self.silent(edit.id) =>
            {
                Status::Rejected
            }
            status => status,
        }
    }

    /// How an edit stands, by its id, its seal and the seals of its alternatives.
    pub fn status_of(&self, id: Digest, seal: Digest, options: &[(String, Digest)]) -> Status {
        match self.last.get(&id).map(|d| &d.verdict) {
            None | Some(Verdict::Cleared | Verdict::Reopened | Verdict::Done) => Status::Undecided,
            Some(Verdict::Rejected) => Status::Rejected,
            Some(Verdict::Accepted { seal: accepted })
                if options.is_empty() && *accepted == seal =>
            {
                Status::Accepted(None)
            }
            Some(Verdict::Picked { label, seal })
                if options.iter().any(|(l, s)| l == label && s == seal) =>
            {
                Status::Accepted(Some(label.clone()))
            }
            Some(Verdict::Own { text, seal: over }) if *over == seal => {
                Status::Reworded(text.clone())
            }
            Some(_) => Status::Again,
        }
    }

    /// True if a note or a leftover was ticked off.
    pub fn done(&self, id: Digest) -> bool {
        matches!(self.last.get(&id).map(|d| &d.verdict), Some(Verdict::Done))
    }

    /// True if an edit that provides this is rejected.
    pub fn gone(&self, tie: Digest) -> bool {
        self.gone.get(&tie).is_some_and(|g| !g.is_empty())
    }

    /// Takes what is said of these edits out.
    pub(crate) fn forget<'e>(&mut self, edits: impl IntoIterator<Item = &'e Edit>) {
        for e in edits {
            self.add(Decision::about(e, Verdict::Cleared));
        }
    }

    /// The last decision about an edit, a note or a leftover.
    pub fn last(&self, id: Digest) -> Option<&Decision> {
        self.last.get(&id)
    }

    /// True if nothing at all is said about an id.
    pub fn silent(&self, id: Digest) -> bool {
        matches!(self.last.get(&id).map(|d| &d.verdict), None | Some(Verdict::Cleared))
    }

    /// A rejection of the same tokens by the same action whose id is not among `here`: the place was moved or renamed.
    pub fn weakly_rejected(
        &self,
        weak: Digest,
        path: &RelPath,
        here: &[Digest],
        exists: impl Fn(&RelPath) -> bool,
    ) -> bool {
        self.rejected.get(&weak).is_some_and(|list| {
            list.iter().any(|(id, was)| {
                (was == path && !here.contains(id)) || (was != path && !exists(was))
            })
        })
    }

    /// Identity of what the decisions mean for the text that a file gets where undecided edits are in.
    pub(crate) fn view_of(
        &self,
        path: &RelPath,
        edits: &[Edit],
        exists: impl Fn(&RelPath) -> bool + Copy,
    ) -> Digest {
        let ids: Vec<Digest> = edits.iter().filter(|e| !e.derived).map(|e| e.id).collect();
        let mut h = Hasher::new();
        for e in edits.iter().filter(|e| !e.derived) {
            let seals: Vec<(String, Digest)> =
                e.options.iter().map(|o| (o.label.clone(), o.seal)).collect();
            let weakly = || self.silent(e.id) && self.weakly_rejected(e.weak, path, &ids, exists);
            match self.status_of(e.id, e.seal, &seals) {
                Status::Rejected => h.number(1),
                Status::Accepted(Some(label)) => h.number(2).part(label),
                Status::Accepted(None) if e.behind.is_some() => h.number(3),
                Status::Reworded(text) => h.number(4).part(text),
                _ if weakly() => h.number(1),
                _ => h.number(0),
            };
            h.number(u64::from(e.needs.is_some_and(|tie| self.gone(tie))));
        }
        h.finish()
    }

    /// Decisions that match none of these edits.
    pub fn stale<'a>(&'a self, edits: &std::collections::HashSet<Digest>) -> Vec<&'a Decision> {
        let mut out: Vec<&Decision> = self
            .last
            .values()
            .filter(|d| {
                let open =
                    matches!(d.verdict, Verdict::Cleared | Verdict::Reopened | Verdict::Done);
                !open && !edits.contains(&d.edit)
            })
            .collect();
        out.sort_by(|a, b| (&a.path, a.edit).cmp(&(&b.path, b.edit)));
        out
    }
}

/// True if a log is empty, or its last line ends.
fn ends_whole(file: &mut std::fs::File) -> std::io::Result<bool> {
    if file.metadata()?.len() == 0 {
        return Ok(true);
    }
    let mut last = [0];
    file.seek(SeekFrom::End(-1))?;
    file.read_exact(&mut last)?;
    Ok(last[0] == b'\n')
}
