//! Recipe messages: all at once, each with its place and a way out.

use testkit::Sandbox;

#[track_caller]
fn faulty(steps: &str, parts: &[&str]) {
    let s = Sandbox::new();
    s.recipe(steps);
    let path = s.recipe_path().display().to_string();
    let run = s.run(&["recipe", "check", &path]).code(2);
    for part in parts {
        assert!(run.out.contains(part), "`{part}` is not in\n{}", run.out);
    }
    s.propose().code(2).says("nothing was proposed");
}

fn step(actions: &str) -> String {
    format!("[[step]]\nid = \"s\"\ntitle = \"S\"\n{actions}")
}

#[test]
fn every_error_of_a_file_is_shown_at_once() {
    let all = step(
        "wy = 'x'\n[[step.code]]\nold = 'f(@{a}'\nnew = 'g()'\n[[step.code]]\nold = 'f(@{a})'\nnew = 'g(@{b})'\nslots.a = { text = 'a(?=b)' }\n[[step.setting]]\nkey = 3\nnew = 'x'\n",
    );
    faulty(
        &all,
        &[
            "`[[step]]` has no key `wy`",
            "did you mean `why`?",
            "this cannot be read as Java",
            "look-around is not part",
            "`key` must be text, not a whole number",
            "nothing binds the slot `b`",
            "5 errors",
        ],
    );
}

#[test]
fn places_and_ways_out() {
    faulty(
        &step("[[step.code]]\nold = 'f(@{a})'\nnew = 'g(@{b})'\n"),
        &["nothing binds the slot `b`", "^^^^", "`old` binds: a", "tide.toml:12"],
    );
    faulty(
        &step("[[step.code]]\nold = 'f()'\nnew = 'g()'\nnames.X = 'a b'\n"),
        &["`a b` is not a symbol", "tidewire.client.Station"],
    );
    faulty(
        &step(
            "[[step.code]]\nold = 'f()'\nnew = 'g()'\n[step.code.imports]\nadd = 'a.B'\nlang = 'java'\n",
        ),
        &["`lang` belongs to", "move it above"],
    );
    faulty(
        &step("files = ['a[']\n[[step.code]]\nold = 'f()'\nnew = 'g()'\n"),
        &["this is not a glob"],
    );
    faulty(
        &step("[[step.library]]\nold = 'org.tidewire:core'\nversion = '3'\n"),
        &["names no ecosystem", "maven:org.tidewire:core"],
    );
    faulty(
        &step("[[step.library]]\nold = 'maven:org.tidewire:core'\nversion = 'latest'\n"),
        &["`latest` is no version"],
    );
    faulty(
        &step("[[step.symbol]]\nwhat = 'method'\nold = 'close'\nnew = 'shut'\n"),
        &["`close` is not a member of a type", "a.b.Type.member"],
    );
    faulty(
        &step("[[step.symbol]]\nwhat = 'type'\npairs = [['a.B', 'a.C'], ['a.B', 'a.D']]\n"),
        &["becomes both `a.C` and `a.D`", "first said here"],
    );
    faulty(&step("[[step.note]]\nfind = 'f(@{x})'\n"), &["has no `say`"]);
    faulty(
        &step("[[step.code]]\nold = 'f(@{x})'\nnew = 'class A { }'\n"),
        &["cannot stand where `old` stands"],
    );
    faulty(&step(""), &["this step has no action"]);
    faulty("[[step]\n", &["this is not TOML"]);
    faulty(
        &step("[[step.code]]\nold = 'f()'\nnew = 'g(\"@{input.port}\")'\n"),
        &["there is no input `port`"],
    );
    faulty(
        &step("[[step.code]]\nlang = 'cobol'\nold = 'f()'\nnew = 'g()'\n"),
        &["there is no language `cobol`", "java"],
    );
    faulty(
        &step("[[step.code]]\nold = 'f()'\nnew = 'g()'\nonly_if = { library = 'tide > new' }\n"),
        &["`tide > new` is not a library with versions", "tidewire >= 2"],
    );
    faulty(
        &step("[[step.library]]\nold = 'hex:tide'\nversion = '3.1'\n"),
        &["a version of Hex has 3 numbers", "write `3.1.0`"],
    );
    faulty(
        &step("[[step.library]]\nold = 'npm:tide'\nurl = 'https://x'\n"),
        &["`url` is about repositories"],
    );
    faulty(
        &step("[[step.library]]\nold = 'maven:a:b'\nrework = { old = '<a/>', new = '@{x}' }\n"),
        &["`old` has no slot `x`"],
    );
    faulty(
        &step(
            "[[step.library]]\necosystem = 'cargo'\nwhat = 'toolchain'\nold = 'java'\nversion = '17'\n",
        ),
        &["does not declare a level of `java`", "rust, edition"],
    );
    faulty(
        &step("[[step.setting]]\nkey = 'a.b'\ncreate = true\nremove = true\n"),
        &["it is not clear which value to create"],
    );
    faulty(
        &step("[[step.signature]]\nlang = 'java'\ncallable = 'a.B.c'\nasync = true\n"),
        &["Java has no functions that are waited for", "`result`"],
    );
    faulty(
        &step(
            "[[step.signature]]\nlang = 'java'\ncallable = 'a.B.c(x: int, y: int)'\npack = { at = [1, 2], as = 'named' }\n",
        ),
        &["does not gather arguments as `named`", "`object`"],
    );
}

