//! `report`: what was done and what is proposed, in every form.

use std::collections::BTreeMap;

use serde_json::Value;
use testkit::{Sandbox, java};

use crate::schema::valid;

/// The demo as it is left: most is applied, some is proposed. Gives where its project lies.
fn demo() -> (Sandbox, String) {
    let s = Sandbox::new();
    s.run(&["demo", "--json", "sample"]).ok();
    let project = s.path("sample/project").display().to_string();
    (s, project)
}

/// A report of a project, in a file, as bytes.
fn report(s: &Sandbox, project: &str, form: &str, of: &str) -> Vec<u8> {
    let out = s.folder().join(format!("out.{form}"));
    let path = out.display().to_string();
    s.run(&["-C", project, "report", "--as", form, "--of", of, "--out", &path]).ok();
    std::fs::read(out).expect("is there")
}

fn text(s: &Sandbox, project: &str, form: &str, of: &str) -> String {
    String::from_utf8(report(s, project, form, of)).expect("is UTF-8")
}

/// The files of a project, those of git and of the program aside.
fn files(s: &Sandbox) -> BTreeMap<String, Vec<u8>> {
    let mut all = s.tree();
    all.retain(|path, _| !path.starts_with(".git/") && !path.contains(".emendo/"));
    all
}

/// Recipe steps that change, make, move and delete files whose names and contents are awkward.
const AWKWARD: &str = r#"[[step]]
id = "open"
title = "Open"
[[step.code]]
old = 'new Station(@{h})'
new = 'Station.at(@{h})'
[[step]]
id = "files"
title = "Files"
[[step.file]]
old = "old/@{n}.txt"
new = "né w/@{n}.txt"
[[step.file]]
old = "gone.sh"
delete = true
[[step.file]]
create = "new/no end.txt"
content = "one\ntwo"
"#;

/// Such a project in git, with all of it accepted; `apply` is still to come.
fn awkward() -> Sandbox {
    let s = Sandbox::java(AWKWARD, "use(new Station(a));");
    let crlf = java("use(new Station(c));").replace('\n', "\r\n");
    s.write("crlf.java", crlf.trim_end());
    s.write("né ü.java", java("use(new Station(d));"));
    s.write("old/plain.txt", "a\nb\n");
    s.write("old/binary.txt", b"a\0b\n\xff");
    s.write("gone.sh", "#!/bin/sh\n");
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::Permissions::from_mode(0o755);
        std::fs::set_permissions(s.path("gone.sh"), mode).expect("changes the mode");
    }
    s.git(&["init", "-q"]);
    s.git(&["config", "core.autocrlf", "false"]);
    s.git(&["add", "-A"]);
    s.git(&["commit", "-q", "-m", "before"]);
    s.propose().ok();
    for step in ["open", "files"] {
        s.run(&["accept", "--step", step, "--certainty", "all"]).ok();
    }
    s
}

#[test]
fn the_diff_that_git_applies_gives_what_apply_writes() {
    let s = awkward();
    let root = s.root().display().to_string();
    let before = files(&s);
    let proposed = report(&s, &root, "diff", "proposed");
    s.run(&["apply"]).ok();
    let after = files(&s);
    assert!(after.contains_key("né w/plain.txt") && !after.contains_key("gone.sh"), "{after:?}");
    let applied = report(&s, &root, "diff", "applied");
    let all = report(&s, &root, "diff", "all");
    assert_eq!(String::from_utf8_lossy(&proposed), String::from_utf8_lossy(&applied));
    assert_eq!(all, applied);
    let patch = s.folder().join("a.diff");
    std::fs::write(&patch, &applied).expect("writable");
    let patch = patch.display().to_string();
    s.run(&["undo"]).ok();
    assert_eq!(files(&s), before);
    // Git knows the files by their times.
    s.git(&["status"]);
    s.git(&["apply", "--index", &patch]);
    assert_eq!(files(&s), after);
    s.git(&["apply", "--index", "-R", &patch]);
    assert_eq!(files(&s), before);
}

#[test]
fn the_demos_diffs_apply_one_after_the_other_and_together() {
    let (s, project) = demo();
    s.run(&["-C", &project, "undo"]).ok();
    let before = files(&s);
    s.run(&["-C", &project, "apply"]).ok();
    let applied = files(&s);
    let (first, then) =
        (report(&s, &project, "diff", "applied"), report(&s, &project, "diff", "proposed"));
    let both = report(&s, &project, "diff", "all");
    s.run(&["-C", &project, "accept", "--certainty", "all"]).ok();
    s.run(&["-C", &project, "accept", "--step", "clock", "--certainty", "all"]).ok();
    s.run(&["-C", &project, "apply"]).ok();
    let after = files(&s);
    s.run(&["-C", &project, "undo"]).ok();
    s.run(&["-C", &project, "undo"]).ok();
    assert_eq!(files(&s), before);
    let git = |args: &[&str]| {
        let run = std::process::Command::new("git").args(args).current_dir(&project).output();
        let run = run.expect("git runs");
        assert!(run.status.success(), "{}", String::from_utf8_lossy(&run.stderr));
    };
    let apply = |bytes: &[u8]| {
        let patch = s.folder().join("p.diff");
        std::fs::write(&patch, bytes).expect("writable");
        git(&["apply", &patch.display().to_string()]);
    };
    apply(&first);
    assert_eq!(files(&s), applied);
    apply(&then);
    assert_eq!(files(&s), after);
    git(&["checkout", "-q", "--", "."]);
    git(&["clean", "-q", "-fd"]);
    apply(&both);
    assert_eq!(files(&s), after);
}

