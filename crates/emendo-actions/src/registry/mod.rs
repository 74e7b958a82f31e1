//! What a program knows: the kinds of actions, with languages, formats, ecosystems and pages.

mod table;
mod world;

pub use table::KINDS;
pub use world::World;
