//! The to-do list of a proposal: what waits for a decision, what is left to do by hand, what was left on purpose.

use std::collections::HashMap;

use emendo_text::RelPath;
use serde::Serialize;

use crate::edits::{Decisions, Edit, Leftover, Note, Standing, Status};
use crate::review::proposal::Proposal;

/// A leftover with its file.
pub type LeftoverAt<'p> = (&'p RelPath, &'p Leftover);

/// What is open, and what was left on purpose. Each place is in one list only.
#[derive(Clone, Debug, Default)]
pub struct OpenWork<'p> {
    /// Edits that nobody has decided on.
    pub undecided: Vec<&'p Edit>,
    /// Choices of which no alternative was picked.
    pub choices: Vec<&'p Edit>,
    /// Edits that were accepted once and say something else now.
    pub again: Vec<&'p Edit>,
    /// Accepted edits: `apply` writes them.
    pub accepted: Vec<&'p Edit>,
    /// Notes that are not ticked off.
    pub notes: Vec<&'p Note>,
    /// Edits that are held back.
    pub held_back: Vec<&'p Edit>,
    /// Places that still use the old API, and that no edit is about.
    pub leftovers: Vec<LeftoverAt<'p>>,
    /// Rejected edits.
    pub rejected: Vec<&'p Edit>,
    /// Choices that were decided to be left as they are.
    pub kept: Vec<&'p Edit>,
    /// Notes that were ticked off.
    pub done_notes: Vec<&'p Note>,
    /// Leftovers that were ticked off.
    pub done_leftovers: Vec<LeftoverAt<'p>>,
    /// Edits at places that the project's settings or a comment protect.
    pub protected: Vec<&'p Edit>,
    /// Notes at such places.
    pub protected_notes: Vec<&'p Note>,
    /// Leftovers at such places.
    pub protected_leftovers: Vec<LeftoverAt<'p>>,
}

/// The lists in numbers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize)]
pub struct OpenCounts {
    /// Edits that nobody has decided on.
    pub undecided: usize,
    /// Choices of which no alternative was picked.
    pub choices: usize,
    /// Edits that were accepted once and say something else now.
    pub again: usize,
    /// Accepted edits that are not written yet.
    pub accepted: usize,
    /// Notes that are not ticked off.
    pub notes: usize,
    /// Edits that are held back.
    pub held_back: usize,
    /// Places that still use the old API.
    pub leftovers: usize,
    /// Rejected edits.
    pub rejected: usize,
    /// Choices that were decided to be left as they are.
    pub kept: usize,
    /// Notes and leftovers that were ticked off.
    pub done: usize,
    /// Edits, notes and leftovers at protected places.
    pub protected: usize,
}

impl OpenCounts {
    /// True if something waits for a decision, or to be written.
    pub fn pending(&self) -> bool {
        self.undecided + self.choices + self.again + self.accepted > 0
    }

    /// True if something is left to do by hand.
    pub fn left(&self) -> bool {
        self.notes + self.held_back + self.leftovers > 0
    }

    /// How many places were left on purpose.
    pub fn on_purpose(&self) -> usize {
        self.rejected + self.kept + self.done + self.protected
    }
}

impl<'p> OpenWork<'p> {
    /// The lists of a proposal, under these decisions.
    pub fn of(proposal: &'p Proposal, decisions: &Decisions) -> Self {
        let mut out = Self::default();
        for e in proposal.decidable() {
            out.edit(e, decisions);
        }
        for n in proposal.notes() {
            let list = match (n.protected, decisions.done(n.id)) {
                (true, _) => &mut out.protected_notes,
                (false, true) => &mut out.done_notes,
                (false, false) => &mut out.notes,
            };
            list.push(n);
        }
        // What an edit is about that is not in is listed as that edit.
        let outside = proposal.decidable().filter(|e| e.standing != Standing::In);
        let mut about: HashMap<&RelPath, Vec<&Edit>> = HashMap::new();
        for e in outside.chain(out.kept.iter().copied()) {
            about.entry(&e.path).or_default().push(e);
        }
        // What a note speaks of is listed as that note.
        let mut noted: HashMap<(&RelPath, u32), Vec<&Note>> = HashMap::new();
        for n in proposal.notes() {
            if let (Some(path), Some(line)) = (&n.path, n.line) {
                noted.entry((path, line)).or_default().push(n);
            }
        }
        for (path, l) in proposal.leftovers() {
            let says = |n: &&Note, symbol: &String| n.say.contains(&format!("`{symbol}`"));
            let notes = noted.get(&(path, l.line)).map_or(&[][..], Vec::as_slice);
            let mut symbols = std::iter::once(&l.symbol).chain(&l.also);
            if symbols.all(|s| notes.iter().any(|n| says(n, s))) {
                continue;
            }
            let here = about.get(path).map_or(&[][..], Vec::as_slice);
            let covers = |e: &&Edit| e.is_on(l.line) && e.step.recipe == l.step.recipe;
            if l.protected {
                if !here.iter().any(covers) {
                    out.protected_leftovers.push((path, l));
                }
            } else if decisions.done(l.id) {
                out.done_leftovers.push((path, l));
            } else if !here.iter().any(covers) {
                out.leftovers.push((path, l));
            }
        }
        out
    }

    fn edit(&mut self, e: &'p Edit, decisions: &Decisions) {
        let status = decisions.status(e);
        let list = match (&e.standing, status) {
            (_, Status::Rejected) => &mut self.rejected,
            (Standing::Protected(_), _) => &mut self.protected,
            (Standing::Withheld(_), _) => &mut self.held_back,
            (_, Status::Accepted(Some(label))) if e.leaves(&label) => &mut self.kept,
            (_, Status::Accepted(_) | Status::Reworded(_)) => &mut self.accepted,
            (_, Status::Again) => &mut self.again,
            (_, Status::Undecided) if e.options.is_empty() => &mut self.undecided,
            (_, Status::Undecided) => &mut self.choices,
        };
        list.push(e);
    }

    /// The lists in numbers.
    pub fn counts(&self) -> OpenCounts {
        OpenCounts {
            undecided: self.undecided.len(),
            choices: self.choices.len(),
            again: self.again.len(),
            accepted: self.accepted.len(),
            notes: self.notes.len(),
            held_back: self.held_back.len(),
            leftovers: self.leftovers.len(),
            rejected: self.rejected.len(),
            kept: self.kept.len(),
            done: self.done_notes.len() + self.done_leftovers.len(),
            protected: self.protected.len()
                + self.protected_notes.len()
                + self.protected_leftovers.len(),
        }
    }
}
