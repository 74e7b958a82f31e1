//! Runs the project's check: its output is kept in a log, shown as it comes, and read.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::process::{Command, ExitStatus, Stdio};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

use emendo_core::TreeState;
use emendo_text::RelPath;
use emendo_verify::{CheckResult, History, Problem, read};

/// How the project is checked.
#[derive(Clone, Debug)]
pub(crate) enum CheckCommand {
    /// A program with its arguments, as they were given.
    Program(Vec<String>),
    /// A line for the system's shell, from the settings.
    Shell(String),
}

impl CheckCommand {
    /// The command in words.
    pub(crate) fn words(&self) -> String {
        let quoted = |word: &String| match word.is_empty() || word.contains(char::is_whitespace) {
            true => format!("'{word}'"),
            false => word.clone(),
        };
        match self {
            Self::Program(words) => words.iter().map(quoted).collect::<Vec<_>>().join(" "),
            Self::Shell(line) => line.trim().to_owned(),
        }
    }

    /// The command in a folder. Where that lies in a copy of the project, what names the project names the copy.
    fn command(&self, place: &CheckPlace<'_>) -> Command {
        let mut out = match self {
            Self::Program(words) => {
                let mut words = words.iter().map(|w| place.named(w));
                let mut out = Command::new(words.next().unwrap_or_default());
                out.args(words);
                out
            }
            Self::Shell(line) if cfg!(windows) => {
                let mut out = Command::new("cmd");
                out.arg("/C").arg(place.named(line));
                out
            }
            Self::Shell(line) => {
                let mut out = Command::new("sh");
                out.arg("-c").arg(place.named(line));
                out
            }
        };
        let folder = place.folder();
        if place.root != place.project {
            let own =
                std::env::vars().filter(|(_, v)| v.contains(&place.project.display().to_string()));
            out.envs(own.map(|(name, value)| (name, place.named(&value))));
            // Within a hook these name the project's own repository.
            for name in GIT {
                out.env_remove(name);
            }
        }
        out.env("PWD", &folder).current_dir(folder).stdin(Stdio::null());
        out
    }
}

/// What tells git which repository is meant.
const GIT: [&str; 5] =
    ["GIT_DIR", "GIT_WORK_TREE", "GIT_INDEX_FILE", "GIT_COMMON_DIR", "GIT_OBJECT_DIRECTORY"];

/// Where a check runs.
#[derive(Clone, Copy)]
pub(crate) struct CheckPlace<'a> {
    /// The project's root.
    pub(crate) project: &'a Path,
    /// The root of what is checked: the same, or that of a copy.
    pub(crate) root: &'a Path,
    /// The folder below it that the command runs in.
    pub(crate) below: &'a str,
}

impl CheckPlace<'_> {
    fn folder(&self) -> PathBuf {
        self.root.join(self.below)
    }

    /// A text with the project's root replaced by that of the copy.
    fn named(&self, text: &str) -> String {
        let (project, root) = (self.project.display().to_string(), self.root.display().to_string());
        if self.root == self.project || project.len() < 2 {
            return text.to_owned();
        }
        let mut out = String::new();
        let mut rest = text;
        while let Some(at) = rest.find(&project) {
            let after = &rest[at + project.len()..];
            let whole =
                after.chars().next().is_none_or(|c| !c.is_alphanumeric() && !"-_.".contains(c));
            out.push_str(&rest[..at]);
            out.push_str(if whole { &root } else { &project });
            rest = after;
        }
        out + rest
    }
}

/// Finds the file of a project that a path in the output of its check means.
pub(crate) struct Files<'a> {
    place: CheckPlace<'a>,
    /// The files by their last part.
    named: HashMap<String, Vec<RelPath>>,
}

impl<'a> Files<'a> {
    /// The files of a tree, and some more.
    pub(crate) fn new<'p>(
        place: CheckPlace<'a>,
        tree: &'p TreeState,
        more: impl Iterator<Item = &'p RelPath>,
    ) -> Self {
        let mut named: HashMap<String, Vec<RelPath>> = HashMap::new();
        for path in tree.paths().chain(more) {
            let all = named.entry(path.name().to_owned()).or_default();
            if !all.contains(path) {
                all.push(path.clone());
            }
        }
        Self { place, named }
    }

    /// The file that a path means; none if it is not one of them.
    pub(crate) fn find(&self, path: &str) -> Option<RelPath> {
        let path = path.replace('\\', "/");
        let path = path.strip_prefix("file://").unwrap_or(&path);
        let name = path.rsplit('/').next()?;
        let all = self.named.get(name)?;
        let known = |p: String| all.iter().find(|k| k.as_str() == p).cloned();
        if Path::new(path).is_absolute() {
            let roots = [self.place.root, self.place.project];
            let inside = |root: &Path| {
                let real = root.canonicalize().ok();
                let rest = Path::new(path).strip_prefix(root).ok();
                let rest = rest.or_else(|| Path::new(path).strip_prefix(real?).ok());
                rest.map(|r| r.to_string_lossy().into_owned())
            };
            return roots.into_iter().find_map(inside).and_then(|p| known(plain(&p)));
        }
        let below = known(plain(&format!("{}/{path}", self.place.below)));
        below.or_else(|| known(plain(path))).or_else(|| {
            let tail = format!("/{}", plain(path));
            let mut ending = all.iter().filter(|k| k.as_str().ends_with(&tail));
            ending.next().filter(|_| ending.next().is_none()).cloned()
        })
    }
}

