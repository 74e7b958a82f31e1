//! An action of its own, a few lines long: it is brought in through `World`, and all that a run does can be tried with
//! it: folding, conflicts, selections, stages, limits and narrowing.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::{KINDS, World};
use emendo_core::{
    Certainty, Checked, Edit, Limit, Proposal, Selection, Session, Shelf, Standing, check,
};
use emendo_recipe::Source;
use testkit::SWAP;

/// A project in a scratch folder, with a recipe of these steps.
struct Trial {
    dir: tempfile::TempDir,
    world: Arc<World>,
    checked: Checked,
}

impl Trial {
    fn new(steps: &str, files: &[(&str, &str)]) -> Self {
        let dir = tempfile::tempdir().expect("a scratch folder");
        for (path, text) in files {
            let path = dir.path().join(path);
            std::fs::create_dir_all(path.parent().expect("a folder")).expect("writable");
            std::fs::write(path, text).expect("writable");
        }
        let mut world = World::default();
        world.kinds.push(&SWAP);
        let text = format!("emendo = 1\nid = \"toy\"\ntitle = \"Toy\"\n{steps}");
        let name = "toy.toml".to_owned();
        let source = Source { path: name.clone(), name, text, beside: Default::default() };
        let world = Arc::new(world);
        let checked = check(&world, vec![source], &BTreeMap::new(), &Shelf::default());
        let all = checked.messages.iter().flat_map(|m| &m.found);
        let said: Vec<&str> = all.map(|d| d.message.as_str()).collect();
        assert!(!checked.failed(), "{said:?}");
        Self { dir, world, checked }
    }

    fn session(&self) -> Session {
        Session::open(self.dir.path()).expect("opens").with_world(self.world.clone())
    }

    fn propose(&self) -> Proposal {
        let session = self.session();
        session.propose(&self.checked, &Default::default(), &[], &mut |_, _| {}).expect("proposes")
    }

    /// The edits that are decided, by path, step, text before and after.
    fn edits(&self) -> Vec<(String, String, String, String)> {
        let one =
            |e: &Edit| (e.path.to_string(), e.step.step.clone(), e.before.clone(), e.after.clone());
        self.propose().decidable().filter(|e| e.standing == Standing::In).map(one).collect()
    }
}

fn step(id: &str, rest: &str) -> String {
    format!("[[step]]\nid = \"{id}\"\ntitle = \"{id}\"\n[[step.swap]]\n{rest}\n")
}

fn swap(old: &str, new: &str) -> String {
    format!("old = \"{old}\"\nnew = \"{new}\"")
}

/// One step with one swap over one file.
fn simple() -> Trial {
    Trial::new(&step("a", &swap("quay", "pier")), &[("x.txt", "a quay, a mole, a quay\n")])
}

#[test]
fn an_action_needs_nothing_but_its_own_file() {
    assert!(KINDS.iter().all(|k| k.name() != "swap"), "it is no action of the program");
    let edits = simple().edits();
    let one = ("x.txt".to_owned(), "a".to_owned(), "quay".to_owned(), "pier".to_owned());
    assert_eq!(edits, [one.clone(), one]);
}

#[test]
fn its_keys_are_checked_like_any_others() {
    let mut world = World::default();
    world.kinds.push(&SWAP);
    let text = "emendo = 1\nid = \"t\"\ntitle = \"T\"\n[[step]]\nid = \"a\"\ntitle = \"a\"\n[[step.swap]]\nold = \"a\"\nnow = \"b\"\n";
    let name = "t.toml".to_owned();
    let source = Source { path: name.clone(), name, text: text.into(), beside: Default::default() };
    let checked =
        check(&Arc::new(world), vec![source.clone()], &BTreeMap::new(), &Shelf::default());
    let said: Vec<&str> = checked.messages[0].found.iter().map(|d| d.message.as_str()).collect();
    assert!(said.iter().any(|m| m.contains("`now`")), "{said:?}");
    let without = check(&Default::default(), vec![source], &BTreeMap::new(), &Shelf::default());
    assert!(without.failed(), "nobody else knows the action");
}

#[test]
fn narrowing_lets_only_whole_words_through() {
    let files = [("a.txt", "quay\n"), ("b.txt", "quays\n"), ("c.txt", "the mole\n")];
    let trial = Trial::new(&step("a", &swap("quay", "pier")), &files);
    let paths: Vec<String> = trial.edits().into_iter().map(|e| e.0).collect();
    assert_eq!(paths, ["a.txt"]);
}

