//! Understands what stands around the code: settings formats and manifests, always without loss.
//!
//! - [`FORMATS`] is the table of settings formats; a [`Doc`] is what one file holds, with places, and [`Edits`] are changes to it.
//! - [`ECOSYSTEMS`] is the table of dependency ecosystems; [`Entry`]s are the libraries that a
//!   manifest names, each with the place that holds its version.
//!
//! - [`markup`] reads XML, HTML and templates: a page with its elements, texts and code.
//!
//! Nothing here writes a file: every change is a span and a text.
//!
//! `doc.rs` is what any settings file or manifest holds, as keyed values with places; `formats/` reads each format into
//! it; `edits/` changes one as places and texts; `manifests/` gives libraries, held values and toolchains of each
//! ecosystem (`script.rs` reads those that are code, token by token); `raise.rs` computes what a written version becomes.
//!
//! ```
//! use emendo_docs::format_of;
//! use emendo_text::RelPath;
//!
//! let path = RelPath::new("deploy/board.properties").expect("a path");
//! let doc = (format_of(&path).expect("is known").read)("tidewire.port = 7070\n");
//! assert_eq!(doc.all()[0].path(), "tidewire.port");
//! ```

mod doc;
mod edits;
mod formats;
mod manifests;
pub mod markup;
mod raise;
mod version;

pub use crate::doc::{Doc, DocError, Found, KeyPart, Node, NodeKind, Pair};
pub use crate::edits::{Edits, Patch, Side};
pub use crate::formats::{FORMATS, Format, Style, constant, format_among, format_named, format_of};
pub use crate::manifests::{
    ECOSYSTEMS, Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Property,
    TOOLCHAINS, Toolchain, Value, beside, ecosystem_of, exact_level, level_of,
};
pub use crate::raise::{Raised, lowest, raise};
pub use crate::version::{Comparison, Requirement, Version};
