//! Templates: text with slots as recipes write it, and text that is filled with values within bounds.

mod fill;
mod pieces;
mod slots;

pub use fill::{FillError, fill};
pub use pieces::{FillPiece, FillValue, FilledCode, fill_code, piece_text};
pub use slots::{Chunk, Filter, Marks, OTHER_NAMES, Repeat, Template, TemplateError, slot_names};
