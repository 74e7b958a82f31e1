//! Patterns on Java: what matches, and what is written byte for byte.

use std::collections::BTreeMap;

use emendo_lang::{FileFacts, Index, Resolver, Tree};
use emendo_languages::language;
use emendo_pattern::{Pattern, Replacement};
use emendo_text::{Piece, PieceMap, Placed, Text, render};

/// Applies `old` -> `new` everywhere in `source`, with `Station` and `at` as names of the library.
fn rewrite(old: &str, new: &str, source: &str) -> String {
    let java = language("java").expect("in the table");
    let pairs = [
        ("Station", "tidewire.client.Station"),
        ("Gauge", "tidewire.client.Gauge"),
        ("at", "tidewire.client.Station.at"),
    ];
    let names: BTreeMap<String, String> =
        pairs.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect();
    let old = Pattern::compile(java, old, &names, None).expect("old compiles");
    let new = Replacement::compile(&old, new, &names, &[]).expect("new compiles");
    let text = Text::new(source);
    let tree = Tree::parse(java, source);
    let facts = FileFacts::read(java, &tree, source);
    let project = Index::default();
    let resolver = Resolver::new(java, &facts, &project, &tree, source);
    let matches = old.matches(&tree, source, &resolver);
    let written: Vec<_> = matches
        .iter()
        .map(|m| new.write(&old, m, &tree, source, text.line_end(), &resolver).expect("writable"))
        .collect();
    let mut placed: Vec<Placed<'_>> = Vec::new();
    for (i, (m, w)) in matches.iter().zip(&written).enumerate() {
        placed.extend(w.splices.iter().map(|s| Placed {
            inner: s.inner,
            by: i as u32,
            span: s.span,
            hull: m.span,
            parts: &s.parts,
        }));
    }
    let out = render(source, &PieceMap::new(Piece::whole(source)), &mut placed).text;
    assert!(!Tree::parse(java, &out).has_error(), "the result parses:\n{out}");
    out
}

/// A method body in a file that imports the library.
fn body(code: &str) -> String {
    format!(
        "import tidewire.client.Station;\nimport tidewire.client.Gauge;\nclass A {{\n  void m() {{\n    {code}\n  }}\n}}\n"
    )
}

#[track_caller]
fn case(old: &str, new: &str, before: &str, after: &str) {
    assert_eq!(rewrite(old, new, &body(before)), body(after));
}

const OLD: &str = "new Station(@{host}, @{port})";
const NEW: &str = "Station.at(@{host}).port(@{port}).open()";

#[test]
fn a_constructor_becomes_a_chain_in_any_layout() {
    case(OLD, NEW, "use(new Station(h, 70));", "use(Station.at(h).port(70).open());");
    case(OLD, NEW, "var s = new  Station( h , 70 ) ;", "var s = Station.at( h).port(70 ).open() ;");
    case(
        OLD,
        NEW,
        "var s = new Station(\n        h, // the host\n        70);",
        "var s = Station.at(\n        h).port( // the host\n        70).open();",
    );
    case(
        OLD,
        NEW,
        "var s = new Station(\n        h,\n        70);",
        "var s = Station.at(h).port(70).open();",
    );
    case(
        OLD,
        NEW,
        "var s = new Station(/* a */ h, /* b */ 70 /* c */);",
        "var s = Station.at(/* a */ h).port(/* b */ 70 /* c */).open();",
    );
}

#[test]
fn nested_matches_are_all_rewritten() {
    case(
        "Station.wrap(@{a}, @{b})",
        "Station.join(@{b}, @{a})",
        "Station.wrap(Station.wrap(x, 1), Station.wrap(y, 2));",
        "Station.join(Station.join(2, y), Station.join(1, x));",
    );
}

#[test]
fn full_names_and_static_imports_are_other_spellings() {
    case(
        OLD,
        NEW,
        "new tidewire.client.Station(h, 1);",
        "tidewire.client.Station.at(h).port(1).open();",
    );
    let file = "import static tidewire.client.Station.at;\nclass A { Object o = at(1); }\n";
    let out = rewrite("Station.at(@{x})", "Station.at(@{x}, 2)", file);
    assert_eq!(
        out,
        "import static tidewire.client.Station.at;\nclass A { Object o = at(1, 2); }\n"
    );
    let file = "import tidewire.client.Station;\nclass A { Object o = Station.at(1); }\n";
    let out = rewrite("at(@{x})", "at(@{x}, 2)", file);
    assert_eq!(out, "import tidewire.client.Station;\nclass A { Object o = Station.at(1, 2); }\n");
}

#[test]
fn look_alikes_stay() {
    let stays = |file: &str| assert_eq!(rewrite(OLD, NEW, file), file);
    stays("class A { class Station {} Object o = new Station(h, 1); }");
    stays("import other.Station;\nclass A { Object o = new Station(h, 1); }");
    stays("class A<Station> { Object o = new Station(h, 1); }");
    stays(
        "import tidewire.client.Station;\nclass A { void m(Gauge Station) { Object o = new Station(h); } }",
    );
    let shadowed = "import tidewire.client.Station;\nclass A { void m(Other Station) { Station.wrap(a, b); } }";
    assert_eq!(rewrite("Station.wrap(@{a}, @{b})", "Station.join(@{b}, @{a})", shadowed), shadowed);
}

