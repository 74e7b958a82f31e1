//! `symbol`: the library's names become others, in imports, uses, declarations that follow them, and mentions.

mod imports;
mod members;
mod mentions;
mod remains;
mod rows;
mod uses;

use emendo_lang::{Certainty, Fact, Language, Owner, Project, Resolver, Space, Word};
use emendo_recipe::{Action, ActionKind, Key, Shape, pairs};
use emendo_text::{Diagnostic, RelPath, Span};

pub(crate) use crate::actions::symbol::mentions::TextWatch;
pub(crate) use crate::actions::symbol::rows::overload;

use crate::actions::symbol::mentions::Mentions;
use crate::actions::symbol::rows::{Row, Rows};
use crate::actions::{covers_code, language};
use crate::contract::{
    Code, CompileCx, FileCx, Found, Kind, Needs, NoteDraft, Old, Remains, Replaces, Runner,
    Subject, What, action_digest,
};

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
    Key::new("gone", Shape::Text, "there is no replacement: what to say at each use"),
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
}

/// What stands between a base and a symbol below it.
fn joint(action: &Action) -> impl Fn(&str) -> &'static str {
    let language = action.scope.lang.as_ref().and_then(|l| emendo_languages::language(&l.text));
    move |base: &str| match language {
        Some(l)
            if !l.names.module_separator.is_empty() && !base.contains(l.names.module_separator) =>
        {
            l.names.module_separator
        }
        Some(l) => l.names.separator,
        None => ".",
    }
}

/// The old and new names of an action, for symbols that are known under both.
pub(crate) fn renames(action: &Action, source: &emendo_recipe::Source) -> Vec<(String, String)> {
    let mut ignored = Vec::new();
    let rows = pairs(action, source, &joint(action), &mut ignored);
    let name = |t: &str| rows::overload(t).0.to_owned();
    // One overload that gets another name does not make the two names one.
    let all = rows.iter().filter(|p| rows::overload(&p.old.text).1.is_none());
    all.filter_map(|p| Some((name(&p.old.text), name(&p.new.as_ref()?.text)))).collect()
}

impl Kind for Symbol {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        Some(Box::new(compile(action, cx)?))
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        let in_files = action.table.texts("mentions").iter().any(|m| m.text == "files");
        if !in_files {
            return Vec::new();
        }
        // What is wrong was said before.
        let mut ignored = Vec::new();
        let mut quiet = CompileCx { out: &mut ignored, ..*cx };
        let rows = compile(action, &mut quiet).map(|r| r.rows);
        rows.map(|rows| Box::new(Mentions::new(rows, action)) as Box<dyn Runner>)
            .into_iter()
            .collect()
    }
}

fn compile(action: &Action, cx: &mut CompileCx<'_>) -> Option<SymbolRunner> {
    let language = language(action, cx)?;
    let what = What::of(&action.table.text("what")?.text);
    for m in action.table.texts("mentions") {
        if !MENTIONS.contains(&m.text.as_str()) {
            let d = Diagnostic::error(format!("nothing is called `{}` here", m.text), m.span);
            cx.out.push(d.help(format!("`mentions` is a list of: {}", MENTIONS.join(", "))));
            return None;
        }
    }
    let rows = Rows::compile(action, language, what, &joint(action), cx)?;
    let needs = Needs::of(rows.needs());
    let mentions = |word: &str| action.table.texts("mentions").iter().any(|m| m.text == word);
    Some(SymbolRunner {
        covers: Box::new(covers_code(action, language)),
        what,
        strings: mentions("strings"),
        docs: mentions("docs"),
        becomes: action.table.text("becomes").is_some(),
        watching: false,
        rows,
        needs,
    })
}

pub(crate) struct SymbolRunner {
    covers: Box<dyn Fn(&RelPath) -> bool + Send + Sync>,
    what: What,
    strings: bool,
    docs: bool,
    becomes: bool,
    /// It only looks for what is left.
    watching: bool,
    rows: Rows,
    needs: Needs,
}

