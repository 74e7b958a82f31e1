//! Where the modules of a project lie.

use emendo_text::RelPath;

use crate::ground::Files;

/// Makes the module that a path begins with absolute: the written segments, the module that it is written in, and its file.
pub type Absolute = fn(&[&str], &str, &RelPath, &dyn Files) -> Option<Vec<String>>;

/// A path to a module of the project, in the manner of one that stands.
pub struct PathTo<'a> {
    /// The segments that stand.
    pub written: &'a [&'a str],
    /// What the path is to lead to, made absolute: a module, or a name in one.
    pub target: &'a str,
    /// The file of the module.
    pub file: &'a RelPath,
    /// The file that holds the path.
    pub from: &'a RelPath,
    /// The modules around the path inside of that file.
    pub inside: &'a [String],
}

/// Where the modules of a project lie, for languages whose modules follow from paths.
pub struct Modules {
    /// The module of a file.
    pub of: fn(&RelPath, &dyn Files) -> String,
    /// The module that a written path begins with, made absolute.
    pub absolute: Absolute,
    /// The file of a module of the project.
    pub file: fn(&str, &dyn Files) -> Option<RelPath>,
    /// The files of a module of the project that may be several; none where a module is one file.
    pub files: fn(&str, &dyn Files) -> Vec<RelPath>,
    /// Words before the names that the files of such a module declare.
    pub declaring: &'static [&'static str],
    /// How a file writes a path that leads elsewhere; none where it cannot be written in the manner of what stands.
    pub written: fn(&PathTo<'_>, &dyn Files) -> Option<Vec<String>>,
    /// How a file in a folder writes a module of the project: the module and the folder, for languages that write such
    /// modules from the file's own place on.
    pub from_folder: fn(&str, &str) -> Option<String>,
    /// Settings files that name modules by their paths.
    pub settings: &'static [&'static str],
    /// The kind of a statement that makes the module of another file known in the file that holds it; empty if files need none.
    pub statement: &'static str,
    /// The word for the outermost module that a file belongs to, within it; empty if there is none.
    pub own: &'static str,
    /// What stands before a text that names a file from the folder of the file that it stands in, blanks left out.
    pub loads_files: &'static [&'static str],
    /// Other names that settings or manifests of the project give to the module of a file.
    pub called: fn(&RelPath, &dyn Files) -> Vec<String>,
}
