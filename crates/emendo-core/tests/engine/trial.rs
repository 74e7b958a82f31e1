//! A project in a scratch folder, with a recipe of swaps beside it.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;

use emendo_core::{
    Applied, ApplyOptions, Certainty, Checked, Edit, Proposal, RealDisk, Selection, Session,
    SessionError, Shelf, Standing, World, check, read_source,
};
use testkit::{SWAP, Sandbox};

/// A project and its checked recipe.
pub(crate) struct Trial {
    pub(crate) files: Sandbox,
    pub(crate) world: Arc<World>,
    pub(crate) checked: Checked,
}

/// A step with one action of these keys; more may follow.
pub(crate) fn step(id: &str, rest: &str) -> String {
    format!("[[step]]\nid = \"{id}\"\ntitle = \"{id}\"\n[[step.swap]]\n{rest}\n")
}

/// One more action of the step before.
pub(crate) fn also(rest: &str) -> String {
    format!("[[step.swap]]\n{rest}\n")
}

/// The keys of a swap.
pub(crate) fn swap(old: &str, new: &str) -> String {
    format!("old = \"{old}\"\nnew = \"{new}\"\n")
}

/// What knows the toy action.
pub(crate) fn world() -> World {
    let mut world = World::default();
    world.kinds.push(&SWAP);
    world
}

/// One step with one swap over one file.
pub(crate) fn simple() -> Trial {
    Trial::new(&step("a", &swap("quay", "pier")), &[("x.txt", "a quay, a mole, a quay\n")])
}

impl Trial {
    pub(crate) fn new(steps: &str, files: &[(&str, &str)]) -> Self {
        Self::within(world(), steps, files)
    }

    pub(crate) fn within(world: World, steps: &str, files: &[(&str, &str)]) -> Self {
        let s = Sandbox::new();
        files.iter().for_each(|(path, text)| s.write(path, text));
        let text = format!("emendo = 1\nid = \"toy\"\ntitle = \"Toy\"\n{steps}");
        std::fs::write(s.recipe_path(), text).expect("writable");
        let world = Arc::new(world);
        let source = read_source(&s.recipe_path()).expect("there");
        let checked = check(&world, vec![source], &BTreeMap::new(), &Shelf::default());
        let all = checked.messages.iter().flat_map(|m| &m.found);
        let said: Vec<&str> = all.map(|d| d.message.as_str()).collect();
        assert!(!checked.failed(), "{said:?}");
        Self { files: s, world, checked }
    }

    pub(crate) fn root(&self) -> PathBuf {
        self.files.root()
    }

    pub(crate) fn session(&self) -> Session {
        Session::open(&self.root()).expect("opens").with_world(self.world.clone())
    }

    pub(crate) fn propose(&self) -> Proposal {
        let session = self.session();
        session.propose(&self.checked, &Default::default(), &[], &mut |_, _| {}).expect("proposes")
    }

    /// The edits that are in: step, text before and after.
    pub(crate) fn edits(&self) -> Vec<(String, String, String)> {
        let one = |e: &Edit| (e.step.step.clone(), e.before.clone(), e.after.clone());
        self.propose().decidable().filter(|e| e.standing == Standing::In).map(one).collect()
    }

    /// The paths of the edits that are in.
    pub(crate) fn paths(&self) -> Vec<String> {
        let proposal = self.propose();
        let found = proposal.decidable().filter(|e| e.standing == Standing::In);
        let mut paths: Vec<String> = found.map(|e| e.path.to_string()).collect();
        paths.dedup();
        paths
    }

    /// The edits that are held back, with the reason.
    pub(crate) fn withheld(&self) -> Vec<(String, String)> {
        let held = |e: &Edit| match &e.standing {
            Standing::Withheld(why) => Some((e.before.clone(), why.clone())),
            _ => None,
        };
        self.propose().decidable().filter_map(held).collect()
    }

    /// The one edit of a step.
    pub(crate) fn edit(&self, step: &str) -> Edit {
        let proposal = self.propose();
        let mut own = proposal.decidable().filter(|e| e.step.step == step);
        let edit = own.next().expect("has one").clone();
        assert!(own.next().is_none(), "only one");
        edit
    }

    pub(crate) fn apply(&self, accept: Option<Certainty>) -> Result<Applied, SessionError> {
        let options =
            ApplyOptions { accept, with_uncommitted: true, ..ApplyOptions::new(&|_| Vec::new()) };
        self.session().apply(&RealDisk::open(&self.root()).expect("opens"), &options)
    }

    /// Proposes, accepts everything and writes it; gives the text of a file then.
    pub(crate) fn applied(&self, path: &str) -> String {
        self.propose();
        self.apply(Some(Certainty::Unsure)).expect("applies");
        self.files.read(path)
    }
}

/// The edits of a step.
pub(crate) fn of_step(id: &str) -> Selection {
    Selection { steps: vec![id.into()], ..Selection::default() }
}

/// All edits.
pub(crate) fn all() -> Selection {
    Selection { all: true, ..Selection::default() }
}
