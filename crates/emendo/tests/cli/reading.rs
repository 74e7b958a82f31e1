//! What is read: nothing outside a recipe's folder, nothing but regular files, and all that git keeps.

use std::process::Command;

use testkit::Sandbox;

const OPEN: &str = "[[step]]\nid = \"open\"\ntitle = \"Open\"\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'Station.at(@{h}).open()'\n";
const TABLE: &str = "[[step]]\nid = \"n\"\ntitle = \"N\"\n[[step.symbol]]\nwhat = \"type\"\ntable = \"names.csv\"\n";

#[cfg(unix)]
fn link(to: &str, s: &Sandbox, name: &str) {
    std::os::unix::fs::symlink(to, s.folder().join(name)).expect("links");
}

#[cfg(unix)]
fn pipe(path: &std::path::Path) {
    assert!(Command::new("mkfifo").arg(path).status().expect("runs").success());
}

#[test]
#[cfg(unix)]
fn a_table_is_not_read_through_a_link() {
    let s = Sandbox::java(TABLE, "");
    std::fs::write(s.folder().join("secret"), "pass,word,of mine\n").expect("writable");
    link(&s.folder().join("secret").display().to_string(), &s, "names.csv");
    let run = s.propose().code(2).says("symbolic link");
    assert!(!format!("{}{}", run.out, run.err).contains("of mine"));
}

#[test]
#[cfg(unix)]
fn an_included_recipe_is_not_read_through_a_link_or_from_above() {
    let inner = "emendo = 1\nid = \"inner\"\ntitle = \"Inner secret\"\n";
    for include in ["inner.toml", "../inner.toml", "sub/inner.toml"] {
        let s = Sandbox::java(
            &format!("[[step]]\nid = \"i\"\n[step.include]\nrecipe = \"{include}\"\n"),
            "",
        );
        let away = tempfile::tempdir().expect("a folder");
        std::fs::write(away.path().join("inner.toml"), inner).expect("writable");
        let target = away.path().display().to_string();
        match include {
            "inner.toml" => link(&format!("{target}/inner.toml"), &s, "inner.toml"),
            "sub/inner.toml" => link(&target, &s, "sub"),
            _ => {}
        }
        let run = s.propose().code(2);
        assert!(!format!("{}{}", run.out, run.err).contains("Inner secret"), "{include}");
    }
}

#[test]
#[cfg(unix)]
fn an_example_tree_is_not_read_through_a_link() {
    let s = Sandbox::java(&format!("{OPEN}[[example]]\ntitle = \"t\"\ntree = \"trees/a\"\n"), "");
    let away = tempfile::tempdir().expect("a folder");
    for part in ["before", "after"] {
        std::fs::create_dir_all(away.path().join("a").join(part)).expect("fresh");
        std::fs::write(away.path().join("a").join(part).join("x.txt"), "secret\n").expect("fresh");
    }
    link(&away.path().display().to_string(), &s, "trees");
    let recipe = s.recipe_path().display().to_string();
    let run = s.run(&["recipe", "test", &recipe]);
    assert_ne!(run.code, 0);
    assert!(!format!("{}{}", run.out, run.err).contains("secret"));
}

#[test]
#[cfg(unix)]
fn pipes_and_devices_are_named_and_never_opened() {
    let s = Sandbox::java(TABLE, "");
    pipe(&s.folder().join("names.csv"));
    s.propose().code(2).says("not a regular file");
    std::fs::remove_file(s.folder().join("names.csv")).expect("was there");
    link("/dev/zero", &s, "names.csv");
    s.propose().code(2);

    let s = Sandbox::java(OPEN, "new Station(a);");
    for name in [".gitignore", ".ignore", "pom.xml", "B.java", "package.json", "tsconfig.json"] {
        pipe(&s.path(name));
    }
    let run = s.propose().ok().says("B.java").says("unreadable");
    assert!(run.out.contains("1     1"), "the rest is handled: {}", run.out);
    s.run(&["survey"]).ok();
    s.run(&["apply", "--accept", "all"]).ok();
    s.run(&["leftovers"]).ok();

    let s = Sandbox::java(OPEN, "new Station(a);");
    pipe(&s.path("emendo.toml"));
    s.propose().code(2).says("not a regular file");
    s.run(&["status"]).ok().says("not a regular file");
}

#[test]
fn faulty_settings_never_block_the_way_back() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    s.write("emendo.toml", "ignore = []\n");
    s.migrate();
    s.write("emendo.toml", "ignore = [\n");
    s.propose().code(2);
    s.run(&["status"]).ok().says("emendo.toml is faulty").says("applied: 1 edit");
    s.run(&["leftovers"]).ok().says("emendo.toml is faulty");
    s.run(&["undo"]).ok();
    assert!(s.read("A.java").contains("new Station(a)"));
}

