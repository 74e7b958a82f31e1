//! The places of a file that mean one of the callables.

use emendo_lang::{CallSite, Certainty, Fact, FunctionSite, Language, Space, Word};
use emendo_pattern::{HERE, Pattern};
use emendo_recipe::{Action, Text};
use emendo_text::{Marks, Span};

use crate::contract::Asks;
use crate::contract::{CompileCx, Found, Needs, Subject, SymbolKind, Tie};
use crate::meaning::{Place, SymbolRunner};
use crate::shared::Head;
use crate::shared::SlotTables;
use crate::signature::callable::{Assigned, Callable};

/// What an action is about, and what finds it.
pub(super) struct Targets {
    language: &'static Language,
    pub(super) callables: Vec<Callable>,
    finders: Vec<SymbolRunner>,
    /// Patterns around a call that keep it as it is.
    around: Vec<Pattern>,
}

/// A place that means one of the callables.
pub(super) struct Hit {
    pub(super) word: Word,
    pub(super) row: usize,
    pub(super) facts: Vec<Fact>,
    pub(super) tie: Tie,
    pub(super) site: Site,
}

pub(super) enum Site {
    Call(CallSite, Assigned),
    Definition(FunctionSite),
    /// Named without a call.
    Reference,
}

impl Site {
    /// The name with its list.
    pub(super) fn whole(&self, name: Span) -> Span {
        match self {
            Self::Call(call, _) => name.hull(call.list),
            Self::Definition(f) => name.hull(f.list),
            Self::Reference => name,
        }
    }
}

impl Targets {
    pub(super) fn new(
        language: &'static Language,
        callables: Vec<Callable>,
        action: &Action,
        cx: &mut CompileCx<'_>,
    ) -> Self {
        let not_surrounded_by: Vec<Text> =
            action.table.texts("not_surrounded_by").into_iter().cloned().collect();
        let around = not_surrounded_by.iter().filter_map(|t| {
            crate::shared::sub_pattern(language, t, action, SlotTables::of(action), Marks::Here, cx)
        });
        let around: Vec<Pattern> = around.collect();
        // Methods and functions are found in ways of their own.
        let of = |what: SymbolKind, member: bool| {
            let fits = callables.iter().filter(|c| c.member == member);
            let symbols: Vec<String> = fits.flat_map(|c| c.symbols.clone()).collect();
            (!symbols.is_empty())
                .then(|| SymbolRunner::watch((language, cx.tables), what, symbols, Vec::new()))
        };
        let finders: Vec<SymbolRunner> =
            [of(SymbolKind::Method, true), of(SymbolKind::Free, false)]
                .into_iter()
                .flatten()
                .collect();
        Self { language, callables, finders, around }
    }

    pub(super) fn needs(&self) -> Needs {
        let mut all: Vec<Vec<String>> =
            self.finders.iter().flat_map(|f| f.needs().0.clone()).collect();
        // An object is made by the name of its type.
        for c in self.callables.iter().filter(|c| c.member) {
            for symbol in c.symbols.iter().filter(|s| self.makes(s)) {
                let names = &self.language.names;
                let owner = names.parent(symbol);
                all.push(vec![names.package(&owner), names.last(&owner).to_owned()]);
            }
        }
        Needs::of(all)
    }

    /// What an action about these callables asks of a run, besides what its head does.
    pub(super) fn asks(&self, head: &Head) -> Asks {
        Asks {
            symbols: self.symbols(),
            subjects: self.subjects(),
            asks_declarations: true,
            changes_declarations: true,
            ..head.asks()
        }
    }

    fn symbols(&self) -> Vec<String> {
        self.callables.iter().flat_map(|c| c.symbols.clone()).collect()
    }

    fn subjects(&self) -> Vec<Subject> {
        let mut all: Vec<Subject> = self.finders.iter().flat_map(SymbolRunner::subjects).collect();
        for c in self.callables.iter().filter(|c| c.member) {
            let made = c.symbols.iter().filter(|s| self.makes(s));
            all.extend(made.map(|s| {
                let symbol = self.language.names.parent(s);
                Subject { symbol, member: false, inherited: false }
            }));
        }
        all
    }

