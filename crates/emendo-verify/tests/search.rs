//! The search for guilty steps, over checks that are made up.

use std::collections::BTreeSet;
use std::convert::Infallible;

use emendo_core::StepKey;
use emendo_verify::{Blame, CheckResult, Findings, Problem, Trial, Trials, search};

fn step(name: &str) -> StepKey {
    StepKey { recipe: "r".into(), step: name.into() }
}

fn result(messages: &[&str]) -> CheckResult {
    let problem = |m: &&str| Problem { message: (*m).to_owned(), ..Problem::of_exit(Some(1)) };
    CheckResult {
        passed: messages.is_empty(),
        code: Some(i32::from(!messages.is_empty())),
        time: 0,
        took: 0,
        problems: messages.iter().map(problem).collect(),
        log: "1.log".into(),
        in_copy: true,
    }
}

/// A check of a tree with some steps in; it is told how many runs came before.
type Check = dyn Fn(&BTreeSet<&str>, usize) -> Vec<&'static str>;

struct MadeUp<'a> {
    steps: &'a [&'static str],
    check: &'a Check,
    runs: usize,
}

impl Trials for MadeUp<'_> {
    type Error = Infallible;

    fn run(&mut self, trial: &Trial) -> Result<(CheckResult, usize), Infallible> {
        let mut there: BTreeSet<&str> = self.steps.iter().copied().collect();
        match trial {
            Trial::Before => there.clear(),
            Trial::Whole => {}
            Trial::Without { steps } => {
                there.retain(|s| !steps.iter().any(|out| out.step == **s));
            }
        }
        self.runs += 1;
        Ok((result(&(self.check)(&there, self.runs - 1)), 0))
    }
}

/// Searches among all steps; in place the check says the same as in the copy.
fn found(steps: &'static [&'static str], tries: usize, check: &Check) -> Findings {
    let all: BTreeSet<&str> = steps.iter().copied().collect();
    let before = result(&check(&BTreeSet::new(), 0));
    let now = result(&check(&all, 0));
    let mut trials = MadeUp { steps, check, runs: 0 };
    let suspects = (steps.iter().map(|s| step(s)).collect(), Vec::new());
    let Ok(found) = search((Some(&before), &now), suspects, tries, &mut trials, &mut |_| {});
    assert!(found.attempts.len() <= tries);
    found
}

fn guilty(found: &Findings) -> Vec<&str> {
    match &found.blame {
        Blame::Steps { guilty } => guilty.iter().map(|g| g.step.step.as_str()).collect(),
        _ => Vec::new(),
    }
}

#[test]
fn each_step_with_errors_of_its_own_is_guilty() {
    let check = |there: &BTreeSet<&str>, _: usize| {
        let mut out = vec!["old error"];
        out.extend(there.contains("open").then_some("no method open"));
        out.extend(there.contains("close").then_some("no method close"));
        out
    };
    let found = found(&["names", "open", "close"], 12, &check);
    assert_eq!(guilty(&found), ["open", "close"]);
    // Before, whole, one of the innocent, two of each of the guilty, and whole once more.
    assert_eq!(found.attempts.len(), 8);
}

#[test]
fn steps_that_break_it_together_are_found_by_putting_them_back() {
    // A check that only says whether it passes: either of them makes it fail.
    let check = |there: &BTreeSet<&str>, _: usize| match ["open", "close"]
        .iter()
        .any(|s| there.contains(s))
    {
        true => vec!["exit code 1"],
        false => vec![],
    };
    let found = found(&["names", "open", "close"], 12, &check);
    assert_eq!(guilty(&found), ["open", "close"]);
}

#[test]
fn a_step_that_others_rest_on_is_not_blamed_for_what_its_absence_hides() {
    let check = |there: &BTreeSet<&str>, _: usize| match there.contains("versions") {
        false if !there.is_empty() => vec!["the library is not there"],
        _ if there.contains("open") => vec!["no method open"],
        _ => vec![],
    };
    let found = found(&["versions", "open"], 12, &check);
    assert_eq!(guilty(&found), ["open"]);
    assert_eq!(found.needed, [step("versions")]);
}

