//! The facade: a project with its proposal, decisions and journal.

mod apply;
mod decide;
mod error;
mod finish;
mod propose;
mod recover;
mod remaining;
mod reword;
mod series;
mod undo;
mod why;

use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use emendo_actions::World;
use emendo_text::{Digest, RelPath};

pub use apply::{Applied, Stopped};
pub use error::SessionError;
pub use recover::Recovered;
pub use remaining::Remaining;
pub use series::{AppliedPart, ApplyOptions};
pub use undo::{UndoOptions, Undone};
pub use why::WhyLine;

use crate::apply::{Journal, Phase, RealDisk};
use crate::edits::{Decisions, Edit, OnceWritten};
use crate::project::Project;
use crate::recipes::Shelf;
use crate::review::Proposal;
use crate::state::{Lock, Origin, Stamp, StateError, Trust, is_unsettled};

/// A project that is being moved.
pub struct Session {
    world: Arc<World>,
    project: Project,
    build: String,
    shelf: Shelf,
    /// Where state folders that were made here are known; none trusts every state folder.
    trust: Option<Trust>,
    /// This session made the state folder, or its user vouched for it.
    own: AtomicBool,
    /// How long to wait for another run to end.
    wait: Duration,
    /// What others are told that wait for this run.
    who: String,
}

