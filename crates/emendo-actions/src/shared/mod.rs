//! What several actions share.

mod along;
pub(crate) mod caution;
mod code;
mod comment;
mod conditions;
mod finder;
mod head;
mod patterns;
mod snippet;
mod values;

pub(crate) use along::{Along, FOLLOW, GATHER, REWORK, WHERE, check_slots};
pub(crate) use caution::{BRINGS, SOURCE};
pub use code::{NO_LANGUAGE, named_symbol};
pub(crate) use code::{language, names, parameter_type, pattern_error, type_of, unread_pattern};
pub(crate) use comment::{CommentedOut, comment_above, comment_out, commented_before, reads};
pub(crate) use finder::{Finder, other_meaning};
pub(crate) use head::Head;
pub(crate) use patterns::{SlotTables, constrain, constrain_texts, groups, pattern, sub_pattern};
pub(crate) use snippet::Snippet;
pub(crate) use values::{Filled, ValuePattern, fill};
