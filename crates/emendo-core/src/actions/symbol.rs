//! `symbol`: a package or type gets another name, in imports, uses and full names.

use std::collections::HashMap;

use emendo_lang::{
    Certainty, Fact, Import, ImportName, Language, Resolver, Space, Splice, Word, respell,
    token_texts,
};
use emendo_recipe::{Action, ActionKind, Key, Shape, pairs};
use emendo_text::{Diagnostic, Digest, RelPath, Span};

use super::{CompileCx, FileCx, Kind, Runner, action_digest, covers_code, language};
use crate::edit::{Change, Code, Draft, Found, NoteDraft};
use crate::narrow::Needs;

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
const BUILT: &[&str] = &["package", "type"];

const KEYS: &[Key] = &[
    Key::required("what", Shape::Words(WHAT), "what the symbols are: package or type"),
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
    Key::later("gone"),
    Key::later("becomes"),
    Key::later("mentions"),
];

impl ActionKind for Symbol {
    fn name(&self) -> &'static str {
        "symbol"
    }
    fn about(&self) -> &'static str {
        "renames packages and types wherever they are imported or used"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

/// The old and new names of an action, for symbols that are known under both.
pub(crate) fn renames(action: &Action, source: &emendo_recipe::Source) -> Vec<(String, String)> {
    let mut ignored = Vec::new();
    let rows = pairs(action, source, &mut ignored);
    rows.into_iter().filter_map(|p| Some((p.old.text, p.new?.text))).collect()
}

impl Kind for Symbol {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let language = language(action, cx)?;
        let what = action.table.text("what")?;
        if !language.names.symbols {
            let d = Diagnostic::error(
                format!("renames of symbols are not built yet for {}", language.title),
                action.span,
            );
            cx.out.push(d.help("write `[[step.code]]` with `names` for each form of use"));
            return None;
        }
        if !BUILT.contains(&what.text.as_str()) {
            let d = Diagnostic::error(
                format!("symbols of kind `{}` are not built yet", what.text),
                what.span,
            );
            cx.out.push(d.help(format!("built so far: {}", BUILT.join(", "))));
            return None;
        }
        let found = pairs(action, &cx.recipe.source, cx.out);
        if found.is_empty() {
            cx.out.push(
                Diagnostic::error("this action names no symbol", action.span)
                    .help("write `old` and `new`, `pairs` or `table`"),
            );
            return None;
        }
        let separator = language.names.separator;
        let mut rows = Vec::new();
        for p in &found {
            let plain = |t: &emendo_recipe::Text| {
                t.text.split(separator).all(|s| {
                    !s.is_empty()
                        && s.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$'))
                })
            };
            let mut named = [Some(&p.old), p.new.as_ref()].into_iter().flatten();
            if let Some(t) = named.find(|t| !plain(t)) {
                let d = Diagnostic::error(
                    format!("`{}` is no symbol of {}", t.text, language.title),
                    t.span,
                );
                cx.out.push(d.help(format!(
                    "write the full name: `a{separator}b{separator}Name`, without wildcards"
                )));
                return None;
            }
            if p.new.is_none() && p.advice.is_none() {
                let d =
                    Diagnostic::error(format!("nothing happens to `{}`", p.old.text), p.old.span);
                cx.out.push(d.help("write `new`, or advice as the third of the pair"));
                return None;
            }
            let new = p.new.as_ref().map(|n| n.text.clone());
            // A half-done upgrade may have the symbol under a name that another row gave it.
            let mut olds = cx.spellings.of(&p.old.text);
            olds.retain(|o| Some(o) != new.as_ref());
            rows.push(Row {
                digest: action_digest("symbol", &p.old.text),
                olds,
                new,
                advice: p.advice.clone(),
            });
        }
        let mut by_last: HashMap<String, Vec<(usize, usize)>> = HashMap::new();
        let mut by_old: HashMap<String, (usize, usize)> = HashMap::new();
        for (i, r) in rows.iter().enumerate() {
            for (n, old) in r.olds.iter().enumerate() {
                by_last.entry(last(old).to_owned()).or_default().push((i, n));
                let hit = by_old.entry(old.clone()).or_insert((i, n));
                if n == 0 {
                    *hit = (i, 0);
                }
            }
        }
        let needs = Needs::of(rows.iter().flat_map(|r| &r.olds).map(|o| vec![o.clone()]));
        Some(Box::new(SymbolRunner {
            language,
            covers: Box::new(covers_code(action, language)),
            package: what.text == "package",
            except: action.table.texts("except").into_iter().map(|t| t.text.clone()).collect(),
            rows,
            by_last,
            by_old,
            needs,
        }))
    }
}

fn last(symbol: &str) -> &str {
    symbol.rsplit('.').next().unwrap_or(symbol)
}

