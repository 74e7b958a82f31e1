//! Finds the steps that make a check fail: the check runs without them, in a copy of the project.
//!
//! A step is guilty if leaving it out takes a new problem of the whole run away, and brings no other. A step whose absence takes some away and
//! brings others is needed by the rest: it is not judged by that. If no step is guilty alone, all suspects are left out and put back one by one;
//! the one with which new problems come back is guilty. Each verdict is run twice.

use emendo_core::StepKey;
use serde::{Deserialize, Serialize};

use crate::problem::{CheckResult, Problem, new_problems};

/// What a check is run over.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "trial")]
pub enum Trial {
    /// The tree before the edits.
    Before,
    /// The tree with all of them.
    Whole,
    /// The tree without those of some steps.
    Without {
        /// The steps.
        steps: Vec<StepKey>,
    },
}

/// Runs a check over trees.
pub trait Trials {
    /// Why a check cannot be run.
    type Error;

    /// Runs the check over a tree; gives how many edits of other steps were left out with it, too.
    ///
    /// # Errors
    /// If the tree cannot be made, or the check cannot be run.
    fn run(&mut self, trial: &Trial) -> Result<(CheckResult, usize), Self::Error>;
}

/// One run of the search.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Attempt {
    /// What was run.
    #[serde(flatten)]
    pub trial: Trial,
    /// How many edits of other steps were left out since they need one of these.
    pub along: usize,
    /// How many of the new problems are gone.
    pub gone: usize,
    /// How many others came.
    pub came: usize,
    /// What it gave.
    pub result: CheckResult,
}

/// A step that makes the check fail.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Guilty {
    /// The step.
    #[serde(flatten)]
    pub step: StepKey,
    /// How many of the new problems are gone without it.
    pub problems: usize,
    /// How many edits of other steps need one of it.
    pub along: usize,
}

/// What the search says.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "blame")]
pub enum Blame {
    /// These steps.
    Steps {
        /// The steps, as they were found.
        guilty: Vec<Guilty>,
    },
    /// No step: without all of them the check fails as it does with them.
    NoStep,
    /// Nobody: the check does not give the same twice.
    Unstable,
    /// Nobody: in a copy of the project the check fails before the edits too, otherwise than in place.
    FailsInCopy,
    /// Nobody: in a copy of the project the check says nothing new.
    PassesInCopy,
    /// Nobody yet: the tries are used up.
    TriesUsedUp,
}

/// How a search went.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Findings {
    /// What it says.
    #[serde(flatten)]
    pub blame: Blame,
    /// Steps that the rest of the edits needs: without them other problems come.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub needed: Vec<StepKey>,
    /// The steps that were suspected.
    pub suspects: Vec<StepKey>,
    /// The tries were used up before all was looked at: there may be other guilty steps.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unfinished: bool,
    /// How many of the new problems stay without any one of the guilty.
    #[serde(default)]
    pub unexplained: usize,
    /// The runs.
    pub attempts: Vec<Attempt>,
}

impl Findings {
    /// The steps that are to blame.
    pub fn guilty(&self) -> &[Guilty] {
        match &self.blame {
            Blame::Steps { guilty } => guilty,
            _ => &[],
        }
    }
}

/// Searches for the guilty of some suspects with at most this many runs, and of other steps if these do not explain it all. `before` is what
/// the check says of the tree before the edits, in place, and `now` of the tree with them. `tell` hears of each run.
///
/// # Errors
/// What a run gives.
pub fn search<T: Trials>(
    (before, now): (Option<&CheckResult>, &CheckResult),
    (suspects, others): (Vec<StepKey>, Vec<StepKey>),
    tries: usize,
    trials: &mut T,
    tell: &mut dyn FnMut(&Attempt),
) -> Result<Findings, T::Error> {
    let search = Search {
        tries,
        trials,
        tell,
        base: Vec::new(),
        new: Vec::new(),
        attempts: Vec::new(),
        needed: Vec::new(),
        explained: Vec::new(),
        suspects,
        others,
    };
    search.run(before, now)
}

