//! The places of a proposal in one list: edits, notes and leftovers, each with how it stands.

use std::collections::HashMap;

use emendo_core::{
    Certainty, Decisions, Edit, Leftover, Note, OpenWork, Proposal, Status, StepKey,
};
use emendo_text::{Digest, RelPath};

/// Where a place stands in a proposal.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub(crate) enum At {
    /// File and edit.
    Edit(usize, usize),
    /// File and note.
    Note(usize, usize),
    /// A note at a step.
    StepNote(usize),
    /// File and leftover.
    Leftover(usize, usize),
}

/// How a place stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum State {
    Open,
    Choose,
    Again,
    ToDo,
    Remains,
    Held,
    Taken,
    Picked,
    Reworded,
    Left,
    Kept,
    Done,
    Protected,
}

impl State {
    /// A short word.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::Choose => "choose",
            Self::Again => "again",
            Self::ToDo => "note",
            Self::Remains => "old use",
            Self::Held => "held",
            Self::Taken => "taken",
            Self::Picked => "picked",
            Self::Reworded => "reworded",
            Self::Left | Self::Kept => "left",
            Self::Done => "done",
            Self::Protected => "protected",
        }
    }

    /// It waits for somebody.
    pub(crate) fn waits(self) -> bool {
        matches!(self, Self::Open | Self::Choose | Self::Again | Self::ToDo | Self::Remains)
    }

    /// It is to be written.
    pub(crate) fn taken(self) -> bool {
        matches!(self, Self::Taken | Self::Picked | Self::Reworded)
    }

    /// It was left on purpose.
    pub(crate) fn on_purpose(self) -> bool {
        matches!(self, Self::Left | Self::Kept | Self::Done | Self::Protected)
    }
}

/// A place.
#[derive(Clone, Debug)]
pub(crate) struct Item {
    pub(crate) at: At,
    pub(crate) id: Digest,
    pub(crate) state: State,
    /// Its step, by number.
    pub(crate) step: usize,
    /// Its file, by number; none for a note at a step.
    pub(crate) file: Option<usize>,
    /// Its line, from 1.
    pub(crate) line: u32,
    /// None for a note.
    pub(crate) certainty: Option<Certainty>,
    pub(crate) caution: bool,
}

impl Item {
    /// It is an edit.
    pub(crate) fn is_edit(&self) -> bool {
        matches!(self.at, At::Edit(..))
    }
}

/// All places, in order of files and lines.
pub(crate) fn items(p: &Proposal, decisions: &Decisions) -> Vec<Item> {
    let states = states(p, decisions);
    let steps: HashMap<&StepKey, usize> =
        p.header.steps.iter().enumerate().map(|(i, s)| (&s.key, i)).collect();
    let step = |key: &StepKey| steps.get(key).copied().unwrap_or(p.header.steps.len());
    let mut out = Vec::new();
    for (n, note) in p.trailer.notes.iter().enumerate() {
        let Some(state) = states.get(&note.id) else { continue };
        out.push(Item::of_note(At::StepNote(n), note, (step(&note.step), None), *state));
    }
    for (f, file) in p.files.iter().enumerate() {
        let first = out.len();
        for (i, e) in file.edits.iter().enumerate().filter(|(_, e)| !e.derived) {
            let Some(state) = states.get(&e.id) else { continue };
            out.push(Item {
                at: At::Edit(f, i),
                id: e.id,
                state: *state,
                step: step(&e.step),
                file: Some(f),
                line: e.line,
                certainty: Some(e.certainty),
                caution: e.caution.is_some(),
            });
        }
        for (i, note) in file.notes.iter().enumerate() {
            let Some(state) = states.get(&note.id) else { continue };
            out.push(Item::of_note(At::Note(f, i), note, (step(&note.step), Some(f)), *state));
        }
        for (i, l) in file.leftovers.iter().enumerate() {
            let Some(state) = states.get(&l.id) else { continue };
            out.push(Item {
                at: At::Leftover(f, i),
                id: l.id,
                state: *state,
                step: step(&l.step),
                file: Some(f),
                line: l.line,
                certainty: Some(l.certainty),
                caution: false,
            });
        }
        out[first..].sort_by_key(|i| i.line);
    }
    out
}

impl Item {
    fn of_note(at: At, note: &Note, (step, file): (usize, Option<usize>), state: State) -> Self {
        let line = note.line.unwrap_or(0);
        Self { at, id: note.id, state, step, file, line, certainty: None, caution: false }
    }
}

/// How each place stands, by the same lists that every command counts from.
fn states(p: &Proposal, decisions: &Decisions) -> HashMap<Digest, State> {
    let work = OpenWork::of(p, decisions);
    let mut out = HashMap::new();
    let mut edits = |list: &[&Edit], state: State| out.extend(list.iter().map(|e| (e.id, state)));
    edits(&work.undecided, State::Open);
    edits(&work.choices, State::Choose);
    edits(&work.again, State::Again);
    edits(&work.held_back, State::Held);
    edits(&work.rejected, State::Left);
    edits(&work.kept, State::Kept);
    edits(&work.protected, State::Protected);
    for e in &work.accepted {
        let state = match decisions.status(e) {
            Status::Accepted(Some(_)) => State::Picked,
            Status::Reworded(_) => State::Reworded,
            _ => State::Taken,
        };
        out.insert(e.id, state);
    }
    let mut notes = |list: &[&Note], state: State| out.extend(list.iter().map(|n| (n.id, state)));
    notes(&work.notes, State::ToDo);
    notes(&work.done_notes, State::Done);
    notes(&work.protected_notes, State::Protected);
    let mut leftovers = |list: &[(&RelPath, &Leftover)], state: State| {
        out.extend(list.iter().map(|(_, l)| (l.id, state)));
    };
    leftovers(&work.leftovers, State::Remains);
    leftovers(&work.done_leftovers, State::Done);
    leftovers(&work.protected_leftovers, State::Protected);
    out
}
