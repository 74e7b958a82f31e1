//! What is remembered of a project gives what a fresh look gives, whatever changed in between.

use testkit::{Run, Sandbox};

const STEPS: &str = r#"
[[step]]
id = 'names'
title = 'Gauges'
[[step.symbol]]
what = 'method'
old = 'tidewire.client.Station.read'
new = 'tidewire.client.Station.poll'
[[step.symbol]]
what = 'type'
old = 'tidewire.client.Level'
new = 'tidewire.client.Stage'
[[step.symbol]]
lang = 'typescript'
what = 'function'
old = '@tidewire/client:open'
new = '@tidewire/client:connect'
"#;

fn project() -> Sandbox {
    let s = Sandbox::new();
    s.recipe(STEPS);
    s.write("src/app/Pier.java", "package app;\n\nimport tidewire.client.Station;\n\nclass Pier extends Station {\n    int n;\n}\n");
    s.write("src/app/Use.java", "package app;\n\nclass Use {\n    void f(Pier p) { p.read(); }\n    void g(Quay q) { q.read(); }\n}\n");
    s.write("src/app/Quay.java", "package app;\n\nclass Quay {\n    void read() { }\n}\n");
    s.write("src/app/Other.java", "package app;\n\nimport tidewire.client.Level;\n\nclass Other {\n    Level l; // tidewire.client.Level\n}\n");
    s.write(
        "web/tsconfig.json",
        "{ \"compilerOptions\": { \"paths\": { \"tide\": [\"./own\"] } } }\n",
    );
    s.write("web/own.ts", "export { open } from '@tidewire/client';\n");
    s.write("web/use.ts", "import { open } from 'tide';\nopen();\n");
    s.write("notes.md", "Nothing here.\n");
    s
}

/// What is shown, without what names the run.
fn shown(run: Run) -> String {
    run.ok().out
}

/// The proposal with what is remembered, and the one of a fresh look.
#[track_caller]
fn agree(s: &Sandbox, what: &str) -> String {
    let recipe = s.recipe_path().display().to_string();
    let warm = shown(s.run(&["propose", "--json", &recipe]));
    let again = shown(s.run(&["propose", "--json", &recipe]));
    let left = shown(s.run(&["leftovers", "--json"]));
    for name in ["seen", "told", "proposal.jsonl"] {
        drop(std::fs::remove_file(s.path(".emendo").join(name)));
    }
    let cold = shown(s.run(&["propose", "--json", &recipe]));
    assert_eq!(warm, cold, "{what}");
    assert_eq!(again, cold, "{what}, and nothing since");
    assert_eq!(left, shown(s.run(&["leftovers", "--json"])), "{what}: leftovers");
    cold
}

#[test]
fn gives_what_a_fresh_look_gives() {
    let s = project();
    let first = agree(&s, "the first run");
    let changes: &[(&str, &str, &str)] = &[
        (
            "a body",
            "src/app/Other.java",
            "package app;\n\nimport tidewire.client.Level;\n\nclass Other {\n    Level l, m = new Level();\n}\n",
        ),
        (
            "a line above a type",
            "src/app/Pier.java",
            "package app;\n\nimport tidewire.client.Station;\n\n/** More. */\nclass Pier extends Station {\n    int n;\n}\n",
        ),
        (
            "a type that is built on another now",
            "src/app/Quay.java",
            "package app;\n\nclass Quay extends Pier {\n}\n",
        ),
        (
            "a type that is built on it no more",
            "src/app/Pier.java",
            "package app;\n\nclass Pier {\n    void read() { }\n}\n",
        ),
        ("a file that names it for the first time", "notes.md", "See tidewire.client.Level.\n"),
        (
            "a new file",
            "src/app/New.java",
            "package app;\n\nimport tidewire.client.Level;\n\nclass New extends Level { }\n",
        ),
        ("a module that passes on another", "web/own.ts", "export { open } from './mine';\n"),
        ("another that passes it on", "web/two.ts", "export { open } from '@tidewire/client';\n"),
        (
            "a settings file that leads to it",
            "web/tsconfig.json",
            "{ \"compilerOptions\": { \"paths\": { \"tide\": [\"./two\"] } } }\n",
        ),
        (
            "a file with an error",
            "src/app/Other.java",
            "package app;\n\nimport tidewire.client.Level;\n\nclass Other {\n    Level l = ;;;(\n}\n",
        ),
    ];
    let mut last = first;
    for (what, path, text) in changes {
        s.write(path, text);
        let now = agree(&s, what);
        assert_ne!(now, last, "{what} shows");
        last = now;
    }
    std::fs::remove_file(s.path("src/app/New.java")).expect("it is there");
    agree(&s, "a file that is gone");
}

#[test]
fn decisions_count_as_ever() {
    let s = project();
    let recipe = s.recipe_path().display().to_string();
    s.run(&["propose", &recipe]).ok();
    s.run(&["reject", "--file", "src/app/Other.java"]).ok();
    let rejected = agree(&s, "a rejected file");
    assert!(rejected.contains("\"rejected\""), "{rejected}");
    s.write("src/app/Pier.java", "package app;\n\nclass Pier { int n = 1; }\n");
    agree(&s, "another file changed since");
    s.run(&["accept", "--all"]).ok();
    s.run(&["apply"]).ok();
    agree(&s, "what is applied");
    s.run(&["undo"]).ok();
    agree(&s, "what is taken back");
}
