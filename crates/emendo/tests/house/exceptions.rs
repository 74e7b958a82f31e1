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
        "project files",
        "crates/emendo-recipe/src/beside.rs",
        "reads recipes and what stands beside them",
    ),
    due(
        "project files",
        "crates/emendo-recipe/src/model.rs",
        "reads recipes and what stands beside them",
    ),
    due(
        "project files",
        "crates/emendo-core/src/edits/decisions.rs",
        "reads and writes the program's own state, no file of the project",
    ),
    due(
        "project files",
        "crates/emendo-core/src/look/memory.rs",
        "reads and writes the program's own state, no file of the project",
    ),
    due(
        "project files",
        "crates/emendo-core/src/recipes/example.rs",
        "reads recipes and what stands beside them",
    ),
    due(
        "project files",
        "crates/emendo-core/src/recipes/shelf.rs",
        "reads recipes and what stands beside them",
    ),
    due(
        "project files",
        "crates/emendo-core/src/review/proposal.rs",
        "reads and writes the program's own state, no file of the project",
    ),
    due(
        "language names",
        "crates/emendo/src/programs/machine.rs",
        "words of toolchains, not of languages",
    ),
];
