//! `apply --commits`: a commit for each step through the user's git, whatever the repository looks like, and the way back.

use std::process::Command;
use std::time::Duration;

use testkit::{Sandbox, java};

/// Three steps: the second writes over what the first wrote, the third has nothing to do with them.
const STEPS: &str = r#"
[[step]]
id = "open"
title = "Stations are opened, not constructed"
why = "Version 3 pools connections, so that the constructor is gone; the address says which pool a station belongs to."
[[step.code]]
old = 'new Station(@{h})'
new = 'Station.at(@{h})'

[[step]]
id = "pool"
title = "Stations come from a pool"
[[step.code]]
old = 'Station.at(@{h})'
new = 'Station.pooled(@{h}, POOL)'

[[step]]
id = "gauges"
title = "Gauges live elsewhere"
[[step.symbol]]
what = "type"
old = 'tidewire.client.Gauge'
new = 'tidewire.api.Gauge'
"#;

const BODY: &str =
    r#"use(new Station("a")); use(new Station("a")); use(Station.at("b")); Gauge g = null;"#;

/// A repository with the project in one commit, and everything proposed and accepted.
fn proposed() -> Sandbox {
    let s = Sandbox::java(STEPS, BODY);
    s.write("other.txt", "one\n");
    prepared(&s);
    accepted(&s);
    s
}

fn prepared(s: &Sandbox) {
    let settings =
        "[user]\nname = Harbour\nemail = board@harbour.example\n[init]\ndefaultBranch = main\n";
    std::fs::write(s.folder().join(".gitconfig"), settings).expect("writable");
    git(s, &["init", "-q"]);
    git(s, &["add", "-A"]);
    git(s, &["commit", "-q", "-m", "The board"]);
}

fn accepted(s: &Sandbox) {
    s.propose().ok();
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
}

/// What git says in a folder of the sandbox, with the settings of the sandbox's user; it must succeed.
fn git(s: &Sandbox, args: &[&str]) -> String {
    git_in(s, "project", args)
}

fn git_in(s: &Sandbox, folder: &str, args: &[&str]) -> String {
    let run = Command::new("git")
        .args(args)
        .current_dir(s.folder().join(folder))
        .env("HOME", s.folder())
        .env_remove("XDG_CONFIG_HOME")
        .output()
        .expect("git runs");
    assert!(run.status.success(), "git {args:?}: {}", String::from_utf8_lossy(&run.stderr));
    String::from_utf8_lossy(&run.stdout).trim_end().to_owned()
}

/// The titles of all commits, the newest first.
fn titles(s: &Sandbox) -> Vec<String> {
    git(s, &["log", "--format=%s"]).lines().map(str::to_owned).collect()
}

/// A hook of the repository.
pub(crate) fn hook(s: &Sandbox, name: &str, script: &str) {
    let path = s.path(&format!(".git/hooks/{name}"));
    std::fs::create_dir_all(path.parent().expect("has one")).expect("writable");
    executable(&path, script);
}

fn executable(path: &std::path::Path, script: &str) {
    std::fs::write(path, format!("#!/bin/sh\n{script}\n")).expect("writable");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(path, mode).expect("ours");
    }
}

const ALL: [&str; 4] = [
    "Gauges live elsewhere",
    "Stations come from a pool",
    "Stations are opened, not constructed",
    "The board",
];

