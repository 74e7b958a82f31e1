//! `survey`, and what must be there before anything changes.

use testkit::Sandbox;

const STEP: &str =
    "[[step]]\nid = 'v'\ntitle = 'V'\n[[step.library]]\nold = 'npm:tidewire'\nversion = '3.0'\n";

fn project() -> Sandbox {
    let s = Sandbox::new();
    s.write("board/package.json", r#"{ "name": "board", "engines": { "node": ">=18" }, "dependencies": { "tidewire": "^2.4.1" } }"#);
    s.write("board/package-lock.json", "{}");
    s.write("board/src/a.ts", "export const a = 1;\n");
    s.write("pom.xml", "<project><artifactId>berths</artifactId><properties><tw>2.4</tw></properties><dependencies><dependency><groupId>org.tidewire</groupId><artifactId>core</artifactId><version>${tw}</version></dependency></dependencies></project>");
    s.write("bad/Cargo.toml", "[dependencies\n");
    s.write("Main.kt", "fun main() {}\n");
    s
}

#[test]
fn a_survey_says_what_is_here_and_where_it_is_held() {
    let s = project();
    let run = s.run(&["survey"]).ok();
    for part in [
        "TypeScript 1",
        "Kotlin 1*",
        "npm 1",
        "node >=18 (board/package.json)",
        "npm:tidewire",
        "^2.4.1",
        "maven:org.tidewire:core",
        "pom.xml:1 as `tw`",
        "board/package-lock.json: not edited; `npm install` refreshes it",
        "bad/Cargo.toml",
    ] {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    let json = s.run(&["survey", "--json"]).ok().json();
    assert_eq!(json["survey"]["libraries"].as_array().map(Vec::len), Some(2), "{json:#}");
}

#[test]
fn recipes_that_fit_are_told_from_those_that_do_not() {
    let s = project();
    let recipe = |id: &str, from: &str, coordinate: &str| {
        s.write(&format!("recipes/{id}.toml"), format!("emendo = 1\nid = '{id}'\ntitle = 'T'\nlibrary = {{ name = 'T', coordinates = ['{coordinate}'], from = '{from}' }}\n{STEP}"));
    };
    recipe("fits", ">=2, <3", "npm:tidewire");
    recipe("other", ">=5", "npm:tidewire");
    recipe("none", ">=1", "cargo:tidewire");
    let run = s.run(&["survey", "--recipes", "recipes", "--json"]).ok().json();
    let fits: Vec<_> = run["recipes"]
        .as_array()
        .expect("a list")
        .iter()
        .map(|r| (r["id"].as_str().unwrap_or(""), r["fits"].as_bool() == Some(true)))
        .collect();
    assert_eq!(fits[0], ("fits", true));
    assert!(fits[1..].iter().all(|f| !f.1) && fits.len() == 3, "{fits:?}");
    // Where nobody names any, those that are known and could be meant are told.
    s.write("emendo.toml", "recipes = ['recipes']\n");
    let known = s.run(&["survey"]).ok();
    assert!(
        known.out.contains("fits  ") && known.out.contains("other versions are here"),
        "{}",
        known.out
    );
    assert!(!known.out.contains("nothing of it is here"), "{}", known.out);
}

#[test]
fn what_a_recipe_requires_is_said_and_nothing_changes() {
    let s = project();
    let requires = |text: &str| {
        s.recipe(&format!("{text}\n{STEP}"));
        s.propose()
    };
    requires("[requires]\nproject = { node = '>=20' }")
        .code(3)
        .says("node >=20 must be declared")
        .says("board/package.json says >=18");
    requires("[requires]\nmachine = { rust = '>=99' }").code(3).says("must be installed here");
    requires("[[requires.libraries]]\nname = 'maven:org.tidewire:core'\nversion = '>=3'\nwhy = 'older ones crash'").code(3).says("older ones crash").says("pom.xml has `2.4`");
    requires("[requires]\nproject = { node = '>=16' }").ok();
    // What the recipe raises itself is not an obstacle.
    requires("[[requires.libraries]]\nname = 'npm:tidewire'\nversion = '>=3'").ok();
}

#[test]
fn a_recipe_that_has_nothing_to_do_here_says_why() {
    let s = Sandbox::new();
    s.write("a.py", "x = 1\n");
    let library = |from: &str| {
        format!(
            "library = {{ name = 'Tide', coordinates = ['npm:tide'], from = '{from}', to = '3' }}\n[[step]]\nid = 'a'\ntitle = 'A'\n[[step.symbol]]\nwhat = 'type'\nold = 'tide.A'\nnew = 'tide.B'\n"
        )
    };
    s.recipe(&library("<3"));
    s.propose()
        .ok()
        .says("nothing of Tide is here: no manifest names npm:tide")
        .says("about code that is not here: Java");
    s.write("package.json", "{ \"dependencies\": { \"tide\": \"^3.1.0\" } }\n");
    s.write("A.java", "class A { tide.A a; }\n");
    s.propose()
        .ok()
        .says("Tide is here in other versions")
        .says("starts from (<3): npm:tide ^3.1.0");
    s.write("package.json", "{ \"dependencies\": { \"tide\": \"^2.1.0\" } }\n");
    let fits = s.propose().ok();
    assert!(!fits.err.contains("Tide is here") && !fits.err.contains("not here"), "{}", fits.err);
}

#[test]
fn lock_files_are_named_with_what_refreshes_them() {
    let s = project();
    s.recipe(STEP);
    let says = "board/package-lock.json is not edited; `npm install` refreshes it";
    s.propose().ok().says(says);
    s.run(&["apply", "--accept", "all"]).ok().says(says);
    assert_eq!(s.read("board/package-lock.json"), "{}");
}

#[test]
fn where_code_comes_from_calls_for_caution() {
    let s = Sandbox::new();
    s.write("pom.xml", "<project><repositories><repository><url>https://old.example</url></repository></repositories></project>");
    s.write(".github/workflows/a.yml", "board:\n  java: 8\n");
    s.recipe("[[step]]\nid = 'r'\ntitle = 'R'\n[[step.library]]\necosystem = 'maven'\nwhat = 'repository'\nold = 'https://old.example'\nnew = 'https://new.example'\n[[step.setting]]\nkey = 'board.java'\nto = '17'\n");
    s.propose().ok().says("chooses where code comes from").says("runs code");
    s.run(&["accept", "--certainty", "all"]).ok().says("calls for caution");
    s.run(&["accept", "--step", "r"]).ok();
    s.run(&["apply"]).ok();
    assert!(s.read("pom.xml").contains("new.example"));
    assert!(s.read(".github/workflows/a.yml").contains("java: 17"));
}

#[test]
fn pages_are_counted_by_their_kind() {
    let s = Sandbox::new();
    for path in ["a.vue", "b.vue", "c.jsp", "d.blade.php", "e.html", "f.html.erb", "web.config"] {
        s.write(path, "<p>a</p>\n");
    }
    let run = s.run(&["survey"]).ok();
    run.says("Vue 2").says("JSP 1").says("Blade 1").says("HTML 1").says("ERB 1").lacks("*");
}
