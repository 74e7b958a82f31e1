//! The rows of a `symbol` action: old and new names, looked up by their last part.

use std::collections::HashMap;
use std::sync::OnceLock;

use aho_corasick::AhoCorasick;
use emendo_lang::{FileFacts, Import, Language, Names, Renames, Space, Ty, Wanted, Word};
use emendo_recipe::Pair;
use emendo_recipe::{Action, Text, pairs};
use emendo_text::{Diagnostic, Digest};

use crate::contract::Tables;
use crate::contract::{CompileCx, SymbolKind, action_digest};
use crate::meaning::place::BETWEEN;

/// What the labels of a function are, and what they become.
pub(crate) type Relabeled = (Vec<String>, Vec<String>);

/// One old name with its new.
pub(crate) struct Row {
    pub(crate) digest: Digest,
    /// The old symbol, and other names that it may have by now.
    pub(crate) olds: Vec<String>,
    pub(crate) new: Option<String>,
    pub(crate) advice: Option<String>,
    /// The types of the parameters that choose an overload, as they are written.
    pub(crate) parameters: Option<Vec<Wanted>>,
    /// The labels that become others: what they are, and what they become.
    pub(crate) labels: Option<Relabeled>,
    /// Another rename of the recipe takes what the symbol lies below along: only its own name changes here.
    pub(crate) carried: bool,
    /// It is another row in the form that leaves out the end of the name.
    pub(crate) short_for: Option<usize>,
}

impl Row {
    /// The row in the form that leaves out the end of the name, where it has that.
    fn shortened(&self, at: usize, end: &str) -> Option<Self> {
        let without = |s: &String| {
            s.strip_suffix(end).filter(|s| !s.ends_with(['.', ':'])).map(str::to_owned)
        };
        let olds: Vec<String> = self.olds.iter().filter_map(without).collect();
        let new = self.new.as_ref().map(|n| without(n).unwrap_or_else(|| n.clone()));
        (!end.is_empty() && olds.len() == self.olds.len()).then(|| Self {
            digest: self.digest,
            olds,
            new,
            advice: self.advice.clone(),
            parameters: None,
            labels: None,
            carried: self.carried,
            short_for: Some(at),
        })
    }

    /// What one of the old names becomes. Where only the last part of the name changes, it does so under every other name that what it
    /// lies below has by now.
    pub(crate) fn new_for(&self, names: &Names, old: &str) -> Option<String> {
        let new = self.new.as_ref()?;
        let first = self.olds.first()?;
        let below = names.parent(first);
        if old == first || below.is_empty() || below != names.parent(new) {
            return Some(new.clone());
        }
        let head = &old[..old.len() - names.last(old).len()];
        Some(format!("{head}{}", names.last(new)))
    }

    /// What to say where nothing can be written.
    pub(crate) fn said(&self) -> &str {
        self.advice.as_deref().unwrap_or("")
    }
}

/// All rows of an action.
pub(crate) struct Rows {
    pub(crate) language: &'static Language,
    pub(crate) what: SymbolKind,
    pub(crate) all: Vec<Row>,
    pub(crate) except: Vec<String>,
    /// Names that others become, in a search for what is left of those.
    pub(crate) coming: Vec<String>,
    /// What is gone from packages does not come along: the new one has nothing of that name.
    gone: Vec<String>,
    /// Row and old name, by the last part of the name.
    by_last: HashMap<String, Vec<(usize, usize)>>,
    /// Row and old name, by the whole name.
    by_old: HashMap<String, (usize, usize)>,
    /// All last names, to see at once which of them a text holds.
    scan: OnceLock<Option<Scan>>,
}

/// Looks for many names at once.
struct Scan {
    names: AhoCorasick,
    /// The rows of each name.
    rows: Vec<Vec<usize>>,
}

