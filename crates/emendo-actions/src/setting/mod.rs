//! `setting`: keys and values of settings files, in every format, and what mentions the keys elsewhere.
//!
//! This file reads the action; `runner.rs` finds its keys, `neighbours.rs` asks what stands beside them, `moves.rs` moves them,
//! `created.rs` writes those that are missing, `mentions.rs` finds what mentions them.

mod created;
mod keys;
mod mentions;
mod moves;
mod near;
mod neighbours;
mod rule;
mod runner;

pub use self::keys::KeyWatch;

use emendo_recipe::{Action, ActionKind, Key, Shape, Text, pairs};
use emendo_text::Diagnostic;

use self::mentions::{Form, MentionRunner};
use self::near::Near;
use self::neighbours::Neighbours;
use self::rule::SettingRule;
use self::runner::SettingRunner;
use crate::contract::{CompileCx, Kind, Needs, Runner, action_digest};
use crate::shared::{Filled, ValuePattern, fill};

/// The kind.
pub(super) static SETTING: SettingKind = SettingKind;

pub(super) struct SettingKind;

/// Where keys are mentioned if the recipe does not say it.
const MENTIONS: [&str; 3] = ["${@{key}}", "${@{key}:@{_}}", "\"@{key}\""];

const KEYS: &[Key] = &[
    Key::new("key", Shape::Text, "the key, with dots; `*` as the last part takes all keys below"),
    Key::new("new", Shape::Text, "the new key; ends with `*` where `key` does"),
    Key::new("when_value", Shape::Text, "only where the value is this; slots may stand in it"),
    Key::new("to", Shape::Text, "the new value; slots of `when_value` and `beside` may be used"),
    Key::new("create", Shape::Bool, "`to` is written where the key is missing too"),
    Key::new("after", Shape::Text, "the key that what is created comes after, if it is there"),
    Key::new("before", Shape::Text, "the key that what is created comes before, if it is there"),
    Key::new(
        "beside",
        Shape::Map,
        "only where other keys of the same map have these values: `{ type = \"tidal\" }`; slots may stand in them",
    ),
    Key::new("append", Shape::Text, "an item to add to the list, if it is not there"),
    Key::new("remove_item", Shape::Text, "an item to remove from the list"),
    Key::new("remove", Shape::Bool, "take the entry away"),
    Key::new("comment_out", Shape::Bool, "comment the entry out"),
    Key::new("gone", Shape::Text, "advice: a note at each place"),
    Key::new(
        "mentions",
        Shape::Texts,
        "forms in which code, templates and values name the key: `${@{key}}`; an empty list for none",
    ),
    Key::new("pairs", Shape::Pairs, "many old and new keys"),
    Key::new("table", Shape::Text, "many old and new keys, from a CSV file of the recipe's folder"),
    Key::new("base", Shape::Base, "stands before each key of `pairs` and `table`"),
];

impl ActionKind for SettingKind {
    fn name(&self) -> &'static str {
        "setting"
    }
    fn about(&self) -> &'static str {
        "renames, changes, adds and removes settings, and what mentions their keys"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

impl Kind for SettingKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let rules = rules(action, cx)?;
        let table = &action.table;
        let when = match table.text("when_value").map(|t| (t, ValuePattern::compile(&t.text))) {
            Some((t, Err(e))) => {
                cx.out.push(Diagnostic::error(e.message, t.place(e.at)).help(e.help));
                return None;
            }
            Some((_, Ok(p))) => Some(p),
            None => None,
        };
        let beside = Neighbours::compile(table, cx)?;
        let Ok(near) = Near::compile(action, cx) else { return None };
        let to = table.text("to");
        if let Some(to) = to {
            let own = when.as_ref().map(ValuePattern::slots).unwrap_or_default();
            let slots: Vec<String> = own.into_iter().chain(beside.slots()).collect();
            let known =
                |name: &str| slots.iter().any(|s| s == name).then(|| Filled::Text(String::new()));
            if let Err(missing) = fill(&to.text, known) {
                return cx.refuse(
                    format!("nothing binds the slot `{missing}`"),
                    to.span,
                    "`when_value` and `beside` bind slots",
                );
            }
        }
        let create = table.is_true("create");
        if create && to.is_none() {
            return cx.refuse("it is not clear which value to create", action.span, "write `to`");
        }
        let done = to.and_then(|to| own_result(when.as_ref()?, &to.text));
        // What is missing can't be looked for.
        let needs = match create {
            true => Needs(vec![vec![]]),
            false => Needs::of(rules.iter().flat_map(|r| r.spellings()).map(|k| vec![k])),
        };
        let text = |key: &str| table.text(key).map(|t| t.text.clone());
        Some(Box::new(SettingRunner {
            tables: cx.tables.clone(),
            scope: action.scope.clone(),
            rules,
            when,
            to: to.map(|t| t.text.clone()),
            done,
            create,
            near,
            beside,
            append: text("append"),
            remove_item: text("remove_item"),
            remove: table.is_true("remove"),
            comment_out: table.is_true("comment_out"),
            needs,
        }))
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        // What is wrong was said before.
        let mut ignored = Vec::new();
        let mut quiet = CompileCx { out: &mut ignored, ..*cx };
        let Some(rules) = rules(action, &mut quiet) else { return Vec::new() };
        let forms: Vec<String> = match action.table.get("mentions") {
            Some(_) => action.table.texts("mentions").iter().map(|t| t.text.clone()).collect(),
            None => MENTIONS.iter().map(|m| (*m).to_owned()).collect(),
        };
        let mut compiled = Vec::new();
        for (i, form) in forms.iter().enumerate() {
            match Form::compile(form) {
                Ok(f) => compiled.push(f),
                Err(message) => {
                    let texts = action.table.texts("mentions");
                    let span = texts.get(i).map_or(action.span, |t| t.span);
                    cx.out.push(Diagnostic::error(message, span).help("for example `${@{key}}`"));
                }
            }
        }
        let told = |r: &SettingRule| r.new.is_some() || r.advice.is_some();
        // What mentions a key does not say which of several maps it means.
        if action.table.get("beside").is_some() && action.table.get("mentions").is_none() {
            return Vec::new();
        }
        if compiled.is_empty() || !rules.iter().any(told) {
            return Vec::new();
        }
        let languages = cx.tables.languages.iter().copied().map(Some).chain([None]);
        let one = |language| {
            MentionRunner::new(
                cx.tables.clone(),
                language,
                action.scope.clone(),
                rules.clone(),
                compiled.clone(),
            )
        };
        languages.map(|l| Box::new(one(l)) as Box<dyn Runner>).collect()
    }
}

