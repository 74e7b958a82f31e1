//! Patterns: pieces of source with slots, read in every context that the language has.

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

pub use crate::pattern::along::{Elsewhere, Follow, Gather, Rework, Rule};
pub use crate::pattern::find::{Conditions, HERE, SlotConditions};
pub use crate::pattern::found::{Bound, Match, NameUse, Nearest, Places};
pub use crate::pattern::imports::{ImportEdit, ImportPlan, doubled, respell};
pub use crate::pattern::model::{Constraint, FORMS, Pattern, PatternError};
pub use crate::pattern::write::{Replacement, delete_item, delete_splice};
pub use crate::pattern::written::{Place, Unresolved, Written};
