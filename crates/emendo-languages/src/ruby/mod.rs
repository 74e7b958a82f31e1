//! Ruby.

mod names;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    BareValue, Compare, Context, DeclarationShape, Exports, Flow, Fragments, Grammar, Keyed,
    Language, Placeholder, Writing, context,
};

use crate::ruby::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::ruby::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_ruby::LANGUAGE.into());

/// The facts about Ruby.
pub(super) const RUBY: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    exports: Exports {
        exports_all: true,
        loads: &["require", "autoload", "load", "require_dependency"],
        loads_near: &["require_relative"],
        ..Exports::NONE
    },
    declares: DECLARES,
    typing: TYPING,
    ..Language::new(
        "ruby",
        "Ruby",
        Grammar { names: NAMED, ..Grammar::new(ENDINGS, || &GRAMMAR, SAMPLE) },
    )
};

const ENDINGS: &[&str] = &["rb", "rake", "gemspec", "ru"];

/// Files that are Ruby by their whole name.
const NAMED: &[&str] = &[
    "Rakefile",
    "Gemfile",
    "Capfile",
    "Guardfile",
    "Vagrantfile",
    "Brewfile",
    "Dangerfile",
    "Podfile",
    "Fastfile",
];

const SAMPLE: &str = "require 'a/b'\nmodule A\n  class B < C::D\n    include E\n    F = %w[g h].freeze\n    attr_reader :i\n    def initialize(j, k = 1, *l, m:, n: 2, **o, &p)\n      @i = j&.q(k) { |r| \"#{r} s\" }\n    end\n    def self.t? = true\n  end\nend\nx.y :z, a: 1 do |b; c|\n  case b\n  in { d: } then d\n  end\nrescue E => f\n  raise\nend\n";

const STRINGS: &[&str] = &["string", "bare_string", "subshell"];

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    bare_bodies: &["argument_list", "block_body", "body_statement", "then", "do", "else"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: "", capital: true, also: false },
        Placeholder { before: "", after: "\n", capital: false, also: false },
        Placeholder { before: "def ", after: "; end", capital: false, also: false },
        Placeholder { before: "when ", after: "", capital: false, also: true },
        Placeholder { before: "zqKey: ", after: "", capital: false, also: false },
        Placeholder { before: "**", after: "", capital: false, also: false },
        Placeholder { before: "'", after: "'", capital: false, also: false },
    ],
    forms: &[
        ("number", &["integer", "float", "rational", "complex"]),
        ("string", &["string", "chained_string", "heredoc_beginning"]),
        ("boolean", &["true", "false"]),
        ("null", &["nil"]),
        (
            "name",
            &[
                "identifier",
                "constant",
                "instance_variable",
                "class_variable",
                "global_variable",
                "self",
            ],
        ),
        ("call", &["call", "yield"]),
        ("member", &["call", "element_reference", "scope_resolution"]),
        ("function", &["lambda", "block", "do_block"]),
        ("object", &["hash"]),
        ("list", &["array", "string_array", "symbol_array"]),
        ("template", &["string", "heredoc_beginning", "heredoc_body"]),
        ("statement", STATEMENTS),
    ],
    ..Fragments::NONE
};

/// A key that is a symbol by itself.
const SIGNED: (&str, &str, &str) = ("simple_symbol", ":", "=>");

const COMPARE: Compare = Compare {
    lists: &[
        "argument_list",
        "method_parameters",
        "block_parameters",
        "lambda_parameters",
        "array",
        "hash",
        "string_array",
        "symbol_array",
        "exceptions",
        "array_pattern",
        "hash_pattern",
        "left_assignment_list",
        "right_assignment_list",
    ],
    separators: &[","],
    optional: &[";", "then"],
    bracketed: &[
        ("argument_list", &["(", ")"]),
        ("method_parameters", &["(", ")"]),
        ("lambda_parameters", &["(", ")"]),
        ("block_parameters", &["|", "|"]),
        ("block", &["{", "}", "do", "end"]),
        ("do_block", &["{", "}", "do", "end"]),
    ],
    hollow: &[
        &["argument_list"],
        &["method_parameters", "block_parameters"],
        &["lambda_parameters"],
        &["body_statement", "block_body"],
        &["then"],
    ],
    alike: &[
        &["block", "do_block"],
        &["block_body", "body_statement"],
        &[".", "&."],
        &[":", "=>"],
        &["hash_key_symbol", "simple_symbol"],
        &["string", "bare_string"],
        &["identifier", "constant"],
    ],
    declarations: DECLARATIONS,
    keyed: &[
        Keyed {
            list: "argument_list",
            pair: "pair",
            key: "key",
            valued: true,
            signed: SIGNED,
            ..Keyed::NONE
        },
        Keyed { list: "hash", pair: "pair", key: "key", signed: SIGNED, ..Keyed::NONE },
        Keyed {
            list: "hash_pattern",
            pair: "keyword_pattern",
            key: "key",
            signed: SIGNED,
            ..Keyed::NONE
        },
    ],
    strings: STRINGS,
    interpolations: &["interpolation"],
    chain: &[("call", "receiver"), ("element_reference", "object"), ("scope_resolution", "scope")],
    transparent: &["pattern"],
    parenthesized: "parenthesized_statements",
    spreads: &[
        "splat_argument",
        "hash_splat_argument",
        "block_argument",
        "forward_argument",
        "pair",
        "splat_parameter",
        "hash_splat_parameter",
        "block_parameter",
    ],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    bare: &[
        BareValue {
            kind: "right_assignment_list",
            brackets: ("[", "]"),
            stands: &[("assignment", "right"), ("return", "")],
        },
        BareValue {
            kind: "left_assignment_list",
            brackets: ("(", ")"),
            stands: &[("assignment", "left")],
        },
    ],
    caught: &[
        ("rescue_modifier", "argument_list", ""),
        ("rescue_modifier", "array", ""),
        ("rescue_modifier", "pair", ""),
    ],
    loose: &[
        "assignment",
        "operator_assignment",
        "conditional",
        "binary",
        "unary",
        "range",
        "if_modifier",
        "unless_modifier",
        "rescue_modifier",
    ],
    binding: &[
        ("conditional", ""),
        ("binary", ""),
        ("unary", ""),
        ("range", ""),
        ("call", "receiver"),
        ("element_reference", "object"),
        ("scope_resolution", "scope"),
    ],
    comment: "#",
    line_items: STATEMENTS,
    snake: true,
    optional_call: "&.call",
    last_items: &["block_argument", "block_parameter"],
    ..Writing::NONE
};

