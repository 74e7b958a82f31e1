//! Understands code: languages, trees, patterns with slots, aligned writing, and names.
//!
//! - [`Language`] holds the facts of one language; the languages themselves lie in a crate of their own.
//! - [`Tree`] is a parsed text; it always exists, with or without syntax errors.
//! - [`Pattern`] is a piece of source with slots, compiled for one language; [`Pattern::matches`]
//!   finds its places, [`Replacement`] writes another pattern over one of them, token by token.
//! - [`FileFacts`] are the imports, scopes and words of one file; a [`Resolver`] answers with them
//!   whether a name at a place means a symbol, and how sure that is.
//! - [`ImportPlan`] turns added and dropped imports into splices in the file's own order.

mod facts;
mod ground;
mod index;
pub mod language;
mod names;
mod owners;
mod project;
mod resolver;
pub mod tree;
mod ty;
mod types;

pub use crate::facts::{Declared, FileFacts, Hint, Member, Tells, TypeDecl, Word};
pub use crate::ground::{
    Certainty, Export, Fact, Files, Import, ImportName, Remembered, Spellings, remembered,
};
pub use crate::index::{DeclaredIn, Index, Kept};
pub use crate::language::{
    Context, Declaration, Delegate, Dialect, Gives, KeyRule, Keyed, Language, Layer, Modules,
    Names, Packing, Reach, Space, Taken, Test, Waiting,
};
pub use crate::names::Spelled;
pub use crate::owners::{Owner, Visible};
pub use crate::project::{Asking, NoProject, PassedOn, Project, TypeInfo};
pub use crate::resolver::Resolver;
pub use crate::tree::{Tree, token_texts};
pub use crate::ty::{Learned, LibraryError, LibraryType, MemberType, Shape, Takes, Told, Ty};
pub use crate::types::{
    ArgumentSite, CallPlace, CallSite, Callee, Expected, FunctionSite, FunctionTypeSite, Home,
    LeaveSite, MacroSite, Overload, PairSite, ParamSite, TakenSite, WaitHead, WaitSite,
};
