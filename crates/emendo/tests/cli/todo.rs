//! The to-do list: what is open after each command, ticked off, opened again, and what is shown of it.

use testkit::Sandbox;

const STEPS: &str = r#"
[[step]]
id = "names"
title = "Stations are gauges"
why = "Version 3 calls them gauges."
[[step.symbol]]
what = "type"
old = "tidewire.client.Station"
new = "tidewire.client.Gauge"
[[step]]
id = "dump"
title = "Dumps are exports"
[[step.note]]
find = 'dump(@{_})'
names = { dump = "tidewire.Dump.dump" }
say = "export from the board instead"
[[step]]
id = "feeds"
title = "Feeds come from a pool"
[[step.code]]
old = 'Feeds.shared()'
names = { Feeds = "tidewire.Feeds" }
[[step.code.choice]]
label = "pool"
new = 'Feeds.pool()'
[[step.code.choice]]
label = "leave"
[[step]]
id = "open"
title = "Stations start"
[[step.symbol]]
what = "method"
old = "tidewire.client.Station.open"
new = "tidewire.client.Station.start"
"#;

/// A project with an edit of each kind: certain, unsure, a choice, a note, a leftover.
pub(crate) fn sandbox() -> Sandbox {
    let s = Sandbox::new();
    s.recipe(STEPS);
    s.write(
        "a/A.java",
        "import static tidewire.Dump.dump;\nimport tidewire.Feeds;\nimport tidewire.client.Station;\n\nclass A {\n    Station s = Feeds.shared();\n\n    void f() {\n        dump(s);\n        yard.gate().open();\n        s.open();\n    }\n}\n",
    );
    s.write("docs/a.md", "See `tidewire.client.Station`.\n");
    s.write("scripts/run", "#!/bin/sh\njava tidewire.client.Station\n");
    s
}

#[test]
fn the_list_lasts_from_propose_to_the_last_note() {
    let s = sandbox();
    s.propose().ok().says("open: 3 edits undecided, 1 choice to make, 1 note, 2 leftovers; next:");
    s.run(&["accept", "--all"]).ok().says("accepted: 2 edits").says("--certainty unsure");
    s.run(&["apply"])
        .ok()
        .says("written: 2 edits in 1 file")
        .says("open: 1 edit undecided, 1 choice to make, 1 note, 2 leftovers");
    s.run(&["status"])
        .ok()
        .says("Tide (tide)")
        .says("applied: 2 edits in 1 file")
        .says("a/A.java:9")
        .says("emendo show --choices")
        .says("emendo leftovers");
    // What is picked now is written without another `propose`.
    s.run(&["choose", "leave", "--all"]).ok().says("picked: 1 edit");
    s.run(&["reject", "--certainty", "unsure"]).ok().says("rejected: 1 edit");
    s.run(&["apply"]).ok().says("nothing was written").says("open: 1 note, 2 leftovers");
    s.run(&["leftovers", "--check"]).code(1).says("left: 1 note, 2 leftovers");
    let left = s.run(&["leftovers", "--json"]).code(0).json();
    let id = |v: &serde_json::Value| v["id"].as_str().expect("an id")[..8].to_owned();
    let note = id(&left["notes"][0]);
    s.run(&["done", &note]).ok().says("ticked off: 1 place").says("open: 2 leftovers");
    s.run(&["done", &note]).ok().says("ticked off: nothing").says("ticked off before: 1");
    s.run(&["accept", "--edit", &note]).code(2).says("is a note or a leftover, not an edit");
    s.run(&["done", "--file", "docs", "--file", "scripts"]).ok().says("ticked off: 2 places");
    s.run(&["leftovers", "--check"])
        .ok()
        .says("5 places left on purpose")
        .says("nothing of the old API is left: ");
    s.run(&["leftovers", "--on-purpose"])
        .ok()
        .says("Rejected")
        .says("Left as they are")
        .says("scripts/run:2");
    // It holds in later runs, and is taken back.
    s.propose().ok().says("nothing is open (5 left on purpose); next: `emendo finish`");
    s.run(&["reopen", &format!("--edit={note}")]).ok().says("open again: 1 place");
    s.run(&["reopen", "--all"]).ok().says("open again: 2 edits, 2 places");
    s.run(&["leftovers", "--check"]).code(1).says("1 choice to make");
}