    /// The places of a file that mean one of the callables.
    pub(super) fn hits(&self, p: &Place<'_>, out: &mut Found) -> Vec<Hit> {
        let mut hits = Vec::new();
        let language = p.resolver.language;
        let (names, constructor) = (&language.names, language.typing.calls.constructor);
        for finder in &self.finders {
            for (word, row, facts) in finder.meant_places(p, out) {
                let symbol = finder.symbol_of(row);
                let known = self.callables.iter().position(|c| c.symbols.contains(symbol));
                let Some(index) = known else { continue };
                let callable = &self.callables[index];
                let tie = finder.tie(p, row, word.span);
                let mut facts = facts;
                let site = if let Some(f) = p.resolver.function_site(word.span) {
                    // What makes an object of a type binds no type that is built on it.
                    let makes = names.last(symbol) == constructor && !constructor.is_empty();
                    let own = || p.resolver.visible(word.span, p.text(word.span));
                    let other = makes && own().is_none_or(|v| v.symbol != *symbol);
                    if other {
                        continue;
                    }
                    if !callable.declares(p, &f) {
                        self.differs(p, callable, word.span, out);
                        continue;
                    }
                    Site::Definition(f)
                } else if let Some(call) = p.resolver.call_site(word.span) {
                    let Some((assigned, sure)) = callable.assign(p, word.span, &call) else {
                        continue;
                    };
                    facts.extend(sure);
                    Site::Call(call, assigned)
                } else if word.key && !names.absolute && !p.code.facts.is_string(word.span) {
                    continue;
                } else {
                    Site::Reference
                };
                if matches!(site, Site::Call(..)) && self.is_kept(p, site.whole(word.span)) {
                    continue;
                }
                hits.push(Hit { word, row: index, facts, tie, site });
            }
        }
        self.overridden(p, &mut hits);
        self.made(p, &mut hits);
        hits.sort_by_key(|h| h.word.span.start);
        hits.dedup_by_key(|h| h.word.span);
        hits
    }

    /// Says so where a definition takes other things than the recipe says, and no overload can be meant.
    fn differs(&self, p: &Place<'_>, callable: &Callable, name: Span, out: &mut Found) {
        if callable.member && !p.resolver.language.typing.calls.overloads {
            let say = format!(
                "`{}` is declared here with other parameters than `{}`: look whether it must follow",
                p.text(name),
                callable.written
            );
            out.notes.push(crate::contract::NoteDraft::new(name, say));
        }
    }

    /// Objects that are made by the name of a type, where what makes them has a name of its own.
    fn made(&self, p: &Place<'_>, hits: &mut Vec<Hit>) {
        let language = p.resolver.language;
        let names = &language.names;
        let makes = language.typing.calls.functions.iter().any(|f| f.makes);
        let all = self.callables.iter().enumerate();
        let makers = all.filter(|(_, c)| {
            let named = |s: &String| (names.is_member(s) || makes && c.member) && self.makes(s);
            c.symbols.iter().any(named)
        });
        for (index, callable) in makers {
            let owners: Vec<String> = callable.symbols.iter().map(|s| names.parent(s)).collect();
            if makes {
                self.made_otherwise(p, (index, callable), &owners, hits);
            }
            self.by_maker(p, (index, callable), &owners, hits);
            let words = p.code.facts.all_words().flat_map(|(_, w)| w);
            let spaces = |w: &&Word| match w.space {
                Space::Type => true,
                Space::Value => makes,
                _ => false,
            };
            for word in words.filter(spaces) {
                let Some(call) = p.resolver.call_site(word.span) else { continue };
                // What is called may be a member of the type.
                let behind = Span { start: word.span.end, end: call.list.start.max(word.span.end) };
                if p.text(behind).trim_start().starts_with(names.separator) {
                    continue;
                }
                let path = p.text(Span { start: word.path_start, end: word.span.end });
                let path: Vec<&str> = path.split(names.separator).map(str::trim).collect();
                let made = |owner: &String| p.resolver.makes(&path, word.span.start, owner);
                let Some(fact) = owners.iter().find_map(made) else { continue };
                let Some((assigned, sure)) = callable.assign(p, word.span, &call) else { continue };
                let site = Site::Call(call, assigned);
                if self.is_kept(p, site.whole(word.span)) {
                    continue;
                }
                let facts = std::iter::once(fact).chain(sure).collect();
                let tie = Tie::default();
                hits.push(Hit { word: *word, row: index, facts, tie, site });
            }
        }
    }

