//! The user's work is protected: dirty files, links, modes, the state folder.

use testkit::{Sandbox, java};

const OPEN: &str = r#"
[[step]]
id = "open"
title = "Open"
[[step.code]]
old = 'new Station(@{h})'
new = 'Station.at(@{h})'
[[step]]
id = "more"
title = "More"
[[step.code]]
old = '@{s}.ring()'
new = '@{s}.chime()'
"#;

#[test]
fn files_with_uncommitted_changes_are_refused_but_not_the_tools_own() {
    let s = Sandbox::java(OPEN, "use(new Station(a)); s.ring();");
    s.git(&["init", "-q"]);
    s.propose().ok();
    s.run(&["apply", "--accept", "certain"])
        .code(3)
        .says("in no commit")
        .says("A.java")
        .says("--with-uncommitted");
    s.git(&["add", "-A"]);
    s.git(&["commit", "-qm", "x"]);
    s.run(&["apply", "--accept", "certain"]).ok();
    // A second apply over what the first one wrote.
    s.propose().ok();
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("A.java").contains("use(Station.at(a)); s.chime();"));
    // The user's own change on top is theirs.
    s.write("A.java", s.read("A.java").replace("chime", "ring"));
    s.propose().ok();
    s.run(&["apply", "--accept", "all"]).code(3);
    s.run(&["apply", "--accept", "all", "--with-uncommitted"]).ok();
    let status = std::process::Command::new("git")
        .args(["status", "--porcelain"])
        .current_dir(s.root())
        .output()
        .expect("git runs");
    assert_eq!(
        String::from_utf8_lossy(&status.stdout),
        " M A.java\n",
        "the state folder stays out of commits"
    );
}

#[cfg(unix)]
#[test]
fn modes_hard_links_and_symbolic_links_survive() {
    use std::os::unix::fs::{MetadataExt, PermissionsExt, symlink};
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    std::fs::set_permissions(s.path("A.java"), std::fs::Permissions::from_mode(0o640))
        .expect("ours");
    s.write("sub/B.java", java("use(new Station(b));"));
    std::fs::hard_link(s.path("sub/B.java"), s.path("sub/twin.txt")).expect("same disk");
    symlink(s.path("A.java"), s.path("Link.java")).expect("can link");
    let before = s.tree();
    s.propose().ok().says("1 symbolic link");
    s.run(&["apply", "--accept", "all"]).ok();
    assert_eq!(std::fs::metadata(s.path("A.java")).expect("there").mode() & 0o777, 0o640);
    assert!(s.read("sub/twin.txt").contains("Station.at(b)"), "both names see the change");
    assert!(std::fs::symlink_metadata(s.path("Link.java")).expect("there").is_symlink());
    s.run(&["undo"]).ok();
    assert_eq!(s.tree(), before);
    assert_eq!(std::fs::metadata(s.path("sub/B.java")).expect("there").nlink(), 2);
}

#[cfg(unix)]
#[test]
fn a_folder_that_became_a_link_is_not_written_through() {
    let s = Sandbox::java(OPEN, "");
    s.write("sub/B.java", java("use(new Station(b));"));
    s.propose().ok();
    std::fs::rename(s.path("sub"), s.path("../outside")).expect("moves");
    std::os::unix::fs::symlink(s.path("../outside"), s.path("sub")).expect("links");
    s.run(&["apply", "--accept", "all"]).code(3).says("sub/B.java");
    assert!(
        std::fs::read_to_string(s.path("../outside/B.java"))
            .expect("there")
            .contains("new Station(b)")
    );
}

#[cfg(unix)]
#[test]
fn a_state_folder_that_is_a_link_is_refused() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    std::fs::create_dir(s.path("../elsewhere")).expect("fresh");
    std::os::unix::fs::symlink(s.path("../elsewhere"), s.path(".emendo")).expect("links");
    s.propose().code(2).says("is a symbolic link");
}

#[test]
fn a_state_folder_in_a_commit_is_refused() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.propose().ok();
    s.git(&["init", "-q"]);
    s.git(&["add", "-f", ".emendo"]);
    s.run(&["status"])
        .code(2)
        .says("git tracks the state folder")
        .says("git rm -r --cached .emendo");
}

#[test]
fn undo_keeps_what_was_changed_since() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.write("B.java", java("use(new Station(b));"));
    let before = s.tree();
    s.migrate();
    s.write("B.java", "mine");
    let written = s.tree();
    s.run(&["undo"])
        .code(3)
        .says("changed since they were written")
        .says("B.java")
        .says("--keep-mine");
    assert_eq!(s.tree(), written, "nothing is taken back");
    s.run(&["undo", "--keep-mine", "A.java"]).code(3).says("B.java");
    s.run(&["undo", "--keep-mine", "B.java"]).ok().says("left as they are").says("B.java");
    assert_eq!(s.read("B.java"), "mine");
    assert_eq!(s.tree()["A.java"], before["A.java"]);
    // The acceptances hold again.
    s.propose().ok();
    s.run(&["apply"]).ok().says("written: 1 edit in 1 file");
}

#[test]
fn control_characters_are_shown_not_obeyed() {
    let s = Sandbox::java(OPEN, "use(new Station(\"\u{1b}[31m\u{202e}\"));");
    let run = s.propose().ok();
    assert!(!run.out.contains('\u{1b}') && !run.out.contains('\u{202e}'));
    assert!(run.out.contains("\\u{1b}[31m\\u{202e}"));
}

#[test]
fn colours_only_where_they_are_asked_for() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    let recipe = s.recipe_path().display().to_string();
    assert!(!s.run(&["propose", &recipe]).ok().out.contains('\u{1b}'));
    assert!(s.run(&["propose", &recipe, "--color", "always"]).ok().out.contains('\u{1b}'));
    let out = s.command(&["propose", &recipe]).env("NO_COLOR", "1").output().expect("runs");
    assert!(!String::from_utf8_lossy(&out.stdout).contains('\u{1b}'));
}

#[test]
fn check_says_by_its_code_whether_there_is_work() {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    let recipe = s.recipe_path().display().to_string();
    let before = s.tree();
    s.run(&["propose", "--check", &recipe]).code(1);
    assert_eq!(s.tree(), before, "no file of the project changes");
    s.migrate();
    s.run(&["propose", "--check", &recipe]).ok();
    s.run(&["propose", "nope.toml"]).code(2).says("there is no recipe file");
    s.run(&["nonsense"]).code(2);
    s.run(&["-C", "nowhere", "status"]).code(2).says("cannot open");
    s.run(&["status", "--json"]).ok().json();
}
