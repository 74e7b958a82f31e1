//! What declares names and types, and how members are written.

use crate::language::space::{Reach, Space};

/// A rule for what a node declares.
pub struct Binding {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the name; empty: children of kind `child`.
    pub field: &'static str,
    /// Kind of the child that is the name, where there is no field.
    pub child: &'static str,
    /// What it declares.
    pub space: Space,
    /// Where it is visible.
    pub reach: Reach,
    /// All names in what is found are declared: it is a pattern that takes a value apart.
    pub deep: bool,
}

/// A rule for a field that is the declared name itself.
pub const fn bind(kind: &'static str, field: &'static str, space: Space, reach: Reach) -> Binding {
    Binding { kind, field, child: "", space, reach, deep: false }
}

/// What declares a type, or adds to one.
pub struct TypeRule {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the name; for types without one, the kind of the child that is their body.
    pub name: &'static str,
    /// It has no name.
    pub anonymous: bool,
    /// Fields, or kinds of children, that hold the types it is built on.
    pub supers: &'static [&'static str],
    /// Field of the type that it is another name for; empty if it is none.
    pub alias: &'static str,
    /// The name is a use: members are added to a type that is declared elsewhere.
    pub extends: bool,
}

impl TypeRule {
    /// A row that says nothing yet.
    pub const NONE: Self =
        Self { kind: "", name: "", anonymous: false, supers: &[], alias: "", extends: false };
}

/// A type with a name of its own.
pub const fn declares(
    kind: &'static str,
    name: &'static str,
    supers: &'static [&'static str],
) -> TypeRule {
    TypeRule { kind, name, supers, alias: "", extends: false, anonymous: false }
}

/// A type without a name, by the kind of its body.
pub const fn anonymous(
    kind: &'static str,
    body: &'static str,
    supers: &'static [&'static str],
) -> TypeRule {
    TypeRule { kind, name: body, supers, alias: "", extends: false, anonymous: true }
}

/// A keyed thing whose key is a member of the type that stands before it.
pub struct KeyRule {
    /// Kind of the pair.
    pub pair: &'static str,
    /// Field of the key.
    pub key: &'static str,
    /// Kind of the node around that names the type.
    pub around: &'static str,
    /// Field of the type there.
    pub owner: &'static str,
    /// The sign right before the pair with which its name is a key and a variable; empty for other pairs.
    pub sign: &'static str,
    /// The key is that of an argument: it names a member only where the parameter sets it.
    pub argument: bool,
}

impl KeyRule {
    /// A row that says nothing yet.
    pub const NONE: Self =
        Self { pair: "", key: "", around: "", owner: "", sign: "", argument: false };
}

/// How types and their members are declared.
pub struct Declares {
    /// What declares types.
    pub declared: &'static [TypeRule],
    /// Calls that make a type which is built on their first argument, as they begin.
    pub makes_types: &'static [&'static str],
    /// Calls behind which a function is code in the type that they are called on, or that is their first argument.
    pub opens_types: &'static [&'static str],
    /// Calls in a type whose arguments are types that it is built on too.
    pub brings: &'static [&'static str],
    /// Those of them that make it have the members of objects of these types itself.
    pub brings_itself: &'static [&'static str],
    /// Kinds that hold members of the type itself, or are such.
    pub statics: &'static [&'static str],
    /// Members that are not names in a scope: kind, field of the name, and their space.
    pub members: &'static [(&'static str, &'static str, Space)],
    /// Members without names: kind of their list, field of each one's type. They are called by their number.
    pub numbered: (&'static str, &'static str),
    /// Parameters that are members too where they have a child of this kind (or always, where it is empty): kind, child.
    pub parameters: &'static [(&'static str, &'static str)],
    /// Assignments to a field of the object itself: kind, field of the target, field of the value.
    pub assigned: (&'static str, &'static str, &'static str),
    /// Fields that hold the type of what a node declares, in the node or in the one around it.
    pub fields: &'static [&'static str],
    /// Where the value of what a node declares stands: kind, field (empty: the last child).
    pub values: &'static [(&'static str, &'static str)],
    /// Parameters of a type are read by calls of their name too.
    pub read_by_calls: bool,
    /// Keyed things that name members of a type: kind of the pair, field of the key, and the fields that lead from
    /// a node around it to the type.
    pub keys: &'static [KeyRule],
    /// Kinds of values that name a key too.
    pub short_values: &'static [&'static str],
    /// Kinds of keys that name a variable too.
    pub shorthands: &'static [&'static str],
    /// Words that come before the name of a declared type, for a quick look without a parse.
    pub type_keywords: &'static [&'static str],
    /// What tells the type of a variable.
    pub hints: Hints,
}

impl Declares {
    /// Nothing of it.
    pub const NONE: Self = Self {
        declared: &[],
        makes_types: &[],
        opens_types: &[],
        brings: &[],
        brings_itself: &[],
        statics: &[],
        members: &[],
        numbered: ("", ""),
        parameters: &[],
        assigned: ("", "", ""),
        fields: &[],
        values: &[],
        read_by_calls: false,
        keys: &[],
        short_values: &[],
        shorthands: &[],
        type_keywords: &[],
        hints: Hints::NONE,
    };
}

/// How the type of a variable is written, or told from its value.
pub struct Hints {
    /// Kinds that make an object of a type: kind, field of the type.
    pub made: &'static [(&'static str, &'static str)],
    /// Calls: kind, field of the function. A call of a type makes an object of it.
    pub call: (&'static str, &'static str),
    /// A function below a type is taken to give an object of that type.
    pub made_below: bool,
    /// Kinds around a type that leave it what it is.
    pub wraps: &'static [&'static str],
    /// Kinds within these that say nothing about the type.
    pub skipped: &'static [&'static str],
    /// How a type in text says that there may be nothing.
    pub nothing: &'static [&'static str],
    /// Wrappers whose contents are used like themselves.
    pub through: &'static [&'static str],
    /// Types that say nothing: the value tells.
    pub inferred: &'static [&'static str],
    /// The object itself.
    pub own: &'static [&'static str],
    /// The object as one of the type that its own is built on.
    pub base: &'static [&'static str],
}

impl Hints {
    /// Nothing of it.
    pub const NONE: Self = Self {
        made: &[],
        call: ("", ""),
        made_below: false,
        wraps: &[],
        skipped: &[],
        nothing: &[],
        through: &[],
        inferred: &[],
        own: &[],
        base: &[],
    };
}
