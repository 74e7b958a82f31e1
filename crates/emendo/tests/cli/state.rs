//! The state folder: whose doing it is, one writer at a time, readers that change nothing.

use std::collections::BTreeMap;
use std::path::Path;
use std::time::{Duration, Instant};

use testkit::Sandbox;

const OPEN: &str = "[[step]]\nid = \"open\"\ntitle = \"Open\"\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h}).open()'\n";

fn applied() -> Sandbox {
    let s = Sandbox::java(OPEN, "new Station(a);");
    s.migrate();
    s
}

/// All files of a folder with their contents.
fn all(dir: &Path) -> BTreeMap<String, Vec<u8>> {
    let mut out = BTreeMap::new();
    for entry in std::fs::read_dir(dir).into_iter().flatten().flatten() {
        let path = entry.path();
        let name = path.display().to_string();
        if path.is_dir() {
            out.extend(all(&path));
        } else {
            out.insert(name, std::fs::read(path).expect("readable"));
        }
    }
    out
}

/// The user's record of state folders that were made here is gone: as on another machine.
fn elsewhere(s: &Sandbox) {
    std::fs::remove_dir_all(s.folder().join(".config")).expect("was there");
}

#[test]
fn state_from_elsewhere_is_shown_and_not_written() {
    let s = applied();
    elsewhere(&s);
    let before = (s.tree(), all(&s.path(".emendo")));
    s.run(&["status"]).ok().says("applied: 1 edit").says("was not made on this machine");
    s.run(&["leftovers"]).ok();
    for args in [&["undo"][..], &["apply"], &["accept", "--all"], &["reject", "--all"]] {
        s.run(args).code(3).says("was not made on this machine by you").says("--trust-state");
    }
    s.propose().code(3);
    assert_eq!((s.tree(), all(&s.path(".emendo"))), before);
    s.run(&["undo", "--trust-state"]).ok();
    s.run(&["status"]).ok();
    s.propose().ok();
}

#[test]
fn state_that_an_older_version_left_is_read_and_undone() {
    let s = applied();
    std::fs::remove_file(s.path(".emendo/made-by")).expect("was there");
    // A phase was a line each, and no more.
    let phase = s.path(".emendo/journal/000001/phase");
    std::fs::write(phase, "\"prepared\"\n\"renaming\"\n\"done\"\n").expect("writable");
    s.run(&["status"]).ok().says("applied: 1 edit");
    s.run(&["undo"]).code(3);
    s.run(&["undo", "--trust-state"]).ok();
    assert!(s.read("A.java").contains("new Station(a)"));
}

#[test]
fn state_of_a_newer_version_is_refused() {
    let s = applied();
    let made = s.read(".emendo/made-by");
    s.write(".emendo/made-by", made.replace("\"format\":1", "\"format\":2"));
    for args in [&["status"][..], &["undo"], &["leftovers"]] {
        s.run(args).code(3).says("newer version");
    }
}

#[test]
fn without_a_place_for_the_record_the_demo_still_works() {
    let s = Sandbox::new();
    std::fs::write(s.folder().join(".config"), "in the way").expect("writable");
    s.run(&["demo", "sample"]).ok();
    let project = s.path("sample/project").display().to_string();
    s.run(&["-C", &project, "undo"]).code(3).says("--trust-state");
    s.run(&["-C", &project, "undo", "--trust-state"]).ok();
    s.run_in(&["-C", &project, "propose", "x.toml"], "HOME", "").code(2);
}

#[test]
fn a_project_that_moves_keeps_its_trust() {
    let s = applied();
    std::fs::rename(s.root(), s.folder().join("moved")).expect("moves");
    s.run_outside(&["-C", "moved", "undo"]);
    let text = std::fs::read_to_string(s.folder().join("moved/A.java")).expect("there");
    assert!(text.contains("new Station(a)"), "{text}");
}

#[test]
fn a_journal_that_names_what_no_apply_writes_is_not_used() {
    for (from, to) in [
        ("\"path\":\"A.java\"", "\"path\":\".git/hooks/post-checkout\""),
        ("\"path\":\"A.java\"", "\"path\":\"sub/.git/config\""),
        ("\"path\":\"A.java\"", "\"path\":\".emendo/made-by\""),
        ("\"path\":\"A.java\"", "\"path\":\"emendo.toml\""),
        ("\"path\":\"A.java\"", "\"path\":\"../outside\""),
        (".emendo-1-0.tmp", "B.java"),
        (".emendo-1-0.tmp", "../B.java"),
    ] {
        let s = applied();
        s.write("B.java", "class B {}\n");
        s.write(".git/hooks/post-checkout", "#!/bin/sh\n");
        let ops = s.read(".emendo/journal/000001/ops.json");
        assert!(ops.contains(from), "{ops}");
        s.write(".emendo/journal/000001/ops.json", ops.replace(from, to));
        let before = all(&s.root());
        let run = s.run(&["undo"]);
        assert!(matches!(run.code, 3 | 5), "{to}: {}", run.err);
        let mut after = all(&s.root());
        after.retain(|name, _| !name.ends_with("lock"));
        assert!(after.iter().all(|(name, bytes)| before.get(name) == Some(bytes)), "{to}");
        assert!(s.path("B.java").exists(), "{to}");
    }
}

