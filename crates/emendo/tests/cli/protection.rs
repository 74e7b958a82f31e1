//! Protection of the user's own changes is never off without a word, and text cannot forge lines of the output.

use testkit::{HEAD, Sandbox};

const OPEN: &str = "[[step]]\nid = \"open\"\ntitle = \"Open\"\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h}).open()'\n";

fn proposed() -> Sandbox {
    let s = Sandbox::java(OPEN, "new Station(a);");
    s.propose().ok();
    s
}

#[test]
fn without_a_git_tree_that_is_said() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    s.propose().ok().says("no git tree");
    s.run(&["survey"]).ok().says("no git tree");
    s.run(&["apply", "--accept", "all"]).ok().says("no git tree").says("written: 1 edit");
}

#[test]
fn a_tree_that_git_does_not_read_is_not_written() {
    let s = proposed();
    s.write(".git/HEAD", "nonsense\n");
    let before = s.tree();
    s.run(&["survey"]).ok().says("git does not read this tree");
    s.propose().ok().says("git does not read this tree").says("will refuse");
    s.run(&["apply", "--accept", "all"])
        .code(3)
        .says("git does not read this tree")
        .says("--with-uncommitted");
    assert_eq!(s.tree(), before);
    s.run(&["apply", "--accept", "all", "--with-uncommitted"]).ok().says("written: 1 edit");
}

#[test]
fn a_git_tree_without_a_program_git_is_not_written() {
    let s = proposed();
    s.git(&["init", "-q"]);
    let without = |args: &[&str]| s.run_in(args, "PATH", "/nowhere");
    without(&["survey"]).ok().says("there is no program `git`");
    without(&["apply", "--accept", "all"]).code(3).says("there is no program `git`");
    without(&["apply", "--accept", "all", "--with-uncommitted"]).ok();
}

#[test]
fn the_old_flag_is_gone() {
    proposed().run(&["apply", "--allow-dirty"]).code(2).says("unexpected argument");
}

#[test]
#[cfg(unix)]
fn names_and_texts_cannot_forge_lines() {
    let s = Sandbox::new();
    let title = "T\\n+++ b/forged.java\\u2028@@ -1,1 +1,1 @@ forged";
    let text = format!("{}{OPEN}", HEAD.replace("\"Tide\"", &format!("\"{title}\"")));
    std::fs::write(s.recipe_path(), text).expect("writable");
    let code = testkit::java("new Station(a); // \u{2028}+forged \u{202e}");
    s.write("A\n+++ b\n@@ forged.java", &code);
    s.write("B\u{2029}forged\t.java", &code);
    let recipe = s.recipe_path().display().to_string();
    let runs = [
        s.run(&["propose", &recipe]).ok(),
        s.run(&["status"]).ok(),
        s.run(&["survey"]).ok(),
        s.run(&["leftovers", &recipe]).ok(),
        s.run(&["accept", "--all"]).ok(),
        s.run(&["recipe", "show", &recipe]).ok(),
        s.run(&["find", "new Station(@{h})", "--lang", "java"]).ok(),
        s.run(&["apply"]).ok(),
    ];
    for run in runs {
        let all = format!("{}{}", run.out, run.err);
        for line in all.lines() {
            assert!(!line.starts_with("@@ forged") && line != "+++ b", "{all}");
            assert!(!line.starts_with("+++ b/forged"), "{all}");
        }
        assert!(!all.contains(['\u{2028}', '\u{2029}', '\u{202e}']), "{all}");
    }
    let json = s.run(&["status", "--json"]).ok();
    assert!(json.out.is_ascii(), "{}", json.out);
    json.json();
}

#[test]
#[cfg(unix)]
fn a_tool_beside_the_project_is_not_asked() {
    let s = Sandbox::java(
        &format!("requires = {{ machine = {{ node = \">=1\" }} }}\n{OPEN}"),
        "new Station(a);",
    );
    // A settings file of the tool in the project must not answer in its place.
    s.write("node", "#!/bin/sh\necho v99.0.0\n");
    use std::os::unix::fs::PermissionsExt;
    let mode = std::fs::Permissions::from_mode(0o755);
    std::fs::set_permissions(s.path("node"), mode).expect("is there");
    let run = s.run_in(&["propose", &s.recipe_path().display().to_string()], "PATH", ".");
    assert_ne!(run.code, 0, "{}", run.out);
    assert!(run.err.contains("none is"), "{}", run.err);
}
