//! A plan never changes: one runs over several projects at once, each with its own answers to what actions wait for.

use std::collections::BTreeMap;
use std::path::Path;

use emendo_core::{Checked, Session, check};
use emendo_recipe::Source;

const RECIPE: &str = r#"
emendo = 1
id = "tide"
title = "Tide"
lang = "java"
names = { Station = "tidewire.client.Station" }

[[step]]
id = "open"
title = "Stations are opened otherwise"

[[step.code]]
only_if = { file = "**/deploy.yml" }
old = "Station.open(@{port})"
new = "Station.at(@{port})"

[[step.note]]
unless = { file = "**/deploy.yml" }
say = "nothing is deployed from here"

[[step]]
id = "late"
title = "What the step before wrote"

[[step.code]]
only_if = { setting = "tide.port", now = true }
old = "Station.at(@{port})"
new = "Station.at(@{port}).open()"
"#;

const CODE: &str = "import tidewire.client.Station;\n\nclass A {\n    void m() {\n        Station.open(7070);\n    }\n}\n";

fn project(files: &[(&str, &str)]) -> tempfile::TempDir {
    let dir = tempfile::tempdir().expect("a scratch folder");
    for (path, text) in files {
        let path = dir.path().join(path);
        std::fs::create_dir_all(path.parent().expect("a folder")).expect("writable");
        std::fs::write(path, text).expect("writable");
    }
    dir
}

fn checked() -> Checked {
    let name = "tide.toml".to_owned();
    let source =
        Source { path: name.clone(), name, text: RECIPE.into(), beside: Default::default() };
    let checked =
        check(&Default::default(), vec![source], &BTreeMap::new(), &emendo_core::Shelf::default());
    assert!(!checked.failed());
    checked
}

/// The steps of the edits that a proposal holds, and what its notes say.
fn proposed(root: &Path, checked: &Checked) -> (Vec<String>, usize) {
    let session = Session::open(root).expect("opens");
    let proposal =
        session.propose(checked, &Default::default(), &[], &mut |_, _| {}).expect("proposes");
    let mut steps: Vec<String> = proposal.decidable().map(|e| e.step.step.clone()).collect();
    steps.sort();
    (steps, proposal.notes().count())
}

#[test]
fn one_plan_runs_over_two_projects_at_once_with_different_truths() {
    let with = project(&[
        ("src/A.java", CODE),
        ("deploy.yml", "a: 1\n"),
        ("app.properties", "tide.port = 1\n"),
    ]);
    let without = project(&[("src/A.java", CODE)]);
    let checked = checked();
    for _ in 0..4 {
        let (a, b) = std::thread::scope(|scope| {
            let a = scope.spawn(|| proposed(with.path(), &checked));
            let b = scope.spawn(|| proposed(without.path(), &checked));
            (a.join().expect("no panic"), b.join().expect("no panic"))
        });
        assert_eq!(a, (vec!["late".to_owned(), "open".to_owned()], 0));
        assert_eq!(b, (Vec::new(), 1));
    }
}
