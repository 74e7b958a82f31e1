//! The golden digests: for every case, every example of the pages and the demo, one digest of `propose --json` and one of
//! the tree after `apply`. They hold the program's results still while its code moves.
//!
//! `EMENDO_GOLDEN=write cargo test` writes the digests of this build down; the diff of `tests/golden/` then shows
//! which cases give something else than before.

use std::collections::BTreeMap;
use std::path::PathBuf;

use emendo_text::Hasher;

use testkit::{Run, Sandbox};

/// The two digests of a run.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Digests {
    proposal: String,
    tree: String,
}

/// The digests of a proposal, and of the project as it is now.
pub(crate) fn digests(s: &Sandbox, proposed: &Run) -> Digests {
    let folder = s.folder().display().to_string();
    let proposal = proposed.out.replace(&folder, "<folder>");
    let mut tree = Hasher::new();
    for (path, bytes) in s.tree() {
        tree.part(path).part(bytes);
    }
    let proposal = Hasher::new().part(proposal).finish().to_string();
    Digests { proposal, tree: tree.finish().to_string() }
}

/// Compares the digests of a group with those written down, or writes them down. With `all`, the group is complete:
/// a digest that nothing gives any more is an error too.
pub(crate) fn compare(group: &str, found: &BTreeMap<String, Digests>, all: bool) {
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/golden").join(group);
    let path = path.with_extension("txt");
    if std::env::var("EMENDO_GOLDEN").is_ok_and(|v| v == "write") && all {
        let line = |(name, d): (&String, &Digests)| format!("{name} {} {}\n", d.proposal, d.tree);
        let text: String = found.iter().map(line).collect();
        std::fs::write(path, text).expect("writable");
        return;
    }
    let text = std::fs::read_to_string(&path).unwrap_or_default();
    let golden: BTreeMap<String, Digests> = text.lines().filter_map(read).collect();
    let differs = |(name, d): (&String, &Digests)| match golden.get(name) {
        None => Some(format!("{name}: has no digest yet")),
        Some(g) if g.proposal != d.proposal => Some(format!("{name}: another proposal")),
        Some(g) if g.tree != d.tree => Some(format!("{name}: other files after apply")),
        Some(_) => None,
    };
    let mut wrong: Vec<String> = found.iter().filter_map(differs).collect();
    let gone = golden.keys().filter(|n| all && !found.contains_key(*n));
    wrong.extend(gone.map(|n| format!("{n}: is gone")));
    assert!(
        wrong.is_empty(),
        "{group}: {} of {} differ from tests/golden (EMENDO_GOLDEN=write takes the new ones over)\n{}",
        wrong.len(),
        found.len(),
        wrong.join("\n")
    );
}

fn read(line: &str) -> Option<(String, Digests)> {
    let (rest, tree) = line.rsplit_once(' ')?;
    let (name, proposal) = rest.rsplit_once(' ')?;
    Some((name.to_owned(), Digests { proposal: proposal.to_owned(), tree: tree.to_owned() }))
}

#[test]
fn the_demo() {
    let s = Sandbox::new();
    s.run(&["demo", "sample"]).ok();
    let (project, recipe) =
        (s.path("sample/project"), s.path("sample/tidewire-3.toml").display().to_string());
    let project = project.display().to_string();
    let first = s.run(&["-C", &project, "propose", "--json", &recipe]).ok();
    let mut found = BTreeMap::from([("first".to_owned(), digests(&s, &first))]);
    s.run(&["-C", &project, "undo"]).ok();
    let whole = s.run(&["-C", &project, "propose", "--json", &recipe]).ok();
    s.run(&["-C", &project, "accept", "--certainty", "all"]).ok();
    s.run(&["-C", &project, "apply", "--accept", "all"]).ok();
    found.insert("whole".to_owned(), digests(&s, &whole));
    compare("demo", &found, true);
}
