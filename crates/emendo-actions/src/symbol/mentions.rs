//! Names in text: literals that spell a full name, comments, and files that are not code.

use std::collections::HashSet;
use std::sync::Arc;

use aho_corasick::AhoCorasick;
use emendo_lang::language::Names;
use emendo_lang::{Certainty, Fact, FileFacts, Space};
use emendo_recipe::Action;
use emendo_recipe::Scope;
use emendo_text::{RelPath, Span, Splice};

use crate::contract::Tables;
use crate::contract::{Asks, Draft, FileCx, Found, Needs, Remains, Runner, SymbolKind, words};
use crate::meaning::{
    BETWEEN, Place, Rewritten, Rows, SymbolRunner, doubled_like, excepted, spelled_on, undoubled,
};

/// Marks by which comments link to a name.
const LINKS: &[&str] = &[
    "`",
    "[`",
    "[",
    "{@link ",
    "{@linkplain ",
    "@see ",
    "@throws ",
    "@exception ",
    "cref=\"",
    ":`",
    "~",
];

impl SymbolRunner {
    /// Literals and comments.
    pub(super) fn in_text(&self, p: &Place<'_>, out: &mut Found) {
        self.modules_in_strings(p, out);
        if self.strings {
            for at in &p.code.facts.strings {
                let Some((row, target)) = self.rows.respelled(p.text(*at)) else { continue };
                let imported = p.code.facts.imports.iter().any(|i| i.span.contains(*at));
                if !imported {
                    self.mention(p, row, *at, target, "the literal spells the full name", out);
                }
            }
        }
        if self.docs {
            let rows = self.rows.hinted(p.cx.text);
            let docs = p.code.facts.comments.iter().chain(&p.code.facts.docs);
            for at in docs.filter(|_| !rows.is_empty()) {
                self.comment(p, *at, &rows, out);
            }
            self.in_doc_code(p, out);
        }
    }

    /// Modules whose names are strings, where code loads them: no mentions, but uses.
    fn modules_in_strings(&self, p: &Place<'_>, out: &mut Found) {
        let names = &self.rows.language.names;
        if names.module_separator.is_empty() || self.what != SymbolKind::Package {
            return;
        }
        for at in &p.code.facts.strings {
            let before = p.cx.text[..at.start.saturating_sub(1) as usize].trim_end();
            let imported = p.code.facts.imports.iter().any(|i| i.span.contains(*at));
            let loads = self.rows.language.exports.loads.iter().any(|l| before.ends_with(l));
            if imported || !loads {
                continue;
            }
            let Some((row, target)) = self.rows.respelled(p.text(*at)) else { continue };
            let fact = Fact {
                says: Certainty::Certain,
                text: "the module is loaded by its name".into(),
                at: Some(*at),
            };
            let written = Rewritten {
                splices: vec![Splice::text(*at, target)],
                imports: Vec::new(),
                kept: Vec::new(),
            };
            self.draft(p, row, (*at, vec![*at]), written, vec![fact], out);
        }
    }

    fn mention(
        &self,
        p: &Place<'_>,
        row: usize,
        at: Span,
        target: String,
        why: &str,
        out: &mut Found,
    ) {
        let fact = Fact { says: Certainty::Likely, text: why.to_owned(), at: Some(at) };
        let written = Rewritten {
            splices: vec![Splice::text(at, target)],
            imports: Vec::new(),
            kept: Vec::new(),
        };
        self.draft(p, row, (at, vec![at]), written, vec![fact], out);
    }

    /// True where a row's name in a comment is a word of the code: a type that documentation tells.
    pub(super) fn is_word(&self, p: &Place<'_>, row: usize, at: Span) -> bool {
        let names = &self.rows.language.names;
        let olds = self.rows.all[row].olds.iter();
        olds.flat_map(|o| p.code.facts.words(names.last(o))).any(|w| at.contains(w.span))
    }

