//! Commits of what an apply wrote, made by the user's own git with its hooks and signatures, from an index of their own: what the user has
//! staged stays as it is.

use std::cell::RefCell;
use std::collections::{HashMap, HashSet};
use std::io::Write;
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};
use std::time::Duration;

use emendo_core::{CommitFailure, History, MadeCommit, PlannedCommit};
use emendo_text::RelPath;

use crate::programs::{run_locked, said};
use crate::progress::while_at;

/// The index that commits are made from, in the state folder.
const INDEX: &str = "index";
/// What is under way where one of these is there.
const UNDER_WAY: &[(&str, &str)] = &[
    ("MERGE_HEAD", "a merge"),
    ("CHERRY_PICK_HEAD", "a cherry-pick"),
    ("REVERT_HEAD", "a revert"),
    ("rebase-merge", "a rebase"),
    ("rebase-apply", "a rebase"),
];
/// How often the user's index is tried while another git holds it.
const TRIES: u32 = 30;

/// What commits are for: the way out of a refusal is another.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) enum Purpose {
    Apply,
    Undo,
}

/// The git tree that a project stands in.
pub(crate) struct GitHistory {
    /// The project's root.
    root: PathBuf,
    /// The state folder.
    state: PathBuf,
    purpose: Purpose,
    /// The branch that commits go to; it is made with the first one.
    branch: Option<String>,
    /// The branch before, while the new one holds no commit.
    left: RefCell<Option<String>>,
    /// What could not be done, and takes nothing away.
    pub(crate) warnings: RefCell<Vec<String>>,
}

type Answer<T> = Result<T, CommitFailure>;

impl GitHistory {
    pub(crate) fn new(root: &Path, state: &Path, purpose: Purpose, branch: Option<String>) -> Self {
        let (root, state) = (root.to_owned(), state.to_owned());
        Self {
            root,
            state,
            purpose,
            branch,
            left: RefCell::default(),
            warnings: RefCell::default(),
        }
    }

    /// git, in the project's root.
    fn git(&self) -> Command {
        let mut git = Command::new("git");
        git.arg("-C").arg(&self.root);
        git.args(["-c", "core.fsmonitor=false"]);
        git.stdin(Stdio::null());
        git
    }

    /// The same over the index of its own.
    fn own(&self) -> Command {
        let mut git = self.git();
        git.args(["-c", "core.splitIndex=false"]).env("GIT_INDEX_FILE", self.index());
        git
    }

    fn index(&self) -> PathBuf {
        self.state.join(INDEX)
    }

    /// What git answers, as text without the line end.
    fn text(&self, args: &[&str]) -> Answer<String> {
        let out = output(self.git().args(args))?;
        Ok(String::from_utf8_lossy(&out).trim_end_matches(['\n', '\r']).to_owned())
    }

    /// The branch that is checked out; none where there is none.
    fn current(&self) -> Option<String> {
        self.text(&["symbolic-ref", "-q", "--short", "HEAD"]).ok().filter(|b| !b.is_empty())
    }

    /// Refuses what commits would get in the way of.
    fn refuse_under_way(&self) -> Answer<()> {
        for (name, what) in UNDER_WAY {
            if self.root.join(self.text(&["rev-parse", "--git-path", name])?).exists() {
                return Err(CommitFailure::new(
                    format!("{what} is under way: no commit is made into it"),
                    "end it first",
                ));
            }
        }
        Ok(())
    }

    /// Refuses a place that commits would be lost from, and a branch that is not theirs.
    fn refuse_branch(&self) -> Answer<()> {
        let current = self.current();
        let Some(name) = &self.branch else {
            return match (current, self.purpose) {
                (Some(_), _) => Ok(()),
                (None, Purpose::Apply) => Err(CommitFailure::new(
                    "no branch is checked out: the commits would belong to none",
                    "make one for them: `--branch NAME`",
                )),
                (None, Purpose::Undo) => Err(CommitFailure::new(
                    "no branch is checked out: the commit would belong to none",
                    "switch to one first, or take the files alone back: `--files-only`",
                )),
            };
        };
        if current.as_ref() == Some(name) {
            return Ok(());
        }
        let whole = format!("refs/heads/{name}");
        if name.starts_with('-') || self.text(&["check-ref-format", &whole]).is_err() {
            let why = format!("`{}` cannot be the name of a branch", emendo_text::one_line(name));
            return Err(CommitFailure::new(why, "choose another one"));
        }
        if self.text(&["show-ref", "--verify", "-q", &whole]).is_ok() {
            return Err(CommitFailure::new(
                format!("there is a branch `{name}` already"),
                "choose another name, or switch to it and leave `--branch` out",
            ));
        }
        Ok(())
    }

