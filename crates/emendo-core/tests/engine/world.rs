//! What a `World` may be given: an action, a language; and what it may lack.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_actions::KINDS;
use emendo_core::{Shelf, SkipReason, World, check};

use emendo_recipe::Source;
use testkit::{REED, SLOW_REED};

use crate::trial::{Trial, simple, step, swap, world};

fn messages(world: World, text: &str) -> Vec<String> {
    let name = "t.toml".to_owned();
    let text = format!("emendo = 1\nid = \"t\"\ntitle = \"T\"\n{text}");
    let source = Source { path: name.clone(), name, text, beside: Default::default() };
    let checked = check(&Arc::new(world), vec![source], &BTreeMap::new(), &Shelf::default());
    checked.messages[0].found.iter().map(|d| d.message.clone()).collect()
}

#[test]
fn an_action_needs_nothing_but_its_own_file() {
    assert!(KINDS.iter().all(|k| k.name() != "swap"), "it is not an action of the program");
    let one = ("a".to_owned(), "quay".to_owned(), "pier".to_owned());
    assert_eq!(simple().edits(), [one.clone(), one]);
}

#[test]
fn its_keys_are_checked_like_any_others() {
    let said = messages(world(), &step("a", "old = \"a\"\nnow = \"b\""));
    assert!(said.iter().any(|m| m.contains("`now`")), "{said:?}");
}

#[test]
fn an_action_that_the_world_does_not_have_is_an_error() {
    let said = messages(World::default(), &step("a", &swap("a", "b")));
    assert!(said.iter().any(|m| m.contains("`swap`")), "{said:?}");
}

const MOOR: &str = "lang = \"reed\"\nnames = { tide = \"tide\" }\n[[step]]\nid = \"moor\"\ntitle = \"Moor\"\n[[step.code]]\nold = \"tide.open(@{port})\"\nnew = \"tide.moor(@{port})\"\n";

#[test]
fn a_language_is_brought_in_and_code_of_it_is_rewritten() {
    let mut world = World::default();
    Arc::make_mut(&mut world.tables).languages.push(&REED);
    let text = "import tide\nx = tide.open(1)\n";
    let trial = Trial::within(world, MOOR, &[("a.reed", text), ("b.py", text)]);
    assert_eq!(trial.paths(), ["a.reed"], "nothing else is read as that language");
    assert_eq!(trial.applied("a.reed"), "import tide\nx = tide.moor(1)\n");
}

#[test]
fn a_language_that_the_world_does_not_have_is_an_error() {
    let said = messages(World::default(), MOOR);
    assert!(said.iter().any(|m| m.contains("`reed`")), "{said:?}");
}

#[test]
fn a_file_that_takes_too_long_to_parse_is_named_and_left_alone() {
    let mut world = World::default();
    Arc::make_mut(&mut world.tables).languages.push(&SLOW_REED);
    let short = "import tide\nx = tide.open(1)\n";
    let long = format!("{short}{}", "y = [1, 2, 3]\n".repeat(2000));
    let trial = Trial::within(world, MOOR, &[("a.reed", short), ("b.reed", &long)]);
    assert_eq!(trial.paths(), ["a.reed"]);
    let passed = trial.propose().trailer.counts.passed;
    assert_eq!(passed[&SkipReason::Slow], ["b.reed"]);
}

const PORT: &str = "[[step]]\nid = \"port\"\ntitle = \"Port\"\n[[step.setting]]\nkey = \"tide.port\"\nnew = \"tide.quay\"\n";

#[test]
fn a_world_without_a_format_leaves_its_files_alone() {
    let files = [("a.properties", "tide.port = 1\n")];
    assert_eq!(Trial::new(PORT, &files).applied("a.properties"), "tide.quay = 1\n");
    let mut world = World::default();
    Arc::make_mut(&mut world.tables).formats.retain(|f| f.id != "properties");
    let trial = Trial::within(world, PORT, &files);
    assert!(trial.propose().files.iter().all(|f| f.hunks.is_empty()));
}

#[test]
fn a_world_without_an_ecosystem_refuses_its_coordinates() {
    let raise = "[[step]]\nid = \"up\"\ntitle = \"Up\"\n[[step.library]]\nold = \"npm:tidewire\"\nversion = \"3.0.0\"\n";
    assert_eq!(messages(World::default(), raise), Vec::<String>::new());
    let mut world = World::default();
    Arc::make_mut(&mut world.tables).ecosystems.retain(|e| e.id != "npm");
    assert!(!messages(world, raise).is_empty());
}
