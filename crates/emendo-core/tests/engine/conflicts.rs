//! Edits of one step that meet.

use emendo_core::Selection;

use crate::trial::{Trial, also, step, swap};

#[test]
fn of_two_edits_in_one_place_one_is_held_back() {
    let steps = step("a", &swap("quay wall", "x")) + &also(&swap("wall", "y"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay wall here, a wall there\n")]);
    assert_eq!(trial.withheld().len(), 1);
    assert_eq!(trial.edits().len(), 2, "the wall there is free");
}

#[test]
fn the_first_of_the_recipe_stands_however_sure_it_is() {
    let steps = step("a", &format!("{}sure = \"unsure\"", swap("quay wall", "x")))
        + &also(&swap("wall", "y"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay wall\n")]);
    let stands: Vec<String> = trial.edits().into_iter().map(|e| e.1).collect();
    assert_eq!(stands, ["quay wall"]);
}

#[test]
fn the_first_of_the_recipe_stands_wherever_it_begins() {
    let steps = step("a", &swap("wall", "y")) + &also(&swap("quay wall", "x"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay wall\n")]);
    assert_eq!(trial.applied("x.txt"), "a quay y\n");
}

#[test]
fn the_reason_names_the_edit_that_stands() {
    let steps = step("a", &swap("quay wall", "x")) + &also(&swap("wall", "y"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay wall\n")]);
    let proposal = trial.propose();
    let (mut stands, mut held) = (None, None);
    for e in proposal.decidable() {
        if e.behind.is_some() { held = Some(e) } else { stands = Some(e) }
    }
    let (stands, held) = (stands.expect("one stands"), held.expect("one is held back"));
    assert_eq!(held.behind, Some(stands.id));
    assert!(trial.withheld()[0].1.contains(&stands.id.short(8)));
}

#[test]
fn edits_that_only_touch_do_not_meet() {
    let steps = step("a", &swap("quay", "x")) + &also(&swap("-wall", "-y"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay-wall\n")]);
    assert_eq!(trial.withheld(), []);
    assert_eq!(trial.applied("x.txt"), "a x-y\n");
}

#[test]
fn edits_of_two_steps_never_meet() {
    let steps = step("a", &swap("quay wall", "wall")) + &step("b", &swap("wall", "y"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay wall\n")]);
    assert_eq!(trial.withheld(), []);
    assert_eq!(trial.applied("x.txt"), "a y\n");
}

#[test]
fn an_edit_that_overlaps_the_end_of_a_wrapping_one_is_held_back() {
    let steps = step("a", &format!("{}until = \"end]\"", swap("quay[", "pier[")))
        + &also(&swap("the end", "x"));
    let trial = Trial::new(&steps, &[("x.txt", "quay[the end]\n")]);
    assert_eq!(trial.withheld().len(), 1);
    assert_eq!(trial.applied("x.txt"), "pier[the end]\n");
}

#[test]
fn of_a_chain_of_three_the_outer_two_stand() {
    let steps = step("a", &swap("one two", "A"))
        + &also(&swap("two three", "B"))
        + &also(&swap("three four", "C"));
    let trial = Trial::new(&steps, &[("x.txt", "one two three four\n")]);
    assert_eq!(trial.withheld().len(), 1);
    assert_eq!(trial.applied("x.txt"), "A C\n");
}

#[test]
fn many_edits_on_one_line_are_all_written() {
    let steps = step("a", &swap("q", "pp")) + &also(&swap("m", ""));
    let trial = Trial::new(&steps, &[("x.txt", &"q m ".repeat(500))]);
    assert_eq!(trial.applied("x.txt"), "pp  ".repeat(500));
}

#[test]
fn what_is_held_back_comes_in_when_it_is_accepted_and_the_other_rejected() {
    let steps = step("a", &swap("quay wall", "x")) + &also(&swap("wall", "y"));
    let trial = Trial::new(&steps, &[("x.txt", "a quay wall\n")]);
    let proposal = trial.propose();
    let id = |behind: bool| {
        let found = proposal.decidable().find(|e| e.behind.is_some() == behind);
        Selection { edits: vec![found.expect("is there").id.to_string()], ..Selection::default() }
    };
    trial.session().reject(&id(false)).expect("is there");
    trial.session().accept(&id(true)).expect("is there");
    assert_eq!(trial.withheld(), []);
    assert_eq!(trial.applied("x.txt"), "a quay y\n");
}