fn parent(symbol: &str) -> &str {
    symbol.rsplit_once('.').map_or("", |(p, _)| p)
}

struct Row {
    digest: Digest,
    /// The old symbol, and other names that it may have by now.
    olds: Vec<String>,
    new: Option<String>,
    advice: Option<String>,
}

struct SymbolRunner {
    language: &'static Language,
    covers: Box<dyn Fn(&RelPath) -> bool + Send + Sync>,
    package: bool,
    except: Vec<String>,
    rows: Vec<Row>,
    /// Row and old name, by the last part of the name.
    by_last: HashMap<String, Vec<(usize, usize)>>,
    /// Row and old name, by the whole name.
    by_old: HashMap<String, (usize, usize)>,
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
        Some(self.language)
    }
    fn needs(&self) -> &Needs {
        &self.needs
    }
    fn symbols(&self) -> Vec<String> {
        let all = self.rows.iter().flat_map(|r| [r.olds.first().cloned(), r.new.clone()]);
        all.flatten().chain(self.except.iter().filter(|e| !e.contains('*')).cloned()).collect()
    }
    fn packages(&self) -> Vec<String> {
        if self.package {
            self.rows.iter().filter_map(|r| r.olds.first().cloned()).collect()
        } else {
            Vec::new()
        }
    }
    fn asks_declarations(&self) -> bool {
        true
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let place = Place { cx, code, resolver, action };
        for import in &code.facts.imports {
            self.import(&place, import, out);
        }
        let mut hits: Vec<(Word, (usize, usize))> = Vec::new();
        if self.rows.len() < 64 {
            for (name, rows) in &self.by_last {
                hits.extend(
                    code.facts.words(name).iter().flat_map(|w| rows.iter().map(|r| (*w, *r))),
                );
            }
        } else {
            for (name, words) in code.facts.all_words() {
                let Some(rows) = self.by_last.get(name) else { continue };
                hits.extend(words.iter().flat_map(|w| rows.iter().map(|r| (*w, *r))));
            }
        }
        hits.sort_by_key(|(w, r)| (w.span.start, *r));
        for (word, (row, old)) in hits {
            self.word(&place, word, row, &self.rows[row].olds[old], out);
        }
    }
}

/// A file under the eyes of one action.
struct Place<'a> {
    cx: &'a FileCx<'a>,
    code: &'a Code,
    resolver: Resolver<'a>,
    action: usize,
}

impl SymbolRunner {
    /// The row that decides about a full name: the longest that is the name or stands above it, unless it is excepted.
    fn row_of(&self, path: &str) -> Option<(usize, &str)> {
        if self.except.iter().any(|e| excepted(e, path)) {
            return None;
        }
        let mut at = path;
        loop {
            if let Some((row, old)) = self.by_old.get(at) {
                return Some((*row, &self.rows[*row].olds[*old]));
            }
            at = at.rsplit_once('.')?.0;
        }
    }

    fn import(&self, p: &Place<'_>, import: &Import, out: &mut Found) {
        let path = import.path();
        let Some((row, old)) = self.row_of(path) else {
            if import.wildcard && !import.is_static && !self.package {
                self.wildcard_of_moved_types(p, import, out);
            }
            return;
        };
        if p.cx.project.declares(parent(path), last(path))
            || (import.wildcard && p.cx.project.has_package(path))
        {
            return;
        }
        let r = &self.rows[row];
        let Some(new) = &r.new else {
            self.note(r, import.span, out);
            return;
        };
        let renamed_type = !self.package
            && path == old
            && !import.is_static
            && !import.wildcard
            && last(new) != last(old);
        if renamed_type
            && p.code
                .facts
                .words(last(old))
                .iter()
                .any(|w| !matches!(w.space, Space::Member | Space::Declared))
        {
            // The uses are the edits; the import follows from them.
            return;
        }
        let target = format!("{new}{}", &path[old.len()..]);
        if target == path {
            return;
        }
        let both = import.wildcard
            && p.code.facts.imports.iter().any(|i| i.wildcard && i.path() == target);
        if both {
            // Both are here already: a wildcard that was split before.
            return;
        }
        let fact = Fact {
            says: Certainty::Certain,
            text: format!("`{path}` is imported by its full name"),
            at: Some(import.span),
        };
        let splice = match self.kept_below(p, import, path) {
            // Some names of the wildcard stay behind: it becomes two.
            true => {
                let name = ImportName {
                    is_static: import.is_static,
                    path: target,
                    wildcard: true,
                    alias: None,
                };
                self.below(p, import, &name)
            }
            false => respell(
                &self.language.names,
                &import.segments,
                &self.language.names.segments(&target),
            ),
        };
        self.draft(
            p,
            row,
            import.span,
            vec![import.path_span()],
            vec![splice],
            Vec::new(),
            vec![fact],
            out,
        );
    }

