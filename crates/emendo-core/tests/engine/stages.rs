//! Which steps go file by file together.

use crate::trial::{Trial, step, swap};

/// The stages of steps with these flags: the first step of each, and the one after its last.
fn stages(flags: &[&str]) -> Vec<(usize, usize)> {
    let words = ["quay", "mole", "wall", "buoy"];
    let one = |(i, flag): (usize, &&str)| {
        let more = if flag.is_empty() { String::new() } else { format!("{flag} = true") };
        step(&format!("s{i}"), &format!("{}{more}", swap(words[i], "x")))
    };
    let steps: String = flags.iter().enumerate().map(one).collect();
    let stages = Trial::new(&steps, &[("x.txt", "quay\n")]).checked.plan.stages;
    stages.into_iter().map(|s| (s.start, s.end)).collect()
}

#[test]
fn steps_that_ask_nothing_are_one_stage() {
    assert_eq!(stages(&["", "", ""]), [(0, 3)]);
}

#[test]
fn changing_alone_or_asking_alone_ends_no_stage() {
    assert_eq!(stages(&["changes", "changes"]), [(0, 2)]);
    assert_eq!(stages(&["asks", "asks"]), [(0, 2)]);
}

#[test]
fn a_stage_ends_before_a_step_that_asks_what_may_have_changed() {
    assert_eq!(stages(&["changes", "asks"]), [(0, 1), (1, 2)]);
    assert_eq!(stages(&["changes", "", "asks", ""]), [(0, 2), (2, 4)]);
    assert_eq!(stages(&["asks", "changes", "asks"]), [(0, 2), (2, 3)]);
}

#[test]
fn a_question_just_before_a_step_ends_the_stage() {
    let late = format!("{}only_if = {{ file = \"x.txt\", now = true }}", swap("mole", "x"));
    let steps = step("a", &swap("quay", "x")) + &step("b", &late);
    let stages = Trial::new(&steps, &[("x.txt", "quay\n")]).checked.plan.stages;
    assert_eq!(stages, [0..1, 1..2]);
}

#[test]
fn every_file_finishes_a_stage_before_the_next_begins() {
    let steps = step("a", &format!("{}changes = true", swap("quay", "pier")))
        + &step("b", &format!("{}asks = true", swap("pier", "jetty")));
    let files: Vec<(String, &str)> = (0..40).map(|i| (format!("f{i}.txt"), "quay\n")).collect();
    let files: Vec<(&str, &str)> = files.iter().map(|(p, t)| (p.as_str(), *t)).collect();
    let trial = Trial::new(&steps, &files);
    assert_eq!(trial.edits().len(), 80);
    assert_eq!(trial.applied("f39.txt"), "jetty\n");
}
