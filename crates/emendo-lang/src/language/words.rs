//! Where names stand in a tree.

use crate::language::space::Space;

/// Where names stand in a tree, and in which space they live there.
pub struct Words {
    /// Kinds of single names, with the space that they live in by default.
    pub kinds: &'static [(&'static str, Space)],
    /// Kinds of dotted names.
    pub paths: &'static [&'static str],
    /// Positions (parent kind, field) that decide the space of a name.
    pub positions: &'static [(&'static str, &'static str, Space)],
    /// A name after one of these tokens is a member.
    pub member_after: &'static [&'static str],
    /// Kinds whose first word stands for the whole: after a dot it is a member.
    pub heads: &'static [&'static str],
    /// Calls whose receiver and name are fields of one node: kind, receiver, name.
    pub call: (&'static str, &'static str, &'static str),
    /// Member access: kind, receiver, name.
    pub member: (&'static str, &'static str, &'static str),
    /// Kinds of expressions with the field that leads to what they are built on.
    pub receivers: &'static [(&'static str, &'static str)],
    /// Where types are written in text: the kind of a type, in which strings hold code, and how comments with types begin.
    pub quoted_types: Option<(&'static str, &'static str)>,
    /// The kind of a member, and the kind and field of a call in which it is never a field.
    pub methods_apart: (&'static str, &'static str, &'static str),
    /// The kind of a call in whose texts names in braces are variables; empty if there is none.
    pub inline_names: &'static str,
    /// Where texts in a type name members of the type that stands first: the kind, and the names before it (any if there
    /// are none).
    pub member_texts: &'static [(&'static str, &'static [&'static str])],
    /// A literal that is a statement of its own is documentation.
    pub doc_literals: bool,
    /// How documentation holds code that is compiled; none where it does not.
    pub doc_code: Option<DocCode>,
}

/// Code in documentation.
pub struct DocCode {
    /// How lines of documentation begin.
    pub marks: &'static [&'static str],
    /// What stands on a line of its own before and after the code.
    pub fence: &'static str,
    /// The words that may follow the fence, with any others that begin with these: other words say that it is no such code.
    pub tags: &'static [&'static str],
    /// What stands before a line of code that is compiled and not shown.
    pub hidden: &'static str,
}

impl Words {
    /// Nothing of it.
    pub const NONE: Self = Self {
        kinds: &[],
        paths: &[],
        positions: &[],
        member_after: &[],
        heads: &[],
        call: ("", "", ""),
        member: ("", "", ""),
        receivers: &[],
        quoted_types: None,
        methods_apart: ("", "", ""),
        inline_names: "",
        member_texts: &[],
        doc_literals: false,
        doc_code: None,
    };
}
