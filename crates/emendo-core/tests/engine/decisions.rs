//! What was decided holds in later runs, as long as it means the same.

use emendo_core::{Certainty, Status};

use crate::trial::{Trial, all, of_step, simple, step, swap};

#[test]
fn what_is_rejected_stays_out() {
    let trial = simple();
    trial.propose();
    trial.session().reject(&all()).expect("selects");
    assert_eq!(trial.edits(), []);
    assert_eq!(trial.applied("x.txt"), "a quay, a mole, a quay\n");
}

#[test]
fn a_rejection_takes_back_what_builds_on_it() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("pier", "jetty"));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    trial.propose();
    trial.session().reject(&of_step("a")).expect("selects");
    assert_eq!(trial.propose().decidable().filter(|e| e.step.step == "b").count(), 0);
}

#[test]
fn a_rejection_outlives_lines_that_come_before() {
    let trial = simple();
    trial.propose();
    trial.session().reject(&all()).expect("selects");
    trial.files.write("x.txt", "new\n\na quay, a mole, a quay\n");
    assert_eq!(trial.edits(), []);
}

#[test]
fn a_rejection_outlives_a_file_that_moves() {
    let trial = simple();
    trial.propose();
    trial.session().reject(&all()).expect("selects");
    std::fs::rename(trial.files.path("x.txt"), trial.files.path("y.txt")).expect("moves");
    assert_eq!(trial.edits(), []);
}

#[test]
fn an_acceptance_of_other_text_must_be_given_again() {
    let files = [("x.txt", "quay\n")];
    let trial = Trial::new(&step("a", &swap("quay", "pier")), &files);
    trial.propose();
    trial.session().accept(&all()).expect("selects");
    let other = Trial::new(&step("a", &swap("quay", "jetty")), &files);
    let decisions = trial.session().decisions().expect("reads");
    assert_eq!(decisions.status(&trial.edit("a")), Status::Accepted(None));
    assert_eq!(decisions.status(&other.edit("a")), Status::Again);
}

#[test]
fn only_what_is_accepted_is_written() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("mole", "wall"));
    let trial = Trial::new(&steps, &[("x.txt", "quay mole\n")]);
    trial.propose();
    trial.session().accept(&of_step("b")).expect("selects");
    let applied = trial.apply(None).expect("applies");
    assert_eq!((applied.written, applied.open.map(|o| o.undecided)), (1, Some(1)));
    assert_eq!(trial.files.read("x.txt"), "quay wall\n");
}

#[test]
fn an_apply_with_a_level_accepts_that_and_above() {
    let sure = |word: &str, old: &str| format!("{}sure = \"{word}\"", swap(old, "x"));
    let steps = step("a", &sure("certain", "quay")) + &step("b", &sure("likely", "mole"));
    let trial = Trial::new(&steps, &[("x.txt", "quay mole\n")]);
    trial.propose();
    trial.apply(Some(Certainty::Certain)).expect("applies");
    assert_eq!(trial.files.read("x.txt"), "x mole\n");
}

#[test]
fn a_file_that_has_changed_since_is_not_written() {
    let trial = simple();
    trial.propose();
    trial.session().accept(&all()).expect("selects");
    trial.files.write("x.txt", "another quay\n");
    assert!(trial.apply(None).is_err());
    assert_eq!(trial.files.read("x.txt"), "another quay\n");
}