    /// Full names in a comment, and links by a name that means the symbol there.
    fn comment(&self, p: &Place<'_>, comment: Span, rows: &[usize], out: &mut Found) {
        let names = &self.rows.language.names;
        let text = p.text(comment);
        for (row, at, target) in self.rows.spelled_in(text, rows) {
            let at = at.shifted(comment.start as usize);
            if !self.is_word(p, row, at) {
                self.mention(p, row, at, target, "the comment spells the full name", out);
            }
        }
        for row in rows {
            let r = &self.rows.all[*row];
            let Some(new) = &r.new else { continue };
            for (local, module) in aliases(&p.code.facts) {
                let under = |symbol: &str| under(names, symbol, local, module);
                for (alias, old) in r.olds.iter().filter_map(|o| Some((under(o)?, o))) {
                    let target = under(new).unwrap_or_else(|| new.clone());
                    for at in spelled_in(text, &alias, self.what == SymbolKind::Package) {
                        let target = doubled_like(at.of(text), &target);
                        let at = at.shifted(comment.start as usize);
                        let why = format!(
                            "the comment spells `{old}` by the file's own name for `{module}`"
                        );
                        self.mention(p, *row, at, target, &why, out);
                    }
                }
            }
            for old in &r.olds {
                let last = names.last(old);
                if names.last(new) == last {
                    continue;
                }
                for at in comment_mentions(text, last) {
                    let place = comment.start + at.start;
                    let here = at.shifted(comment.start as usize);
                    if self.is_word(p, *row, here) {
                        continue;
                    }
                    if let Some(fact) = p.resolver.means(&[last], Space::Type, place, old) {
                        let at = here;
                        self.mention(p, *row, at, names.last(new).to_owned(), &fact.text, out);
                    }
                }
            }
        }
    }
}

/// The file's own names for modules and types: the name, and what it stands for.
pub(super) fn aliases(facts: &FileFacts) -> Vec<(&str, &str)> {
    let own = facts.imports.iter().filter(|i| i.aliased() && !i.binds_root && !i.wildcard);
    own.filter_map(|i| Some((i.local()?, i.path()))).collect()
}

/// A symbol as it is written below the file's own name for what it lies in.
pub(super) fn under(names: &Names, symbol: &str, local: &str, module: &str) -> Option<String> {
    let rest = symbol.strip_prefix(module)?;
    let separators = [names.member_mark, names.module_separator, names.separator];
    let found = separators.into_iter().find(|s| !s.is_empty() && rest.starts_with(s))?;
    let (cut, rest) = (found, &rest[found.len()..]);
    let between = if cut == names.member_mark { cut } else { names.separator };
    Some(format!("{local}{between}{rest}"))
}

impl Rows {
    /// A text that is exactly a full name of a row, or of something below its package: what it becomes.
    fn respelled(&self, text: &str) -> Option<(usize, String)> {
        if text.len() > 400 || text.contains(char::is_whitespace) {
            return None;
        }
        let written = text;
        // A name in full may begin with a backslash, and a text may double it.
        let whole = undoubled(written);
        let text = self.language.names.in_full("");
        let text = whole.strip_prefix(&text).filter(|_| !text.is_empty()).unwrap_or(&whole);
        let lead = &whole[..whole.len() - text.len()];
        let (row, old) = self.deciding(text)?;
        let below = &text[old.len()..];
        if !below.is_empty() && self.what != SymbolKind::Package {
            return None;
        }
        let r = &self.all[row];
        let new = r.new_for(&self.language.names, old)?;
        (old.len() < text.len()
            || self.language.names.segments(old).len() > 1
            || self.what == SymbolKind::Package)
            .then(|| (row, doubled_like(written, &format!("{lead}{new}{below}"))))
    }

    /// The full names in a text, with what they become.
    fn spelled_in(&self, text: &str, rows: &[usize]) -> Vec<(usize, Span, String)> {
        let mut out: Vec<(usize, Span, String)> = Vec::new();
        for i in rows.iter().copied() {
            let r = &self.all[i];
            for old in &r.olds {
                let Some(new) = r.new_for(&self.language.names, old) else { continue };
                for at in spelled_in(text, old, self.what == SymbolKind::Package) {
                    if !self.keeps(&spelled_on(text, at)) && !out.iter().any(|o| o.1.meets(at)) {
                        out.push((i, at, doubled_like(at.of(text), &new)));
                    }
                }
            }
        }
        out.sort_by_key(|o| o.1.start);
        out
    }
}

/// Where a full name stands in a text by itself. A name of one part only is not a full name.
pub(super) fn spelled_in(text: &str, name: &str, below: bool) -> Vec<Span> {
    let doubled = name.replace('\\', "\\\\");
    let mut out = spelled_so(text, name, below);
    if doubled != name && text.contains("\\\\") {
        out.extend(spelled_so(text, &doubled, below));
        out.sort();
    }
    out
}

