//! One algebra for all lists of all languages: a list slot takes what it says, wherever it stands.

use std::collections::BTreeMap;

use emendo_lang::{FileFacts, NoProject, Resolver, Tree};
use emendo_pattern::{Conditions, Match, Pattern};
use emendo_text::Marks;

/// A kind of list: language, what stands around, what stands between two items, the nth item.
struct List(&'static str, &'static str, &'static str, fn(usize) -> String);

const LISTS: &[List] = &[
    List("java", "class A { void m() { f(#); } }", ", ", |n| format!("a{n}")),
    List("java", "class A { void m() { # } }", " ", |n| format!("a{n}();")),
    List("java", "class A { # }", " ", |n| format!("int a{n};")),
    List("java", "class A { void m() { switch (x) { # } } }", " ", |n| format!("case {n}: break;")),
    List("csharp", "class A { void M() { F(#); } }", ", ", |n| format!("a{n}")),
    List("csharp", "class A { void M() { # } }", " ", |n| format!("A{n}();")),
    List("csharp", "class A { # }", " ", |n| format!("int A{n};")),
    List("csharp", "class A { void M() { switch (x) { # } } }", " ", |n| {
        format!("case {n}: break;")
    }),
    List("python", "f(#)\n", ", ", |n| format!("a{n}")),
    List("python", "x = [#]\n", ", ", |n| format!("a{n}")),
    List("python", "x = {#}\n", ", ", |n| format!("'k{n}': a{n}")),
    List("python", "def f():\n    #\n", "\n    ", |n| format!("a{n}()")),
    List("rust", "fn f() { g(#); }", ", ", |n| format!("a{n}")),
    List("rust", "fn f() { # }", " ", |n| format!("a{n}();")),
    List("rust", "fn f() { m!(#); }", ", ", |n| format!("a{n}")),
    List("rust", "fn f() { match x { # } }", " ", |n| format!("{n} => {{}}")),
    List("rust", "fn f() { let x = [#]; }", ", ", |n| format!("a{n}")),
    List("typescript", "f(#);", ", ", |n| format!("a{n}")),
    List("typescript", "function f() { # }", " ", |n| format!("a{n}();")),
    List("typescript", "class A { # }", " ", |n| format!("a{n} = {n};")),
    List("typescript", "const x = [#];", ", ", |n| format!("a{n}")),
    List("typescript", "f({ # });", ", ", |n| format!("k{n}: a{n}")),
    List("typescript", "const x = <A # />;", " ", |n| format!("k{n}={{a{n}}}")),
    List("typescript", "const x = <A>#</A>;", "", |n| format!("<B{n} />")),
    List("typescript", "switch (x) { # }", " ", |n| format!("case {n}: break;")),
];

impl List {
    fn source(&self, items: impl Iterator<Item = usize>) -> String {
        let all: Vec<String> = items.map(self.3).collect();
        self.1.replace('#', &all.join(self.2))
    }

    /// The pattern with these items between its brackets.
    fn pattern(&self, items: &[String]) -> Pattern {
        let text = self.1.replace('#', &items.join(self.2));
        self.compile(&text, Marks::None)
    }

    fn compile(&self, text: &str, marks: Marks) -> Pattern {
        let language = emendo_languages::language(self.0).expect("is built in");
        let text = text.trim();
        Pattern::compile_with(language, text, &BTreeMap::new(), None, marks)
            .unwrap_or_else(|e| panic!("{}: `{text}`: {}", self.0, e.message))
    }

    /// The places of a pattern in a source: what its slots hold, each once.
    fn found(&self, pattern: &Pattern, source: &str) -> Vec<Vec<(String, String, usize)>> {
        let tree = Tree::parse(pattern.language(), source);
        let facts = FileFacts::read(pattern.language(), &tree, source);
        let resolver = Resolver::new(pattern.language(), &facts, &NoProject, &tree, source);
        let held = |m: Match| {
            let slots = m.slots.iter();
            slots.map(|b| (b.name.clone(), b.span.of(source).to_owned(), b.count)).collect()
        };
        let mut out: Vec<Vec<_>> =
            pattern.matches(&tree, source, &resolver).into_iter().map(held).collect();
        out.dedup();
        out
    }
}

fn texts(list: &List, items: std::ops::Range<usize>) -> String {
    items.map(list.3).collect::<Vec<_>>().join(list.2)
}

#[test]
fn a_list_slot_takes_all_and_one_that_needs_some_none_of_nothing() {
    for list in LISTS {
        let any = list.pattern(&["@{x*}".to_owned()]);
        let some = list.pattern(&["@{x+}".to_owned()]);
        for n in 0..4 {
            // A body without brackets is never empty.
            if n == 0 && list.0 == "python" && list.1.contains("def") {
                continue;
            }
            let source = list.source(0..n);
            let found = list.found(&any, &source);
            assert_eq!(found.len(), 1, "{}: {source}", list.0);
            let held = &found[0][0];
            // The last mark belongs to the list where the grammar hangs it there.
            let (text, wanted) = (held.1.trim().trim_end_matches(';'), texts(list, 0..n));
            assert_eq!((text, held.2), (wanted.trim_end_matches(';'), n), "{source}");
            assert_eq!(
                list.found(&some, &source).len(),
                usize::from(n > 0),
                "{}: {source}",
                list.0
            );
        }
    }
}

#[test]
fn single_slots_take_one_item_each() {
    // Blanks between children are text, and single slots in braces of Python are the items of a set.
    let single = |l: &&List| !(l.2.is_empty() || l.0 == "python" && l.1.contains('{'));
    for list in LISTS.iter().filter(single) {
        for wanted in 1..4 {
            let slots: Vec<String> = (0..wanted).map(|i| format!("@{{s{i}}}")).collect();
            let text = list.1.replace('#', &slots.join(list.2));
            let pattern = list.compile(&text, Marks::None);
            for n in 1..4 {
                let source = list.source(0..n);
                let found = list.found(&pattern, &source);
                assert_eq!(
                    found.len(),
                    usize::from(n == wanted),
                    "{}: `{text}` in {source}",
                    list.0
                );
            }
        }
    }
}

#[test]
fn list_slots_around_an_item_share_the_rest_between_them() {
    for list in LISTS {
        for n in 1..4 {
            for at in 0..n {
                let item = (list.3)(at);
                let pattern = list.pattern(&["@{a*}".to_owned(), item.clone(), "@{b*}".to_owned()]);
                let source = list.source(0..n);
                let found = list.found(&pattern, &source);
                assert_eq!(found.len(), 1, "{}: {item} in {source}", list.0);
                let count = |name: &str| found[0].iter().filter(|s| s.0 == name).map(|s| s.2).sum();
                let (before, behind): (usize, usize) = (count("a"), count("b"));
                // Keyed things stand in any order: only together they are known.
                assert_eq!(before + behind, n - 1, "{}: {item} in {source}", list.0);
                let other = list.source((0..n).filter(|i| *i != at));
                assert!(list.found(&pattern, &other).is_empty(), "{}: {item} in {other}", list.0);
            }
        }
    }
}

#[test]
fn a_marked_place_between_list_slots_is_at_every_position() {
    let apart =
        |l: &&List| !l.2.is_empty() && !l.1.contains("class A {") && !l.1.contains("switch");
    for list in LISTS.iter().filter(apart) {
        let slots = ["@{a*}", "@{here}", "@{b*}"].join(list.2);
        let around = list.compile(&list.1.replace('#', &slots), Marks::Here);
        let conditions = Conditions { surrounded_by: vec![vec![around]], ..Conditions::default() };
        for n in 1..4 {
            for at in 0..n {
                let item = list.compile(&(list.3)(at), Marks::None);
                let source = list.source(0..n);
                let tree = Tree::parse(item.language(), &source);
                let facts = FileFacts::read(item.language(), &tree, &source);
                let resolver = Resolver::new(item.language(), &facts, &NoProject, &tree, &source);
                let found = item.matches(&tree, &source, &resolver);
                let fits = conditions.fulfilled(found, &tree, &source, &resolver);
                assert!(!fits.is_empty(), "{}: `{}` in {source}", list.0, (list.3)(at));
            }
        }
    }
}

#[test]
fn links_behind_a_call_are_a_list_that_ends_with_the_chain() {
    for (language, head, end) in [
        ("java", "class A { Object o = ", "; }"),
        ("typescript", "x = ", ";"),
        ("rust", "fn f() { x = ", "; }"),
        ("python", "x = ", "\n"),
        ("csharp", "class A { object o = ", "; }"),
    ] {
        let list = List(language, "", ".", |n| format!("a{n}()"));
        let any = list.compile("start().@{x*}", Marks::None);
        let between = list.compile("start().@{a*}.a1().@{b*}", Marks::None);
        for n in 0..4 {
            let links: String = (0..n).map(|i| format!(".a{i}()")).collect();
            let source = format!("{head}start(){links}{end}");
            let found = list.found(&any, &source);
            assert_eq!(found.len(), 1, "{language}: {source} {found:?}");
            let held = found[0].iter().find(|s| s.0 == "x").map(|s| (s.1.clone(), s.2));
            assert_eq!(held, Some((links.trim_start_matches('.').to_owned(), n)), "{source}");
            assert_eq!(
                list.found(&between, &source).len(),
                usize::from(n > 1),
                "{language}: {source}"
            );
        }
    }
}
