//! Markup: XML, HTML, and templates that hold them, read without loss and without ever giving up a file.
//!
//! `host.rs` is the table of what a file's ending says: which names are cased, which elements have no content, how the code of a
//! template is told from the markup around it. `read.rs` reads a text into a [`Page`]; `page.rs` is that page, `entities.rs` what
//! stands for characters in it, and `layers/` the code in it, as texts that a language can read.

mod entities;
mod host;
mod layers;
mod page;
mod read;

pub use entities::{decode, encode};
pub use host::{
    Delimiter, HOSTS, Host, IN_CODE, NameSpaces, Role, Scripts, host_among, host_named,
};
pub use layers::{
    CodePiece, DirectiveImport, Held, KnownName, Layer, LongSign, StandIn, TakesImports, layers,
    unread, values,
};
pub use page::{Attribute, AttributeValue, CodePart, Element, Ending, Page, TextRun};
pub use read::read;
