//! `markup`: elements, attributes, values, texts and name spaces of XML, HTML and templates.
//!
//! This file reads the action; `place.rs` says which elements are meant and how sure that is, `runner.rs` goes through a page,
//! `write.rs` writes what becomes of an element, `turn.rs` makes attributes of children and back, `read_as.rs` reads values as a language,
//! `spaces.rs` renames name spaces.

mod in_code;
mod place;
mod read_as;
mod runner;
mod spaces;
mod turn;
mod write;

use emendo_recipe::{Action, ActionKind, Key, Shape, Table, Text, Value, pairs};
use emendo_text::Diagnostic;

use self::in_code::InCodeRunner;
use self::place::{Condition, Meant};
use self::runner::{Does, MarkupRunner, Row, What};
use self::spaces::{Location, SpaceRunner};
use crate::contract::{CompileCx, Kind, Runner, action_digest};
use crate::shared::{Filled, ValuePattern, fill};

/// The kind.
pub(super) static MARKUP: MarkupKind = MarkupKind;

pub(super) struct MarkupKind;

/// What `old` and `new` may name.
const WHAT: &[&str] = &["element", "attribute", "value", "text", "namespace"];

const SCHEMA: &[Key] = &[
    Key::required("old", Shape::Text, "the whole location of a schema; slots may stand in it"),
    Key::required("new", Shape::Text, "the new location"),
];

const KEYS: &[Key] = &[
    Key::required("what", Shape::Words(WHAT), "what `old` and `new` name"),
    Key::new("old", Shape::Text, "the name, or the value or text with slots; without it, any"),
    Key::new(
        "new",
        Shape::Text,
        "the new name, value or text; slots of `old` and `when` may be used",
    ),
    Key::new("element", Shape::Texts, "only in elements of this name, or of one of these"),
    Key::new(
        "namespace",
        Shape::Text,
        "only elements of this name space, whatever its prefix: by `xmlns`, or by a directive for a tag library",
    ),
    Key::new("attribute", Shape::Texts, "only this attribute, or one of these"),
    Key::new(
        "when",
        Shape::Flags,
        "only elements whose attributes are so: `{ type = \"tide\", off = false }`; slots may stand in a value, `true` means present, `false` absent",
    ),
    Key::new("inside", Shape::Texts, "only within an element of this name, or of one of these"),
    Key::new("root", Shape::Bool, "only the outermost element"),
    Key::new("new_value", Shape::Text, "the attribute's new value, beside its new name"),
    Key::new("set", Shape::Map, "attributes that are added, or get another value"),
    Key::new("add", Shape::Text, "a child that is added, if it is not there"),
    Key::new("at", Shape::Words(&["first", "last"]), "where `add` adds it; last if it is not said"),
    Key::new("remove", Shape::Bool, "takes the element with its content, or the attribute, away"),
    Key::new("unwrap", Shape::Bool, "takes the tags of the element away, and leaves its content"),
    Key::new("wrap", Shape::Text, "puts the element into another: `<Pier>@{it}</Pier>`"),
    Key::new("schema", Shape::Tables(SCHEMA), "what becomes of schema locations, for name spaces"),
    Key::new("gone", Shape::Text, "advice: a note at each place"),
    Key::new("pairs", Shape::Pairs, "many old and new names or values"),
    Key::new("table", Shape::Text, "the same from a CSV file of the recipe's folder"),
    Key::new("base", Shape::Base, "stands before each name of `pairs` and `table`"),
    Key::new(
        "read_as",
        Shape::Text,
        "reads the values or texts as this language, or as `json`: `old` and `new` are patterns of it",
    ),
    Key::new(
        "to_attribute",
        Shape::Map,
        "children that become attributes: `{ depth = \"depth\" }`, the child's name first",
    ),
    Key::new(
        "to_child",
        Shape::Map,
        "attributes that become children: `{ depth = \"Depth\" }`, the attribute's name first",
    ),
];