#[test]
fn what_git_keeps_is_read_whatever_an_ignore_file_says() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    let text = s.read("A.java");
    s.write("build/B.java", text.replace("class A", "class B"));
    s.write("build/C.java", text.replace("class A", "class C"));
    s.write("D.java", text.replace("class A", "class D"));
    s.write("E.java", text.replace("class A", "class E"));
    s.write(".gitignore", "build/\nD.java\nE.java\n");
    s.git(&["init", "-q"]);
    s.git(&["add", "-A"]);
    s.git(&["add", "-f", "build/B.java", "D.java"]);
    s.git(&["commit", "-q", "-m", "all"]);
    let json = s.propose_json();
    let paths: Vec<&str> = json["files"]
        .as_array()
        .expect("files")
        .iter()
        .filter_map(|f| f["path"].as_str())
        .collect();
    assert_eq!(paths, ["A.java", "D.java", "build/B.java"]);
    assert_eq!(json["counts"]["passed"]["ignored"], serde_json::json!(["E.java", "build/"]));
}

#[test]
fn every_rule_that_passes_over_files_names_them() {
    let s = Sandbox::java(OPEN, "new Station(a);");
    let code = s.read("A.java");
    s.write("gen/G.java", format!("// Code generated by a tool. DO NOT EDIT.\n{code}"));
    s.write("vendor/V.java", &code);
    s.write("node_modules/n.js", "x\n");
    s.write("a.min.js", "x\n");
    s.write("nested/.git/HEAD", "ref: x\n");
    s.write("nested/N.java", &code);
    let wide: Vec<u8> =
        [0xff, 0xfe].into_iter().chain(code.encode_utf16().flat_map(u16::to_le_bytes)).collect();
    s.write("W.java", wide);
    s.write(".gitignore", "*.log\n");
    s.write("x.log", "x\n");
    let json = s.propose_json();
    let passed = &json["counts"]["passed"];
    let of = |rule: &str| passed[rule].clone();
    assert_eq!(of("generated"), serde_json::json!(["gen/G.java"]));
    assert_eq!(of("vendored"), serde_json::json!(["node_modules/", "vendor/"]));
    assert_eq!(of("minified"), serde_json::json!(["a.min.js"]));
    assert_eq!(of("nested"), serde_json::json!(["nested/"]));
    assert_eq!(of("ignored"), serde_json::json!(["x.log"]));
    assert_eq!(of("wide"), serde_json::json!(["W.java"]));
    s.propose().ok().says("UTF-16").says("W.java");
}

#[test]
fn deep_globs_and_endless_inclusions_are_errors() {
    let deep = format!("files = \"{}b{}\"\n", "{a,".repeat(200), "}".repeat(200));
    Sandbox::java(&format!("{deep}{OPEN}"), "").propose().code(2).says("8 deep");
    let s = Sandbox::java("[[step]]\nid = \"i\"\n[step.include]\nrecipe = \"r1.toml\"\n", "");
    for n in 1..2500 {
        let text = format!(
            "emendo = 1\nid = \"r{n}\"\ntitle = \"R\"\n[[step]]\nid = \"i\"\n[step.include]\nrecipe = \"r{}.toml\"\n",
            n + 1
        );
        std::fs::write(s.folder().join(format!("r{n}.toml")), text).expect("writable");
    }
    s.propose().code(2).says("32 deep");
    let s = Sandbox::java("[[step]]\nid = \"i\"\n[step.include]\nrecipe = \"r1.toml\"\n", "");
    for n in 1..30 {
        let one = |id: &str| {
            format!(
                "[[step]]\nid = \"{id}\"\n[step.include]\nrecipe = \"r{}.toml\"\ninputs = {{ x = \"{id}\" }}\n",
                n + 1
            )
        };
        let text = format!(
            "emendo = 1\nid = \"r{n}\"\ntitle = \"R\"\n[inputs.x]\ndefault = \"\"\n{}{}",
            one("a"),
            one("b")
        );
        std::fs::write(s.folder().join(format!("r{n}.toml")), text).expect("writable");
    }
    let last =
        format!("emendo = 1\nid = \"r30\"\ntitle = \"R\"\n[inputs.x]\ndefault = \"\"\n{OPEN}");
    std::fs::write(s.folder().join("r30.toml"), last).expect("writable");
    s.propose().code(2).says("more than 500 recipes");
}
