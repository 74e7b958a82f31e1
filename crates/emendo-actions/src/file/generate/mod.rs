//! `generate`: pieces of code are collected over all files and written as a file, or into one; their originals may go.
//!
//! This file reads the action. `item.rs` collects, with `value.rs` for literals and `uses.rs` for what names mean; `fill.rs` hands items to
//! the template, `naming.rs` decides how their names are written; `target.rs` makes the text, `place.rs` says where items stand, `taken.rs` takes
//! the originals away, and `rule.rs` puts these together.

mod fill;
mod item;
mod lines;
mod model;
mod naming;
mod place;
mod rule;
mod taken;
mod target;
mod uses;
mod value;

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_lang::Language;
use emendo_pattern::{HERE, Pattern, Replacement};
use emendo_recipe::{Action, ActionKind, Key, Shape, Table, Text};
use emendo_text::{
    Diagnostic, FillPiece, FillValue, Marks, RelPath, Repeat, Span, Template, fill_code,
};

use self::fill::PARTS;
use self::item::Collect;
use self::model::{GenerateRule, Goal, InsertAt, Order};
use crate::contract::{
    Asks, CompileCx, FileCx, Found, Kind, Needs, Old, Replaces, Runner, SymbolKind, action_digest,
};
use crate::shared::{Finder, Head, SlotTables, WHERE, check_slots, language, names, sub_pattern};

/// The kind.
pub(crate) static GENERATE: Generate = Generate;

pub(crate) struct Generate;

const COLLECT: &[Key] = &[
    Key::required("as", Shape::Text, "the name of the list in the template; several may share one"),
    Key::required("find", Shape::Pattern, "the code that is collected"),
    Key::new(
        "reading",
        Shape::Text,
        "the one way to read the pattern: expression, statement, member, type, ...",
    ),
    Key::new("lang", Shape::Text, "the language of the pattern"),
    Key::new("names", Shape::Names, "words that stand for symbols in the pattern"),
    Key::new("slots", Shape::Named(emendo_recipe::SLOT), "what slots may hold"),
    Key::new("files", Shape::Globs, "only in these files"),
    Key::new("not_files", Shape::Globs, "not in these files"),
    WHERE[0],
    WHERE[1],
    WHERE[2],
    WHERE[3],
    WHERE[4],
    WHERE[5],
];

const ORDER: &[Key] = &[
    Key::required("by", Shape::Text, "the slot that items are ordered by, or `text` for all of it"),
    Key::new("number", Shape::Bool, "it is compared as a number"),
    Key::new(
        "default",
        Shape::Text,
        "what counts where it is missing; else such an item comes last",
    ),
    Key::new("descending", Shape::Bool, "the largest first"),
];

const INSERT: &[Key] = &[
    Key::required("file", Shape::Text, "the path of the file"),
    Key::new("before", Shape::Pattern, "the code above whose lines it goes"),
    Key::new("after", Shape::Pattern, "the code below whose lines it goes"),
];

const IMPORTS: &[Key] = &[Key::new("add", Shape::Symbols, "symbols to import")];

const KEYS: &[Key] = &[
    Key::required("collect", Shape::Tables(COLLECT), "what is collected"),
    Key::new("order", Shape::Table(ORDER), "the order of the items; else by path and place"),
    Key::new(
        "template",
        Shape::Text,
        "what is written: `{{ }}` prints a value, `{% for %}` goes through a list",
    ),
    Key::new("template_file", Shape::Text, "a file of the recipe's folder that holds the template"),
    Key::new("file", Shape::Text, "the path of the file that is created"),
    Key::new("insert", Shape::Table(INSERT), "the file and place that it is written into"),
    Key::new(
        "imports",
        Shape::Table(IMPORTS),
        "imports that are needed besides those of `names` and of what is collected",
    ),
    Key::new(
        "carry",
        Shape::Words(&["locals"]),
        "`locals`: declarations of constants that an item uses go along, as its `.locals`",
    ),
    Key::new(
        "drop",
        Shape::Bool,
        "what is collected is taken away, where all items of its list are carried over",
    ),
];

impl ActionKind for Generate {
    fn name(&self) -> &'static str {
        "generate"
    }
    fn about(&self) -> &'static str {
        "collects pieces of code over all files, and writes a file, or a part of one, of them"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

