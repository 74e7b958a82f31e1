//! The state of the screen under any keys, without a terminal.

mod support;

use std::collections::HashMap;

use emendo_core::{OpenWork, Status};
use emendo_review::{Code, Dialog, Input, Key};
use emendo_text::Digest;
use proptest::prelude::*;
use support::{Desk, proposal, shown};

/// Keys that do something somewhere, and some that do nothing.
fn key() -> impl Strategy<Value = Key> {
    let chars = "txwauonp/fgvy+-A?q12j k\u{6f6e}".chars().collect::<Vec<_>>();
    let codes = [
        Code::Enter,
        Code::Escape,
        Code::Up,
        Code::Down,
        Code::PageUp,
        Code::PageDown,
        Code::Home,
        Code::End,
        Code::Left,
        Code::Right,
        Code::Tab,
        Code::Backspace,
        Code::Delete,
        Code::F(1),
    ];
    let all: Vec<Code> = chars.into_iter().map(Code::Char).chain(codes).collect();
    prop::sample::select(all).prop_map(|code| Key { code, control: false })
}

/// How each place stands, by what is kept.
fn by_log(desk: &Desk) -> HashMap<Digest, &'static str> {
    let (p, kept) = (proposal(6, 8), desk.kept());
    let work = OpenWork::of(&p, &kept);
    let mut out = HashMap::new();
    let mut put = |ids: Vec<Digest>, word: &'static str| {
        out.extend(ids.into_iter().map(|id| (id, word)));
    };
    let ids = |list: &[&emendo_core::Edit]| list.iter().map(|e| e.id).collect::<Vec<_>>();
    put(ids(&work.undecided), "open");
    put(ids(&work.choices), "choose");
    put(ids(&work.again), "again");
    put(ids(&work.held_back), "held");
    put(ids(&work.rejected), "left");
    put(work.notes.iter().map(|n| n.id).collect(), "note");
    put(work.leftovers.iter().map(|l| l.1.id).collect(), "old use");
    put(work.done_notes.iter().map(|n| n.id).collect(), "done");
    put(work.done_leftovers.iter().map(|l| l.1.id).collect(), "done");
    for e in &work.accepted {
        let word = match kept.status(e) {
            Status::Accepted(Some(_)) => "picked",
            Status::Reworded(_) => "reworded",
            _ => "taken",
        };
        out.insert(e.id, word);
    }
    out
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 160, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn any_keys_leave_the_decisions_that_the_screen_shows(
        keys in prop::collection::vec(key(), 1..80),
        work in prop::collection::vec(any::<bool>(), 80),
        size in (20_u16..220, 5_u16..70),
    ) {
        let mut desk = Desk::new(proposal(6, 8), size);
        for (key, work) in keys.iter().zip(work) {
            desk.take(Input::Key(*key));
            if work {
                desk.work();
            }
            // Whatever is there can be drawn.
            let lines = shown(&desk.model, size);
            prop_assert_eq!(lines.len(), usize::from(size.1));
        }
        while desk.busy() {
            desk.work();
        }
        let kept = by_log(&desk);
        let seen = desk.model.standings();
        prop_assert_eq!(seen.len(), kept.len());
        for (id, word) in seen {
            prop_assert_eq!(Some(&word), kept.get(&id), "{}", id);
        }
    }

    #[test]
    fn undo_leads_back_to_the_beginning(keys in prop::collection::vec(key(), 1..60)) {
        let mut desk = Desk::new(proposal(6, 8), (120, 40));
        let before = desk.model.standings();
        // Applying ends what can be undone.
        for key in keys.iter().filter(|k| k.code != Code::Char('A')) {
            desk.take(Input::Key(*key));
            desk.work();
        }
        desk.keys("\u{1b}\u{1b}\u{1b}\u{1b}");
        for _ in 0..keys.len() {
            desk.keys("u");
            desk.work();
        }
        prop_assert_eq!(before, desk.model.standings());
    }
}

fn says(desk: &Desk, words: &str) {
    let lines = shown(&desk.model, (120, 40)).join("\n");
    assert!(lines.contains(words), "no {words:?} in\n{lines}");
}

#[test]
fn a_decision_is_kept_at_once_and_the_next_open_place_is_there() {
    let mut desk = Desk::new(proposal(3, 4), (120, 40));
    says(&desk, "12 edits in 3 files");
    desk.keys("\n");
    says(&desk, "berths/part0/Board0.java:2");
    desk.keys("t");
    assert_eq!(desk.log.len(), 1);
    says(&desk, "taken: berths/part0/Board0.java:2");
    says(&desk, "berths/part0/Board0.java:8");
    desk.keys("x");
    says(&desk, "left as it is");
    desk.keys("u");
    says(&desk, "undone: left as it is");
}

