//! Where names stand in a tree.

use crate::language::space::Space;

/// Where names stand in a tree, and in which space they live there.
pub struct Words {
    /// Kinds of single names, with the space that they live in by default.
    pub kinds: &'static [(&'static str, Space)],
    /// Kinds of dotted names.
    pub paths: &'static [&'static str],
    /// Kinds whose words, joined as in a path, are one name, besides what else stands in them.
    pub runs: &'static [&'static str],
    /// Positions (parent kind, field) that decide the space of a name.
    pub positions: &'static [(&'static str, &'static str, Space)],
    /// A name after one of these tokens is that of a type.
    pub types_after: &'static [&'static str],
    /// Words behind a name that is that of a method, although it is not called.
    pub method_before: &'static [&'static str],
    /// A name after one of these tokens is a member.
    pub member_after: &'static [&'static str],
    /// Kinds whose first word stands for the whole: after a dot it is a member.
    pub heads: &'static [&'static str],
    /// Calls whose receiver and name are parts of one node: kind, receiver, name.
    pub calls: &'static [Split],
    /// Member access: kind, receiver, name.
    pub members: &'static [Split],
    /// Places (parent kind, field) of names that stand for the type around where they are called like it, and are
    /// declared where not.
    pub like_type: &'static [(&'static str, &'static str)],
    /// Places (parent kind, field) of names that are members of the type around, whatever else is called so there.
    pub own_members: &'static [(&'static str, &'static str)],
    /// The kind of what reads a member and does not call it, unless that is one of a type itself; empty where a call
    /// without arguments looks the same.
    pub reads: &'static str,
    /// Kinds of members of the type that is expected where they stand.
    pub expected_members: &'static [&'static str],
    /// Kinds of what is done to the expression before them and leaves it what follows hangs on.
    pub asides: &'static [&'static str],
    /// Kinds of expressions with the field that leads to what they are built on.
    pub receivers: &'static [(&'static str, &'static str)],
    /// Where types are written in text: the kind of a type, in which strings hold code, and how comments with types begin.
    pub quoted_types: Option<(&'static str, &'static str)>,
    /// The kind of a member, and the kind and field of a call in which it is never a field.
    pub methods_apart: (&'static str, &'static str, &'static str),
    /// The kind of a call in whose texts names in braces are variables; empty if there is none.
    pub inline_names: &'static str,
    /// Where texts name members of what stands first: the kind, and the names before it (any if there are none).
    pub member_texts: &'static [(&'static str, &'static [&'static str])],
    /// Where a sign by itself names a member: behind the sign stands its name.
    pub symbols: &'static [SymbolRule],
    /// The kind of a list whose second item names a member of the first, which is the name of a type, where a third stands behind;
    /// empty if there is none.
    pub triples: &'static str,
    /// Kinds of keys that name a variable of that name too, where nothing stands in a field of what holds them.
    pub lone_keys: &'static [(&'static str, &'static str)],
    /// Functions whose texts are names of variables.
    pub variable_texts: &'static [&'static str],
    /// Such a text may be a text like any other.
    pub loose_member_texts: bool,
    /// A literal that is a statement of its own is documentation.
    pub doc_literals: bool,
    /// How documentation tells types; none where it does not.
    pub doc_types: Option<DocTypes>,
    /// How documentation holds code that is compiled; none where it does not.
    pub doc_code: Option<DocCode>,
}

/// A kind of node that holds a receiver and a name: the kind, and the fields of both (numbers are those of named children).
pub type Split = (&'static str, &'static str, &'static str);

/// A word that names a member of a type by its name alone.
#[derive(Clone, Copy, Debug)]
pub struct SymbolRule {
    /// Kind of the word; its name begins behind its first byte.
    pub kind: &'static str,
    /// Names of the calls whose argument it is.
    pub calls: &'static [&'static str],
    /// Whose member it is.
    pub of: SymbolOf,
}

/// Whose member a word names by its name alone.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SymbolOf {
    /// One of the type around, which it declares.
    Declared,
    /// One of the type around, which it declares over a variable of the same name.
    Variable,
    /// One of the type around.
    Own,
    /// A type, as a name that stands there.
    Constant,
    /// One of what the call is sent to; the first argument alone names it.
    Receiver,
    /// One of what stands first among the arguments, right before it, or before a pipe.
    First,
}

/// Types in documentation, behind tags.
pub struct DocTypes {
    /// How a comment begins that documents.
    pub begins: &'static str,
    /// The tag of a variable or a field.
    pub value: &'static str,
    /// The tag of a parameter.
    pub parameter: &'static str,
    /// The tag of what a function gives.
    pub result: &'static str,
    /// The tag of a function that is called though nothing declares it: more types stand behind its name.
    pub call: &'static str,
    /// Other tags with types.
    pub others: &'static [&'static str],
    /// Declared types of which documentation may say more.
    pub open: &'static [&'static str],
}

impl DocTypes {
    /// All tags.
    pub(crate) fn tags(&self) -> impl Iterator<Item = &&'static str> {
        [&self.value, &self.parameter, &self.result, &self.call].into_iter().chain(self.others)
    }
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
    /// True for a key that has a value of its own, and names nothing else.
    pub fn is_plain_key(&self, node: crate::ground::Node<'_>) -> bool {
        let rule = self.lone_keys.iter().find(|k| k.0 == node.kind());
        let holds =
            |field: &str| node.parent().is_some_and(|p| p.child_by_field_name(field).is_some());
        rule.is_some_and(|(_, field)| holds(field))
    }

    /// How a call of this kind is made up, if its receiver and its name are parts of it.
    pub fn call(&self, kind: &str) -> Option<Split> {
        self.calls.iter().find(|s| s.0 == kind).copied()
    }

    /// How a member access of this kind is made up.
    pub fn member(&self, kind: &str) -> Option<Split> {
        self.members.iter().find(|s| s.0 == kind).copied()
    }

    /// How a call or a member access of this kind is made up.
    pub fn split(&self, kind: &str) -> Option<Split> {
        self.call(kind).or_else(|| self.member(kind))
    }

    /// Nothing of it.
    pub const NONE: Self = Self {
        kinds: &[],
        paths: &[],
        runs: &[],
        positions: &[],
        types_after: &[],
        method_before: &[],
        member_after: &[],
        heads: &[],
        calls: &[],
        members: &[],
        like_type: &[],
        own_members: &[],
        reads: "",
        expected_members: &[],
        asides: &[],
        receivers: &[],
        quoted_types: None,
        methods_apart: ("", "", ""),
        inline_names: "",
        member_texts: &[],
        symbols: &[],
        triples: "",
        lone_keys: &[],
        variable_texts: &[],
        loose_member_texts: false,
        doc_literals: false,
        doc_types: None,
        doc_code: None,
    };
}