#[test]
fn sarif_is_what_the_standard_says_and_its_fixes_write_the_edits() {
    let (s, project) = demo();
    s.run(&["-C", &project, "undo"]).ok();
    let sarif: Value = serde_json::from_slice(&report(&s, &project, "sarif", "all")).expect("JSON");
    // One pattern of the standard, for languages that we do not name, is none: it has a bracket too many.
    let schema = include_str!("../data/sarif-schema-2.1.0.json").replace("{2}]?$", "{2}$");
    let schema: Value = serde_json::from_str(&schema).expect("JSON");
    let validator = jsonschema::validator_for(&schema).expect("a schema");
    let faults: Vec<String> =
        validator.iter_errors(&sarif).map(|e| format!("{}: {e}", e.instance_path())).collect();
    assert!(faults.is_empty(), "{faults:#?}");
    let run = &sarif["runs"][0];
    let results = run["results"].as_array().expect("results");
    let rules: Vec<&Value> = run["tool"]["driver"]["rules"]
        .as_array()
        .expect("rules")
        .iter()
        .map(|r| &r["id"])
        .collect();
    assert!(results.len() > 90, "{}", results.len());
    let ids: std::collections::BTreeSet<String> =
        results.iter().map(|r| r["partialFingerprints"]["emendo/v1"].to_string()).collect();
    assert_eq!(ids.len(), results.len(), "each result has a fingerprint of its own");
    let mut fixed = 0;
    for r in results {
        assert!(rules.contains(&&r["ruleId"]), "{}", r["ruleId"]);
        for change in r["fixes"].as_array().into_iter().flatten() {
            let change = &change["artifactChanges"][0];
            let uri = change["artifactLocation"]["uri"].as_str().expect("a place");
            let text = s.read(&format!("sample/project/{uri}"));
            for one in change["replacements"].as_array().expect("replacements") {
                let region = &one["deletedRegion"];
                let at = |line: &str, column: &str| {
                    let (line, column) = (region[line].as_u64(), region[column].as_u64());
                    let n = line.expect("a line") as usize - 1;
                    let start: usize = text.split_inclusive('\n').take(n).map(str::len).sum();
                    start + column.expect("a column") as usize - 1
                };
                let (from, to) = (at("startLine", "startColumn"), at("endLine", "endColumn"));
                assert!(from <= to && to <= text.len(), "{r}");
                fixed += 1;
            }
        }
    }
    assert!(fixed > 50, "{fixed}");
    // A rename, as it would be written.
    let one = results.iter().find(|r| {
        let message = r["message"]["text"].as_str().unwrap_or_default();
        r["ruleId"] == "tidewire-3/settings" && message.contains("certain") && !r["fixes"].is_null()
    });
    let one = one.expect("a setting that is renamed");
    let text = one["fixes"][0]["artifactChanges"][0]["replacements"][0]["insertedContent"]["text"]
        .as_str();
    assert!(text.is_some_and(|t| t.contains("tidewire") && !t.contains("client")), "{one}");
}

#[test]
fn json_is_what_its_schema_says_and_shares_its_types_with_show() {
    let (s, project) = demo();
    let all: Value = serde_json::from_slice(&report(&s, &project, "json", "all")).expect("JSON");
    valid("command_report", &all).expect("as the schema says");
    let shown = s.run(&["-C", &project, "show", "--json"]).ok().json();
    assert_eq!(all["proposal"]["files"], shown["files"]);
    assert_eq!(all["open"], shown["open"]);
    let applied = &all["applied"][0];
    assert_eq!(applied["total"]["accepted"], 136);
    assert_eq!(applied["total"]["edits"], 136);
    let moved = all["files"].as_array().expect("files").iter().find(|f| f["what"] == "moved");
    assert_eq!(moved.expect("a file that moves")["steps"][0]["step"], "tables");
    let npm =
        all["libraries"].as_array().expect("libraries").iter().find(|l| l["ecosystem"] == "npm");
    assert_eq!(npm.expect("a library")["after"][0], "^3.0.2");
}