const STATEMENTS: &[&str] = &[
    "call",
    "assignment",
    "operator_assignment",
    "if",
    "unless",
    "while",
    "until",
    "for",
    "case",
    "case_match",
    "when",
    "in_clause",
    "rescue",
    "ensure",
    "begin",
    "return",
    "yield",
    "next",
    "break",
    "redo",
    "retry",
    "if_modifier",
    "unless_modifier",
    "while_modifier",
    "until_modifier",
    "rescue_modifier",
    "class",
    "module",
    "singleton_class",
    "method",
    "singleton_method",
    "alias",
    "undef",
    "begin_block",
    "end_block",
];

const FLOW: Flow = Flow {
    passes: &[
        ("conditional", "consequence", &[]),
        ("conditional", "alternative", &[]),
        ("parenthesized_statements", "", &[]),
    ],
    nested: &[
        "method",
        "singleton_method",
        "class",
        "module",
        "singleton_class",
        "lambda",
        "block",
        "do_block",
    ],
    effects: &["call", "assignment", "operator_assignment", "yield", "return", "break", "next"],
    closes: &["end"],
    below: ("heredoc_beginning", "heredoc_body", "heredoc_end"),
    ..Flow::NONE
};

const CONTEXTS: &[Context] = &[
    context("expression", "", "", &[]),
    context("statement", "", "", STATEMENTS),
    context(
        "argument",
        "zq(",
        ")",
        &["pair", "splat_argument", "hash_splat_argument", "block_argument"],
    ),
    context("pair", "{ ", " }", &["pair"]),
    context(
        "parameter",
        "def zq(",
        "); end",
        &[
            "keyword_parameter",
            "optional_parameter",
            "splat_parameter",
            "hash_splat_parameter",
            "block_parameter",
        ],
    ),
    Context {
        name: "statement",
        prefix: "",
        suffix: "\nzq\nend",
        accepts: &["class", "module", "singleton_class", "method", "singleton_method"],
        bodiless: true,
    },
    Context {
        name: "clause",
        prefix: "case zq\n",
        suffix: "\nzq\nend",
        accepts: &["when", "in_clause"],
        bodiless: true,
    },
    Context {
        name: "clause",
        prefix: "begin\nzq\n",
        suffix: "\nzq\nend",
        accepts: &["rescue"],
        bodiless: true,
    },
    context("clause", "case zq\n", "\nend", &["when", "in_clause", "else"]),
    context("clause", "begin\nzq\n", "\nend", &["rescue", "ensure"]),
    context("clause", "class Zq ", "\nend", &["superclass"]),
    context("link", "zqBase", "", &[]),
];

const fn declaration(
    kind: &'static str,
    free_kinds: &'static [&'static str],
    free_fields: &'static [&'static str],
    body: &'static str,
) -> DeclarationShape {
    DeclarationShape { kind, free_kinds, free_fields, body, name: "name", modifiers: "" }
}

const DECLARATIONS: &[DeclarationShape] = &[
    declaration("class", &["superclass"], &["superclass"], "body"),
    declaration("module", &[], &[], "body"),
    declaration("method", &[], &[], "body"),
    declaration("singleton_method", &[], &[], "body"),
    declaration("when", &[], &[], "body"),
    declaration("in_clause", &[], &[], "body"),
    declaration("rescue", &[], &[], "body"),
];
