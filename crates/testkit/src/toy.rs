//! A toy language: a few lines of facts over a grammar that is there.

use emendo_lang::Import;
use emendo_lang::language::{
    Binding, Budget, Compare, Context, Fragments, Grammar, Imports, Language, Names, Placeholder,
    Reach, Scopes, Space, Words, Writing, bind, context,
};
use emendo_lang::tree::Node;
use emendo_text::Span;

/// The grammar of another language, under the toy's name.
fn grammar() -> &'static tree_sitter::Language {
    (emendo_languages::language("python").expect("is built in").grammar.main)()
}

/// A sample of it, free of errors.
const SAMPLE: &str = "import tide\nx = tide.open(1)\n";

const CONTEXTS: &[Context] =
    &[context("expression", "", "", &[]), context("statement", "", "", &[])];
const BINDINGS: &[Binding] = &[bind("assignment", "left", Space::Value, Reach::Scope)];

/// A language of a few lines: how a fragment reads, what names are, and what imports them.
const fn reed(budget: Budget) -> Language {
    Language {
        fragments: Fragments {
            contexts: CONTEXTS,
            placeholders: &[Placeholder { before: "", after: "", capital: false, also: false }],
            ..Fragments::NONE
        },
        compare: Compare { separators: &[","], lists: &["argument_list"], ..Compare::NONE },
        writing: Writing { expression_statement: "expression_statement", ..Writing::NONE },
        names: NAMES,
        words: Words {
            kinds: &[("identifier", Space::Value)],
            member_after: &["."],
            ..Words::NONE
        },
        scopes: Scopes { kinds: &["module"], bindings: BINDINGS, ..Scopes::NONE },
        imports: Imports { kinds: &["import_statement"], read_import, ..Imports::NONE },
        ..Language::new(
            "reed",
            "Reed",
            Grammar { budget, ..Grammar::new(&["reed"], grammar, SAMPLE) },
        )
    }
}

/// The toy language.
pub static REED: Language = reed(Budget::USUAL);

/// The same, with a parser that gives up on anything but small files.
pub static SLOW_REED: Language = reed(Budget { rounds: 3, per_kb: 0 });

const NAMES: Names = Names { separator: ".", full_names: true, ..Names::NONE };

fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let Some(name) = node.child_by_field_name("name") else { return Vec::new() };
    let at = Span::new(name.start_byte(), name.end_byte());
    vec![NAMES.import(node, vec![(at.of(text).to_owned(), at)])]
}
