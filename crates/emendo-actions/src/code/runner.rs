//! Finds the code that an action is about, and writes what it becomes.

use std::collections::HashMap;
use std::sync::Arc;

use emendo_lang::{
    Certainty, Fact, Language, Lender, Resolver, Space, Word, is_bare_expression, needs_brackets,
};
use emendo_pattern::{Match, Pattern, Place, Replacement, Written};
use emendo_recipe::{Action, Text};
use emendo_text::{Digest, Part, RelPath, Span, Splice};

use crate::contract::{
    Alternative, Asks, Change, CompileCx, Declaration, Draft, FileCx, Found, NoteDraft, Old,
    Replaces, Runner, SymbolKind, TraceStage, TraceStop, Uses, written_before,
};
use crate::meaning::SymbolRunner;
use crate::shared::Head;
use crate::shared::{Along, Finder};

/// More answers of other files are no choice.
const MAX_ANSWERS: usize = 8;

pub(crate) struct CodeRunner {
    pub(crate) head: Head,
    pub(crate) rules: Vec<CodeRule>,
    pub(crate) finder: Finder,
    pub(crate) along: Along,
    pub(crate) once: bool,
    pub(crate) add: Vec<String>,
    pub(crate) drop: Vec<String>,
    pub(crate) symbols: Vec<String>,
    pub(crate) lenders: Vec<Arc<dyn Lender>>,
}

pub(crate) struct CodeRule {
    pub(crate) digest: Digest,
    /// `old` as the recipe writes it.
    pub(crate) written: String,
    pub(crate) old: Arc<Pattern>,
    pub(crate) outcome: Outcome,
    /// It writes one import in place of another.
    pub(crate) import: Option<SymbolRunner>,
    /// `old` fits what `new` writes: a place must be looked at before it is changed again.
    pub(crate) grows: bool,
    /// All that `old` fits reads as `new` already.
    pub(crate) untold: bool,
    /// The same, and nothing that the action asks tells the two apart.
    pub(crate) grows_on: bool,
}

pub(crate) enum Outcome {
    Write(Box<Replacement>),
    Choice(Vec<Choice>),
    Note(String),
}

pub(crate) struct Choice {
    pub(crate) label: String,
    pub(crate) why: Option<String>,
    pub(crate) replacement: Option<Replacement>,
}

impl Outcome {
    pub(crate) fn news(&self) -> impl Iterator<Item = &Pattern> {
        self.replacements().filter_map(Replacement::pattern)
    }

    /// What is written, in each of the ways to choose from.
    pub(crate) fn replacements(&self) -> impl Iterator<Item = &Replacement> {
        let (one, many) = match self {
            Self::Write(r) => (Some(r.as_ref()), &[][..]),
            Self::Choice(c) => (None, c.as_slice()),
            Self::Note(_) => (None, &[][..]),
        };
        one.into_iter().chain(many.iter().filter_map(|c| c.replacement.as_ref()))
    }
}

/// True if `old` would match what `new` writes, whatever the slots hold: constraints on texts count, others do not.
pub(crate) fn fits_own_result(
    (compiled, old): (&Pattern, &Text),
    new: &Pattern,
    action: &Action,
    cx: &CompileCx<'_>,
) -> bool {
    if !new.has_words_of(compiled) {
        return false;
    }
    let language = compiled.language();
    let Ok(mut probe) =
        Pattern::compile(language, &old.text, &crate::shared::names(action, cx), None)
    else {
        return true;
    };
    crate::shared::constrain_texts(&mut probe, action);
    // Only slots are rewritten: what it writes is what it looks for.
    if probe.same_as(new) {
        return false;
    }
    new.fits_as_code(&probe)
}

/// True if such a place, once written, would be found again by all that the action asks.
pub(crate) fn grows_on(
    language: &'static Language,
    old: &Text,
    new: &Pattern,
    finder: &Finder,
    action: &Action,
    cx: &CompileCx<'_>,
) -> bool {
    let names = crate::shared::names(action, cx);
    let Ok(mut probe) = Pattern::compile(language, &old.text, &names, None) else { return true };
    crate::shared::constrain_texts(&mut probe, action);
    let entries = action.table.table("slots").map_or(&[][..], |s| &s.entries);
    let told: Vec<String> = entries.iter().map(|e| e.key.clone()).collect();
    !probe.same_as(new) && new.grows_as_code(&probe, &finder.conditions, &told)
}

