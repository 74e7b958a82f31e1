//! What becomes of drafts: ids, seals, parents, texts.

use emendo_core::{Proposal, Standing};

use crate::trial::{Trial, all, also, of_step, simple, step, swap};

#[test]
fn a_later_step_works_on_what_an_earlier_one_wrote() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("pier", "jetty"));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    let edits = trial.edits();
    let of: Vec<(&str, &str)> = edits.iter().map(|e| (e.1.as_str(), e.2.as_str())).collect();
    assert_eq!(of, [("quay", "pier"), ("pier", "jetty")]);
    assert_eq!(trial.edit("b").parents, [trial.edit("a").id], "it knows whose text it changes");
    assert_eq!(trial.applied("x.txt"), "jetty\n");
}

#[test]
fn edits_in_untouched_text_have_no_parents() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("mole", "wall"));
    let trial = Trial::new(&steps, &[("x.txt", "quay mole\n")]);
    assert!(trial.edit("b").parents.is_empty());
}

#[test]
fn equal_edits_of_one_step_are_one() {
    let steps = step("a", &swap("quay", "pier")) + &also(&swap("quay", "pier"));
    assert_eq!(Trial::new(&steps, &[("x.txt", "quay\n")]).edits().len(), 1);
}

#[test]
fn ids_outlive_another_step_before() {
    let files = [("x.txt", "a quay, a mole\n")];
    let alone = Trial::new(&step("b", &swap("quay", "pier")), &files);
    let both = step("a", &swap("mole", "wall")) + &step("b", &swap("quay", "pier"));
    assert_eq!(alone.edit("b").id, Trial::new(&both, &files).edit("b").id);
}

#[test]
fn ids_outlive_lines_that_come_before() {
    let steps = step("a", &swap("quay", "pier"));
    let one = Trial::new(&steps, &[("x.txt", "a quay\n")]);
    let more = Trial::new(&steps, &[("x.txt", "one\ntwo\n\na quay\n")]);
    assert_eq!(one.edit("a").id, more.edit("a").id);
    assert_ne!(one.edit("a").line, more.edit("a").line);
}

#[test]
fn an_id_does_not_depend_on_what_is_written() {
    let files = [("x.txt", "a quay\n")];
    let pier = Trial::new(&step("a", &swap("quay", "pier")), &files).edit("a");
    let jetty = Trial::new(&step("a", &swap("quay", "jetty")), &files).edit("a");
    assert_eq!(pier.id, jetty.id);
    assert_ne!(pier.seal, jetty.seal, "what is accepted is what is written");
}

#[test]
fn equal_places_have_ids_of_their_own() {
    let proposal = simple().propose();
    let ids: Vec<_> = proposal.decidable().map(|e| e.id).collect();
    assert_ne!(ids[0], ids[1]);
}

#[test]
fn edits_that_look_alike_have_one_shape() {
    let proposal = simple().propose();
    let shapes: Vec<_> = proposal.decidable().map(|e| e.shape).collect();
    assert_eq!(shapes[0], shapes[1]);
}

#[test]
fn a_second_run_gives_the_same_ids_and_seals() {
    let trial = simple();
    let of = |p: &Proposal| p.decidable().map(|e| (e.id, e.seal)).collect::<Vec<_>>();
    assert_eq!(of(&trial.propose()), of(&trial.propose()));
}

#[test]
fn hunks_name_the_edits_that_wrote_them() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("mole", "wall"));
    let lines = format!("quay\n{}mole\n", "line\n".repeat(20));
    let proposal = Trial::new(&steps, &[("x.txt", &lines)]).propose();
    let file = &proposal.files[0];
    let by = |i: usize| {
        let edits = file.hunks[i].by.iter().map(|n| &file.edits[*n as usize]);
        edits.map(|e| e.step.step.as_str()).collect::<Vec<_>>()
    };
    assert_eq!((by(0), by(1)), (vec!["a"], vec!["b"]));
}

