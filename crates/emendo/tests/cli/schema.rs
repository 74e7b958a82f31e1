//! What commands print with `--json` is what the schema and the page say: the parts of JSON Schema that ours uses.

use std::collections::BTreeSet;
use std::sync::OnceLock;

use serde_json::Value;
use testkit::Sandbox;

use crate::pages::page;

fn schema() -> &'static Value {
    static SCHEMA: OnceLock<Value> = OnceLock::new();
    SCHEMA.get_or_init(|| serde_json::from_str(&page("docs/json.schema.json")).expect("JSON"))
}

/// Checks a value against the definition of a name.
///
/// # Errors
/// Where it differs, and how.
pub(crate) fn valid(name: &str, value: &Value) -> Result<(), String> {
    let rule = &schema()["$defs"][name];
    assert!(rule.is_object(), "no definition of {name}");
    check(rule, value, name)
}

fn check(rule: &Value, value: &Value, at: &str) -> Result<(), String> {
    if let Some(name) = rule["$ref"].as_str() {
        return check(&schema()["$defs"][name.trim_start_matches("#/$defs/")], value, at);
    }
    if let Some(ways) = rule["anyOf"].as_array() {
        let wrong: Vec<String> = ways.iter().filter_map(|w| check(w, value, at).err()).collect();
        return match wrong.len() < ways.len() {
            true => Ok(()),
            false => Err(wrong.join("; ")),
        };
    }
    if let Some(all) = rule["enum"].as_array().filter(|all| !all.contains(value)) {
        return Err(format!("{at}: {value} is none of {all:?}"));
    }
    let fits = match rule["type"].as_str() {
        Some("string") => value.is_string(),
        Some("integer") => value.is_i64() || value.is_u64(),
        Some("boolean") => value.is_boolean(),
        Some("null") => value.is_null(),
        Some("array") => value.is_array(),
        Some("object") => value.is_object(),
        _ => true,
    };
    if !fits {
        return Err(format!("{at}: {value} is no {}", rule["type"]));
    }
    for (i, item) in value.as_array().into_iter().flatten().enumerate() {
        check(&rule["items"], item, &format!("{at}[{i}]"))?;
    }
    let Some(map) = value.as_object() else { return Ok(()) };
    for key in rule["required"].as_array().into_iter().flatten().filter_map(Value::as_str) {
        if !map.contains_key(key) {
            return Err(format!("{at}: `{key}` is missing"));
        }
    }
    for (key, own) in map {
        match (&rule["properties"][key], &rule["additionalProperties"]) {
            (Value::Null, Value::Bool(false)) => return Err(format!("{at}: `{key}` is new")),
            (Value::Null, other) => check(other, own, &format!("{at}.{key}"))?,
            (known, _) => check(known, own, &format!("{at}.{key}"))?,
        }
    }
    Ok(())
}

/// The names of all properties below a rule.
fn properties(rule: &Value, out: &mut BTreeSet<String>) {
    for (key, inner) in rule.as_object().into_iter().flatten() {
        if key == "properties" {
            out.extend(inner.as_object().into_iter().flatten().map(|(k, _)| k.clone()));
        }
        properties(inner, out);
    }
    for inner in rule.as_array().into_iter().flatten() {
        properties(inner, out);
    }
}

#[test]
fn the_page_names_every_field() {
    let text = page("docs/json.md");
    let mut all = BTreeSet::new();
    properties(schema(), &mut all);
    assert!(all.len() > 100, "{}", all.len());
    let missing: Vec<&String> = all.iter().filter(|f| !text.contains(&format!("`{f}`"))).collect();
    assert!(missing.is_empty(), "docs/json.md does not name {missing:?}");
}

#[test]
fn every_command_prints_what_the_schema_says() {
    let s = crate::todo::sandbox();
    let recipe = s.recipe_path().display().to_string();
    let said = |s: &Sandbox, name: &str, args: &[&str]| {
        let all = [&["--json"], args].concat();
        let value = s.run(&all).json();
        valid(&format!("command_{name}"), &value).unwrap_or_else(|e| panic!("{args:?}: {e}"));
        value
    };
    said(&s, "error", &["show"]);
    said(&s, "error", &["shew"]);
    said(&s, "survey", &["survey"]);
    let proposal = said(&s, "propose", &["propose", &recipe]);
    let id = proposal["files"][0]["notes"][0]["id"].as_str().expect("an id").to_owned();
    for args in [&["show"][..], &["show", "--undecided"], &["show", "--notes"]] {
        said(&s, "show", args);
    }
    said(&s, "why", &["why", "a/A.java:10"]);
    said(&s, "decide", &["accept", "--all"]);
    said(&s, "decide", &["reject", "--certainty", "unsure"]);
    said(&s, "decide", &["choose", "leave", "--all"]);
    said(&s, "decide", &["done", &id]);
    said(&s, "decide", &["reopen", "--edit", &id]);
    said(&s, "leftovers", &["leftovers"]);
    said(&s, "apply", &["apply"]);
    said(&s, "report", &["report", "--as", "json"]);
    said(&s, "verify", &["verify", "--", "false"]);
    said(&s, "verify", &["verify", "--", "sh", "-c", "! grep -q export a/A.java"]);
    said(&s, "status", &["status"]);
    said(&s, "undo", &["undo"]);
    s.write("../.gitconfig", "[user]\nname = Harbour\nemail = board@harbour.example\n");
    s.git(&["init", "-q"]);
    s.git(&["add", "-A"]);
    s.git(&["commit", "-q", "-m", "The board"]);
    crate::commits::hook(&s, "commit-msg", "exit 1");
    let stopped = said(&s, "apply", &["apply", "--commits"]);
    assert!(
        stopped["stopped"]["because"].is_string() && stopped["applies"][0].is_null(),
        "{stopped}"
    );
    std::fs::remove_file(s.path(".git/hooks/commit-msg")).expect("is there");
    said(&s, "apply", &["apply", "--commits"]);
    said(&s, "status", &["status"]);
    said(&s, "undo", &["undo"]);
    said(&s, "find", &["find", "dump(@{_})", "--lang", "java"]);
    said(&s, "recipe_check", &["recipe", "check", &recipe]);
    said(&s, "recipe_test", &["recipe", "test", &recipe]);
    said(&s, "error", &["finish"]);
    said(&s, "finish", &["finish", "--with-open", "--report", "done.md"]);
    assert!(s.read("done.md").contains("- [ ] `a/A.java:9`: export from the board instead"));
    assert!(!s.path(".emendo").exists(), "the state is gone");
    s.write("recipe.toml", "emendo = 2\n");
    said(&s, "error", &["propose", "recipe.toml"]);
}
