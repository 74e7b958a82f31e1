//! Which files are looked into.

use crate::trial::{Trial, also, step, swap};

#[test]
fn only_whole_words_let_a_file_through() {
    let files = [("a.txt", "quay\n"), ("b.txt", "quays\n"), ("c.txt", "the mole\n")];
    assert_eq!(Trial::new(&step("a", &swap("quay", "pier")), &files).paths(), ["a.txt"]);
}

#[test]
fn a_byte_order_mark_is_not_part_of_the_first_word() {
    let files = [("a.txt", "\u{feff}quay\n")];
    assert_eq!(Trial::new(&step("a", &swap("quay", "pier")), &files).paths(), ["a.txt"]);
}

#[test]
fn any_of_several_actions_lets_a_file_through() {
    let steps = step("a", &swap("quay", "pier")) + &also(&swap("mole", "wall"));
    let files = [("a.txt", "mole\n"), ("b.txt", "quay\n"), ("c.txt", "buoy\n")];
    assert_eq!(Trial::new(&steps, &files).paths(), ["a.txt", "b.txt"]);
}

#[test]
fn files_that_an_action_does_not_cover_stay() {
    let rest = format!("{}files = \"docs/**\"", swap("quay", "pier"));
    let files = [("x.txt", "quay\n"), ("docs/y.txt", "quay\n")];
    assert_eq!(Trial::new(&step("a", &rest), &files).paths(), ["docs/y.txt"]);
}

#[test]
fn files_that_an_action_excepts_stay() {
    let rest = format!("{}not_files = \"docs/**\"", swap("quay", "pier"));
    let files = [("x.txt", "quay\n"), ("docs/y.txt", "quay\n")];
    assert_eq!(Trial::new(&step("a", &rest), &files).paths(), ["x.txt"]);
}

#[test]
fn binary_files_are_passed_over() {
    let files = [("a.txt", "quay\n"), ("b.txt", "quay\0quay\n")];
    let trial = Trial::new(&step("a", &swap("quay", "pier")), &files);
    assert_eq!(trial.paths(), ["a.txt"]);
}

#[test]
fn vendored_folders_are_passed_over_and_counted() {
    let files = [("a.txt", "quay\n"), ("vendor/b.txt", "quay\n")];
    let trial = Trial::new(&step("a", &swap("quay", "pier")), &files);
    assert_eq!(trial.paths(), ["a.txt"]);
    assert_eq!(trial.propose().trailer.counts.skipped.values().sum::<u64>(), 1);
}

#[test]
fn what_git_ignores_is_passed_over() {
    let files = [("a.txt", "quay\n"), ("b.log", "quay\n"), (".gitignore", "*.log\n")];
    let trial = Trial::new(&step("a", &swap("quay", "pier")), &files);
    assert_eq!(trial.paths(), ["a.txt"]);
}

#[test]
fn a_file_that_only_an_earlier_step_makes_matter_is_looked_into() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("pier", "jetty"));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    assert_eq!(trial.edits().len(), 2, "the second word stands in no file yet");
}

#[test]
fn counts_say_how_many_files_there_were_and_were_looked_into() {
    let files = [("a.txt", "quay\n"), ("b.txt", "mole\n"), ("c.txt", "quay\n")];
    let counts = Trial::new(&step("a", &swap("quay", "pier")), &files).propose().trailer.counts;
    assert_eq!((counts.files, counts.candidates), (3, 2));
}