fn spelled_so(text: &str, name: &str, below: bool) -> Vec<Span> {
    let single = !name.contains(BETWEEN);
    let found = memchr::memmem::find_iter(text.as_bytes(), name.as_bytes());
    let word = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    found
        .filter(|at| {
            let (before, after) = (&text[..*at], &text[at + name.len()..]);
            let inner = before.trim_end_matches('\\');
            let starts = !before.ends_with(|c: char| word(c) || matches!(c, '.' | '/' | '-' | '@'))
                && (inner.len() == before.len() || !inner.ends_with(word));
            let next = after.chars().next();
            let goes_on = after.starts_with(['.', ':', '/', '-', '\\'])
                && after[1..].trim_start_matches([':', '\\']).starts_with(word);
            if single && !(below && goes_on && !after.starts_with(['-', '/'])) {
                return false;
            }
            let own_file = after.starts_with('-') && goes_on;
            starts
                && !next.is_some_and(word)
                && !own_file
                && (below || !goes_on || !after.starts_with(['/', '\\']))
        })
        .map(|at| Span::new(at, at + name.len()))
        .collect()
}

/// True for a name that nothing but a name of code looks like: a single word is one only where more follows than the
/// ending of a file would.
fn tells(text: &str, at: Span) -> bool {
    if at.of(text).contains(BETWEEN) {
        return true;
    }
    let whole = spelled_on(text, at);
    let parts = whole.split(['.', ':']).filter(|p| !p.is_empty());
    let (count, named) = parts.skip(1).fold((0, false), |(n, named), part| {
        (n + 1, named || part.starts_with(char::is_uppercase))
    });
    count > 1 || named
}

/// Where a word stands by itself.
fn words_of<'t>(text: &'t str, word: &'t str) -> impl Iterator<Item = Span> + 't {
    let part = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    memchr::memmem::find_iter(text.as_bytes(), word.as_bytes())
        .filter(move |at| {
            !text[..*at].ends_with(part) && !text[at + word.len()..].starts_with(part)
        })
        .map(move |at| Span::new(at, at + word.len()))
        .collect::<Vec<_>>()
        .into_iter()
}

/// Names in a comment that are links, or spelled in full.
pub(super) fn comment_mentions(text: &str, last: &str) -> Vec<Span> {
    words_of(text, last)
        .filter(|at| {
            LINKS.iter().any(|l| text[..at.start as usize].trim_end_matches('#').ends_with(l))
        })
        .collect()
}

/// Full names in files that are not code.
pub(super) struct Mentions {
    rows: Rows,
    needs: Needs,
    tables: Arc<Tables>,
    scope: Scope,
}

impl Mentions {
    pub(super) fn new(tables: &Arc<Tables>, rows: Rows, action: &Action) -> Self {
        let needs = Needs::of(rows.all.iter().flat_map(|r| &r.olds).map(|o| vec![o.clone()]));
        Self { rows, needs, tables: tables.clone(), scope: action.scope.clone() }
    }
}

