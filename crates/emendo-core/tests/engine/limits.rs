//! Running a part of the steps.

use emendo_core::Limit;

use crate::trial::{Trial, step, swap};

fn names(all: &[&str]) -> Vec<String> {
    all.iter().map(|s| (*s).to_owned()).collect()
}

fn limited(steps: &[&str], until: Option<&str>) -> Result<Vec<String>, String> {
    let all: String = ["a", "b", "c"].iter().map(|s| step(s, &swap("quay", "pier"))).collect();
    let mut trial = Trial::new(&all, &[("x.txt", "quay\n")]);
    let limit = Limit { steps: names(steps), until: until.map(str::to_owned) };
    trial.checked.limit(&limit)?;
    assert_eq!(trial.checked.plan.limited(), &limit);
    Ok(trial.checked.plan.steps.iter().map(|s| s.info.key.step.clone()).collect())
}

#[test]
fn only_some_steps_keep_their_order() {
    assert_eq!(limited(&["c", "a"], None), Ok(names(&["a", "c"])));
}

#[test]
fn up_to_a_step_means_that_one_too() {
    assert_eq!(limited(&[], Some("b")), Ok(names(&["a", "b"])));
}

#[test]
fn both_limits_hold_together() {
    assert_eq!(limited(&["a", "c"], Some("b")), Ok(names(&["a"])));
}

#[test]
fn a_step_may_be_named_with_its_recipe() {
    assert_eq!(limited(&["toy/b"], None), Ok(names(&["b"])));
}

#[test]
fn a_step_that_is_not_there_is_an_error_that_lists_them() {
    assert!(limited(&["d"], None).is_err_and(|e| e.contains("`d`") && e.contains("a, b, c")));
    assert!(limited(&[], Some("d")).is_err());
}

#[test]
fn a_limit_is_part_of_the_plans_identity() {
    let all: String = ["a", "b"].iter().map(|s| step(s, &swap("quay", "pier"))).collect();
    let whole = Trial::new(&all, &[("x.txt", "quay\n")]);
    let before = whole.checked.plan.digest();
    let mut part = whole.checked;
    part.limit(&Limit { steps: names(&["a"]), until: None }).expect("is there");
    assert_ne!(part.plan.digest(), before);
}

#[test]
fn edits_of_a_limited_run_have_the_ids_of_the_whole_one() {
    let all = step("a", &swap("mole", "wall")) + &step("b", &swap("quay", "pier"));
    let files = [("x.txt", "mole quay\n")];
    let whole = Trial::new(&all, &files).edit("b").id;
    let mut part = Trial::new(&all, &files);
    part.checked.limit(&Limit { steps: names(&["b"]), until: None }).expect("is there");
    assert_eq!(part.edit("b").id, whole);
}