impl Kind for Generate {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let collects = collects(action, cx);
        let template = template(action, cx)?;
        let goal = goal(action, cx)?;
        let collects = collects?;
        if let Some(e) = table.entry("carry").filter(|_| !template.text.contains("locals")) {
            return cx.refuse(
                "the template does not write what `carry` brings along",
                e.key_span,
                "write `{% if item.locals %}{{ item.locals }}{% endif %}` before the items",
            );
        }
        let order = match table.table("order") {
            Some(t) => Some(order(t, &collects, cx)?),
            None => None,
        };
        check_template(&template, &collects, cx)?;
        let add = table.table("imports").map(|t| t.texts("add")).unwrap_or_default();
        let finds: Vec<&str> = collects.iter().map(|c| c.find.source()).collect();
        let digest = action_digest("generate", &format!("{} {}", finds.join("\n"), goal.path()));
        let rule = GenerateRule {
            digest,
            collects,
            names: names(action, cx),
            order,
            template: template.text,
            goal,
            carry: table.get("carry").is_some(),
            drop: table.is_true("drop"),
            add: add.into_iter().map(|t| t.text.clone()).collect(),
        };
        Some(Box::new(GenerateRunner { rule: Arc::new(rule) }))
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        // What is wrong was said when the action was compiled.
        let mut silent = Vec::new();
        let mut inner = CompileCx {
            tables: cx.tables,
            recipe: cx.recipe,
            spellings: cx.spellings,
            renamed: cx.renamed,
            later: cx.later,
            out: &mut silent,
        };
        let drop = action.table.is_true("drop");
        let all = collects(action, &mut inner).unwrap_or_default();
        all.into_iter().map(|c| Box::new(CollectRunner { collect: c, drop }) as _).collect()
    }
}

/// The patterns whose places are collected; none if one is faulty.
fn collects(action: &Action, cx: &mut CompileCx<'_>) -> Option<Vec<Arc<Collect>>> {
    let mut out: Vec<Collect> = Vec::new();
    let mut faulty = false;
    for (t, span) in action.table.tables("collect") {
        let inner = Action {
            kind: action.kind,
            table: t.clone(),
            span,
            scope: action.scope.with(t),
            broken: false,
        };
        match collect(&inner, action.table.is_true("drop"), cx) {
            Some(c) => out.push(c),
            None => faulty = true,
        }
    }
    if faulty {
        return None;
    }
    if out.is_empty() {
        return cx.refuse(
            "this action collects nothing",
            action.span,
            "write `[[step.generate.collect]]` with `as` and `find`",
        );
    }
    // Items of one list have the same slots, whichever pattern they fit.
    let known: Vec<(String, Vec<(String, bool)>)> =
        out.iter().map(|c| (c.list.clone(), c.slots.clone())).collect();
    for c in &mut out {
        for (_, slots) in known.iter().filter(|k| k.0 == c.list) {
            for slot in slots {
                if c.slots.iter().all(|s| s.0 != slot.0) {
                    c.slots.push(slot.clone());
                }
            }
        }
    }
    Some(out.into_iter().map(Arc::new).collect())
}

fn collect(action: &Action, drop: bool, cx: &mut CompileCx<'_>) -> Option<Collect> {
    let language: &'static Language = language(action, cx)?;
    let list = action.table.text("as")?;
    let plain = list.text.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_')
        && list.text.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
    if !plain {
        return cx.refuse(
            format!("`{}` is not a name that a template can use", list.text),
            list.span,
            "use letters, digits and `_`",
        );
    }
    let text = action.table.text("find")?;
    let find = match action.table.text("reading") {
        None => sub_pattern(language, text, action, SlotTables::of(action), Marks::None, cx)?,
        Some(reading) => reading_of(language, text, &reading.text, action, cx)?,
    };
    let finder = Finder::compile(language, action, cx);
    let bound = find.slots().map(str::to_owned).chain(crate::shared::groups(action));
    let known: Vec<String> = bound.chain(finder.binds()).collect();
    check_slots(action, &known, cx);
    if let Some(taken) = known.iter().find(|k| PARTS.contains(&k.as_str())) {
        return cx.refuse(
            format!("`{taken}` is a part that every item has"),
            text.span,
            format!("call the slot otherwise: these are kept: {}", PARTS.join(", ")),
        );
    }
    let repeats = Template::parse(&text.text).ok();
    let is_list = |name: &str| {
        let slots = repeats.iter().flat_map(|t| t.slots());
        slots.into_iter().any(|s| s.0 == name && matches!(s.2, Repeat::Any | Repeat::Some))
    };
    let slots =
        known.iter().filter(|n| *n != "_" && *n != HERE).map(|n| (n.clone(), is_list(n))).collect();
    let delete = match drop {
        true => Replacement::compile(&find, "", &names(action, cx), &[]).ok(),
        false => None,
    };
    let needs = Needs::of(find.needs());
    let head = Head::new("generate", language, action, (needs, cx.tables));
    let in_files = action.scope.files.is_some();
    Some(Collect { list: list.text.clone(), head, find, finder, in_files, delete, slots })
}

