//! Names in Rust: where they stand, what declares them, and how symbols are written.

use emendo_lang::language::{
    Binding, Declares, Hints, KeyRule, Names, Reach, Scopes, Space, TypeRule, Words, declares,
};

pub(crate) const WORDS: Words = Words {
    kinds: &[
        ("identifier", Space::Value),
        // Words of the language that are names everywhere but in a few places.
        ("default", Space::Value),
        ("gen", Space::Value),
        ("union", Space::Value),
        ("type_identifier", Space::Type),
        ("field_identifier", Space::Member),
        ("shorthand_field_identifier", Space::Declared),
        ("crate", Space::Value),
        ("self", Space::Value),
        ("super", Space::Value),
    ],
    paths: &["scoped_identifier", "scoped_type_identifier"],
    inline_names: "macro_invocation",
    methods_apart: ("field_expression", "call_expression", "function"),
    positions: &[
        ("field_expression", "field", Space::Member),
        ("scoped_identifier", "name", Space::Member),
        ("scoped_type_identifier", "name", Space::Member),
        ("struct_item", "name", Space::Declared),
        ("enum_item", "name", Space::Declared),
        ("union_item", "name", Space::Declared),
        ("trait_item", "name", Space::Declared),
        ("type_item", "name", Space::Declared),
        ("mod_item", "name", Space::Declared),
        ("const_item", "name", Space::Declared),
        ("static_item", "name", Space::Declared),
        ("function_item", "name", Space::Declared),
        ("function_signature_item", "name", Space::Declared),
        ("macro_definition", "name", Space::Declared),
        ("enum_variant", "name", Space::Declared),
        ("field_declaration", "name", Space::Declared),
        ("field_initializer", "field", Space::Declared),
        ("field_pattern", "name", Space::Declared),
        ("parameter", "pattern", Space::Declared),
        ("let_declaration", "pattern", Space::Declared),
        ("for_expression", "pattern", Space::Declared),
        ("closure_parameters", "", Space::Declared),
        ("type_parameter", "name", Space::Declared),
        ("lifetime", "", Space::Declared),
        ("label", "", Space::Declared),
    ],
    member_after: &["::", "."],
    member: ("scoped_identifier", "path", "name"),
    receivers: &[
        ("field_expression", "value"),
        ("call_expression", "function"),
        ("generic_function", "function"),
        ("scoped_identifier", "path"),
        ("scoped_type_identifier", "path"),
        ("generic_type", "type"),
        ("try_expression", ""),
        ("await_expression", ""),
        ("index_expression", ""),
        ("reference_expression", "value"),
        ("macro_invocation", "macro"),
    ],
    ..Words::NONE
};

pub(crate) const SCOPES: Scopes = Scopes {
    pattern_skips: &[
        ("", "type"),
        ("", "path"),
        ("scoped_identifier", ""),
        ("field_identifier", ""),
    ],
    constants_in: &["match_arm", "let_condition"],
    kinds: &[
        "source_file",
        "mod_item",
        "function_item",
        "closure_expression",
        "block",
        "match_arm",
        "for_expression",
        "if_expression",
        "while_expression",
        "impl_item",
        "trait_item",
        "struct_item",
        "enum_item",
    ],
    bindings: &[
        bind("struct_item", "name", Space::Type),
        bind("enum_item", "name", Space::Type),
        bind("union_item", "name", Space::Type),
        bind("trait_item", "name", Space::Type),
        bind("type_item", "name", Space::Type),
        bind("mod_item", "name", Space::Type),
        bind("type_parameter", "name", Space::Type),
        bind("function_item", "name", Space::Value),
        bind("const_item", "name", Space::Value),
        bind("static_item", "name", Space::Value),
        apart("parameter", "pattern", Reach::Scope),
        apart("let_declaration", "pattern", Reach::Behind),
        apart("let_condition", "pattern", Reach::Behind),
        apart("closure_parameters", "", Reach::Scope),
        apart("for_expression", "pattern", Reach::Body),
        apart("match_arm", "pattern", Reach::Inside),
    ],
    member_scopes: &["impl_item", "trait_item"],
    inner_modules: &["mod_item"],
    ..Scopes::NONE
};

