//! `verify`: the check before and after, errors joined to edits, and the step that is to blame.

use testkit::{Run, Sandbox};

const STEPS: &str = "[[step]]\nid = \"open\"\ntitle = \"Open\"\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h})'\n[[step]]\nid = \"close\"\ntitle = \"Close\"\n[[step.code]]\nold = 'stop(@{s})'\nnew = 'close(@{s})'\n[[step]]\nid = \"log\"\ntitle = \"Log\"\n[[step.code]]\nold = 'log(@{x})'\nnew = 'print(@{x})'\n";

/// A check that complains like a compiler of each line that holds a word, or lacks a word anywhere.
const CHECK: &str = "for w in \"$@\"; do grep -Hn \"$w\" *.java | sed -E 's/^([^:]*):([0-9]+):.*/\\1:\\2: error: no such method/' | tee -a errors.tmp; done\n\
    [ ! -f want ] || grep -q \"$(cat want)\" A.java || echo 'B.java:1: error: HAND is missing' | tee -a errors.tmp\n\
    [ ! -s errors.tmp ]; code=$?; rm -f errors.tmp; exit $code\n";

/// Three steps with one edit each, accepted and not written.
fn proposed() -> Sandbox {
    let s = Sandbox::java(STEPS, "use(new Station(a));\n    stop(s);\n    log(x);");
    s.write("check.sh", CHECK);
    s.write("B.java", "class B {}\n");
    s.propose().ok();
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
    s
}

fn applied() -> Sandbox {
    let s = proposed();
    s.run(&["apply"]).ok();
    s
}

/// Runs the check on these words.
fn verify(s: &Sandbox, options: &[&str], words: &[&str]) -> Run {
    let args = [&["verify"], options, &["--", "sh", "check.sh"], words].concat();
    s.run(&args)
}

#[test]
fn it_passes_before_and_after_and_the_result_is_kept() {
    let s = proposed();
    verify(&s, &[], &["BAD"]).ok().says("passes before the edits").says("`emendo apply`");
    s.run(&["apply"]).ok();
    verify(&s, &[], &["BAD"])
        .ok()
        .says("passed before, and passes with the edits")
        .lacks("in a copy");
    s.run(&["status"]).ok().says("passed before, and passes with the edits");
    s.run(&["verify", "--last"]).ok().says("check: sh check.sh BAD");
    let json = s.run(&["verify", "--json", "--last"]).ok().json();
    assert_eq!((&json["passed"], &json["before"]["passed"]), (&true.into(), &true.into()));
    // Another command has no result before; where it passes now, none is wanted.
    verify(&s, &[], &["OTHER"]).ok().says("before them it was not run");
    verify(&s, &["--again"], &["OTHER"]).ok().says("in a copy");
    s.run(&["finish"]).ok();
    assert!(!s.path(".emendo").exists());
}

#[test]
fn the_step_whose_absence_helps_is_guilty_and_the_project_stays_as_it_is() {
    let s = applied();
    let before = s.tree();
    let run = verify(&s, &[], &["close("]).code(4);
    run.says("passed before, and fails with the edits: 1 error")
        .says("1 error at edits of step `close`")
        .says("A.java:")
        .says("no such method")
        .says("step `close` breaks the check: without it 1 error less")
        .lacks("`open` breaks")
        .says("`emendo reject --step close`")
        .says(".emendo/checks/");
    assert_eq!(s.tree(), before);
    s.run(&["status"]).ok().says("broken by step `close`");
    s.run(&["review", "--plain"])
        .says("Check: passed before, and fails with the edits: 1 error, by `close`");
    let json = s.run(&["verify", "--json", "--last"]).code(4).json();
    assert_eq!(json["findings"]["guilty"][0]["step"], "close");
    assert_eq!(json["new"][0]["near"], "edit");
    assert_eq!(json["new"][0]["lines"], 0);
    // The way out that is named works.
    s.run(&["undo"]).ok();
    s.run(&["status"]).ok().lacks("check:");
    s.run(&["reopen", "--step", "close"]).ok();
    s.run(&["reject", "--step", "close"]).ok();
    s.run(&["apply"]).ok();
    verify(&s, &[], &["close("]).ok();
}

#[test]
fn two_guilty_steps_are_found_with_and_without_errors_of_their_own() {
    let s = applied();
    verify(&s, &[], &["close(", "Station.at"])
        .code(4)
        .says("step `close` breaks the check")
        .says("step `open` breaks the check")
        .lacks("`log` breaks");
    // A check that says nothing but whether it passes.
    let quiet = "! grep -q 'close(\\|Station.at' A.java";
    s.run(&["verify", "--", "sh", "-c", quiet])
        .code(4)
        .says("1 error without a place in the project")
        .says("step `close` breaks the check")
        .says("step `open` breaks the check")
        .lacks("`log` breaks");
    s.run(&["verify", "--tries", "8", "--", "sh", "-c", quiet])
        .code(4)
        .says("the tries are used up: there may be others; `--tries 16`");
    s.run(&["verify", "--tries", "2", "--", "sh", "-c", quiet]).code(4).says("--tries");
    s.run(&["verify", "--no-search", "--", "sh", "-c", quiet]).code(4).lacks("breaks the check");
}