    /// Objects that are made by a member of the type itself, which passes on what it is given.
    fn by_maker(
        &self,
        p: &Place<'_>,
        (index, callable): (usize, &Callable),
        owners: &[String],
        hits: &mut Vec<Hit>,
    ) {
        let language = p.resolver.language;
        let maker = language.typing.calls.maker;
        for word in p.code.facts.words(maker) {
            let own = || p.code.facts.types_at(word.span.start).next().map(|t| t.at);
            let implied = word.receiver.is_none() && p.resolver.is_on_type(word.span);
            let receiver = word.receiver.or_else(|| own().filter(|_| implied));
            let Some(receiver) = receiver.filter(|_| !maker.is_empty()) else { continue };
            let Some(call) = p.resolver.call_site(word.span) else { continue };
            let path = p.resolver.type_path(receiver);
            let path: Vec<&str> = path.split(language.names.separator).collect();
            let made = |owner: &String| p.resolver.makes(&path, receiver.start, owner);
            let Some(fact) = owners.iter().find_map(made) else { continue };
            let Some((assigned, sure)) = callable.assign(p, word.span, &call) else { continue };
            let site = Site::Call(call, assigned);
            if self.is_kept(p, site.whole(word.span)) {
                continue;
            }
            let facts = std::iter::once(fact).chain(sure).collect();
            hits.push(Hit { word: *word, row: index, facts, tie: Tie::default(), site });
        }
        for (of, call) in p.resolver.passing_on().into_iter().filter(|_| !maker.is_empty()) {
            let Some(owner) = of.iter().find(|s| owners.contains(s)) else { continue };
            let span = Span { start: call.span.start, end: call.list.start };
            let Some((assigned, sure)) = callable.assign(p, span, &call) else { continue };
            let text = format!("a `{}` is made here", language.names.last(owner));
            let fact = Fact { says: Certainty::Certain, text, at: None };
            let facts = std::iter::once(fact).chain(sure).collect();
            let word = Word {
                span,
                space: Space::Value,
                path_start: span.start,
                receiver: None,
                key: false,
            };
            let (tie, site) = (Tie::default(), Site::Call(call, assigned));
            hits.push(Hit { word, row: index, facts, tie, site });
        }
    }

    /// Calls of what a definition overrides, in that definition.
    fn overridden(&self, p: &Place<'_>, hits: &mut Vec<Hit>) {
        let mut more = Vec::new();
        for hit in hits.iter() {
            let Site::Definition(f) = &hit.site else { continue };
            for call in p.resolver.calls_of_overridden(f.span) {
                let span = Span { start: call.span.start, end: call.list.start };
                let word = Word { span, ..hit.word };
                let callable = &self.callables[hit.row];
                let Some((assigned, sure)) = callable.assign(p, span, &call) else { continue };
                let facts = hit.facts.iter().cloned().chain(sure).collect();
                let site = Site::Call(call, assigned);
                more.push(Hit { word, row: hit.row, facts, tie: hit.tie.clone(), site });
            }
        }
        hits.extend(more);
    }

    /// True for the symbol of what makes an object of a type.
    fn makes(&self, symbol: &str) -> bool {
        let constructor = self.language.typing.calls.constructor;
        !constructor.is_empty() && self.language.names.last(symbol) == constructor
    }

    /// What makes an object without a name: where it is declared, and where another one calls it.
    fn made_otherwise(
        &self,
        p: &Place<'_>,
        (index, callable): (usize, &Callable),
        owners: &[String],
        hits: &mut Vec<Hit>,
    ) {
        let word = |start: u32, list: Span| {
            let span = Span { start, end: list.start };
            Word { span, space: Space::Value, path_start: start, receiver: None, key: false }
        };
        let hit = |word: Word, text: String, sure: Option<Fact>, site: Site| {
            let fact = Fact { says: Certainty::Certain, text, at: None };
            let facts = std::iter::once(fact).chain(sure).collect();
            Hit { word, row: index, facts, tie: Tie::default(), site }
        };
        let last = |owner: &str| p.resolver.language.names.last(owner).to_owned();
        for (owner, f) in p.resolver.makers() {
            if owners.contains(&owner) && callable.declares(p, &f) {
                let text = format!("this makes a `{}`", last(&owner));
                hits.push(hit(word(f.list.start, f.list), text, None, Site::Definition(f)));
            }
        }
        for (of, call) in p.resolver.passing_on() {
            let Some(owner) = of.iter().find(|s| owners.contains(s)) else { continue };
            let word = word(call.span.start, call.list);
            let Some((assigned, sure)) = callable.assign(p, word.span, &call) else { continue };
            let text = format!("a `{}` is made here", last(owner));
            hits.push(hit(word, text, sure, Site::Call(call, assigned)));
        }
    }

    /// True where something stands around that keeps a call as it is.
    fn is_kept(&self, p: &Place<'_>, at: Span) -> bool {
        self.around.iter().any(|pattern| {
            let found = pattern.matches(&p.code.tree, p.cx.text, &p.resolver);
            found.iter().any(|m| match m.slot(HERE) {
                Some(here) => here.span.contains(at),
                None => m.span.contains(at),
            })
        })
    }
}
