//! Files that run code, or choose where code comes from: an edit there calls for caution, whatever a recipe says.

use emendo_text::RelPath;

const RUNS: &str = "this file runs code, or decides what is run";
const COMES: &str = "this file chooses where code comes from";

/// Names of files that run code when a project is built, checked out or installed.
const RUN: &[&str] = &[
    "gradlew",
    "gradlew.bat",
    "mvnw",
    "mvnw.cmd",
    "Makefile",
    "makefile",
    "Justfile",
    "Dockerfile",
    "Jenkinsfile",
    "build.rs",
    "setup.py",
    "conftest.py",
    "Rakefile",
    ".gitlab-ci.yml",
    "azure-pipelines.yml",
    "bitbucket-pipelines.yml",
    ".travis.yml",
    "lefthook.yml",
    ".pre-commit-config.yaml",
];

/// Names of files that say which registries and proxies are asked.
const COME: &[&str] = &[
    ".npmrc",
    ".yarnrc",
    ".yarnrc.yml",
    "pip.conf",
    "pip.ini",
    ".pypirc",
    "nuget.config",
    "NuGet.Config",
    "NuGet.config",
    "settings.xml",
    "init.gradle",
    ".condarc",
];

/// Folders whose files are run.
const FOLDERS: &[&str] = &[
    ".github/workflows/",
    ".github/actions/",
    ".circleci/",
    ".husky/",
    ".githooks/",
    ".buildkite/",
];

/// Why an edit in a file calls for caution; `None` if it does not.
pub(crate) fn of(path: &RelPath) -> Option<&'static str> {
    let (whole, name) = (path.as_str(), path.name());
    let within = |f: &&&str| whole.starts_with(**f) || whole.contains(&format!("/{f}"));
    let script =
        path.extension().is_some_and(|e| matches!(e, "sh" | "bash" | "ps1" | "bat" | "cmd"));
    if RUN.contains(&name) || script || FOLDERS.iter().any(|f| within(&f)) {
        return Some(RUNS);
    }
    (COME.contains(&name) || whole.ends_with(".cargo/config.toml")).then_some(COMES)
}

/// An entry that brings code which runs while the project is built.
pub(crate) const BRINGS: &str = "this brings code that runs while the project is built";
/// A place that code comes from.
pub(crate) const SOURCE: &str = COMES;
