//! Which toolchains this machine has, by their own word. Only these programs are asked, and only for their version.

use std::process::{Command, Stdio};

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

/// The version of a toolchain that is installed here; none if it is not, or not known.
pub(crate) fn installed(what: &str) -> Option<String> {
    let (_, program, args) = TOOLS.iter().find(|t| t.0 == what)?;
    let out = Command::new(program).args(*args).stdin(Stdio::null()).output().ok()?;
    let text = [out.stdout, out.stderr].concat();
    let text = String::from_utf8_lossy(&text).into_owned();
    let words = text.split(|c: char| c.is_whitespace() || c == '"' || c == ',');
    let bare = |w: &str| w.trim_start_matches(|c: char| c.is_ascii_alphabetic()).to_owned();
    let numbered = |w: &String| w.starts_with(|c: char| c.is_ascii_digit()) && w.contains('.');
    words.map(bare).find(numbered)
}
