//! What a name means: one table of files, each with how sure it is that `Station.at(...)` is the library's.

use std::collections::BTreeMap;

use Certainty::{Certain, Likely, Unsure};
use emendo_lang::{Certainty, FileFacts, Index, Resolver, Spellings, Tree};
use emendo_languages::language;
use emendo_pattern::Pattern;

/// The certainty of each place where `Station.at(@{x})` fits.
fn places(file: &str, own: &[(&str, &str)], renamed: &[(&str, &str)]) -> Vec<Certainty> {
    let java = language("java").expect("in the table");
    let names = BTreeMap::from([("Station".to_owned(), "tidewire.client.Station".to_owned())]);
    let mut pattern = Pattern::compile(java, "Station.at(@{x})", &names, None).expect("compiles");
    let mut spellings = Spellings::default();
    renamed.iter().for_each(|(a, b)| spellings.join(a, b));
    pattern.spell(&spellings);
    let tree = Tree::parse(java, file);
    assert!(!tree.has_error(), "{file}");
    let facts = FileFacts::read(java, &tree, file);
    let mut project = Index::default();
    own.iter().for_each(|(package, name)| project.declare(package, name));
    let resolver = Resolver::new(java, &facts, &project, &tree, file);
    pattern.matches(&tree, file, &resolver).iter().map(|m| m.certainty()).collect()
}

#[track_caller]
fn is(expected: &[Certainty], head: &str, body: &str) {
    let file = format!("{head}\nclass A {{ {body} }}\n");
    assert_eq!(places(&file, &[], &[]), expected, "{file}");
}

const IMPORT: &str = "import tidewire.client.Station;";
const USE: &str = "Object o = Station.at(1);";

#[test]
fn every_spelling_of_an_import() {
    is(&[Certain], IMPORT, USE);
    is(&[Certain], "import tidewire . client /* x */ . Station ;", USE);
    is(&[Likely], "import tidewire.client.*;", USE);
    is(&[Likely], "package p; import java.util.*; import tidewire.client.*;", USE);
    is(&[Likely], "package tidewire.client;", USE);
    is(&[Certain], "import static tidewire.client.Station.at;", "Object o = at(1);");
    is(&[Likely], "import static tidewire.client.Station.*;", "Object o = at(1);");
    is(&[Certain], "", "Object o = tidewire.client.Station.at(1);");
    is(
        &[Certain],
        "import tidewire.client.Station; import java.util.Map;",
        "Object o = (Station).at(1);",
    );
    is(&[], "", USE);
    is(&[], "import tidewire.client.Other;", USE);
}

#[test]
fn names_of_others() {
    is(&[], "import railwire.Station;", USE);
    is(&[], "import tidewire.clients.Station;", USE);
    is(&[], "import tidewire.client.sub.Station;", USE);
    is(&[], "import static railwire.Station.at;", "Object o = at(1);");
    is(&[], "import railwire.Station; import tidewire.client.*;", USE);
    is(&[], "package other.client;", USE);
    is(&[], IMPORT, "Object o = x.Station.at(1);");
    is(&[], IMPORT, "Object o = railwire.Station.at(1);");
}

#[test]
fn what_hides_a_name() {
    let hidden = [
        "static class Station { } Object o = Station.at(1);",
        "Other Station; Object o = Station.at(1);",
        "void m(Other Station) { Station.at(1); }",
        "A(Other Station) { Station.at(1); }",
        "void m() { Other Station = x; Station.at(1); }",
        "void m() { for (Other Station : all) { Station.at(1); } }",
        "void m() { for (Other Station = x; ; ) { Station.at(1); } }",
        "void m() { try (Other Station = x) { Station.at(1); } }",
        "void m() { try { } catch (Other Station) { Station.at(1); } }",
        "Object o = f(Station -> Station.at(1));",
        "Object o = f((a, Station) -> Station.at(1));",
        "Object o = f((Other Station) -> { return Station.at(1); });",
        "void m() { if (x instanceof Other Station) { Station.at(1); } }",
        "void m() { class Station { } Station.at(1); }",
        "enum E { Station; Object o = Station.at(1); }",
        "record R(Other Station) { Object o() { return Station.at(1); } }",
    ];
    for body in hidden {
        is(&[], IMPORT, body);
    }
    is(
        &[],
        "import static tidewire.client.Station.at;",
        "Object o = at(1); Object at(int x) { return x; }",
    );
    is(&[], "", "void m(Other tidewire) { tidewire.client.Station.at(1); }");
    assert_eq!(places("class Station { Object o = Station.at(1); }", &[], &[]), []);
}

#[test]
fn what_hides_nothing() {
    let seen = [
        "void m() { Station.at(1); Other Station = x; }",
        "void n(Other Station) { } void m() { Station.at(1); }",
        "void m() { { Other Station = x; } Station.at(1); }",
        "void m() { for (Other Station : all) { } Station.at(1); }",
        "Object o = f(Station -> x); Object p = Station.at(1);",
        "String s = \"Station\"; /* Station */ Object o = Station.at(1); // Station.at(2)\n",
        "void Station() { } Object o = Station.at(1);",
    ];
    for body in seen {
        is(&[Certain], IMPORT, body);
    }
}

#[test]
fn the_projects_own_types_decide() {
    let own = |head: &str, own: &[(&str, &str)]| {
        places(&format!("{head}\nclass A {{ {USE} }}"), own, &[])
    };
    // A type of the same package hides what a wildcard brings.
    assert_eq!(own("package p; import tidewire.client.*;", &[("p", "Station")]), []);
    assert_eq!(own("package p; import tidewire.client.*;", &[("q", "Station")]), [Likely]);
    // Two wildcards could both bring it.
    assert_eq!(
        own("package p; import q.*; import tidewire.client.*;", &[("q", "Station")]),
        [Unsure]
    );
    // The project is the library.
    assert_eq!(own("package tidewire.client;", &[("tidewire.client", "Station")]), [Certain]);
    // An import is stronger than the package.
    assert_eq!(own("package p; import tidewire.client.Station;", &[("p", "Station")]), [Certain]);
}

#[test]
fn renamed_symbols_are_known_under_both_names() {
    let renamed =
        [("tidewire.client", "tidewire.api"), ("tidewire.client.Station", "tidewire.api.Quay")];
    let at = |file: &str| places(file, &[], &renamed);
    assert_eq!(at("import tidewire.api.Station; class A { Object o = Station.at(1); }"), [Certain]);
    assert_eq!(at("import tidewire.api.Quay; class A { Object o = Quay.at(1); }"), [Certain]);
    assert_eq!(at("import tidewire.api.*; class A { Object o = Quay.at(1); }"), [Likely]);
    assert_eq!(at("import tidewire.apis.Quay; class A { Object o = Quay.at(1); }"), []);
}

#[test]
fn several_places_in_order() {
    let file = "import tidewire.client.*; class A { Object o = Station.at(Station.at(1)); void m(X Station) { Station.at(2); } Object p = tidewire.client.Station.at(3); }";
    assert_eq!(places(file, &[], &[]), [Likely, Likely, Certain]);
}