#[test]
fn what_a_wrapping_edit_copies_stays_byte_for_byte() {
    let wrap = format!("{}until = \"]\"", swap("quay[", "pier["));
    let trial = Trial::new(&step("a", &wrap), &[("x.txt", "quay[ a\t,\r\n b ]\n")]);
    assert_eq!(trial.applied("x.txt"), "pier[ a\t,\r\n b ]\n");
}

#[test]
fn an_edit_inside_what_another_copies_goes_along() {
    let wrap = format!("{}until = \"]\"", swap("quay[", "pier["));
    let steps = step("a", &wrap) + &also(&swap("mole", "wall"));
    let trial = Trial::new(&steps, &[("x.txt", "quay[the mole]\n")]);
    assert_eq!(trial.withheld(), []);
    assert_eq!(trial.applied("x.txt"), "pier[the wall]\n");
}

#[test]
fn a_choice_that_nobody_made_leaves_the_place() {
    let choice = format!("{}or = \"jetty\"", swap("quay", "pier"));
    let trial = Trial::new(&step("a", &choice), &[("x.txt", "quay\n")]);
    let edit = trial.edit("a");
    assert_eq!((edit.standing, edit.after.as_str()), (Standing::Out, "quay"));
    let labels: Vec<&str> = edit.options.iter().map(|o| o.label.as_str()).collect();
    assert_eq!(labels, ["new", "or"]);
    assert_eq!(trial.applied("x.txt"), "quay\n");
}

#[test]
fn a_choice_that_was_made_is_written() {
    let choice = format!("{}or = \"jetty\"", swap("quay", "pier"));
    let trial = Trial::new(&step("a", &choice), &[("x.txt", "quay\n")]);
    trial.propose();
    trial.session().choose(&all(), "or").expect("is there");
    assert_eq!(trial.applied("x.txt"), "jetty\n");
}

#[test]
fn a_choice_has_no_label_that_is_not_there() {
    let choice = format!("{}or = \"jetty\"", swap("quay", "pier"));
    let trial = Trial::new(&step("a", &choice), &[("x.txt", "quay\n")]);
    trial.propose();
    assert!(trial.session().choose(&all(), "dock").is_err());
}

#[test]
fn notes_stand_at_their_lines_and_change_nothing() {
    let note = format!("{}note = \"look here\"", swap("quay", "pier"));
    let trial = Trial::new(&step("a", &note), &[("x.txt", "one\nquay\n")]);
    let proposal = trial.propose();
    let notes: Vec<_> = proposal.notes().map(|n| (n.line, n.say.as_str())).collect();
    assert_eq!(notes, [(Some(2), "look here")]);
    assert_eq!(proposal.decidable().count(), 0);
}

#[test]
fn what_an_8_bit_file_cannot_hold_is_held_back() {
    let trial = Trial::new(&step("a", &swap("quay", "pi\u{1f41f}r")), &[]);
    trial.files.write("x.txt", b"quay \xe9\n");
    let held = trial.withheld();
    assert!(held.len() == 1 && held[0].1.contains("8-bit"), "{held:?}");
}

#[test]
fn once_means_once() {
    let once = format!("{}once = true", swap("quay", "quay wall"));
    let trial = Trial::new(&step("a", &once), &[("x.txt", "a quay\n")]);
    assert_eq!(trial.applied("x.txt"), "a quay wall\n");
    assert_eq!(trial.propose().decidable().count(), 0, "the journal remembers it");
}

#[test]
fn an_edit_that_needs_a_rejected_one_is_held_back() {
    let steps = step("a", &format!("{}provides = \"t\"", swap("quay", "pier")))
        + &step("b", &format!("{}needs = \"t\"", swap("mole", "wall")));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n"), ("y.txt", "mole\n")]);
    assert_eq!(trial.withheld(), []);
    trial.session().reject(&of_step("a")).expect("is there");
    let held = trial.withheld();
    assert!(held.len() == 1 && held[0].1.contains("is rejected"), "{held:?}");
}