impl ActionKind for MarkupKind {
    fn name(&self) -> &'static str {
        "markup"
    }
    fn about(&self) -> &'static str {
        "renames, changes, adds and removes elements, attributes, values and name spaces of XML, HTML and templates"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

impl Kind for MarkupKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let Some(what) = what(action) else { return spaces(action, cx) };
        if let Some(word) = table.text("read_as") {
            let meant = meant(action, cx)?;
            return read_as::compile(action, word, what, meant, cx);
        }
        runner(action, cx).map(|r| Box::new(r) as Box<dyn Runner>)
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        let mut out: Vec<Box<dyn Runner>> = Vec::new();
        for language in cx.tables.languages.clone() {
            // What is wrong with it is said already.
            let mut ignored = Vec::new();
            let mut quiet = CompileCx { out: &mut ignored, ..*cx };
            let reads = !language.tags.element.is_empty() && action.table.get("read_as").is_none();
            if let Some(inner) = reads.then(|| runner(action, &mut quiet)).flatten() {
                out.push(Box::new(InCodeRunner { language, inner }));
            }
        }
        out
    }
}

/// What the action is about; nothing for name spaces.
fn what(action: &Action) -> Option<What> {
    Some(match action.table.text("what")?.text.as_str() {
        "element" => What::Element,
        "attribute" => What::Attribute,
        "value" => What::Value,
        "text" => What::Text,
        _ => return None,
    })
}

/// What goes through pages for an action that is not about name spaces.
fn runner(action: &Action, cx: &mut CompileCx<'_>) -> Option<MarkupRunner> {
    let table = &action.table;
    let what = what(action)?;
    if let Some(e) = table.entry("schema") {
        return cx.refuse(
            "`schema` belongs to name spaces",
            e.key_span,
            "write `what = \"namespace\"`, or leave it out",
        );
    }
    let meant = meant(action, cx)?;
    let does = does(action, what, cx)?;
    let rows = rows(action, what, (&meant, &does), cx)?;
    Some(MarkupRunner::new(cx.tables.clone(), action, what, meant, does, rows))
}

/// A text with slots that a value is compared with.
fn value(text: &Text, cx: &mut CompileCx<'_>) -> Option<ValuePattern> {
    match ValuePattern::compile(&text.text) {
        Ok(pattern) => Some(pattern),
        Err(wrong) => cx.refuse(wrong.message, text.place(wrong.at), wrong.help),
    }
}

/// Which elements the action is about.
fn meant(action: &Action, cx: &mut CompileCx<'_>) -> Option<Meant> {
    let table = &action.table;
    let texts = |key: &str| table.texts(key).iter().map(|t| t.text.clone()).collect::<Vec<_>>();
    let mut when = Vec::new();
    for e in table.table("when").into_iter().flat_map(|t| &t.entries) {
        let condition = match &e.node.value {
            Value::Bool(true) => Condition::Present,
            Value::Bool(false) => Condition::Absent,
            Value::Text(t) => Condition::Is(value(t, cx)?),
            _ => continue,
        };
        when.push((e.key.clone(), condition));
    }
    let space = table.text("namespace").map(|t| t.text.clone());
    Some(Meant {
        elements: texts("element"),
        spaces: space.map(|s| known_as(&s, cx)).unwrap_or_default(),
        attributes: texts("attribute"),
        when,
        inside: texts("inside"),
        root: table.is_true("root"),
        sets: table.get("set").is_some(),
        scoped: action.scope.files.is_some(),
    })
}

/// A name space under all names that the recipe gives it.
fn known_as(space: &str, cx: &CompileCx<'_>) -> Vec<String> {
    let mut out = vec![space.to_owned()];
    let actions = cx.recipe.steps.iter().flat_map(|s| &s.actions);
    // No other kind of action has such names.
    let renames = actions.filter(|a| a.table.text("what").is_some_and(|w| w.text == "namespace"));
    for a in renames {
        for p in pairs(a, &cx.recipe.source, &|_| "", &mut Vec::new()) {
            let Some(new) = p.new else { continue };
            let (old, new) = (p.old.text, new.text);
            match (out.contains(&old), out.contains(&new)) {
                (true, false) => out.push(new),
                (false, true) => out.push(old),
                _ => {}
            }
        }
    }
    out
}

