//! Patterns of actions, with what their slots may hold.

use emendo_lang::{Language, Ty};
use emendo_pattern::{Constraint, Groups, Pattern};
use emendo_recipe::{Action, Table, Text, Value};
use emendo_text::{Diagnostic, Marks};
use regex::Regex;

use crate::contract::CompileCx;
use crate::shared::code::{current, names, unread_pattern};

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
            constrain(&mut pattern, SlotTables::of(action), action, cx);
            pattern.spell(cx.spellings);
            if let Some((at, written, meant)) = pattern.foreign_slot() {
                let message = format!("`{written}` is a name of {} here", language.title);
                let d = Diagnostic::warning(message, text.place(at));
                cx.out.push(d.help(format!("a slot is written `{meant}`")));
            }
            Some(pattern)
        }
        Err(e) => {
            let d = unread_pattern(&e, text, cx);
            cx.out.push(d);
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

/// The tables that say what slots may hold, the nearest first, and the slot that is being asked about.
#[derive(Clone, Copy)]
pub(crate) struct SlotTables<'t> {
    tables: [Option<&'t Table>; 2],
    /// Questions about a slot are not put to the slot of the same name within them.
    within: Option<&'t str>,
    depth: usize,
}

/// Questions within questions within questions ask no more.
const MAX_QUESTIONS: usize = 2;

impl<'t> SlotTables<'t> {
    /// Those of an action.
    pub(crate) fn of(action: &'t Action) -> Self {
        Self { tables: [action.table.table("slots"), None], within: None, depth: 0 }
    }

    /// With a table of its own, whose entries win.
    pub(crate) fn with(self, own: Option<&'t Table>) -> Self {
        match own {
            Some(own) => Self { tables: [Some(own), self.tables[0]], ..self },
            None => self,
        }
    }

    /// For patterns that ask about a slot.
    pub(crate) fn about(self, slot: &'t str) -> Self {
        Self { within: Some(slot), depth: self.depth + 1, ..self }
    }

    /// What is said of each slot, once.
    pub(crate) fn entries(self) -> impl Iterator<Item = (&'t str, &'t Table)> {
        let [own, outer] = self.tables;
        let said = |t: Option<&'t Table>| t.map_or(&[][..], |t| &t.entries);
        let again = move |key: &str| own.is_some_and(|t| t.get(key).is_some());
        let all = said(own).iter().chain(said(outer).iter().filter(move |e| !again(&e.key)));
        let asked = move |key: &str| self.within != Some(key) && self.depth <= MAX_QUESTIONS;
        all.filter_map(move |e| match &e.node.value {
            Value::Table(t) if asked(&e.key) => Some((e.key.as_str(), t)),
            _ => None,
        })
    }
}

/// Compiles a pattern with the names of its action, and what its slots may hold.
pub(crate) fn sub_pattern(
    language: &'static Language,
    text: &Text,
    action: &Action,
    slots: SlotTables<'_>,
    marks: Marks,
    cx: &mut CompileCx<'_>,
) -> Option<Pattern> {
    match Pattern::compile_with(language, &text.text, &names(action, cx), None, marks) {
        Ok(mut pattern) => {
            constrain(&mut pattern, slots, action, cx);
            pattern.spell(cx.spellings);
            Some(pattern)
        }
        Err(e) => {
            let d = unread_pattern(&e, text, cx);
            cx.out.push(d);
            None
        }
    }
}

/// Compiles the patterns of a key: any of them, all of an inner list.
pub(crate) fn sub_patterns(
    language: &'static Language,
    table: &Table,
    key: &str,
    action: &Action,
    slots: SlotTables<'_>,
    marks: Marks,
    cx: &mut CompileCx<'_>,
) -> Groups {
    let mut out = Groups::new();
    for group in table.groups(key) {
        let all: Vec<Option<Pattern>> =
            group.iter().map(|t| sub_pattern(language, t, action, slots, marks, cx)).collect();
        out.extend(all.into_iter().collect::<Option<Vec<Pattern>>>());
    }
    out
}

/// Sets what is said of the slots that a pattern has.
pub(crate) fn constrain(
    pattern: &mut Pattern,
    slots: SlotTables<'_>,
    action: &Action,
    cx: &mut CompileCx<'_>,
) {
    for (key, t) in slots.entries() {
        if !pattern.slots().any(|s| s == key) {
            continue;
        }
        let regex = |key: &str| t.text(key).and_then(|t| Regex::new(&t.text).ok());
        let list = |key: &str| t.texts(key).into_iter().map(|t| t.text.clone()).collect::<Vec<_>>();
        let language = pattern.language();
        let types = types_of(language, t, "type", action, cx);
        let not_types = types_of(language, t, "not_type", action, cx);
        let within = slots.about(key);
        let links = pattern.holds_links(key);
        let any = |word: &str, cx: &mut CompileCx<'_>| {
            let mut out = Vec::new();
            for text in t.groups(word).into_iter().flatten() {
                let text = if links { as_link(text) } else { text.clone() };
                out.extend(sub_pattern(language, &text, action, within, Marks::None, cx));
            }
            out
        };
        let constraint = Constraint {
            text: regex("text"),
            not_text: regex("not_text"),
            form: list("form"),
            not_form: list("not_form"),
            means: list("means")
                .into_iter()
                .map(|s| current(cx.renamed, language.names.plain(&s)))
                .collect(),
            types,
            not_types,
            is: any("is", cx),
            is_not: any("is_not", cx),
        };
        pattern.constrain(key, constraint);
    }
}

/// A pattern for a link of a chain: it begins with the dot, which need not be written.
fn as_link(text: &Text) -> Text {
    let bare = text.text.starts_with(|c: char| c.is_alphabetic() || c == '_' || c == '@');
    if bare { Text::derived(format!(".{}", text.text), text.span) } else { text.clone() }
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
