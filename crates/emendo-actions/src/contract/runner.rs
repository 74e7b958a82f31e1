//! Kinds of actions, and their compiled actions.

use std::sync::Arc;

use emendo_lang::{Language, Lender};
use emendo_recipe::{Action, ActionKind};
use emendo_text::RelPath;

use crate::contract::cx::{CompileCx, FileCx};
use crate::contract::draft::Found;
use crate::contract::followed::{Declaration, Uses};
use crate::contract::moves::PathRule;
use crate::contract::needs::Needs;
use crate::contract::query::Query;
use crate::contract::replaced::{Remains, Replaces};

/// A symbol that an action changes or asks for.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct Subject {
    /// The full symbol.
    pub symbol: String,
    /// It is a member of a type.
    pub member: bool,
    /// Types that are built on it, or on the type whose member it is, have what is meant.
    pub inherited: bool,
}

/// A kind of action that can be compiled.
pub trait Kind: ActionKind {
    /// Compiles an action. What is wrong goes to the context; `None` if nothing can run.
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>>;
    /// What runs besides, in other files.
    fn more(&self, _: &Action, _: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        Vec::new()
    }
}

/// What an action asks of a run, as plain data: what a file must hold, which symbols it is about, and what it wants to
/// know of other files.
#[derive(Clone)]
pub struct Asks {
    /// The kind's word.
    pub kind: &'static str,
    /// The language whose tree it needs, if any.
    pub language: Option<&'static Language>,
    /// What a file must hold.
    pub needs: Needs,
    /// Symbols that it names: where the library is.
    pub symbols: Vec<String>,
    /// It asks other files for more than what they declare, when it comes to a place.
    pub asks_files: bool,
    /// Who tells the types of what it writes.
    pub lenders: Vec<Arc<dyn Lender>>,
    /// Symbols that it changes, or whose uses it looks for: names that lead to them are found on the way.
    pub subjects: Vec<Subject>,
    /// Symbols that are to be gone when it is done, and those that are there instead.
    pub replaces: Replaces,
    /// Packages that it is about as a whole: what of them is the project's own matters.
    pub packages: Vec<String>,
    /// It asks what other files declare.
    pub asks_declarations: bool,
    /// It may change what other files see.
    pub changes_declarations: bool,
    /// It reads all manifests of the project together.
    pub reads_manifests: bool,
    /// Questions about other files, each with its answers where the action runs.
    pub queries: Vec<Arc<Query>>,
    /// It may rewrite uses of what it changes in other files.
    pub follows: bool,
    /// What follows a declaration may be one that others follow.
    pub spreads: bool,
    /// What it writes looks as if it were still to be done.
    pub grows: bool,
    /// What each of its rows is about, as the recipe writes it; none where it has no rows.
    pub rows: Vec<String>,
    /// It would change its own result again, and so leaves alone what the journal says that it wrote.
    pub once: bool,
    /// A note that stands at the step itself.
    pub step_note: Option<String>,
    /// It is about the markup of pages.
    pub about_pages: bool,
    /// What it does to files as a whole.
    pub paths: Option<Arc<dyn PathRule>>,
    /// Most projects have nothing of what it would do that to.
    pub paths_rarely: bool,
    /// It never writes over what another action of the recipe writes.
    pub yields: bool,
    /// What it finds no other action may write over, in whatever step.
    pub keeps: bool,
    /// It makes comments of statements: what stands in those is no leftover.
    pub comments_out: bool,
}

impl Asks {
    /// An action that asks nothing, and finds nothing.
    pub const NONE: Self = Self {
        kind: "",
        language: None,
        needs: Needs(Vec::new()),
        symbols: Vec::new(),
        asks_files: false,
        lenders: Vec::new(),
        subjects: Vec::new(),
        replaces: Replaces::NONE,
        packages: Vec::new(),
        asks_declarations: false,
        changes_declarations: false,
        reads_manifests: false,
        queries: Vec::new(),
        follows: false,
        spreads: false,
        grows: false,
        rows: Vec::new(),
        once: false,
        step_note: None,
        about_pages: false,
        paths: None,
        paths_rarely: false,
        yields: false,
        keeps: false,
        comments_out: false,
    };
}

/// A compiled action.
pub trait Runner: Send + Sync {
    /// What it asks of a run: the same every time.
    fn asks(&self) -> Asks;
    /// True if the action looks into files of this path.
    fn covers(&self, path: &RelPath) -> bool;
    /// Declarations of a file whose uses, in other files too, change with what it does here.
    fn declares(&self, _: &FileCx<'_>) -> Vec<Declaration> {
        Vec::new()
    }
    /// What the uses of a declaration are in another file.
    fn uses(&self, _: &Declaration, _: &FileCx<'_>) -> Uses {
        Uses::default()
    }
    /// Why an edit in a file calls for caution, whatever the recipe says; by the row of the action.
    fn caution(&self, path: &RelPath, _row: usize) -> Option<&'static str> {
        crate::shared::caution::of(path)
    }
    /// Finds what is still there of the symbols that it looks for.
    fn remains(&self, _: &FileCx<'_>, _: &mut Vec<Remains>) {}
    /// Finds what it would do in one file.
    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found);
}
