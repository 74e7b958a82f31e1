//! Decisions: what they cover, that they hold, and what they stand for.

use serde_json::Value;

use testkit::Sandbox;

const OPEN: &str = r#"
[[step]]
id = "open"
title = "Open"
[[step.code]]
old = 'new Station(@{h})'
new = 'Station.at(@{h})'
"#;

const THEN: &str = r#"
[[step]]
id = "then"
title = "Then"
[[step.code]]
old = 'Station.at(@{h})'
new = 'Station.at(@{h}).open()'
"#;

fn of_step<'e>(edits: &'e [Value], step: &str) -> Vec<&'e Value> {
    edits.iter().filter(|e| e["step"] == step).collect()
}

fn id(e: &Value) -> String {
    e["id"].as_str().expect("id").to_owned()
}

#[test]
fn a_later_step_builds_on_an_earlier_one_and_goes_with_it() {
    let s = Sandbox::java(&format!("{OPEN}{THEN}"), "use(new Station(a), Station.at(b));");
    let edits = s.edits();
    let (open, then) = (of_step(&edits, "open"), of_step(&edits, "then"));
    assert_eq!((open.len(), then.len()), (1, 2));
    let child = then.iter().find(|e| e["parents"][0] == open[0]["id"]).expect("builds on it");
    // Rejecting the first takes the second away; the other place of the second step stays.
    s.run(&["reject", "--edit", &id(open[0])]).ok();
    let edits = s.edits();
    assert_eq!(of_step(&edits, "then").len(), 1);
    assert_eq!(of_step(&edits, "open")[0]["decision"], "rejected");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("A.java").contains("use(new Station(a), Station.at(b).open());"));
    assert_ne!(id(child), id(of_step(&edits, "then")[0]));
}

#[test]
fn accepting_takes_along_what_it_builds_on() {
    let s = Sandbox::java(&format!("{OPEN}{THEN}"), "use(new Station(a));");
    let edits = s.edits();
    s.run(&["accept", "--edit", &id(of_step(&edits, "then")[0])])
        .ok()
        .says("build on these: 1 edit");
    s.run(&["apply"]).ok().says("written: 2 edits in 1 file");
    assert!(s.read("A.java").contains("use(Station.at(a).open());"));
}

#[test]
fn rejections_hold_in_later_runs_and_after_the_place_has_moved() {
    let s = Sandbox::java(OPEN, "use(new Station(a), new Station(b));");
    let edits = s.edits();
    let b = edits.iter().find(|e| e["before"] == "new Station(b)").expect("there");
    s.run(&["reject", "--edit", &id(b)]).ok();
    let text = s.read("A.java").replace("void m()", "void renamed()");
    s.write("A.java", text);
    s.run(&["propose", &s.recipe_path().display().to_string()]).ok().says("1 rejected");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("A.java").contains("use(Station.at(a), new Station(b));"));
    // What was applied before does not lend its acceptance to what is left.
    s.propose().ok();
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("A.java").contains("new Station(b)"));
}

#[test]
fn an_acceptance_stands_for_its_text_only() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.propose().ok();
    s.run(&["accept", "--all"]).ok().says("accepted: 1 edit");
    s.recipe(&OPEN.replace("Station.at(@{h})", "Station.of(@{h})"));
    s.run(&["apply"]).code(3).says("has changed since the proposal");
    s.propose().ok().says("1 to decide again");
    s.run(&["apply"]).ok().says("nothing was written");
    s.run(&["accept", "--all"]).ok();
    s.run(&["apply"]).ok();
    assert!(s.read("A.java").contains("use(Station.of(a));"));
}

#[test]
fn a_file_that_changed_is_never_overwritten() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.write("B.java", s.read("A.java").replace("class A", "class B"));
    s.propose().ok();
    let edited = s.read("A.java").replace("use(", "/* mine */ use(");
    s.write("A.java", &edited);
    s.run(&["apply", "--accept", "certain"])
        .code(3)
        .says("A.java")
        .says("run `emendo propose` again");
    assert!(s.read("B.java").contains("new Station(a)"), "all or nothing");
    s.run(&["status"]).ok().says("1 file changed since");
    s.run(&["apply", "--skip-changed"]).ok().says("B.java");
    assert_eq!(s.read("A.java"), edited);
    assert!(s.read("B.java").contains("Station.at(a)"));
}