    /// A new import on a line of its own below another.
    fn below(&self, p: &Place<'_>, import: &Import, name: &ImportName) -> Splice {
        let lead = line_of(p.cx.text, import.span.start);
        let statement = (self.language.names.write_import)(name, None);
        Splice::text(
            Span::at(import.span.end as usize),
            format!("{}{lead}{statement}", p.cx.line_end),
        )
    }

    /// True if a wildcard import brings names in that `except` keeps, and the file uses one.
    fn kept_below(&self, p: &Place<'_>, import: &Import, path: &str) -> bool {
        import.wildcard
            && self.except.iter().any(|e| {
                let name = e
                    .strip_prefix(path)
                    .and_then(|r| r.strip_prefix('.'))
                    .and_then(|r| r.split('.').next());
                name.is_some_and(|n| {
                    n == "*"
                        || n == "**"
                        || p.code.facts.words(n).iter().any(|w| w.space != Space::Member)
                })
            })
    }

    /// Types that move away from a package whose wildcard the file imports get an import of their own.
    fn wildcard_of_moved_types(&self, p: &Place<'_>, import: &Import, out: &mut Found) {
        let mut rows: Vec<(usize, usize)> = self
            .by_last
            .iter()
            .filter(|(name, _)| !p.code.facts.words(name).is_empty())
            .flat_map(|(_, rows)| rows.iter().copied())
            .filter(|(r, o)| parent(&self.rows[*r].olds[*o]) == import.path())
            .collect();
        rows.sort_unstable();
        for (row, old) in rows {
            let r = &self.rows[row];
            let old = &r.olds[old];
            let Some(new) =
                r.new.as_ref().filter(|n| last(n) == last(old) && parent(n) != parent(old))
            else {
                continue;
            };
            let used = p.code.facts.words(last(old)).iter().find_map(|w| {
                let fact = p.resolver.means(&[last(old)], w.space, w.span.start, old)?;
                matches!(w.space, Space::Type | Space::Value).then_some(fact)
            });
            let known = p.code.facts.import_of(new).is_some();
            let Some(fact) = used.filter(|_| !known) else { continue };
            let name =
                ImportName { is_static: false, path: new.clone(), wildcard: false, alias: None };
            let splice = self.below(p, import, &name);
            self.draft(
                p,
                row,
                import.span,
                vec![import.path_span()],
                vec![splice],
                Vec::new(),
                vec![fact],
                out,
            );
        }
    }

    fn word(&self, p: &Place<'_>, word: Word, row: usize, old: &str, out: &mut Found) {
        let r = &self.rows[row];
        if word.space == Space::Declared {
            return;
        }
        if word.path_start < word.span.start {
            self.dotted(p, word, row, old, out);
            return;
        }
        if self.package || matches!(word.space, Space::Member | Space::Callable) {
            return;
        }
        let name = last(old);
        let Some(fact) = p.resolver.means(&[name], word.space, word.span.start, old) else {
            return;
        };
        let Some(new) = &r.new else {
            self.note(r, word.span, out);
            return;
        };
        if last(new) == name {
            return;
        }
        self.rename_use(p, row, word, word.span, fact, new, out);
    }

    /// A name in full, or a nested type behind its outer one.
    fn dotted(&self, p: &Place<'_>, word: Word, row: usize, old: &str, out: &mut Found) {
        let r = &self.rows[row];
        let whole = Span { start: word.path_start, end: word.span.end };
        let segments = segments(p.cx.text, whole);
        let path: Vec<&str> = segments.iter().map(|(s, _)| s.as_str()).collect();
        let written = path.join(".");
        if written == old {
            let ahead = ahead(p.cx.text, word.span.end);
            let full = format!("{written}{ahead}");
            let excepted = self.except.iter().any(|e| excepted(e, &full));
            if excepted || self.row_of(&full).map(|r| r.0) != Some(row) {
                return;
            }
            let own = self.package && full.split('.').count() > path.len() && {
                let next =
                    full[written.len()..].trim_start_matches('.').split('.').next().unwrap_or("");
                p.cx.project.declares(&written, next)
            };
            let fact = p.resolver.means(&path, word.space, word.path_start, old);
            let Some(fact) = fact.filter(|_| !own && path.len() > 1) else { return };
            match &r.new {
                Some(new) => {
                    let splice = respell(
                        &self.language.names,
                        &segments,
                        &self.language.names.segments(new),
                    );
                    self.draft(
                        p,
                        row,
                        whole,
                        vec![whole],
                        vec![splice],
                        Vec::new(),
                        vec![fact],
                        out,
                    );
                }
                None => self.note(r, whole, out),
            }
            return;
        }
        if self.package || !old.ends_with(&format!(".{written}")) {
            return;
        }
        let Some(fact) = p.resolver.means(&path, Space::Value, word.path_start, old) else {
            return;
        };
        match &r.new {
            Some(new) if parent(new) == parent(old) => {
                let splice = Splice::text(word.span, last(new));
                self.draft(p, row, whole, vec![whole], vec![splice], Vec::new(), vec![fact], out);
            }
            Some(new) => self.rename_use(p, row, word, whole, fact, new, out),
            None => self.note(r, whole, out),
        }
    }

