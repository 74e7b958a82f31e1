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
use std::sync::Arc;

use emendo_docs::Manifest;
use emendo_lang::{Index, Language, Resolver, Spellings, Ty};
use emendo_pattern::{Constraint, Pattern, PatternError};
use emendo_recipe::{Action, ActionKind, Recipe, Scope, Text, Value};
use emendo_text::{Diagnostic, Digest, RelPath};
use regex::Regex;

pub(crate) use followed::{Declaration, Followed, Uses, follow};
pub use parts::{Answer, Query};
pub(crate) use symbol::{SymbolRunner, TextWatch, What, renames};

use crate::discover::Subject;
use crate::edit::{Code, Found};
use crate::leftovers::{Remains, Replaces};
use crate::narrow::Needs;

/// A kind of action that can be compiled.
pub(crate) trait Kind: ActionKind {
    /// Compiles an action. What is wrong goes to the context; `None` if nothing can run.
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>>;
    /// What runs besides, in other files.
    fn more(&self, _: &Action, _: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        Vec::new()
    }
}

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

/// What an action may ask while it is compiled.
pub(crate) struct CompileCx<'a> {
    /// The recipe.
    pub recipe: &'a Recipe,
    /// All renames of the recipe: symbols are known under both names.
    pub spellings: &'a Spellings,
    /// Renames of earlier steps, old and new.
    pub renamed: &'a [(String, String)],
    /// What is wrong.
    pub out: &'a mut Vec<Diagnostic>,
}

/// A compiled action.
pub trait Runner: Send + Sync {
    /// The kind's word.
    fn kind(&self) -> &'static str;
    /// True if the action looks into files of this path.
    fn covers(&self, path: &RelPath) -> bool;
    /// The language whose tree it needs, if any.
    fn language(&self) -> Option<&'static Language> {
        None
    }
    /// What a file must hold.
    fn needs(&self) -> &Needs;
    /// Symbols that it names: where the library is.
    fn symbols(&self) -> Vec<String> {
        Vec::new()
    }
    /// Symbols that it changes, or whose uses it looks for: names that lead to them are found on the way.
    fn subjects(&self) -> Vec<Subject> {
        Vec::new()
    }
    /// Symbols that are to be gone when it is done, and those that are there instead.
    fn replaces(&self) -> Replaces {
        Replaces::default()
    }
    /// Packages that it is about as a whole: what of them is the project's own matters.
    fn packages(&self) -> Vec<String> {
        Vec::new()
    }
    /// True if it asks what other files declare.
    fn asks_declarations(&self) -> bool {
        false
    }
    /// True if it may change what other files see.
    fn changes_declarations(&self) -> bool {
        false
    }
    /// True if it reads all manifests of the project together.
    fn reads_manifests(&self) -> bool {
        false
    }
    /// Questions about other files, each with its answers where the action runs.
    fn queries(&self) -> Vec<Arc<Query>> {
        Vec::new()
    }
    /// Declarations of a file whose uses, in other files too, change with what it does here.
    fn declares(&self, _: &FileCx<'_>) -> Vec<Declaration> {
        Vec::new()
    }
    /// True if it may rewrite uses of what it changes in other files.
    fn follows(&self) -> bool {
        false
    }
    /// True if what follows a declaration may be one that others follow.
    fn spreads(&self) -> bool {
        false
    }
    /// What the uses of a declaration are in another file.
    fn uses(&self, _: &Declaration, _: &FileCx<'_>) -> Uses {
        Uses::default()
    }
    /// True if what it writes looks as if it were still to be done.
    fn grows(&self) -> bool {
        false
    }
    /// What each of its rows is about, as the recipe writes it; none where it has no rows.
    fn rows(&self) -> Vec<String> {
        Vec::new()
    }
    /// True if it would change its own result again, and so leaves alone what the journal says that it wrote.
    fn once(&self) -> bool {
        false
    }
    /// Why an edit in a file calls for caution, whatever the recipe says; by the row of the action.
    fn caution(&self, path: &RelPath, _row: usize) -> Option<&'static str> {
        crate::caution::of(path)
    }
    /// A note that stands at the step itself.
    fn step_note(&self) -> Option<String> {
        None
    }
    /// Finds what is still there of the symbols that it looks for.
    fn remains(&self, _: &FileCx<'_>, _: &mut Vec<Remains>) {}
    /// Finds what it would do in one file.
    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found);
}

/// What an action sees of one file, and what it may ask.
pub struct FileCx<'a> {
    /// The file.
    pub path: &'a RelPath,
    /// Its text before the step.
    pub text: &'a str,
    /// The line end that most lines have.
    pub line_end: &'a str,
    /// Its tree and facts, where it is code.
    pub code: Option<&'a Code>,
    /// What the project declares.
    pub project: &'a Index,
    /// All manifests.
    pub manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
    /// The packages of the recipe's symbols.
    pub packages: &'a [String],
    /// Answers to the questions about other files, in the order of the plan's questions.
    pub answers: &'a [(Arc<Query>, Vec<Answer>)],
    /// Declarations whose uses the step changes with them, in whatever file they are.
    pub followed: &'a [Followed],
    /// What the step wrote in this file before, by the journal; only of actions that do their work once.
    pub own: &'a [&'a str],
}

impl FileCx<'_> {
    /// The answers to a question.
    pub fn answers_to(&self, query: &Arc<Query>) -> &[Answer] {
        let found = self.answers.iter().find(|(q, _)| Arc::ptr_eq(q, query));
        found.map_or(&[], |(_, answers)| answers.as_slice())
    }

    /// The resolver for the file.
    pub fn resolver<'a>(&'a self, code: &'a Code) -> Resolver<'a> {
        Resolver::new(code.language, &code.facts, self.project, &code.tree, self.text)
            .in_file(self.path)
    }
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

/// Identity of an action: its kind and what it looks for.
pub(crate) fn action_digest(kind: &str, old: &str) -> Digest {
    emendo_text::Hasher::new().part(kind).part(old).finish()
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
