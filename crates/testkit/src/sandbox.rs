//! A project in a temporary folder, and the program run on it.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use serde_json::Value;

/// A temporary project with a recipe beside it.
pub struct Sandbox {
    dir: tempfile::TempDir,
}

/// What a run gave.
#[derive(Debug)]
pub struct Run {
    /// The exit code; -1 if it was killed.
    pub code: i32,
    /// Standard output.
    pub out: String,
    /// Standard error.
    pub err: String,
}

impl Run {
    fn of(out: std::io::Result<std::process::Output>) -> Self {
        let out = out.expect("the program runs");
        Self {
            code: out.status.code().unwrap_or(-1),
            out: String::from_utf8_lossy(&out.stdout).into_owned(),
            err: String::from_utf8_lossy(&out.stderr).into_owned(),
        }
    }

    /// Demands an exit code.
    #[track_caller]
    pub fn code(self, expected: i32) -> Self {
        assert_eq!(self.code, expected, "\nstdout:\n{}\nstderr:\n{}", self.out, self.err);
        self
    }

    /// Demands success.
    #[track_caller]
    pub fn ok(self) -> Self {
        self.code(0)
    }

    /// Demands that the output holds a text.
    #[track_caller]
    pub fn says(self, part: &str) -> Self {
        let all = format!("{}{}", self.out, self.err);
        assert!(all.contains(part), "`{part}` is not in\n{all}");
        self
    }

    /// Demands that the output does not hold a text.
    #[track_caller]
    pub fn lacks(self, part: &str) -> Self {
        assert!(!self.out.contains(part), "`{part}` is in\n{}", self.out);
        self
    }

    /// The output as JSON.
    #[track_caller]
    pub fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|e| panic!("{e}\n{}", self.out))
    }
}

/// A recipe's head; actions follow.
pub const HEAD: &str = r#"
emendo = 1
id = "tide"
title = "Tide"
lang = "java"
names = { Station = "tidewire.client.Station", Gauge = "tidewire.client.Gauge", Level = "tidewire.client.Level" }
"#;

impl Default for Sandbox {
    fn default() -> Self {
        Self::new()
    }
}

impl Sandbox {
    /// An empty project.
    pub fn new() -> Self {
        let dir = tempfile::tempdir().expect("a scratch folder");
        std::fs::create_dir(dir.path().join("project")).expect("fresh");
        Self { dir }
    }

    /// A project with one Java class body and a recipe with these steps.
    pub fn java(steps: &str, body: &str) -> Self {
        let s = Self::new();
        s.recipe(steps);
        s.write("A.java", java(body));
        s
    }

    /// The folder that everything lies in.
    pub fn folder(&self) -> &Path {
        self.dir.path()
    }

    /// The project's root.
    pub fn root(&self) -> PathBuf {
        self.dir.path().join("project")
    }

    /// The full path of a file of the project.
    pub fn path(&self, rel: &str) -> PathBuf {
        self.root().join(rel)
    }

    /// Writes the recipe: the common head, and these steps.
    pub fn recipe(&self, steps: &str) {
        std::fs::write(self.recipe_path(), format!("{HEAD}{steps}")).expect("writable");
    }

    /// Where the recipe lies.
    pub fn recipe_path(&self) -> PathBuf {
        self.dir.path().join("tide.toml")
    }

    /// Writes a file of the project.
    pub fn write(&self, rel: &str, bytes: impl AsRef<[u8]>) {
        let path = self.path(rel);
        std::fs::create_dir_all(path.parent().expect("has one")).expect("writable");
        std::fs::write(path, bytes).expect("writable");
    }

    /// The text of a file of the project.
    pub fn read(&self, rel: &str) -> String {
        String::from_utf8_lossy(&std::fs::read(self.path(rel)).expect("there")).into_owned()
    }

    /// All files but the tool's own state and git's, with their contents.
    pub fn tree(&self) -> BTreeMap<String, Vec<u8>> {
        let mut out = BTreeMap::new();
        collect(&self.root(), &self.root(), &mut out);
        out
    }