#[test]
fn decisions_take_what_they_say() {
    let s = sandbox();
    s.propose().ok();
    s.run(&["accept", "--certainty", "certain"]).ok().says("accepted: 2 edits");
    // Exactly that level, and never what is accepted.
    s.run(&["reject", "--certainty", "unsure"]).ok().says("rejected: 1 edit");
    s.run(&["reject", "--step", "names"])
        .ok()
        .says("rejected: 0 edits")
        .says("it is accepted: name it");
    s.run(&["status"]).ok().says("2 accepted, 1 rejected, 1 undecided");
    s.run(&["accept", "--step", "open"]).ok().says("it is rejected").says("accepted before: 1");
    s.run(&["reopen", "--step", "open"]).ok().says("open again: 2 edits");
    s.run(&["accept", "--step", "names", "--certainty", "unsure", "--file", "docs"])
        .code(2)
        .says("no edit of the proposal is selected by the path `docs`");
    s.run(&["accept", "--step", "feeds", "--step", "names", "--file", "*.java", "--edit", "0"])
        .code(2);
    s.run(&["accept", "--step", "dump", "--file", "**/A.java"])
        .code(2)
        .says("no edit of the proposal is selected by the step `dump`");
    s.run(&["apply"]).ok().says("written: 1 edit in 1 file");
    let log = s.read(".emendo/decisions.jsonl");
    let cleared = log.lines().find(|l| l.contains("cleared")).expect("written");
    let id = cleared.split("\"edit\":\"").nth(1).expect("an id")[..8].to_owned();
    s.run(&["reopen", "--edit", &id])
        .code(2)
        .says("was applied")
        .says("takes the whole apply back");
    s.run(&["undo"])
        .ok()
        .says("open: 2 edits undecided, 1 choice to make, 1 accepted edit to write");
}

#[test]
fn a_part_is_shown_with_its_lines() {
    let s = sandbox();
    s.run(&["show"]).code(2).says("there is no proposal yet");
    s.propose().ok();
    s.run(&["show", "--step", "names"])
        .ok()
        .says("-import tidewire.client.Station;")
        .says("+    Gauge s");
    s.run(&["show", "--certainty", "unsure"]).ok().says("yard.gate().start()");
    s.run(&["show", "--choices"]).ok().says("pool: Feeds.pool()").says("leave: leave it as it is");
    s.run(&["show", "--notes"]).ok().says("export from the board instead");
    s.run(&["show", "--held-back"]).ok().says("no edit is in this list");
    s.run(&["show", "--brief"]).ok().says("Choices: pick with").lacks("@@");
    s.run(&["reject", "--step", "names"]).ok();
    s.run(&["show", "--rejected"])
        .ok()
        .says("-    Station s = Feeds.shared();")
        .says("+    Gauge s");
    // A part of the steps is looked at, and the whole stays stored.
    let recipe = s.recipe_path().display().to_string();
    s.run(&["propose", &recipe, "--step", "open"]).ok().says("it is not stored");
    s.run(&["show", "--step", "feeds"]).ok();
}

#[test]
fn each_run_of_lines_has_the_edits_that_changed_it() {
    let s = sandbox();
    s.propose().ok();
    let shown = s.run(&["show", "--diff"]).ok();
    let lines: Vec<&str> = shown.out.lines().collect();
    let at = |text: &str| lines.iter().position(|l| l.contains(text)).expect("shown");
    // The heading stands right above what it is about, and says why once.
    assert!(lines[at("-        yard.gate().open();") - 1].contains(" open · unsure"));
    assert_eq!(lines.iter().filter(|l| l.contains("· unsure")).count(), 1);
    let json = s.run(&["show", "--json"]).ok().json();
    let hunk = &json["files"][0]["hunks"][0];
    let runs = hunk["runs"].as_array().expect("runs");
    let changed = hunk["lines"].as_array().expect("lines");
    let changed = changed.iter().filter(|l| l["kind"] != "same").count() as u64;
    assert_eq!(runs.iter().map(|r| r["lines"].as_u64().unwrap_or(0)).sum::<u64>(), changed);
}