#[test]
fn what_is_alike_is_shown_before_it_is_decided() {
    let mut desk = Desk::new(proposal(3, 4), (120, 40));
    desk.keys("\na");
    says(&desk, "3 in 3 files  all alike: the same change");
    says(&desk, "berths/part0/Board2.java:2");
    desk.keys("t");
    says(&desk, "taken: 3 edits");
    // Of a file with others that are unsure and call for caution these are left, and that is said; notes are not ticked off along.
    desk.keys("ajt");
    says(&desk, "taken: berths/part0/Board0.java:5; not: 1 that call for caution, 1 unsure");
    assert!(!desk.model.standings().iter().any(|s| s.1 == "done"));
}

#[test]
fn a_choice_is_picked_by_its_number_and_an_own_text_is_checked() {
    let mut desk = Desk::new(proposal(1, 5), (120, 40));
    desk.keys("f");
    says(&desk, "choices to make");
    desk.keys("jj\n");
    says(&desk, "1 near");
    desk.keys("t");
    says(&desk, "it is a choice: press 1 to 2");
    desk.keys("2");
    assert!(desk.model.standings().iter().any(|s| s.1 == "picked"));
    desk.keys("\u{1b}\nw");
    says(&desk, "in your own words");
    desk.keys("(\n");
    desk.work();
    says(&desk, "would no longer parse");
    desk.take(Input::Key(Key { code: Code::Backspace, control: false }));
    desk.keys("\n");
    desk.work();
    assert!(desk.model.standings().iter().any(|s| s.1 == "reworded"));
}

#[test]
fn reasons_lead_to_other_places_and_back() {
    let mut desk = Desk::new(proposal(1, 4), (120, 40));
    desk.keys("f");
    says(&desk, "undecided that call for caution");
    desk.keys("jjjj\n");
    says(&desk, "caution: readings carry the gauge's time");
    says(&desk, "needs berths/part0/Board0.java:2 (open)");
    desk.keys("yj\n");
    says(&desk, "goes back");
    says(&desk, "Board0.java:2 ");
    desk.keys("\u{1b}");
    says(&desk, "Board0.java:11");
    // An edit is taken with those that it builds on.
    desk.keys("t");
    says(&desk, "with 1 that it builds on");
}

#[test]
fn the_mouse_chooses_turns_and_presses() {
    let mut desk = Desk::new(proposal(2, 4), (120, 40));
    let click = |desk: &mut Desk, words: &str| {
        let lines = shown(&desk.model, (120, 40));
        let y = lines.iter().position(|l| l.contains(words)).expect(words);
        let x = lines[y].find(words).map(|at| lines[y][..at].chars().count()).unwrap_or(0);
        let hit = support::hit(&desk.model, (120, 40), (x as u16, y as u16));
        desk.take(Input::Click(hit.expect("something is there")));
    };
    click(&mut desk, "edits undecided");
    says(&desk, "1 of 8");
    click(&mut desk, "Board1.java:2");
    says(&desk, "berths/part0/Board1.java:2");
    click(&mut desk, "take  ");
    says(&desk, "taken: berths/part0/Board1.java:2");
    click(&mut desk, "unchanged lines");
    desk.take(Input::Wheel { lines: 1, code: false });
    desk.take(Input::Wheel { lines: 3, code: true });
    assert!(desk.model.is_code(60, 5) && !desk.model.is_code(2, 5));
}

#[test]
fn decisions_of_others_are_seen() {
    let mut desk = Desk::new(proposal(1, 3), (120, 40));
    let p = proposal(1, 3);
    let mut theirs = desk.kept();
    let e = p.edits().next().expect("an edit");
    theirs.add(emendo_core::Decision::about(e, emendo_core::Verdict::Rejected));
    desk.take(Input::Decisions(Box::new(theirs)));
    says(&desk, "decisions were made elsewhere");
    says(&desk, "1 left");
}

#[test]
fn the_same_is_asked_line_by_line() {
    let desk = Desk::new(proposal(2, 3), (80, 24));
    let mut dialog = Dialog::new(desk.model);
    let mut asked = Vec::new();
    for answer in ["take alike", "later", "maybe", "leave", "take file", "help", "stop"] {
        asked.extend(dialog.ask());
        asked.extend(dialog.answer(answer).0);
    }
    assert!(dialog.ended());
    let asked = asked.join("\n");
    for words in [
        "edit: berths/part0/Board0.java, line 2, certain (",
        "take, leave, later, reword, stop or help?",
        "taken: 2 edits",
        "`maybe` is no answer",
        "left as it is: ",
        "reword TEXT",
    ] {
        assert!(asked.contains(words), "no {words:?} in\n{asked}");
    }
}
