//! The ground floor: text as data, without any idea of languages or recipes.
//!
//! - [`Text`] is a file's content with the facts that a write must keep: byte order mark, line
//!   ends, encoding, final newline.
//! - [`Span`] is a range of bytes in one text.
//! - [`Piece`]s say where each byte of an edited text comes from: the original or an edit.
//! - [`Hunk`]s are the changed lines between an original and its pieces, with who changed them.
//! - [`RelPath`] is a path below the project's root; [`Digest`] is the identity of some bytes.
//! - [`Diagnostic`] is a message about a place in a text, as data; who shows it decides how.
//!
//! ```
//! use emendo_text::{Piece, Text};
//! let text = Text::decode(b"a\r\nb\r\n").expect("plain UTF-8");
//! assert_eq!(text.line_end(), "\r\n");
//! assert_eq!(Piece::whole(text.as_str()).len(), 1);
//! ```

mod diag;
mod digest;
mod hunk;
mod indent;
mod part;
mod path;
mod piece;
mod render;
mod span;
mod template;
mod text;
mod visible;

pub use diag::{Diagnostic, Help, Label, Severity};
pub use digest::{Digest, Hasher};
pub use hunk::{
    ChangedRun, Hunk, HunkLine, LineKind, LineMark, changed_lines, hunks, line_marks, merge_lines,
};
pub use indent::{Indents, indent_unit, template_unit};
pub use part::{Part, Shifted, Splice};
pub use path::{PathError, RelPath};
pub use piece::{Piece, PieceMap};
pub use render::{Placed, Rendered, render};
pub use span::{Lines, Span};
pub use template::{
    Chunk, FillError, FillPiece, FillValue, FilledCode, Filter, Marks, OTHER_NAMES, Repeat,
    Template, TemplateError, fill, fill_code, piece_text, slot_names,
};
pub use text::{Encoding, Text, Unreadable};
pub use visible::{is_hidden, one_line, visible, visible_name};