#[test]
fn cautions_choices_and_unsure_edits_are_never_taken_in_bulk() {
    let steps = r#"
[[step]]
id = "careful"
title = "Careful"
caution = "it waits"
[[step.code]]
old = 'Station.stop()'
new = 'Station.close()'

[[step]]
id = "pick"
title = "Pick"
[[step.code]]
old = 'Gauge.mean()'
[[step.code.choice]]
label = "daily"
new = 'Gauge.mean(1)'
[[step.code.choice]]
label = "stay"

[[step]]
id = "guess"
title = "Guess"
[[step.code]]
old = '@{s}.ring()'
new = '@{s}.chime()'
"#;
    let s = Sandbox::java(steps, "Station.stop(); x(Gauge.mean()); s.ring();");
    s.propose().ok().says("Choices").says("caution: it waits");
    let run = s.run(&["accept", "--certainty", "likely"]).ok();
    run.says("calls for caution").says("it is a choice");
    s.run(&["apply"]).ok().says("nothing was written");
    s.run(&["accept", "--step", "careful"]).ok().says("accepted: 1 edit");
    s.run(&["choose", "--step", "pick", "weekly"])
        .code(2)
        .says("its alternatives are: daily, stay");
    s.run(&["reject", "--step", "pick"]).ok();
    s.run(&["choose", "--step", "pick", "daily"]).code(2).says("is rejected: name it by itself");
    s.run(&["reopen", "--step", "pick"]).ok();
    s.run(&["choose", "--step", "pick", "daily"]).ok();
    s.run(&["accept", "--step", "guess"]).ok().says("it is unsure");
    s.run(&["apply"]).ok();
    assert!(s.read("A.java").contains("Station.close(); x(Gauge.mean(1)); s.ring();"));
}

#[test]
fn two_names_can_be_swapped_in_one_step_and_conflicts_are_held_back() {
    let steps = r#"
[[step]]
id = "swap"
title = "Swap"
[[step.code]]
old = 'Station.left(@{x})'
new = 'Station.right(@{x})'
[[step.code]]
old = 'Station.right(@{x})'
new = 'Station.left(@{x})'
[[step.code]]
old = 'Station.left(1)'
new = 'Station.other(1)'
"#;
    let s = Sandbox::java(
        steps,
        "use(Station.left(Station.right(1)), Station.right(2), Station.left(1));",
    );
    s.propose().ok().says("Held back").says("stands first in the recipe");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(
        s.read("A.java")
            .contains("use(Station.right(Station.left(1)), Station.left(2), Station.right(1));")
    );
}

#[test]
fn selections_that_fit_nothing_say_so() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.run(&["accept", "--all"]).code(2).says("there is no proposal yet");
    s.propose().ok();
    s.run(&["accept"]).code(2).says("it is not clear which edits you mean");
    s.run(&["accept", "--step", "nope"]).code(2).says("the steps: open");
    s.run(&["accept", "--edit", "zz"]).code(2).says("no edit has an id");
    s.run(&["accept", "--file", "Nope.java"]).code(2).says("selected by the path `Nope.java`");
    s.run(&["undo"]).code(2).says("nothing to take back");
}

#[test]
fn a_proposal_is_applied_from_any_folder_of_the_project() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.write("emendo.toml", "ignore = [\"gone/**\"]\n");
    for folder in ["sub", "other", "gone"] {
        s.write(&format!("{folder}/B.java"), s.read("A.java"));
    }
    let recipe = s.recipe_path().display().to_string();
    s.run(&["propose", &recipe]).ok().says("1 ignored");
    s.run(&["-C", "sub", "apply", "--accept", "all"]).ok().says("written: 3 edits in 3 files");
    s.run(&["-C", "other", "undo"]).ok();
    // From a folder of it the whole project is meant; paths are those that the user sees from there.
    s.run(&["-C", "sub", "propose", &recipe]).ok().says("3 accepted");
    s.run(&["-C", "sub", "reopen", "--all"]).ok();
    s.run(&["-C", "sub", "accept", "--file", "B.java"]).ok().says("sub/B.java");
    s.run(&["apply"]).ok().says("written: 1 edit in 1 file");
    assert!(
        s.read("sub/B.java").contains("Station.at(a)")
            && s.read("A.java").contains("new Station(a)")
    );
    s.write("emendo.toml", "ignored = []\n");
    s.run(&["status"]).ok().says("emendo.toml is faulty").says("unknown field");
    s.run(&["propose", &recipe]).code(2).says("emendo.toml").says("unknown field");
    s.run(&["undo"]).ok();
}

const OWN: &str = r#"
[[step]]
id = 'own'
title = 'Piers are read'
[[step.symbol]]
what = 'method'
old = 'a.Pier.get'
new = 'a.Pier.read'
[[step.code]]
old = 'Feed @{feed} = new Feed();'
new = 'Stream @{feed} = new Stream();'
[[step.code.follow]]
of = 'feed'
old = '@{feed}.next()'
new = '@{feed}.take()'
"#;