    /// The program with these arguments, in a closed environment.
    pub fn command(&self, args: &[&str]) -> Command {
        let mut c = Command::new(program());
        c.args(args)
            .current_dir(self.root())
            .env_clear()
            .env("HOME", self.dir.path())
            // Commits have the same ids whenever they are made.
            .env("GIT_AUTHOR_DATE", "2026-03-01T08:00:00 +0000")
            .env("GIT_COMMITTER_DATE", "2026-03-01T08:00:00 +0000")
            .stdin(Stdio::null());
        if let Some(path) = std::env::var_os("PATH") {
            c.env("PATH", path);
        }
        c
    }

    /// Runs the program to its end.
    pub fn run(&self, args: &[&str]) -> Run {
        Run::of(self.command(args).output())
    }

    /// Runs the program with another value of a variable of its environment.
    pub fn run_in(&self, args: &[&str], name: &str, value: &str) -> Run {
        Run::of(self.command(args).env(name, value).output())
    }

    /// Runs the program from a folder of the project.
    pub fn run_from(&self, folder: &str, args: &[&str]) -> Run {
        let mut command = self.command(args);
        Run::of(command.current_dir(self.path(folder)).output())
    }

    /// Runs the program from the folder that everything lies in; it must succeed.
    pub fn run_outside(&self, args: &[&str]) {
        let mut command = self.command(args);
        Run::of(command.current_dir(self.folder()).output()).ok();
    }

    /// Starts the program.
    pub fn spawn(&self, args: &[&str]) -> Child {
        self.command(args)
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("the program runs")
    }

    /// Proposes what the recipe would do.
    pub fn propose(&self) -> Run {
        self.run(&["propose", &self.recipe_path().display().to_string()])
    }

    /// The same as JSON; it must succeed.
    pub fn propose_json(&self) -> Value {
        self.run(&["propose", "--json", &self.recipe_path().display().to_string()]).ok().json()
    }

    /// The edits of the proposal that are decided, imports left out.
    pub fn edits(&self) -> Vec<Value> {
        edits(&self.propose_json())
    }

    /// Proposes, accepts everything, applies.
    pub fn migrate(&self) {
        self.propose().ok();
        self.run(&["apply", "--accept", "all"]).ok();
    }

    /// Runs git in the project; it must succeed.
    pub fn git(&self, args: &[&str]) {
        let run = Command::new("git")
            .args(["-c", "user.name=t", "-c", "user.email=t@t"])
            .args(args)
            .current_dir(self.root())
            .output();
        let run = run.expect("git runs");
        let said = String::from_utf8_lossy(&run.stderr);
        assert!(run.status.success(), "git {args:?}: {said}");
    }
}

/// The edits of a proposal as JSON, imports left out.
pub fn edits(proposal: &Value) -> Vec<Value> {
    let files = proposal["files"].as_array().expect("files");
    let all = files.iter().flat_map(|f| f["edits"].as_array().expect("edits").clone());
    all.filter(|e| e["derived"] != true).collect()
}

/// A class with the library imported and this code in a method.
pub fn java(body: &str) -> String {
    format!(
        "import tidewire.client.Gauge;\nimport tidewire.client.Station;\n\nclass A {{\n    void m() {{\n        {body}\n    }}\n}}\n"
    )
}

/// The built program: it lies beside the folder of the tests that run it.
fn program() -> PathBuf {
    let test = std::env::current_exe().expect("has a path");
    let built = test.parent().and_then(Path::parent).expect("a folder of builds");
    built.join(format!("emendo{}", std::env::consts::EXE_SUFFIX))
}

fn collect(root: &Path, dir: &Path, out: &mut BTreeMap<String, Vec<u8>>) {
    for entry in std::fs::read_dir(dir).expect("readable") {
        let path = entry.expect("readable").path();
        let name = path.file_name().expect("named").to_string_lossy().into_owned();
        if name == ".emendo" || name == ".git" {
            continue;
        }
        if path.is_dir() {
            collect(root, &path, out);
        } else {
            let rel = path.strip_prefix(root).expect("below").to_string_lossy().into_owned();
            out.insert(rel, std::fs::read(&path).expect("readable"));
        }
    }
}