impl Rows {
    pub(crate) fn compile(
        action: &Action,
        language: &'static Language,
        what: SymbolKind,
        joint: &dyn Fn(&str) -> &'static str,
        cx: &mut CompileCx<'_>,
    ) -> Option<Self> {
        let found = pairs(action, &cx.recipe.source, joint, cx.out);
        let gone = action.table.text("gone");
        if found.is_empty() && action.table.get("table").is_some() {
            return None;
        }
        if found.is_empty() {
            cx.out.push(
                Diagnostic::error("this action names no symbol", action.span)
                    .help("write `old` and `new`, `pairs` or `table`"),
            );
            return None;
        }
        let mut all = Vec::new();
        for p in &found {
            all.push(row(p, (action, language, what), gone, cx)?);
        }
        let except = action.table.texts("except").into_iter();
        let except = except.map(|t| language.names.plain(&t.text)).collect();
        let mut rows = Self::new(language, what, all, except);
        if what == SymbolKind::Package {
            rows.gone = gone_in_packages(&language.names, cx);
        }
        Some(rows)
    }

    pub(crate) fn new(
        language: &'static Language,
        what: SymbolKind,
        mut all: Vec<Row>,
        except: Vec<String>,
    ) -> Self {
        let names = &language.names;
        if what == SymbolKind::Free {
            let short: Vec<Row> = all
                .iter()
                .enumerate()
                .filter_map(|(i, r)| r.shortened(i, names.shortened.1))
                .collect();
            all.extend(short);
        }
        let mut by_last: HashMap<String, Vec<(usize, usize)>> = HashMap::new();
        let mut by_old: HashMap<String, (usize, usize)> = HashMap::new();
        for (i, r) in all.iter().enumerate() {
            for (n, old) in r.olds.iter().enumerate() {
                by_last.entry(names.last(old).to_owned()).or_default().push((i, n));
                if r.short_for.is_some() {
                    continue;
                }
                let hit = by_old.entry(old.clone()).or_insert((i, n));
                if n == 0 {
                    *hit = (i, 0);
                }
            }
        }
        let (gone, coming, scan) = (Vec::new(), Vec::new(), OnceLock::new());
        Self { language, what, all, except, coming, gone, by_last, by_old, scan }
    }

    /// The words that a file must hold. A member's type need not be named: what a function gives may be of it.
    pub(crate) fn needs(&self) -> impl Iterator<Item = Vec<String>> {
        let names = &self.language.names;
        let olds = self.all.iter().flat_map(|r| &r.olds);
        let global = names.globals.0;
        olds.map(move |old| {
            // What belongs to no module is named without one.
            if !global.is_empty() && names.package(old) == global {
                vec![names.last(old).to_owned()]
            } else if self.what.member() {
                vec![names.package(old), names.last(old).to_owned()]
            } else if !names.default.is_empty() && names.last(old) == names.default {
                // What a module gives unnamed is called as each file likes.
                vec![names.parent(old)]
            } else {
                vec![old.clone()]
            }
        })
    }

    /// The words of a file that end like an old name, in order of place.
    pub(crate) fn words(&self, facts: &FileFacts) -> Vec<(Word, usize, usize)> {
        let mut hits: Vec<(Word, usize, usize)> = Vec::new();
        let mut add = |words: &[Word], rows: &[(usize, usize)]| {
            hits.extend(words.iter().flat_map(|w| rows.iter().map(|r| (*w, r.0, r.1))));
        };
        if self.by_last.len() < 64 {
            for (name, rows) in &self.by_last {
                add(facts.words(name), rows);
                let alike: Vec<Word> = facts.words_alike(name).copied().collect();
                add(&alike, rows);
            }
        } else {
            for (name, words) in facts.all_words() {
                if let Some(rows) = self.by_last.get(name) {
                    add(words, rows);
                }
            }
        }
        // Under a name of the file's own: where nothing takes the symbol's place, each use counts.
        for import in facts.imports.iter().filter(|i| i.aliased() && !i.wildcard) {
            let Some(local) = import.local() else { continue };
            let rows = self.by_old.get(import.path()).filter(|r| self.all[r.0].new.is_none());
            let inside = |w: &&Word| !import.span.contains(w.span) && w.space != Space::Member;
            let words = rows
                .iter()
                .flat_map(|r| facts.words(local).iter().filter(inside).map(|w| (*w, r.0, r.1)));
            hits.extend(words);
        }
        hits.sort_by_key(|(w, row, old)| (w.span.start, *row, *old));
        hits
    }