#[test]
fn nothing_is_left_only_where_it_was_looked_for() {
    let s = Sandbox::new();
    s.recipe("[[step]]\nid = 'a'\ntitle = 'A'\n[[step.code]]\nold = 'attach(@{x})'\nnew = 'open(@{x})'\n");
    s.write("A.java", "class A { void f() { attach(1, 2); } }\n");
    s.propose().ok();
    s.run(&["leftovers"])
        .ok()
        .says("nothing could be looked for")
        .says("attach(@{x})")
        .lacks("nothing of the old API is left");
    let s = sandbox();
    std::fs::remove_file(s.path("docs/a.md")).expect("there");
    std::fs::remove_file(s.path("scripts/run")).expect("there");
    s.write("a/A.java", "class A {}\n");
    s.propose().ok();
    s.run(&["leftovers"]).ok().says("nothing of the old API is left: ");
    s.write("vendor/B.java", "class B { Station s; }\n");
    let wide: Vec<u8> =
        "class C { Station s; }".encode_utf16().flat_map(u16::to_le_bytes).collect();
    s.write("a/C.java", [&[0xff, 0xfe][..], &wide].concat());
    s.run(&["leftovers"])
        .ok()
        .says("not looked at")
        .says("vendor/B.java (vendored): Station")
        .says("a/C.java (UTF-16): Station")
        .lacks("nothing of the old API is left");
}

#[test]
fn why_tells_at_what_the_nearest_actions_stop() {
    let s = sandbox();
    s.write(
        "b/B.java",
        "package b;\n\nimport railwire.Feeds;\n\nclass B {\n    Object a = Feeds.shared();\n    Object b = Feeds.shared(1);\n}\n",
    );
    s.write("conf.properties", "shared = 1\n");
    s.write("emendo.toml", "");
    s.run(&["why", "b/B.java:6"]).code(2).says("no recipe was proposed or applied here yet");
    s.propose().ok();
    s.run(&["why", "b/B.java:6"])
        .ok()
        .says("no edit changes this line")
        .says("names: `Feeds` means `railwire.Feeds` here, not `tidewire.Feeds`");
    s.run(&["-C", "b", "why", "B.java:7"]).ok().says("feeds · code");
    s.run(&["why", "a/A.java:6"]).ok().says("waits for a choice").says("changes it");
    s.run(&["why", "conf.properties:1"])
        .ok()
        .says("it is about java code, and this file is not code");
    s.run(&["why", "a/A.java"]).code(2).says("emendo why src/Pier.java:8");
    s.run(&["why", "Nope.java:3"]).code(2).says("there is no file `Nope.java`");
    s.write("vendor/V.java", "class V { tidewire.client.Station s; }\n");
    s.run(&["why", "vendor/V.java:1"]).ok().says("the file is not read: vendored");
}

#[test]
fn a_skipped_step_says_which_condition() {
    let s = sandbox();
    s.recipe(&format!(
        "{STEPS}\n[[step]]\nid = 'deploy'\ntitle = 'Deploy'\nonly_if = {{ file = '**/deploy.yml' }}\n[[step.setting]]\nkey = 'tide.port'\nnew = 'tide.number'\n"
    ));
    s.propose()
        .ok()
        .says("Skipped steps")
        .says("deploy: only_if: there is no file `**/deploy.yml`");
    s.write("x/deploy.yml", "a: 1\n");
    s.propose().ok().lacks("Skipped steps");
}

