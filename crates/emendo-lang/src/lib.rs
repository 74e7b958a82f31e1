//! Understands code: languages, trees, patterns with slots, aligned writing, and names.
//!
//! - [`Language`] holds the facts of one language; [`LANGUAGES`] is the table of them.
//! - [`Tree`] is a parsed text; it always exists, with or without syntax errors.
//! - [`Pattern`] is a piece of source with slots, compiled for one language; [`Pattern::matches`]
//!   finds its places, [`Replacement`] writes another pattern over one of them, token by token.
//! - [`FileFacts`] are the imports, scopes and words of one file; a [`Resolver`] answers with them
//!   whether a name at a place means a symbol, and how sure that is.
//! - [`ImportPlan`] turns added and dropped imports into splices in the file's own order.

mod certainty;
mod facts;
mod files;
mod import;
mod imports;
mod index;
mod language;
mod languages;
mod names;
mod pattern;
mod tree;
mod types;

pub use crate::certainty::{Certainty, Fact, Spellings};
pub use crate::facts::{FileFacts, Hint, Member, Tells, TypeDecl, Word};
pub use crate::files::{Files, Remembered};
pub use crate::import::{Export, Import, ImportName};
pub use crate::imports::{ImportEdit, ImportPlan, doubled, respell};
pub use crate::index::{DeclaredIn, Index, Kept, PassedOn, TypeInfo};
pub use crate::language::{
    Absolute, Binding, Context, Declaration, Dialect, KeyRule, Keyed, Language, Layer, Modules,
    Names, Placeholder, Reach, Space, TypeFacts, TypeRule,
};
pub use crate::languages::{LANGUAGES, language, language_of};
pub use crate::names::{Owner, Resolver, Spelled, Visible};
pub use crate::pattern::{
    Bound, Conditions, Constraint, Elsewhere, FORMS, Follow, Gather, HERE, Match, NameUse, Nearest,
    Pattern, PatternError, Place, Places, Replacement, Rework, Rule, SlotConditions, Unresolved,
    Written, delete_item, delete_splice,
};
pub use crate::tree::{Tree, token_texts};
pub use crate::types::{
    ArgumentRule, ArgumentSite, Branch, CallPlace, CallSite, Callee, CalleeRule, Delegate,
    Expected, FunctionRule, FunctionSite, FunctionTypeRule, FunctionTypeSite, Gives, Home, Intro,
    Learned, LeaveSite, LibraryError, LibraryType, MacroSite, Origin, Overload, Packing, PairSite,
    ParamSite, Part, ReturnRule, Syntax, Taken, TakenSite, Test, Told, Ty, TypeRules, WaitHead,
    WaitSite, Waiting,
};
