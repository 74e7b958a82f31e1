//! What must stand around and within a place.

use emendo_lang::Language;
use emendo_pattern::{Conditions, Pattern, SlotConditions};
use emendo_recipe::{Action, Table, Value};
use emendo_text::Marks;

use crate::contract::CompileCx;
use crate::shared::patterns::sub_patterns;

/// What must stand around and within a place of an action.
pub(crate) fn conditions(
    language: &'static Language,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Conditions {
    let table = &action.table;
    let mut list = |table: &Table, key: &str, marks: Marks| {
        sub_patterns(language, table, key, action, marks, cx)
    };
    let mut out = Conditions {
        surrounded_by: list(table, "surrounded_by", Marks::Here),
        not_surrounded_by: list(table, "not_surrounded_by", Marks::Here),
        holding: list(table, "holding", Marks::None),
        not_holding: list(table, "not_holding", Marks::None),
        unused: table.text("value").is_some_and(|v| v.text == "unused"),
        slots: Vec::new(),
    };
    for entry in table.table("slots").map_or(&[][..], |s| &s.entries) {
        let Value::Table(t) = &entry.node.value else { continue };
        let conditions = SlotConditions {
            slot: entry.key.clone(),
            holding: list(t, "holding", Marks::None),
            not_holding: list(t, "not_holding", Marks::None),
            defined_with: list(t, "defined_with", Marks::None),
        };
        let any = !conditions.holding.is_empty()
            || !conditions.not_holding.is_empty()
            || !conditions.defined_with.is_empty();
        out.slots.extend(any.then_some(conditions));
    }
    out
}

/// The names that patterns of conditions bind besides the action's own.
pub(crate) fn bound_by(conditions: &Conditions) -> Vec<String> {
    let slots = conditions.slots.iter().flat_map(|s| s.holding.iter().chain(&s.defined_with));
    let all = conditions.surrounded_by.iter().chain(&conditions.holding).chain(slots);
    all.flat_map(Pattern::slots).map(str::to_owned).collect()
}
