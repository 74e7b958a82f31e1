//! Understands what stands around the code: settings formats and manifests, always without loss.
//!
//! - [`FORMATS`] is the table of settings formats; [`Setting`]s are the entries of one file.
//! - [`ECOSYSTEMS`] is the table of dependency ecosystems; [`Entry`]s are the libraries that a
//!   manifest names, each with the place that holds its version.
//!
//! Nothing here writes a file: every change is a span and a text.

mod formats;
mod manifests;
mod version;

pub use formats::{FORMATS, Format, Setting, format_of};
pub use manifests::{
    ECOSYSTEMS, Ecosystem, Entry, EntryKind, Manifest, ManifestError, Property, Value, ecosystem_of,
};
pub use version::{Comparison, Requirement, Version};