impl Runner for SymbolRunner {
    fn kind(&self) -> &'static str {
        "symbol"
    }
    fn covers(&self, path: &RelPath) -> bool {
        (self.covers)(path)
    }
    fn language(&self) -> Option<&'static Language> {
        Some(self.rows.language)
    }
    fn needs(&self) -> &Needs {
        &self.needs
    }
    fn symbols(&self) -> Vec<String> {
        let all = self.rows.written().flat_map(|r| [r.olds.first().cloned(), r.new.clone()]);
        let kept = self.rows.except.iter().filter(|e| !e.contains('*')).cloned();
        all.flatten().chain(kept).collect()
    }
    fn subjects(&self) -> Vec<Subject> {
        let member = self.what.member();
        let olds = self.rows.all.iter().flat_map(|r| &r.olds);
        olds.map(|symbol| Subject { symbol: symbol.clone(), member }).collect()
    }
    fn packages(&self) -> Vec<String> {
        if self.what == What::Package {
            self.rows.written().filter_map(|r| r.olds.first().cloned()).collect()
        } else {
            Vec::new()
        }
    }
    fn asks_declarations(&self) -> bool {
        true
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let place = Place::new(cx, code, action);
        self.imports(&place, out);
        let words = self.rows.words(&code.facts);
        for same in words.chunk_by(|a, b| a.0.span == b.0.span) {
            for (row, old, meant) in self.meanings(&place, same) {
                self.word(&place, same[0].0, row, &self.rows.all[row].olds[old], meant, out);
            }
        }
        self.in_text(&place, out);
    }

    fn rows(&self) -> Vec<String> {
        self.rows.written().map(|r| r.olds[0].clone()).collect()
    }

    fn replaces(&self) -> Replaces {
        let mut out = Replaces { kept: self.rows.except.clone(), ..Replaces::default() };
        for r in self.rows.written() {
            let (what, advice) = (self.what, r.advice.clone());
            out.old.push(Old { symbol: r.olds[0].clone(), what, advice });
            out.new.extend(r.new.clone());
        }
        out
    }

    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let reaches = std::cell::OnceCell::new();
        let place = Place { cx, code, resolver, action: 0, reaches };
        self.still_there(&place, out);
    }
}

/// A file under the eyes of one action.
pub(crate) struct Place<'a> {
    pub(crate) cx: &'a FileCx<'a>,
    pub(crate) code: &'a Code,
    pub(crate) resolver: Resolver<'a>,
    action: usize,
    reaches: std::cell::OnceCell<bool>,
}

impl<'a> Place<'a> {
    pub(crate) fn new(cx: &'a FileCx<'a>, code: &'a Code, action: usize) -> Self {
        let reaches = std::cell::OnceCell::new();
        Self { cx, code, resolver: cx.resolver(code), action, reaches }
    }

    /// True if the file names anything of the library.
    fn reaches(&self) -> bool {
        *self.reaches.get_or_init(|| self.resolver.reaches(self.cx.packages, self.cx.text))
    }

    pub(crate) fn text(&self, at: Span) -> &str {
        at.of(self.cx.text)
    }
}

impl SymbolRunner {
    fn note(&self, r: &Row, at: Span, out: &mut Found) {
        out.notes.push(NoteDraft { at, say: format!("`{}`: {}", r.olds[0], r.said()) });
    }
}

/// What a word is to a row.
enum Meant {
    /// A use by names alone: the segments that are written, with their places.
    Path(Vec<(String, Span)>, Vec<emendo_lang::Fact>),
    /// Only the word itself: behind an object, or where it is declared.
    Token(Vec<emendo_lang::Fact>),
    /// Only for some of the types that it may be of.
    Partly(Fact),
}

impl Meant {
    fn add(&mut self, more: Option<Fact>) {
        if let Self::Path(_, facts) | Self::Token(facts) = self {
            facts.extend(more);
        }
    }

    fn certainty(&self) -> Certainty {
        let (Self::Path(_, facts) | Self::Token(facts)) = self else { return Certainty::Unsure };
        facts.iter().map(|f| f.says).min().unwrap_or(Certainty::Unsure)
    }
}