impl Runner for CodeRunner {
    fn asks(&self) -> Asks {
        Asks {
            symbols: self.symbols.clone(),
            lenders: self.lenders.clone(),
            replaces: {
                let mut out = Replaces::NONE;
                for rule in &self.rules {
                    let news = rule.outcome.news().flat_map(Pattern::used_members);
                    out.new.extend(news.map(|(symbol, _)| symbol));
                    out.new.extend(
                        rule.outcome.news().flat_map(Pattern::used_symbols).map(str::to_owned),
                    );
                    let advice = match &rule.outcome {
                        Outcome::Note(say) => Some(say.clone()),
                        _ => None,
                    };
                    let old = |s: &str| Old {
                        symbol: s.to_owned(),
                        what: SymbolKind::Free,
                        parameters: None,
                        advice: advice.clone(),
                        resolved: false,
                    };
                    let members = rule.old.used_members().into_iter();
                    out.old.extend(members.map(|(symbol, called)| Old {
                        what: if called { SymbolKind::Method } else { SymbolKind::Constant },
                        resolved: true,
                        ..old(&symbol)
                    }));
                    let symbols = rule.old.used_symbols();
                    if symbols.is_empty() && !matches!(rule.outcome, Outcome::Note(_)) {
                        out.unnamed.push(rule.written.clone());
                    }
                    out.old.extend(symbols.into_iter().map(old));
                }
                out
            },
            asks_declarations: !self.symbols.is_empty(),
            follows: !self.along.follow.is_empty(),
            grows: !self.once && self.rules.iter().any(|r| r.grows_on),
            rows: self.rules.iter().map(|r| r.written.clone()).collect(),
            once: self.once,
            subjects: self.finder.subjects(self.rules.iter().map(|r| r.old.as_ref())),
            queries: self.finder.queries.clone(),
            asks_files: self.finder.asks_files(),
            changes_declarations: self.rules.iter().any(|r| r.old.declares_types()),
            ..self.head.asks()
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn declares(&self, cx: &FileCx<'_>) -> Vec<Declaration> {
        self.declared(cx)
    }

    fn uses(&self, declared: &Declaration, cx: &FileCx<'_>) -> Uses {
        self.used(declared, cx)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let written: Vec<Span> = if self.once { written_before(cx) } else { Vec::new() };
        self.follow_here(cx, code, action, out);
        let first = out.drafts.len();
        for (row, rule) in self.rules.iter().enumerate() {
            if let Some(import) = &rule.import {
                let first = out.drafts.len();
                import.imports(&crate::meaning::Place::new(cx, code, action), out);
                out.drafts[first..].iter_mut().for_each(|d| d.action.1 = row);
                continue;
            }
            let matches = self.finder.places(&rule.old, cx, code, &resolver, out);
            if matches.is_empty() {
                continue;
            }
            let matches = self.only_once(matches, cx.text, out);
            let mut at: HashMap<Span, String> = HashMap::new();
            for m in matches {
                if written.iter().any(|w| w.contains(m.span)) {
                    continue;
                }
                if rule.grows && !self.once && self.done(rule, &m, cx, code) {
                    if let Some(trace) = cx.trace.filter(|t| t.at.meets(m.span)) {
                        trace.stop(TraceStop {
                            what: rule.written.clone(),
                            stage: TraceStage::Done,
                            fitted: m.own_tokens(&rule.old).count() + 1,
                            says: "it reads as `new` already".into(),
                        });
                    }
                    if rule.untold {
                        let say = "this reads as `new` already, and nothing tells whether it is done: say what a slot may hold, or write `once = true`";
                        out.notes.push(NoteDraft::new(m.span, say));
                    }
                    continue;
                }
                let Some(draft) = self.answered(rule, (action, row), m.clone(), cx, code, out)
                else {
                    continue;
                };
                // Readings that give equal bytes merge; different bytes withhold the place.
                let text = format!(
                    "{:?}{:?}",
                    draft.change.splices,
                    draft.alternatives.iter().map(|a| &a.change.splices).collect::<Vec<_>>()
                );
                let before = at.get(&m.span);
                let (other, known) = (before.is_some_and(|t| *t != text), before.is_some());
                if other {
                    out.drafts.retain(|d| d.hull != m.span || d.action != (action, row));
                    out.notes.push(NoteDraft::new(m.span, "the pattern reads in several ways here that would write different code; `as` in the recipe decides"));
                } else if !known {
                    at.insert(m.span, text);
                    out.drafts.push(draft);
                }
            }
        }
        let found = out.drafts.split_off(first);
        out.drafts.extend(first_rows(found));
    }
}

/// Of several rows that write one token of the code that they name, the first stays.
fn first_rows(drafts: Vec<Draft>) -> Vec<Draft> {
    let mut taken: HashMap<Span, usize> = HashMap::new();
    let mut stays = |d: &Draft| {
        let splices: Vec<Span> = d.change.splices.iter().map(|s| s.span).collect();
        let written = |t: &&Span| {
            let beside = |s: &Span| s.is_empty() && (s.start == t.start || s.start == t.end);
            splices.iter().any(|s| s.meets(**t) || beside(s))
        };
        let written: Vec<Span> = d.tokens.iter().filter(written).copied().collect();
        let row = d.action.1;
        let free = written.iter().all(|t| taken.get(t).is_none_or(|other| *other == row));
        if free {
            taken.extend(written.into_iter().map(|t| (t, row)));
        }
        free
    };
    drafts.into_iter().filter(|d| stays(d)).collect()
}

impl CodeRunner {
    /// True if the code already is what `new` says: it shows at least as much of that as of `old`.
    fn done(
        &self,
        rule: &CodeRule,
        m: &Match,
        cx: &FileCx<'_>,
        code: &crate::contract::Code,
    ) -> bool {
        let resolver = cx.resolver(code);
        let shown = m.own_tokens(&rule.old).count();
        rule.outcome.news().any(|n| {
            let found = n.matches_at(&code.tree, m.span, cx.text, &resolver);
            let whole = |f: &Match| f.own_tokens(n).count() >= shown && f.is_filtered(n, cx.text);
            found.iter().any(whole)
        })
    }

    /// Matches that bind one variable again become notes, the first among them.
    fn only_once(&self, matches: Vec<Match>, text: &str, out: &mut Found) -> Vec<Match> {
        if self.along.single.is_empty() {
            return matches;
        }
        let key = |m: &Match| -> Vec<String> {
            let slots = self.along.single.iter().filter_map(|s| m.slot(s));
            slots.map(|b| b.span.of(text).to_owned()).collect()
        };
        let mut count: HashMap<Vec<String>, usize> = HashMap::new();
        let mut places = std::collections::HashSet::new();
        for m in matches.iter().filter(|m| places.insert((m.span.start, m.span.end))) {
            *count.entry(key(m)).or_default() += 1;
        }
        let (single, several): (Vec<Match>, Vec<Match>) =
            matches.into_iter().partition(|m| count[&key(m)] < 2);
        for m in several {
            let say = format!(
                "`{}` is bound here and at another place: it is not clear which one is meant",
                key(&m).join(", ")
            );
            out.notes.push(NoteDraft::new(m.span, say));
        }
        single
    }

    /// The draft at a match, once for each answer of other files; several answers are alternatives.
    fn answered(
        &self,
        rule: &CodeRule,
        action: (usize, usize),
        mut m: Match,
        cx: &FileCx<'_>,
        code: &crate::contract::Code,
        out: &mut Found,
    ) -> Option<Draft> {
        for (slot, names) in &self.along.free {
            let free = names.iter().find(|n| code.facts.words(n).is_empty());
            match free {
                Some(name) => m.add_text(slot, name.clone()),
                None => {
                    let say =
                        format!("all names for `{slot}` are taken here: {}", names.join(", "));
                    out.notes.push(NoteDraft::new(m.span, say));
                    return None;
                }
            }
        }
        if self.finder.queries.is_empty() {
            return self.draft(rule, action, &m, cx, code, out);
        }
        let mut drafts: Vec<(String, Draft)> = Vec::new();
        for (with, label) in self.finder.with_answers(&m, cx) {
            if let Some(draft) = self.draft(rule, action, &with, cx, code, out)
                && !drafts.iter().any(|(_, d)| d.change.splices == draft.change.splices)
            {
                drafts.push((label, draft));
            }
        }
        if drafts.len() < 2 {
            return drafts.pop().map(|d| d.1);
        }
        if drafts.len() > MAX_ANSWERS {
            let say = format!(
                "`elsewhere` finds {} different answers: too many to choose from",
                drafts.len()
            );
            out.notes.push(NoteDraft::new(m.span, say));
            return None;
        }
        let mut whole = drafts[0].1.clone();
        whole.alternatives = drafts
            .into_iter()
            .map(|(label, d)| Alternative { label, why: None, change: d.change, facts: d.evidence })
            .collect();
        whole.change = Change::default();
        Some(whole)
    }

    fn draft(
        &self,
        rule: &CodeRule,
        action: (usize, usize),
        m: &Match,
        cx: &FileCx<'_>,
        code: &crate::contract::Code,
        out: &mut Found,
    ) -> Option<Draft> {
        let mut draft = Draft::new(action, rule.digest, m.span, m.facts.clone());
        draft.tokens = m.own_tokens(&rule.old).collect();
        match self.tied(m, cx, code) {
            Ok(tie) => draft.tie = tie,
            Err(say) => {
                out.notes.push(NoteDraft::new(m.span, say));
                return None;
            }
        }
        if draft.evidence.is_empty() {
            draft.evidence.push(Fact {
                says: Certainty::Unsure,
                text: "the pattern names nothing that could be resolved".into(),
                at: None,
            });
        }
        if self.once && cx.own.is_empty() {
            draft.evidence.push(Fact {
                says: Certainty::Likely,
                text:
                    "no journal shows whether this was done here before, and it must be done only once"
                        .into(),
                at: None,
            });
        }
        let mut fail = |reason: String| out.notes.push(NoteDraft::new(m.span, reason));
        match &rule.outcome {
            Outcome::Note(advice) => {
                fail(advice.clone());
                return None;
            }
            Outcome::Write(replacement) => match self.write(replacement, rule, m, cx, code) {
                Ok((change, facts)) => {
                    draft.change = change;
                    draft.evidence.extend(facts);
                }
                Err(reason) => {
                    fail(reason);
                    return None;
                }
            },
            Outcome::Choice(choices) => {
                for choice in choices {
                    let written = match &choice.replacement {
                        Some(r) => self.write(r, rule, m, cx, code),
                        None => Ok((Change::default(), Vec::new())),
                    };
                    match written {
                        Ok((change, facts)) => draft.alternatives.push(Alternative {
                            label: choice.label.clone(),
                            why: choice.why.clone(),
                            change,
                            facts,
                        }),
                        Err(reason) => {
                            fail(format!("`{}` cannot be written here: {reason}", choice.label));
                        }
                    }
                }
            }
        }
        declares_at_top(&mut draft, m, cx.text, code);
        draft.certainty = draft
            .evidence
            .iter()
            .map(|e| e.says)
            .min()
            .unwrap_or(draft.certainty)
            .min(draft.certainty);
        (!draft.change.splices.is_empty() || !draft.alternatives.is_empty()).then_some(draft)
    }

    fn write(
        &self,
        replacement: &Replacement,
        rule: &CodeRule,
        m: &Match,
        cx: &FileCx<'_>,
        code: &crate::contract::Code,
    ) -> Result<(Change, Vec<Fact>), String> {
        let resolver = cx.resolver(code);
        let at =
            Place { tree: &code.tree, text: cx.text, line_end: cx.line_end, resolver: &resolver };
        let mut along = Written::default();
        let mut m = m.clone();
        for g in &self.along.gather {
            let collected = g.collect(&mut m, at, &mut along).map_err(|e| e.0)?;
            let needed = replacement.pattern().is_some_and(|p| p.slots().any(|s| s == g.name));
            if needed && collected.count == 0 {
                return Ok((Change::default(), Vec::new()));
            }
            m.add(collected);
        }
        for r in &self.along.rework {
            r.write(&m, at, &mut along).map_err(|e| e.0)?;
        }
        for f in &self.along.follow {
            f.write(&m, at, &mut along).map_err(|e| e.0)?;
        }
        let Written { mut splices, mut facts, mut imports, mut released, wholes } = replacement
            .write(&rule.old, &m, &code.tree, cx.text, cx.line_end, &resolver)
            .map_err(|e| e.0)?;
        in_brackets(&mut splices, m.span, cx.text, code);
        splices.extend(along.splices);
        splices.sort_by_key(|s| (s.span.start, s.span.end));
        facts.extend(along.facts);
        imports.extend(along.imports);
        released.extend(along.released);
        for symbol in &self.add {
            imports.push(self.head.language.import_of(symbol, Space::Value));
        }
        let beside = |new: &emendo_lang::ImportName| {
            m.names.iter().map(|n| (n.symbol.clone(), new.path.clone())).collect::<Vec<_>>()
        };
        let beside = imports.iter().flat_map(beside).collect();
        let own: Vec<&str> = m.own_tokens(&rule.old).map(|t| t.of(cx.text)).collect();
        let drops = |s: &&String| !may_come_from(s, &own, &resolver, code);
        let drop_imports = self.drop.iter().filter(drops).cloned().collect();
        let change = Change {
            splices,
            imports,
            drop_imports,
            beside,
            released,
            wholes,
            ..Change::default()
        };
        Ok((change, facts))
    }
}

/// Keeps what the slots hold where a declaration at the top of the file, or its package, gets another name.
fn declares_at_top(draft: &mut Draft, m: &Match, text: &str, code: &crate::contract::Code) {
    let facts = &code.facts;
    // Types come in the order of their names.
    let top = |s: &Splice| {
        let from = facts.types.partition_point(|t| t.at.end <= s.span.start);
        let mut near = facts.types[from..].iter().take_while(|t| t.at.start < s.span.end);
        near.any(|t| t.path.len() == 1 && t.at.meets(s.span))
    };
    let package = |s: &Splice| facts.package_span.is_some_and(|p| p.meets(s.span));
    if draft.change.splices.iter().any(|s| top(s) || package(s)) {
        draft.names = m.slots.iter().filter(|s| s.name != "_").map(|s| s.held(text)).collect();
    }
}

/// Puts what is written over several lines in brackets, where the end of a line would end the statement.
fn in_brackets(splices: &mut Vec<Splice>, hull: Span, text: &str, code: &crate::contract::Code) {
    let inside = splices.iter().all(|s| hull.contains(s.span));
    if !inside || code.language.flow.line_bodies.is_empty() || !hull.of(text).contains('\n') {
        return;
    }
    let written = Splice::written(text, hull, splices);
    if !needs_brackets(code.language, &written)
        || !is_bare_expression(code.language, &code.tree, hull)
    {
        return;
    }
    let bracket = |sign: &str| Part::Text(sign.to_owned());
    match splices.first_mut().filter(|s| s.span.start == hull.start) {
        Some(first) => first.parts.insert(0, bracket("(")),
        None => splices.insert(0, Splice::text(Span { end: hull.start, ..hull }, "(")),
    }
    match splices.last_mut().filter(|s| s.span.end == hull.end && !s.span.is_empty()) {
        Some(last) => last.parts.push(bracket(")")),
        None => splices.push(Splice::text(Span { start: hull.end, ..hull }, ")")),
    }
}

/// True if something else in the file may be known by the import that brings in all names beside a symbol: a type, or a
/// member that nothing else gives.
fn may_come_from(
    symbol: &str,
    own: &[&str],
    resolver: &Resolver<'_>,
    code: &crate::contract::Code,
) -> bool {
    let names = &resolver.language.names;
    let package = names.parent(symbol);
    let whole = code.facts.imports.iter().any(|i| i.wildcard && i.path() == package);
    let another = |name: &str, words: &[Word]| {
        let full = names.join(&[package.as_str(), name]);
        words.iter().any(|w| match w.space {
            Space::Type => resolver.means(&[name], Space::Type, w.span.start, &full).is_some(),
            Space::Member => w.receiver.is_some_and(|r| !resolver.has_member(r, name)),
            _ => false,
        })
    };
    whole
        && code.facts.all_words().any(|(name, words)| !own.contains(&name) && another(name, words))
}
