//! `symbol`: the library's names become others, in imports, uses, declarations that follow them, and mentions.

mod doc_code;
mod files;
mod gone;
mod imports;
mod leaving;
mod mentions;
mod remains;
mod statements;
mod traced;
mod uses;
mod whole;
mod written;

use std::sync::Arc;

use emendo_recipe::{Action, ActionKind, Key, Shape};
use emendo_text::RelPath;

pub(crate) use crate::meaning::overload;
use crate::shared::Head;
pub(crate) use crate::symbol::imports::import_in;
pub use crate::symbol::mentions::TextWatch;

use crate::contract::{
    Asks, CompileCx, FileCx, Found, Kind, Needs, PathRule, Remains, Runner, SymbolKind,
};
use crate::meaning::{Place, Rows, SymbolRunner, joint};
use crate::shared::language;
use crate::symbol::files::{TypeFileRule, services};
use crate::symbol::mentions::Mentions;

/// The kind.
pub(super) static SYMBOL: Symbol = Symbol;

pub(super) struct Symbol;

const WHAT: &[&str] = &[
    "package",
    "module",
    "type",
    "function",
    "method",
    "property",
    "constant",
    "macro",
    "annotation",
    "enum-case",
];
const MENTIONS: &[&str] = &["strings", "docs", "files"];

const KEYS: &[Key] = &[
    Key::required("what", Shape::Words(WHAT), "what the symbols are"),
    Key::new("old", Shape::Symbols, "the full symbol"),
    Key::new("new", Shape::Symbols, "its new full name"),
    Key::new("except", Shape::Symbols, "symbols or globs below a package that keep their name"),
    Key::new("pairs", Shape::Pairs, "many old and new symbols"),
    Key::new(
        "table",
        Shape::Text,
        "many old and new symbols, from a CSV file of the recipe's folder",
    ),
    Key::new("base", Shape::Base, "stands before each symbol of `pairs` and `table`"),
    Key::new("gone", Shape::Text, "there is no replacement: the note for each use"),
    Key::new(
        "comment_out",
        Shape::Bool,
        "with `gone`: the whole statement becomes a comment, with the advice above it",
    ),
    Key::new(
        "move",
        Shape::Bool,
        "`false`: the file that is called after a type stays where it is; else it moves with the type",
    ),
    Key::new(
        "becomes",
        Shape::Words(&["property"]),
        "calls of the method become reads of a property",
    ),
    Key::new(
        "mentions",
        Shape::Texts,
        "rename in text too: strings, docs (comments), files (all others)",
    ),
];

impl ActionKind for Symbol {
    fn name(&self) -> &'static str {
        "symbol"
    }
    fn about(&self) -> &'static str {
        "renames symbols wherever they are imported, used, overridden or mentioned"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
    fn renames_symbols(&self) -> bool {
        true
    }
}

impl Kind for Symbol {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        Some(Box::new(compile(action, cx)?))
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        let in_files = action.table.texts("mentions").iter().any(|m| m.text == "files");
        // What is wrong was said before.
        let mut ignored = Vec::new();
        let mut quiet = CompileCx { out: &mut ignored, ..*cx };
        let Some(runner) = compile(action, &mut quiet) else { return Vec::new() };
        let services = types(&runner).then(|| services(&runner)).flatten();
        let mut out: Vec<Box<dyn Runner>> = Vec::new();
        out.extend(services.map(|s| Box::new(s) as Box<dyn Runner>));
        if in_files {
            out.push(Box::new(Mentions::new(cx.tables, runner.rows, action)));
        }
        out
    }
}

pub(crate) fn compile(action: &Action, cx: &mut CompileCx<'_>) -> Option<SymbolRunner> {
    let language = language(action, cx)?;
    let word = &action.table.text("what")?.text;
    let (nesting, absolute) = (language.names.nesting, language.names.absolute);
    let what = match SymbolKind::of(word) {
        // What holds types is a type there.
        SymbolKind::Package if nesting || absolute => SymbolKind::Free,
        // Every function is one of a module.
        SymbolKind::Free if absolute && ["function", "macro"].contains(&word.as_str()) => {
            SymbolKind::Method
        }
        what => what,
    };
    for m in action.table.texts("mentions") {
        if !MENTIONS.contains(&m.text.as_str()) {
            return cx.refuse(
                format!("nothing is called `{}` here", m.text),
                m.span,
                format!("`mentions` is a list of: {}", MENTIONS.join(", ")),
            );
        }
    }
    let comment_out = action.table.is_true("comment_out");
    if let Some(e) = action.table.entry("comment_out").filter(|_| comment_out)
        && action.table.get("gone").is_none()
        && ["pairs", "table"].iter().all(|k| action.table.get(k).is_none())
    {
        return cx.refuse(
            "`comment_out` needs `gone`",
            e.key_span,
            "say what to do instead: it stands above the comment",
        );
    }
    let rows = Rows::compile(action, language, what, &joint(cx.tables, action), cx)?;
    let needs = Needs::of(rows.needs());
    let mentions = |word: &str| action.table.texts("mentions").iter().any(|m| m.text == word);
    Some(SymbolRunner {
        head: Head::new("symbol", language, action, (needs, cx.tables)),
        what,
        strings: mentions("strings"),
        docs: mentions("docs"),
        becomes: action.table.text("becomes").is_some(),
        comment_out,
        moves_files: action.table.get("move").is_none_or(|_| action.table.is_true("move")),
        import: None,
        watching: false,
        rows,
    })
}

impl SymbolRunner {
    /// All that names its symbols but imports and texts.
    pub(crate) fn uses(&self, p: &Place<'_>, out: &mut Found) {
        self.words_of(p, out);
    }
}

/// True for what names types.
fn types(runner: &SymbolRunner) -> bool {
    runner.what == SymbolKind::Free && runner.rows.language.names.files.is_some()
}

impl Runner for SymbolRunner {
    fn asks(&self) -> Asks {
        let moves = self.moves_files && types(self);
        let paths = moves.then(|| TypeFileRule::of(self)).flatten();
        Asks {
            paths: paths.map(|p| Arc::new(p) as Arc<dyn PathRule>),
            paths_rarely: true,
            symbols: self.symbols(),
            subjects: self.subjects(),
            packages: if self.what == SymbolKind::Package {
                self.rows.written().filter_map(|r| r.olds.first().cloned()).collect()
            } else {
                Vec::new()
            },
            asks_declarations: true,
            rows: self.rows.written().map(|r| r.olds[0].clone()).collect(),
            replaces: self.replaces(),
            comments_out: self.comment_out,
            ..self.head.asks()
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let place = Place::new(cx, code, action);
        self.imports(&place, out);
        self.words_of(&place, out);
        self.in_text(&place, out);
        self.commented(&place, out);
        if let Some(trace) = cx.trace {
            self.traced(&place, trace);
        }
    }

    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let reaches = std::cell::OnceCell::new();
        let place = Place { cx, code, resolver, action: 0, reaches };
        self.still_there(&place, out);
    }
}
