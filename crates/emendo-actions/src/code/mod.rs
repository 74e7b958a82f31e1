//! `code`: a pattern becomes another, or is deleted; with `choice`, the reviewer picks among several.

mod follow;
mod lent;
mod runner;

use std::collections::BTreeSet;
use std::sync::Arc;

use emendo_lang::{Language, Lender, Ty};
use emendo_pattern::{Pattern, Replacement};
use emendo_recipe::{Action, ActionKind, Key, Shape, Table, Text, pairs};
use emendo_text::{Diagnostic, Span};

use crate::code::lent::Written;
use crate::code::runner::{Choice, CodeRule, CodeRunner, Outcome, fits_own_result, grows_on};
use crate::contract::{CompileCx, Kind, Needs, Runner, action_digest};
use crate::meaning::SymbolRunner;
use crate::shared::{Along, FOLLOW, GATHER, REWORK, WHERE, groups, language, pattern, type_of};
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
        let unread: Vec<String> = rows
            .iter()
            .zip(&olds)
            .filter(|(_, old)| old.is_none())
            .flat_map(|(row, _)| emendo_text::slot_names(&row.old.text))
            .collect();
        // A pattern that cannot be read still has its slots.
        known.extend(unread);
        let along = Along::compile(language, action, &known, cx);
        extra.extend(along.binds());
        known.extend(along.binds());
        crate::shared::check_slots(action, &known, cx);
        for row in rows.iter().zip(&olds).filter(|(_, old)| old.is_none()).map(|(row, _)| row) {
            check_unmatched(language, row, action, &known, cx);
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
            warn_undeclared(&old, &made, row, action, cx);
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
                same.then(|| SymbolRunner::of_imports((language, cx.tables), digest, old, new.0))
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
            texts.into_iter().map(|t| language.names.plain(&t.text)).collect::<Vec<_>>()
        };
        let needs = Needs::of(rules.iter().flat_map(|r| r.old.needs()));
        let mut symbols: Vec<String> =
            action.scope.names.values().map(|n| language.names.plain(&n.symbol)).collect();
        symbols.extend(rules.iter().flat_map(|r| r.old.type_symbols().cloned()));
        Some(Box::new(CodeRunner {
            head: Head::new("code", language, action, (needs, cx.tables)),
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

/// Says what is wrong with what is written for a pattern that cannot be read: its slots are known all the same.
fn check_unmatched(
    language: &'static Language,
    row: &emendo_recipe::Pair,
    action: &Action,
    known: &[String],
    cx: &mut CompileCx<'_>,
) {
    let choices = action.table.tables("choice");
    let news = row.new.iter().chain(choices.iter().filter_map(|(t, _)| t.text("new")));
    let read = |t: &Text, cx: &CompileCx<'_>| {
        Pattern::compile(language, &t.text, &crate::shared::names(action, cx), None).err()
    };
    let old_fault = read(&row.old, cx);
    for new in news.filter(|n| !n.text.trim().is_empty()) {
        if let Some(e) = read(new, cx) {
            // The same slip in both is said once.
            if old_fault.as_ref().is_none_or(|old| old.help != e.help || e.unread) {
                let d = crate::shared::unread_pattern(&e, new, cx);
                cx.out.push(d);
            }
            continue;
        }
        let Ok(template) = emendo_text::Template::parse(&new.text) else { continue };
        // A slot in the spelling of something else was said of `old`.
        let misspelled = |name: &str| {
            old_fault.as_ref().is_some_and(|e| e.help.contains(&format!("@{{{name}}}")))
        };
        let unknown = |name: &str| !known.iter().any(|k| k == name) && !misspelled(name);
        let unbound = template.slots().find(|(name, ..)| unknown(name));
        if let Some((name, at, _)) = unbound {
            let message = format!("nothing binds the slot `{name}`");
            let help = if known.is_empty() {
                "`old` has no slots".to_owned()
            } else {
                format!("`old` binds: {}", known.join(", "))
            };
            cx.out.push(Diagnostic::error(message, new.place(at)).help(help));
        }
    }
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

/// Several readings are no error; where they would write different text, the author should know.
fn warn_readings(
    old: &Pattern,
    outcome: &Outcome,
    row: &emendo_recipe::Pair,
    action: &Action,
    cx: &mut CompileCx<'_>,
) {
    let mut readings = old.readings();
    let mut seen = BTreeSet::new();
    readings.retain(|r| seen.insert(*r));
    let open = readings.len() > 1 && action.table.get("as").is_none();
    if open && outcome.replacements().any(|new| old.reads_apart(new)) {
        let ways = readings.join(", ");
        let message =
            format!("this pattern reads in several ways that write different text: {ways}");
        let d = Diagnostic::warning(message, row.old.span);
        cx.out.push(d.help(format!("`as = \"{}\"` keeps one of them", readings[0])));
    }
}

/// Words of `new` that nothing declares: they are written, and nobody imports them.
fn warn_undeclared(
    old: &Pattern,
    outcome: &Outcome,
    row: &emendo_recipe::Pair,
    action: &Action,
    cx: &mut CompileCx<'_>,
) {
    // Where nothing is named at all, that is said of `old`.
    if action.scope.names.is_empty() {
        return;
    }
    let names = &old.language().names;
    let added = action.table.table("imports").map(|t| t.texts("add")).unwrap_or_default();
    let imported = |w: &str| added.iter().any(|t| names.last(&t.text) == w);
    let choices = action.table.tables("choice");
    let texts = row.new.iter().chain(choices.iter().filter_map(|(t, _)| t.text("new")));
    for (new, text) in outcome.news().zip(texts) {
        for word in new.undeclared(old).iter().filter(|w| !imported(w) && !w.starts_with('$')) {
            let at = text.text.find(word.as_str()).unwrap_or(0);
            let place = text.place(Span::new(at, at + word.len()));
            let message = format!("`new` uses `{word}`, and nothing says what it is");
            let d = Diagnostic::warning(message, place).about("names");
            cx.out.push(d.help(format!("name the symbol, so that it is imported: `names = {{ {word} = \"...\" }}`; if every file has it, leave it so")));
        }
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
            let d = crate::shared::unread_pattern(&e, new, cx);
            cx.out.push(d);
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
