//! Files that a step moves, creates or deletes.

use std::collections::{HashMap, HashSet};

use emendo_lang::{Fact, Index};
use emendo_text::{Digest, Hasher, RelPath};

use crate::contract::draft::{Draft, FileOp, NoteDraft};
use crate::contract::needs::Needs;
use crate::contract::query::Asked;
use crate::contract::tables::Tables;

/// A file that an action moves, creates or deletes.
#[derive(Clone, Debug)]
pub struct FileMove {
    /// The place of the action in its step, and its row.
    pub action: (usize, usize),
    /// Identity of the action's kind and what it looks for.
    pub digest: Digest,
    /// The file as it lies before the step.
    pub path: RelPath,
    /// What becomes of it.
    pub op: FileOp,
    /// The content of a file that is created.
    pub content: String,
    /// Why.
    pub facts: Vec<Fact>,
    /// Why it cannot be done.
    pub withheld: Option<String>,
    /// It is rejected: nothing rests on it.
    pub rejected: bool,
    /// What another move provides, without which this one cannot be.
    pub needs: Option<Digest>,
    /// What edits in other files provide that go with it: all of them, or none.
    pub along: Option<Digest>,
    /// An edit of the step says what becomes of the name that follows from its path.
    pub named: bool,
}

impl FileMove {
    /// One whose content and references are to be said yet.
    pub fn new(action: (usize, usize), digest: Digest, path: RelPath, op: FileOp) -> Self {
        Self {
            action,
            digest,
            path,
            op,
            content: String::new(),
            facts: Vec::new(),
            withheld: None,
            rejected: false,
            needs: None,
            along: None,
            named: false,
        }
    }

    /// What it and the edits that need it hold together by.
    pub fn tie(&self) -> Digest {
        let mut h = Hasher::new();
        h.part("file").digest(self.digest).part(self.path.as_str());
        if let FileOp::Move(to) = &self.op {
            h.part(to.as_str());
        }
        h.finish()
    }

    /// True if it is neither held back nor rejected.
    pub fn stands(&self) -> bool {
        self.withheld.is_none() && !self.rejected
    }

    /// Where the file lies afterwards; none if there is none.
    pub fn target(&self) -> Option<&RelPath> {
        match &self.op {
            FileOp::Move(to) => Some(to),
            FileOp::Create => Some(&self.path),
            FileOp::Delete => None,
        }
    }
}

/// Gives the text of a file, if that is wanted.
pub type TextIfHeld<'a> = Box<dyn Fn(&RelPath) -> Option<String> + Sync + 'a>;

/// What a rule for paths may ask.
pub struct PathsCx<'a> {
    /// Languages, formats and ecosystems.
    pub tables: &'a Tables,
    /// All files, in order.
    pub files: &'a [RelPath],
    /// What the project declares.
    pub project: &'a Index,
    /// The packages of the recipe's symbols.
    pub packages: &'a [String],
    /// Answers to the questions about other files.
    pub answers: &'a [Asked],
    /// True for files in which the action runs.
    pub covers: &'a (dyn Fn(&RelPath) -> bool + Sync),
    /// The text of a file; none for what is no text.
    pub text: &'a (dyn Fn(&RelPath) -> Option<String> + Sync),
    /// What gives the text of a file that holds certain words; none for others, and for what is no text.
    pub holding: &'a (dyn Fn(&Needs) -> TextIfHeld<'a> + Sync),
    /// The edits of the step that change names of declarations at the top of files, or packages.
    pub declared: &'a (dyn Fn() -> Vec<(RelPath, Draft)> + Sync),
    /// What the step wrote before, by the journal.
    pub written: &'a (dyn Fn(&RelPath) -> bool + Sync),
    /// The place of the action in its step.
    pub action: usize,
}

/// A rule that says what becomes of files.
pub trait PathRule: Send + Sync {
    /// The files that it moves, creates and deletes, with what goes along in others.
    fn moves(&self, cx: &PathsCx<'_>) -> PathChanges;
}

/// What becomes of files as a whole, with what goes along in others.
#[derive(Default)]
pub struct PathChanges {
    /// The files that are moved, created and deleted.
    pub moves: Vec<FileMove>,
    /// Edits in other files.
    pub drafts: Vec<(RelPath, Draft)>,
    /// Notes in other files.
    pub notes: Vec<(RelPath, NoteDraft)>,
}

impl From<Vec<FileMove>> for PathChanges {
    fn from(moves: Vec<FileMove>) -> Self {
        Self { moves, ..Self::default() }
    }
}

/// What a step does to files as a whole.
#[derive(Default)]
pub struct Moves {
    all: Vec<FileMove>,
    by_path: HashMap<RelPath, usize>,
    along: HashMap<RelPath, (Vec<Draft>, Vec<NoteDraft>)>,
    /// Files that may refer to those that move.
    pub users: HashSet<RelPath>,
}

impl Moves {
    /// Of these, of which no two are about one file.
    pub fn new(changes: PathChanges) -> Self {
        let all = changes.moves;
        let by_path = all.iter().enumerate().map(|(i, m)| (m.path.clone(), i)).collect();
        let mut out = Self { all, by_path, ..Self::default() };
        for (path, draft) in changes.drafts {
            out.along.entry(path).or_default().0.push(draft);
        }
        for (path, note) in changes.notes {
            out.along.entry(path).or_default().1.push(note);
        }
        out.users = out.along.keys().cloned().collect();
        out
    }

    /// What goes along in a file: edits and notes.
    pub fn along(&self, path: &RelPath) -> (&[Draft], &[NoteDraft]) {
        self.along.get(path).map_or((&[], &[]), |(drafts, notes)| (drafts, notes))
    }

    /// All of them.
    pub fn all(&self) -> &[FileMove] {
        &self.all
    }

    /// Adds what makes a move less sure.
    pub fn doubt(&mut self, path: &RelPath, fact: Fact) {
        if let Some(i) = self.by_path.get(path) {
            self.all[*i].facts.push(fact);
        }
    }

    /// What becomes of a file.
    pub fn of(&self, path: &RelPath) -> Option<&FileMove> {
        self.by_path.get(path).map(|i| &self.all[*i])
    }

    /// Where a file lies after the step, if its move is not held back.
    pub fn target(&self, path: &RelPath) -> Option<&RelPath> {
        self.of(path).filter(|m| m.stands())?.target()
    }
}
