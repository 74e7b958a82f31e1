//! `code`: a pattern becomes another, or is deleted; with `choice`, the reviewer picks among several.

mod follow;
mod lent;
mod runner;

use std::sync::Arc;

use emendo_lang::{Lender, Ty};
use emendo_pattern::{Pattern, Replacement};
use emendo_recipe::{Action, ActionKind, Key, Shape, Table, Text, pairs};
use emendo_text::Diagnostic;

use crate::code::lent::Written;
use crate::code::runner::{Choice, CodeRule, CodeRunner, Outcome, fits_own_result, grows_on};
use crate::contract::{CompileCx, Kind, Needs, Runner, action_digest};
use crate::meaning::SymbolRunner;
use crate::shared::{
    Along, FOLLOW, GATHER, REWORK, WHERE, groups, language, pattern, pattern_error, type_of,
};
use crate::shared::{Finder, Head, SlotTables};
use crate::symbol::import_in;

/// The kind.
pub(super) static CODE: Code = Code;

pub(super) struct Code;

const IMPORTS: &[Key] = &[
    Key::new("add", Shape::Symbols, "symbols to import"),
    Key::new("drop", Shape::Symbols, "symbols whose import is removed if nothing uses it"),
];

const GIVES: Key = Key::new("gives", Shape::Text, "the type of what `new` writes");

const CHOICE: &[Key] = &[
    Key::required("label", Shape::Text, "the word for it in review"),
    Key::new("new", Shape::Pattern, "the code; without it the place stays"),
    Key::new("why", Shape::Text, "when it is the right one"),
    GIVES,
];

const KEYS: &[Key] = &[
    Key::new("old", Shape::Pattern, "the code that is looked for"),
    Key::new("new", Shape::Pattern, "the code that is written; empty deletes"),
    GIVES,
    Key::new("choice", Shape::Tables(CHOICE), "alternatives, one of which the reviewer picks"),
    Key::new("imports", Shape::Table(IMPORTS), "imports that no pattern shows"),
    Key::new(
        "as",
        Shape::Text,
        "the one way to read the pattern: expression, statement, member, type, ...",
    ),
    Key::new("pairs", Shape::Pairs, "many old and new patterns"),
    Key::new(
        "table",
        Shape::Text,
        "many old and new patterns, from a CSV file of the recipe's folder",
    ),
    WHERE[0],
    WHERE[1],
    WHERE[2],
    WHERE[3],
    WHERE[4],
    WHERE[5],
    Key::new("gather", Shape::Named(GATHER), "pieces of a slot, collected as a slot of their own"),
    Key::new("rework", Shape::Tables(REWORK), "rewrites inside a slot"),
    Key::new("follow", Shape::Tables(FOLLOW), "rewrites the uses of what the match declares"),
    Key::new(
        "once",
        Shape::Bool,
        "it would change its own result again: what it wrote, according to the journal, is left alone",
    ),
];

impl ActionKind for Code {
    fn name(&self) -> &'static str {
        "code"
    }
    fn about(&self) -> &'static str {
        "rewrites code that fits a pattern"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
    fn writes_slots(&self) -> bool {
        true
    }
}

impl Kind for Code {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let language = language(action, cx)?;
        let choices = action.table.tables("choice");
        let rows = pairs(action, &cx.recipe.source, &|_| ".", cx.out);
        says_what(action, rows.is_empty(), !choices.is_empty(), cx)?;
        let finder = Finder::compile(language, action, cx);
        let mut extra = groups(action);
        extra.extend(finder.binds());
        let olds: Vec<Option<Pattern>> =
            rows.iter().map(|row| pattern(language, &row.old, action, cx)).collect();
        let mut bound: Vec<String> =
            olds.iter().flatten().flat_map(Pattern::slots).map(str::to_owned).collect();
        bound.sort();
        bound.dedup();
        let mut known = extra.clone();
        known.extend(bound.iter().cloned());
        let along = Along::compile(language, action, &known, cx);
        extra.extend(along.binds());
        known.extend(along.binds());
        if olds.iter().all(Option::is_some) {
            crate::shared::check_slots(action, &known, cx);
        }
        let gives = |t: &Table, cx: &mut CompileCx<'_>| {
            t.text("gives").and_then(|text| type_of(language, text, action, cx))
        };
        let told = gives(&action.table, cx);
        let mut lenders = Vec::new();
        let mut rules = Vec::new();
        for (row, old) in rows.iter().zip(olds) {
            let Some(old) = old.map(Arc::new) else { continue };
            let made = match outcome(&old, row, action, &extra, cx) {
                Ok(outcome) => outcome,
                Err(Broken::Row) => continue,
                Err(Broken::Action) => return None,
            };
            warn_readings(&old, &made, row, action, cx);
            let grows = made.news().any(|new| fits_own_result((&old, &row.old), new, action, cx));
            let grows_on = grows
                && made.news().any(|new| grows_on(language, &row.old, new, &finder, action, cx));
            let mut news: Vec<(&Text, Option<Ty>)> =
                row.new.iter().map(|n| (n, told.clone())).collect();
            for (t, _) in &choices {
                let told = gives(t, cx);
                news.extend(t.text("new").map(|n| (n, told)));
            }
            for (new, told) in news {
                lenders.extend(lender(&old, new, told, action, cx));
            }
            let digest = action_digest("code", &row.old.text);
            let import = row.new.as_ref().and_then(|new| {
                let plain = !WHERE.iter().any(|k| action.table.get(k.name).is_some());
                if !plain || !old.reads_as_one_of(language.imports.kinds) {
                    return None;
                }
                // An import is read as one: as what a whole file may hold.
                let read = |text: &Text| import_in(language, &text.text);
                let (old, new) = (read(&row.old)?, read(new)?);
                let same = old.1 == new.1 && old.0 != new.0;
                same.then(|| SymbolRunner::of_imports(language, digest, old, new.0))
            });
            rules.push(CodeRule {
                import,
                grows,
                untold: grows && made.news().all(|new| old.is_reordered(new)),
                grows_on,
                digest,
                written: row.old.text.clone(),
                old,
                outcome: made,
            });
        }
        let list = |key: &str| {
            let texts = action.table.table("imports").map(|t| t.texts(key)).unwrap_or_default();
            texts.into_iter().map(|t| t.text.clone()).collect::<Vec<_>>()
        };
        let needs = Needs::of(rules.iter().flat_map(|r| r.old.needs()));
        let mut symbols: Vec<String> =
            action.scope.names.values().map(|n| n.symbol.clone()).collect();
        symbols.extend(rules.iter().flat_map(|r| r.old.type_symbols().cloned()));
        Some(Box::new(CodeRunner {
            head: Head::new("code", language, action, needs),
            rules,
            finder,
            along,
            once: action.table.is_true("once"),
            add: list("add"),
            drop: list("drop"),
            symbols,
            lenders,
        }))
    }
}