#[test]
fn inputs_are_filled_in_and_checked() {
    let s = Sandbox::java(
        "[inputs.port]\nsummary = 'p'\n[[step]]\nid = 's'\ntitle = 'S'\n[[step.code]]\nold = 'new Station(@{h})'\nnew = 'new Station(@{h}, @{input.port})'\n",
        "use(new Station(a));",
    );
    let path = s.recipe_path().display().to_string();
    s.run(&["propose", &path]).code(2).says("has no value").says("--input port=VALUE");
    s.run(&["propose", &path, "--input", "prt=1"]).code(2).says("no input `prt`");
    s.run(&["propose", &path, "--input", "port=7070"]).ok();
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(s.read("A.java").contains("new Station(a, 7070)"));
}

#[test]
fn tables_hold_many_names() {
    let s = Sandbox::java(
        "[[step]]\nid = 's'\ntitle = 'S'\n[[step.symbol]]\nwhat = 'type'\nbase = 'tidewire.client'\ntable = 'names.csv'\n",
        "Gauge g; Station s;",
    );
    std::fs::write(
        s.path("../names.csv"),
        "\u{feff}new,old,advice\n\"Meter\",Gauge,\n\n,Station,ask the harbour master\n",
    )
    .expect("writable");
    s.propose().ok().says("ask the harbour master");
    s.run(&["apply", "--accept", "all"]).ok();
    assert!(
        s.read("A.java").contains("import tidewire.client.Meter;")
            && s.read("A.java").contains("Meter g; Station s;")
    );
}

#[test]
fn examples_pass_fail_and_must_settle() {
    let s = Sandbox::new();
    let example = |body: &str| {
        s.recipe(&format!("[[step]]\nid = 's'\ntitle = 'S'\n[[step.code]]\nold = 'Station.f(@{{x*}})'\nnew = 'Station.f(@{{x*}}, 1)'\n[[example]]\n{body}"));
        s.run(&["recipe", "test", &s.recipe_path().display().to_string()])
    };
    example("before = 'Station.f(2);'\nafter = 'Station.f(2, 1);'\n")
        .ok()
        .says("1 passed, 0 failed");
    example("before = 'Station.f(2);'\nafter = 'Station.f(3);'\n")
        .code(2)
        .says("came out")
        .says("Station.f(2, 1);");
    example("unchanged = 'import other.Station; class A { Object o = Station.f(2); }'\n").ok();
    example("unchanged = 'Station.f(2);'\n").code(2).says("0 passed, 1 failed");
    s.recipe("[[step]]\nid = 's'\ntitle = 'S'\n[[step.code]]\nold = 'Station.g(@{x})'\nnew = 'Station.g(h(@{x}))'\n[[example]]\nbefore = 'Station.g(2);'\nafter = 'Station.g(h(2));'\n");
    s.run(&["recipe", "test", &s.recipe_path().display().to_string()]).ok();
    s.run(&["recipe", "test", "--json", &s.recipe_path().display().to_string()]).ok().json();
}

#[test]
fn tables_are_taken_as_people_export_them() {
    let s = Sandbox::new();
    s.write("A.java", "import a.b.C; import a.b.E; class A { C c; E e; }\n");
    s.recipe("[[step]]\nid = 's'\ntitle = 't'\n[[step.symbol]]\nwhat = 'type'\ntable = 't.csv'\n");
    let table = |text: &[u8]| {
        std::fs::write(s.recipe_path().with_file_name("t.csv"), text).expect("written");
        s.run(&["recipe", "check", &s.recipe_path().display().to_string()])
    };
    let head = "\u{feff}\"Old name\";\"New name\";\"Advice\";;\r\n\r\n\"a.b.C\";\"a.b.D\";;;\r\n;;;;\r\n\"a.b.E\";\"\";\"gone, use \"\"F\"\";\nsee docs\";;\r\n";
    table(head.as_bytes()).ok();
    let run = s.propose().ok();
    assert!(
        run.out.contains("+import a.b.D;") && run.out.contains("gone, use \"F\";"),
        "{}",
        run.out
    );
    table(format!("{head};x;\r\na.b.C;a.b.D\r\n").as_bytes())
        .ok()
        .says("line 7 of `t.csv` has no old name")
        .says("`a.b.C` is said twice (line 3 of `t.csv`) (line 8 of `t.csv`)");
    table(format!("{head}a.b.C;a.b.X\r\n").as_bytes())
        .code(2)
        .says("`a.b.C` becomes both `a.b.D` (line 3 of `t.csv`) and `a.b.X` (line 7 of `t.csv`)");
    table(b"old,new\na.b.C,a.b.\xfcX\n").ok();
    table(b"a.b.C,a.b.D,,,\n").ok();
    table(b"Tidewire 2,Tidewire 3\na.b.C,a.b.D\n")
        .ok()
        .says("line 1 of `t.csv` is taken for a header");
}
