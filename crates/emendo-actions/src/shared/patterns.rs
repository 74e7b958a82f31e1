//! Patterns of actions, with what their slots may hold.

use emendo_lang::{Language, Ty};
use emendo_pattern::{Constraint, Pattern};
use emendo_recipe::{Action, Table, Text, Value};
use emendo_text::Marks;
use regex::Regex;

use crate::contract::CompileCx;
use crate::shared::code::{current, names, pattern_error};

/// Compiles a pattern with its slots and spellings.
pub(crate) fn pattern(
    language: &'static Language,
    text: &Text,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Pattern> {
    let context = action.table.text("as").map(|t| t.text.as_str());
    match Pattern::compile(language, &text.text, &names(action, cx), context) {
        Ok(mut pattern) => {
            if let Some(slots) = action.table.table("slots") {
                constrain(&mut pattern, slots, action, cx);
            }
            pattern.spell(cx.spellings);
            Some(pattern)
        }
        Err(e) => {
            cx.out.push(pattern_error(&e, text));
            None
        }
    }
}

/// Sets only what `slots` says about texts.
pub(crate) fn constrain_texts(pattern: &mut Pattern, action: &Action) {
    let Some(slots) = action.table.table("slots") else { return };
    for entry in &slots.entries {
        let Value::Table(t) = &entry.node.value else { continue };
        let regex = |key: &str| t.text(key).and_then(|t| Regex::new(&t.text).ok());
        let constraint = Constraint {
            text: regex("text"),
            not_text: regex("not_text"),
            ..Constraint::default()
        };
        pattern.constrain(&entry.key, constraint);
    }
}

/// Names of groups in `text` constraints: they are slots too.
pub(crate) fn groups(action: &Action) -> Vec<String> {
    let Some(slots) = action.table.table("slots") else { return Vec::new() };
    let tables = slots.entries.iter().filter_map(|e| match &e.node.value {
        Value::Table(t) => t.text("text"),
        _ => None,
    });
    let regexes = tables.filter_map(|t| Regex::new(&t.text).ok());
    regexes
        .flat_map(|r| r.capture_names().flatten().map(str::to_owned).collect::<Vec<_>>())
        .collect()
}

/// Compiles a pattern with the names of its action and constraints of its own.
pub(crate) fn sub_pattern(
    language: &'static Language,
    text: &Text,
    action: &Action,
    slots: Option<&Table>,
    marks: Marks,
    cx: &mut CompileCx<'_>,
) -> Option<Pattern> {
    match Pattern::compile_with(language, &text.text, &names(action, cx), None, marks) {
        Ok(mut pattern) => {
            if let Some(slots) = slots {
                constrain(&mut pattern, slots, action, cx);
            }
            pattern.spell(cx.spellings);
            Some(pattern)
        }
        Err(e) => {
            cx.out.push(pattern_error(&e, text));
            None
        }
    }
}

pub(crate) fn sub_patterns(
    language: &'static Language,
    table: &Table,
    key: &str,
    action: &Action,
    marks: Marks,
    cx: &mut CompileCx<'_>,
) -> Vec<Pattern> {
    let slots = action.table.table("slots");
    let texts: Vec<Text> = table.texts(key).into_iter().cloned().collect();
    texts
        .iter()
        .filter_map(|t| {
            let own = slots.filter(|_| !std::ptr::eq(table, slots.unwrap_or(table)));
            sub_pattern(language, t, action, own.filter(|_| key.contains("surrounded")), marks, cx)
        })
        .collect()
}

/// Sets what `slots` says of the slots that a pattern has.
pub(crate) fn constrain(
    pattern: &mut Pattern,
    slots: &Table,
    action: &Action,
    cx: &mut CompileCx<'_>,
) {
    for entry in &slots.entries {
        let Value::Table(t) = &entry.node.value else { continue };
        if !pattern.slots().any(|s| s == entry.key) {
            continue;
        }
        let regex = |key: &str| t.text(key).and_then(|t| Regex::new(&t.text).ok());
        let list = |key: &str| t.texts(key).into_iter().map(|t| t.text.clone()).collect::<Vec<_>>();
        let language = pattern.language();
        let types = types_of(language, t, "type", action, cx);
        let not_types = types_of(language, t, "not_type", action, cx);
        let constraint = Constraint {
            text: regex("text"),
            not_text: regex("not_text"),
            form: list("form"),
            not_form: list("not_form"),
            means: list("means").into_iter().map(|s| current(cx.renamed, s)).collect(),
            types,
            not_types,
            is: sub_patterns(language, t, "is", action, Marks::None, cx),
            is_not: sub_patterns(language, t, "is_not", action, Marks::None, cx),
        };
        pattern.constrain(&entry.key, constraint);
    }
}

/// The types that a key of a slot names.
pub(crate) fn types_of(
    language: &'static Language,
    slot: &Table,
    key: &str,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Vec<Ty> {
    let texts: Vec<Text> = slot.texts(key).into_iter().cloned().collect();
    texts.iter().filter_map(|t| crate::shared::code::type_of(language, t, action, cx)).collect()
}