/// A pattern that is read in one way.
fn reading_of(
    language: &'static Language,
    text: &Text,
    reading: &str,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Pattern> {
    match Pattern::compile(language, &text.text, &names(action, cx), Some(reading)) {
        Ok(mut pattern) => {
            crate::shared::constrain(&mut pattern, SlotTables::of(action), action, cx);
            pattern.spell(cx.spellings);
            Some(pattern)
        }
        Err(e) => {
            let d = crate::shared::unread_pattern(&e, text, cx);
            cx.out.push(d);
            None
        }
    }
}

/// The template: a text of the recipe, or a file that lies beside it.
fn template(action: &Action, cx: &mut CompileCx<'_>) -> Option<Text> {
    let table = &action.table;
    match (table.text("template"), table.text("template_file")) {
        (Some(text), None) => Some(text.clone()),
        (None, Some(file)) => {
            let read = RelPath::new(&file.text).map_err(|e| e.to_string()).and_then(|path| {
                let bytes = cx.recipe.source.file(&path).map_err(|e| e.to_string())?;
                String::from_utf8(bytes).map_err(|_| "it is not UTF-8".to_owned())
            });
            match read {
                Ok(text) => Some(Text::derived(text, file.span)),
                Err(why) => cx.refuse(
                    format!("`{}` cannot be read: {why}", file.text),
                    file.span,
                    "name a file of the recipe's folder",
                ),
            }
        }
        (Some(_), Some(file)) => cx.refuse(
            "`template` and `template_file` exclude each other",
            file.span,
            "leave one of them out",
        ),
        (None, None) => cx.refuse(
            "this action does not say what to write",
            action.span,
            "write `template = '''...'''`, or `template_file`",
        ),
    }
}

/// Where what is written goes.
fn goal(action: &Action, cx: &mut CompileCx<'_>) -> Option<Goal> {
    let path = |text: &Text, cx: &mut CompileCx<'_>| {
        match RelPath::new(&text.text) {
        Ok(path) => Some(path),
        Err(e) => cx.refuse(
            format!("`{}` is not the path of a file: {e}", text.text),
            text.span,
            "a path leads from the project's root to a file, without `..` and with `/` between its parts",
        ),
    }
    };
    match (action.table.text("file"), action.table.table("insert")) {
        (Some(file), None) => Some(Goal::File(path(file, cx)?)),
        (Some(file), Some(_)) => cx.refuse(
            "`file` and `insert` exclude each other",
            file.span,
            "write an action for each",
        ),
        (None, Some(t)) => {
            let file = path(t.text("file")?, cx)?;
            let (pattern, after) = match (t.text("before"), t.text("after")) {
                (Some(p), None) => (p, false),
                (None, Some(p)) => (p, true),
                _ => {
                    return cx.refuse(
                        "`insert` needs `before` or `after`, one of them",
                        action.table.entry("insert").map_or(action.span, |e| e.key_span),
                        "write the code beside which it goes",
                    );
                }
            };
            let language = match cx.tables.language_of(&file) {
                Some(language) => language,
                None => language(action, cx)?,
            };
            let slots = SlotTables::of(action);
            let place = sub_pattern(language, pattern, action, slots, Marks::None, cx)?;
            Some(Goal::Insert(InsertAt { file, place, after }))
        }
        (None, None) => cx.refuse(
            "this action does not say where to write",
            action.span,
            "write `file = \"path\"`, or `insert = { file = \"path\", before = '...' }`",
        ),
    }
}

/// The slots of all that is collected.
fn slots_of(collects: &[Arc<Collect>]) -> Vec<&str> {
    let mut out: Vec<&str> = collects.iter().flat_map(|c| &c.slots).map(|s| s.0.as_str()).collect();
    out.sort_unstable();
    out.dedup();
    out
}

fn order(t: &Table, collects: &[Arc<Collect>], cx: &mut CompileCx<'_>) -> Option<Order> {
    let by = t.text("by")?;
    let slots = slots_of(collects);
    if by.text != "text" && !slots.contains(&by.text.as_str()) {
        return cx.refuse(
            format!("nothing that is collected has a slot `{}`", by.text),
            by.span,
            format!("the slots are: {}, and `text` for all of it", slots.join(", ")),
        );
    }
    Some(Order {
        by: by.text.clone(),
        number: t.is_true("number"),
        default: t.text("default").map(|t| t.text.clone()),
        descending: t.is_true("descending"),
    })
}

