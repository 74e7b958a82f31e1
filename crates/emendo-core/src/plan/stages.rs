//! Runs of steps that go file by file.

use std::ops::Range;
use std::sync::Arc;

use crate::plan::conditions::Conditions;
use crate::plan::step::{PlanStep, PlannedAction};

/// True if an action asks other files for more than what they declare.
pub(super) fn asks_bodies(action: &PlannedAction) -> bool {
    action.asks.follows || action.asks.asks_files || !action.asks.queries.is_empty()
}

/// A stage ends before a step that asks about other files what a step of the stage may have changed.
pub(super) fn stages(
    steps: &[PlanStep],
    conditions: &[(usize, Arc<Conditions>)],
) -> Vec<Range<usize>> {
    let mut out = Vec::new();
    let mut start = 0;
    for i in 1..steps.len() {
        let before = || steps[start..i].iter().flat_map(|s| &s.actions);
        let here = || steps[i].actions.iter();
        let declarations = here().any(|a| a.asks.asks_declarations)
            && before().any(|a| a.asks.changes_declarations);
        let manifests =
            here().any(|a| a.asks.reads_manifests) && before().any(|a| a.asks.reads_manifests);
        // What another step wrote may be what is asked for, or used.
        let bodies = here().any(asks_bodies) && before().next().is_some();
        let late = conditions.iter().any(|(n, c)| *n == i && c.is_late());
        // What becomes of paths is worked out before a step, and all that comes after it rests on that.
        let paths =
            |s: &PlanStep| s.actions.iter().any(|a| a.asks.paths.is_some() && !a.asks.paths_rarely);
        let paths = paths(&steps[i]) || paths(&steps[i - 1]);
        if paths || declarations || manifests || bodies || late {
            out.push(start..i);
            start = i;
        }
    }
    out.push(start..steps.len());
    out
}
