//! What must stand around and within a place.

use emendo_lang::Language;
use emendo_pattern::{Conditions, Groups, Passed, PassedConditions, Pattern, SlotConditions};
use emendo_recipe::{Action, Table};
use emendo_text::Marks;

use crate::contract::CompileCx;
use crate::shared::patterns::{SlotTables, sub_patterns};

/// What must stand around and within a place of an action.
pub(crate) fn conditions(
    language: &'static Language,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Conditions {
    conditions_of(language, &action.table, action, SlotTables::of(action), cx)
}

/// What a table of an action says of what must stand around and within a place.
pub(crate) fn conditions_of(
    language: &'static Language,
    table: &Table,
    action: &Action,
    slots: SlotTables<'_>,
    cx: &mut CompileCx<'_>,
) -> Conditions {
    let mut list = |table: &Table, key: &str, slots: SlotTables<'_>, marks: Marks| {
        sub_patterns(language, table, key, action, slots, marks, cx)
    };
    let mut out = Conditions {
        surrounded_by: list(table, "surrounded_by", slots, Marks::Here),
        not_surrounded_by: list(table, "not_surrounded_by", slots, Marks::Here),
        holding: list(table, "holding", slots, Marks::None),
        not_holding: list(table, "not_holding", slots, Marks::None),
        unused: table.text("value").is_some_and(|v| v.text == "unused"),
        slots: Vec::new(),
    };
    for (slot, t) in slots.entries() {
        let within = slots.about(slot);
        let mut is: Groups = list(t, "is", within, Marks::None);
        // Without slots of its own it is asked where the slot is bound.
        if !is.iter().flatten().any(|p| p.slots().next().is_some()) {
            is.clear();
        }
        let conditions = SlotConditions {
            slot: slot.to_owned(),
            is,
            holding: list(t, "holding", within, Marks::None),
            not_holding: list(t, "not_holding", within, Marks::None),
            defined_with: list(t, "defined_with", within, Marks::None),
            passed: PassedConditions {
                when: t.text("passed").and_then(|w| passed(&w.text)),
                fits: list(t, "passed_as", within, Marks::None),
                fits_not: list(t, "passed_not_as", within, Marks::None),
            },
        };
        out.slots.extend((!conditions.is_empty()).then_some(conditions));
    }
    out
}

/// How often calls give an argument, by the word for it.
fn passed(word: &str) -> Option<Passed> {
    match word {
        "always" => Some(Passed::Always),
        "sometimes" => Some(Passed::Sometimes),
        "never" => Some(Passed::Never),
        _ => None,
    }
}

/// The names that patterns of conditions bind besides the action's own.
pub(crate) fn bound_by(conditions: &Conditions) -> Vec<String> {
    conditions.positive().flat_map(Pattern::slots).map(str::to_owned).collect()
}