    /// The rows whose last name stands in a text, as a word or within one: others need not be looked for.
    pub(crate) fn hinted(&self, text: &str) -> Vec<usize> {
        let scan = self.scan.get_or_init(|| {
            let mut names: Vec<(&String, Vec<usize>)> = Vec::new();
            for (last, rows) in &self.by_last {
                let mut rows: Vec<usize> = rows.iter().map(|r| r.0).collect();
                rows.retain(|r| self.all[*r].short_for.is_none());
                rows.sort_unstable();
                rows.dedup();
                names.push((last, rows));
            }
            let found = AhoCorasick::new(names.iter().map(|n| n.0)).ok()?;
            Some(Scan { names: found, rows: names.into_iter().map(|n| n.1).collect() })
        });
        let Some(scan) = scan else { return (0..self.written().count()).collect() };
        let mut seen = vec![false; scan.rows.len()];
        for hit in scan.names.find_overlapping_iter(text) {
            seen[hit.pattern().as_usize()] = true;
        }
        let hit = seen.iter().zip(&scan.rows).filter(|s| *s.0);
        let mut out: Vec<usize> = hit.flat_map(|s| s.1.iter().copied()).collect();
        out.sort_unstable();
        out.dedup();
        out
    }

    /// The old symbol of a row, in full.
    pub(crate) fn symbol(&self, row: usize) -> &String {
        &self.all[self.all[row].short_for.unwrap_or(row)].olds[0]
    }

    /// The rows that are written in the recipe.
    pub(crate) fn written(&self) -> impl Iterator<Item = &Row> {
        self.all.iter().filter(|r| r.short_for.is_none())
    }

    /// The rows of a last name.
    pub(crate) fn called(&self, last: &str) -> &[(usize, usize)] {
        self.by_last.get(last).map_or(&[], Vec::as_slice)
    }

    /// The last names of all rows that a file uses, in order.
    pub(crate) fn used_names(&self, facts: &FileFacts) -> Vec<&String> {
        let mut out: Vec<&String> = if self.by_last.len() < 64 {
            self.by_last.keys().filter(|n| !facts.words(n).is_empty()).collect()
        } else {
            let words = facts.all_words().filter_map(|(w, _)| self.by_last.get_key_value(w));
            words.map(|e| e.0).collect()
        };
        out.sort_unstable();
        out
    }

    /// The row that decides about a full name: the longest that is the name or stands above it, unless it is excepted.
    pub(crate) fn deciding(&self, path: &str) -> Option<(usize, &str)> {
        if self.keeps(path) {
            return None;
        }
        let mut at = path;
        loop {
            if let Some((row, old)) = self.by_old.get(at) {
                return Some((*row, &self.all[*row].olds[*old]));
            }
            let names = &self.language.names;
            at = match names.member_mark {
                // A package that is called like a type is another thing.
                mark if !mark.is_empty() && self.what != SymbolKind::Package => {
                    names.owner_of(at)?
                }
                _ => &at[..at.rfind(BETWEEN)?],
            };
            at = at.trim_end_matches(':');
        }
    }

    /// The same for what an import brings in, which may say how many arguments it takes.
    pub(crate) fn deciding_import(&self, import: &Import) -> Option<(usize, &str)> {
        let (row, old) = self.deciding(import.path())?;
        let Some(count) = import.count.filter(|_| old == import.path()) else {
            return Some((row, old));
        };
        let all = self.by_last.get(self.language.names.last(old))?;
        let fits = |r: &Row| r.parameters.as_ref().is_none_or(|p| p.len() == count);
        let fitting =
            all.iter().find(|(r, n)| self.all[*r].olds[*n] == *old && fits(&self.all[*r]));
        fitting.map(|(r, n)| (*r, self.all[*r].olds[*n].as_str()))
    }

