//! What several language files share.

use emendo_lang::language::{Intro, Origin};

/// A rule for a name with a declared type, or a value, or both.
pub(crate) const fn value(
    kind: &'static str,
    name: &'static str,
    ty: &'static str,
    value: &'static str,
) -> Intro {
    Intro { kind, name, ty, value, origin: Origin::Value }
}

/// A rule for a parameter.
pub(crate) const fn parameter(kind: &'static str, name: &'static str, ty: &'static str) -> Intro {
    Intro { kind, name, ty, value: "value", origin: Origin::Parameter }
}

/// A rule for a name that is a function.
pub(crate) const fn function(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "", value: "", origin: Origin::Function }
}

/// A rule for a name that is a type.
pub(crate) const fn declared_type(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "", value: "", origin: Origin::Type }
}

/// A rule for a name that stands for each element of a value.
pub(crate) const fn each(
    kind: &'static str,
    name: &'static str,
    ty: &'static str,
    value: &'static str,
) -> Intro {
    Intro { kind, name, ty, value, origin: Origin::Each }
}

/// The segments before the first that begins with a capital letter; without one, all but the last.
pub(crate) fn lower_head(segments: &[&str]) -> usize {
    let capital = segments.iter().position(|s| s.starts_with(char::is_uppercase));
    capital.unwrap_or(segments.len().saturating_sub(1).max(1))
}