impl Session {
    /// Opens the project that a folder belongs to.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn open(dir: &Path) -> Result<Self, SessionError> {
        Ok(Self::of(Project::open(dir)?))
    }

    /// Of a project that was opened.
    pub fn of(project: Project) -> Self {
        Self {
            world: Arc::default(),
            project,
            build: String::new(),
            shelf: Shelf::default(),
            trust: None,
            own: AtomicBool::new(false),
            wait: Duration::from_secs(5),
            who: String::from("a run"),
        }
    }

    /// The same, by a program of this identity: what another one remembers of a project is not used.
    #[must_use]
    pub fn built_as(self, build: String) -> Self {
        Self { build, ..self }
    }

    /// What is wrong with the words for what files are read as, in the project's settings.
    pub fn unknown_words(&self) -> Option<String> {
        let known = self.world.read_as();
        let unknown = self.project.read_as().find(|w| !known.contains(w))?;
        Some(format!("`languages` names `{unknown}`; there are: {}", known.join(", ")))
    }

    /// The same, with recipes made of what another world knows.
    #[must_use]
    pub fn with_world(self, world: Arc<World>) -> Self {
        Self { world, ..self }
    }

    /// What its recipes are made of.
    pub fn world(&self) -> &Arc<World> {
        &self.world
    }

    /// The same, with places where recipes that others include are looked for.
    #[must_use]
    pub fn with_shelf(self, shelf: Shelf) -> Self {
        Self { shelf, ..self }
    }

    /// The same, with state folders told apart by who made them.
    #[must_use]
    pub fn with_trust(self, trust: Trust) -> Self {
        Self { trust: Some(trust), ..self }
    }

    /// The same, waiting this long for another run to end; that one is told who holds the project meanwhile.
    #[must_use]
    pub fn waiting(self, wait: Duration, who: String) -> Self {
        Self { wait, who, ..self }
    }

    /// The same, with a question to version control: see [`Project::with_tracked`].
    #[must_use]
    pub fn with_tracked(self, ask: impl Fn() -> Vec<RelPath> + Send + Sync + 'static) -> Self {
        Self { project: self.project.clone().with_tracked(ask), ..self }
    }

    /// The project.
    pub fn project(&self) -> &Project {
        &self.project
    }

    /// The state folder, for reading: one that a newer program wrote is refused.
    fn state(&self) -> Result<PathBuf, SessionError> {
        let state = self.project.state()?;
        self.origin(&state)?;
        Ok(state)
    }

    fn origin(&self, state: &Path) -> Result<Origin, SessionError> {
        let Some(trust) = &self.trust else { return Ok(Origin::Own) };
        trust.origin(state).map_err(|e| match e {
            StateError::Newer => SessionError::Newer(state.to_owned()),
            StateError::Io(e) => e.into(),
        })
    }

    /// True if what the state folder says may be built on, and not only shown: it was made here, or the user vouches for it.
    ///
    /// # Errors
    /// If it cannot be read, or a newer program wrote it.
    pub fn trusted(&self) -> Result<bool, SessionError> {
        self.trusts(&self.project.state()?)
    }

    /// The same of a folder.
    fn trusts(&self, state: &Path) -> Result<bool, SessionError> {
        let given = self.trust.as_ref().is_none_or(|t| t.given) || self.own.load(Ordering::Relaxed);
        Ok(given || self.origin(state)? != Origin::Foreign)
    }

    fn log(&self) -> Result<PathBuf, SessionError> {
        Ok(self.state()?.join("decisions.jsonl"))
    }

    /// The decisions so far.
    ///
    /// # Errors
    /// If they cannot be read.
    pub fn decisions(&self) -> Result<Decisions, SessionError> {
        Ok(Decisions::read(&self.log()?)?)
    }

    /// How what is kept is now: equal ones tell that nobody has decided or proposed in between.
    pub fn stamp(&self) -> Stamp {
        self.state().map(|state| Stamp::of(&state)).unwrap_or_default()
    }

    /// What steps wrote that do their work once, by the journals that stand.
    pub(crate) fn own(&self) -> Result<Vec<OnceWritten>, SessionError> {
        Ok(self.standing()?.into_iter().flat_map(|j| j.ops.once).collect())
    }

    /// Where results of the project's check are kept; it need not be there.
    ///
    /// # Errors
    /// If the state folder cannot be used.
    pub fn checks(&self) -> Result<PathBuf, SessionError> {
        Ok(self.state()?.join(CHECKS))
    }

    /// The same, for who keeps results there: the state folder is made if it is not there.
    ///
    /// # Errors
    /// If it cannot be made, or is not to be trusted.
    pub fn make_checks(&self) -> Result<PathBuf, SessionError> {
        drop(self.lock()?);
        self.checks()
    }

    /// The journals, the oldest first.
    ///
    /// # Errors
    /// If one cannot be read.
    pub fn journals(&self) -> Result<Vec<Journal>, SessionError> {
        Journal::all(&self.state()?).map_err(|e| match e.kind() {
            std::io::ErrorKind::InvalidData => SessionError::BadJournal(e.to_string()),
            _ => e.into(),
        })
    }

    /// The journals of the applies that stand, the oldest first.
    ///
    /// # Errors
    /// If one cannot be read.
    pub fn standing(&self) -> Result<Vec<Journal>, SessionError> {
        Ok(self.journals()?.into_iter().filter(|j| j.phase == Phase::Done).collect())
    }

    /// The proposal, if there is one.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn proposal(&self) -> Result<Option<Proposal>, SessionError> {
        Proposal::read(&self.state()?).map_err(|e| match e.kind() {
            std::io::ErrorKind::InvalidData => SessionError::Damaged,
            _ => e.into(),
        })
    }

    /// Only one run writes at a time; the lock goes with the value. Who holds it tidies what a killed run left.
    fn lock(&self) -> Result<Lock, SessionError> {
        let state = self.project.state()?;
        if !self.trusts(&state)? {
            return Err(SessionError::Untrusted(state));
        }
        let state = self.project.make_state()?;
        let lock = Lock::take(&state, self.wait, &self.who)?.map_err(SessionError::Busy)?;
        if let Some(trust) = &self.trust
            && (trust.given || self.origin(&state)? != Origin::Own)
        {
            trust.record(&state)?;
        }
        // Where there is no place for the user's record, this session still knows what it made.
        self.own.store(true, Ordering::Relaxed);
        Journal::tidy(&state)?;
        Ok(lock)
    }

    /// The same for who decides or proposes: what a killed run left to be found again is found first.
    fn lock_settled(&self) -> Result<Lock, SessionError> {
        let lock = self.lock()?;
        if is_unsettled(&self.state()?) && self.refuse_unfinished().is_ok() {
            self.settle(&RealDisk::open(self.project.root())?)?;
        }
        Ok(lock)
    }

    fn refuse_unfinished(&self) -> Result<(), SessionError> {
        if self.journals()?.iter().any(Journal::unfinished) {
            Err(SessionError::Unfinished)
        } else {
            Ok(())
        }
    }
}

/// In the state folder: locked as long as a program is at work that an apply has started.
pub const CHILD: &str = "child";
/// In the state folder: results of the project's check.
const CHECKS: &str = "checks";
/// In the state folder: what commands of the project or hooks left unfinished.
const ASIDE: &str = "aside";

const UNMET: &str = "the edit that it needs is not accepted";

/// Accepted edits that need one that is not.
pub(crate) fn unmet<'p>(proposal: &'p Proposal, decisions: &Decisions) -> Vec<&'p Edit> {
    let is_in = |e: &&Edit| decisions.status(e).is_accepted();
    let held = |e: &Edit| e.standing.barred().is_some();
    let open: HashSet<Digest> =
        proposal.decidable().filter(|e| !is_in(e) || held(e)).filter_map(|e| e.provides).collect();
    let needs = |e: &&Edit| e.needs.is_some_and(|tie| open.contains(&tie));
    proposal.decidable().filter(is_in).filter(needs).collect()
}

fn bases(proposal: &Proposal) -> HashMap<RelPath, Digest> {
    proposal.files.iter().map(|f| (f.path.clone(), f.base)).collect()
}