/// What becomes of each place, besides what its row says.
fn does(action: &Action, what: What, cx: &mut CompileCx<'_>) -> Option<Does> {
    let table = &action.table;
    let text = |key: &str| table.text(key).cloned();
    let set: Vec<(String, Text)> = map(table, "set");
    let element = ["set", "add", "unwrap", "wrap", "at", "to_attribute", "to_child"];
    if what != What::Element
        && let Some(e) = element.iter().find_map(|k| table.entry(k))
    {
        return cx.refuse(
            format!("`{}` is about elements", e.key),
            e.key_span,
            "write `what = \"element\"`, or leave it out",
        );
    }
    if what != What::Attribute
        && let Some(e) = table.entry("new_value")
    {
        return cx.refuse(
            "`new_value` stands beside the new name of an attribute",
            e.key_span,
            "write `what = \"attribute\"`; for a value alone `what = \"value\"` with `new`",
        );
    }
    if let Some(wrap) = text("wrap") {
        let parts = wrap.text.split("@{it}").count();
        if parts != 2 || !wrap.text.trim_start().starts_with('<') {
            return cx.refuse(
                "`wrap` is an element with `@{it}` in it",
                wrap.span,
                "for example `<Pier>@{it}</Pier>`",
            );
        }
    }
    Some(Does {
        new_value: text("new_value").map(|t| t.text),
        set: set.into_iter().map(|(name, t)| (name, t.text)).collect(),
        add: text("add").map(|t| t.text),
        first: text("at").is_some_and(|t| t.text == "first"),
        remove: table.is_true("remove"),
        unwrap: table.is_true("unwrap"),
        wrap: text("wrap").map(|t| t.text),
        to_attribute: names(table, "to_attribute"),
        to_child: names(table, "to_child"),
    })
}

fn names(table: &Table, key: &str) -> Vec<(String, String)> {
    map(table, key).into_iter().map(|(from, to)| (from, to.text)).collect()
}

fn map(table: &Table, key: &str) -> Vec<(String, Text)> {
    let all = table.table(key).into_iter().flat_map(|t| &t.entries);
    all.filter_map(|e| match &e.node.value {
        Value::Text(t) => Some((e.key.clone(), t.clone())),
        _ => None,
    })
    .collect()
}

