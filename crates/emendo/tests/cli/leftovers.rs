//! What is left of the old API, before and after it is applied.

use testkit::Sandbox;

const STEPS: &str = r#"
[[step]]
id = 'names'
title = 'Stations are gauges'
why = 'Version 3 calls them gauges.'
[[step.symbol]]
what = 'type'
old = 'tidewire.client.Station'
new = 'tidewire.client.Gauge'
[[step.symbol]]
what = 'method'
old = 'tidewire.client.Buoy.drop'
gone = 'Buoys float: remove the call.'
"#;

fn sandbox() -> Sandbox {
    let s = Sandbox::new();
    s.recipe(STEPS);
    s.write(
        "a/A.java",
        "package a;\n\nimport tidewire.client.*;\n\nclass A {\n    Station s;\n    String n = \"tidewire.client.Station\";\n    void f(Buoy b) { b.drop(); }\n}\n",
    );
    s.write("conf/app.yaml", "type: tidewire.client.Station\n");
    s.write("b/B.java", "package b;\n\nclass B { Station s; void drop() { drop(); } }\n");
    s
}

#[test]
fn pending_before_and_left_after() {
    let s = sandbox();
    let recipe = s.recipe_path().display().to_string();
    s.run(&["leftovers"]).code(2).says("no recipe was proposed or applied here yet");
    let before = s.run(&["leftovers", "--json", &recipe]).ok().json();
    assert_eq!(before["pending"]["undecided"][0]["path"], "a/A.java");
    assert_eq!(before["counts"]["undecided"], 1);
    let places: Vec<String> = before["leftovers"]
        .as_array()
        .expect("a list")
        .iter()
        .map(|l| format!("{}:{} {}", l["path"], l["line"], l["certainty"]).replace('"', ""))
        .collect();
    assert_eq!(
        places,
        ["a/A.java:7 likely", "conf/app.yaml:1 likely"],
        "its own `drop`, and a Station of nobody's, are none"
    );
    s.propose().ok().says("Leftovers: 2 places").says("Buoys float");
    s.run(&["apply", "--accept", "all"]).ok();
    s.run(&["leftovers"])
        .ok()
        .says("tidewire.client.Station")
        .says("Version 3 calls them gauges.")
        .says("conf/app.yaml:1")
        .says("left: 1 note, 2 leftovers")
        .says("0 certain, 2 likely, 0 unsure");
    s.run(&["leftovers", "--check"]).code(1);
    s.run(&["leftovers", "--certainty", "certain"]).ok().says("left: 1 note");
}