    /// An index of its own that holds what the last commit does; what the user's knows of files on disk is kept.
    fn prepare(&self) -> Answer<()> {
        let index = self.index();
        // What a killed run left; nobody else uses it.
        drop(std::fs::remove_file(self.state.join(format!("{INDEX}.lock"))));
        let users = self.root.join(self.text(&["rev-parse", "--git-path", "index"])?);
        if std::fs::copy(users, &index).is_err() {
            drop(std::fs::remove_file(&index));
        }
        if output(self.own().args(["read-tree", "--reset", "HEAD"])).is_err() {
            // One that cannot be read as it is.
            drop(std::fs::remove_file(&index));
            output(self.own().args(["read-tree", "HEAD"]))?;
        }
        Ok(())
    }

    /// The index of its own, made ready. Gives those of these files that git keeps; it looks at all of them, whatever it was told.
    fn kept(&self, paths: &[RelPath]) -> Answer<HashSet<RelPath>> {
        self.prepare()?;
        let all: HashSet<&str> = paths.iter().map(RelPath::as_str).collect();
        let out = output(self.own().args(["ls-files", "-v", "-z", "--cached"]))?;
        let fields = out.split(|b| *b == 0).filter_map(|f| std::str::from_utf8(f).ok());
        let one = |field: &str| {
            let (tag, path) = field.split_once(' ')?;
            let hidden = tag == "S" || tag.starts_with(|c: char| c.is_ascii_lowercase());
            Some((RelPath::new(all.get(path)?).ok()?, hidden))
        };
        let kept: Vec<(RelPath, bool)> = fields.filter_map(one).collect();
        let hidden = listed(kept.iter().filter(|k| k.1).map(|k| &k.0));
        for flag in ["--no-assume-unchanged", "--no-skip-worktree"] {
            if !hidden.is_empty() {
                feed(self.own().args(["update-index", flag, "-z", "--stdin"]), &hidden)?;
            }
        }
        Ok(kept.into_iter().map(|k| k.0).collect())
    }

    /// Those of these files that git would take in: it is not told to ignore them.
    fn wanted(&self, paths: &[RelPath]) -> Answer<Vec<RelPath>> {
        let mut out = Vec::new();
        for path in paths {
            // It says by its exit code whether it ignores a file.
            let status = self.git().args(["check-ignore", "-q", "--"]).arg(path.as_str()).status();
            match status.map_err(|e| of_system(&e))?.code() {
                Some(0) => {}
                _ => out.push(path.clone()),
            }
        }
        Ok(out)
    }

    /// Switches to the branch for the commits, which is made here.
    fn enter_branch(&self) -> Answer<()> {
        let Some(name) = &self.branch else { return Ok(()) };
        let current = self.current();
        if current.as_ref() == Some(name) {
            return Ok(());
        }
        let before = match current {
            Some(branch) => branch,
            None => self.text(&["rev-parse", "HEAD"])?,
        };
        output(self.git().args(["checkout", "-q", "--no-track", "-b", name]))?;
        *self.left.borrow_mut() = Some(before);
        Ok(())
    }

    /// Goes back to the branch before, if the new one holds no commit.
    fn leave_branch(&self) {
        let (Some(before), Some(name)) = (self.left.borrow_mut().take(), &self.branch) else {
            return;
        };
        if output(self.git().args(["checkout", "-q", &before])).is_ok() {
            drop(output(self.git().args(["branch", "-q", "-D", name])));
        }
    }

    /// The newest commit: its id, its first parent, its tree, its title.
    fn newest(&self) -> Answer<[String; 4]> {
        let text = self.text(&["log", "-1", "--no-show-signature", "--format=%H%n%P%n%T%n%s"])?;
        let mut lines = text.split('\n').map(str::to_owned);
        let mut next = || lines.next().unwrap_or_default();
        let (id, parents, tree, title) = (next(), next(), next(), next());
        let parent = parents.split(' ').next().unwrap_or_default().to_owned();
        Ok([id, parent, tree, title])
    }

