//! The recipe language as JSON Schema (draft 2020-12), made from the tables of keys, for editors.

use serde_json::{Map, Value, json};

use crate::keys::{ActionKind, COMMON, EXAMPLE, INCLUDE, Key, MEMBER, RECIPE, STEP, Shape};

/// The schema of a recipe with these kinds of actions.
pub fn schema(kinds: &[&'static dyn ActionKind]) -> Value {
    let mut step = object(STEP);
    for kind in kinds {
        let common = COMMON.iter().filter(|c| kind.keys().iter().all(|k| k.name != c.name));
        let keys: Vec<&Key> = kind.keys().iter().chain(common).collect();
        let one = object_of(&keys);
        let several = one_or_several(one);
        insert(&mut step, kind.name(), described(several, kind.about()));
    }
    if let Some(place) = step["properties"].get_mut("include") {
        *place = described(object(INCLUDE), "another recipe, whose steps run here");
    }
    let mut root = object(RECIPE);
    insert(
        &mut root,
        "step",
        described(json!({ "type": "array", "items": step }), "the steps in order"),
    );
    let examples = json!({ "type": "array", "items": object(EXAMPLE) });
    insert(
        &mut root,
        "example",
        described(examples, "code before and after, run by `recipe test`"),
    );
    root["$schema"] = json!("https://json-schema.org/draft/2020-12/schema");
    root["title"] = json!("Emendo recipe, version 1");
    root
}

fn insert(object: &mut Value, name: &str, value: Value) {
    if let Some(Value::Object(properties)) = object.get_mut("properties") {
        properties.insert(name.to_owned(), value);
    }
}

fn described(mut value: Value, about: &str) -> Value {
    value["description"] = json!(about);
    value
}

fn object(keys: &[Key]) -> Value {
    object_of(&keys.iter().collect::<Vec<_>>())
}

fn object_of(keys: &[&Key]) -> Value {
    let mut properties = Map::new();
    for key in keys.iter().filter(|k| !matches!(k.shape, Shape::Later)) {
        properties.insert(key.name.to_owned(), described(of(key), key.about));
    }
    let required: Vec<&str> = keys.iter().filter(|k| k.required).map(|k| k.name).collect();
    let mut out =
        json!({ "type": "object", "properties": properties, "additionalProperties": false });
    if !required.is_empty() {
        out["required"] = json!(required);
    }
    out
}

fn one_or_several(one: Value) -> Value {
    json!({ "anyOf": [one, { "type": "array", "items": one }] })
}

fn text_or_texts(text: Value) -> Value {
    json!({ "anyOf": [text, { "type": "array", "items": text }] })
}

fn of(key: &Key) -> Value {
    let text = || json!({ "type": "string" });
    let map = |value: Value| json!({ "type": "object", "additionalProperties": value });
    match key.shape {
        Shape::Text | Shape::Pattern | Shape::Version | Shape::Requirement => text(),
        Shape::Regex => json!({ "type": "string", "format": "regex" }),
        Shape::Globs | Shape::Symbols | Shape::Texts => text_or_texts(text()),
        Shape::Groups => {
            json!({ "anyOf": [text(), { "type": "array", "items": text_or_texts(text()) }] })
        }
        Shape::Words(words) => text_or_texts(json!({ "enum": words })),
        Shape::Bool => json!({ "type": "boolean" }),
        Shape::Integer => json!({ "type": "integer" }),
        Shape::Numbers => json!({ "type": "array", "items": { "type": "integer", "minimum": 1 } }),
        Shape::NumbersOrAll => json!({
            "anyOf": [{ "const": true }, { "type": "array", "items": { "type": "integer", "minimum": 1 } }]
        }),
        Shape::Names | Shape::Map => map(text()),
        Shape::Flags => map(json!({ "anyOf": [{ "type": "string" }, { "type": "boolean" }] })),
        Shape::Table(keys) => object(keys),
        Shape::Tables(keys) => one_or_several(object(keys)),
        Shape::Named(keys) => map(object(keys)),
        Shape::Members => map(json!({ "anyOf": [{ "type": "string" }, object(MEMBER)] })),
        Shape::Pairs => json!({
            "type": "array",
            "items": { "type": "array", "items": { "type": "string" }, "minItems": 2, "maxItems": 3 }
        }),
        Shape::Base => json!({
            "anyOf": [
                { "type": "string" },
                { "type": "object", "properties": { "old": { "type": "string" }, "new": { "type": "string" } },
                  "additionalProperties": false }
            ]
        }),
        Shape::Later => json!({}),
    }
}