fn own() -> Sandbox {
    let s = Sandbox::new();
    s.recipe(OWN);
    s.write("a/Pier.java", "package a;\n\npublic class Pier {\n    Feed feed = new Feed();\n    public int get() { return 1; }\n}\n");
    s.write("a/Use.java", "package a;\n\nclass Use {\n    int f(Pier p) { return p.get(); }\n    int g(Pier p) { return p.feed.next(); }\n}\n");
    s.propose().ok();
    s
}

/// The id of the edit at a line.
fn id_at(s: &Sandbox, path: &str, line: u64) -> String {
    let all = s.run(&["propose", "--json", &s.recipe_path().display().to_string()]).ok().json();
    let files = all["files"].as_array().expect("files").iter();
    let edits = files.flat_map(|f| f["edits"].as_array().expect("edits"));
    let here = |e: &&serde_json::Value| e["path"] == path && e["line"] == line;
    edits.filter(here).find_map(|e| e["id"].as_str()).expect("an edit there").to_owned()
}

#[test]
fn uses_of_a_rejected_declaration_are_held_back() {
    let s = own();
    s.run(&["reject", "--edit", &id_at(&s, "a/Pier.java", 5)]).ok();
    s.propose().ok().says("a/Use.java:4").says("the edit that it needs is rejected");
    s.run(&["accept", "--file", "a/Use.java"]).ok().says("it is held back");
    s.run(&["reject", "--edit", &id_at(&s, "a/Use.java", 5)]).ok();
    s.propose().ok().says("a/Pier.java:4 [own");
    s.run(&["status"]).ok().says("0 accepted, 2 rejected");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("a/Pier.java").contains("new Feed()"), "all of its uses change, or none");
    assert!(s.read("a/Use.java").contains("p.get()"));
}

#[test]
fn uses_rest_on_the_move_of_a_file() {
    for new in ["tide.core.Station", "tide.core.Post", "tide.client.Post"] {
        let s = Sandbox::new();
        let symbol = format!("what = 'type'\nold = 'tide.client.Station'\nnew = '{new}'");
        s.recipe(&format!("[[step]]\nid = 'own'\ntitle = 'Stations'\n[[step.symbol]]\n{symbol}\n"));
        s.write("tide/client/Station.java", "package tide.client;\n\npublic class Station {\n}\n");
        s.write(
            "app/Use.java",
            "package app;\n\nimport tide.client.Station;\n\nclass Use {\n    Station first;\n}\n",
        );
        s.propose().ok();
        s.run(&["reject", "--edit", &id_at(&s, "tide/client/Station.java", 1)]).ok();
        s.propose().ok().says("the edit that it needs is rejected");
        s.run(&["apply", "--accept", "all"]);
        assert!(s.read("app/Use.java").contains("import tide.client.Station;"), "{new}");
        assert!(s.read("tide/client/Station.java").contains("class Station"), "{new}");
    }
}

#[test]
fn accepting_a_use_accepts_its_declaration() {
    let s = own();
    s.run(&["accept", "--edit", &id_at(&s, "a/Use.java", 4)]).ok().says("a/Pier.java:5");
    s.run(&["accept", "--edit", &id_at(&s, "a/Pier.java", 4)]).ok().says("a/Use.java:5");
    s.run(&["apply"]).ok();
    assert!(s.read("a/Pier.java").contains("Stream feed = new Stream();\n    public int read()"));
    assert!(s.read("a/Use.java").contains("p.read()"));
    assert!(s.read("a/Use.java").contains("p.feed.take()"));
    s.run(&["undo"]).ok();
    assert!(s.read("a/Use.java").contains("p.feed.next()"));
}

#[test]
fn members_of_modules_need_their_declarations_too() {
    let s = Sandbox::new();
    s.recipe(
        "
[[step]]
id = 'own'
title = 'Boards are polled'
[[step.symbol]]
lang = 'typescript'
what = 'method'
old = './src/feeds:Board.read'
new = './src/feeds:Board.poll'
[[step.symbol]]
lang = 'python'
what = 'function'
old = 'board.feeds.read'
new = 'board.feeds.poll'
",
    );
    s.write("src/feeds.ts", "export class Board {\n  read() { return 1; }\n}\n");
    s.write("src/use.ts", "import { Board } from './feeds';\nnew Board().read();\n");
    s.write("board/feeds.py", "def read():\n    return 1\n");
    s.write("board/use.py", "from board.feeds import read\n\nread()\n");
    s.propose().ok();
    s.run(&["accept", "--edit", &id_at(&s, "src/use.ts", 2)]).ok().says("src/feeds.ts:2");
    s.run(&["accept", "--edit", &id_at(&s, "board/use.py", 3)]).ok().says("board/feeds.py:1");
}
