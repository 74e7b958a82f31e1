//! Kinds of actions, and their compiled actions.

use std::sync::Arc;

use emendo_lang::Language;
use emendo_recipe::{Action, ActionKind};
use emendo_text::RelPath;

use crate::contract::cx::{CompileCx, FileCx};
use crate::contract::draft::Found;
use crate::contract::followed::{Declaration, Uses};
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

/// A compiled action.
pub trait Runner: Send + Sync {
    /// The kind's word.
    fn kind(&self) -> &'static str;
    /// True if the action looks into files of this path.
    fn covers(&self, path: &RelPath) -> bool;
    /// The language whose tree it needs, if any.
    fn language(&self) -> Option<&'static Language> {
        None
    }
    /// What a file must hold.
    fn needs(&self) -> &Needs;
    /// Symbols that it names: where the library is.
    fn symbols(&self) -> Vec<String> {
        Vec::new()
    }
    /// Symbols that it changes, or whose uses it looks for: names that lead to them are found on the way.
    fn subjects(&self) -> Vec<Subject> {
        Vec::new()
    }
    /// Symbols that are to be gone when it is done, and those that are there instead.
    fn replaces(&self) -> Replaces {
        Replaces::default()
    }
    /// Packages that it is about as a whole: what of them is the project's own matters.
    fn packages(&self) -> Vec<String> {
        Vec::new()
    }
    /// True if it asks what other files declare.
    fn asks_declarations(&self) -> bool {
        false
    }
    /// True if it may change what other files see.
    fn changes_declarations(&self) -> bool {
        false
    }
    /// True if it reads all manifests of the project together.
    fn reads_manifests(&self) -> bool {
        false
    }
    /// Questions about other files, each with its answers where the action runs.
    fn queries(&self) -> Vec<Arc<Query>> {
        Vec::new()
    }
    /// Declarations of a file whose uses, in other files too, change with what it does here.
    fn declares(&self, _: &FileCx<'_>) -> Vec<Declaration> {
        Vec::new()
    }
    /// True if it may rewrite uses of what it changes in other files.
    fn follows(&self) -> bool {
        false
    }
    /// True if what follows a declaration may be one that others follow.
    fn spreads(&self) -> bool {
        false
    }
    /// What the uses of a declaration are in another file.
    fn uses(&self, _: &Declaration, _: &FileCx<'_>) -> Uses {
        Uses::default()
    }
    /// True if what it writes looks as if it were still to be done.
    fn grows(&self) -> bool {
        false
    }
    /// What each of its rows is about, as the recipe writes it; none where it has no rows.
    fn rows(&self) -> Vec<String> {
        Vec::new()
    }
    /// True if it would change its own result again, and so leaves alone what the journal says that it wrote.
    fn once(&self) -> bool {
        false
    }
    /// Why an edit in a file calls for caution, whatever the recipe says; by the row of the action.
    fn caution(&self, path: &RelPath, _row: usize) -> Option<&'static str> {
        crate::shared::caution::of(path)
    }
    /// A note that stands at the step itself.
    fn step_note(&self) -> Option<String> {
        None
    }
    /// Finds what is still there of the symbols that it looks for.
    fn remains(&self, _: &FileCx<'_>, _: &mut Vec<Remains>) {}
    /// Finds what it would do in one file.
    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found);
}
