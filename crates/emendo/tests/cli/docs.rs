//! The pages: recipes on them are checked and run, and every key of the language is described.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;

use serde_json::Value;

use crate::golden;
use testkit::Sandbox;

pub(crate) fn page(name: &str) -> String {
    let path = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("../../docs").join(name);
    std::fs::read_to_string(path).expect("there")
}

/// The blocks of a page that hold whole recipes.
pub(crate) fn recipes(page: &str) -> Vec<String> {
    let blocks = page.split("\n```toml recipe\n").skip(1);
    blocks.map(|b| b.split("\n```").next().unwrap_or(b).to_owned()).collect()
}

fn run_all(name: &str, least: usize) {
    let page = page(name);
    let all = recipes(&page);
    assert!(all.len() >= least, "{name}: {} recipes", all.len());
    let mut digests = BTreeMap::new();
    for text in all {
        digests.extend(examples(&text));
        let s = Sandbox::new();
        let title = text.lines().find(|l| l.starts_with("title")).unwrap_or("").to_owned();
        s.write("recipe.toml", text + "\n");
        let check = s.run(&["recipe", "check", "recipe.toml"]);
        assert!(
            check.code == 0 && check.out.contains("no fault found"),
            "{name}: {title}\n{}",
            check.out
        );
        let test = s.run(&["recipe", "test", "recipe.toml", "--coverage"]);
        let whole = test.out.contains("every action is exercised");
        assert!(test.code == 0 && whole, "{name}: {title}\n{}", test.out);
    }
    golden::compare(name.trim_end_matches(".md"), &digests, true);
}

/// The digests of the examples of a recipe, each proposed and applied in a project of its own.
fn examples(recipe: &str) -> BTreeMap<String, golden::Digests> {
    let table: toml::Table = recipe.parse().expect("TOML");
    let id = table["id"].as_str().unwrap_or_default();
    let mut out = BTreeMap::new();
    for (number, (path, before)) in before_of(recipe).into_iter().enumerate() {
        let s = Sandbox::new();
        std::fs::write(s.recipe_path(), recipe).expect("writable");
        if !before.is_empty() {
            s.write(&path, before);
        }
        let proposed = s.run(&["propose", "--json", &s.recipe_path().display().to_string()]);
        s.run(&["apply", "--accept", "all"]);
        out.insert(format!("{id}-{}", number + 1), golden::digests(&s, &proposed));
    }
    out
}

/// What the examples of a recipe show before it runs: path and text.
pub(crate) fn before_of(recipe: &str) -> Vec<(String, String)> {
    let table: toml::Table = recipe.parse().expect("TOML");
    let text = |v: &toml::Value, key: &str| v.get(key).and_then(|v| v.as_str()).map(str::to_owned);
    let lang = table.get("lang").and_then(|l| l.as_str()).unwrap_or_default();
    let endings = [("java", "java"), ("typescript", "ts"), ("python", "py"), ("rust", "rs")];
    let ending = endings.iter().find(|e| e.0 == lang).map_or("cs", |e| e.1);
    let all = table.get("example").and_then(|e| e.as_array()).cloned().unwrap_or_default();
    let one = |example: &toml::Value| {
        let path = text(example, "path").unwrap_or_else(|| format!("Example.{ending}"));
        let shown = text(example, "before").or_else(|| text(example, "unchanged"));
        (path, shown.unwrap_or_default())
    };
    all.iter().map(one).collect()
}

#[test]
fn recipes_of_the_reference_and_the_tutorial_run() {
    run_all("recipe-language.md", 1);
    run_all("tutorial.md", 1);
}

#[test]
fn the_keys_of_the_reference_are_right() {
    let page = page("recipe-language.md");
    let blocks: Vec<&str> = page.split("\n```toml keys\n").skip(1).collect();
    assert!(blocks.len() >= 3);
    for block in blocks {
        let s = Sandbox::new();
        s.write("recipe.toml", block.split("\n```").next().unwrap_or(block));
        s.run(&["recipe", "check", "recipe.toml"]).ok();
    }
}

