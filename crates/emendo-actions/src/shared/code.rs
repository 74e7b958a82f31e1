//! What actions about code say: language, names, types, files.

use std::collections::BTreeMap;

use emendo_lang::{Language, Ty};
use emendo_pattern::{Pattern, PatternError};
use emendo_recipe::{Action, Recipe, Scope, Text};
use emendo_text::Diagnostic;

use crate::contract::CompileCx;

/// What is said of an action without a language.
pub const NO_LANGUAGE: &str = "no language is given for this action";

/// The language of an action, or a message.
pub(crate) fn language(action: &Action, cx: &mut CompileCx<'_>) -> Option<&'static Language> {
    let Some(lang) = &action.scope.lang else {
        return cx.refuse(
            NO_LANGUAGE,
            action.span,
            format!(
                "write `lang = \"...\"` in the action, its step or the recipe: {}",
                cx.tables.language_words()
            ),
        );
    };
    let found = cx.tables.language(&lang.text);
    if found.is_none() {
        let d = cx.tables.unknown_language(&lang.text, lang.span);
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

/// The same, with the languages that can read what this one cannot.
pub(crate) fn unread_pattern(e: &PatternError, text: &Text, cx: &CompileCx<'_>) -> Diagnostic {
    let d = pattern_error(e, text);
    if !e.unread {
        return d;
    }
    let reads = |l: &&&'static Language| {
        Pattern::compile(l, &text.text, &BTreeMap::new(), None)
            .is_ok_and(|p| p.readings().iter().any(|r| *r != "tokens"))
    };
    let others: Vec<&str> = cx.tables.languages.iter().filter(reads).map(|l| l.title).collect();
    if others.is_empty() {
        return d;
    }
    let can = others.join(" or ");
    d.help(format!("{}; as {can} it can be read: is `lang` right?", e.help))
}

/// The names of an action as they are called when its step begins.
pub(crate) fn names(action: &Action, cx: &CompileCx<'_>) -> BTreeMap<String, String> {
    let language = action.scope.lang.as_ref().and_then(|l| cx.tables.language(&l.text));
    let plain = |symbol: String| language.map_or(symbol.clone(), |l| l.names.plain(&symbol));
    let all = action.scope.symbols().into_iter();
    all.map(|(word, symbol)| (word, current(cx.renamed, plain(symbol)))).collect()
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
        let d = Diagnostic::error(format!("`{}` is not a type", text.text), text.span);
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
pub fn named_symbol(
    language: &Language,
    recipe: &Recipe,
    scope: &Scope,
    word: &str,
) -> Option<String> {
    if let Some(name) = scope.names.get(word) {
        return Some(language.names.plain(&name.symbol));
    }
    let open = language.typing.syntax.generic.0;
    let symbols = recipe.types.iter().map(|t| t.name.text.split(open).next().unwrap_or("").trim());
    let mut fits = symbols.filter(|s| language.names.last(s) == word && *s != word);
    let first = fits.next()?;
    fits.all(|s| s == first).then(|| first.to_owned())
}

/// A symbol after the renames of earlier steps.
pub(crate) fn current(renamed: &[(String, String)], symbol: String) -> String {
    renamed.iter().fold(symbol, |s, (old, new)| match s.strip_prefix(old.as_str()) {
        Some(rest) if rest.is_empty() || rest.starts_with(['.', ':', '\\']) => {
            format!("{new}{rest}")
        }
        _ => s,
    })
}
