//! Elixir.

mod forms;
mod imports;
mod names;
mod shape;
mod typing;

use std::sync::LazyLock;

use emendo_lang::language::{
    BareValue, Compare, Context, DeclarationShape, Exports, Flow, Fragments, Grammar, Keyed,
    Language, Layer, Placeholder, Writing, context,
};

use crate::elixir::imports::IMPORTS;
use crate::elixir::names::{DECLARES, NAMES, SCOPES, WORDS};
use crate::elixir::shape::RESHAPE;
use crate::elixir::typing::TYPING;

static GRAMMAR: LazyLock<tree_sitter::Language> =
    LazyLock::new(|| tree_sitter_elixir::LANGUAGE.into());

/// The facts about Elixir.
pub(super) const ELIXIR: Language = Language {
    fragments: FRAGMENTS,
    compare: COMPARE,
    writing: WRITING,
    flow: FLOW,
    names: NAMES,
    words: WORDS,
    scopes: SCOPES,
    imports: IMPORTS,
    exports: Exports { exports_all: true, ..Exports::NONE },
    declares: DECLARES,
    typing: TYPING,
    ..Language::new(
        "elixir",
        "Elixir",
        Grammar {
            reshape: Some(RESHAPE),
            layer: Some(PAGES),
            ..Grammar::new(&["ex", "exs"], || &GRAMMAR, SAMPLE)
        },
    )
};

/// Sigils whose texts are pages.
const PAGES: Layer = Layer {
    kind: "quoted_content",
    parent: "sigil",
    end: b'\n',
    pages: &["H", "L", "E"],
    ..Layer::NONE
};

const SAMPLE: &str = "defmodule A.B do\n  use C, d: 1\n  alias A.{E, F}\n  import G, only: [h: 2]\n  @behaviour I\n  @spec j(t()) :: {:ok, t()}\n  defstruct [:k, l: 1]\n  def j(%B{k: m} = n, o \\\\ 2) when o > 1 do\n    n |> F.p(o) |> q\n    %{n | k: m}\n    &F.p/2\n  rescue\n    r in S -> r\n  end\n  def t(u), do: ~w(a b)a\nend\n";

const STRINGS: &[&str] = &["string", "sigil", "quoted_atom"];

const FRAGMENTS: Fragments = Fragments {
    contexts: CONTEXTS,
    bare_bodies: &["do_block", "module_body", "body", "else_block", "arguments", "keywords"],
    placeholders: &[
        Placeholder { before: "", after: "", capital: false, also: false },
        Placeholder { before: "", after: "", capital: true, also: false },
        Placeholder { before: "", after: "\n", capital: false, also: false },
        Placeholder { before: "zqKey: ", after: "", capital: false, also: false },
        Placeholder { before: "zq -> ", after: "", capital: false, also: true },
    ],
    forms: &[
        ("number", &["integer", "float"]),
        ("string", &["string", "charlist"]),
        ("boolean", &["boolean"]),
        ("null", &["nil"]),
        ("name", &["identifier", "alias", "path", "attribute_read"]),
        ("call", &["call", "pipe", "selection", "matches", "comprehension"]),
        ("member", &["access", "access_call"]),
        ("function", &["anonymous_function", "capture"]),
        ("object", &["map", "struct_literal"]),
        ("list", &["list", "tuple"]),
        ("template", &["string", "sigil"]),
        ("statement", STATEMENTS),
    ],
    other_forms: forms::forms,
    ..Fragments::NONE
};

const COMPARE: Compare = Compare {
    lists: &["arguments", "parameters", "definition", "list", "tuple", "keywords", "map_content"],
    separators: &[","],
    optional: &[";"],
    bracketed: &[("arguments", &["(", ")"]), ("parameters", &["(", ")"])],
    hollow: &[&["arguments"], &["parameters"]],
    alike: &[&["identifier", "alias"], &["do_block", "module_body"]],
    declarations: DECLARATIONS,
    keyed: &[Keyed { list: "keywords", pair: "pair", key: "keyword/0", ..Keyed::NONE }],
    strings: STRINGS,
    interpolations: &["interpolation"],
    chain: &[("call", "target"), ("access", "target"), ("dot", "left"), ("pipe", "left")],
    transparent: &["access"],
    ..Compare::NONE
};

const WRITING: Writing = Writing {
    closing: &["do_block"],
    bare: &[BareValue {
        kind: "keywords",
        brackets: ("[", "]"),
        stands: &[("arguments", ""), ("list", ""), ("map_content", "")],
    }],
    loose: &["match", "binary_operator", "unary_operator", "pipe", "generator", "typed", "capture"],
    binding: &[
        ("binary_operator", ""),
        ("unary_operator", ""),
        ("pipe", ""),
        ("dot", "left"),
        ("access_call", "target"),
    ],
    bare_single: true,
    comment: "#",
    line_items: STATEMENTS,
    snake: true,
    ..Writing::NONE
};

const STATEMENTS: &[&str] = &[
    "call",
    "match",
    "pipe",
    "module",
    "implementation",
    "function",
    "alias_directive",
    "import_directive",
    "struct_definition",
    "comprehension",
    "matches",
    "selection",
    "attribute",
    "spec",
    "callback",
    "type_definition",
    "stab_clause",
    "condition_clause",
];

const FLOW: Flow = Flow {
    nested: &["function", "module", "implementation", "anonymous_function", "capture"],
    effects: &["call", "pipe", "comprehension", "matches", "selection"],
    closes: &["end"],
    never_first: &[","],
    ..Flow::NONE
};

const CONTEXTS: &[Context] = &[
    context("expression", "", "", &[]),
    context("statement", "", "", STATEMENTS),
    context("argument", "zq(", ")", &["pair"]),
    context("pair", "[", "]", &["pair"]),
    context("pair", "[", "]", &["keywords"]),
    context("clause", "case zq do\n", "\nend", &["stab_clause"]),
    context("clause", "cond do\n", "\nend", &["condition_clause"]),
    Context {
        name: "statement",
        prefix: "",
        suffix: " do\nzq\nend",
        accepts: &["module", "implementation", "function"],
        bodiless: true,
    },
];

const DECLARATIONS: &[DeclarationShape] = &[
    DeclarationShape { kind: "module", body: "body", name: "name", ..DeclarationShape::NONE },
    DeclarationShape { kind: "implementation", body: "body", ..DeclarationShape::NONE },
    DeclarationShape { kind: "function", body: "body", name: "name", ..DeclarationShape::NONE },
];
