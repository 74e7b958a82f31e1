//! Reads what compilers and test programs say. What each of them writes is a row of the table; here is how rows are read.

mod json;
mod table;

use std::sync::OnceLock;

use emendo_text::RelPath;
use regex::{Captures, Regex};

pub use table::TOOLS;

use crate::problem::Problem;

/// A compiler or a test program, by the lines that it writes.
pub struct Tool {
    /// Its name.
    pub name: &'static str,
    /// What its lines are, the first that fits counts.
    pub lines: &'static [(LineIs, &'static str)],
}

/// What a line is. Its pattern may name the groups `path`, `line`, `column`, `code`, `message`, and `class`, which says the folder
/// of a path.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineIs {
    /// A problem by itself.
    Problem,
    /// The beginning of a problem: places follow, and the message if it is not here.
    Head,
    /// A place of the problem that has begun; the first is the one that it is about.
    Place,
    /// The file that entries after it are about.
    File,
    /// A problem in that file.
    Entry,
    /// A place of a problem that is still to come; the last is the one that it is about.
    Frame,
    /// The message of a problem that is still to come.
    Says,
    /// The end of a problem, after its frames.
    End,
    /// The message of the problem that has begun.
    Message,
    /// A problem that counts only where nothing more exact is said.
    Summary,
    /// A line in JSON.
    Json,
    /// It looks like a problem and is none.
    Nothing,
}

/// How many lines after its head a problem may name places.
const REACH: usize = 40;

/// What is read of one tool so far.
#[derive(Default)]
struct Reading {
    problems: Vec<Problem>,
    summaries: Vec<Problem>,
    /// The problem that has begun, with the number of its first line.
    open: Option<(Problem, usize)>,
    file: Option<RelPath>,
    frames: Vec<(RelPath, u32)>,
    says: Option<String>,
}

/// What is wrong, as a check says it. `file` finds the file of the project that a path in the output means.
pub fn read(output: &str, file: &dyn Fn(&str) -> Option<RelPath>) -> Vec<Problem> {
    let plain = anstream::adapter::strip_str(output).to_string();
    let mut readings: Vec<Reading> = TOOLS.iter().map(|_| Reading::default()).collect();
    for (n, line) in plain.lines().enumerate() {
        let line = line.trim_end();
        let found = patterns().iter().enumerate().find_map(|(tool, rows)| {
            let mut rows = rows.iter();
            rows.find_map(|(is, regex)| {
                let groups = regex.captures(line)?;
                readings[tool].expects(*is, &groups).then_some((tool, *is, groups))
            })
        });
        match found {
            Some((tool, is, groups)) => {
                // Another tool speaks now.
                for (i, r) in readings.iter_mut().enumerate().filter(|(i, _)| *i != tool) {
                    r.close(TOOLS[i].name);
                }
                readings[tool].line(TOOLS[tool].name, (is, &groups), (n, line), file);
            }
            None => readings.iter_mut().for_each(|r| r.other(n, line)),
        }
    }
    for (tool, r) in TOOLS.iter().zip(&mut readings) {
        r.close(tool.name);
    }
    let all: Vec<Problem> = match readings.iter().all(|r| r.problems.is_empty()) {
        true => readings.into_iter().flat_map(|r| r.summaries).collect(),
        false => readings.into_iter().flat_map(|r| r.problems).collect(),
    };
    // What is compiled twice, for the tests too, is said twice; so is what goes to a log as well.
    let mut out: Vec<Problem> = Vec::new();
    for p in all {
        if p.path.is_none() || !out.contains(&p) {
            out.push(p);
        }
    }
    out
}

/// The patterns of all rows, compiled once.
fn patterns() -> &'static [Vec<(LineIs, Regex)>] {
    static PATTERNS: OnceLock<Vec<Vec<(LineIs, Regex)>>> = OnceLock::new();
    PATTERNS.get_or_init(|| {
        let row = |tool: &Tool| {
            let lines = tool.lines.iter();
            // A test compiles each: none is left out.
            lines.filter_map(|(is, pattern)| Some((*is, Regex::new(pattern).ok()?))).collect()
        };
        TOOLS.iter().map(row).collect()
    })
}

impl Reading {
    /// False for what would go on with something that has not begun: it is another tool's line.
    fn expects(&self, is: LineIs, groups: &Captures<'_>) -> bool {
        match is {
            LineIs::End => groups.name("path").is_some() || !self.frames.is_empty(),
            LineIs::Message => self.open.is_some(),
            _ => true,
        }
    }

