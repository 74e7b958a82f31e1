//! In which name space a name lives, and where it is visible.

/// In which name space a name lives.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Space {
    /// Types only.
    Type,
    /// An expression: values first, then types.
    Value,
    /// The name of a call without receiver.
    Callable,
    /// After a dot: part of what stands before it.
    Member,
    /// The name of a declaration, a label, a key: no reference.
    Declared,
}

/// Where a binding is visible.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Reach {
    /// In the whole scope around the node.
    Scope,
    /// In the scope around the node, from the node on.
    Onwards,
    /// In the scope around the node, behind the node: its own value does not see it.
    Behind,
    /// In the scope that the node itself opens.
    Inside,
    /// In the scope that the node itself opens, from its body on.
    Body,
}
