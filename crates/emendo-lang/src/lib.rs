//! Understands code: what a language is, trees, the facts of a file, what names mean, types, and the index of a project.
//!
//! From the ground up:
//!
//! - [`Certainty`], [`Fact`], [`Import`] and [`Files`] are plain data that everything else speaks of.
//! - [`Language`] holds the facts of one language, in groups; the languages themselves lie in a crate of their own.
//! - [`Tree`] is a parsed text; it always exists, with or without syntax errors.
//! - [`FileFacts`] are the imports, scopes, words and types of one file, from one pass over its tree.
//! - [`Ty`] is a static type, and [`Learned`] what is told of a type of a library.
//! - [`Project`] is all that a file may ask of what is around it; [`NoProject`] is nothing, [`Index`] a project's files.
//! - A [`Resolver`] answers for one file whether a name at a place means a symbol and how sure that is, what type an
//!   expression has, and whose member a word is.
//!
//! ```
//! use emendo_lang::Names;
//!
//! let names = Names { separator: ".", ..Names::NONE };
//! assert_eq!(names.last("tidewire.client.Station"), "Station");
//! assert_eq!(names.parent("tidewire.client.Station"), "tidewire.client");
//! ```

mod facts;
mod ground;
mod guard;
mod index;
pub mod language;
mod names;
mod owners;
mod project;
mod resolver;
pub mod tree;
mod ty;
mod types;

pub use crate::facts::{Declared, FileFacts, Hint, Member, PageFacts, Tells, TypeDecl, Word};
pub use crate::ground::{
    Certainty, Export, Fact, Files, Import, ImportName, Remembered, Renames, Spellings, remembered,
    weakest,
};
pub use crate::guard::{Fault, faults, is_bare_expression, needs_brackets};
pub use crate::index::{CachedIndex, DeclaredIn, Index};
pub use crate::language::{
    Context, DeclarationShape, Delegate, Dialect, Gives, KeyRule, Keyed, Language, Layer, Modules,
    Names, Packing, Reach, Space, Taken, Test, Waiting,
};
pub use crate::names::{Spelled, StaticType, TypePiece};
pub use crate::owners::{KnownCall, KnownCalls, OwnName, Owner, Visible};
pub use crate::project::{Asking, Lender, NoProject, PassedOn, Project, TypeInfo, WrittenCode};
pub use crate::resolver::Resolver;
pub use crate::tree::{Tree, token_texts};
pub use crate::ty::{Learned, LibraryError, LibraryType, MemberType, Shape, Takes, Ty, TypeAnswer};
pub use crate::types::{
    ArgumentSite, CallPlace, CallSite, Callee, Expected, FunctionSite, FunctionTypeSite, Home,
    Label, LeaveSite, MacroSite, Overload, PairSite, ParamSite, TakenSite, WaitHead, WaitSite,
    Wanted,
};