impl SymbolRunner {
    /// The words of a file that mean one of the symbols, with the row of each and why.
    pub(crate) fn meant_places(
        &self,
        p: &Place<'_>,
        out: &mut Found,
    ) -> Vec<(Word, usize, Vec<Fact>)> {
        let words = self.rows.words(&p.code.facts);
        let mut found = Vec::new();
        for same in words.chunk_by(|a, b| a.0.span == b.0.span) {
            for (row, old, meant) in self.meanings(p, same) {
                match meant {
                    Meant::Path(_, facts) | Meant::Token(facts) => {
                        found.push((same[0].0, row, facts));
                    }
                    Meant::Partly(fact) => {
                        let old = &self.rows.all[row].olds[old];
                        let say = format!("`{old}` may be meant here: {}", fact.text);
                        out.notes.push(NoteDraft { at: same[0].0.span, say });
                    }
                }
            }
        }
        found
    }

    /// The symbol of a row.
    pub(crate) fn symbol_of(&self, row: usize) -> &String {
        self.rows.symbol(row)
    }

    /// What the rows that end like a word make of it. What is known of one row contradicts a guess of another.
    fn meanings(&self, p: &Place<'_>, same: &[(Word, usize, usize)]) -> Vec<(usize, usize, Meant)> {
        let all = same.iter().filter_map(|(word, row, old)| {
            let r = &self.rows.all[*row];
            if r.short_for.is_some() && !self.is_shortened(p, word, *row) {
                return None;
            }
            let mut meant = self.meant(p, word, &r.olds[*old])?;
            if let Some(parameters) = &r.parameters {
                meant.add(self.overloaded(p, word, parameters)?);
            }
            Some((*row, *old, meant))
        });
        let mut all: Vec<(usize, usize, Meant)> = all.collect();
        let best = all.iter().map(|m| m.2.certainty()).max();
        all.retain(|m| Some(m.2.certainty()) == best);
        all.dedup_by_key(|m| m.0);
        all
    }

    /// True if a word leaves out the end of the old name, and means it.
    fn is_shortened(&self, p: &Place<'_>, word: &Word, row: usize) -> bool {
        let names = &self.rows.language.names;
        let (kinds, end) = names.shortened;
        let Some(path) = self.path_of(p, word) else { return false };
        let mut words: Vec<String> = path.iter().map(|s| s.0.clone()).collect();
        if let Some(last) = words.last_mut() {
            last.push_str(end);
        }
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let space = if words.len() > 1 { Space::Value } else { Space::Type };
        p.code.tree.names_one(word.span, kinds, self.rows.language.words.paths)
            && p.resolver.means(&words, space, path[0].1.start, self.rows.symbol(row)).is_some()
    }

