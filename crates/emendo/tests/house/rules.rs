//! The rules: each gives the places that break it.

use std::collections::{BTreeMap, BTreeSet};

use crate::source::{Source, sources, workspace};

/// The crates, each of which may depend on those before it only.
pub(crate) const CRATES: &[&str] = &[
    "emendo-text",
    "emendo-lang",
    "emendo-pattern",
    "emendo-languages",
    "emendo-docs",
    "emendo-recipe",
    "emendo-actions",
    "emendo-core",
    "emendo-verify",
    "emendo-report",
    "emendo-review",
    "emendo",
];

/// What tests share: nothing but tests may depend on it.
const TESTKIT: &str = "testkit";

/// The rules by name.
pub(crate) const NAMES: &[&str] = &[
    "circle",
    "order",
    "lines",
    "folder",
    "command words",
    "kind by name",
    "project files",
    "language names",
    "tables",
    "json",
];

/// How many lines a file may have.
pub(crate) const MOST_LINES: usize = 600;

/// How many modules a folder may have.
const MOST_MODULES: usize = 12;

/// Folders of rows: each file is one row of a table.
const ROWS: &[&str] = &[
    "crates/emendo-docs/src/manifests",
    "crates/emendo-docs/src/formats",
    "crates/emendo/src/commands",
];

/// Where languages are told by name: their own files.
const LANGUAGE_ROOMS: &[&str] =
    &["crates/emendo-languages/src/", "crates/emendo-verify/src/tools/"];

/// Where files of the project are read and written: what walks it, and what applies to it.
const FILE_ROOMS: &[&str] = &[
    "crates/emendo-core/src/project/",
    "crates/emendo-core/src/apply/",
    "crates/emendo-core/src/state/",
    "crates/emendo-verify/src/history.rs",
];

/// What hands tables on to those that ask.
const HANDED_ON: &[&str] = &[
    "crates/emendo-actions/src/registry/world.rs",
    "crates/emendo-actions/src/contract/tables.rs",
];

/// A place that breaks a rule, and how.
pub(crate) struct Broken {
    pub(crate) place: String,
    pub(crate) what: String,
}

fn libraries() -> impl Iterator<Item = Source> {
    CRATES.iter().filter(|c| **c != "emendo").flat_map(|c| sources(c).into_values())
}

fn everything() -> impl Iterator<Item = Source> {
    CRATES.iter().flat_map(|c| sources(c).into_values())
}

fn within(path: &str, rooms: &[&str]) -> bool {
    rooms.iter().any(|r| path.starts_with(r))
}

/// Crates that depend on one that does not stand before them, and crates that are not listed.
pub(crate) fn order() -> Vec<Broken> {
    let mut out = Vec::new();
    let found = std::fs::read_dir(workspace().join("crates")).expect("readable").flatten();
    for name in found.map(|e| e.file_name().to_string_lossy().into_owned()) {
        if !CRATES.contains(&name.as_str()) && name != TESTKIT {
            out.push(Broken { place: name, what: "is not listed in CRATES".into() });
        }
    }
    for (i, krate) in CRATES.iter().enumerate() {
        let path = workspace().join("crates").join(krate).join("Cargo.toml");
        let table: toml::Table =
            std::fs::read_to_string(path).expect("readable").parse().expect("TOML");
        let needs = table.get("dependencies").and_then(|d| d.as_table());
        let needs = needs.into_iter().flatten().map(|d| d.0.as_str());
        let own = |n: &&str| n.starts_with("emendo") || *n == TESTKIT;
        for need in needs.filter(|n| own(n) && !CRATES[..i].contains(n)) {
            let what = format!("depends on {need}, which does not stand before it");
            out.push(Broken { place: (*krate).to_owned(), what });
        }
    }
    out
}

/// Files that are too long.
pub(crate) fn lines() -> Vec<Broken> {
    everything()
        .filter_map(|s| {
            let lines = s.text.lines().count();
            let what = format!("{lines} lines, more than {MOST_LINES}");
            (lines > MOST_LINES).then_some(Broken { place: s.path, what })
        })
        .collect()
}