#[test]
fn what_failed_before_is_told_from_what_is_new() {
    let s = applied();
    verify(&s, &[], &["use("]).code(4).says("failed before the edits too").says("nothing is new");
    verify(&s, &[], &["use(", "print("])
        .code(4)
        .says("failed before the edits too; 1 error is new")
        .says("step `log` breaks the check");
}

#[test]
fn a_check_that_is_not_stable_blames_nobody() {
    let s = applied();
    let count = s.folder().join("count");
    std::fs::write(&count, "0").expect("writable");
    // It fails with the edits now and then, by how often it ran.
    let script = format!(
        "n=$(cat {0}); echo $((n+1)) > {0}; ! grep -q 'close(' A.java || case $n in 0|3) exit 1;; esac",
        count.display()
    );
    s.run(&["verify", "--", "sh", "-c", &script])
        .code(4)
        .says("the check is not stable")
        .lacks("breaks the check");
}

#[test]
fn each_error_is_joined_to_what_stands_at_its_line() {
    let s = crate::todo::sandbox();
    s.write("b.java", "class B {}\n");
    s.propose().ok();
    s.run(&["accept", "--all"]).ok();
    s.run(&["apply"]).ok();
    let left = s.run(&["leftovers", "--json"]).ok().json();
    let line = |list: &str| left[list][0]["line"].as_u64().expect("a line");
    let of = |list: &str| left[list][0]["path"].as_str().expect("a path").to_owned();
    let say = |path: &str, line: u64| format!("echo 'error: here'; echo ' --> {path}:{line}:1'\n");
    // An edit, the line after one, a note, a leftover, far from all, a file without edits, no file.
    let mut script = say("a/A.java", 3) + &say("a/A.java", 4) + &say("a/A.java", line("notes"));
    script +=
        &(say(&of("leftovers"), line("leftovers")) + &say("a/A.java", 60) + &say("b.java", 1));
    s.write("errors.sh", format!("{script}echo 'error: nowhere'\ntest -f never\n"));
    s.write("check.sh", "grep -q 'client.Gauge' a/A.java || exit 0\nsh errors.sh\n");
    let run = s.run(&["verify", "--no-search", "--", "sh", "check.sh"]).code(4);
    run.says("2 errors at edits of step `names`")
        .says("1 line away")
        .says("1 error where a note stands")
        .says("1 error where the old API is left")
        .says("1 error elsewhere in files with edits")
        .says("1 error in files without edits")
        .says("1 error without a place in the project");
}

#[test]
fn what_is_accepted_can_be_checked_before_it_is_written() {
    let s = proposed();
    let before = s.tree();
    verify(&s, &["--ahead"], &["close("])
        .code(4)
        .says("step `close` breaks the check")
        .says("`emendo show --step close`");
    assert_eq!(s.tree(), before);
    verify(&s, &["--ahead"], &["BAD"]).ok().says("passes with the edits");
    s.run(&["reopen", "--all"]).ok();
    verify(&s, &["--ahead"], &["BAD"]).code(2).says("nothing is accepted");
}

#[test]
fn changes_by_hand_hold_while_steps_are_left_out() {
    let s = applied();
    s.write("want", "HAND");
    let text = s.read("A.java");
    s.write("A.java", format!("// HAND\n// more\n{text}"));
    let run = verify(&s, &["--again"], &["close("]).code(4);
    // Without the step the rest of the file is as the user left it: nothing else fails.
    run.says("step `close` breaks the check: without it 1 error less");
    let json = s.run(&["verify", "--json", "--last"]).code(4).json();
    assert_eq!(json["new"][0]["near"], "edit");
    assert_eq!(json["new"][0]["lines"], 0, "{}", json["new"]);
}

#[test]
fn steps_that_were_committed_one_by_one_are_told_apart_too() {
    let s = proposed();
    s.git(&["init", "-q"]);
    s.git(&["config", "user.name", "Harbour"]);
    s.git(&["config", "user.email", "board@harbour.example"]);
    s.git(&["add", "-A"]);
    s.git(&["commit", "-q", "-m", "before"]);
    s.run(&["apply", "--commits"]).ok();
    verify(&s, &[], &["close("])
        .code(4)
        .says("step `close` breaks the check")
        .lacks("`log` breaks");
}