    /// Does a word mean `old`? `None` if not, or if nothing tells and the file never reaches the library.
    fn meant(&self, p: &Place<'_>, word: &Word, old: &str) -> Option<Meant> {
        let names = &self.rows.language.names;
        let path = self.path_of(p, word);
        if let Some(path) = &path
            && word.space != Space::Declared
        {
            let words: Vec<&str> = path.iter().map(|s| s.0.as_str()).collect();
            let packages =
                !self.rows.language.imports.packages.is_empty() && self.what == What::Package;
            let space = if path.len() > 1 { Space::Value } else { word.space };
            let plain =
                (path.len() > 1 || !packages) && !(word.space == Space::Member && path.len() == 1);
            if plain && let Some(fact) = p.resolver.means(&words, space, path[0].1.start, old) {
                return Some(Meant::Path(path.clone(), vec![fact]));
            }
        }
        if let Some(fact) = self.loaded(p, word, old) {
            return Some(Meant::Token(vec![fact]));
        }
        let free = !self.what.member() || self.what == What::Constant;
        if word.space == Space::Declared && !word.key && free {
            // Assigned beside an import of the same name: what stands in for it elsewhere.
            let name = names.last(old);
            let beside = p.code.facts.is_top(word.span)
                && p.resolver
                    .import_at(name, word.span.start)
                    .is_some_and(|i| i.local() == Some(name));
            if beside
                && let Some(fact) = p.resolver.means(&[name], Space::Value, word.span.start, old)
            {
                return Some(Meant::Path(vec![(name.to_owned(), word.span)], vec![fact]));
            }
            let declared = self.declared(p, word, old);
            if declared.is_some() || !self.what.member() {
                return declared;
            }
        }
        if word.key
            && let Some(owner) = word.receiver
            && self.what != What::Package
        {
            // A key of what stands before it, or of what it is taken from.
            let mut path = uses::segments(p.cx.text, owner);
            path.push((p.text(word.span).to_owned(), word.span));
            let words: Vec<&str> = path.iter().map(|s| s.0.as_str()).collect();
            if let Some(fact) = p.resolver.means(&words, Space::Value, owner.start, old) {
                return Some(Meant::Token(vec![fact]));
            }
        }
        let owner = names.parent(old);
        let is_owner = |s: &str| s == owner;
        if !self.what.member() {
            // A function of the types around, called without naming one.
            let implied = self.rows.language.modules.is_none()
                && word.receiver.is_none()
                && !word.key
                && p.text(word.span) == names.last(old)
                && p.cx.text[word.span.end as usize..].trim_start().starts_with('(');
            let called =
                implied.then(|| p.resolver.member_of(word, p.cx.text, &is_owner, p.cx.packages));
            return match called {
                Some(Owner::Is(facts)) => Some(Meant::Token(facts)),
                _ => None,
            };
        }
        if !self.fits_form(p, word, old) {
            return None;
        }
        match p.resolver.member_of(word, p.cx.text, &is_owner, p.cx.packages) {
            Owner::Is(facts) => Some(Meant::Token(facts)),
            Owner::Not => None,
            Owner::Partly(fact) => Some(Meant::Partly(fact)),
            Owner::Unknown(fact) => {
                // Where the file never names the library, it is nothing to change, but something to look at.
                let near = self.watching || p.reaches();
                let may = !word.key && self.what != What::Constant && near;
                may.then(|| Meant::Token(vec![fact]))
            }
        }
    }

    /// A member of a module that is loaded right before the dot.
    fn loaded(&self, p: &Place<'_>, word: &Word, old: &str) -> Option<Fact> {
        let names = &self.rows.language.names;
        let before =
            p.text(word.receiver?).trim().trim_start_matches('(').trim_start_matches("await ");
        let call = self
            .rows
            .language
            .exports
            .loads
            .iter()
            .filter(|l| l.ends_with('('))
            .find_map(|l| before.strip_prefix(l))?;
        let module = call.trim().trim_end_matches(')').trim();
        let module = module.trim_matches(['"', '\'', '`']);
        if module.is_empty() || module.contains(['"', '\'', '(', '`']) {
            return None;
        }
        let modules = self.rows.language.modules.as_ref()?;
        let files = p.cx.project.files();
        let absolute = (modules.absolute)(&[module], &p.code.facts.module, p.cx.path, files);
        let whole =
            absolute.and_then(|a| a.into_iter().next()).unwrap_or_else(|| module.to_owned());
        let symbol = names.join(&[whole.as_str(), p.text(word.span)]);
        let through = || p.cx.project.canonical(self.rows.language, &symbol);
        let says = if symbol == old {
            Certainty::Certain
        } else if through().is_some_and(|t| t.symbol == old && !t.fixed) {
            Certainty::Likely
        } else {
            return None;
        };
        Some(Fact { says, text: format!("`{module}` is loaded here"), at: None })
    }

    /// The dotted name that a word ends, if it is one.
    fn path_of(&self, p: &Place<'_>, word: &Word) -> Option<Vec<(String, Span)>> {
        let whole = match word.receiver.filter(|_| !word.key && word.space == Space::Member) {
            Some(r) => r.hull(word.span),
            None => word.span,
        };
        let text = p.text(whole);
        if text.len() > 400 || text.contains(['(', '[', '"', '\'', '<', '{']) {
            return None;
        }
        let mut path = uses::segments(p.cx.text, whole);
        if path.len() > 1 && path[0].0 == self.rows.language.names.root {
            path.remove(0);
        }
        (!path.is_empty()).then_some(path)
    }
}

/// Identity of a row: what it looks for.
fn row_digest(old: &str) -> emendo_text::Digest {
    action_digest("symbol", old)
}
