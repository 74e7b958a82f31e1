//! `recipe test`: texts, trees, what no example exercises, and results that are taken over.

use testkit::Sandbox;

const STEPS: &str = r#"
[[step]]
id = "s"
title = "Names of version 3"
[[step.symbol]]
lang = "typescript"
what = "function"
pairs = [["tidewire:open", "tidewire:connect"], ["tidewire:gone", "tidewire:away"]]
[[step.library]]
only_if = { file = "src/a.ts" }
old = "npm:tidewire"
version = "3.0.0"
"#;

fn sandbox(examples: &str) -> Sandbox {
    let s = Sandbox::new();
    s.recipe(&format!("{STEPS}{examples}"));
    s
}

fn test(s: &Sandbox, args: &[&str]) -> testkit::Run {
    let recipe = s.recipe_path().display().to_string();
    let mut all = vec!["recipe", "test", recipe.as_str()];
    all.extend(args);
    s.run(&all)
}

fn beside(s: &Sandbox, path: &str, text: &str) {
    let path = s.recipe_path().with_file_name(path);
    std::fs::create_dir_all(path.parent().expect("one")).expect("made");
    std::fs::write(path, text).expect("written");
}

const TREE: &str = "[[example]]\ntitle = 'a board'\ntree = 'trees/board'\n";

#[test]
fn trees_are_projects_of_their_own() {
    let s = sandbox(TREE);
    test(&s, &[]).code(2).says("there is no folder `trees/board/before`");
    beside(
        &s,
        "trees/board/before/package.json",
        "{ \"dependencies\": { \"tidewire\": \"^2.0.0\" } }\n",
    );
    beside(&s, "trees/board/before/src/a.ts", "import { open } from 'tidewire';\nopen();\n");
    beside(
        &s,
        "trees/board/after/package.json",
        "{ \"dependencies\": { \"tidewire\": \"^3.0.0\" } }\n",
    );
    beside(&s, "trees/board/after/src/a.ts", "import { connect } from 'tidewire';\nopen();\n");
    test(&s, &[]).code(2).says("expected of src/a.ts").says("1 failed");
    test(&s, &["--accept"]).ok().says("taken over for 1 example");
    test(&s, &[]).ok().says("1 passed, 0 failed");
    let after = s.recipe_path().with_file_name("trees/board/after/src/a.ts");
    assert_eq!(
        std::fs::read_to_string(after).expect("there"),
        "import { connect } from 'tidewire';\nconnect();\n"
    );
}

#[test]
fn what_no_example_exercises_is_said() {
    let s = sandbox("[[example]]\nlang = 'typescript'\nbefore = 'open(1)'\nafter = 'connect(1)'\n");
    let run = test(&s, &["--coverage"]).ok();
    for part in ["exercised by examples: 1 of 3", "the row `tidewire:gone` of symbol", "s: library"]
    {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    let json = test(&s, &["--coverage", "--json"]).ok().json();
    assert_eq!(json["coverage"]["uncovered"].as_array().map(Vec::len), Some(2), "{json:#}");
}

#[test]
fn results_are_taken_over_but_never_for_look_alikes() {
    let s = sandbox(
        "[[example]]\ntitle = 'wrong'\nlang = 'typescript'\nbefore = 'open(1)'\nafter = 'shut(1)' # so\n[[example]]\ntitle = 'like'\nlang = 'typescript'\nunchanged = 'gone(2)'\n[[example]]\ntitle = 'own'\nlang = 'typescript'\nunchanged = 'const gone = 1; use(gone)'\n",
    );
    test(&s, &["--accept"]).code(2).says("taken over for 1 example").says("2 failed");
    let text = std::fs::read_to_string(s.recipe_path()).expect("there");
    assert!(
        text.contains("after = 'connect(1)' # so") && text.contains("unchanged = 'gone(2)'"),
        "{text}"
    );
    test(&s, &[]).code(2).says("failed  like").says("passed  own");
}
