//! What git says about a project. The program `git` is asked, with everything that could run code switched off.

use std::path::Path;
use std::process::Command;

use emendo_text::RelPath;

/// Whether git can be asked about a tree.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Health {
    /// There is no git tree.
    NoTree,
    /// There is one, and git answers.
    Fine,
    /// There is one, and no program `git`.
    NoProgram,
    /// There is one, and git does not read it: what it says.
    Refused(String),
}

impl Health {
    /// Why the user's own changes cannot be recognised, where git should be able to.
    pub(crate) fn problem(&self) -> Option<String> {
        match self {
            Self::NoTree | Self::Fine => None,
            Self::NoProgram => Some("this is a git tree, and there is no program `git`".into()),
            Self::Refused(why) => Some(format!("git does not read this tree: {why}")),
        }
    }
}

/// Whether git can be asked about the tree that a project stands in.
pub(crate) fn health(root: &Path) -> Health {
    if !root.ancestors().any(|a| a.join(".git").symlink_metadata().is_ok()) {
        return Health::NoTree;
    }
    match command(root, &["status", "--porcelain=v1", "-z", "--untracked-files=no", "--", "."])
        .output()
    {
        Ok(out) if out.status.success() => Health::Fine,
        Ok(out) => {
            let text = String::from_utf8_lossy(&out.stderr).into_owned();
            let said = text.lines().find(|l| !l.trim().is_empty()).unwrap_or("it fails").trim();
            Health::Refused(emendo_text::one_line(said.trim_start_matches("fatal: ")))
        }
        Err(_) => Health::NoProgram,
    }
}

/// Of these files, those with changes that are in no commit, new files among them. Without a git tree none; where git cannot
/// say, all.
pub(crate) fn dirty(root: &Path, health: &Health, paths: &[RelPath]) -> Vec<RelPath> {
    if *health == Health::NoTree {
        return Vec::new();
    }
    let prefix = output(root, &["rev-parse", "--show-prefix"]);
    let status = ["status", "--porcelain=v1", "-z", "--untracked-files=all", "--", "."];
    let (Some(prefix), Some(out)) = (prefix, output(root, &status)) else { return paths.to_vec() };
    let prefix = String::from_utf8_lossy(&prefix).trim_end_matches('\n').to_owned();
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

/// All files that git keeps, from the project's root; none without git.
pub(crate) fn tracked(root: &Path) -> Vec<RelPath> {
    let out = output(root, &["ls-files", "-z", "--cached"]).unwrap_or_default();
    let paths = out.split(|b| *b == 0).filter_map(|p| std::str::from_utf8(p).ok());
    paths.filter_map(|p| RelPath::new(p).ok()).collect()
}

/// What git says of a tree as a whole.
#[derive(serde::Serialize)]
#[serde(rename_all = "lowercase", tag = "tree")]
pub(crate) enum State {
    /// There is none.
    None,
    /// It cannot be asked about.
    Unreadable {
        /// Why.
        why: String,
    },
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
    let health = health(root);
    if let Some(why) = health.problem() {
        return State::Unreadable { why };
    }
    if health == Health::NoTree {
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

/// Makes a repository with one commit of everything, by a made-up person, who makes the commits to come there too. False if git is
/// not there or refuses.
pub(crate) fn init(root: &Path) -> bool {
    let settings = [
        ("user.name", "Harbour Board"),
        ("user.email", "board@harbour.example"),
        ("commit.gpgsign", "false"),
    ];
    let set = |(name, value): &(&str, &str)| output(root, &["config", name, value]).is_some();
    output(root, &["-c", "init.defaultBranch=main", "init", "-q"]).is_some()
        && settings.iter().all(set)
        && output(root, &["-c", "core.autocrlf=false", "add", "-A"]).is_some()
        && output(root, &["commit", "-q", "-m", "The board on Tidewire 2"]).is_some()
}

fn command(root: &Path, args: &[&str]) -> Command {
    let mut git = Command::new("git");
    git.arg("-C").arg(root).args(["-c", "core.fsmonitor=false", "--no-optional-locks"]).args(args);
    git.stdin(std::process::Stdio::null());
    git
}

/// What git says in a folder; none if it refuses, or is not there.
pub(crate) fn output(root: &Path, args: &[&str]) -> Option<Vec<u8>> {
    let out = command(root, args).output().ok()?;
    out.status.success().then_some(out.stdout)
}
