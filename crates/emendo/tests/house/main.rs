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

/// The oldest Rust that the workspace says it needs is the one that the pages name, and no dependency needs a newer one.
/// Whether our own code holds it is clippy's business (`incompatible_msrv`).
#[test]
fn dependencies_hold_the_stated_rust_version() {
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    let known = std::process::Command::new("rustc").arg("-vV").output().expect("rustc runs");
    let known = String::from_utf8_lossy(&known.stdout).into_owned();
    let host = known.lines().find_map(|l| l.strip_prefix("host: ")).expect("a host");
    let out = std::process::Command::new(cargo)
        .args(["metadata", "--locked", "--offline", "--format-version", "1"])
        .args(["--filter-platform", host])
        .current_dir(testkit::workspace())
        .output()
        .expect("cargo runs");
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    let all: serde_json::Value = serde_json::from_slice(&out.stdout).expect("JSON");
    let version = |v: &serde_json::Value| {
        let parts = v.as_str()?.split('.').map(|p| p.parse::<u32>().unwrap_or(0));
        let parts: Vec<u32> = parts.chain([0, 0, 0]).take(3).collect();
        Some((parts[0], parts[1], parts[2]))
    };
    let packages = all["packages"].as_array().expect("packages");
    let own = packages.iter().find(|p| p["name"] == "emendo").expect("is there");
    let stated = version(&own["rust_version"]).expect("is stated");
    let newer: Vec<&str> = packages
        .iter()
        .filter(|p| version(&p["rust_version"]).is_some_and(|v| v > stated))
        .filter_map(|p| p["name"].as_str())
        .collect();
    assert!(newer.is_empty(), "these need a newer Rust than {stated:?}: {newer:?}");
    let word = format!("Rust {}.{}", stated.0, stated.1);
    let word = [word.clone(), word.replace("Rust ", "Rust (")];
    for page in ["README.md", "CONTRIBUTING.md"] {
        let text = std::fs::read_to_string(testkit::workspace().join(page)).expect("readable");
        assert!(word.iter().any(|w| text.contains(w.as_str())), "{page} names another version");
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