pub(crate) const fn bind(kind: &'static str, field: &'static str, space: Space) -> Binding {
    Binding { kind, field, child: "", space, reach: Reach::Scope, deep: false }
}

/// What is declared by taking a value apart.
pub(crate) const fn apart(kind: &'static str, field: &'static str, reach: Reach) -> Binding {
    Binding { kind, field, child: "", space: Space::Value, reach, deep: true }
}

pub(crate) const fn adds(
    kind: &'static str,
    name: &'static str,
    supers: &'static [&'static str],
) -> TypeRule {
    TypeRule { kind, name, supers, alias: "", extends: true, anonymous: false }
}

pub(crate) const DECLARES: Declares = Declares {
    type_keywords: &["struct", "enum", "trait", "impl", "type", "union"],
    declared: &[
        declares("struct_item", "name", &[]),
        declares("enum_item", "name", &[]),
        declares("union_item", "name", &[]),
        declares("enum_variant", "name", &[]),
        declares("trait_item", "name", &["bounds"]),
        TypeRule { kind: "type_item", name: "name", alias: "type", ..TypeRule::NONE },
        adds("impl_item", "type", &["trait"]),
    ],
    members: &[
        ("field_declaration", "name", Space::Value),
        ("enum_variant", "name", Space::Value),
        ("function_signature_item", "name", Space::Callable),
        ("associated_type", "name", Space::Type),
    ],
    numbered: ("ordered_field_declaration_list", "type"),
    fields: &["type", "return_type"],
    values: &[("let_declaration", "value")],
    shorthands: &["shorthand_field_identifier", "shorthand_field_initializer"],
    keys: &[
        KeyRule {
            pair: "field_initializer",
            key: "field",
            around: "struct_expression",
            owner: "name",
        },
        KeyRule {
            pair: "shorthand_field_initializer",
            around: "struct_expression",
            owner: "name",
            ..KeyRule::NONE
        },
        KeyRule { pair: "field_pattern", key: "name", around: "struct_pattern", owner: "type" },
    ],
    hints: Hints {
        made: &[("struct_expression", "name"), ("type_cast_expression", "type")],
        call: ("call_expression", "function"),
        made_below: true,
        wraps: &[
            "generic_type",
            "generic_function",
            "reference_type",
            "dynamic_type",
            "abstract_type",
            "bounded_type",
            "trait_bounds",
        ],
        skipped: &["type_arguments", "lifetime", "mutable_specifier"],
        through: &["Box", "Arc", "Rc", "Pin"],
        inferred: &["_"],
        own: &["self", "Self"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

pub(crate) const NAMES: Names = Names {
    scoped_owners: true,
    paths_apart: true,
    separator: "::",
    full_names: true,
    members_need_receiver: true,
    package_of: crate::shared::lower_head,
    reserved: &[
        "as", "break", "const", "continue", "else", "enum", "extern", "fn", "for", "if", "impl",
        "in", "let", "loop", "match", "mod", "move", "mut", "pub", "ref", "return", "static",
        "struct", "trait", "type", "unsafe", "use", "where", "while",
    ],
    implicit: &["std"],
    builtin: &[
        "Box",
        "Clone",
        "Copy",
        "Debug",
        "Default",
        "Drop",
        "Eq",
        "Err",
        "From",
        "Into",
        "Iterator",
        "None",
        "Ok",
        "Option",
        "Ord",
        "PartialEq",
        "PartialOrd",
        "Result",
        "Self",
        "Send",
        "Some",
        "String",
        "Sync",
        "ToString",
        "Vec",
        "assert",
        "assert_eq",
        "assert_ne",
        "cfg",
        "crate",
        "dbg",
        "debug_assert",
        "derive",
        "eprintln",
        "format",
        "matches",
        "panic",
        "print",
        "println",
        "self",
        "super",
        "test",
        "todo",
        "unimplemented",
        "unreachable",
        "vec",
        "write",
        "writeln",
    ],
    ..Names::NONE
};
