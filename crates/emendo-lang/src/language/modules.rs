//! Where the modules of a project lie.

use emendo_text::RelPath;

use crate::ground::Files;

/// Makes the module that a path begins with absolute: the written segments, the module that it is written in, and its file.
pub type Absolute = fn(&[&str], &str, &RelPath, &dyn Files) -> Option<Vec<String>>;

/// Where the modules of a project lie, for languages whose modules follow from paths.
pub struct Modules {
    /// The module of a file.
    pub of: fn(&RelPath, &dyn Files) -> String,
    /// The module that a written path begins with, made absolute.
    pub absolute: Absolute,
    /// The file of a module of the project.
    pub file: fn(&str, &dyn Files) -> Option<RelPath>,
    /// Other names that settings or manifests of the project give to the module of a file.
    pub called: fn(&RelPath, &dyn Files) -> Vec<String>,
}
