//! The rules of the house: what may ask what, how large a room may be, and which words stand where.
//!
//! `EXCEPTIONS` holds what breaks a rule today. It only shrinks: an entry that is not needed any more is an error too.
//! `cargo test -p emendo --test house -- --nocapture figures` prints the figures.

mod exceptions;
mod imports;
mod rules;
mod source;

use std::collections::{BTreeMap, BTreeSet};

use exceptions::EXCEPTIONS;
use imports::{arrows, circles};
use rules::{Broken, CRATES};
use source::sources;

/// Fails if what breaks these rules is not exactly what the list of exceptions holds for them.
#[track_caller]
fn hold(rules: &[(&str, Vec<Broken>)]) {
    let mut wrong = Vec::new();
    for (rule, broken) in rules {
        let allowed = EXCEPTIONS.iter().filter(|e| e.rule == *rule).map(|e| e.place);
        let allowed: BTreeSet<&str> = allowed.collect();
        let new = broken.iter().filter(|b| !allowed.contains(b.place.as_str()));
        wrong.extend(new.map(|b| format!("{rule}: {}: {}", b.place, b.what)));
        let gone = allowed.iter().filter(|a| !broken.iter().any(|b| b.place == **a));
        wrong.extend(gone.map(|g| format!("{rule}: {g}: is in order; take it off EXCEPTIONS")));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn no_circle_between_files() {
    let mut broken = Vec::new();
    for krate in CRATES {
        let arrows = arrows(&sources(krate));
        for (file, circle) in circles(&arrows) {
            let asked = arrows[&file].intersection(&circle);
            let asked: Vec<&str> = asked.filter_map(|c| c.split("/src/").last()).collect();
            let what = format!("in a circle of {}, asks {}", circle.len(), asked.join(", "));
            broken.push(Broken { place: file, what });
        }
    }
    hold(&[("circle", broken)]);
}

#[test]
fn crates_depend_on_those_before_them() {
    hold(&[("order", rules::order())]);
}

#[test]
fn files_and_folders_stay_small() {
    hold(&[("lines", rules::lines()), ("folder", rules::folders())]);
}

#[test]
fn words_stand_where_they_belong() {
    hold(&[
        ("command words", rules::command_words()),
        ("kind by name", rules::kinds_by_name()),
        ("project files", rules::project_files()),
        ("language names", rules::language_names()),
        ("tables", rules::tables()),
        ("json", rules::json()),
    ]);
}

#[test]
fn every_exception_has_a_rule_and_a_reason() {
    let mut seen = BTreeSet::new();
    for e in EXCEPTIONS {
        assert!(rules::NAMES.contains(&e.rule) && !e.why.is_empty(), "{} {}", e.rule, e.place);
        assert!(seen.insert((e.rule, e.place)), "{} {} stands twice", e.rule, e.place);
    }
}

/// Prints the figures of the house; fails only if they cannot be taken.
#[test]
fn figures() {
    let mut circle_sizes = BTreeMap::new();
    for krate in CRATES {
        for circle in circles(&arrows(&sources(krate))).into_values() {
            circle_sizes.insert(circle.iter().next().cloned(), circle.len());
        }
    }
    let largest = circle_sizes.values().max().copied().unwrap_or(0);
    println!("circles between files: {} (largest {largest})", circle_sizes.len());
    println!("files over {} lines: {}", rules::MOST_LINES, rules::lines().len());
    println!("largest flat folder: {}", rules::largest_folder());
    let mut bodies = rules::bodies();
    bodies.sort_unstable_by(|a, b| b.cmp(a));
    let over = |n: usize| bodies.iter().filter(|b| b.0 > n).count();
    let p90 = bodies.get(bodies.len() / 10).map_or(0, |b| b.0);
    println!(
        "function bodies: {}, p90 {p90}, over 60: {}, over 100: {}",
        bodies.len(),
        over(60),
        over(100)
    );
    for (lines, place) in bodies.iter().take(12) {
        println!("  {lines} {place}");
    }
    println!("`too_many_arguments` allowed: {}", rules::count("too_many_arguments"));
    println!("rows that say none in language files: {}", rules::empty_rows());
    println!("files that read the project elsewhere: {}", rules::project_files().len());
    println!("files with command words in libraries: {}", rules::command_words().len());
    println!("kinds told by name: {}", rules::kinds_by_name().len());
    let thrice: Vec<String> =
        rules::type_names().into_iter().filter(|t| t.1 > 2).map(|t| t.0).collect();
    println!("type names defined three times or more: {} {thrice:?}", thrice.len());
    for krate in CRATES {
        println!("unit tests in {krate}: {}", rules::unit_tests(krate));
    }
    assert!(bodies.len() > 1000, "the functions were read");
}