impl Runner for Mentions {
    fn asks(&self) -> Asks {
        Asks { kind: "symbol", needs: self.needs.clone(), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.tables.language_of(path).is_none() && self.scope.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        for (row, at, target) in self.rows.spelled_in(cx.text, &self.rows.hinted(cx.text)) {
            if !tells(cx.text, at) {
                continue;
            }
            let text = "the file spells the full name".to_owned();
            let fact = Fact { says: Certainty::Likely, text, at: Some(at) };
            let draft = Draft::new((action, row), self.rows.all[row].digest, at, vec![fact]);
            out.drafts.push(draft.writing(vec![Splice::text(at, target)]));
        }
    }
}

/// Looks for full names in files that are not code.
pub struct TextWatch {
    tables: Arc<Tables>,
    symbols: Vec<String>,
    /// Those that an import may name apart from their module.
    named: Vec<String>,
    kept: Vec<String>,
    needs: Needs,
    scan: Option<AhoCorasick>,
}

impl TextWatch {
    /// Looks for these symbols; what is `kept` below them keeps its name.
    pub fn new(
        tables: Arc<Tables>,
        symbols: Vec<String>,
        packages: &[String],
        kept: Vec<String>,
    ) -> Self {
        let whole = symbols.iter().map(|s| vec![s.clone()]);
        // An import says the module and the name apart; a package is said as a whole.
        let named: Vec<String> =
            symbols.iter().filter(|s| !packages.contains(s)).cloned().collect();
        let apart = named.iter().filter_map(|s| apart(s));
        let apart = apart.map(|(module, name)| vec![module.to_owned(), name.to_owned()]);
        let needs = Needs::of(whole.chain(apart));
        // Formats with backslashes of their own double those of names.
        let spelled = symbols.iter().cloned();
        let spelled = spelled.chain(symbols.iter().map(|s| s.replace('\\', "\\\\")));
        let scan = AhoCorasick::new(spelled).ok();
        Self { tables, symbols, named, kept, needs, scan }
    }
}

impl Runner for TextWatch {
    fn asks(&self) -> Asks {
        Asks { kind: "leftovers", needs: self.needs.clone(), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.tables.language_of(path).is_none()
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}

    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        let mut held = vec![false; self.symbols.len()];
        for hit in self.scan.iter().flat_map(|s| s.find_overlapping_iter(cx.text)) {
            held[hit.pattern().as_usize() % self.symbols.len()] = true;
        }
        let held = self.symbols.iter().zip(held).filter(|h| h.1);
        for (symbol, _) in held {
            for at in spelled_in(cx.text, symbol, true) {
                let whole = spelled_on(cx.text, at);
                let keeps = self.kept.iter().any(|k| excepted(k, &whole));
                if !keeps && tells(cx.text, at) {
                    let why = "the file spells it".to_owned();
                    let (symbol, certainty) = (symbol.clone(), Certainty::Likely);
                    out.push(Remains { at, symbol, certainty, why, fact: None });
                }
            }
        }
        self.imported(cx.text, out);
    }
}

impl TextWatch {
    /// Code in files that are read as text: scripts without an ending, notebooks, pages. What they import, and where they use it.
    fn imported(&self, text: &str, out: &mut Vec<Remains>) {
        if self.named.is_empty() {
            return;
        }
        // There may be thousands of names: the words of the text are looked up, not each name in the text.
        let held: HashSet<&[u8]> = words(text.as_bytes()).collect();
        let has = |part: &str| words(part.as_bytes()).all(|w| held.contains(w));
        for symbol in &self.named {
            let Some((module, name)) = apart(symbol).filter(|(m, n)| has(n) && has(m)) else {
                continue;
            };
            let import = |at: usize| {
                let start = text[..at].rfind('\n').map_or(0, |i| i + 1);
                let line = &text[start..at + text[at..].find('\n').unwrap_or(text.len() - at)];
                IMPORTS.iter().any(|w| words_of(line, w).next().is_some())
                    && words_of(line, name).next().is_some()
            };
            let Some(first) = words_of(text, module).find(|m| import(m.start as usize)) else {
                continue;
            };
            let end = text[first.start as usize..].find('\n');
            let end = first.start as usize + end.unwrap_or(text.len());
            for at in words_of(text, name) {
                let same = !text[..end.min(text.len())]
                    .get(at.start.min(first.start) as usize..at.start.max(first.start) as usize)
                    .is_none_or(|between| between.contains('\n'));
                // A part of a longer path or name is something else.
                let before = text[..at.start as usize].chars().next_back();
                let after = text[at.end as usize..].chars().next();
                let part = matches!(before, Some('.' | '/' | '-' | '@' | '#'))
                    || matches!(after, Some('/' | '-'));
                if !same && part {
                    continue;
                }
                let (certainty, why) = match same {
                    true => (Certainty::Likely, "the file imports it"),
                    false => (Certainty::Unsure, "the file imports something of this name"),
                };
                let (symbol, why) = (symbol.clone(), why.to_owned());
                out.push(Remains { at, symbol, certainty, why, fact: None });
            }
        }
    }
}

/// Words of statements that import.
const IMPORTS: &[&str] = &["import", "from", "use", "using", "require", "include", "alias"];

/// The module of a symbol and its last name, where an import may say them apart.
fn apart(symbol: &str) -> Option<(&str, &str)> {
    let at = symbol.rfind([':', '.', '\\'])?;
    let (module, name) = (symbol[..at].trim_end_matches(':'), &symbol[at + 1..]);
    let plain = name.chars().all(|c| c.is_alphanumeric() || c == '_') && name.len() > 2;
    (plain && !module.is_empty()).then_some((module, name))
}
