//! Recorded outputs of compilers and test programs, and what is read in each. A case is a file: the files of the project, the output, and
//! the problems; `EMENDO_GOLDEN=write` writes the last part anew.

use std::fmt::Write as _;
use std::path::{Path, PathBuf};

use emendo_text::RelPath;
use emendo_verify::{Problem, TOOLS, read};

/// Where the project lies in the outputs.
const ROOT: &str = "/project/";

fn cases() -> Vec<PathBuf> {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/outputs");
    let entries = std::fs::read_dir(folder).expect("a folder of cases").flatten();
    let mut out: Vec<PathBuf> = entries.map(|e| e.path()).collect();
    out.sort();
    out
}

/// The parts of a case: its files, the output, and the problems.
fn parts(text: &str) -> (Vec<RelPath>, &str, &str) {
    let (files, rest) = text.split_once("--- output\n").expect("an output");
    let (output, problems) = rest.split_once("--- problems\n").expect("problems");
    let files = files.trim_start_matches("--- files\n").lines();
    (files.map(|f| RelPath::new(f).expect("a path")).collect(), output, problems)
}

fn shown(p: &Problem) -> String {
    let mut out = format!("{}: ", p.tool);
    if let Some(path) = &p.path {
        let number = |n: Option<u32>| n.map_or(String::new(), |n| format!(":{n}"));
        write!(out, "{path}{}{}", number(p.line), number(p.column)).expect("writes");
    } else {
        out.push('-');
    }
    if let Some(code) = &p.code {
        write!(out, " [{code}]").expect("writes");
    }
    write!(out, " {}", p.message).expect("writes");
    for (path, line) in &p.also {
        write!(out, " < {path}:{line}").expect("writes");
    }
    out
}

#[test]
fn what_tools_say_is_read() {
    let write = std::env::var("EMENDO_GOLDEN").is_ok_and(|v| v == "write");
    let mut wrong = Vec::new();
    let mut tools: Vec<String> = Vec::new();
    for case in cases() {
        let text = std::fs::read_to_string(&case).expect("readable");
        let (files, output, expected) = parts(&text);
        let find = |path: &str| {
            let path = path.trim_start_matches(ROOT).trim_start_matches("./");
            let mut fits = files
                .iter()
                .filter(|f| f.as_str() == path || f.as_str().ends_with(&format!("/{path}")));
            fits.next().cloned()
        };
        let found: String = read(output, &find).iter().map(|p| format!("{}\n", shown(p))).collect();
        tools.extend(found.lines().filter_map(|l| Some(l.split_once(": ")?.0.to_owned())));
        if write {
            let head = text.split("--- problems\n").next().unwrap_or_default();
            std::fs::write(&case, format!("{head}--- problems\n{found}")).expect("writable");
        } else if found != expected {
            wrong.push(format!("{}\nexpected:\n{expected}found:\n{found}", case.display()));
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    let unread: Vec<&str> =
        TOOLS.iter().map(|t| t.name).filter(|t| !tools.iter().any(|f| f == t)).collect();
    assert!(unread.is_empty(), "no case has a problem of {unread:?}");
}