    /// A use becomes the new simple name, with an import; or the full name, where the simple one is taken.
    #[allow(clippy::too_many_arguments)]
    fn rename_use(
        &self,
        p: &Place<'_>,
        row: usize,
        word: Word,
        at: Span,
        fact: Fact,
        new: &str,
        out: &mut Found,
    ) {
        let simple = last(new);
        let known = p.resolver.means(&[simple], word.space, word.span.start, new).is_some();
        let (text, imports) = if known {
            (simple.to_owned(), p.code.facts.import_of(new).into_iter().collect())
        } else if p.resolver.taken(simple, word.space, word.span.start, new) {
            (new.to_owned(), Vec::new())
        } else {
            (
                simple.to_owned(),
                vec![ImportName {
                    is_static: false,
                    path: new.to_owned(),
                    wildcard: false,
                    alias: None,
                }],
            )
        };
        self.draft(p, row, at, vec![at], vec![Splice::text(at, text)], imports, vec![fact], out);
    }

    fn note(&self, r: &Row, at: Span, out: &mut Found) {
        let advice = r.advice.clone().unwrap_or_default();
        out.notes.push(NoteDraft { at, say: format!("`{}`: {advice}", r.olds[0]) });
    }

    #[allow(clippy::too_many_arguments)]
    fn draft(
        &self,
        p: &Place<'_>,
        row: usize,
        hull: Span,
        tokens: Vec<Span>,
        splices: Vec<Splice>,
        imports: Vec<ImportName>,
        evidence: Vec<Fact>,
        out: &mut Found,
    ) {
        let splices: Vec<Splice> =
            splices.into_iter().filter(|s| !(s.span.is_empty() && s.parts.is_empty())).collect();
        if splices.is_empty() {
            return;
        }
        let certainty = evidence.iter().map(|e| e.says).min().unwrap_or(Certainty::Unsure);
        out.drafts.push(Draft {
            action: (p.action, row),
            digest: self.rows[row].digest,
            hull,
            tokens,
            change: Change { splices, imports, ..Change::default() },
            certainty,
            evidence,
            alternatives: Vec::new(),
        });
    }
}

/// Is a symbol excepted? `a.b` is exactly that and what it contains, `a.b.*` names directly below, `a.b.**` all below.
fn excepted(except: &str, path: &str) -> bool {
    let below = |prefix: &str| path.strip_prefix(prefix).and_then(|r| r.strip_prefix('.'));
    if let Some(prefix) = except.strip_suffix(".**") {
        return path == prefix || below(prefix).is_some();
    }
    if let Some(prefix) = except.strip_suffix(".*") {
        return below(prefix).is_some();
    }
    path == except || below(except).is_some()
}

/// The segments of a dotted name, with blanks and comments between them left out.
fn segments(text: &str, at: Span) -> Vec<(String, Span)> {
    let mut out = Vec::new();
    let source = at.of(text);
    let mut comment: Option<&str> = None;
    let mut tokens = token_texts(source).peekable();
    while let Some((i, t)) = tokens.next() {
        let next = tokens.peek().map(|(_, t)| *t);
        match comment {
            Some("*") if t == "*" && next == Some("/") => {
                tokens.next();
                comment = None;
                continue;
            }
            Some(_) => continue,
            None => {}
        }
        if t == "/" && next == Some("*") {
            tokens.next();
            comment = Some("*");
        } else if t.starts_with(|c: char| c.is_alphanumeric() || c == '_') {
            let start = at.start as usize + i;
            out.push((t.to_owned(), Span::new(start, start + t.len())));
        }
    }
    out
}

/// The dotted segments that follow directly: `.Station.open`.
fn ahead(text: &str, from: u32) -> String {
    let mut out = String::new();
    let mut dot = false;
    for (_, t) in token_texts(&text[from as usize..]).take(32) {
        let word = t.starts_with(|c: char| c.is_alphabetic() || c == '_');
        match (dot, word) {
            (false, false) if t == "." => dot = true,
            (true, true) => {
                out.push('.');
                out.push_str(t);
                dot = false;
            }
            _ => break,
        }
    }
    out
}

/// The blanks before a place on its line.
fn line_of(text: &str, at: u32) -> &str {
    let start = text[..at as usize].rfind(['\n', '\r']).map_or(0, |i| i + 1);
    let lead = &text[start..at as usize];
    if lead.trim().is_empty() { lead } else { "" }
}