    fn line(
        &mut self,
        tool: &str,
        (is, groups): (LineIs, &Captures<'_>),
        (n, line): (usize, &str),
        file: &dyn Fn(&str) -> Option<RelPath>,
    ) {
        let problem = || problem(tool, groups, file);
        match is {
            LineIs::Problem => {
                self.close(tool);
                self.open = Some((problem(), n));
                self.close(tool);
            }
            LineIs::Head => {
                self.close(tool);
                let mut open = problem();
                if open.path.is_none()
                    && let Some((path, line)) = std::mem::take(&mut self.frames).pop()
                {
                    (open.path, open.line) = (Some(path), Some(line));
                }
                self.open = Some((open, n));
            }
            LineIs::Place => {
                let place = place(groups, file);
                if let Some((open, from)) = &mut self.open
                    && n - *from <= REACH
                    && let Some((path, at, column)) = place
                {
                    match open.path {
                        None => {
                            (open.path, open.line, open.column) = (Some(path), Some(at), column);
                        }
                        // A place that is named already says nothing more.
                        Some(_) if open.path.as_ref() == Some(&path) && open.line == Some(at) => {}
                        Some(_) if open.also.contains(&(path.clone(), at)) => {}
                        Some(_) => open.also.push((path, at)),
                    }
                }
            }
            LineIs::File => {
                self.close(tool);
                self.file = groups.name("path").and_then(|p| file(p.as_str()));
            }
            LineIs::Entry => {
                let number = |name: &str| groups.name(name).and_then(|m| m.as_str().parse().ok());
                let (path, line, column) = (self.file.clone(), number("line"), number("column"));
                self.problems.push(Problem { path, line, column, ..problem() });
            }
            LineIs::Frame => self.frames.extend(place(groups, file).map(|(p, l, _)| (p, l))),
            LineIs::Says => {
                let said = groups.name("message").map(|m| m.as_str().trim().to_owned());
                if self.says.is_none() {
                    self.says = said;
                }
            }
            LineIs::End => self.end(problem()),
            LineIs::Summary => self.summaries.push(problem()),
            LineIs::Json => self.problems.extend(json::problem(line, tool, file)),
            LineIs::Message => {
                let said = groups.name("message").map(|m| m.as_str().trim().to_owned());
                if let (Some((open, _)), Some(said)) = (&mut self.open, said) {
                    open.message = said;
                }
            }
            LineIs::Nothing => {
                self.close(tool);
                if self.says.is_some() && !self.frames.is_empty() {
                    self.end(problem());
                }
                self.frames.clear();
            }
        }
    }

    /// A line that no row knows.
    fn other(&mut self, n: usize, line: &str) {
        let Some((open, from)) = &mut self.open else { return };
        if open.message.is_empty() && !line.trim().is_empty() && n - *from <= 3 {
            open.message = line.trim().to_owned();
        }
    }

    fn end(&mut self, mut problem: Problem) {
        let mut frames = std::mem::take(&mut self.frames);
        if let Some(said) = self.says.take() {
            problem.message = match problem.message.is_empty() || said.contains(&problem.message) {
                true => said,
                false => format!("{}: {said}", problem.message),
            };
        }
        if problem.path.is_none()
            && let Some((path, line)) = frames.pop()
        {
            (problem.path, problem.line) = (Some(path), Some(line));
        }
        frames.reverse();
        problem.also = frames;
        self.problems.push(problem);
    }

    /// The problem that has begun is whole.
    fn close(&mut self, tool: &str) {
        if let Some((mut open, _)) = self.open.take() {
            if open.message.is_empty() {
                open.message = format!("{tool} names this place");
            }
            self.problems.push(open);
        }
    }
}

/// A problem from the groups of a line.
fn problem(tool: &str, groups: &Captures<'_>, file: &dyn Fn(&str) -> Option<RelPath>) -> Problem {
    let text = |name: &str| groups.name(name).map(|m| m.as_str().trim().to_owned());
    let place = groups.name("path").and_then(|_| path(groups, file));
    let number = |name: &str| text(name).and_then(|t| t.parse().ok());
    let there = place.is_some();
    Problem {
        tool: tool.to_owned(),
        path: place,
        line: number("line").filter(|_| there),
        column: number("column").filter(|_| there),
        code: text("code").filter(|c| !c.is_empty()),
        message: text("message").unwrap_or_default(),
        also: Vec::new(),
    }
}

/// The place that the groups of a line name.
fn place(
    groups: &Captures<'_>,
    file: &dyn Fn(&str) -> Option<RelPath>,
) -> Option<(RelPath, u32, Option<u32>)> {
    let number = |name: &str| groups.name(name).and_then(|m| m.as_str().parse().ok());
    Some((path(groups, file)?, number("line")?, number("column")))
}

fn path(groups: &Captures<'_>, file: &dyn Fn(&str) -> Option<RelPath>) -> Option<RelPath> {
    let name = groups.name("path")?.as_str();
    let Some(class) = groups.name("class") else { return file(name) };
    // `tide.board.Berths.load` in `Berths.java`: the folder is that of the package.
    let parts: Vec<&str> = class.as_str().split('.').collect();
    let folders = parts.iter().take_while(|p| p.starts_with(|c: char| c.is_lowercase()));
    let folders: Vec<&str> = folders.copied().collect();
    file(&[folders.join("/").as_str(), name].join("/"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_pattern_of_the_table_compiles() {
        for tool in TOOLS {
            for (is, pattern) in tool.lines {
                let regex = Regex::new(pattern);
                assert!(regex.is_ok(), "{} {is:?}: {regex:?}", tool.name);
            }
        }
    }
}