#[test]
fn a_check_that_does_not_say_the_same_twice_blames_nobody() {
    let check = |there: &BTreeSet<&str>, run: usize| match there.contains("open") || run == 3 {
        true => vec!["exit code 1"],
        false => vec![],
    };
    assert_eq!(found(&["open"], 12, &check).blame, Blame::Unstable);
    let now_and_then =
        |there: &BTreeSet<&str>, run: usize| match !there.is_empty() && run.is_multiple_of(2) {
            true => vec!["exit code 1"],
            false => vec![],
        };
    assert_eq!(found(&["open", "close"], 12, &now_and_then).blame, Blame::Unstable);
    // It fails at first, and passes ever after: whatever was left out, it would have.
    let at_first = |there: &BTreeSet<&str>, run: usize| match !there.is_empty() && run < 2 {
        true => vec!["exit code 1"],
        false => vec![],
    };
    assert_eq!(found(&["open", "close"], 12, &at_first).blame, Blame::Unstable);
}

#[test]
fn nobody_is_blamed_where_the_copy_shows_something_else() {
    // In the copy it fails before the edits; in place it passed.
    let mut trials = MadeUp { steps: &["open"], check: &|_, _| vec!["no such folder"], runs: 0 };
    let (before, now) = (result(&[]), result(&["exit code 1"]));
    let steps = (vec![step("open")], Vec::new());
    let Ok(fails) = search((Some(&before), &now), steps.clone(), 12, &mut trials, &mut |_| {});
    assert_eq!(fails.blame, Blame::FailsInCopy);
    // In the copy it passes with the edits, each time.
    let mut trials = MadeUp { steps: &["open"], check: &|_, _| vec![], runs: 0 };
    let Ok(passes) = search((Some(&before), &now), steps, 12, &mut trials, &mut |_| {});
    assert_eq!(passes.blame, Blame::PassesInCopy);
}

#[test]
fn a_failure_that_stays_without_all_suspects_is_nobodys() {
    let check = |there: &BTreeSet<&str>, _: usize| match there.is_empty() {
        true => vec![],
        false => vec!["exit code 1"],
    };
    // A third step is at work that nobody suspects.
    let mut trials = MadeUp { steps: &["a", "b", "c"], check: &check, runs: 0 };
    let (before, now) = (result(&[]), result(&["exit code 1"]));
    let suspects = (vec![step("a"), step("b")], Vec::new());
    let Ok(found) = search((Some(&before), &now), suspects, 12, &mut trials, &mut |_| {});
    assert_eq!(found.blame, Blame::NoStep);
}

#[test]
fn what_the_suspects_do_not_explain_is_looked_for_among_the_others() {
    let check = |there: &BTreeSet<&str>, _: usize| {
        let names = [("a", "error a"), ("c", "error c")];
        names.iter().filter(|n| there.contains(n.0)).map(|n| n.1).collect::<Vec<_>>()
    };
    let mut trials = MadeUp { steps: &["a", "b", "c"], check: &check, runs: 0 };
    let (before, now) = (result(&[]), result(&["error a", "error c"]));
    let steps = (vec![step("a")], vec![step("b"), step("c")]);
    let Ok(both) = search((Some(&before), &now), steps.clone(), 12, &mut trials, &mut |_| {});
    assert_eq!((guilty(&both), both.unexplained), (vec!["a", "c"], 0));
    // Where the tries are used up before, that is counted.
    let Ok(one) = search((Some(&before), &now), steps, 4, &mut trials, &mut |_| {});
    assert_eq!((guilty(&one), one.unexplained, one.unfinished), (vec!["a"], 1, true));
}

#[test]
fn it_never_runs_more_often_than_it_may_and_what_it_found_counts() {
    let check = |there: &BTreeSet<&str>, _: usize| {
        let names = [("a", "error a"), ("b", "error b"), ("c", "error c")];
        names.iter().filter(|n| there.contains(n.0)).map(|n| n.1).collect::<Vec<_>>()
    };
    assert_eq!(found(&["a", "b", "c"], 1, &check).blame, Blame::TriesUsedUp);
    assert_eq!(guilty(&found(&["a", "b", "c"], 5, &check)), ["a"]);
}
