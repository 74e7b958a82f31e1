//! Where actions stop at a place that someone asks about.

use std::sync::{Mutex, PoisonError};

use emendo_text::Span;

/// At what an action stops.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum TraceStage {
    /// The code has another shape than the pattern.
    Shape,
    /// A name means something else.
    Names,
    /// What a slot must hold.
    Slots,
    /// What must stand around a place or within it.
    Around,
    /// What other files must hold.
    Elsewhere,
    /// It is done there already.
    Done,
}

impl TraceStage {
    /// A word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Shape => "shape",
            Self::Names => "names",
            Self::Slots => "slots",
            Self::Around => "around",
            Self::Elsewhere => "elsewhere",
            Self::Done => "done",
        }
    }
}

/// One action's stop at a place.
#[derive(Clone, Debug)]
pub struct TraceStop {
    /// What of the action it is about, as the recipe writes it.
    pub what: String,
    /// At what it stops.
    pub stage: TraceStage,
    /// How far it came; more is nearer.
    pub fitted: usize,
    /// Why, in plain words.
    pub says: String,
}

/// Gathers stops at a place.
#[derive(Debug)]
pub struct TraceLog {
    /// The place.
    pub at: Span,
    stops: Mutex<Vec<TraceStop>>,
}

impl TraceLog {
    /// A log for a place.
    pub fn new(at: Span) -> Self {
        Self { at, stops: Mutex::default() }
    }

    /// Adds a stop.
    pub fn stop(&self, stop: TraceStop) {
        self.stops.lock().unwrap_or_else(PoisonError::into_inner).push(stop);
    }

    /// The stops.
    pub fn into_stops(self) -> Vec<TraceStop> {
        self.stops.into_inner().unwrap_or_else(PoisonError::into_inner)
    }
}