    /// What keeps its name.
    pub(crate) fn kept(&self) -> impl Iterator<Item = &String> {
        self.except.iter().chain(&self.gone)
    }

    /// True if a name is excepted, or gone.
    pub(crate) fn keeps(&self, path: &str) -> bool {
        self.kept().any(|e| excepted(e, path))
    }
}

/// A symbol in the spelling of another language or of documentation, in that of this one; none if that is no symbol either.
fn respelled(text: &str, language: &'static Language, what: SymbolKind) -> Option<String> {
    let (head, call) = text.split_at(text.find('(').unwrap_or(text.len()));
    let plain = head.replace("::", "\u{1}").replace(['#', '.', ':', '/', '\\'], "\u{1}");
    let parts: Vec<&str> = plain.split('\u{1}').filter(|p| !p.is_empty()).collect();
    let joined = format!("{}{call}", language.names.join(&parts));
    let members = head.rsplit_once('#').filter(|(owner, _)| is_symbol(language, what, owner));
    let below = members.map(|(owner, name)| {
        let dot = if owner.contains("::") { "::" } else { "." };
        format!("{owner}{dot}{name}{call}")
    });
    below
        .into_iter()
        .chain([joined])
        .find(|s| s != text && is_symbol(language, what, overload(s).0))
}

