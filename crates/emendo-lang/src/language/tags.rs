//! Markup within code.

/// The kinds of markup within code.
pub struct Tags {
    /// An element with content: its first child opens it, its last child closes it.
    pub element: &'static str,
    /// A tag that closes an element.
    pub closing: &'static str,
    /// An element without content.
    pub alone: &'static str,
    /// The field of a tag's name.
    pub name: &'static str,
    /// An attribute: its first child is its name, its last child may be its value.
    pub attribute: &'static str,
    /// Code in markup.
    pub code: &'static str,
    /// Text between tags.
    pub text: &'static str,
}

impl Tags {
    /// Nothing of it.
    pub const NONE: Self =
        Self { element: "", closing: "", alone: "", name: "", attribute: "", code: "", text: "" };
}
