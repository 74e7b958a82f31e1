//! The pages of the repository: links resolve, quoted code is the code, and named files and tests exist.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use testkit::workspace;

fn files(dir: &Path, ending: &str, out: &mut Vec<PathBuf>) {
    for path in std::fs::read_dir(dir).into_iter().flatten().flatten().map(|e| e.path()) {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if path.is_dir() && !matches!(name.as_str(), "target" | ".git" | ".emendo") {
            files(&path, ending, out);
        } else if name.ends_with(ending) {
            out.push(path);
        }
    }
}

/// All pages with their texts.
fn pages() -> Vec<(PathBuf, String)> {
    let mut all = Vec::new();
    files(&workspace(), ".md", &mut all);
    let read = |p: PathBuf| (p.clone(), std::fs::read_to_string(p).expect("readable"));
    all.into_iter().map(read).collect()
}

pub(crate) fn page(name: &str) -> String {
    std::fs::read_to_string(workspace().join(name)).expect("readable")
}

/// A page without its blocks of code.
fn prose(text: &str) -> String {
    text.split("\n```").step_by(2).collect::<Vec<_>>().join("\n")
}

/// What a heading is called in links.
fn anchor(heading: &str) -> String {
    let plain = heading.trim_start_matches('#').trim().to_lowercase();
    let kept = plain.chars().filter(|c| c.is_alphanumeric() || matches!(c, ' ' | '-' | '_'));
    kept.collect::<String>().replace(' ', "-")
}

#[test]
fn links_of_pages_resolve() {
    let mut wrong = Vec::new();
    for (path, text) in pages() {
        for (at, _) in text.match_indices("](") {
            let link = text[at + 2..].split(')').next().unwrap_or("");
            if link.is_empty() || link.contains("://") || link.contains(char::is_whitespace) {
                continue;
            }
            let (file, part) = link.split_once('#').unwrap_or((link, ""));
            let target = match file {
                "" => path.clone(),
                file => path.parent().expect("a folder").join(file),
            };
            let headings = || {
                let text = std::fs::read_to_string(&target).unwrap_or_default();
                text.lines().filter(|l| l.starts_with('#')).map(anchor).collect::<BTreeSet<_>>()
            };
            if !target.exists() || !part.is_empty() && !headings().contains(part) {
                wrong.push(format!("{}: {link}", path.display()));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn quoted_code_is_the_code() {
    let text = page("CONTRIBUTING.md");
    let blocks: Vec<&str> = text.split("\n```rust file=").skip(1).collect();
    assert!(blocks.len() >= 8, "each kind of addition has a worked example");
    for block in blocks {
        let (file, rest) = block.split_once('\n').expect("a block");
        let quoted = rest.split("\n```").next().expect("ends");
        let source = std::fs::read_to_string(workspace().join(file));
        let source = source.unwrap_or_else(|e| panic!("{file}: {e}"));
        assert!(source.contains(quoted), "{file} does not hold\n{quoted}");
    }
}

#[test]
fn named_files_are_there() {
    let mut wrong = Vec::new();
    for name in ["CONTRIBUTING.md", "README.md", "docs/ARCHITECTURE.md"] {
        for word in prose(&page(name)).split('`').skip(1).step_by(2) {
            let plain = word.chars().all(|c| c.is_ascii_alphanumeric() || "/._-".contains(c));
            let inside = ["crates/", "docs/", "demo/", ".ci/"].iter().any(|p| word.starts_with(p));
            if plain && inside && !workspace().join(word).exists() {
                wrong.push(format!("{name}: {word}"));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn every_invariant_names_a_test_that_holds_it() {
    let text = page("docs/ARCHITECTURE.md");
    let part = text.split("## What must stay true").nth(1).expect("the section");
    let part = part.split("\n## ").next().expect("a section");
    let mut sources = Vec::new();
    files(&workspace().join("crates"), ".rs", &mut sources);
    let mut tests = BTreeSet::new();
    for source in sources {
        let text = std::fs::read_to_string(source).expect("readable");
        let lines: Vec<&str> = text.lines().map(str::trim).collect();
        let after = lines.windows(2).filter(|w| w[0] == "#[test]").map(|w| w[1]);
        let names = after.filter_map(|l| l.strip_prefix("fn ")?.split('(').next());
        tests.extend(names.map(str::to_owned));
    }
    let mut wrong = Vec::new();
    for bullet in part.split("\n- ").skip(1) {
        let words = bullet.split('`').skip(1).step_by(2);
        let held = words.filter(|w| tests.contains(w.rsplit("::").next().unwrap_or(w)));
        if held.count() == 0 {
            wrong.push(bullet.lines().next().unwrap_or(bullet).to_owned());
        }
    }
    assert!(wrong.is_empty(), "no test is named for:\n{}", wrong.join("\n"));
}
