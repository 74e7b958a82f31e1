//! The kinds of actions: one row and one file each, with keys, check, compile and run together.

mod code;
mod followed;
mod library;
mod note;
mod parts;
mod setting;
mod signature;
mod snippet;
mod symbol;
mod values;

use std::collections::BTreeMap;

use emendo_lang::{Language, Ty};
use emendo_pattern::{Constraint, Pattern, PatternError};
use emendo_recipe::{Action, ActionKind, Recipe, Scope, Text, Value};
use emendo_text::{Diagnostic, RelPath};
use regex::Regex;

pub(crate) use crate::actions::followed::follow;
pub(crate) use crate::actions::symbol::{SymbolRunner, TextWatch, renames};
pub use crate::contract::{Answer, Query};
pub(crate) use crate::contract::{Declaration, Followed, Uses, What};

use crate::contract::{CompileCx, Kind};

/// All kinds that are built.
pub(crate) const KINDS: &[&dyn Kind] = &[
    &code::CODE,
    &symbol::SYMBOL,
    &signature::SIGNATURE,
    &library::LIBRARY,
    &setting::SETTING,
    &note::NOTE,
];

/// The kinds as the loader of recipes wants them.
pub fn recipe_kinds() -> Vec<&'static dyn ActionKind> {
    KINDS.iter().map(|k| *k as &dyn ActionKind).collect()
}

/// The language of an action, or a message.
pub(crate) fn language(action: &Action, cx: &mut CompileCx<'_>) -> Option<&'static Language> {
    let known = || emendo_languages::LANGUAGES.iter().map(|l| l.id).collect::<Vec<_>>().join(", ");
    let Some(lang) = &action.scope.lang else {
        let d = Diagnostic::error("no language is given for this action", action.span);
        cx.out.push(d.help(format!(
            "write `lang = \"...\"` in the action, its step or the recipe: {}",
            known()
        )));
        return None;
    };
    let found = emendo_languages::language(&lang.text);
    if found.is_none() {
        let d =
            Diagnostic::error(format!("the language `{}` is not built yet", lang.text), lang.span);
        let d = d.help(format!("built so far: {}", known()));
        if !cx.out.contains(&d) {
            cx.out.push(d);
        }
    }
    found
}

/// A message about a pattern, at its place in the recipe.
pub(crate) fn pattern_error(e: &PatternError, text: &Text) -> Diagnostic {
    Diagnostic::error(e.message.clone(), text.place(e.at)).help(e.help.clone())
}

/// The names of an action as they are called when its step begins.
pub(crate) fn names(action: &Action, cx: &CompileCx<'_>) -> BTreeMap<String, String> {
    action
        .scope
        .symbols()
        .into_iter()
        .map(|(word, symbol)| (word, current(cx.renamed, symbol)))
        .collect()
}

/// A type as an action writes it; a message if it is none.
pub(crate) fn type_of(
    language: &'static Language,
    text: &Text,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Ty> {
    let ty = Ty::read(language, &text.text, &|word| {
        named_symbol(language, cx.recipe, &action.scope, word)
    });
    if ty.is_none() {
        let d = Diagnostic::error(format!("`{}` is no type", text.text), text.span);
        let example = language.names.join(&["a", "b", "Name"]);
        cx.out.push(d.help(format!("write the full name: `{example}`, or a word of `names`")));
    }
    ty.map(|t| t.spelled(cx.spellings))
}

/// The type of a parameter of a callable: a short name of a type may be one of the callable's own package.
pub(crate) fn parameter_type(
    language: &'static Language,
    text: &Text,
    callable: &str,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Ty> {
    let ty = type_of(language, text, action, cx)?;
    let names = &language.names;
    let own = |s: &String| {
        let short = names.parent(s).is_empty() && s.len() > 1 && s.starts_with(char::is_uppercase);
        let known = language.typing.built_in.primitives.iter().any(|p| p.1 == s);
        // That of the function, or of the type that has it.
        let around = [names.package(callable), names.package(&names.parent(callable))];
        let near = around.into_iter().filter(|p| !p.is_empty());
        let near: Vec<String> = near.map(|p| names.join(&[p.as_str(), s])).collect();
        (short && !known).then_some(near)
    };
    Some(match ty {
        Ty::Of { symbols, args, named } => {
            let near: Vec<String> = symbols.iter().filter_map(own).flatten().collect();
            Ty::Of { symbols: near.into_iter().chain(symbols).collect(), args, named }
        }
        other => other,
    })
}

/// What a short name in a type stands for: a word of `names`, or a type that the recipe tells of.
pub(crate) fn named_symbol(
    language: &Language,
    recipe: &Recipe,
    scope: &Scope,
    word: &str,
) -> Option<String> {
    if let Some(name) = scope.names.get(word) {
        return Some(name.symbol.clone());
    }
    let open = language.typing.syntax.generic.0;
    let symbols = recipe.types.iter().map(|t| t.name.text.split(open).next().unwrap_or("").trim());
    let mut fits = symbols.filter(|s| language.names.last(s) == word && *s != word);
    let first = fits.next()?;
    fits.all(|s| s == first).then(|| first.to_owned())
}

/// A symbol after the renames of earlier steps.
fn current(renamed: &[(String, String)], symbol: String) -> String {
    renamed.iter().fold(symbol, |s, (old, new)| match s.strip_prefix(old.as_str()) {
        Some(rest) if rest.is_empty() || rest.starts_with(['.', ':']) => format!("{new}{rest}"),
        _ => s,
    })
}

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
                parts::constrain(&mut pattern, slots, action, cx);
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

/// The files of a language that an action covers.
pub(crate) fn covers_code(
    action: &Action,
    language: &Language,
) -> impl Fn(&RelPath) -> bool + use<> {
    let scope = action.scope.clone();
    let id = language.id;
    // `files` with `lang` reads those files as that language, whatever their names.
    move |path| {
        let claims = || emendo_languages::language(id).is_some_and(|l| l.reads(path));
        scope.covers(path) && (scope.files.is_some() || claims())
    }
}