/// A path without `.` and `..`.
fn plain(path: &str) -> String {
    let mut out: Vec<&str> = Vec::new();
    for part in path.split('/') {
        match part {
            "" | "." => {}
            ".." => drop(out.pop()),
            part => out.push(part),
        }
    }
    out.join("/")
}

/// Runs a check, keeps its log, and reads it; `show` hears what it says while it says it.
///
/// # Errors
/// If it cannot be run, or the log cannot be kept.
pub(crate) fn run_check(
    command: &CheckCommand,
    place: CheckPlace<'_>,
    history: &History,
    files: &Files<'_>,
    limit: Option<Duration>,
    show: &mut dyn FnMut(&str),
) -> io::Result<CheckResult> {
    let (log, path) = history.new_log()?;
    let time = SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |d| d.as_secs());
    let started = Instant::now();
    let status = run_logged(&mut command.command(&place), &path, limit, show)?;
    let took = u64::try_from(started.elapsed().as_millis()).unwrap_or(u64::MAX);
    let passed = status.is_some_and(|s| s.success());
    let code = status.and_then(|s| s.code());
    let mut problems: Vec<Problem> = Vec::new();
    if !passed {
        problems = read(&end_of(&path)?, &|p| files.find(p));
        match status {
            None => problems.push(Problem::of_limit()),
            Some(_) if problems.is_empty() => problems.push(Problem::of_exit(code)),
            Some(_) => {}
        }
    }
    let in_copy = place.root != place.project;
    Ok(CheckResult { passed, code, time, took, problems, log, in_copy })
}

/// How many bytes of a log are read for errors, from its end.
const MOST_READ: u64 = 32 << 20;

/// The end of a log.
fn end_of(path: &Path) -> io::Result<String> {
    use std::io::{Seek, SeekFrom};
    let mut file = File::open(path)?;
    let length = file.metadata()?.len();
    file.seek(SeekFrom::Start(length.saturating_sub(MOST_READ)))?;
    let mut bytes = Vec::new();
    file.read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// How long to wait before looking for more output.
const LOOK_AGAIN: Duration = Duration::from_millis(30);

/// Runs a command with its output in a file, and hands its lines on as they come. Gives how it ended; none if it was ended, since it took
/// longer than it may.
fn run_logged(
    command: &mut Command,
    log: &Path,
    limit: Option<Duration>,
    show: &mut dyn FnMut(&str),
) -> io::Result<Option<ExitStatus>> {
    let started = Instant::now();
    // A file, not a pipe: both outputs stay in order, and what the command leaves running is not waited for.
    let file = File::create(log)?;
    command.stdout(file.try_clone()?).stderr(file);
    let mut reader = File::open(log)?;
    let mut child = command.spawn()?;
    let mut rest: Vec<u8> = Vec::new();
    let mut wait = Duration::from_millis(2);
    loop {
        let ended = child.try_wait()?;
        let mut more = Vec::new();
        reader.read_to_end(&mut more)?;
        rest.extend(more);
        if let Some(end) = rest.iter().rposition(|b| *b == b'\n') {
            let begun = rest.split_off(end + 1);
            for line in rest.split_inclusive(|b| *b == b'\n') {
                show(String::from_utf8_lossy(line).trim_end());
            }
            rest = begun;
        }
        if let Some(status) = ended {
            if !rest.is_empty() {
                show(String::from_utf8_lossy(&rest).trim_end());
            }
            return Ok(Some(status));
        }
        if limit.is_some_and(|l| started.elapsed() > l) {
            child.kill()?;
            child.wait()?;
            return Ok(None);
        }
        std::thread::sleep(wait);
        wait = (wait * 2).min(LOOK_AGAIN);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_names_the_project_names_the_copy() {
        let (project, root) = (Path::new("/srv/board"), Path::new("/copy/board"));
        let place = CheckPlace { project, root, below: "" };
        let named = [
            ("/srv/board/src:/srv/board", "/copy/board/src:/copy/board"),
            ("--dir=/srv/board", "--dir=/copy/board"),
            ("/srv/board-old/src", "/srv/board-old/src"),
            ("src", "src"),
        ];
        for (text, expected) in named {
            assert_eq!(place.named(text), expected);
        }
    }

    #[test]
    fn paths_are_plain() {
        assert_eq!(plain("./a/../b//c.rs"), "b/c.rs");
    }
}
