//! `format` in emendo.toml: the project's own commands on what an apply wrote.

use testkit::{Sandbox, java};

const OPEN: &str = "[[step]]\nid = \"open\"\ntitle = \"Open\"\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h})'\n[[step]]\nid = \"pool\"\ntitle = \"Pool\"\n[[step.code]]\nold = 'Station.at(@{h})'\nnew = 'Station.pooled(@{h}, POOL)'\n";

/// Two files to be written, and this in emendo.toml.
fn with(format: &str) -> Sandbox {
    let s = Sandbox::java(OPEN, "use(new Station(a));");
    s.write("b c/-B.java", java("use(new Station(b));"));
    s.write("-C.java", java("use(new Station(c));"));
    s.write("other.java", "class Other {}\n");
    s.write("emendo.toml", format);
    s.propose().ok();
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
    s
}

/// A command that marks each file that it gets.
const MARK: &str = r#"for f in {files}; do printf '// form\n' >> "$f"; done"#;

#[test]
fn written_files_are_brought_into_form_and_undo_takes_that_along() {
    let s = with(&format!("format = '''{MARK}'''\n"));
    let before = s.tree();
    let trusted = ["apply", "--trust-command"];
    s.run(&["apply"])
        .code(3)
        .says("not confirmed on this machine")
        .says("--trust-command")
        .says("form");
    assert_eq!(s.tree(), before);
    s.run(&trusted).ok();
    for path in ["A.java", "b c/-B.java", "-C.java"] {
        assert!(s.read(path).ends_with("}\n// form\n"), "{path}: {}", s.read(path));
        assert!(s.read(path).contains("POOL"), "{path}");
    }
    assert_eq!(s.read("other.java"), "class Other {}\n");
    // What the formatter did is no change of the user's.
    s.run(&["status"]).ok().lacks("changed since").says("nothing is open");
    s.run(&["undo"]).ok().says("3 files as before");
    assert_eq!(s.tree(), before);
    // Confirmed once, it holds for this command only.
    s.run(&["apply"]).ok();
    s.run(&["undo"]).ok();
    s.write("emendo.toml", "format = \"echo\"\n");
    s.run(&["apply"]).code(3).says("  echo");
    s.run(&["apply", "--no-format"]).ok();
    assert!(s.read("A.java").ends_with("}\n"));
}

#[test]
fn each_command_gets_the_files_that_its_glob_matches() {
    let s = with("[format]\n\"b c/**\" = \"sed -i 's/class A/class  A/'\"\n\"*.ts\" = \"false\"\n");
    s.run(&["apply", "--trust-command"]).ok();
    assert!(s.read("b c/-B.java").contains("class  A") && s.read("A.java").contains("class A"));
}

#[test]
fn a_command_that_fails_takes_everything_back() {
    let s = with(
        "format = '''for f in {files}; do echo half > \"$f\"; done; echo no such style >&2; exit 2;'''\n",
    );
    let before = s.tree();
    let run = s.run(&["apply", "--trust-command"]).code(4);
    run.says("failed: exit status: 2").says("no such style").says("--no-format");
    assert_eq!(s.tree(), before);
    s.run(&["status"]).ok().says("6 accepted edits to write").lacks("interrupted");
    s.run(&["apply", "--no-format"]).ok().says("written: 6 edits");
}

#[test]
fn a_kill_in_the_middle_is_taken_back_and_nothing_is_lost() {
    let s = with(
        "format = '''for f in {files}; do echo half > \"$f\"; done; touch ../started; sleep 2; echo late >> A.java'''\n",
    );
    let before = s.tree();
    let mut child = s.spawn(&["apply", "--trust-command"]);
    while !s.folder().join("started").exists() {
        std::thread::sleep(std::time::Duration::from_millis(10));
    }
    drop(child.kill());
    drop(child.wait());
    // The command that the killed run started is still at work, and would write after anything was restored.
    s.run(&["--wait", "0", "undo"]).code(3).says("a command that an interrupted run started");
    s.run(&["--wait", "20", "undo"]).ok().says("interrupted").says("is kept in");
    assert_eq!(s.tree(), before);
    let aside = std::fs::read_dir(s.path(".emendo/aside")).expect("is there");
    let texts: Vec<String> = aside
        .map(|e| std::fs::read_to_string(e.expect("readable").path()).expect("readable"))
        .collect();
    assert_eq!(texts.iter().filter(|t| t.starts_with("half")).count(), 3);
}

#[test]
fn commits_hold_the_form_too() {
    let s = with(&format!("format = '''{MARK}'''\n"));
    s.write("../.gitconfig", "[user]\nname = Harbour\nemail = board@harbour.example\n");
    s.git(&["init", "-q"]);
    s.git(&["add", "-A"]);
    s.git(&["commit", "-q", "-m", "The board"]);
    let before = s.tree();
    s.run(&["apply", "--commits", "--trust-command"]).ok().says("6 edits in 2 commits");
    // The text of each step is brought into form by itself.
    assert_eq!(s.read("A.java").matches("// form").count(), 1);
    s.git(&["diff", "--quiet", "HEAD"]);
    let undone = s.run(&["undo"]).ok();
    undone.says("3 accepted edits to write");
    s.run(&["apply", "--commits"]).ok().says("3 edits in 1 commit");
    let applies = s.run(&["status", "--json"]).ok().json();
    s.run(&["undo", "--to", &applies["applied"][0]["id"].to_string()]).ok();
    assert_eq!(s.tree(), before);
    s.git(&["diff", "--quiet", "HEAD"]);
}

#[test]
fn faulty_settings_are_said() {
    for (text, says) in [
        ("format = ''\n", "empty command"),
        ("format = 3\n", "a command, or commands by glob"),
        ("[format]\n\"a[\" = \"x\"\n", "which is not a glob"),
        ("[commit]\ntitle = \"x\"\n", "unknown field"),
    ] {
        let s = with("");
        s.write("emendo.toml", text);
        s.run(&["apply"]).code(2).says(says);
    }
}