/// What one pair of an action says; nothing, with a message, if it is wrong.
fn row(
    p: &Pair,
    (action, language, what): (&Action, &'static Language, SymbolKind),
    gone: Option<&Text>,
    cx: &mut CompileCx<'_>,
) -> Option<Row> {
    let names = &language.names;
    let counted = names.with_count(&p.old.text).map(|c| c.1);
    let written = names.plain(&p.old.text);
    let (old, parameters) = overload(&written);
    let mut named = [Some(&p.old), p.new.as_ref()].into_iter().flatten();
    if let Some(t) = named.find(|t| !is_symbol(language, what, overload(&names.plain(&t.text)).0)) {
        let message = format!("`{}` is not a symbol of {}", t.text, language.title);
        let spelled = respelled(&t.text, language, what);
        let help = spelled.map_or_else(
            || {
                format!(
                    "write the full name: `{}`, without wildcards",
                    names.join(&["a", "b", "Name"])
                )
            },
            |meant| format!("{} writes it `{meant}`", language.title),
        );
        return cx.refuse(message, t.span, help);
    }
    let advice = p.advice.clone().or_else(|| gone.map(|g| g.text.clone()));
    if p.new.is_none() && advice.is_none() {
        return cx.refuse(
            format!("nothing happens to `{}`", p.old.text),
            action.span,
            "write `new`, or `gone` with advice, or advice as the third of the pair",
        );
    }
    if what.member() && names.parent(old).is_empty() {
        return cx.refuse(
            format!("`{}` is not a member of a type", p.old.text),
            p.old.span,
            "write the full name with the type: `a.b.Type.member`",
        );
    }
    if let Some(n) = &p.new
        && names.parent(overload(&n.text).0).is_empty()
        && !names.parent(old).is_empty()
        && what != SymbolKind::Package
    {
        let meant = format!("{}{}", &old[..old.len() - names.last(old).len()], n.text);
        let d = Diagnostic::warning(format!("`{}` stands in no package or type", n.text), n.span);
        cx.out.push(d.help(format!("write its full name: `{meant}`")));
    }
    let new = p.new.as_ref().map(|n| overload(&names.plain(&n.text)).0.to_owned());
    let joined = parameters.as_ref().map(|p| p.join(", "));
    let labels = joined.as_ref().and_then(|p| names.labels_in(p));
    let parameters: Option<Vec<Wanted>> = match parameters {
        Some(_) if labels.is_some() => {
            let one = |l: &&str| Wanted { ty: Ty::Unknown, label: Some((*l).to_owned()) };
            labels.map(|all| all.iter().map(one).collect())
        }
        Some(texts) => {
            let read = |t: &String| {
                let text = Text::derived(t.clone(), p.old.span);
                crate::shared::parameter_type(language, &text, old, action, cx).map(Wanted::from)
            };
            Some(texts.iter().map(read).collect::<Option<Vec<_>>>()?)
        }
        None => counted.map(|count| vec![Wanted::from(Ty::Unknown); count]),
    };
    let labels = match relabeled(p, names, parameters.as_deref()) {
        Ok(labels) => labels,
        Err((message, help)) => return cx.refuse(message, p.new.as_ref()?.span, help),
    };
    // A half-done upgrade may have the symbol under a name that another row gave it.
    let mut olds = cx.spellings.of(old);
    olds.retain(|o| Some(o) != new.as_ref());
    // What a later step makes of the new name is done here too.
    let later = new.as_deref().map_or(Vec::new(), |n| later_names(cx.later, n));
    olds.retain(|o| !later.contains(o));
    // Whatever else it is called, it is called as the recipe writes it.
    if !olds.iter().any(|o| o == old) {
        olds.insert(0, old.to_owned());
    }
    let carried = new.as_ref().is_some_and(|n| {
        let (from, to) = (names.parent(old), names.parent(n));
        from != to
            && !from.is_empty()
            && cx.spellings.of(&from).contains(&to)
            && (what.member() || names.package(old) != from)
    });
    Some(Row {
        digest: row_digest(&p.old.text),
        olds,
        new,
        advice,
        parameters,
        labels,
        carried,
        short_for: None,
    })
}

/// The labels of a function, and what they become, where the new name says so; an error with its way out where it cannot.
fn relabeled(
    p: &Pair,
    names: &Names,
    parameters: Option<&[Wanted]>,
) -> Result<Option<Relabeled>, (String, String)> {
    let Some(new) = p.new.as_ref().filter(|_| names.labels) else { return Ok(None) };
    let plain = names.plain(&new.text);
    let (_, Some(inner)) = overload(&plain) else { return Ok(None) };
    let owned = |all: Vec<&str>| all.into_iter().map(str::to_owned).collect::<Vec<String>>();
    let Some(later) = names.labels_in(&inner.join(", ")).map(owned) else {
        let message = format!("`{}` says no labels between its brackets", new.text);
        return Err((message, "write them with colons: `add(frame:at:)`, `_` for none".to_owned()));
    };
    let labels = || parameters?.iter().map(|w| w.label.clone()).collect::<Option<Vec<String>>>();
    let Some(own) = labels() else {
        let message = format!("`{}` says labels, and `{}` does not", new.text, p.old.text);
        return Err((message, "write the labels of both, or of none".to_owned()));
    };
    if own.len() != later.len() {
        let message = format!("`{}` takes other arguments than `{}`", new.text, p.old.text);
        let help = "a `signature` action adds and removes parameters; here as many labels stand on both sides";
        return Err((message, help.to_owned()));
    }
    Ok((own != later).then_some((own, later)))
}

/// The types, functions and values of packages that the recipe says are gone.
fn gone_in_packages(names: &Names, cx: &CompileCx<'_>) -> Vec<String> {
    let mut ignored = Vec::new();
    let mut out = Vec::new();
    let all = cx.recipe.steps.iter().flat_map(|s| &s.actions);
    for action in all.filter(|a| a.kind.renames_symbols() && !a.broken) {
        let what = action.table.text("what").map(|t| SymbolKind::of(&t.text));
        if what != Some(SymbolKind::Free) {
            continue;
        }
        let rows = pairs(action, &cx.recipe.source, &joint(cx.tables, action), &mut ignored);
        let gone = rows.iter().filter(|p| p.new.is_none()).map(|p| names.plain(&p.old.text));
        // One overload that is gone leaves the others.
        let gone = gone.filter(|old| overload(old).1.is_none());
        // What lies in a type goes with that.
        out.extend(gone.filter(|s| names.package(s) == names.parent(s)));
    }
    out
}

/// The names that later renames give to a symbol, one after another.
fn later_names(later: &[Renames], symbol: &str) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    for renames in later {
        let name = renames.of(out.last().map_or(symbol, String::as_str));
        out.extend(name);
    }
    out
}

