//! The shapes in which code is compared: contexts, slots, lists, declarations.

/// A list of keyed things.
pub struct Keyed {
    /// Kind of the list.
    pub list: &'static str,
    /// Kind of a pair.
    pub pair: &'static str,
    /// Field of the key; empty: the first named child.
    pub key: &'static str,
    /// A pair of a key and a value of the same name, written as one word; empty if there is none.
    pub shorthand: &'static str,
}

/// A surrounding for a fragment.
pub struct Context {
    /// What the fragment is there; the word for `as`.
    pub name: &'static str,
    /// Text before the fragment.
    pub prefix: &'static str,
    /// Text behind the fragment.
    pub suffix: &'static str,
    /// The kinds that the fragment may be there; empty for any.
    pub accepts: &'static [&'static str],
    /// The suffix supplies a body, which the pattern leaves free.
    pub bodiless: bool,
}

/// A context whose fragments are whole.
pub const fn context(
    name: &'static str,
    prefix: &'static str,
    suffix: &'static str,
    accepts: &'static [&'static str],
) -> Context {
    Context { name, prefix, suffix, accepts, bodiless: false }
}

/// A spelling of a slot: text around the placeholder word.
pub struct Placeholder {
    /// Before the word.
    pub before: &'static str,
    /// Behind the word.
    pub after: &'static str,
    /// The word begins with a capital letter.
    pub capital: bool,
}

/// Which parts of a declaration may be left out of a pattern.
pub struct Declaration {
    /// Its kind.
    pub kind: &'static str,
    /// Kinds of children that may be left out.
    pub free_kinds: &'static [&'static str],
    /// Fields that may be left out.
    pub free_fields: &'static [&'static str],
    /// The field of its body, if it has one.
    pub body: &'static str,
    /// The field of its own name.
    pub name: &'static str,
    /// Kind of a child that holds modifiers, matched as a set; empty where they are children themselves.
    pub modifiers: &'static str,
}
