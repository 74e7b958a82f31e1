//! Which edits a selection means.

use emendo_core::{Certainty, Refusal, Selection};

use crate::trial::{Trial, all, also, of_step, simple, step, swap};

/// A step with an edit of each certainty, and another step.
fn graded() -> Trial {
    let sure = |word: &str, old: &str| format!("{}sure = \"{word}\"", swap(old, "x"));
    let steps = step("a", &sure("certain", "quay"))
        + &also(&sure("likely", "mole"))
        + &also(&sure("unsure", "wall"))
        + &step("b", &swap("buoy", "y"));
    let files = [("x.txt", "quay mole wall\n"), ("sub/y.txt", "quay buoy\n")];
    let trial = Trial::new(&steps, &files);
    trial.propose();
    trial
}

fn accepted(selection: &Selection) -> Vec<String> {
    let trial = graded();
    let decided = trial.session().accept(selection).expect("selects");
    let mut all: Vec<String> = decided.decided.iter().map(|e| e.before.clone()).collect();
    all.sort();
    all
}

#[test]
fn by_certainty_means_that_and_above() {
    let of = |c| Selection { certainty: Some(c), ..Selection::default() };
    assert_eq!(accepted(&of(Certainty::Certain)), ["buoy", "quay", "quay"]);
    assert_eq!(accepted(&of(Certainty::Likely)), ["buoy", "mole", "quay", "quay"]);
    assert_eq!(accepted(&of(Certainty::Unsure)), ["buoy", "mole", "quay", "quay", "wall"]);
}

#[test]
fn by_step_means_only_that() {
    assert_eq!(accepted(&of_step("b")), ["buoy"]);
    assert_eq!(accepted(&of_step("toy/b")), ["buoy"], "with the recipe's id too");
}

#[test]
fn by_file_or_folder_means_only_those() {
    let of = |file: &str| Selection { files: vec![file.into()], ..Selection::default() };
    assert_eq!(accepted(&of("sub")), ["buoy", "quay"]);
    assert_eq!(accepted(&of("sub/")), ["buoy", "quay"]);
    assert_eq!(accepted(&of("./sub/y.txt")), ["buoy", "quay"]);
}

#[test]
fn a_part_of_a_folder_name_is_not_that_folder() {
    let part = Selection { files: vec!["su".into()], ..Selection::default() };
    assert!(graded().session().accept(&part).is_err());
}

#[test]
fn several_criteria_must_all_hold() {
    let both = Selection { files: vec!["sub".into()], ..of_step("a") };
    assert_eq!(accepted(&both), ["quay"]);
}

#[test]
fn several_steps_mean_any_of_them() {
    let both = Selection { steps: vec!["a".into(), "b".into()], ..Selection::default() };
    assert_eq!(accepted(&both), ["buoy", "mole", "quay", "quay"]);
}

#[test]
fn an_unsure_edit_must_be_asked_for() {
    assert_eq!(accepted(&of_step("a")), ["mole", "quay", "quay"]);
    assert_eq!(accepted(&all()).len(), 4, "all is no level");
    let unsure = Selection { certainty: Some(Certainty::Unsure), ..all() };
    assert_eq!(accepted(&unsure).len(), 5);
    let refused = graded().session().accept(&of_step("a")).expect("selects").refused;
    assert!(matches!(refused.as_slice(), [(e, Refusal::Unsure)] if e.before == "wall"));
}

#[test]
fn by_id_means_even_what_is_unsure() {
    let trial = graded();
    let proposal = trial.propose();
    let wall = proposal.decidable().find(|e| e.before == "wall").expect("is there");
    let by_id = Selection { edits: vec![wall.id.to_string()], ..Selection::default() };
    let decided = trial.session().accept(&by_id).expect("selects").decided;
    assert_eq!(decided.len(), 1);
}

#[test]
fn the_beginning_of_an_id_will_do_if_it_is_one_edits() {
    let trial = graded();
    let id = trial.edit("b").id.to_string();
    let of = |n: usize| Selection { edits: vec![id[..n].to_owned()], ..Selection::default() };
    assert_eq!(trial.session().accept(&of(12)).expect("selects").decided.len(), 1);
    assert!(trial.session().accept(&of(0)).is_err(), "every id begins so");
}

#[test]
fn what_is_not_there_is_an_error() {
    let session = graded().session();
    drop(session);
    let trial = graded();
    assert!(trial.session().accept(&of_step("zzz")).is_err_and(|e| e.to_string().contains("a, b")));
    let none = Selection { edits: vec!["ffffffff".into()], ..Selection::default() };
    assert!(trial.session().accept(&none).is_err());
    let none = Selection { files: vec!["no/such".into()], ..Selection::default() };
    assert!(trial.session().accept(&none).is_err());
}

#[test]
fn a_choice_is_not_accepted_but_picked() {
    let choice = format!("{}or = \"jetty\"", swap("quay", "pier"));
    let trial = Trial::new(&step("a", &choice), &[("x.txt", "quay\n")]);
    trial.propose();
    let refused = trial.session().accept(&all()).expect("selects").refused;
    assert!(matches!(refused.as_slice(), [(_, Refusal::Choice)]));
}

#[test]
fn a_step_that_calls_for_caution_must_be_named() {
    let steps = step("a", &swap("quay", "pier"))
        .replace("id = \"a\"", "id = \"a\"\ncaution = \"it waits\"");
    let trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    trial.propose();
    let refused = trial.session().accept(&all()).expect("selects").refused;
    assert!(matches!(refused.as_slice(), [(_, Refusal::Caution)]));
    assert_eq!(trial.session().accept(&of_step("a")).expect("selects").decided.len(), 1);
}

#[test]
fn what_an_edit_builds_on_is_accepted_along() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("pier", "jetty"));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    trial.propose();
    let decided = trial.session().accept(&of_step("b")).expect("selects");
    let steps =
        |all: &[emendo_core::Edit]| all.iter().map(|e| e.step.step.clone()).collect::<Vec<_>>();
    assert_eq!(
        (steps(&decided.decided), steps(&decided.along)),
        (vec!["b".into()], vec!["a".into()])
    );
}

#[test]
fn what_an_edit_needs_elsewhere_is_accepted_along() {
    let steps = step("a", &format!("{}provides = \"t\"", swap("quay", "pier")))
        + &step("b", &format!("{}needs = \"t\"", swap("mole", "wall")));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n"), ("y.txt", "mole\n")]);
    trial.propose();
    let along = trial.session().accept(&of_step("b")).expect("selects").along;
    assert!(matches!(along.as_slice(), [e] if e.path.as_str() == "x.txt"));
}

#[test]
fn nothing_is_decided_twice() {
    let trial = simple();
    trial.propose();
    assert_eq!(trial.session().accept(&all()).expect("selects").decided.len(), 2);
    assert_eq!(trial.session().accept(&all()).expect("selects").decided.len(), 0);
}
