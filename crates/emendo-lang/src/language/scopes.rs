//! Scopes, and what declares in them.

use crate::language::declared::Binding;

/// What opens a scope, and what declares in it.
pub struct Scopes {
    /// Kinds that open a scope.
    pub kinds: &'static [&'static str],
    /// Kinds of these that open one only where they hold something of a kind.
    pub holding: &'static [(&'static str, &'static [&'static str])],
    /// What declares a name.
    pub bindings: &'static [Binding],
    /// Scopes whose values are visible from their start (members of a class).
    pub member_scopes: &'static [&'static str],
    /// Kinds of scopes from which no value of a scope around is seen, unless that is a type's.
    pub walls: &'static [&'static str],
    /// Kinds of names that belong to the type around, wherever in it they are declared.
    pub of_types: &'static [&'static str],
    /// What does not declare when a value is taken apart: a kind, or (with an empty kind) a field.
    pub pattern_skips: &'static [(&'static str, &'static str)],
    /// Kinds of patterns in which names in capitals are constants, and declare nothing.
    pub constants_in: &'static [&'static str],
    /// The kind of what declares in the whole function around it, and the kinds of functions.
    pub hoisting: (&'static str, &'static [&'static str]),
    /// What stands in a scope and is evaluated outside of it.
    pub outside: &'static [Outside],
    /// Kinds that declare only where a word stands in them.
    pub marks: &'static [(&'static str, &'static str)],
    /// Kinds of declarations of which a scope takes one of a name.
    pub single: &'static [&'static str],
    /// What those may not be called besides.
    pub shadows: Shadows,
    /// Kinds of nodes within which nothing is declared that other files can name.
    pub sealed: &'static [&'static str],
    /// Kinds that open a module of their own inside a file.
    pub inner_modules: &'static [&'static str],
}

/// What stands in a scope and is evaluated outside of it.
#[derive(Clone, Copy, Debug)]
pub struct Outside {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of what is evaluated outside.
    pub field: &'static str,
    /// Only in the first of several such nodes.
    pub first: bool,
}

impl Scopes {
    /// Nothing of it.
    pub const NONE: Self = Self {
        kinds: &[],
        holding: &[],
        bindings: &[],
        member_scopes: &[],
        walls: &[],
        of_types: &[],
        pattern_skips: &[],
        constants_in: &[],
        hoisting: ("", &[]),
        outside: &[],
        marks: &[],
        single: &[],
        shadows: Shadows::Allowed,
        sealed: &[],
        inner_modules: &[],
    };
}

/// Which names of the function around a declaration may have too.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shadows {
    /// All: it hides them.
    Allowed,
    /// Not those of the parameters, at the top of the body.
    NotOfParameters,
    /// Not those of variables and parameters, up to the innermost function or closure.
    NotInFunction,
    /// Not those of variables and parameters, closures included.
    NotInMethod,
}