#[test]
fn each_step_is_a_commit_that_undo_reverts() {
    let s = proposed();
    let before = s.read("A.java");
    s.run(&["apply", "--commits"]).ok().says("committed: 6 edits in 3 commits").says("undo --to 1");
    assert_eq!(titles(&s), ALL);
    let body = git(&s, &["log", "-1", "--format=%b", "HEAD~2"]);
    assert!(
        body.starts_with("Version 3 pools connections, so that the constructor is gone; the\n"),
        "{body}"
    );
    assert!(body.ends_with("Recipe: tide\nStep: open"), "{body}");
    // Each commit holds the work of its step alone, and the first one is what the second writes over.
    let opened = git(&s, &["show", "HEAD~2:A.java"]);
    assert!(
        opened.contains(r#"use(Station.at("a")); use(Station.at("a")); use(Station.at("b"));"#),
        "{opened}"
    );
    assert!(opened.contains("tidewire.client.Gauge"), "{opened}");
    assert_eq!(git(&s, &["diff", "--stat", "HEAD"]), "");
    assert_eq!(git(&s, &["status", "--porcelain"]), "");
    let listed = s.run(&["status", "--applies"]).ok();
    listed.says("Gauges live elsewhere").says(&git(&s, &["rev-parse", "--short=10", "HEAD"]));
    // One is taken back, then the rest; what was decided holds again.
    s.run(&["undo"]).ok().says("reverted by commit").says("1 accepted edit to write");
    assert_eq!(titles(&s)[0], "Revert \"Gauges live elsewhere\"");
    let undone = s.run(&["undo", "--to", "1"]).ok();
    undone.says("the last 2 applies were taken back").says("6 accepted edits to write");
    assert_eq!(titles(&s).len(), 7);
    assert_eq!((s.read("A.java"), git(&s, &["status", "--porcelain"])), (before, String::new()));
    s.run(&["undo", "--to", "2"]).code(2).says("no apply 2 to take back");
    s.run(&["apply", "--commits"]).ok().says("6 edits in 3 commits");
}

#[test]
fn a_hook_that_refuses_stops_there_and_the_rest_stays_accepted() {
    let s = proposed();
    s.run(&["apply", "--commits"]).ok();
    let whole = s.read("A.java");
    s.run(&["undo", "--to", "1"]).ok();
    // A rejected place between two equal ones: the ids of those after it change with every commit.
    let edits = s.edits();
    let first = edits.iter().find(|e| e["step"] == "open").expect("is there")["id"].clone();
    s.run(&["reject", "--edit", first.as_str().expect("a word")]).ok();
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
    hook(&s, "commit-msg", r#"if grep -q "pool$" "$1"; then echo "name a ticket" >&2; exit 1; fi"#);
    let n = titles(&s).len();
    let stopped = s.run(&["apply", "--commits"]).code(3);
    stopped
        .says("stopped at \"Stations come from a pool\"")
        .says("name a ticket")
        .says("3 accepted edits");
    assert_eq!(titles(&s).len(), n + 1, "the commits before stay");
    assert_eq!(git(&s, &["status", "--porcelain"]), "", "what was refused is taken back");
    std::fs::remove_file(s.path(".git/hooks/commit-msg")).expect("is there");
    s.run(&["apply", "--commits"]).ok().says("committed: 3 edits in 2 commits");
    let expected = whole.replacen(r#"Station.pooled("a", POOL)"#, r#"new Station("a")"#, 1);
    assert_eq!(s.read("A.java"), expected);
    s.run(&["undo", "--to", "4"]).ok().says("4 accepted edits to write");
}

#[test]
fn a_hook_that_changes_files_stops_there() {
    for script in [
        "echo '// form' >> A.java; git add A.java",
        "echo '// form' >> A.java",
        "echo 2 > other.txt; git add other.txt",
    ] {
        let s = proposed();
        let before = s.read("A.java");
        hook(&s, "pre-commit", script);
        let run = s.run(&["apply", "--commits"]).code(3);
        run.says("a hook changed what was to be committed").says("`format` in emendo.toml");
        assert_eq!(titles(&s), ["The board"], "{script}");
        assert_eq!(s.read("A.java"), before, "{script}");
        std::fs::remove_file(s.path(".git/hooks/pre-commit")).expect("is there");
        git(&s, &["checkout", "-q", "--", "other.txt"]);
        s.run(&["apply", "--commits"]).ok();
        assert_eq!(titles(&s), ALL, "{script}");
    }
}

#[test]
fn undo_that_a_hook_refuses_changes_nothing() {
    let s = proposed();
    s.run(&["apply", "--commits"]).ok();
    let after = s.read("A.java");
    hook(&s, "pre-commit", "echo frozen >&2; exit 1");
    s.run(&["undo", "--to", "1"]).code(3).says("frozen");
    assert_eq!((s.read("A.java"), git(&s, &["status", "--porcelain"])), (after, String::new()));
    s.run(&["status"]).ok().says("3 commits");
    s.run(&["undo", "--files-only"]).ok();
    assert_eq!(titles(&s), ALL);
    assert_eq!(git(&s, &["status", "--porcelain"]), " M A.java");
}

#[test]
fn what_a_hook_leaves_running_is_not_waited_for() {
    let s = proposed();
    hook(&s, "post-commit", "while [ ! -e ../stop ]; do sleep 0.1; done &");
    s.run(&["apply", "--commits"]).ok();
    s.run(&["undo", "--to", "1"]).ok();
    s.write("../stop", "");
}

#[test]
fn commits_are_signed_where_git_is_set_to() {
    let s = proposed();
    let stub = s.folder().join("sign");
    // As gpg answers, for any text.
    executable(
        &stub,
        "cat >/dev/null; echo '[GNUPG:] SIG_CREATED ' >&2; echo '-----BEGIN PGP SIGNATURE-----'; echo; echo made up; echo '-----END PGP SIGNATURE-----'",
    );
    git(&s, &["config", "gpg.program", &stub.display().to_string()]);
    git(&s, &["config", "commit.gpgsign", "true"]);
    s.run(&["apply", "--commits"]).ok();
    assert!(git(&s, &["cat-file", "commit", "HEAD~2"]).contains("gpgsig -----BEGIN PGP"));
    executable(&stub, "echo 'no key' >&2; exit 1");
    s.run(&["undo"]).code(3).says("no key");
    assert_eq!(titles(&s), ALL);
}

#[test]
fn what_the_user_has_staged_stays_staged() {
    let s = proposed();
    s.write("new.txt", "staged\n");
    git(&s, &["add", "new.txt"]);
    s.write("other.txt", "staged\n");
    git(&s, &["add", "other.txt"]);
    s.write("other.txt", "and more\n");
    let state = git(&s, &["status", "--porcelain"]);
    s.run(&["apply", "--commits"]).ok();
    assert_eq!(git(&s, &["status", "--porcelain"]), state);
    assert_eq!(git(&s, &["diff", "--name-only", "HEAD~3", "HEAD"]), "A.java");
    assert_eq!(git(&s, &["show", ":other.txt"]), "staged");
    s.run(&["undo", "--to", "1"]).ok();
    assert_eq!(git(&s, &["status", "--porcelain"]), state);
}

#[test]
fn the_users_own_changes_are_never_committed() {
    let s = proposed();
    s.write("B.java", java("use(new Station(\"z\"));"));
    s.write("C.java", java("use(new Station(\"y\"));"));
    s.write(".gitignore", "C.java\n");
    git(&s, &["add", "B.java", ".gitignore"]);
    git(&s, &["commit", "-q", "-m", "B"]);
    git(&s, &["add", "-f", "C.java"]);
    git(&s, &["update-index", "--assume-unchanged", "A.java"]);
    s.write("A.java", format!("{}// mine\n", s.read("A.java")));
    accepted(&s);
    // One that git is told not to look at, and one that is in no commit.
    s.run(&["apply", "--commits"]).code(3).says("A.java").says("C.java").says("--with-uncommitted");
    let run = s.run(&["apply", "--commits", "--skip-changed"]).ok();
    run.says("its file holds your own changes").says("committed: ");
    assert_eq!(git(&s, &["log", "-3", "--format=", "--name-only"]).lines().last(), Some("B.java"));
    assert!(s.read("A.java").contains("new Station"), "left out");
    let run = s.run(&["apply", "--commits", "--with-uncommitted"]).ok();
    run.says("written, and in no commit").says("A.java").says("C.java").says("no commit");
    assert!(!s.read("A.java").contains("new Station"), "written");
    assert!(git(&s, &["show", "HEAD:A.java"]).contains("new Station"), "and not committed");
}

#[test]
fn no_commit_is_made_where_it_would_be_lost_or_mixed_up() {
    let s = proposed();
    let head = git(&s, &["rev-parse", "HEAD"]);
    let before = s.read("A.java");
    git(&s, &["checkout", "-q", "--detach"]);
    s.run(&["apply", "--commits"]).code(3).says("no branch is checked out").says("--branch NAME");
    s.run(&["apply", "--branch", "main"]).code(3).says("there is a branch `main` already");
    s.run(&["apply", "--branch", "a..b"]).code(3).says("cannot be the name of a branch");
    s.write(".git/MERGE_HEAD", format!("{head}\n"));
    s.run(&["apply", "--branch", "tide"]).code(3).says("a merge is under way");
    std::fs::remove_file(s.path(".git/MERGE_HEAD")).expect("is there");
    assert_eq!(s.read("A.java"), before);
    // A refused first commit leaves no branch behind.
    hook(&s, "pre-commit", "exit 1");
    s.run(&["apply", "--branch", "tide"]).code(3);
    assert_eq!(git(&s, &["branch", "--format=%(refname:short)"]).lines().last(), Some("main"));
    std::fs::remove_file(s.path(".git/hooks/pre-commit")).expect("is there");
    s.run(&["apply", "--branch", "tide"]).ok();
    assert_eq!(git(&s, &["symbolic-ref", "--short", "HEAD"]), "tide");
    assert_eq!(
        (titles(&s), git(&s, &["rev-parse", "main"])),
        (ALL.map(str::to_owned).to_vec(), head)
    );
    // The commits are not in the history of that branch.
    git(&s, &["checkout", "-q", "main"]);
    s.run(&["undo"]).code(3).says("not in the history of the current branch");
    let bare = Sandbox::java(STEPS, BODY);
    accepted(&bare);
    bare.run(&["apply", "--commits"]).code(3).says("there is no git tree here");
}

#[test]
fn a_tree_that_git_does_not_trust_gets_no_commit() {
    let s = proposed();
    let before = s.read("A.java");
    let run = s.run_in(&["apply", "--commits"], "GIT_TEST_ASSUME_DIFFERENT_OWNER", "1");
    run.code(3).says("dubious ownership");
    let run = s.run_in(
        &["apply", "--commits", "--with-uncommitted"],
        "GIT_TEST_ASSUME_DIFFERENT_OWNER",
        "1",
    );
    run.code(3).says("no commit can be made");
    assert_eq!((s.read("A.java"), titles(&s).len()), (before, 1));
}

/// The same project as a worktree, a shallow clone, a submodule, and a folder of a larger repository with a submodule of its own.
#[test]
fn every_kind_of_tree_gets_its_commits() {
    let s = Sandbox::java(STEPS, BODY);
    prepared(&s);
    let folder = s.folder().display().to_string();
    git(&s, &["commit", "-q", "--allow-empty", "-m", "Another"]);
    git(&s, &["worktree", "add", "-q", "-b", "side", &format!("{folder}/worktree")]);
    git(
        &s,
        &[
            "clone",
            "-q",
            "--depth=1",
            &format!("file://{folder}/project"),
            &format!("{folder}/shallow"),
        ],
    );
    std::fs::create_dir_all(s.folder().join("large/part")).expect("fresh");
    git_in(&s, "large", &["init", "-q"]);
    std::fs::write(s.folder().join("large/part/A.java"), s.read("A.java")).expect("writable");
    std::fs::write(s.folder().join("large/part/emendo.toml"), "").expect("writable");
    git_in(&s, "large", &["add", "-A"]);
    let url = format!("{folder}/project");
    git_in(
        &s,
        "large",
        &["-c", "protocol.file.allow=always", "submodule", "add", "-q", &url, "sub"],
    );
    git_in(&s, "large", &["commit", "-q", "-m", "Large"]);
    let recipe = s.recipe_path().display().to_string();
    for at in ["worktree", "shallow", "large/sub", "large/part"] {
        let run = |args: &[&str]| s.run(&[&["-C", &format!("{folder}/{at}")], args].concat());
        run(&["propose", &recipe]).ok();
        run(&["accept", "--all", "--certainty", "unsure"]).ok();
        run(&["apply", "--commits"]).ok().says("6 edits in 3 commits");
        let log = git_in(&s, at, &["log", "-3", "--format=%s"]);
        assert_eq!(log.lines().collect::<Vec<_>>(), ALL[..3], "{at}");
        let changed = git_in(&s, at, &["diff", "--name-only", "HEAD~3", "HEAD"]);
        assert_eq!(changed, if at == "large/part" { "part/A.java" } else { "A.java" }, "{at}");
        run(&["undo", "--to", "1"]).ok();
        assert_eq!(git_in(&s, at, &["diff", "--name-only", "HEAD~6", "HEAD"]), "", "{at}");
    }
    assert_eq!(git_in(&s, "large", &["status", "--porcelain"]), " M sub");
}

#[test]
fn line_ends_are_committed_as_git_keeps_them() {
    let s = Sandbox::java(STEPS, BODY);
    s.write("A.java", java(BODY).replace('\n', "\r\n"));
    s.write(".gitattributes", "*.java text eol=crlf\n");
    prepared(&s);
    accepted(&s);
    s.run(&["apply", "--commits"]).ok();
    assert!(s.read("A.java").contains("POOL)); use"));
    assert!(s.read("A.java").contains("\r\n") && !git(&s, &["show", "HEAD:A.java"]).contains('\r'));
    assert_eq!(git(&s, &["status", "--porcelain"]), "");
}

#[test]
fn the_message_is_the_projects_own() {
    let s = proposed();
    s.write("emendo.toml", "[commit]\nmessage = \"HARBOUR-7: {{ title }}\\n\\n{{ edits }} of {{ recipe.title }}, {{ files[0]|upper }}\"\n");
    git(&s, &["add", "-A"]);
    git(&s, &["commit", "-q", "-m", "Settings"]);
    accepted(&s);
    s.run(&["apply", "--commits"]).ok();
    assert_eq!(titles(&s)[0], "HARBOUR-7: Gauges live elsewhere");
    assert_eq!(git(&s, &["log", "-1", "--format=%b"]), "1 of Tide, A.JAVA");
    s.run(&["undo", "--to", "1"]).ok();
    for (template, says) in [
        ("{{ titel }}", "line 1: "),
        ("\\n\\n", "it gives no title"),
        ("{% for a in range(9999) %}{{ title }}{% endfor %}", "16384 bytes"),
    ] {
        s.write("emendo.toml", format!("[commit]\nmessage = \"{template}\"\n"));
        let before = s.read("A.java");
        s.run(&["apply", "--commits"]).code(2).says("`message` of `[commit]`").says(says);
        assert_eq!(s.read("A.java"), before, "nothing is written");
    }
}

/// A declaration and its calls hold together: where the file of one is left out, so are the others.
#[test]
fn what_needs_a_file_that_is_left_out_is_left_out_too() {
    let steps = r#"
[[step]]
id = "contexts"
title = "Contexts are gone"
[[step.signature]]
parameter_type = "tidewire.client.Context"
drop = true
"#;
    let s = Sandbox::java(steps, "");
    let own = "import tidewire.client.Context;\nclass Mole {\n    static double read(Context cx) { return 1; }\n}\n";
    s.write("Mole.java", own);
    s.write("Use.java", "import tidewire.client.Context;\nclass Use { double x(Context own) { return Mole.read(own); } }\n");
    prepared(&s);
    accepted(&s);
    s.write("Mole.java", format!("{own}// mine\n"));
    let run = s.run(&["apply", "--commits", "--skip-changed"]).ok();
    run.says("its file has changed since the proposal").says("the edit that it needs is left out");
    assert!(s.read("Use.java").contains("Mole.read(own)"), "the call stays with its declaration");
    s.propose().ok();
    s.run(&["apply", "--skip-changed"]).ok().says("its file holds your own changes");
    assert!(s.read("Use.java").contains("Mole.read(own)"));
    git(&s, &["commit", "-q", "-a", "-m", "Mine"]);
    accepted(&s);
    s.run(&["apply", "--commits"]).ok().says("edits in 1 commit");
    assert!(s.read("Use.java").contains("Mole.read()"));
}

/// Kills between and within commits, of the apply and of the undo: the next run goes on or back, and git agrees with the files.
#[test]
fn a_kill_at_any_moment_leaves_a_known_history() {
    let s = Sandbox::java(STEPS, BODY);
    for i in 0..40 {
        s.write(&format!("d{}/F{i}.java", i % 4), java(BODY));
    }
    prepared(&s);
    let before = s.tree();
    accepted(&s);
    let start = std::time::Instant::now();
    s.run(&["apply", "--commits"]).ok();
    let whole = start.elapsed();
    let after = s.tree();
    s.run(&["undo", "--to", "1"]).ok();
    assert_eq!(s.tree(), before);
    let kills = crate::interrupted::kills();
    let mut stood = [0; 4];
    for n in 0..kills {
        let undo = n % 4 == 3;
        if undo {
            s.run(&["apply", "--commits"]).ok();
        }
        let applies = s.run(&["status", "--json"]).ok().json();
        let first = applies["applied"][0]["id"].to_string();
        let args: &[&str] = if undo { &["undo", "--to", &first] } else { &["apply", "--commits"] };
        let mut child = s.spawn(args);
        let part = f64::from(n * 7919 % 1000) / 1000.0;
        std::thread::sleep(whole.mul_f64(part).max(Duration::from_millis(1)));
        drop(child.kill());
        drop(child.wait());
        // On, in three of four; or back at once.
        if n % 5 != 0 {
            let run = s.run(&["apply", "--commits"]);
            assert!(run.code == 0, "kill {n}: {run:?}");
            assert_eq!(s.tree(), after, "kill {n}");
        } else {
            s.run(&["undo"]);
        }
        assert_eq!(git(&s, &["status", "--porcelain"]), "", "kill {n}: git agrees with the files");
        let done = s.run(&["status", "--json"]).ok().json();
        let done = done["applied"].as_array().map_or(0, Vec::len);
        stood[done.min(3)] += 1;
        if done > 0 {
            let first = s.run(&["status", "--json"]).ok().json()["applied"][0]["id"].to_string();
            s.run(&["undo", "--to", &first]).ok();
        }
        assert_eq!(s.tree(), before, "kill {n}");
        s.run(&["status"]).ok().says("accepted edits to write");
        accepted(&s);
    }
    println!("{kills} kills; applies that stood afterwards (none, one, two, three): {stood:?}");
}