#[test]
fn a_migration_ends_where_nothing_is_open() {
    let s = sandbox();
    s.run(&["finish"]).code(2).says("there is nothing to finish");
    s.propose().ok();
    s.run(&["finish"]).code(3).says("not finished: 3 edits undecided, 1 choice to make");
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
    s.run(&["choose", "pool", "--all"]).ok();
    s.run(&["finish"]).code(3).says("4 accepted edits to write");
    s.run(&["apply"]).ok();
    s.run(&["finish"]).code(3).says("1 note, 2 leftovers").says("emendo done");
    s.run(&["done", "--all"]).ok().says("next: `emendo finish`");
    let written = s.read("a/A.java");
    s.run(&["finish"]).ok().says("finished: 4 edits applied");
    assert!(!s.path(".emendo").exists() && s.read("a/A.java") == written);
    s.run(&["undo"]).code(2);
}

#[test]
fn what_a_later_step_takes_back_is_no_edit() {
    let s = Sandbox::new();
    s.recipe(
        "[[step]]\nid = 'there'\ntitle = 'There'\n[[step.symbol]]\nwhat = 'type'\nold = 'tidewire.A'\nnew = 'tidewire.B'\n[[step]]\nid = 'back'\ntitle = 'Back'\n[[step.symbol]]\nwhat = 'type'\npairs = [['tidewire.B', 'tidewire.A'], ['tidewire.C', 'tidewire.D']]\n",
    );
    s.write("A.java", "import tidewire.A;\nimport tidewire.C;\nclass X { A a; C c; }\n");
    let proposal =
        s.run(&["propose", "--json", &s.recipe_path().display().to_string()]).ok().json();
    assert_eq!(proposal["total"]["edits"], 1);
    assert_eq!(
        proposal["files"][0]["hunks"][0]["by"].as_array().map(Vec::len),
        Some(2),
        "an import goes along"
    );
    s.run(&["apply", "--accept", "certain"]).ok().says("written: 1 edit");
    assert_eq!(s.read("A.java"), "import tidewire.A;\nimport tidewire.D;\nclass X { A a; D c; }\n");
}

#[test]
fn lines_of_what_is_open_move_with_what_was_written() {
    let s = Sandbox::new();
    s.recipe(
        "[[step]]\nid = 'open'\ntitle = 'Open'\n[[step.code]]\nold = 'open(@{x});'\nnew = \"\"\"\nbegin();\nstart(@{x});\n\"\"\"\nnames = { open = 'tidewire.Ports.open', begin = 'tidewire.Ports.begin', start = 'tidewire.Ports.start' }\n[[step]]\nid = 'dump'\ntitle = 'Dump'\n[[step.note]]\nfind = 'dump(@{_})'\nnames = { dump = 'tidewire.Ports.dump' }\nsay = 'by hand'\n",
    );
    let body = "open(1);\n        dump(1);\n        open(2);\n        dump(2);\n        open(3);\n        dump(3);\n";
    s.write(
        "A.java",
        format!("import static tidewire.Ports.dump;\nimport static tidewire.Ports.open;\n\nclass A {{\n    void f() {{\n        {body}    }}\n}}\n"),
    );
    s.propose().ok();
    let first = s.run(&["show", "--json"]).ok().json();
    let id = first["files"][0]["edits"][1]["id"].as_str().expect("an id").to_owned();
    s.run(&["reject", "--edit", &id]).ok();
    s.run(&["apply", "--accept", "certain"]).ok().says("written: 2 edits");
    let status = s.run(&["status"]).ok();
    let places = |out: &str| {
        let notes = out.lines().filter(|l| l.contains("by hand"));
        let words = notes.filter_map(|l| l.split_whitespace().nth(1).map(str::to_owned));
        words.collect::<Vec<_>>()
    };
    let kept = places(&status.out);
    s.propose().ok();
    let anew = places(&s.run(&["status"]).ok().out);
    assert_eq!(kept.len(), 3);
    assert_eq!(kept, anew, "{}", s.read("A.java"));
}
