//! What a file's resolver asks of the project around it: declarations, modules, types, libraries.

use std::cell::{Cell, RefCell};
use std::collections::HashSet;
use std::rc::Rc;
use std::sync::Arc;

use emendo_text::{RelPath, Span};
use serde::{Deserialize, Serialize};

use crate::facts::FileFacts;
use crate::ground::{Files, Import, NoFiles};
use crate::language::Language;
use crate::tree::Tree;
use crate::ty::{Learned, MemberType, Shape, TypeAnswer, standard};

/// A type of the project.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct TypeInfo {
    /// Where it is declared.
    pub path: Option<RelPath>,
    /// The line, from 1.
    pub line: u32,
    /// It is declared there, and not only added to.
    pub declared: bool,
    /// The types that it is built on: for each the symbols that the written name may stand for.
    pub supers: Vec<Vec<String>>,
    /// The type that it is another name for.
    pub alias: Vec<String>,
    /// Those of its members that calls of their name read too.
    pub read_by_calls: HashSet<String>,
}

/// What a name of the project's own stands for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PassedOn {
    /// The symbol.
    pub symbol: String,
    /// The modules that pass it on, the outermost first.
    pub through: Vec<String>,
    /// One of them passes it on under a name of its own choosing.
    pub fixed: bool,
}

/// A member that is asked for: language, symbol of its type, name, and whether the type itself is asked.
pub(crate) type MemberKey = (&'static str, String, String, bool);

/// What is being worked out at this moment, the outermost first. It goes along from a resolver to those that it asks, so
/// that a question that leads to itself is noticed.
#[derive(Debug, Default)]
pub(crate) struct Trail {
    pub(crate) members: RefCell<Vec<MemberKey>>,
    /// The types whose shapes are worked out.
    pub(crate) shapes: RefCell<Vec<String>>,
    /// A question that led to itself was cut off: what rests on that is not kept, unless nobody else waits for it.
    pub(crate) cut: Cell<bool>,
}

impl Trail {
    /// Works something out. Says whether it may be kept: it rests on no question that was cut off for the sake of one
    /// that is still open. `waiting` is how many open questions are its own.
    pub(crate) fn work_out<T>(&self, waiting: usize, work: impl FnOnce() -> T) -> (T, bool) {
        let before = self.cut.replace(false);
        let found = work();
        let within = self.members.borrow().len() + self.shapes.borrow().len() > waiting;
        let open = self.cut.get() && within;
        self.cut.set(before || open);
        (found, !open)
    }
}

/// Who asks: how deep inferences are put onto one another there, and what waits for the answer.
#[derive(Clone, Debug, Default)]
pub struct Asking {
    pub(crate) trail: Rc<Trail>,
    pub(crate) depth: usize,
}

/// The project around a file, as far as the meaning of names and types asks for it.
pub trait Project: Sync {
    /// Its files.
    fn files(&self) -> &dyn Files;
    /// A type of the project.
    fn type_of(&self, symbol: &str) -> Option<&TypeInfo>;
    /// True if the project declares this type, as far as what was read or the name of a file tells.
    fn holds(&self, language: &'static Language, package: &str, name: &str) -> bool;
    /// The file that declares a symbol, as far as what was read, its module or the name of a file tells.
    fn file_of(&self, language: &'static Language, symbol: &str) -> Option<RelPath>;
    /// The file that declares a symbol itself, and does not only pass it on.
    fn declaring_file(&self, language: &'static Language, symbol: &str) -> Option<RelPath>;
    /// The file of a module of the project.
    fn module_file(&self, language: &'static Language, module: &str) -> Option<RelPath>;

    /// True for a module of the project.
    fn has_module(&self, language: &'static Language, module: &str) -> bool;
    /// The symbol that a name of the project's own stands for, through the modules that pass it on.
    fn canonical(&self, language: &'static Language, symbol: &str) -> Option<PassedOn>;
    /// Imports that hold for all files of a language.
    fn globals(&self, language: &Language) -> &[Import];
    /// What is told of a type of a library.
    fn learned(&self, language: &Language, symbol: &str) -> Option<&Learned>;
    /// The symbol that a module of a library passes on under its own name, if that is told.
    fn exported(&self, language: &Language, symbol: &str) -> Option<String>;
    /// What a type of the project is built on.
    fn shape(
        &self,
        language: &'static Language,
        symbol: &str,
        asking: &Asking,
    ) -> Option<Arc<Shape>>;
    /// The members of a name that a type or module of the project declares; with `named`, of the type itself.
    fn member(
        &self,
        language: &'static Language,
        symbol: &str,
        name: &str,
        named: bool,
        asking: &Asking,
    ) -> Option<Arc<[MemberType]>>;
    /// The one function of a type of the project that has no other.
    fn single_function(
        &self,
        language: &'static Language,
        symbol: &str,
        asking: &Asking,
    ) -> Option<String>;
    /// The type of an expression that nothing else tells, as who wrote it knows.
    fn lent(&self, _: &WrittenCode<'_>) -> Option<TypeAnswer> {
        None
    }
    /// True for a type of the language's own library.
    fn is_standard(&self, language: &Language, symbol: &str) -> bool {
        standard(language).contains_key(symbol)
    }
}

/// An expression whose type is asked for.
#[derive(Clone, Copy)]
pub struct WrittenCode<'a> {
    /// Its language.
    pub language: &'static Language,
    /// The facts of its file.
    pub facts: &'a FileFacts,
    /// The tree of its file.
    pub tree: &'a Tree,
    /// The text of its file.
    pub text: &'a str,
    /// The file.
    pub path: Option<&'a RelPath>,
    /// The expression.
    pub at: Span,
}

/// Tells the types of expressions that were written by a rule, where nothing else does.
pub trait Lender: Send + Sync + std::fmt::Debug {
    /// The type of the expression at a place.
    fn lend(&self, project: &dyn Project, code: &WrittenCode<'_>) -> Option<TypeAnswer>;
}

/// No project: a text by itself, with what the language's own library tells.
pub struct NoProject;

impl Project for NoProject {
    fn files(&self) -> &dyn Files {
        &NoFiles
    }
    fn type_of(&self, _: &str) -> Option<&TypeInfo> {
        None
    }
    fn holds(&self, _: &'static Language, _: &str, _: &str) -> bool {
        false
    }
    fn declaring_file(&self, _: &'static Language, _: &str) -> Option<RelPath> {
        None
    }
    fn file_of(&self, _: &'static Language, _: &str) -> Option<RelPath> {
        None
    }
    fn module_file(&self, language: &'static Language, module: &str) -> Option<RelPath> {
        (language.modules.as_ref()?.file)(module, &NoFiles)
    }
    fn has_module(&self, language: &'static Language, module: &str) -> bool {
        self.module_file(language, module).is_some()
    }
    fn canonical(&self, _: &'static Language, _: &str) -> Option<PassedOn> {
        None
    }
    fn globals(&self, _: &Language) -> &[Import] {
        &[]
    }
    fn learned(&self, language: &Language, symbol: &str) -> Option<&Learned> {
        standard(language).get(symbol)
    }
    fn exported(&self, _: &Language, _: &str) -> Option<String> {
        None
    }
    fn shape(&self, _: &'static Language, _: &str, _: &Asking) -> Option<Arc<Shape>> {
        None
    }
    fn member(
        &self,
        _: &'static Language,
        _: &str,
        _: &str,
        _: bool,
        _: &Asking,
    ) -> Option<Arc<[MemberType]>> {
        None
    }
    fn single_function(&self, _: &'static Language, _: &str, _: &Asking) -> Option<String> {
        None
    }
}