struct Search<'a, T> {
    tries: usize,
    trials: &'a mut T,
    tell: &'a mut dyn FnMut(&Attempt),
    /// The problems before the edits, in the copy.
    base: Vec<Problem>,
    /// Those that are new with all of them.
    new: Vec<Problem>,
    attempts: Vec<Attempt>,
    needed: Vec<StepKey>,
    /// New problems that are gone without one of the guilty.
    explained: Vec<Problem>,
    suspects: Vec<StepKey>,
    /// Steps that nothing speaks against so far.
    others: Vec<StepKey>,
}

/// The problems of one list that are not in another.
fn besides(all: &[Problem], known: &[Problem]) -> Vec<Problem> {
    new_problems(all, known, &|p| p.clone())
}

/// What a try showed.
struct Shown {
    result: CheckResult,
    /// The new problems that are gone.
    gone: Vec<Problem>,
    came: usize,
    along: usize,
}

impl<T: Trials> Search<'_, T> {
    fn run(
        mut self,
        before: Option<&CheckResult>,
        now: &CheckResult,
    ) -> Result<Findings, T::Error> {
        let Some(base) = self.attempt(Trial::Before)? else {
            return Ok(self.ends(Blame::TriesUsedUp));
        };
        if before.is_some_and(|b| !b.agrees(&base.result)) {
            return Ok(self.ends(Blame::FailsInCopy));
        }
        self.base = base.result.problems;
        let Some(whole) = self.attempt(Trial::Whole)? else {
            return Ok(self.ends(Blame::TriesUsedUp));
        };
        let new = besides(&whole.result.problems, &self.base);
        let in_place = besides(&now.problems, &self.base);
        if besides(&in_place, &new).len() + besides(&new, &in_place).len() > 0 {
            // In the copy it says something else: is that so each time?
            let stops = match self.attempt(Trial::Whole)? {
                None => Some(Blame::TriesUsedUp),
                Some(again) if !again.result.agrees(&whole.result) => Some(Blame::Unstable),
                Some(_) if new.is_empty() => Some(Blame::PassesInCopy),
                Some(_) => None,
            };
            if let Some(blame) = stops {
                return Ok(self.ends(blame));
            }
        }
        self.new = new;
        let mut guilty = Vec::new();
        if let Some(blame) = self.alone(&mut guilty)? {
            return Ok(self.judged(guilty, blame));
        }
        // What a failing test names need not be where the cause is.
        if !self.others.is_empty() && !besides(&self.new, &self.explained).is_empty() {
            let others = std::mem::take(&mut self.others);
            let known = std::mem::replace(&mut self.suspects, others);
            let ended = self.alone(&mut guilty)?;
            let others = std::mem::replace(&mut self.suspects, known);
            self.suspects.extend(others);
            if let Some(blame) = ended {
                return Ok(self.judged(guilty, blame));
            }
        }
        if !guilty.is_empty() {
            return self.sure(guilty);
        }
        self.one_by_one()
    }

    /// Leaves out one suspect at a time. Gives what ends the search, if anything does.
    fn alone(&mut self, guilty: &mut Vec<Guilty>) -> Result<Option<Blame>, T::Error> {
        for step in self.suspects.clone() {
            let trial = Trial::Without { steps: vec![step.clone()] };
            let Some(shown) = self.attempt(trial.clone())? else {
                return Ok(Some(Blame::TriesUsedUp));
            };
            if shown.gone.is_empty() {
                continue;
            }
            if shown.came > 0 {
                self.needed.push(step);
                continue;
            }
            match self.again(trial, &shown)? {
                Some(true) => {
                    guilty.push(Guilty { step, problems: shown.gone.len(), along: shown.along });
                    self.explained.extend(shown.gone);
                }
                Some(false) => {
                    guilty.clear();
                    return Ok(Some(Blame::Unstable));
                }
                None => return Ok(Some(Blame::TriesUsedUp)),
            }
        }
        Ok(None)
    }

    /// All suspects are left out, and put back one by one.
    fn one_by_one(mut self) -> Result<Findings, T::Error> {
        let mut out = self.suspects.clone();
        if out.len() < 2 {
            return Ok(self.ends(Blame::NoStep));
        }
        let Some(all) = self.attempt(Trial::Without { steps: out.clone() })? else {
            return Ok(self.ends(Blame::TriesUsedUp));
        };
        if all.gone.is_empty() || all.came > 0 {
            return Ok(self.ends(Blame::NoStep));
        }
        // What stays without all of them is not theirs.
        let rest = all.result.problems;
        let mut guilty = Vec::new();
        for step in self.suspects.clone() {
            let mut without = out.clone();
            without.retain(|s| *s != step);
            let trial = match without.is_empty() {
                true => Trial::Whole,
                false => Trial::Without { steps: without.clone() },
            };
            let Some(shown) = self.attempt(trial.clone())? else {
                return Ok(self.judged(guilty, Blame::TriesUsedUp));
            };
            let back = besides(&shown.result.problems, &rest);
            if back.is_empty() {
                out = without;
                continue;
            }
            match self.again(trial, &shown)? {
                Some(true) => {
                    guilty.push(Guilty { step, problems: back.len(), along: shown.along });
                }
                Some(false) => return Ok(self.ends(Blame::Unstable)),
                None => return Ok(self.judged(guilty, Blame::TriesUsedUp)),
            }
        }
        match guilty.is_empty() {
            true => Ok(self.ends(Blame::NoStep)),
            false => self.sure(guilty),
        }
    }

    /// A check that passes later on whatever is left out would make every step guilty: with all edits it must still fail as it did.
    fn sure(mut self, guilty: Vec<Guilty>) -> Result<Findings, T::Error> {
        let stays = match self.attempt(Trial::Whole)? {
            Some(whole) => {
                besides(&self.new, &besides(&whole.result.problems, &self.base)).is_empty()
            }
            None => true,
        };
        let blame = if stays { Blame::Steps { guilty } } else { Blame::Unstable };
        Ok(self.ends(blame))
    }

    /// Runs the check over a tree; none if there is no try left.
    fn attempt(&mut self, trial: Trial) -> Result<Option<Shown>, T::Error> {
        if self.attempts.len() >= self.tries {
            return Ok(None);
        }
        let (result, along) = self.trials.run(&trial)?;
        // Those that were there before may read like new ones: they are taken off first.
        let new = besides(&result.problems, &self.base);
        let gone = besides(&self.new, &new);
        let came = match trial {
            Trial::Without { .. } => besides(&new, &self.new).len(),
            Trial::Before | Trial::Whole => 0,
        };
        let attempt = Attempt { trial, along, gone: gone.len(), came, result: result.clone() };
        (self.tell)(&attempt);
        self.attempts.push(attempt);
        Ok(Some(Shown { result, gone, came, along }))
    }

    /// The same once more: true if it gives the same; none if there is no try left.
    fn again(&mut self, trial: Trial, shown: &Shown) -> Result<Option<bool>, T::Error> {
        Ok(self.attempt(trial)?.map(|again| again.result.agrees(&shown.result)))
    }

    /// What was found before the tries were used up counts.
    fn judged(self, guilty: Vec<Guilty>, else_: Blame) -> Findings {
        match guilty.is_empty() {
            true => self.ends(else_),
            false => Findings {
                unfinished: else_ == Blame::TriesUsedUp,
                ..self.ends(Blame::Steps { guilty })
            },
        }
    }

    fn ends(self, blame: Blame) -> Findings {
        let unexplained = match (&blame, self.explained.is_empty()) {
            (Blame::Steps { .. }, false) => besides(&self.new, &self.explained).len(),
            _ => 0,
        };
        let Self { attempts, suspects, needed, .. } = self;
        Findings { blame, needed, suspects, unfinished: false, unexplained, attempts }
    }
}
