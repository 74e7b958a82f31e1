//! What is kept of a line that someone asks about.

mod traced;

use std::sync::{Mutex, PoisonError};

use emendo_actions::TraceStage;
use emendo_text::RelPath;
use serde::Serialize;

use crate::edits::StepKey;

/// At what an action stops.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhyStage {
    /// It does not take the file.
    Files,
    /// What it waits for does not hold.
    Condition,
    /// The file lacks a word that it needs.
    Words,
    /// It looked at the place, and stopped there.
    At(TraceStage),
}

impl WhyStage {
    /// A word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Files => "files",
            Self::Condition => "condition",
            Self::Words => "words",
            Self::At(stage) => stage.word(),
        }
    }
}

impl Serialize for WhyStage {
    fn serialize<S: serde::Serializer>(&self, out: S) -> Result<S::Ok, S::Error> {
        out.serialize_str(self.word())
    }
}

/// Where an action stops at the line.
#[derive(Clone, Debug, Serialize)]
pub struct WhyStop {
    /// The step.
    #[serde(flatten)]
    pub step: StepKey,
    /// The kind of the action.
    pub action: String,
    /// What of it is meant, as the recipe writes it.
    pub what: String,
    /// At what it stops.
    pub stage: WhyStage,
    /// How far it came; more is nearer.
    pub fitted: usize,
    /// Why, in plain words.
    pub says: String,
}

/// A line that someone asks about, with where actions stop at it.
pub(crate) struct LineTrace {
    pub(crate) path: RelPath,
    pub(crate) line: u32,
    stops: Mutex<Vec<WhyStop>>,
}

impl LineTrace {
    pub(crate) fn new(path: RelPath, line: u32) -> Self {
        Self { path, line, stops: Mutex::default() }
    }

    pub(crate) fn stop(&self, stop: WhyStop) {
        self.stops.lock().unwrap_or_else(PoisonError::into_inner).push(stop);
    }

    /// The stops, the nearest first; of one action only the nearest.
    pub(crate) fn into_stops(self) -> Vec<WhyStop> {
        let mut all = self.stops.into_inner().unwrap_or_else(PoisonError::into_inner);
        all.sort_by_key(|s| std::cmp::Reverse(s.fitted));
        let mut out: Vec<WhyStop> = Vec::new();
        for s in all {
            let same = |o: &WhyStop| o.step == s.step && o.what == s.what;
            if !out.iter().any(same) {
                out.push(s);
            }
        }
        out
    }
}