#[test]
fn files_that_an_action_does_not_cover_stay() {
    let rest = format!("{}\nfiles = \"docs/**\"", swap("quay", "pier"));
    let trial = Trial::new(&step("a", &rest), &[("x.txt", "quay\n"), ("docs/y.txt", "quay\n")]);
    let paths: Vec<String> = trial.edits().into_iter().map(|e| e.0).collect();
    assert_eq!(paths, ["docs/y.txt"]);
}

#[test]
fn a_later_step_works_on_what_an_earlier_one_wrote() {
    let steps = step("a", &swap("quay", "pier")) + &step("b", &swap("pier", "jetty"));
    let trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    let edits = trial.edits();
    let of: Vec<(&str, &str)> = edits.iter().map(|e| (e.2.as_str(), e.3.as_str())).collect();
    assert_eq!(of, [("quay", "pier"), ("pier", "jetty")]);
    let proposal = trial.propose();
    let later = proposal.decidable().find(|e| e.step.step == "b").expect("is there");
    let earlier = proposal.decidable().find(|e| e.step.step == "a").expect("is there");
    assert_eq!(later.parents, [earlier.id], "it knows whose text it changes");
}

#[test]
fn of_two_edits_in_one_place_one_is_withheld() {
    let rest = format!("{}\n[[step.swap]]\n{}", swap("quay wall", "x"), swap("wall", "y"));
    let trial = Trial::new(&step("a", &rest), &[("x.txt", "a quay wall here, a wall there\n")]);
    let proposal = trial.propose();
    let held = proposal.decidable().filter(|e| matches!(e.standing, Standing::Withheld(_)));
    assert_eq!(held.count(), 1);
    let standing = proposal.decidable().filter(|e| e.standing == Standing::In);
    assert_eq!(standing.count(), 2, "the wall there is free");
}

#[test]
fn the_first_of_two_actions_stands_in_one_place_however_sure() {
    let unsure = format!("{}\nsure = \"unsure\"", swap("quay wall", "x"));
    let rest = format!("{unsure}\n[[step.swap]]\n{}", swap("wall", "y"));
    let trial = Trial::new(&step("a", &rest), &[("x.txt", "a quay wall\n")]);
    let stands: Vec<String> = trial.edits().into_iter().map(|e| e.2).collect();
    assert_eq!(stands, ["quay wall"]);
}

#[test]
fn ids_outlive_another_step_before() {
    let files = [("x.txt", "a quay, a mole\n")];
    let alone = Trial::new(&step("b", &swap("quay", "pier")), &files).propose();
    let both = step("a", &swap("mole", "wall")) + &step("b", &swap("quay", "pier"));
    let both = Trial::new(&both, &files).propose();
    let id = |p: &Proposal| p.decidable().find(|e| e.step.step == "b").map(|e| e.id);
    assert_eq!(id(&alone), id(&both));
}

#[test]
fn equal_places_have_ids_of_their_own() {
    let proposal = simple().propose();
    let ids: Vec<_> = proposal.decidable().map(|e| e.id).collect();
    assert_ne!(ids[0], ids[1]);
}

#[test]
fn a_second_run_gives_the_same_ids_and_seals() {
    let trial = simple();
    let of = |p: &Proposal| p.decidable().map(|e| (e.id, e.seal)).collect::<Vec<_>>();
    assert_eq!(of(&trial.propose()), of(&trial.propose()));
}

/// A step with an edit of each certainty, and another step.
fn graded() -> Trial {
    let sure = |word: &str, old: &str| format!("{}\nsure = \"{word}\"", swap(old, "x"));
    let rest = format!(
        "{}\n[[step.swap]]\n{}\n[[step.swap]]\n{}",
        sure("certain", "quay"),
        sure("likely", "mole"),
        sure("unsure", "wall")
    );
    let steps = step("a", &rest) + &step("b", &swap("buoy", "y"));
    let files = [("x.txt", "quay mole wall\n"), ("sub/y.txt", "quay buoy\n")];
    let trial = Trial::new(&steps, &files);
    trial.propose();
    trial
}

