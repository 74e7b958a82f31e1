//! `find`: where a pattern fits, and how far it came where it fits nowhere.

use testkit::Sandbox;

fn project() -> Sandbox {
    let s = Sandbox::new();
    s.write(
        "src/a.ts",
        "import { open as dial } from \"tidewire\";\nconst a = dial(\"pier\", { retry: 3 });\n",
    );
    s.write("src/b.js", "const { open } = require('tidewire');\nopen('quay', other);\n");
    s.write("src/c.ts", "import { open } from \"railwire\";\nopen(\"pier\", 1);\n");
    s.write("src/d.py", "open(\"pier\", 1)\n");
    s
}

const ARGS: [&str; 5] =
    ["find", "open(@{place}, @{o})", "--lang", "typescript", "--names=open=tidewire:open"];

#[test]
fn places_with_what_their_slots_hold() {
    let s = project();
    let run = s
        .run(&ARGS)
        .ok()
        .says("src/a.ts:2:11")
        .says("place = \"pier\"")
        .says("o     = { retry: 3 }");
    run.says("src/b.js:2:1").says("2 places in 2 files");
    s.run(&[&ARGS[..], &["--count"]].concat()).ok().says("2 places in 2 files (3 files looked at");
}

#[test]
fn json_has_places_slots_and_evidence() {
    let found = project().run(&[&ARGS[..], &["--json"]].concat()).ok().json();
    assert_eq!((&found["places"], &found["files"]), (&2.into(), &2.into()));
    let hit = &found["hits"][0];
    assert_eq!(
        (&hit["path"], &hit["line"], &hit["column"]),
        (&"src/a.ts".into(), &2.into(), &11.into())
    );
    assert_eq!(hit["slots"][0], serde_json::json!(["place", "\"pier\""]));
    assert_eq!(hit["certainty"], "certain");
}

#[test]
fn nothing_fits_shows_the_nearest_place() {
    let s = project();
    let pattern = "dial(@{place}, { timeout: @{t} })";
    let run = s.run(&["find", pattern, "--lang", "typescript"]).ok();
    run.says("0 places in 0 files").says("the nearest place").says("src/a.ts:2").says("timeout");
}

#[test]
fn bad_patterns_languages_and_names_say_the_way_out() {
    let s = project();
    s.run(&["find", "open(", "--lang", "typescript"])
        .code(2)
        .says("this cannot be read as TypeScript");
    s.run(&["find", "f()", "--lang", "cobol"])
        .code(2)
        .says("there is no language `cobol`")
        .says("rust");
    s.run(&["find", "f()", "--lang", "rust", "--names", "f"])
        .code(2)
        .says("write `--names WORD=SYMBOL`");
    s.run(&["find", "f(@{x|loud})", "--lang", "rust"]).code(2).says("there is no filter `loud`");
}
