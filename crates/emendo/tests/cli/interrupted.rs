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
"#;

/// How often `apply` is killed; more with `EMENDO_TEST_KILLS=200`.
fn kills() -> u32 {
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