#[test]
fn lists_lose_and_gain_items() {
    let (old, new) = ("Station.all(@{first}, @{rest*})", "Station.each(@{rest*})");
    case(old, new, "Station.all(a);", "Station.each();");
    case(old, new, "Station.all(a, b, c);", "Station.each(b, c);");
    let (old, new) = ("Station.all(@{rest*})", "Station.all(@{rest*}, true)");
    case(old, "Station.each(@{rest*}, true)", "Station.all();", "Station.each(true);");
    case(
        old,
        new,
        "Station.all(\n        a,\n        b\n    );",
        "Station.all(\n        a,\n        b,\n        true\n    );",
    );
}

#[test]
fn parentheses_come_where_a_slot_would_bind_differently() {
    case("Station.neg(@{x})", "@{x}.negate()", "Station.neg(a + b);", "(a + b).negate();");
    case("Station.neg(@{x})", "@{x}.negate()", "Station.neg(a.b());", "a.b().negate();");
    case(
        "Station.sum(@{x}, @{y})",
        "@{x} + @{y}",
        "int z = 2 * Station.sum(a, b);",
        "int z = 2 * (a + b);",
    );
    case("Station.sum(@{x}, @{y})", "@{x} + @{y}", "int z = Station.sum(a, b);", "int z = a + b;");
}

#[test]
fn statements_and_members_are_deleted_with_their_line() {
    case("Station.stop();", "", "a();\n    Station.stop(); // bye\n    b();", "a();\n    b();");
    case(
        "Station.stop()",
        "",
        "a();\n    // why\n    Station.stop();\n    b();",
        "a();\n    // why\n    b();",
    );
    let file =
        "import tidewire.client.Gauge;\nclass A {\n  @Gauge\n  @Deprecated public int x;\n}\n";
    assert_eq!(
        rewrite("@Gauge", "", file),
        "import tidewire.client.Gauge;\nclass A {\n  @Deprecated public int x;\n}\n"
    );
}

#[test]
fn declarations_leave_modifiers_and_bodies_free() {
    let file = "import tidewire.client.Gauge;\nclass A {\n  /** doc */\n  @Override public final void onTide(Gauge g) throws X {\n    a();\n  }\n}\n";
    let out = rewrite("void onTide(Gauge @{g})", "void onLevel(Gauge @{g})", file);
    assert_eq!(out, file.replace("onTide", "onLevel"));
    let file = "import tidewire.client.Gauge;\nclass A extends Gauge {\n  int x;\n}\n";
    let out = rewrite(
        "class @{n} extends Gauge { @{body*} }",
        "class @{n} implements Gauge { @{body*} }",
        file,
    );
    assert_eq!(out, file.replace("extends", "implements"));
}

#[test]
fn annotation_values_match_in_any_order() {
    let file = "import tidewire.client.Gauge;\n@Gauge(unit = M, name = \"x\")\nclass A { }\n";
    let out =
        rewrite("@Gauge(name = @{n}, unit = @{u})", "@Gauge(label = @{n}, unit = @{u})", file);
    assert!(out.contains("label = \"x\"") && out.contains("unit = M"), "{out}");
}

#[test]
fn equal_slots_need_equal_code() {
    case(
        "Station.same(@{a}, @{a})",
        "Station.one(@{a})",
        "Station.same(x . y, x.y /* y */);",
        "Station.one(x . y /* y */);",
    );
    case(
        "Station.same(@{a}, @{a})",
        "Station.one(@{a})",
        "Station.same(x, y);",
        "Station.same(x, y);",
    );
}

#[test]
fn line_ends_tabs_and_statements() {
    let file = "import tidewire.client.Station;\r\nclass A {\r\n\tvoid m() {\r\n\t\tStation.stop();\r\n\t}\r\n}";
    let out = rewrite("Station.stop();", "if (x) {\n    Station.close();\n}", file);
    assert_eq!(
        out,
        "import tidewire.client.Station;\r\nclass A {\r\n\tvoid m() {\r\n\t\tif (x) {\r\n\t\t\tStation.close();\r\n\t\t}\r\n\t}\r\n}"
    );
}

#[test]
fn statements_that_become_one_keep_the_comments_between_them() {
    let (old, new) = ("@{s}.lock();\n@{s}.reset();", "@{s}.resetLocked();");
    case(
        old,
        new,
        "s.lock();  // hold\n    s.reset();\n    x();",
        "s.resetLocked();  // hold\n    x();",
    );
    case(old, new, "s.lock(); s.reset(); x();", "s.resetLocked(); x();");
    case(old, new, "s.lock(); t.reset();", "s.lock(); t.reset();");
}

#[test]
fn a_member_behind_a_dot_is_no_bare_name() {
    case(
        "Station.MAX",
        "Station.max()",
        "int z = Station.MAX + other.MAX;",
        "int z = Station.max() + other.MAX;",
    );
    case("Station", "Gauge", "x = a.Station.y();", "x = a.Station.y();");
}

#[test]
fn clauses_have_contexts_of_their_own() {
    case(
        "catch (Station.Closed @{e}) { @{b*} }",
        "catch (Station.Gone @{e}) { @{b*} }",
        "try { x(); } catch (Station.Closed e) { y(); /* z */ }",
        "try { x(); } catch (Station.Gone e) { y(); /* z */ }",
    );
    let file =
        "import tidewire.client.Station;\nclass A {\n  void m() throws Station.Closed { }\n}\n";
    assert_eq!(
        rewrite("throws Station.Closed", "throws Station.Gone", file),
        file.replace("Closed", "Gone")
    );
}
