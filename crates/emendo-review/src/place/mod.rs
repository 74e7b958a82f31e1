//! A place as it is read: the lines of its file, old and new, what is folded, what an edit that is not in would write.

mod rows;
mod text;

pub(crate) use emendo_report::Class;
pub(crate) use rows::{CodeRow, Sides, Window, WouldText, rows};
pub(crate) use text::FileText;
