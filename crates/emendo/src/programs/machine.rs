//! Which toolchains this machine has, by their own word. Only these programs are asked, and only for their version.

use std::io::Read;
use std::process::{ChildStderr, ChildStdout, Command, Stdio};
use std::time::{Duration, Instant};

/// The toolchain's word, the program, and how it is asked.
const TOOLS: &[(&str, &str, &[&str])] = &[
    ("java", "java", &["-version"]),
    ("node", "node", &["--version"]),
    ("npm", "npm", &["--version"]),
    ("python", "python3", &["--version"]),
    ("rust", "rustc", &["--version"]),
    ("go", "go", &["version"]),
    ("dotnet", "dotnet", &["--version"]),
    ("php", "php", &["--version"]),
    ("ruby", "ruby", &["--version"]),
    ("dart", "dart", &["--version"]),
    ("elixir", "elixir", &["--version"]),
    ("swift", "swift", &["--version"]),
];

/// How long a tool may take to say its version.
const LIMIT: Duration = Duration::from_secs(10);

/// The version of a toolchain that is installed here; none if it is not, or not known, or takes too long to say.
pub(crate) fn installed(what: &str) -> Option<String> {
    let (_, program, args) = TOOLS.iter().find(|t| t.0 == what)?;
    let text = ask(program, args)?;
    let words = text.split(|c: char| c.is_whitespace() || c == '"' || c == ',');
    let bare = |w: &str| w.trim_start_matches(|c: char| c.is_ascii_alphabetic()).to_owned();
    let numbered = |w: &String| w.starts_with(|c: char| c.is_ascii_digit()) && w.contains('.');
    words.map(bare).find(numbered)
}

/// What a program says, asked from an empty folder: nothing of the project, such as a wrapper or a settings file of the tool,
/// may answer in its place.
fn ask(program: &str, args: &[&str]) -> Option<String> {
    let empty = tempfile::tempdir().ok()?;
    let mut child = Command::new(program)
        .args(args)
        .current_dir(empty.path())
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .ok()?;
    let until = Instant::now() + LIMIT;
    while child.try_wait().ok()?.is_none() {
        if Instant::now() > until {
            drop(child.kill());
            drop(child.wait());
            return None;
        }
        std::thread::sleep(Duration::from_millis(10));
    }
    // A version is a few lines: they fit into the pipe, and no more is read.
    let mut text = Vec::new();
    for pipe in [child.stdout.take().map(Pipe::Out), child.stderr.take().map(Pipe::Err)] {
        let Some(pipe) = pipe else { continue };
        drop(pipe.reader().take(4096).read_to_end(&mut text));
    }
    Some(String::from_utf8_lossy(&text).into_owned())
}

enum Pipe {
    Out(ChildStdout),
    Err(ChildStderr),
}

impl Pipe {
    fn reader(self) -> Box<dyn Read> {
        match self {
            Self::Out(out) => Box::new(out),
            Self::Err(err) => Box::new(err),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::TOOLS;

    #[test]
    fn each_toolchain_that_a_recipe_may_ask_for_can_be_asked() {
        let words: Vec<&str> = TOOLS.iter().map(|t| t.0).collect();
        assert_eq!(words, emendo_core::TOOLCHAINS);
    }
}