fn modules() -> BTreeMap<String, BTreeSet<String>> {
    let mut out: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for s in everything() {
        let (dir, file) = s.path.rsplit_once('/').expect("a folder");
        if !matches!(file, "mod.rs" | "lib.rs" | "main.rs") {
            out.entry(dir.to_owned()).or_default().insert(file.to_owned());
        } else if let Some((above, own)) = dir.rsplit_once('/').filter(|_| file == "mod.rs") {
            out.entry(above.to_owned()).or_default().insert(own.to_owned());
        }
    }
    out.retain(|dir, _| !ROWS.contains(&dir.as_str()));
    out
}

/// Folders with too many modules side by side.
pub(crate) fn folders() -> Vec<Broken> {
    let large = modules().into_iter().filter(|m| m.1.len() > MOST_MODULES);
    large.map(|(place, m)| Broken { place, what: format!("{} modules", m.len()) }).collect()
}

/// How many modules the largest folder has.
pub(crate) fn largest_folder() -> usize {
    modules().values().map(BTreeSet::len).max().unwrap_or(0)
}

fn per_file(
    sources: impl Iterator<Item = Source>,
    find: fn(&Source) -> Vec<String>,
) -> Vec<Broken> {
    let found = sources.map(|s| (find(&s), s.path)).filter(|f| !f.0.is_empty());
    found.map(|(what, place)| Broken { place, what: what.join(", ") }).collect()
}

/// Words of the command line in libraries.
pub(crate) fn command_words() -> Vec<Broken> {
    // Ecosystems have commands of their own, and the head of a diff reads like one.
    let others = ["crates/emendo-docs/", "crates/emendo-report/src/patch.rs"];
    let libraries = libraries().filter(|s| !within(&s.path, &others));
    per_file(libraries, |s| {
        let command = |t: &str| {
            let mut after = t.match_indices("`emendo ").map(|(i, w)| &t[i + w.len()..]);
            after.any(|t| t.starts_with(|c: char| c.is_ascii_lowercase()))
        };
        let option = |t: &str| {
            t.match_indices("--").any(|(i, _)| {
                let before = t[..i].chars().next_back();
                before.is_none_or(|c| c == ' ' || c == '`')
                    && t[i + 2..].starts_with(|c: char| c.is_ascii_lowercase())
            })
        };
        let found = s.strings.iter().filter(|(_, t)| command(t) || option(t));
        found
            .map(|(line, t)| format!("line {line} says `{}`", t.lines().next().unwrap_or("")))
            .collect()
    })
}

/// Kinds of actions that are told by their name.
pub(crate) fn kinds_by_name() -> Vec<Broken> {
    per_file(everything(), |s| {
        let lines = s.code.lines().enumerate();
        let named = |l: &str| {
            ["kind.name() ==", "kind().name() ==", "kind.name() !="].iter().any(|n| l.contains(n))
        };
        lines.filter(|l| named(l.1)).map(|l| format!("line {}", l.0 + 1)).collect()
    })
}

/// What reads or writes files beside the rooms for it.
pub(crate) fn project_files() -> Vec<Broken> {
    let outside = libraries().filter(|s| !within(&s.path, FILE_ROOMS));
    per_file(outside, |s| {
        let lines = s.code.lines().enumerate();
        let fs = |l: &str| {
            let mut all = l.match_indices("fs::").map(|(i, _)| l[..i].chars().next_back());
            all.any(|c| !c.is_some_and(char::is_alphanumeric))
        };
        let reads = |l: &str| fs(l) || l.contains("File::open") || l.contains("use std::fs");
        lines.filter(|l| reads(l.1)).map(|l| format!("line {}", l.0 + 1)).collect()
    })
}

/// Names of languages beside their own files.
pub(crate) fn language_names() -> Vec<Broken> {
    let outside = everything().filter(|s| {
        let docs = s.path.starts_with("crates/emendo-docs/");
        !docs && !within(&s.path, LANGUAGE_ROOMS)
    });
    per_file(outside, |s| {
        let names = ["java", "typescript", "javascript", "python", "rust", "csharp"];
        let found = s.strings.iter().filter(|(_, t)| names.contains(&t.as_str()));
        found.map(|(line, t)| format!("line {line} says `{t}`")).collect()
    })
}

