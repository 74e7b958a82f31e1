//! What git says about a project. The program `git` is asked, with everything that could run code switched off.

use std::path::Path;
use std::process::Command;

use emendo_text::RelPath;

/// Of these files, those with changes that are in no commit, new files among them. Without git, or
/// outside of a git tree, none.
pub(crate) fn dirty(root: &Path, paths: &[RelPath]) -> Vec<RelPath> {
    let Some(prefix) = output(root, &["rev-parse", "--show-prefix"]) else { return Vec::new() };
    let prefix = String::from_utf8_lossy(&prefix).trim_end_matches('\n').to_owned();
    let Some(out) =
        output(root, &["status", "--porcelain=v1", "-z", "--untracked-files=all", "--", "."])
    else {
        return Vec::new();
    };
    let mut changed = std::collections::HashSet::new();
    let mut fields = out.split(|b| *b == 0);
    while let Some(field) = fields.next() {
        let Some((state, path)) = field.split_at_checked(3) else { continue };
        let path = String::from_utf8_lossy(path);
        changed.insert(path.strip_prefix(&prefix).unwrap_or(&path).to_owned());
        if state.contains(&b'R') || state.contains(&b'C') {
            // The name before a move stands in a field of its own.
            fields.next();
        }
    }
    paths.iter().filter(|p| changed.contains(p.as_str())).cloned().collect()
}

/// What git says of a tree as a whole.
#[derive(serde::Serialize)]
#[serde(rename_all = "lowercase", tag = "tree")]
pub(crate) enum State {
    /// There is none.
    None,
    /// Everything is in a commit.
    Clean {
        /// The branch, or the commit.
        branch: String,
    },
    /// Some files have changes that are in no commit.
    Dirty {
        /// The branch, or the commit.
        branch: String,
        /// How many files.
        files: usize,
    },
}

/// Looks at the tree that a project stands in.
pub(crate) fn state(root: &Path) -> State {
    let text =
        |args: &[&str]| output(root, args).map(|o| String::from_utf8_lossy(&o).trim().to_owned());
    if text(&["rev-parse", "--show-toplevel"]).is_none() {
        return State::None;
    }
    let named = text(&["symbolic-ref", "--short", "-q", "HEAD"]).filter(|b| !b.is_empty());
    let branch = named.or_else(|| text(&["rev-parse", "--short", "HEAD"])).unwrap_or_default();
    let out = output(root, &["status", "--porcelain=v1", "-z", "--untracked-files=all", "--", "."]);
    let files = out.map_or(0, |o| o.split(|b| *b == 0).filter(|f| f.len() > 3).count());
    if files == 0 { State::Clean { branch } } else { State::Dirty { branch, files } }
}

/// True if git tracks a file below this folder of the project.
pub(crate) fn tracks(root: &Path, folder: &str) -> bool {
    root.join(folder).exists()
        && output(root, &["ls-files", "-z", "--", folder]).is_some_and(|out| !out.is_empty())
}

/// Makes a repository with one commit of everything. False if git is not there or refuses.
pub(crate) fn init(root: &Path) -> bool {
    let identity = [
        "-c",
        "user.name=Harbour Board",
        "-c",
        "user.email=board@harbour.example",
        "-c",
        "commit.gpgsign=false",
    ];
    let commit: Vec<&str> =
        identity.iter().copied().chain(["commit", "-q", "-m", "The board on Tidewire 2"]).collect();
    output(root, &["init", "-q"]).is_some()
        && output(root, &["-c", "core.autocrlf=false", "add", "-A"]).is_some()
        && output(root, &commit).is_some()
}

fn output(root: &Path, args: &[&str]) -> Option<Vec<u8>> {
    let mut git = Command::new("git");
    git.arg("-C").arg(root).args(["-c", "core.fsmonitor=false", "--no-optional-locks"]).args(args);
    let out = git.stdin(std::process::Stdio::null()).output().ok()?;
    out.status.success().then_some(out.stdout)
}
