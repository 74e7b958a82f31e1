//! A text of the user's own instead of what the recipe would write.

use testkit::Sandbox;

const STEPS: &str = "
[[step]]
id = 'open'
title = 'Open'
[[step.code]]
old = 'new Station(@{host})'
new = 'Station.at(@{host}).open()'
names.Station = 'tide.Station'

[[step]]
id = 'ring'
title = 'Ring'
[[step.code]]
old = '@{s}.ring(@{n})'
new = '@{s}.chime(@{n})'
slots.s = { type = 'tide.Station' }
[[step.code]]
old = 'Bell.of(@{x})'
new = 'Chime.of(@{x}, 1)'
names = { Bell = 'tide.Bell', Chime = 'tide.Chime' }
";

const CODE: &str = "import tide.Bell;\r\nimport tide.Station;\r\nclass A {\r\n    void m(Station s) {\r\n        s.ring(Bell.of(3));\r\n        s.ring(4);\r\n        s.ring(4);\r\n        use(new Station(\"mole\"));\r\n    }\r\n}\r\n";

fn sandbox() -> Sandbox {
    let s = Sandbox::new();
    s.recipe(STEPS);
    s.write("A.java", CODE);
    s.propose().ok();
    s
}

/// The id of the edit at a line whose place reads so.
fn id(s: &Sandbox, line: u64, before: &str) -> String {
    let all = s.edits();
    let found = all.iter().find(|e| e["line"] == line && e["before"] == before);
    let found = found.unwrap_or_else(|| panic!("{before}: {all:#?}"));
    found["id"].as_str().expect("an id").chars().take(12).collect()
}

#[test]
fn an_own_text_stands_for_the_whole_place_with_what_lies_inside() {
    let s = sandbox();
    let outer = id(&s, 5, "s.ring(Bell.of(3))");
    let own = "s.peal(\n            3)";
    s.run(&["reword", "--edit", &outer, own]).ok().says("reworded: 1 edit");
    s.run(&["show", "--accepted"]).ok().says("in your own words").says("s.peal(");
    s.run(&["apply", "--accept", "certain", "--with-uncommitted"]).ok();
    let after = s.read("A.java");
    // In the file's line ends; the edit inside it goes along, and its import with it.
    assert!(after.contains("        s.peal(\r\n            3);\r\n"), "{after}");
    assert!(!after.contains("Bell") && !after.contains("Chime"), "{after}");
    assert!(after.contains("s.chime(4)") && after.contains("Station.at(\"mole\").open()"));
    s.propose().ok().says("nothing to change");
    s.run(&["undo"]).ok();
    assert_eq!(s.read("A.java"), CODE);
    s.run(&["show", "--accepted"]).ok().says("in your own words");
    s.run(&["reopen", "--edit", &outer]).ok();
    s.run(&["show", "--edit", &outer]).ok().says("s.chime(Chime.of(3, 1))");
}

#[test]
fn what_still_reads_as_before_counts_as_done_until_it_changes() {
    let s = sandbox();
    let second = s.edits().into_iter().filter(|e| e["before"] == "s.ring(4)").nth(1);
    let second = second.expect("two");
    let second = second["id"].as_str().expect("an id").to_owned();
    s.run(&["reword", "--edit", &second, "s.ring(4 + 1)"]).ok();
    s.run(&["apply", "--with-uncommitted"]).ok();
    assert!(s.read("A.java").contains("s.ring(4 + 1);"));
    let left = s.propose_json();
    let texts: Vec<String> = testkit::edits(&left)
        .iter()
        .map(|e| e["before"].as_str().unwrap_or("").to_owned())
        .collect();
    assert!(!texts.contains(&"s.ring(4 + 1)".to_owned()), "{texts:?}");
    assert!(texts.contains(&"s.ring(4)".to_owned()), "{texts:?}");
    s.write("A.java", s.read("A.java").replace("4 + 1", "4 + 2"));
    assert!(s.edits().iter().any(|e| e["before"] == "s.ring(4 + 2)"));
}

#[test]
fn what_would_break_the_file_is_refused_and_nothing_is_decided() {
    let s = sandbox();
    let place = id(&s, 8, "new Station(\"mole\")");
    for (text, says) in [
        ("Station.at((", "the file would no longer parse with it"),
        ("new Station(\"mole\")", "reject the edit to leave it as it is"),
    ] {
        s.run(&["reword", "--edit", &place, text]).code(2).says(says).says("emendo show --edit");
    }
    s.run(&["reword", "--edit", "ffff", "x"]).code(2).says("no edit has an id");
    s.run(&["reword", "--edit", &place]).code(2);
    s.run(&["reword", "--edit", &place, "--from", "none.txt"]).code(2).says("cannot be read");
    s.run(&["show", "--accepted"]).ok().says("no edit is in this list");
    std::fs::write(s.folder().join("own.txt"), "Station.at(\"mole\").now()\n").expect("writable");
    let decided =
        s.run(&["reword", "--json", "--edit", &place, "--from", "../own.txt"]).ok().json();
    assert_eq!(decided["decided"][0]["decision"], "reworded");
    s.run(&["apply", "--with-uncommitted"]).ok();
    assert!(s.read("A.java").contains("use(Station.at(\"mole\").now());"));
}