#[test]
fn readers_leave_a_begun_journal_alone() {
    let s = applied();
    s.write(".emendo/journal/000002/pack", "half written");
    let before = all(&s.path(".emendo"));
    s.run(&["status"]).ok();
    s.run(&["leftovers"]).ok();
    assert_eq!(all(&s.path(".emendo")), before, "readers change nothing");
    s.run(&["undo"]).ok();
    assert!(!s.path(".emendo/journal/000002").exists(), "who holds the lock tidies");
    s.migrate();
    s.run(&["undo"]).ok();
    s.migrate();
    let journals = std::fs::read_dir(s.path(".emendo/journal")).expect("there").count();
    assert!(journals <= 2, "{journals}: what was taken back is not kept");
}

#[test]
fn who_waits_is_told_who_holds_the_project() {
    let s = applied();
    let lock = std::fs::OpenOptions::new().write(true).read(true).open(s.path(".emendo/lock"));
    let lock = lock.expect("there");
    lock.try_lock().expect("free");
    std::fs::write(s.path(".emendo/lock"), "emendo apply (process 7)\n").expect("writable");
    let begun = Instant::now();
    s.run(&["undo", "--wait", "0"]).code(3).says("emendo apply (process 7)").says("--wait");
    assert!(begun.elapsed() < Duration::from_secs(4), "it does not wait");
    let waiting = s.spawn(&["undo", "--wait", "20"]);
    std::thread::sleep(Duration::from_millis(300));
    drop(lock);
    let done = waiting.wait_with_output().expect("ends");
    assert!(done.status.success(), "it waits for its turn");
    assert!(s.read("A.java").contains("new Station(a)"));
}

#[test]
fn readers_in_a_loop_never_break_a_writer() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    let rounds = std::env::var("EMENDO_TEST_ROUNDS").ok().and_then(|r| r.parse().ok());
    let rounds: usize = rounds.unwrap_or(8);
    let recipe = s.recipe_path().display().to_string();
    s.propose().ok();
    let done = std::sync::atomic::AtomicBool::new(false);
    let read = std::sync::atomic::AtomicUsize::new(0);
    std::thread::scope(|scope| {
        for args in [vec!["status"], vec!["leftovers", recipe.as_str()], vec!["status", "--json"]] {
            let (s, done, read) = (&s, &done, &read);
            scope.spawn(move || {
                while !done.load(std::sync::atomic::Ordering::Relaxed) {
                    s.run(&args).ok();
                    read.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                }
            });
        }
        for _ in 0..rounds {
            s.propose().ok();
            s.run(&["apply", "--accept", "all"]).ok().says("written: 1 edit");
            s.run(&["undo"]).ok();
        }
        done.store(true, std::sync::atomic::Ordering::Relaxed);
    });
    let read = read.into_inner();
    assert!(read >= rounds, "{read} readings beside {rounds} rounds of writing");
    println!("{rounds} rounds of propose, apply and undo beside {read} readings");
}

#[test]
fn a_decision_that_was_cut_off_does_not_spoil_the_next() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    s.propose().ok();
    s.run(&["accept", "--all"]).ok();
    let log = s.read(".emendo/decisions.jsonl");
    s.write(".emendo/decisions.jsonl", format!("{log}{}", &log[..log.len() / 2]));
    let id = s.run(&["show", "--json"]).ok().json()["files"][0]["edits"][0]["id"].clone();
    s.run(&["reject", "--edit", id.as_str().expect("an id")]).ok();
    s.run(&["status"]).ok().says("1 rejected");
}

#[test]
#[cfg(unix)]
fn both_names_of_one_file_are_written() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    std::fs::hard_link(s.path("A.java"), s.path("B.java")).expect("same disk");
    let before = s.tree();
    s.migrate();
    assert!(
        s.read("A.java").contains("Station.at(a)") && s.read("B.java").contains("Station.at(a)")
    );
    s.run(&["undo"]).ok();
    assert_eq!(s.tree(), before);
}
