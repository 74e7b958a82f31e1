//! Names in Ruby: where they stand, what declares them, and how symbols are written.

use emendo_lang::language::{
    Binding, Declares, Hints, Names, Reach, Scopes, Space, SymbolOf, SymbolRule, TypeFiles,
    TypeRule, Words, bind, declares,
};

pub(crate) const WORDS: Words = Words {
    kinds: &[
        ("identifier", Space::Value),
        ("constant", Space::Type),
        ("instance_variable", Space::Value),
        ("class_variable", Space::Value),
        ("global_variable", Space::Value),
        ("hash_key_symbol", Space::Value),
    ],
    lone_keys: &[("hash_key_symbol", "value")],
    paths: &["scope_resolution"],
    positions: &[
        ("scope_resolution", "name", Space::Type),
        ("class", "name", Space::Declared),
        ("module", "name", Space::Declared),
        ("method", "name", Space::Declared),
        ("singleton_method", "name", Space::Declared),
        ("setter", "name", Space::Declared),
        ("keyword_parameter", "name", Space::Declared),
        ("optional_parameter", "name", Space::Declared),
        ("splat_parameter", "name", Space::Declared),
        ("hash_splat_parameter", "name", Space::Declared),
        ("block_parameter", "name", Space::Declared),
        ("method_parameters", "", Space::Declared),
        ("block_parameters", "", Space::Declared),
        ("lambda_parameters", "", Space::Declared),
        ("destructured_parameter", "", Space::Declared),
        ("exception_variable", "", Space::Declared),
        ("alias", "name", Space::Declared),
    ],
    own_members: &[("alias", "alias"), ("undef", "")],
    member_after: &[".", "&."],
    calls: &[("call", "receiver", "method")],
    receivers: &[("call", "receiver"), ("element_reference", "object")],
    symbols: &[
        SymbolRule { kind: "simple_symbol", calls: ATTRIBUTES, of: SymbolOf::Variable },
        SymbolRule { kind: "simple_symbol", calls: &["define_method"], of: SymbolOf::Declared },
        SymbolRule { kind: "simple_symbol", calls: OWN_NAMES, of: SymbolOf::Own },
        SymbolRule { kind: "simple_symbol", calls: CONSTANTS, of: SymbolOf::Constant },
        SymbolRule { kind: "simple_symbol", calls: SENT_NAMES, of: SymbolOf::Receiver },
    ],
    ..Words::NONE
};

/// Calls in a type whose symbols declare members of it that read or set a variable of that name.
const ATTRIBUTES: &[&str] = &["attr_reader", "attr_writer", "attr_accessor"];

/// Calls in a type whose symbols name members of it.
const OWN_NAMES: &[&str] = &[
    "private",
    "protected",
    "public",
    "private_class_method",
    "public_class_method",
    "module_function",
    "alias_method",
    "remove_method",
    "undef_method",
    "instance_method",
    "ruby2_keywords",
];

/// Calls whose first symbol names a constant.
const CONSTANTS: &[&str] = &["autoload", "private_constant", "const_get", "deprecate_constant"];

/// Calls whose first symbol names a member of what they are sent to.
const SENT_NAMES: &[&str] =
    &["send", "public_send", "__send__", "respond_to?", "method", "public_method", "try", "try!"];

pub(crate) const SCOPES: Scopes = Scopes {
    kinds: &[
        "program",
        "class",
        "module",
        "singleton_class",
        "method",
        "singleton_method",
        "block",
        "do_block",
        "lambda",
    ],
    bindings: &[
        bind("class", "name", Space::Type, Reach::Scope),
        bind("module", "name", Space::Type, Reach::Scope),
        bind("assignment", "./constant", Space::Type, Reach::Scope),
        apart("method", "name", Reach::Scope),
        bind("singleton_method", "name", Space::Value, Reach::Scope),
        apart("assignment", "left", Reach::Onwards),
        apart("operator_assignment", "left", Reach::Onwards),
        apart("for", "pattern", Reach::Onwards),
        apart("exception_variable", "", Reach::Onwards),
        among("method_parameters"),
        among("block_parameters"),
        among("lambda_parameters"),
        among("destructured_parameter"),
        bind("keyword_parameter", "name", Space::Value, Reach::Scope),
        bind("optional_parameter", "name", Space::Value, Reach::Scope),
        bind("splat_parameter", "name", Space::Value, Reach::Scope),
        bind("hash_splat_parameter", "name", Space::Value, Reach::Scope),
        bind("block_parameter", "name", Space::Value, Reach::Scope),
        apart("in_clause", "pattern", Reach::Onwards),
        apart("match_pattern", "pattern", Reach::Onwards),
        apart("test_pattern", "pattern", Reach::Onwards),
    ],
    pattern_skips: &[
        ("call", ""),
        ("element_reference", ""),
        ("scope_resolution", ""),
        ("constant", ""),
        ("variable_reference_pattern", ""),
        ("expression_reference_pattern", ""),
    ],
    member_scopes: &["class", "module", "singleton_class"],
    walls: &["class", "module", "singleton_class", "method", "singleton_method"],
    of_types: &["instance_variable", "class_variable"],
    sealed: &["argument_list", "string", "array", "heredoc_body"],
    ..Scopes::NONE
};

/// Parameters by their names alone.
const fn among(kind: &'static str) -> Binding {
    Binding { child: "identifier", ..bind(kind, "", Space::Value, Reach::Scope) }
}

/// Variables, alone or where a value is taken apart.
const fn apart(kind: &'static str, field: &'static str, reach: Reach) -> Binding {
    Binding { kind, field, child: "", space: Space::Value, reach, deep: true }
}

/// What a class is built on, and what its body brings in by a call.
const BASES: &[&str] = &["superclass"];

pub(crate) const DECLARES: Declares = Declares {
    type_keywords: &["class", "module"],
    declared: &[
        declares("class", "name", BASES),
        declares("module", "name", &[]),
        // A constant: what it holds may be a type, or stand for one.
        TypeRule { kind: "assignment", name: "./constant", alias: "right", ..TypeRule::NONE },
    ],
    opens_types: &["class_eval", "class_exec", "module_eval", "module_exec", "refine"],
    makes_types: &[
        "Class.new",
        "::Class.new",
        "Struct.new",
        "::Struct.new",
        "Data.define",
        "Module.new",
    ],
    brings: &["include", "prepend", "extend"],
    brings_itself: &["extend", "module_function"],
    statics: &["singleton_method", "singleton_class"],
    short_values: &["hash_key_symbol"],
    values: &[("assignment", "right"), ("operator_assignment", "right")],
    hints: Hints {
        call: ("call", "method"),
        wraps: &["parenthesized_statements", "superclass"],
        own: &["self"],
        base: &["super"],
        ..Hints::NONE
    },
    ..Declares::NONE
};

pub(crate) const NAMES: Names = Names {
    separator: "::",
    member_mark: "#",
    static_mark: ".",
    nesting: true,
    full_names: true,
    package_of: |segments| {
        let member = segments.last().is_some_and(|s| s.starts_with(['#', '.']));
        segments.len().saturating_sub(if member { 2 } else { 1 })
    },
    reserved: &[
        "alias", "and", "begin", "break", "case", "class", "def", "defined?", "do", "else",
        "elsif", "end", "ensure", "false", "for", "if", "in", "module", "next", "nil", "not", "or",
        "redo", "rescue", "retry", "return", "self", "super", "then", "true", "undef", "unless",
        "until", "when", "while", "yield",
    ],
    files: Some(TypeFiles { small: true, ..TypeFiles::PLAIN }),
    ..Names::NONE
};
