//! What breaks a rule of the house today, each with its reason. The list only shrinks.

/// A place that may break a rule.
pub(crate) struct Exception {
    pub(crate) rule: &'static str,
    pub(crate) place: &'static str,
    pub(crate) why: &'static str,
}

const fn due(rule: &'static str, place: &'static str, why: &'static str) -> Exception {
    Exception { rule, place, why }
}

/// The list.
pub(crate) const EXCEPTIONS: &[Exception] = &[
    due(
        "command words",
        "crates/emendo-recipe/src/draft.rs",
        "hints are still worded in libraries",
    ),
    due(
        "command words",
        "crates/emendo-recipe/src/load/inputs.rs",
        "hints are still worded in libraries",
    ),
    due(
        "command words",
        "crates/emendo-core/src/recipes/check.rs",
        "hints are still worded in libraries",
    ),
    due(
        "command words",
        "crates/emendo-core/src/recipes/hints.rs",
        "hints are still worded in libraries",
    ),
    due(
        "command words",
        "crates/emendo-core/src/recipes/shelf.rs",
        "hints are still worded in libraries",
    ),
    due(
        "command words",
        "crates/emendo-core/src/review/proposal.rs",
        "hints are still worded in libraries",
    ),
    due(
        "command words",
        "crates/emendo-core/src/review/select.rs",
        "hints are still worded in libraries",
    ),
    due("project files", "crates/emendo-recipe/src/model.rs", "waits for one reader of files"),
    due(
        "project files",
        "crates/emendo-core/src/edits/decisions.rs",
        "waits for one reader of files",
    ),
    due("project files", "crates/emendo-core/src/look/answers.rs", "waits for one reader of files"),
    due(
        "project files",
        "crates/emendo-core/src/look/followed.rs",
        "waits for one reader of files",
    ),
    due("project files", "crates/emendo-core/src/look/memory.rs", "waits for one reader of files"),
    due("project files", "crates/emendo-core/src/look/mod.rs", "waits for one reader of files"),
    due("project files", "crates/emendo-core/src/look/search.rs", "waits for one reader of files"),
    due(
        "project files",
        "crates/emendo-core/src/recipes/example.rs",
        "waits for one reader of files",
    ),
    due(
        "project files",
        "crates/emendo-core/src/recipes/shelf.rs",
        "waits for one reader of files",
    ),
    due(
        "project files",
        "crates/emendo-core/src/review/proposal.rs",
        "waits for one reader of files",
    ),
    due("project files", "crates/emendo-core/src/run/mod.rs", "waits for one reader of files"),
    due("project files", "crates/emendo-core/src/session/mod.rs", "waits for one reader of files"),
    due(
        "language names",
        "crates/emendo-recipe/src/draft.rs",
        "a fact that hides as a test on spelling",
    ),
    due(
        "language names",
        "crates/emendo/src/machine.rs",
        "a fact that hides as a test on spelling",
    ),
];