/// A symbol without the parameters that choose an overload, and these.
pub(crate) fn overload(symbol: &str) -> (&str, Option<Vec<String>>) {
    let Some((name, rest)) = symbol.split_once('(').filter(|_| symbol.ends_with(')')) else {
        return (symbol, None);
    };
    let inner = rest[..rest.len() - 1].trim();
    let mut out = Vec::new();
    let (mut depth, mut from) = (0i32, 0);
    for (i, c) in inner.char_indices() {
        match c {
            '<' | '[' | '(' => depth += 1,
            '>' | ']' | ')' => depth -= 1,
            ',' if depth == 0 => {
                out.push(inner[from..i].trim().to_owned());
                from = i + 1;
            }
            _ => {}
        }
    }
    if !inner.is_empty() {
        out.push(inner[from..].trim().to_owned());
    }
    (name, Some(out))
}

/// True for a plain full name.
fn is_symbol(language: &Language, what: SymbolKind, t: &str) -> bool {
    let names = &language.names;
    let plain = |s: &str| {
        let signs: &[char] = match (names.static_mark, names.absolute) {
            ("", false) => &[],
            ("", true) => &['?', '!'],
            _ => &['?', '!', '='],
        };
        let s = s.trim_end_matches(signs);
        !s.is_empty() && s.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$'))
    };
    let module = |s: &str| {
        !s.is_empty() && !s.contains(char::is_whitespace) && !s.contains(['"', '\'', '*'])
    };
    if names.module_separator.is_empty() {
        let (path, member) = match names.segments(t).split_last() {
            Some((last, owner)) if names.is_member(t) => {
                (names.join(owner), Some(names.last(last)))
            }
            _ => (t.to_owned(), None),
        };
        return path.split(names.separator).chain(member).all(plain);
    }
    match names.in_module(t) {
        Some((m, rest)) => module(m) && rest.split(names.separator).all(plain),
        None => what == SymbolKind::Package && module(t),
    }
}

/// Is a symbol excepted? `a.b` is exactly that and what it contains, `a.b.*` names directly below, `a.b.**` all below.
pub(crate) fn excepted(except: &str, path: &str) -> bool {
    let below = |prefix: &str| path.strip_prefix(prefix).is_some_and(|r| r.starts_with(BETWEEN));
    if let Some(prefix) = except.strip_suffix("**") {
        let prefix = prefix.trim_end_matches(BETWEEN);
        return path == prefix || below(prefix);
    }
    if let Some(prefix) = except.strip_suffix('*') {
        return below(prefix.trim_end_matches(BETWEEN));
    }
    path == except || below(except)
}

/// What stands between a base and a symbol below it.
pub(crate) fn joint(tables: &Tables, action: &Action) -> impl Fn(&str) -> &'static str {
    let language = action.scope.lang.as_ref().and_then(|l| tables.language(&l.text));
    move |base: &str| match language {
        Some(l) if !l.names.module_separator.is_empty() && l.names.in_module(base).is_none() => {
            l.names.module_separator
        }
        Some(l) => l.names.separator,
        None => ".",
    }
}

/// The old and new names of an action, for symbols that are known under both.
pub fn renames(
    tables: &Tables,
    action: &Action,
    source: &emendo_recipe::Source,
) -> Vec<(String, String)> {
    let mut ignored = Vec::new();
    let rows = pairs(action, source, &joint(tables, action), &mut ignored);
    let language = action.scope.lang.as_ref().and_then(|l| tables.language(&l.text));
    let plain = |t: &str| language.map_or(t.to_owned(), |l| l.names.plain(t));
    let name = |t: &str| overload(&plain(t)).0.to_owned();
    // One overload that gets another name does not make the two names one.
    let all = rows.iter().filter(|p| overload(&p.old.text).1.is_none());
    all.filter_map(|p| Some((name(&p.old.text), name(&p.new.as_ref()?.text)))).collect()
}

/// Identity of a row: what it looks for.
pub(crate) fn row_digest(old: &str) -> emendo_text::Digest {
    action_digest("symbol", old)
}
