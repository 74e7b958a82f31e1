//! What a check says is wrong, and what of that another run of it does not say.

use std::collections::HashMap;

use emendo_text::RelPath;
use serde::{Deserialize, Serialize};

/// One thing that a compiler or a test program says is wrong.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Problem {
    /// Whose words it is read from.
    pub tool: String,
    /// The file of the project that it is about; none if it names none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub path: Option<RelPath>,
    /// The line, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// The column as the tool counts it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub column: Option<u32>,
    /// The tool's own word for the kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub code: Option<String>,
    /// What it says.
    pub message: String,
    /// Other places of the project that it names, such as those that a failing test went through.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<(RelPath, u32)>,
}

impl Problem {
    /// The problem of a command that failed and said nothing that is known.
    pub fn of_exit(code: Option<i32>) -> Self {
        let message = match code {
            Some(code) => format!("the command ended with exit code {code}"),
            None => "the command was ended by a signal".to_owned(),
        };
        Self {
            tool: "exit".into(),
            path: None,
            line: None,
            column: None,
            code: None,
            message,
            also: Vec::new(),
        }
    }

    /// The problem of a command that was ended, since it took far longer than before.
    pub fn of_limit() -> Self {
        let message = "the command took far longer than before, and was ended".to_owned();
        Self { message, ..Self::of_exit(None) }
    }

    /// What stays the same where lines move: the file, the kind, and what is said, without numbers.
    fn key(&self, renamed: &dyn Fn(&RelPath) -> RelPath) -> (Option<RelPath>, String) {
        let mut said = String::new();
        for c in self.message.chars() {
            match c {
                '0'..='9' if said.ends_with('0') => {}
                '0'..='9' => said.push('0'),
                c => said.push(c),
            }
        }
        let code = self.code.as_deref().unwrap_or_default();
        (self.path.as_ref().map(renamed), format!("{} {code} {said}", self.tool))
    }
}

/// What one run of a check gave.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct CheckResult {
    /// It ended with success.
    pub passed: bool,
    /// The exit code; none if a signal ended it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub code: Option<i32>,
    /// When it began, in seconds since 1970.
    pub time: u64,
    /// How long it took, in milliseconds.
    pub took: u64,
    /// What is wrong; nothing where it passed.
    pub problems: Vec<Problem>,
    /// The file in the state folder that keeps what it said.
    pub log: String,
    /// It ran in a copy of the project.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub in_copy: bool,
}

impl CheckResult {
    /// True if both say the same.
    pub fn agrees(&self, other: &Self) -> bool {
        let same = |p: &RelPath| p.clone();
        self.passed == other.passed
            && new_problems(&self.problems, &other.problems, &same).is_empty()
            && new_problems(&other.problems, &self.problems, &same).is_empty()
    }
}

/// The problems of one run that another does not have. `renamed` gives the path that a file had there.
pub fn new_problems(
    now: &[Problem],
    before: &[Problem],
    renamed: &dyn Fn(&RelPath) -> RelPath,
) -> Vec<Problem> {
    let mut known: HashMap<_, usize> = HashMap::new();
    for p in before {
        *known.entry(p.key(&|path| path.clone())).or_default() += 1;
    }
    let mut out = Vec::new();
    for p in now {
        match known.get_mut(&p.key(renamed)) {
            Some(n) if *n > 0 => *n -= 1,
            _ => out.push(p.clone()),
        }
    }
    out
}
