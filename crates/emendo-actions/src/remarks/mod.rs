//! What is said of places, and the last resort: notes, and texts that no other action reads.

pub(crate) mod note;
pub(crate) mod text;
