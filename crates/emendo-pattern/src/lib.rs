//! Patterns: pieces of source with slots, read in every context that their language has.
//!
//! - [`Pattern`] is a piece of source with slots, compiled for one language; [`Pattern::matches`] finds its places as
//!   [`Match`]es, which hold what stands in the slots ([`Bound`]).
//! - [`Conditions`] ask what stands around and within a match.
//! - [`Replacement`] writes another pattern over a match, token by token; what comes out is [`Written`].
//! - [`Rework`], [`Gather`] and [`Follow`] change along what hangs together with a match.
//! - [`ImportPlan`] turns added and dropped imports into splices in the file's own order.
//!
//! `compile/` reads one in every context (`build.rs` makes the nodes and tokens, `keys.rs` the words to look for, `code.rs` tries what a text may be) and
//! spells slots differently only where a reading stops, `readings.rs` says which readings stay; `find/` looks for its rarest word or goes through the tree;
//! `compare/` compares node by node, `lists.rs` lists (in order, as loose tokens), `keyed.rs` those that go by
//! keys, `missing.rs` parts that may be absent, `chain.rs` chains, `text.rs`
//! the contents of literals, `names.rs` what names mean, `slots.rs` what slots may take; `find/around.rs` asks what
//! stands around and within, and every constraint of a slot (`held.rs`; `passed.rs` of the calls that fill it); `write/` lays out what is written (`tokens.rs`), aligns it with what stands there
//! (`align.rs`), places it (`place.rs`), and takes whole things away (`delete.rs`, `lines.rs`). Loose tokens that are
//! mostly code (the arguments of macros) are parsed once more, piece by piece, as a *layer* over the same bytes
//! (`tree/mod.rs`); separators stand in for ends of statements there, and no match may reach over one.
//!
//! ```
//! use std::collections::BTreeMap;
//!
//! use emendo_lang::{FileFacts, NoProject, Resolver, Tree};
//! use emendo_pattern::Pattern;
//!
//! let java = emendo_languages::language("java").expect("is built in");
//! let pattern = Pattern::compile(java, "station.open(@{port})", &BTreeMap::new(), None).expect("reads");
//! let text = "class A { void m() { station.open( 7070 ); } }";
//! let tree = Tree::parse(java, text);
//! let facts = FileFacts::read(java, &tree, text);
//! let resolver = Resolver::new(java, &facts, &NoProject, &tree, text);
//! let found = pattern.matches(&tree, text, &resolver);
//! assert_eq!(found[0].slot("port").map(|s| s.span.of(text)), Some("7070"));
//! ```

mod along;
mod compare;
mod compile;
mod find;
mod found;
mod imports;
mod model;
mod quotes;
mod write;
mod written;

pub use along::{AlongRule, Elsewhere, Follow, FollowRule, Gather, GatherRule, Rework};
pub use find::{Conditions, Groups, Passed, PassedConditions, SlotConditions, value_unused};
pub use found::{Bound, Match, NameUse, Nearest, Places};
pub use imports::{ImportPlan, doubled, respell};
pub use model::{Constraint, FORMS, HERE, Pattern, PatternError};
pub use write::{Replacement, delete_item, delete_splice};
pub use written::{ImportEdit, Place, Unresolved, Written};
