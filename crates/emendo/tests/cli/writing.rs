//! What is written, byte for byte, in files as they really are.

use testkit::{Sandbox, java};

const OPEN: &str = r#"
[[step]]
id = "open"
title = "Open"
[[step.code]]
old = 'new Station(@{h}, @{p})'
new = 'Station.at(@{h}).port(@{p})'
"#;

#[test]
fn byte_order_mark_line_ends_tabs_and_encoding_stay() {
    let s = Sandbox::java(OPEN, "");
    let body = "import tidewire.client.Station;\r\nclass A {\r\n\tObject o = new Station(\"caf\", 1); // na\r\n}";
    let mut bytes = b"\xef\xbb\xbf".to_vec();
    bytes.extend(body.as_bytes());
    s.write("Bom.java", &bytes);
    let latin =
        [b"import tidewire.client.Station;\nclass A { Object o = new Station(\"caf\xe9\", 1); }\n"
            .as_slice()]
        .concat();
    s.write("Latin.java", &latin);
    s.migrate();
    let after = std::fs::read(s.path("Bom.java")).expect("there");
    assert_eq!(
        after,
        [
            b"\xef\xbb\xbf".as_slice(),
            body.replace("new Station(\"caf\", 1)", "Station.at(\"caf\").port(1)").as_bytes()
        ]
        .concat()
    );
    let after = std::fs::read(s.path("Latin.java")).expect("there");
    assert_eq!(after, b"import tidewire.client.Station;\nclass A { Object o = Station.at(\"caf\xe9\").port(1); }\n");
}

#[test]
fn a_file_is_handled_where_it_is_sound() {
    let s = Sandbox::java(OPEN, "");
    s.write("Broken.java", "import tidewire.client.Station;\nclass A {\n  Object a = new Station(x, 1);\n  void m( { }\n  Object b = new Station(y, 2);\n}\n");
    s.propose().ok().says("1 with syntax errors");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("Broken.java").contains("Object a = Station.at(x).port(1);"));
    assert!(s.read("Broken.java").contains("void m( { }"));
}

#[test]
fn an_edit_that_would_break_the_file_is_held_back() {
    let steps = r#"
[[step]]
id = "bad"
title = "Bad"
[[step.code]]
old = 'Station.go(@{x});'
new = 'Station.go(@{y});'
slots.x = { text = '^"(?P<y>.*)"$' }
"#;
    let s = Sandbox::java(steps, "Station.go(\"a b\"); Station.go(\"c\");");
    s.propose().ok().says("would no longer parse");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("A.java").contains("Station.go(\"a b\"); Station.go(c);"));
}

#[test]
fn what_a_slot_holds_stays_one_thing_or_the_edit_is_held_back() {
    let steps = r#"
[[step]]
id = "make"
title = "Make"
[[step.code]]
lang = "javascript"
old = 'make(@{x})'
new = 'new @{x}()'
"#;
    let s = Sandbox::java(steps, "");
    s.write("a.js", "a = make(Quay.Gauge);\nb = make(harbour().Gauge);\n");
    s.propose().ok().says("`harbour().Gauge` would no longer be one thing in the new code");
    s.run(&["apply", "--accept", "all"]).ok();
    assert_eq!(s.read("a.js"), "a = new Quay.Gauge();\nb = make(harbour().Gauge);\n");
}

