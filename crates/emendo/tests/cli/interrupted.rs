//! Killed at any moment: `undo` or `apply` brings a known state.

use std::time::Duration;

use testkit::{Sandbox, java};

const STEPS: &str = r#"
[[step]]
id = "open"
title = "Open"
[[step.code]]
old = 'new Station(@{h})'
new = 'Station.at(@{h})'

[[step]]
id = "files"
title = "Files move, come and go"
[[step.file]]
old = "d1/@{name}.java"
new = "moved/far/@{name}.java"
[[step.file]]
old = "d2/@{name}.java"
delete = true
[[step.file]]
create = "made/here/list.txt"
content = "what came"
"#;

/// How often `apply` is killed; more with `EMENDO_TEST_KILLS=200`.
pub(crate) fn kills() -> u32 {
    std::env::var("EMENDO_TEST_KILLS").ok().and_then(|k| k.parse().ok()).unwrap_or(8)
}

#[test]
fn a_killed_apply_can_be_taken_back_or_finished() {
    let s = Sandbox::java(STEPS, "");
    for i in 0..2000 {
        s.write(&format!("d{}/F{i}.java", i % 20), java(&format!("use(new Station(\"{i}\"));")));
    }
    let before = s.tree();
    s.propose().ok();
    s.run(&["accept", "--all"]).ok();
    // How long a whole apply takes here, so that the kills spread over it.
    let start = std::time::Instant::now();
    s.run(&["apply"]).ok();
    let whole = start.elapsed();
    let after = s.tree();
    s.run(&["undo"]).ok();
    assert_eq!(s.tree(), before);
    let (mut untouched, mut partly, mut finished) = (0, 0, 0);
    for n in 0..kills() {
        s.propose().ok();
        let mut child = s.spawn(&["apply"]);
        std::thread::sleep(
            whole.mul_f64(f64::from(n + 1) / f64::from(kills())).max(Duration::from_millis(1)),
        );
        drop(child.kill());
        drop(child.wait());
        let now = s.tree();
        let leftovers = now.keys().any(|k| k.ends_with(".tmp"));
        match (now == before, now == after) {
            (true, _) => untouched += 1,
            (_, true) if !leftovers => finished += 1,
            _ => partly += 1,
        }
        if n % 2 == 0 {
            let run = s.run(&["undo"]);
            assert!(run.code == 0 || run.err.contains("nothing to take back"), "{run:?}");
            assert_eq!(s.tree(), before, "kill {n}");
        } else {
            if now == after {
                s.run(&["undo"]).ok();
            }
            s.run(&["status"]).ok();
            // Goes on where it was stopped, or says what to do.
            let run = s.run(&["apply"]);
            assert!(run.code == 0 || run.err.contains("there is no proposal"), "{run:?}");
            if run.code == 0 {
                assert_eq!(s.tree(), after, "kill {n}");
                s.run(&["undo"]).ok();
            }
            assert_eq!(s.tree(), before, "kill {n}");
        }
    }
    println!(
        "{} kills: {untouched} before anything was written, {partly} in the middle, {finished} after",
        kills()
    );
    assert!(partly > 0 || kills() < 8, "some kill must hit the middle");
}

/// Every command that writes is killed, with readers at work: afterwards the project is known, and everything goes on.
#[test]
fn any_command_may_be_killed_while_others_read() {
    use std::sync::atomic::{AtomicBool, AtomicU32, Ordering};
    let s = Sandbox::java(STEPS, "");
    for i in 0..120 {
        s.write(&format!("d{}/F{i}.java", i % 6), java(&format!("use(new Station(\"{i}\"));")));
    }
    let before = s.tree();
    let recipe = s.recipe_path().display().to_string();
    s.propose().ok();
    s.run(&["apply", "--accept", "all"]).ok();
    let after = s.tree();
    s.run(&["undo"]).ok();
    let commands: [&[&str]; 5] = [
        &["propose", &recipe],
        &["accept", "--all"],
        &["reject", "--file", "d0"],
        &["apply", "--accept", "all"],
        &["undo"],
    ];
    let (done, read) = (AtomicBool::new(false), AtomicU32::new(0));
    let mut hit = [0; 5];
    std::thread::scope(|scope| {
        for args in [vec!["status"], vec!["leftovers", recipe.as_str()]] {
            let (s, done, read) = (&s, &done, &read);
            scope.spawn(move || {
                while !done.load(Ordering::Relaxed) {
                    let run = s.run(&args);
                    assert_eq!(run.code, 0, "{args:?}: {}", run.err);
                    read.fetch_add(1, Ordering::Relaxed);
                }
            });
        }
        let rounds = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| {
            for n in 0..kills() {
                let which = n as usize % commands.len();
                if which == 4 {
                    s.propose().ok();
                    s.run(&["apply", "--accept", "all"]).ok();
                } else if which > 0 {
                    s.propose().ok();
                }
                let mut child = s.spawn(commands[which]);
                std::thread::sleep(Duration::from_micros(u64::from(n * 7919 % 60_000)));
                hit[which] += u32::from(child.try_wait().is_ok_and(|done| done.is_none()));
                drop(child.kill());
                drop(child.wait());
                let run = s.run(&["undo"]);
                assert!(run.code == 0 || run.err.contains("nothing to take back"), "{run:?}");
                assert_eq!(s.tree(), before, "kill {n} of {:?}", commands[which]);
                s.propose().ok();
                // What was rejected before a kill may hold: accepted again, all of it is written.
                let ids = s.run(&["accept", "--all"]).ok();
                drop(ids);
            }
        }));
        done.store(true, Ordering::Relaxed);
        if let Err(e) = rounds {
            std::panic::resume_unwind(e);
        }
    });
    println!(
        "{} kills of propose, accept, reject, apply, undo (running when hit: {hit:?}), beside {} readings",
        kills(),
        read.into_inner()
    );
    assert_ne!(before, after);
}

#[test]
fn proposing_over_an_interrupted_apply_is_refused() {
    let s = Sandbox::java(STEPS, "use(new Station(a));");
    s.migrate();
    // As if the last phase had never been written.
    let phase = s.path(".emendo/journal/000001/phase");
    std::fs::write(&phase, "\"prepared\"\n\"renaming\"\n\"do").expect("ours");
    s.propose().code(3).says("interrupted").says("emendo undo");
    s.run(&["status"]).ok().says("interrupted");
    s.run(&["undo"]).ok().says("interrupted");
    assert!(s.read("A.java").contains("new Station(a)"));
}
