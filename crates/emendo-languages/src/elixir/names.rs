//! Names in Elixir: where they stand, what declares them, and how symbols are written.

use emendo_lang::language::{
    Binding, Declares, Hints, KeyRule, Names, Outside, Reach, Scopes, Space, SymbolOf, SymbolRule,
    TypeFiles, TypeRule, Words, bind, declares,
};

pub(crate) const WORDS: Words = Words {
    kinds: &[("identifier", Space::Value), ("alias", Space::Type), ("key", Space::Declared)],
    paths: &["path"],
    positions: &[
        ("call", "target", Space::Callable),
        ("head", "name", Space::Declared),
        ("head", "target", Space::Declared),
        ("definition", "name", Space::Declared),
        ("guarded", "name", Space::Declared),
        ("setting", "target", Space::Declared),
        ("attribute_read", "operand", Space::Declared),
        ("type_head", "name", Space::Declared),
        ("module", "target", Space::Declared),
        ("implementation", "target", Space::Declared),
        ("function", "target", Space::Declared),
        ("struct_definition", "target", Space::Declared),
        ("comprehension", "target", Space::Declared),
        ("alias_directive", "target", Space::Declared),
        ("import_directive", "target", Space::Declared),
        ("arity", "left", Space::Callable),
    ],
    own_members: &[("spec_head", "name")],
    reads: "access",
    member_after: &["."],
    calls: &[("call", "receiver", "method")],
    members: &[("dot", "left", "right")],
    receivers: &[
        ("dot", "left"),
        ("call", "target"),
        ("access", "target"),
        ("access_call", "target"),
    ],
    symbols: &[SymbolRule {
        kind: "atom",
        calls: &["apply", "function_exported?"],
        of: SymbolOf::Receiver,
    }],
    ..Words::NONE
};

pub(crate) const SCOPES: Scopes = Scopes {
    kinds: &[
        "source",
        "module",
        "implementation",
        "function",
        "do_block",
        "else_block",
        "rescue_block",
        "catch_block",
        "after_block",
        "stab_clause",
        "condition_clause",
        "comprehension",
    ],
    bindings: &[
        bind("function", "name", Space::Callable, Reach::Scope),
        bind("callback", "name", Space::Callable, Reach::Scope),
        apart("match", "left", Reach::Behind),
        apart("generator", "left", Reach::Behind),
        Binding { deep: true, ..bind("parameters", "", Space::Value, Reach::Scope) },
        apart("stab_clause", "patterns", Reach::Inside),
    ],
    pattern_skips: &[
        ("call", ""),
        ("access", ""),
        ("pin", ""),
        ("alias", ""),
        ("path", ""),
        ("key", ""),
        ("attribute_read", ""),
        ("struct", ""),
        ("", "fallback"),
        ("", "unit"),
    ],
    member_scopes: &["module", "implementation"],
    walls: &["module", "implementation", "function"],
    outside: &[Outside { kind: "generator", field: "right", first: true }],
    sealed: &["string", "charlist", "sigil", "list", "map", "anonymous_function"],
    ..Scopes::NONE
};

/// Variables, alone or where a value is taken apart.
const fn apart(kind: &'static str, field: &'static str, reach: Reach) -> Binding {
    Binding { kind, field, child: "", space: Space::Value, reach, deep: true }
}

pub(crate) const DECLARES: Declares = Declares {
    type_keywords: &["defmodule", "defprotocol"],
    declared: &[
        declares("module", "name", &[]),
        TypeRule {
            supers: &["implements"],
            ..declares("implementation", "module_body", &["implements"])
        },
    ],
    brings: &["use", "behaviour"],
    members: &[("key", "", Space::Value)],
    keys: &[KeyRule { pair: "keyword", around: "struct_literal", owner: "type", ..KeyRule::NONE }],
    values: &[("match", "right")],
    hints: Hints {
        made: &[("struct_literal", "type")],
        call: ("call", "target"),
        wraps: &["struct"],
        own: &["__MODULE__"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

pub(crate) const NAMES: Names = Names {
    separator: ".",
    absolute: true,
    full_names: true,
    package_of: |segments| {
        let member = segments.last().is_some_and(|s| !s.starts_with(char::is_uppercase));
        segments.len().saturating_sub(if member { 2 } else { 1 })
    },
    arity_mark: "/",
    reserved: &[
        "after", "and", "catch", "do", "else", "end", "false", "fn", "in", "nil", "not", "or",
        "rescue", "true", "when",
    ],
    builtin: &[],
    files: Some(TypeFiles { small: true, ..TypeFiles::PLAIN }),
    ..Names::NONE
};