fn accepted(selection: Selection) -> Vec<String> {
    let trial = graded();
    let decided = trial.session().accept(&selection).expect("selects");
    let mut all: Vec<String> = decided.decided.iter().map(|e| e.before.clone()).collect();
    all.sort();
    all
}

#[test]
fn a_selection_by_certainty_takes_that_and_above() {
    let of = |c| Selection { certainty: Some(c), ..Selection::default() };
    assert_eq!(accepted(of(Certainty::Certain)), ["buoy", "quay", "quay"]);
    assert_eq!(accepted(of(Certainty::Likely)), ["buoy", "mole", "quay", "quay"]);
    assert_eq!(accepted(of(Certainty::Unsure)), ["buoy", "mole", "quay", "quay", "wall"]);
}

#[test]
fn a_selection_by_step_or_file_takes_only_those() {
    let steps = Selection { steps: vec!["b".into()], ..Selection::default() };
    assert_eq!(accepted(steps), ["buoy"]);
    let files = Selection { files: vec!["sub".into()], ..Selection::default() };
    assert_eq!(accepted(files), ["buoy", "quay"]);
}

#[test]
fn an_unsure_edit_must_be_asked_for() {
    let a = Selection { steps: vec!["a".into()], ..Selection::default() };
    assert_eq!(accepted(a), ["mole", "quay", "quay"]);
    let all = Selection { all: true, ..Selection::default() };
    assert_eq!(accepted(all).len(), 5);
}

#[test]
fn a_selection_of_what_is_not_there_is_an_error() {
    let trial = graded();
    let none = Selection { steps: vec!["zzz".into()], ..Selection::default() };
    assert!(trial.session().accept(&none).is_err());
    let none = Selection { edits: vec!["ffffffff".into()], ..Selection::default() };
    assert!(trial.session().accept(&none).is_err());
}

/// The stages of steps with these flags: the first step of each, and the one behind its last.
fn stages(flags: &[&str]) -> Vec<(usize, usize)> {
    let words = ["quay", "mole", "wall", "buoy"];
    let one = |(i, flag): (usize, &&str)| {
        let more = if flag.is_empty() { String::new() } else { format!("\n{flag} = true") };
        step(&format!("s{i}"), &format!("{}{more}", swap(words[i], "x")))
    };
    let steps: String = flags.iter().enumerate().map(one).collect();
    let stages = Trial::new(&steps, &[("x.txt", "quay\n")]).checked.plan.stages;
    stages.into_iter().map(|s| (s.start, s.end)).collect()
}

#[test]
fn steps_that_ask_nothing_are_one_stage() {
    assert_eq!(stages(&["", "", ""]), [(0, 3)]);
    assert_eq!(stages(&["changes", "changes"]), [(0, 2)]);
    assert_eq!(stages(&["asks", "asks"]), [(0, 2)]);
}

#[test]
fn a_stage_ends_before_a_step_that_asks_what_may_have_changed() {
    assert_eq!(stages(&["changes", "asks"]), [(0, 1), (1, 2)]);
    assert_eq!(stages(&["changes", "", "asks", ""]), [(0, 2), (2, 4)]);
    assert_eq!(stages(&["asks", "changes", "asks"]), [(0, 2), (2, 3)]);
}

fn limited(limit: Limit) -> Result<Vec<String>, String> {
    let steps: String = ["a", "b", "c"].iter().map(|s| step(s, &swap("quay", "pier"))).collect();
    let mut trial = Trial::new(&steps, &[("x.txt", "quay\n")]);
    trial.checked.limit(&limit)?;
    Ok(trial.checked.plan.steps.iter().map(|s| s.info.key.step.clone()).collect())
}

#[test]
fn a_limit_keeps_only_its_steps() {
    let steps = |all: &[&str]| all.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>();
    let only = Limit { steps: steps(&["c", "a"]), until: None };
    assert_eq!(limited(only), Ok(steps(&["a", "c"])));
    let until = Limit { steps: Vec::new(), until: Some("b".into()) };
    assert_eq!(limited(until), Ok(steps(&["a", "b"])));
    let both = Limit { steps: steps(&["a", "c"]), until: Some("b".into()) };
    assert_eq!(limited(both), Ok(steps(&["a"])));
    let none = Limit { steps: steps(&["d"]), until: None };
    assert!(limited(none).is_err_and(|e| e.contains("`d`") && e.contains("a, b, c")));
}