/// Tables of languages, formats, ecosystems or kinds that are asked for beside the one place that hands them on.
pub(crate) fn tables() -> Vec<Broken> {
    let above = ["emendo-actions", "emendo-core", "emendo-report", "emendo"];
    let asking = above.into_iter().flat_map(|c| sources(c).into_values());
    let asking = asking.filter(|s| !HANDED_ON.contains(&s.path.as_str()));
    per_file(asking, |s| {
        let words = ["emendo_languages", "LANGUAGES", "FORMATS", "ECOSYSTEMS", "KINDS"];
        let calls = [" ecosystem_of(", " format_of(", " format_named(", " is_lock("];
        let asks = |l: &str| {
            let whole =
                |w: &&str| l.split(|c: char| !c.is_alphanumeric() && c != '_').any(|t| t == *w);
            words.iter().any(whole) || calls.iter().any(|c| l.contains(c))
        };
        let code = s.code.split("#[cfg(test)]").next().unwrap_or("");
        let lines = code.lines().enumerate().filter(|l| asks(l.1) && !l.1.contains("pub const"));
        let lines = lines.filter(|l| !l.1.trim_start().starts_with("pub use"));
        lines.map(|l| format!("line {}", l.0 + 1)).collect()
    })
}

/// Values for `--json` that are put together beside the writers of them.
pub(crate) fn json() -> Vec<Broken> {
    let outside = everything().filter(|s| {
        !s.path.starts_with("crates/emendo-report/")
            && !s.path.ends_with("emendo-recipe/src/schema.rs")
    });
    per_file(outside, |s| {
        let lines = s.code.lines().enumerate().filter(|l| l.1.contains("json!("));
        lines.map(|l| format!("line {}", l.0 + 1)).collect()
    })
}

/// The functions with how many lines stand in their bodies, and where.
pub(crate) fn bodies() -> Vec<(usize, String)> {
    let mut out = Vec::new();
    for s in everything() {
        let lines: Vec<&str> = s.code.lines().collect();
        for (i, line) in lines.iter().enumerate() {
            let code = line.trim_start();
            let indent = line.len() - code.len();
            let words: Vec<&str> = code.split(' ').collect();
            let Some(at) = words.iter().take(4).position(|w| *w == "fn") else { continue };
            let name = words.get(at + 1).map_or("", |w| w.split(['(', '<']).next().unwrap_or(w));
            let close = format!("{}}}", " ".repeat(indent));
            let first = lines[i..].iter().position(|l| l.ends_with('{') || l.ends_with(';'));
            let first = i + first.unwrap_or(0);
            let last = lines[first..].iter().position(|l| *l == close).map(|n| first + n);
            if let Some(last) = last.filter(|_| lines[first].ends_with('{')) {
                out.push((last - first - 1, format!("{} {name}", s.path)));
            } else if line.ends_with('}') {
                out.push((1, format!("{} {name}", s.path)));
            }
        }
    }
    out
}

/// How often a word stands in the code.
pub(crate) fn count(word: &str) -> usize {
    everything().map(|s| s.code.matches(word).count()).sum()
}

/// Rows of language files that say that a fact is empty.
pub(crate) fn empty_rows() -> usize {
    let rows = |s: Source| {
        let empty = [
            ": &[],",
            ": None,",
            ": (\"\", \"\"),",
            ": (\"\", \"\", \"\"),",
            ": \"\",",
            ": false,",
        ];
        let line =
            |l: &&str| empty.iter().any(|e| l.trim_end().ends_with(e)) && l.split(':').count() == 2;
        s.text.lines().filter(line).count()
    };
    everything().filter(|s| within(&s.path, LANGUAGE_ROOMS)).map(rows).sum()
}

/// How often each name of a type is defined.
pub(crate) fn type_names() -> BTreeMap<String, usize> {
    let mut out = BTreeMap::new();
    for s in everything() {
        for line in s.code.lines().map(str::trim_start) {
            let line = line.trim_start_matches("pub(crate) ").trim_start_matches("pub(super) ");
            let line = line.trim_start_matches("pub ");
            let name = ["struct ", "enum ", "trait "].iter().find_map(|k| line.strip_prefix(k));
            let end = |c: char| !(c.is_alphanumeric() || c == '_');
            if let Some(name) = name.and_then(|n| n.split(end).next()) {
                *out.entry(name.to_owned()).or_default() += 1;
            }
        }
    }
    out
}

/// The unit tests of a crate: beside its code, and in its own folder of tests.
pub(crate) fn unit_tests(krate: &str) -> usize {
    sources(krate).values().map(|s| s.text.matches("#[test]").count()).sum()
}