/// What lends the type of what a row writes.
fn lender(
    old: &Arc<Pattern>,
    new: &Text,
    told: Option<Ty>,
    action: &Action,
    cx: &CompileCx<'_>,
) -> Option<Arc<dyn Lender>> {
    if !Written::is_expression(old) {
        return None;
    }
    let names = crate::shared::names(action, cx);
    let mut written = Pattern::compile(old.language(), &new.text, &names, None).ok()?;
    written.spell(cx.spellings);
    written.constrain_types_like(old);
    Written::lender(old.clone(), written, told)
}

/// Says what an action lacks before anything of it is read.
fn says_what(action: &Action, no_rows: bool, choices: bool, cx: &mut CompileCx<'_>) -> Option<()> {
    if no_rows {
        return cx.refuse(
            "this action does not say what to look for",
            action.span,
            "write `old`, `pairs` or `table`",
        );
    }
    let new = action.table.get("new").is_some();
    if !new && !choices && action.table.get("old").is_some() {
        return cx.refuse("this action does not say what to write", action.span, "write `new`, or `new = ''` to delete, or `[[step.code.choice]]`; to report only, use a `note`");
    }
    if new && choices {
        return cx.refuse(
            "`new` and `choice` exclude each other",
            action.span,
            "move `new` into a `choice` of its own",
        );
    }
    Some(())
}

/// How far a fault reaches.
enum Broken {
    /// The row.
    Row,
    /// The whole action.
    Action,
}

/// What becomes of the places of a row.
fn outcome(
    old: &Pattern,
    row: &emendo_recipe::Pair,
    action: &Action,
    extra: &[String],
    cx: &mut CompileCx<'_>,
) -> Result<Outcome, Broken> {
    let choices = action.table.tables("choice");
    if !choices.is_empty() {
        let ways = choices.iter().filter_map(|(t, _)| option(old, t, action, extra, cx));
        return Ok(Outcome::Choice(ways.collect()));
    }
    if let Some(new) = &row.new {
        let written = replacement(old, new, action, extra, cx).ok_or(Broken::Row)?;
        return Ok(Outcome::Write(Box::new(written)));
    }
    if let Some(advice) = &row.advice {
        return Ok(Outcome::Note(advice.clone()));
    }
    let nothing = Text::derived(String::new(), row.old.span);
    let written = replacement(old, &nothing, action, extra, cx).ok_or(Broken::Action)?;
    Ok(Outcome::Write(Box::new(written)))
}

/// Several readings are not error; where they could write different text, the author should know.
fn warn_readings(
    old: &Pattern,
    outcome: &Outcome,
    row: &emendo_recipe::Pair,
    action: &Action,
    cx: &mut CompileCx<'_>,
) {
    let mut readings = old.readings();
    readings.dedup();
    let writes = matches!(outcome, Outcome::Write(_) | Outcome::Choice(_));
    // A statement and a member of the same text are told apart by where they stand.
    let unlike =
        readings.iter().any(|r| !matches!(*r, "statement" | "member" | "expression" | "type"));
    if writes && readings.len() > 1 && unlike && action.table.get("as").is_none() {
        let d = Diagnostic::warning(
            format!("this pattern reads in several ways: {}", readings.join(", ")),
            row.old.span,
        );
        cx.out.push(d.help(format!("`as = \"{}\"` keeps one of them", readings[0])));
    }
}

fn replacement(
    old: &Pattern,
    new: &Text,
    action: &Action,
    extra: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Replacement> {
    match Replacement::compile(old, &new.text, &crate::shared::names(action, cx), extra) {
        Ok(mut r) => {
            r.spell(cx.spellings);
            if let Some(new) = r.pattern_mut() {
                crate::shared::constrain(new, SlotTables::of(action), action, cx);
            }
            Some(r)
        }
        Err(e) => {
            cx.out.push(pattern_error(&e, new));
            None
        }
    }
}

fn option(
    old: &Pattern,
    t: &Table,
    action: &Action,
    extra: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Choice> {
    let text = |key: &str| t.text(key).map(|t| t.text.clone());
    let replacement = match t.text("new") {
        Some(new) => Some(replacement(old, new, action, extra, cx)?),
        None => None,
    };
    Some(Choice { label: text("label")?, why: text("why"), replacement })
}
