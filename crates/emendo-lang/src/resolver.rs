//! Who answers what names and types mean in one file.

use std::cell::{Cell, RefCell};
use std::rc::Rc;

use emendo_text::RelPath;
use rustc_hash::FxHashMap;

use crate::facts::FileFacts;
use crate::language::Language;
use crate::project::{Asking, Project, Trail};
use crate::tree::Tree;
use crate::ty::TypeAnswer;

/// What a resolver has worked out about types.
#[derive(Debug, Default)]
pub(crate) struct Typing {
    pub(crate) known: RefCell<FxHashMap<usize, Option<TypeAnswer>>>,
    /// How many inferences wait for this one.
    pub(crate) depth: Cell<usize>,
    /// An inference asked for itself: what rests on that is not kept.
    pub(crate) cycled: Cell<bool>,
    /// What a parameter of types is built on is being read.
    pub(crate) bounding: Cell<bool>,
    /// The body of a function was looked at for what it gives.
    pub(super) bodies: Cell<bool>,
    /// Where the names are declared whose values are being read as types: one may name itself.
    pub(crate) aliases: RefCell<Vec<u32>>,
}

/// Answers what names mean in one file.
pub struct Resolver<'a> {
    /// The language.
    pub language: &'static Language,
    /// The facts of the file.
    pub facts: &'a FileFacts,
    /// What the project declares.
    pub project: &'a dyn Project,
    /// The file's tree.
    pub(crate) tree: &'a Tree,
    /// The file's text.
    pub(crate) text: &'a str,
    /// The file.
    pub(crate) path: Option<&'a RelPath>,
    /// What was worked out about types.
    pub(crate) typing: Typing,
    /// What is being worked out, here and in the files that asked.
    pub(crate) trail: Rc<Trail>,
}

impl<'a> Resolver<'a> {
    /// A resolver for a text.
    pub fn new(
        language: &'static Language,
        facts: &'a FileFacts,
        project: &'a dyn Project,
        tree: &'a Tree,
        text: &'a str,
    ) -> Self {
        let (typing, trail) = (Typing::default(), Rc::default());
        Self { language, facts, project, tree, text, path: None, typing, trail }
    }

    /// The same for the text of a file.
    pub fn in_file(self, path: &'a RelPath) -> Self {
        Self { path: Some(path), ..self }
    }

    /// The file.
    pub fn path(&self) -> Option<&'a RelPath> {
        self.path
    }

    /// A resolver that another one asks.
    pub(crate) fn asked_by(self, asking: &Asking) -> Self {
        self.typing.depth.set(asking.depth + 1);
        Self { trail: asking.trail.clone(), ..self }
    }

    /// What goes along with a question to another file.
    pub(crate) fn asking(&self) -> Asking {
        Asking { trail: self.trail.clone(), depth: self.typing.depth.get() }
    }
}