/// Fills the template once with an item of each pattern, so that what is wrong is said before anything is collected.
fn check_template(
    template: &Text,
    collects: &[Arc<Collect>],
    cx: &mut CompileCx<'_>,
) -> Option<()> {
    let piece = |fields: Vec<(String, FillValue)>, list: bool| {
        let text = "x".to_owned();
        let items = list.then(Vec::new);
        let piece = FillPiece { text, fields, items, printed: Box::new(|| ()) };
        FillValue::Piece(Arc::new(piece))
    };
    let parts = || PARTS[1..].iter().map(|p| ((*p).to_owned(), FillValue::Nothing));
    let mut lists: BTreeMap<&str, Vec<FillValue>> = BTreeMap::new();
    for c in collects {
        let slots = c.slots.iter().map(|(n, list)| (n.clone(), piece(parts().collect(), *list)));
        let item = piece(slots.chain(parts()).collect(), false);
        lists.entry(&c.list).or_default().push(item);
    }
    let values: Vec<(String, FillValue)> =
        lists.into_iter().map(|(k, v)| (k.to_owned(), FillValue::List(v))).collect();
    let slots = slots_of(collects);
    if let Some(slot) = compared(&template.text, &slots) {
        return cx.refuse(
            format!("`{slot}` is a piece of code, and never equal to a text"),
            template.span,
            format!("compare `{slot}.value`, what a literal stands for, or `{slot}.text`"),
        );
    }
    // What a literal stands for is not known yet.
    let wrong = fill_code(&template.text, &values, 1 << 20).err().filter(|e| !e.by_values);
    if let Some(e) = wrong {
        let line = template.text.lines().nth(e.line - 1).unwrap_or("");
        let start: usize = template.text.split_inclusive('\n').take(e.line - 1).map(str::len).sum();
        let at = template.place(Span::new(start, start + line.len()));
        let lists: Vec<&str> = values.iter().map(|v| v.0.as_str()).collect();
        let d = Diagnostic::error(format!("the template cannot be filled: {e}"), at);
        let help = format!(
            "its lists: {}; each item has {} and {}",
            lists.join(", "),
            PARTS.join(", "),
            if slots.is_empty() { "no slots".to_owned() } else { slots.join(", ") }
        );
        cx.out.push(d.help(help));
        return None;
    }
    Some(())
}

/// A slot that a template compares as it is.
fn compared(template: &str, slots: &[&str]) -> Option<String> {
    let word = |c: char| c.is_alphanumeric() || matches!(c, '_' | '.');
    for sign in ["==", "!="] {
        for (at, _) in template.match_indices(sign) {
            let before = template[..at].trim_end();
            let start = before.rfind(|c: char| !word(c)).map_or(0, |i| i + 1);
            let path = &before[start..];
            let in_tag = template[..at].rfind("{%").max(template[..at].rfind("{{"))
                > template[..at].rfind("%}").max(template[..at].rfind("}}"));
            let last = path.rsplit('.').next().unwrap_or("");
            if in_tag && path.contains('.') && slots.contains(&last) {
                return Some(path.to_owned());
            }
        }
    }
    None
}

/// Says what becomes of files.
struct GenerateRunner {
    rule: Arc<GenerateRule>,
}

impl Runner for GenerateRunner {
    fn asks(&self) -> Asks {
        let queries = self.rule.collects.iter().flat_map(|c| c.finder.queries.clone()).collect();
        Asks {
            kind: "generate",
            changes_declarations: true,
            asks_files: true,
            paths: Some(self.rule.clone()),
            queries,
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.rule.goal.path() == path || self.rule.collects.iter().any(|c| c.head.covers(path))
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}
}

/// Says which files matter for what is collected, and what is to be gone from them.
struct CollectRunner {
    collect: Arc<Collect>,
    drop: bool,
}

impl Runner for CollectRunner {
    fn asks(&self) -> Asks {
        let find = &self.collect.find;
        let mut symbols: Vec<String> = find.used_symbols().into_iter().map(str::to_owned).collect();
        symbols.extend(find.type_symbols().cloned());
        let mut replaces = Replaces::NONE;
        if self.drop {
            let old = |symbol: &str, what, resolved| Old {
                symbol: symbol.to_owned(),
                what,
                parameters: None,
                advice: None,
                resolved,
            };
            let members = find.used_members().into_iter().map(|(symbol, called)| {
                let what = if called { SymbolKind::Method } else { SymbolKind::Constant };
                old(&symbol, what, true)
            });
            let symbols = find.used_symbols().into_iter().map(|s| old(s, SymbolKind::Free, false));
            replaces.old.extend(members.chain(symbols));
        }
        Asks {
            subjects: self.collect.finder.subjects(std::iter::once(find)),
            asks_files: self.collect.finder.asks_files(),
            asks_declarations: !symbols.is_empty(),
            symbols,
            replaces,
            ..self.collect.head.asks()
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.collect.head.covers(path)
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}
}
