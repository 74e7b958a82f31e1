//! Pure writers for a proposal: they are handed data and give lines, each with what it is.
//!
//! Who shows the lines decides on colours; a [`Line`]'s [`Kind`] never depends on them, and no two
//! kinds are told apart by colour alone.

mod diff;

pub use diff::{Kind, Line, diff};
