//! What the project's settings and comments protect is never written, and is left on purpose.

use testkit::Sandbox;

const RENAME: &str = "[[step]]\nid = 'a'\ntitle = 'A'\n[[step.symbol]]\nwhat = 'method'\nold = 'tide.Quay.moor'\nnew = 'tide.Quay.berth'\n[[step.setting]]\nkey = 'tide.mode'\nnew = 'tide.kind'\n[[step.note]]\nfind = '@{q}.moor(@{x})'\nsay = 'look here'\nslots.x = { text = '^[56]$' }\n";

const CODE: &str = "import tide.Quay;
class A {
    void one(Quay q) {
        q.moor(1); // emendo: leave
        q.moor(2);
        // emendo: leave, this box is old

        // and so is what it says
        q
            .moor(3);
        q.moor(4); // \"emendo: leave\" is said below
        String s = \"// emendo: leave\";
        q.moor(5);
    }
    /* emendo: leave */
    void two(Quay q) {
        q.moor(6);
    }
    void three(Quay q) { q.moor(7); }
}
";

fn sandbox() -> Sandbox {
    let s = Sandbox::new();
    s.recipe(RENAME);
    s.write("A.java", CODE);
    s.write("contracts/B.java", "import tide.Quay;\nclass B { void m(Quay q) { q.moor(1); } }\n");
    s.write("app.yml", "tide:\n  # emendo: leave\n  mode: fast\n");
    s.write("b.properties", "tide.mode = fast\n");
    s.write("emendo.toml", "protected = ['contracts/**']\n");
    s
}

#[test]
fn protected_places_stay_and_are_left_on_purpose() {
    let s = sandbox();
    let (contract, settings) = (s.read("contracts/B.java"), s.read("app.yml"));
    s.propose().ok();
    s.run(&["accept", "--all"]).ok();
    s.run(&["apply", "--with-uncommitted"]).ok();
    assert_eq!((s.read("contracts/B.java"), s.read("app.yml")), (contract, settings));
    assert_eq!(s.read("b.properties"), "tide.kind = fast\n");
    let after = s.read("A.java");
    let stays = |n: u32| after.contains(&format!(".moor({n})"));
    let all: Vec<bool> = (1..=7).map(stays).collect();
    assert_eq!(all, [true, false, true, true, false, true, false], "{after}");
    // Nothing of it is open, and all of it is listed; a note of another place is ticked off.
    s.run(&["done", "--step", "a"]).ok();
    s.run(&["leftovers", "--check"]).ok();
    let list = s.run(&["leftovers", "--on-purpose"]).ok();
    for part in [
        "contracts/B.java:2",
        "emendo.toml protects this file",
        "A.java:4",
        "on line 4 says to leave",
        "app.yml:3",
        "look here",
    ] {
        assert!(list.out.contains(part), "{part}\n{}", list.out);
    }
    let counts = s.run(&["leftovers", "--json"]).ok().json();
    assert_eq!(counts["counts"]["protected"], 7, "{counts:#}");
    s.run(&["why", "A.java:4"]).ok().says("is left on purpose");
    s.run(&["finish", "--report", "../done.md"]).ok();
    let report = std::fs::read_to_string(s.root().join("../done.md")).expect("written");
    assert!(report.contains("emendo.toml protects this file"), "{report}");
}

#[test]
fn protection_that_comes_or_goes_counts_at_once() {
    let s = sandbox();
    s.write("emendo.toml", "");
    assert_eq!(s.propose_json()["open"]["protected"], 6);
    s.write("emendo.toml", "protected = ['**/*.java']\n");
    assert_eq!(s.propose_json()["open"]["protected"], 11);
    s.write("emendo.toml", "protected = ['contracts/**']\n");
    let edit = |v: &serde_json::Value| v["standing"] == "protected";
    let json = s.propose_json();
    let files = json["files"].as_array().expect("files").iter();
    let all: Vec<&serde_json::Value> =
        files.flat_map(|f| f["edits"].as_array().expect("edits")).collect();
    let id = all.iter().find(|e| edit(e)).expect("one")["id"].as_str().expect("an id").to_owned();
    s.run(&["accept", "--edit", &id]).ok().says("says to leave it");
    s.write("emendo.toml", "protected = ['a{']\n");
    s.propose().code(2).says("`protected` names `a{`");
}