/// The rows: what is looked for, and what it becomes.
fn rows(
    action: &Action,
    what: What,
    (meant, does): (&Meant, &Does),
    cx: &mut CompileCx<'_>,
) -> Option<Vec<Row>> {
    let table = &action.table;
    let gone = table.text("gone").map(|t| t.text.clone());
    let from = cx.out.len();
    let mut all: Vec<(Option<Text>, Option<Text>, Option<String>)> =
        pairs(action, &cx.recipe.source, &|_| "", cx.out)
            .into_iter()
            .map(|p| (Some(p.old), p.new, p.advice))
            .collect();
    if cx.out[from..].iter().any(|d| d.severity == emendo_text::Severity::Error) {
        return None;
    }
    if all.is_empty() {
        all.push((None, table.text("new").cloned(), None));
    }
    let mut rows = Vec::new();
    for (old, new, advice) in all {
        let advice = advice.or_else(|| gone.clone());
        if new.is_none() && advice.is_none() && does.is_idle() {
            return cx.refuse(
                "nothing happens to what is found",
                old.map_or(action.span, |t| t.span),
                "write `new`, `set`, `add`, `remove = true`, `unwrap = true`, `wrap`, `to_attribute`, `to_child` or `gone`",
            );
        }
        let named = matches!(what, What::Element | What::Attribute);
        let nothing = old.is_none()
            && meant.elements.is_empty()
            && meant.spaces.is_empty()
            && meant.attributes.is_empty()
            && meant.when.is_empty();
        if nothing {
            return cx.refuse(
                "this action names nothing to look for",
                action.span,
                "write `old`, `element`, `attribute`, `namespace` or `when`",
            );
        }
        if what == What::Attribute && old.is_none() && meant.attributes.is_empty() {
            return cx.refuse("it is not clear which attribute", action.span, "write `old`");
        }
        let pattern = match (&old, named) {
            (Some(old), false) => Some(value(old, cx)?),
            _ => None,
        };
        let mut slots: Vec<String> = pattern.iter().flat_map(ValuePattern::slots).collect();
        slots.extend(meant.slots());
        let more = [does.new_value.as_ref(), does.add.as_ref()].into_iter().flatten();
        let texts = new.iter().map(|t| &t.text).chain(more).chain(does.set.iter().map(|s| &s.1));
        for text in texts {
            let known = |n: &str| slots.iter().any(|s| s == n).then(|| Filled::Text(String::new()));
            if let Err(missing) = fill(text, known) {
                return cx.refuse(
                    format!("nothing binds the slot `{missing}`"),
                    new.as_ref().map_or(action.span, |t| t.span),
                    "`old` of values and texts and `when` bind slots",
                );
            }
        }
        let key = format!(
            "{} {} {}",
            table.text("what").map_or("", |t| t.text.as_str()),
            old.as_ref().map_or("", |t| t.text.as_str()),
            meant.said()
        );
        rows.push(Row {
            digest: action_digest("markup", &key),
            old: old.map(|t| t.text),
            pattern,
            new: new.map(|t| t.text),
            advice,
        });
    }
    Some(rows)
}

/// Name spaces that are renamed.
fn spaces(action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
    let table = &action.table;
    let own =
        ["what", "old", "new", "schema", "gone", "pairs", "table", "base", "files", "not_files"];
    let common = ["only_if", "unless", "at_least", "instead", "except", "id", "why"];
    let other = table.entries.iter().find(|e| {
        !own.contains(&e.key.as_str())
            && !common.contains(&e.key.as_str())
            && KEYS.iter().any(|k| k.name == e.key)
    });
    if let Some(e) = other {
        return cx.refuse(
            format!("`{}` does not go with name spaces", e.key),
            e.key_span,
            "a name space is renamed wherever it is named: `old`, `new`, `schema`",
        );
    }
    let mut locations = Vec::new();
    for (row, _) in table.tables("schema") {
        let (Some(old), Some(new)) = (row.text("old"), row.text("new")) else { continue };
        let pattern = value(old, cx)?;
        let slots = pattern.slots();
        let known = |n: &str| slots.iter().any(|s| s == n).then(|| Filled::Text(String::new()));
        if let Err(missing) = fill(&new.text, known) {
            return cx.refuse(
                format!("nothing binds the slot `{missing}`"),
                new.span,
                "`old` beside it binds slots",
            );
        }
        locations.push(Location { old: pattern, new: new.text.clone() });
    }
    let gone = table.text("gone").map(|t| t.text.clone());
    let mut rows = Vec::new();
    for p in pairs(action, &cx.recipe.source, &|_| "", cx.out) {
        let advice = p.advice.or_else(|| gone.clone());
        if p.new.is_none() && advice.is_none() {
            let d = Diagnostic::error(format!("nothing happens to `{}`", p.old.text), p.old.span);
            cx.out.push(d.help("write `new` or `gone`"));
            continue;
        }
        rows.push(Row {
            digest: action_digest("markup namespace", &p.old.text),
            old: Some(p.old.text),
            pattern: None,
            new: p.new.map(|t| t.text),
            advice,
        });
    }
    if rows.is_empty() {
        return match table.get("table") {
            Some(_) => None,
            None => cx.refuse("this action names no name space", action.span, "write `old`"),
        };
    }
    Some(Box::new(SpaceRunner::new(cx.tables.clone(), action, rows, locations)))
}