/// What the action says of keys.
fn rules(action: &Action, cx: &mut CompileCx<'_>) -> Option<Vec<SettingRule>> {
    let table = &action.table;
    let mut rows: Vec<(Text, Option<Text>, Option<String>)> =
        pairs(action, &cx.recipe.source, &|_| ".", cx.out)
            .into_iter()
            .map(|p| (p.old, p.new, p.advice))
            .collect();
    if let Some(key) = table.text("key") {
        rows.insert(0, (key.clone(), table.text("new").cloned(), None));
    }
    if rows.is_empty() && table.get("table").is_some() {
        return None;
    }
    if rows.is_empty() {
        return cx.refuse(
            "this action names no key",
            action.span,
            "write `key`, `pairs` or `table`",
        );
    }
    let gone = table.text("gone").map(|t| t.text.clone());
    let does = ["to", "append", "remove_item"].iter().any(|k| table.get(k).is_some())
        || ["remove", "comment_out"].iter().any(|k| table.is_true(k));
    let mut rules = Vec::new();
    for (old, new, advice) in rows {
        let advice = advice.or_else(|| gone.clone());
        if new.is_none() && !does && advice.is_none() {
            let d = Diagnostic::error(format!("nothing happens to `{}`", old.text), action.span);
            cx.out.push(d.help("write `new`, `to`, `append`, `remove = true` or `gone`"));
            continue;
        }
        let written = [Some(&old), new.as_ref()].into_iter().flatten();
        if let Some(t) = { written }.find(|t| t.text.contains(": ") || t.text.ends_with([':', '=']))
        {
            let meant = t.text.replace(": ", ".").replace([':', '='], "");
            let d = Diagnostic::error(format!("`{}` is not a key", t.text), t.span);
            cx.out.push(d.help(format!("a key is a path with dots: `{}`", meant.trim())));
            continue;
        }
        let starred = |t: &Text| t.text == "*" || t.text.ends_with(".*");
        if let Some(new) = &new
            && starred(&old) != starred(new)
        {
            let message = "`*` must stand in both keys, as their last part, or in neither";
            let d = Diagnostic::error(message, new.span).also(old.span, "the old key");
            cx.out.push(d.help("`a.b.*` with `a.c.*` moves all that stands below a key"));
            continue;
        }
        // Several actions may be about one key.
        let ways = ["to", "append", "remove_item", "when_value"].iter();
        let told: Vec<&str> = ways.map(|k| table.text(k).map_or("", |t| t.text.as_str())).collect();
        let what = if does { format!("{} {}", old.text, told.join(" ")) } else { old.text.clone() };
        rules.push(SettingRule {
            digest: action_digest("setting", &what),
            all_below: starred(&old),
            key: old.text.trim_end_matches('*').to_owned(),
            new: new.map(|n| n.text.trim_end_matches('*').to_owned()),
            advice,
        });
    }
    Some(rules)
}

/// The new value as a pattern, if `when` fits what it writes.
fn own_result(when: &ValuePattern, to: &str) -> Option<ValuePattern> {
    let filled = fill(to, |_| Some(Filled::Text("x".into()))).ok()?;
    when.fit(&filled)?;
    ValuePattern::compile(to).ok()
}