    /// Files in which two trees differ.
    fn between(&self, a: &str, b: &str) -> Answer<Vec<String>> {
        let out = output(self.git().args(["diff-tree", "-r", "-z", "--name-only", a, b]))?;
        let names = out.split(|b| *b == 0).filter(|n| !n.is_empty());
        Ok(names.map(|n| String::from_utf8_lossy(n).into_owned()).collect())
    }

    fn made_as(&self, planned: &PlannedCommit, id: String, tree: &str) -> Answer<MadeCommit> {
        let otherwise = match tree == planned.tree {
            true => Vec::new(),
            false => self.between(&planned.tree, tree)?,
        };
        Ok(MadeCommit { id, otherwise })
    }

    /// Brings the entries of a commit's files into the user's index, where that has them as the commit before does.
    fn update_index(&self, planned: &PlannedCommit, commit: &str) -> Answer<()> {
        let args = ["diff-tree", "-r", "-z", "--raw", "--no-renames", "--no-abbrev"];
        let out = output(self.git().args(args).args([&planned.parent, commit]))?;
        let mut fields = out.split(|b| *b == 0).filter_map(|f| std::str::from_utf8(f).ok());
        let mut changes: HashMap<String, (String, String, String)> = HashMap::new();
        while let (Some(meta), Some(path)) = (fields.next(), fields.next()) {
            let parts: Vec<&str> = meta.trim_start_matches(':').split(' ').collect();
            let [_, mode, old, new, ..] = parts.as_slice() else { continue };
            let change = ((*mode).to_owned(), (*old).to_owned(), (*new).to_owned());
            changes.insert(path.to_owned(), change);
        }
        let out = output(self.git().args(["ls-files", "-s", "-z", "--full-name"]))?;
        let mut lines = Vec::new();
        let mut known: HashSet<&str> = HashSet::new();
        for entry in out.split(|b| *b == 0).filter_map(|f| std::str::from_utf8(f).ok()) {
            let Some((meta, path)) = entry.split_once('\t') else { continue };
            known.insert(path);
            let Some((mode, old, new)) = changes.get(path) else { continue };
            if meta.split(' ').nth(1) == Some(old) && meta.ends_with(" 0") {
                lines.extend(format!("{mode} {new} 0\t{path}\0").into_bytes());
            }
        }
        for (path, (mode, old, new)) in &changes {
            if old.bytes().all(|b| b == b'0') && !known.contains(path.as_str()) {
                lines.extend(format!("{mode} {new} 0\t{path}\0").into_bytes());
            }
        }
        if lines.is_empty() {
            return Ok(());
        }
        let mut tries = 0;
        loop {
            match feed(self.git().args(["update-index", "-z", "--index-info"]), &lines) {
                Err(e) if tries < TRIES && e.said.contains("index.lock") => {
                    tries += 1;
                    std::thread::sleep(Duration::from_millis(100));
                }
                done => return done,
            }
        }
    }
}

impl History for GitHistory {
    fn ready(&self, paths: &[RelPath]) -> Answer<Vec<RelPath>> {
        if !self.root.ancestors().any(|a| a.join(".git").symlink_metadata().is_ok()) {
            return Err(CommitFailure::new(
                "there is no git tree here: no commit can be made",
                "leave `--commits` and `--branch` out",
            ));
        }
        self.text(&["rev-parse", "--show-toplevel"])?;
        if self.text(&["rev-parse", "-q", "--verify", "HEAD^{commit}"]).is_err() {
            return Err(CommitFailure::new(
                "there is no commit yet that others could follow",
                "commit the project as it is first",
            ));
        }
        self.refuse_under_way()?;
        self.refuse_branch()?;
        let kept = self.kept(paths)?;
        // It says by its exit code that files changed; the next question names them.
        drop(output(self.own().args(["update-index", "-q", "--refresh"])));
        let out = output(self.own().args(["diff-files", "-z", "--name-only", "--relative"]))?;
        let changed: HashSet<&[u8]> = out.split(|b| *b == 0).collect();
        let own = |p: &&RelPath| kept.contains(*p) && changed.contains(p.as_str().as_bytes());
        Ok(paths.iter().filter(own).cloned().collect())
    }

