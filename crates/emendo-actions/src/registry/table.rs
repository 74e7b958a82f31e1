//! The kinds of actions: one row and one file each, with keys, check, compile and run together.

use crate::contract::Kind;

/// All kinds that are built.
pub const KINDS: &[&dyn Kind] = &[
    &crate::code::CODE,
    &crate::symbol::SYMBOL,
    &crate::signature::SIGNATURE,
    &crate::library::LIBRARY,
    &crate::setting::SETTING,
    &crate::markup::MARKUP,
    &crate::file::FILE,
    &crate::file::generate::GENERATE,
    &crate::remarks::text::TEXT,
    &crate::remarks::note::NOTE,
];