#[test]
fn imports_follow_the_edits() {
    let steps = r#"
[[step]]
id = "level"
title = "Level"
[[step.code]]
old = 'Gauge.read(@{x})'
new = 'Level.of(@{x})'
"#;
    // The last use goes, and the new name takes its line.
    let s = Sandbox::java(steps, "use(Gauge.read(1), Station.x());");
    s.migrate();
    assert_eq!(
        s.read("A.java"),
        java("use(Level.of(1), Station.x());").replace("client.Gauge;", "client.Level;")
    );
    // Another use stays: the new import is added in order, once.
    let s = Sandbox::java(steps, "use(Gauge.read(1), Gauge.read(2), Gauge.x());");
    s.migrate();
    let want = java("use(Level.of(1), Level.of(2), Gauge.x());")
        .replace("Gauge;\n", "Gauge;\nimport tidewire.client.Level;\n");
    assert_eq!(s.read("A.java"), want);
    // The last import of one group goes, and the new one belongs to the next group.
    let away = steps.replace("Level.of", "Away.of") + "names = { Away = 'sea.Away' }\n";
    let s = Sandbox::new();
    s.recipe(&away);
    let file = "package p;\n\nimport tidewire.client.Gauge;\n\nimport sea.Bay;\n\nclass A { Object o = Gauge.read(1); Bay b; }\n";
    s.write("A.java", file);
    s.migrate();
    let want = file
        .replace("import tidewire.client.Gauge;\n\n", "")
        .replace("import sea.Bay", "import sea.Away;\nimport sea.Bay");
    assert_eq!(s.read("A.java"), want.replace("Gauge.read", "Away.of"));
    // The name is taken: written in full.
    let s = Sandbox::java(steps, "use(Gauge.read(1)); class Level { }");
    s.migrate();
    assert!(s.read("A.java").contains("use(tidewire.client.Level.of(1)); class Level { }"));
    // A wildcard brings it in already.
    let s = Sandbox::new();
    s.recipe(steps);
    let file = "import tidewire.client.*;\nclass A { Object o = Gauge.read(1); }\n";
    s.write("A.java", file);
    s.migrate();
    assert_eq!(s.read("A.java"), file.replace("Gauge.read", "Level.of"));
}

#[test]
fn types_and_packages_in_every_spelling() {
    let steps = r#"
[[step]]
id = "names"
title = "Names"
[[step.symbol]]
what = "type"
old = "tidewire.client.Gauge"
new = "tidewire.api.Meter"
[[step.symbol]]
what = "package"
old = "tidewire.client"
new = "tidewire.api"
except = ["tidewire.client.raw.**", "tidewire.client.Legacy"]
"#;
    let s = Sandbox::new();
    s.recipe(steps);
    s.write(
        "p/A.java",
        "package p;\n\nimport static tidewire.client.Station.open;\nimport tidewire.client.*;\nimport tidewire.client.Gauge;\nimport tidewire.client.Gauge.Unit;\nimport tidewire.client.raw.Frame;\nimport tidewire.clients.Other;\nimport tidewire . client . /* odd */ Port;\n\n@Gauge\nclass A<T extends Gauge> extends Station {\n  Gauge[] a = (Gauge[]) f(Gauge.class, Gauge::new, tidewire.client.Station.X, tidewire.client.Gauge.Y);\n  java.util.List<Gauge> b; // Gauge\n  Legacy c; Object d = o instanceof Gauge g ? g : \"tidewire.client.Gauge\";\n  void m(String Gauge) { Gauge.length(); }\n}\n",
    );
    s.write("p/Own.java", "package p;\nclass Own { Gauge mine; }\n");
    s.write("p/Gauge.java", "package p;\nclass Gauge { }\n");
    s.migrate();
    assert_eq!(
        s.read("p/A.java"),
        "package p;\n\nimport static tidewire.api.Station.open;\nimport tidewire.client.*;\nimport tidewire.api.*;\nimport tidewire.api.Meter;\nimport tidewire.api.Meter.Unit;\nimport tidewire.client.raw.Frame;\nimport tidewire.clients.Other;\nimport tidewire . api . /* odd */ Port;\n\n@Meter\nclass A<T extends Meter> extends Station {\n  Meter[] a = (Meter[]) f(Meter.class, Meter::new, tidewire.api.Station.X, tidewire.api.Meter.Y);\n  java.util.List<Meter> b; // Gauge\n  Legacy c; Object d = o instanceof Meter g ? g : \"tidewire.client.Gauge\";\n  void m(String Gauge) { Gauge.length(); }\n}\n"
    );
    assert_eq!(s.read("p/Own.java"), "package p;\nclass Own { Gauge mine; }\n");
    assert_eq!(s.propose_json()["total"]["edits"], 0);
}