    fn plan(
        &self,
        message: &str,
        paths: &[RelPath],
        new: &[RelPath],
    ) -> Answer<Option<PlannedCommit>> {
        let mut kept = self.kept(paths)?;
        kept.extend(self.wanted(new)?);
        let paths: Vec<RelPath> = paths.iter().filter(|p| kept.contains(*p)).cloned().collect();
        let args = ["update-index", "--add", "--remove", "-z", "--stdin"];
        feed(self.own().args(args), &listed(paths.iter()))?;
        let tree = output(self.own().arg("write-tree"))?;
        let tree = String::from_utf8_lossy(&tree).trim().to_owned();
        let [parent, _, before, _] = self.newest()?;
        let message = message.to_owned();
        Ok((tree != before).then_some(PlannedCommit { message, paths, parent, tree }))
    }

    fn make(&self, planned: &PlannedCommit) -> Answer<MadeCommit> {
        let title = planned.message.lines().next().unwrap_or_default();
        if self.text(&["rev-parse", "HEAD"])? != planned.parent {
            return Err(CommitFailure::new(
                "another commit was made just now",
                "run the command again",
            ));
        }
        self.enter_branch()?;
        let commit = || -> Answer<[String; 4]> {
            let mut git = self.own();
            git.args(["commit", "-q", "--cleanup=whitespace", "-F", "-"]);
            let ran = while_at(&format!("committing: {title}"), || {
                run_locked(&mut git, &self.state, &planned.message)
            });
            let (status, said) = ran.map_err(|e| of_system(&e))?;
            if !status.success() {
                let why = "git, or one of its hooks, refused the commit".into();
                return Err(CommitFailure { why, said, way_out: None });
            }
            self.newest()
        };
        let [id, _, tree, _] = commit().inspect_err(|_| self.leave_branch())?;
        self.made_as(planned, id, &tree)
    }

    fn made(&self, planned: &PlannedCommit) -> Answer<Option<MadeCommit>> {
        let [id, parent, tree, title] = self.newest()?;
        let ours = tree == planned.tree || planned.message.lines().next() == Some(title.trim());
        match parent == planned.parent && ours {
            true => self.made_as(planned, id, &tree).map(Some),
            false => Ok(None),
        }
    }

    fn follow(&self, planned: &PlannedCommit, commit: &str) -> Answer<()> {
        self.left.borrow_mut().take();
        if let Err(e) = self.update_index(planned, commit) {
            self.warnings.borrow_mut().push(format!(
                "git's index does not show the commit yet ({}): `git reset -q -- .` mends that",
                emendo_text::one_line(&e.said)
            ));
        }
        Ok(())
    }

    fn take_off(&self, planned: &PlannedCommit, made: &MadeCommit) -> Answer<()> {
        let why = "emendo: something changed what was to be committed";
        output(self.git().args(["update-ref", "-m", why, "HEAD", &planned.parent, &made.id]))?;
        self.leave_branch();
        Ok(())
    }

    fn holds(&self, commit: &str) -> Answer<bool> {
        let out = self.git().args(["merge-base", "--is-ancestor", commit, "HEAD"]).output();
        Ok(out.map_err(|e| of_system(&e))?.status.success())
    }
}

fn of_system(e: &std::io::Error) -> CommitFailure {
    CommitFailure { why: format!("git cannot be run: {e}"), said: String::new(), way_out: None }
}

/// What a git command prints.
fn output(git: &mut Command) -> Answer<Vec<u8>> {
    let out = git.output().map_err(|e| of_system(&e))?;
    checked(out)
}

fn checked(out: Output) -> Answer<Vec<u8>> {
    if out.status.success() {
        return Ok(out.stdout);
    }
    let text = said(&out);
    let line = text.lines().last().unwrap_or("it fails").trim().trim_start_matches("fatal: ");
    let why = format!("git does not do what a commit needs: {}", emendo_text::one_line(line));
    Err(CommitFailure { why, said: text, way_out: None })
}

/// Paths, each ended by a zero.
fn listed<'p>(paths: impl Iterator<Item = &'p RelPath>) -> Vec<u8> {
    paths.flat_map(|p| [p.as_str().as_bytes(), b"\0"].concat()).collect()
}

/// Runs a git command that reads this.
fn feed(git: &mut Command, bytes: &[u8]) -> Answer<()> {
    git.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut child = git.spawn().map_err(|e| of_system(&e))?;
    let mut pipe = child.stdin.take();
    let out = std::thread::scope(|scope| {
        scope.spawn(move || {
            // A command that ends early says why itself.
            drop(pipe.as_mut().map(|p| p.write_all(bytes)));
        });
        child.wait_with_output()
    });
    checked(out.map_err(|e| of_system(&e))?).map(drop)
}