#[test]
fn recipes_by_need_run() {
    run_all("by-need.md", 20);
}

fn keys(schema: &Value, out: &mut BTreeSet<String>) {
    match schema {
        Value::Object(map) => {
            if let Some(Value::Object(properties)) = map.get("properties") {
                out.extend(properties.keys().cloned());
            }
            map.values().for_each(|v| keys(v, out));
        }
        Value::Array(all) => all.iter().for_each(|v| keys(v, out)),
        _ => {}
    }
}

#[test]
fn every_key_is_described() {
    let s = Sandbox::new();
    let schema = s.run(&["recipe", "schema"]).ok().json();
    let mut all = BTreeSet::new();
    keys(&schema, &mut all);
    let page = page("recipe-language.md");
    let said = |key: &&String| {
        page.match_indices(key.as_str()).any(|(i, _)| {
            let edge = |c: Option<char>| !c.is_some_and(|c| c.is_alphanumeric() || c == '_');
            edge(page[..i].chars().next_back()) && edge(page[i + key.len()..].chars().next())
        })
    };
    let missing: Vec<&String> = all.iter().filter(|k| !said(k)).collect();
    assert!(missing.is_empty() && all.len() > 90, "{missing:?} of {}", all.len());
}

#[test]
fn a_draft_is_a_recipe() {
    let s = Sandbox::new();
    s.run(&["recipe", "new", "tide.toml", "--lang", "java", "--title", "Tide \"3\""]).ok();
    s.run(&["recipe", "check", "tide.toml"]).ok().says("no fault found");
    s.run(&["recipe", "test", "tide.toml"]).ok().says("2 passed, 0 failed");
    s.run(&["recipe", "new", "tide.toml"]).code(2).says("`tide.toml` is there already");
    s.run(&["recipe", "new", "tide"]).code(2).says("is not TOML file");
    s.run(&["recipe", "new", "x.toml", "--lang", "cobol"])
        .code(2)
        .says("there is no language `cobol`")
        .says("java");
    let rows = "Old;New;Notes\na.b.Quay;a.c.Quay;\na.b.Quay.moor();a.b.Quay.berth();\na.b;a.c;\na.b.Quay.length;a.b.Quay.metres;\na.b.moor;a.b.berth;\ntide.feed-url;tide.feed.url;\nnpm:tide;npm:tidal;\n\"f(x, y)\";\"g(x, y)\";\ndump;;\"see, the board\"\na.b.Old;;gone\n";
    s.write("guide.csv", rows);
    let json = s
        .run(&["recipe", "new", "g.toml", "--from-table", "guide.csv", "--lang", "java", "--json"])
        .ok()
        .json();
    let guesses: Vec<&str> =
        json["rows"].as_array().expect("rows").iter().filter_map(|r| r["guess"].as_str()).collect();
    let expected = [
        "a type",
        "a member of a type",
        "a package or module",
        "a property of a type",
        "a function",
        "a setting",
        "a library",
        "code",
        "to be looked at by hand",
        "a type",
    ];
    assert_eq!(guesses, expected);
    s.run(&["recipe", "check", "g.toml"]).ok();
    assert!(
        s.read("g.toml").contains("GUESS") && s.read("g.toml").contains("\"see, the board\"")
            || s.read("g.toml").contains("see, the board")
    );
    s.write("bad.csv", "a.b.C,a.b.D\na.b.C,a.b.E\n");
    s.run(&["recipe", "new", "h.toml"]).code(2).says("the language of the code is missing");
    s.run(&["recipe", "new", "h.toml", "--from-table", "bad.csv", "--lang", "java"])
        .code(2)
        .says("becomes both")
        .says("the table contradicts itself");
    assert!(!s.path("h.toml").exists());
}