#[test]
fn markdown_says_what_a_reviewer_asks() {
    let (s, project) = demo();
    s.run(&["-C", &project, "verify", "--", "sh", "-c", "! grep -rq 'Station.at' board"]).code(4);
    let all = text(&s, &project, "markdown", "all");
    for part in [
        "# Tidewire 2 to 3\n",
        "Tidewire from `>=2.4, <3` to `3.0.2`, by the recipe `tidewire-3`.",
        "136 edits applied, 13 edits proposed, 42 files.",
        "| `npm:tidewire` | `^2.4.1` | `^3.0.2` |",
        "## Files: 40 changed, 1 created, 1 moved",
        "`berths/src/main/java/harbour/berths/TideTable.java` → `berths/src/main/java/harbour/berths/BerthTable.java` | moved | `tables` |",
        "> **Caution** (`clock`): readings carry",
        "- before the edits: passed",
        "- with the edits: failed with exit code 1, 1 error",
        "- without the step `open`: 1 error less",
        "## Left to do",
        "- [ ] `berths/src/main/java/harbour/berths/BerthService.java:47`: Gauges.dump(System.out) is gone",
    ] {
        assert!(all.contains(part), "{part}\n{all}");
    }
    let applied = text(&s, &project, "markdown", "applied");
    assert!(
        applied.contains("136 edits applied, 42 files.") && !applied.contains("13 edits proposed")
    );
    let proposed = text(&s, &project, "markdown", "proposed");
    assert!(proposed.contains("13 edits proposed, ") && !proposed.contains("applied, "));
}

#[test]
fn texts_of_recipes_and_sources_cannot_break_out() {
    let title = "A `b` <script>alert(1)</script> | @all";
    let steps = format!(
        "[[step]]\nid = \"open\"\ntitle = \"{title}\"\nwhy = \"</script><img src=x>\"\n[[step.code]]\nold = 'new Station(@{{h}})'\nnew = 'Station.at(@{{h}})'\n"
    );
    let s = Sandbox::java(&steps, "use(new Station(\"</script>\\u202e\u{202e}\"));");
    s.propose().ok();
    let root = s.root().display().to_string();
    let markdown = text(&s, &root, "markdown", "all");
    let escaped = "A \\`b\\` \\<script\\>alert(1)\\</script\\> \\| \\@all";
    assert!(markdown.contains(escaped), "{markdown}");
    let html = text(&s, &root, "html", "all");
    // One script that is data, and one that runs, whose digest the policy names.
    assert_eq!(html.matches("</script>").count(), 2);
    assert_eq!(html.matches("<script").count(), 2);
    assert!(html.contains("default-src 'none'"));
    for outside in ["http:", "https:", "src=\"", "url(", "@import", "fetch("] {
        let page = html.split("id=\"data\">").next().unwrap_or_default();
        assert!(!page.contains(outside), "{outside}");
    }
}

#[test]
fn what_a_formatter_made_of_files_is_what_the_report_shows() {
    let s = Sandbox::java(AWKWARD, "use(new Station(a));");
    s.write("old/plain.txt", "a\n");
    s.write("gone.sh", "x\n");
    s.write("emendo.toml", "format = '''sed -i 's/Station.at(a)/Station.at( a )/' '''\n");
    s.propose().ok();
    s.run(&["accept", "--all", "--certainty", "unsure"]).ok();
    s.run(&["apply", "--trust-command"]).ok();
    let root = s.root().display().to_string();
    let all: Value = serde_json::from_slice(&report(&s, &root, "json", "applied")).expect("JSON");
    let files = all["applied"][0]["files"].as_array().expect("files");
    let file = files.iter().find(|f| f["path"] == "A.java").expect("the file");
    let run = &file["hunks"][0]["runs"][0];
    assert_eq!(file["edits"][run["by"][0].as_u64().expect("an edit") as usize]["step"], "open");
    let lines = file["hunks"][0]["lines"].as_array().expect("lines");
    let added = lines.iter().find(|l| l["kind"] == "added").expect("an added line");
    assert!(added["text"].as_str().is_some_and(|t| t.contains("Station.at( a )")), "{added}");
}

#[test]
fn a_recipe_that_changed_since_leaves_the_files_and_says_so() {
    let s = awkward();
    s.run(&["apply"]).ok();
    s.recipe(&AWKWARD.replace("\"Open\"", "\"Other\""));
    let root = s.root().display().to_string();
    let markdown = text(&s, &root, "markdown", "all");
    assert!(markdown.contains("A recipe is not what it was"), "{markdown}");
    assert!(markdown.contains("2 moved"), "{markdown}");
    s.run(&["report", "--as", "diff"]).ok().says("rename to");
}

#[test]
fn wrong_questions_are_said() {
    let s = Sandbox::java(AWKWARD, "");
    s.run(&["report", "--as", "markdown"]).code(2).says("nothing to report");
    s.run(&["report"]).code(2).says("--as");
    s.run(&["report", "--as", "letter"]).code(2).says("markdown");
    s.write("A.java", java("use(new Station(a));"));
    s.propose().ok();
    s.run(&["report", "--as", "html", "--out", "no/such/folder.html"]).code(5).says("cannot write");
}
