//! How the languages' expressions are typed: a table for each, and what its own library's types are.

pub(super) mod csharp;
pub(super) mod java;
pub(super) mod python;
pub(super) mod rust;
pub(super) mod typescript;

use crate::language::{Intro, Origin};

/// A rule for a name with a declared type, or a value, or both.
const fn value(
    kind: &'static str,
    name: &'static str,
    ty: &'static str,
    value: &'static str,
) -> Intro {
    Intro { kind, name, ty, value, origin: Origin::Value }
}

/// A rule for a parameter.
const fn parameter(kind: &'static str, name: &'static str, ty: &'static str) -> Intro {
    Intro { kind, name, ty, value: "value", origin: Origin::Parameter }
}

/// A rule for a name that is a function.
const fn function(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "", value: "", origin: Origin::Function }
}

/// A rule for a name that is a type.
const fn declared_type(kind: &'static str) -> Intro {
    Intro { kind, name: "name", ty: "", value: "", origin: Origin::Type }
}

/// A rule for a name that stands for each element of a value.
const fn each(
    kind: &'static str,
    name: &'static str,
    ty: &'static str,
    value: &'static str,
) -> Intro {
    Intro { kind, name, ty, value, origin: Origin::Each }
}
