//! Deep, long and wide sources: nothing overflows, and nothing takes more than its share.

use std::collections::BTreeMap;

use emendo_lang::{FileFacts, Index, Resolver, Tree};
use emendo_languages::language;
use emendo_pattern::{Pattern, Places};

fn places(lang: &str, pattern: &str, text: &str) -> Places {
    let language = language(lang).expect("in the table");
    let pattern = Pattern::compile(language, pattern, &BTreeMap::new(), None).expect("compiles");
    let tree = Tree::parse(language, text);
    let facts = FileFacts::read(language, &tree, text);
    let project = Index::default();
    let resolver = Resolver::new(language, &facts, &project, &tree, text);
    pattern.places(&tree, text, &resolver)
}

const DEEP: usize = 100_000;

#[test]
fn a_hundred_thousand_levels_of_nesting() {
    let calls = format!("{}1{}", "f(".repeat(DEEP), ")".repeat(DEEP));
    for (lang, before, after) in [
        ("java", "class A { Object x = ", "; }"),
        ("typescript", "x = ", ";"),
        ("python", "x = ", ""),
        ("rust", "fn m() { x = ", "; }"),
        ("csharp", "class A { object x = ", "; }"),
    ] {
        let text = format!("{before}{calls}{after}\n");
        assert_eq!(places(lang, "f(@{x})", &text).matches.len(), DEEP, "{lang}");
    }
}

#[test]
fn a_hundred_thousand_links_and_elements() {
    let chain = format!("x = b{}\n", ".f(1)".repeat(DEEP));
    assert_eq!(places("python", ".f(@{x})", &chain).matches.len(), DEEP);
    let items: Vec<String> = (0..DEEP).map(|i| format!("a{i}={i}")).collect();
    let list = format!("f({})\n", items.join(", "));
    let found = places("python", "f(@{x*}, a77=@{v}, @{y*})", &list);
    assert_eq!(found.matches.len(), 1);
    assert_eq!(found.matches[0].slot("v").expect("bound").span.of(&list), "77");
}

#[test]
fn several_list_slots_are_bounded_and_say_so() {
    let items: Vec<String> = (0..3_000).map(|i| i.to_string()).collect();
    let text = format!("f({})\n", items.join(", "));
    let pattern = "f(@{a*}, 1, @{b*}, 2, @{c*}, 1, @{d*}, none)";
    let found = places("python", pattern, &text);
    assert!(found.matches.is_empty());
    let hard = "f(@{a*}, @{x}, @{b*}, @{x}, @{c*}, @{x}, @{d*})";
    let found = places("python", hard, &text);
    assert!(found.matches.is_empty() && !found.gave_up.is_empty());
}