#[test]
fn a_copy_never_reaches_the_repository_of_the_project() {
    let s = proposed();
    s.git(&["init", "-q"]);
    s.git(&["add", "-A"]);
    s.git(&["commit", "-q", "-m", "before"]);
    let tree = s.folder().join("second");
    s.git(&["worktree", "add", "-q", &tree.display().to_string()]);
    let second = tree.display().to_string();
    let recipe = s.recipe_path().display().to_string();
    s.run(&["-C", &second, "propose", &recipe]).ok();
    s.run(&["-C", &second, "accept", "--all", "--certainty", "unsure"]).ok();
    s.run(&["-C", &second, "apply"]).ok();
    // A check that changes what git holds, where it can.
    let script = "git add -A; git -c user.name=t -c user.email=t@t commit -qm check; ! grep -q 'close(' A.java";
    let run = s.run(&["-C", &second, "verify", "--", "sh", "-c", script]).code(4);
    run.says("step `close` breaks the check");
    let log = std::process::Command::new("git")
        .args(["-C", &second, "log", "--oneline"])
        .output()
        .expect("git runs");
    // In place the user's check does what it does; the copies add nothing.
    assert_eq!(String::from_utf8_lossy(&log.stdout).lines().count(), 2);
}

#[test]
fn a_tree_of_git_is_made_ready_by_the_projects_own_command() {
    let s = proposed();
    s.write(".gitignore", "lib.txt\n");
    s.write("lib.txt", "here\n");
    let check = "test -f lib.txt && ! grep -q 'close(' A.java";
    s.write("emendo.toml", format!("check = \"{check}\"\nprepare = \"echo made > lib.txt\"\n"));
    s.git(&["init", "-q"]);
    s.git(&["add", "-A"]);
    s.git(&["commit", "-q", "-m", "before"]);
    s.run(&["apply"]).ok();
    s.run(&["verify"]).code(3).says("not confirmed").says("echo made");
    s.run(&["verify", "--trust-command"]).code(4).says("step `close` breaks the check");
    s.git(&["worktree", "prune"]);
    assert!(!s.path(".git/worktrees").exists());
    s.write("emendo.toml", format!("check = \"{check}\"\nprepare = \"echo no net; exit 3\"\n"));
    s.run(&["verify", "--trust-command", "--again"]).code(4).says("prepares the copy, failed");
}

#[test]
fn files_that_moved_are_back_in_place_where_their_step_is_left_out() {
    let s = Sandbox::java(
        "[[step]]\nid = \"move\"\ntitle = \"Move\"\n[[step.file]]\nold = \"notes/@{n}.txt\"\nnew = \"docs/@{n}.txt\"\n[[step]]\nid = \"open\"\ntitle = \"Open\"\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h})'\n",
        "use(new Station(a));",
    );
    s.write("notes/tide.txt", "tide\n");
    s.propose().ok();
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
    s.run(&["apply"]).ok();
    assert!(s.path("docs/tide.txt").exists());
    s.run(&["verify", "--", "sh", "-c", "test -f notes/tide.txt"])
        .code(4)
        .says("step `move` breaks the check")
        .lacks("`open` breaks");
    assert!(s.path("docs/tide.txt").exists() && !s.path("notes").exists());
}

#[test]
fn a_recipe_that_changed_since_joins_nothing_and_loses_nothing() {
    let s = applied();
    verify(&s, &[], &["BAD"]).ok();
    s.recipe(&STEPS.replace("Close", "Shut"));
    verify(&s, &[], &["close("]).code(4).says("is not what it was").says("fails with the edits");
}

#[test]
fn wrong_commands_are_said_and_nothing_is_kept_of_them() {
    let s = proposed();
    s.run(&["verify"]).code(2).says("there is no check to run").says("check = ");
    s.run(&["verify", "--", "no-such-program"]).code(2).says("no such program").says("sh -c");
    s.run(&["verify", "--last"]).code(2).says("nothing was verified here yet");
    s.write("emendo.toml", "check = \" \"\n");
    s.run(&["verify"]).code(2).says("`check` is an empty command");
}

#[test]
fn copies_of_killed_runs_go_and_what_is_in_use_stays() {
    let s = applied();
    let scratch = s.folder().join("scratch");
    let copy = |name: &str| {
        let folder = scratch.join(name);
        std::fs::create_dir_all(folder.join("tree")).expect("writable");
        std::fs::File::create(folder.join("in-use")).expect("writable")
    };
    drop(copy("emendo-copy-killed"));
    let held = copy("emendo-copy-held");
    held.lock().expect("locks");
    std::fs::create_dir_all(scratch.join("emendo-copy-of-someone")).expect("writable");
    let temp = scratch.display().to_string();
    s.run_in(&["verify", "--again", "--", "true"], "TMPDIR", &temp).ok().says("in a copy");
    let mut left: Vec<String> = std::fs::read_dir(&scratch)
        .expect("readable")
        .flatten()
        .map(|e| e.file_name().to_string_lossy().into_owned())
        .collect();
    left.sort();
    assert_eq!(left, ["emendo-copy-held", "emendo-copy-of-someone"]);
}