#[test]
fn versions_are_raised_where_they_are_held() {
    let steps = r#"
[[step]]
id = "v"
title = "Versions"
[[step.library]]
old = "maven:org.tidewire:*"
version = "3.0.2"
[[step.library]]
what = "parent"
old = "maven:org.tidewire:parent"
version = "3.0.2"
"#;
    let s = Sandbox::new();
    s.recipe(steps);
    let dep = |artifact: &str, version: &str| {
        format!(
            "<dependency><groupId>org.tidewire</groupId><artifactId>{artifact}</artifactId>{version}</dependency>"
        )
    };
    let root = format!(
        "<project><parent><groupId>org.tidewire</groupId><artifactId>parent</artifactId><version>2.0</version></parent><groupId>h</groupId><artifactId>root</artifactId>\r\n<properties><tw>${{tw.real}}</tw><tw.real>2.4</tw.real><new>4.0</new></properties><dependencies>{}{}{}{}</dependencies></project>",
        dep("pinned", "<version>2.1</version>"),
        dep("newer", "<version>${new}</version>"),
        dep("managed", ""),
        dep("range", "<version>[2,3)</version>"),
    );
    s.write("pom.xml", &root);
    s.write("m/pom.xml", format!("<project><parent><groupId>h</groupId><artifactId>root</artifactId><version>1</version></parent><artifactId>m</artifactId><dependencies>{}</dependencies></project>", dep("core", "<version>${tw}</version>")));
    s.write("bad/pom.xml", "<project><dependencies>");
    let run = s.propose().ok();
    run.says("is a range, not a plain version").says("cannot be read");
    s.run(&["apply", "--accept", "all"]).ok();
    let want = root
        .replace("<version>2.0<", "<version>3.0.2<")
        .replace("<version>2.1<", "<version>3.0.2<")
        .replace("<tw.real>2.4<", "<tw.real>3.0.2<");
    assert_eq!(s.read("pom.xml"), want);
    assert!(s.read("m/pom.xml").contains("<version>${tw}</version>"));
}

#[test]
fn generated_vendored_and_ignored_files_are_passed_over_and_counted() {
    let s = Sandbox::java(OPEN, "use(new Station(a, 1));");
    s.write("vendor/B.java", java("use(new Station(a, 1));"));
    s.write("G.java", format!("// @generated by a tool\n{}", java("use(new Station(a, 1));")));
    s.write("out/C.java", java("use(new Station(a, 1));"));
    s.write(".gitignore", "out/\n");
    s.write("W.java", b"\xff\xfec\0l\0");
    s.propose().ok().says("1 ignored").says("1 vendored").says("1 generated");
    let with = s
        .run(&["propose", "--json", "--with", "vendored", &s.recipe_path().display().to_string()])
        .ok()
        .json();
    assert_eq!(with["total"]["files"], 2);
}

#[test]
fn large_and_deep_files_are_no_trouble() {
    let s = Sandbox::java(OPEN, "");
    let deep = format!("use({}1{});", "f(".repeat(20_000), ")".repeat(20_000));
    s.write("Deep.java", java(&format!("{deep} use(new Station(a, 1));")));
    let nested = format!("{}x{}", "new Station(".repeat(300), ", 1)".repeat(300));
    s.write("Nested.java", java(&format!("use({nested});")));
    let many = "use(new Station(a, 1));\n".repeat(20_000);
    s.write("Many.java", java(&many));
    s.migrate();
    assert!(s.read("Deep.java").contains("use(Station.at(a).port(1));"));
    assert_eq!(s.read("Nested.java").matches("Station.at(").count(), 300);
    assert_eq!(
        s.read("Many.java"),
        java(&many.replace("new Station(a, 1)", "Station.at(a).port(1)"))
    );
}

#[test]
fn where_one_statement_must_stand_none_and_two_are_refused() {
    let steps = r#"
[[step]]
id = "s"
title = "S"
[[step.code]]
old = 'Station.stop();'
new = ''
[[step.code]]
old = 'Station.go();'
new = """
Station.check();
Station.run();
"""
"#;
    let s = Sandbox::java(
        steps,
        "if (a) Station.stop(); else Station.go(); while (b) Station.stop(); Station.go();",
    );
    s.propose()
        .ok()
        .says("put braces around it first")
        .says("has 2 parts where only one can stand");
    s.run(&["apply", "--accept", "all"]).ok();
    let want = java(
        "if (a) Station.stop(); else Station.go(); while (b) Station.stop(); Station.check();\n        Station.run();",
    );
    assert_eq!(s.read("A.java"), want);
}
