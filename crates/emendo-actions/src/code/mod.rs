//! `code`: a pattern becomes another, or is deleted; with `choice`, the reviewer picks among several.

mod follow;

use std::collections::HashMap;
use std::sync::Arc;

use emendo_lang::{Certainty, Fact, Language, Space};
use emendo_pattern::{Conditions, Match, Pattern, Place, Replacement, Written};
use emendo_recipe::{Action, ActionKind, Key, Shape, Table, Text, pairs};
use emendo_text::{Diagnostic, Digest, RelPath, Span};

use crate::contract::{
    Alternative, Change, CompileCx, Declaration, Draft, FileCx, Found, Kind, Needs, NoteDraft, Old,
    Query, Replaces, Runner, Tie, Uses, What, action_digest,
};
use crate::shared::{
    Along, ELSEWHERE, FOLLOW, GATHER, REWORK, covers_code, groups, language, pattern, pattern_error,
};

/// The kind.
pub(super) static CODE: Code = Code;

pub(super) struct Code;

const IMPORTS: &[Key] = &[
    Key::new("add", Shape::Symbols, "symbols to import"),
    Key::new("drop", Shape::Symbols, "symbols whose import goes, if nothing uses it"),
];

const CHOICE: &[Key] = &[
    Key::required("label", Shape::Text, "the word for it in review"),
    Key::new("new", Shape::Pattern, "the code; without it the place stays"),
    Key::new("why", Shape::Text, "when it is the right one"),
];

const KEYS: &[Key] = &[
    Key::new("old", Shape::Pattern, "the code that is looked for"),
    Key::new("new", Shape::Pattern, "the code that is written; empty deletes"),
    Key::new("choice", Shape::Tables(CHOICE), "alternatives, one of which the reviewer picks"),
    Key::new("imports", Shape::Table(IMPORTS), "imports that no pattern shows"),
    Key::new(
        "as",
        Shape::Text,
        "the one way to read the pattern: expression, statement, member, type, ...",
    ),
    Key::new("pairs", Shape::Pairs, "many old and new patterns"),
    Key::new(
        "table",
        Shape::Text,
        "many old and new patterns, from a CSV file of the recipe's folder",
    ),
    emendo_recipe::PLACE[0],
    emendo_recipe::PLACE[1],
    emendo_recipe::PLACE[2],
    emendo_recipe::PLACE[3],
    Key::new(
        "value",
        Shape::Words(&["unused"]),
        "`unused`: only where the value of the match is not used",
    ),
    Key::new(
        "elsewhere",
        Shape::Table(ELSEWHERE),
        "a pattern that must fit somewhere in the project; its slots may be written",
    ),
    Key::new("gather", Shape::Named(GATHER), "pieces of a slot, collected as a slot of their own"),
    Key::new("rework", Shape::Tables(REWORK), "rewrites inside a slot"),
    Key::new("follow", Shape::Tables(FOLLOW), "rewrites the uses of what the match declares"),
    Key::new(
        "once",
        Shape::Bool,
        "it would change its own result again: what the journal says that it wrote is left alone",
    ),
];

impl ActionKind for Code {
    fn name(&self) -> &'static str {
        "code"
    }
    fn about(&self) -> &'static str {
        "rewrites code that fits a pattern"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

impl Kind for Code {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let language = language(action, cx)?;
        let choices = action.table.tables("choice");
        let rows = pairs(action, &cx.recipe.source, &|_| ".", cx.out);
        if rows.is_empty() {
            cx.out.push(
                Diagnostic::error("this action says nothing to look for", action.span)
                    .help("write `old`, `pairs` or `table`"),
            );
            return None;
        }
        if action.table.get("new").is_none()
            && action.table.get("old").is_some()
            && choices.is_empty()
        {
            let help = "write `new`, or `new = ''` to delete, or `[[step.code.choice]]`; to report only, use a `note`";
            cx.out.push(
                Diagnostic::error("this action says nothing to write", action.span).help(help),
            );
            return None;
        }
        if action.table.get("new").is_some() && !choices.is_empty() {
            cx.out.push(
                Diagnostic::error("`new` and `choice` exclude each other", action.span)
                    .help("move `new` into a `choice` of its own"),
            );
            return None;
        }
        let conditions = crate::shared::conditions(language, action, cx);
        let query = crate::shared::query(language, action, cx).map(Arc::new);
        let mut extra = groups(action);
        extra.extend(crate::shared::bound_by(&conditions));
        extra.extend(query.iter().flat_map(|q| q.pattern.slots().map(str::to_owned)));
        let olds: Vec<Option<Pattern>> =
            rows.iter().map(|row| pattern(language, &row.old, action, cx)).collect();
        let mut bound: Vec<String> =
            olds.iter().flatten().flat_map(Pattern::slots).map(str::to_owned).collect();
        bound.sort();
        bound.dedup();
        let mut known = extra.clone();
        known.extend(bound.iter().cloned());
        let along = Along::compile(language, action, &known, cx);
        extra.extend(along.binds());
        known.extend(along.binds());
        if olds.iter().all(Option::is_some) {
            crate::shared::check_slots(action, &known, cx);
        }
        let mut rules = Vec::new();
        for (row, old) in rows.iter().zip(olds) {
            let Some(old) = old else { continue };
            let outcome = if !choices.is_empty() {
                Outcome::Choice(
                    choices
                        .iter()
                        .filter_map(|(t, _)| option(&old, t, action, &extra, cx))
                        .collect(),
                )
            } else if let Some(new) = &row.new {
                match replacement(&old, new, action, &extra, cx) {
                    Some(r) => Outcome::Write(Box::new(r)),
                    None => continue,
                }
            } else if let Some(advice) = &row.advice {
                Outcome::Note(advice.clone())
            } else {
                Outcome::Write(Box::new(replacement(
                    &old,
                    &Text::derived(String::new(), row.old.span),
                    action,
                    &extra,
                    cx,
                )?))
            };
            warn_readings(&old, &outcome, row, action, cx);
            let grows =
                outcome.news().any(|new| fits_own_result(language, &row.old, new, action, cx));
            let digest = action_digest("code", &row.old.text);
            rules.push(Rule { grows, digest, written: row.old.text.clone(), old, outcome });
        }
        let list = |key: &str| {
            let texts = action.table.table("imports").map(|t| t.texts(key)).unwrap_or_default();
            texts.into_iter().map(|t| t.text.clone()).collect::<Vec<_>>()
        };
        let needs = Needs::of(rules.iter().flat_map(|r| r.old.needs()));
        let mut symbols: Vec<String> =
            action.scope.names.values().map(|n| n.symbol.clone()).collect();
        symbols.extend(rules.iter().flat_map(|r| r.old.type_symbols().cloned()));
        Some(Box::new(CodeRunner {
            language,
            covers: Box::new(covers_code(action, language)),
            rules,
            conditions,
            along,
            query,
            once: action.table.is_true("once"),
            add: list("add"),
            drop: list("drop"),
            needs,
            symbols,
        }))
    }
}

/// Several readings are no error; where they could write different text, the author should know.
fn warn_readings(
    old: &Pattern,
    outcome: &Outcome,
    row: &emendo_recipe::Pair,
    action: &Action,
    cx: &mut CompileCx<'_>,
) {
    let mut readings = old.readings();
    readings.dedup();
    let writes = matches!(outcome, Outcome::Write(_) | Outcome::Choice(_));
    // A statement and a member of the same text are told apart by where they stand.
    let unlike =
        readings.iter().any(|r| !matches!(*r, "statement" | "member" | "expression" | "type"));
    if writes && readings.len() > 1 && unlike && action.table.get("as").is_none() {
        let d = Diagnostic::warning(
            format!("this pattern reads in several ways: {}", readings.join(", ")),
            row.old.span,
        );
        cx.out.push(d.help(format!("`as = \"{}\"` keeps one of them", readings[0])));
    }
}

fn replacement(
    old: &Pattern,
    new: &Text,
    action: &Action,
    extra: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Replacement> {
    match Replacement::compile(old, &new.text, &crate::shared::names(action, cx), extra) {
        Ok(mut r) => {
            r.spell(cx.spellings);
            Some(r)
        }
        Err(e) => {
            cx.out.push(pattern_error(&e, new));
            None
        }
    }
}

fn option(
    old: &Pattern,
    t: &Table,
    action: &Action,
    extra: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Choice> {
    let text = |key: &str| t.text(key).map(|t| t.text.clone());
    let replacement = match t.text("new") {
        Some(new) => Some(replacement(old, new, action, extra, cx)?),
        None => None,
    };
    Some(Choice { label: text("label")?, why: text("why"), replacement })
}

struct CodeRunner {
    language: &'static Language,
    covers: Box<dyn Fn(&RelPath) -> bool + Send + Sync>,
    rules: Vec<Rule>,
    conditions: Conditions,
    along: Along,
    query: Option<Arc<Query>>,
    once: bool,
    add: Vec<String>,
    drop: Vec<String>,
    needs: Needs,
    symbols: Vec<String>,
}

struct Rule {
    digest: Digest,
    /// `old` as the recipe writes it.
    written: String,
    old: Pattern,
    outcome: Outcome,
    /// `old` fits what `new` writes: a place must be looked at before it is changed again.
    grows: bool,
}

enum Outcome {
    Write(Box<Replacement>),
    Choice(Vec<Choice>),
    Note(String),
}

struct Choice {
    label: String,
    why: Option<String>,
    replacement: Option<Replacement>,
}

impl Outcome {
    fn news(&self) -> impl Iterator<Item = &Pattern> {
        let (one, many) = match self {
            Self::Write(r) => (r.pattern(), &[][..]),
            Self::Choice(c) => (None, c.as_slice()),
            Self::Note(_) => (None, &[][..]),
        };
        one.into_iter().chain(many.iter().filter_map(|c| c.replacement.as_ref()?.pattern()))
    }
}

/// True if `old` would match what `new` writes, whatever the slots hold: constraints on texts count, others do not.
fn fits_own_result(
    language: &'static Language,
    old: &Text,
    new: &Pattern,
    action: &Action,
    cx: &CompileCx<'_>,
) -> bool {
    let Ok(mut probe) =
        Pattern::compile(language, &old.text, &crate::shared::names(action, cx), None)
    else {
        return true;
    };
    crate::shared::constrain_texts(&mut probe, action);
    new.fits_as_code(&probe)
}

impl Runner for CodeRunner {
    fn kind(&self) -> &'static str {
        "code"
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
        self.symbols.clone()
    }
    fn replaces(&self) -> Replaces {
        let mut out = Replaces::default();
        for rule in &self.rules {
            out.new.extend(rule.outcome.news().flat_map(Pattern::symbols).map(str::to_owned));
            let advice = match &rule.outcome {
                Outcome::Note(say) => Some(say.clone()),
                _ => None,
            };
            let old =
                |s: &str| Old { symbol: s.to_owned(), what: What::Free, advice: advice.clone() };
            out.old.extend(rule.old.symbols().map(old));
        }
        out
    }
    fn asks_declarations(&self) -> bool {
        !self.symbols.is_empty()
    }
    fn follows(&self) -> bool {
        !self.along.follow.is_empty()
    }
    fn declares(&self, cx: &FileCx<'_>) -> Vec<Declaration> {
        self.declared(cx)
    }
    fn uses(&self, declared: &Declaration, cx: &FileCx<'_>) -> Uses {
        self.used(declared, cx)
    }
    fn grows(&self) -> bool {
        !self.once && self.rules.iter().any(|r| r.grows)
    }
    fn rows(&self) -> Vec<String> {
        self.rules.iter().map(|r| r.written.clone()).collect()
    }
    fn once(&self) -> bool {
        self.once
    }
    fn queries(&self) -> Vec<Arc<Query>> {
        self.query.iter().cloned().collect()
    }
    fn changes_declarations(&self) -> bool {
        self.rules.iter().any(|r| r.old.declares_types())
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let written: Vec<Span> = if self.once { written_before(cx) } else { Vec::new() };
        self.follow_here(cx, code, action, out);
        for (row, rule) in self.rules.iter().enumerate() {
            let found = rule.old.places(&code.tree, cx.text, &resolver);
            for at in found.gave_up {
                let say = "too many ways to fit the list slots of the pattern here: write more of what stands between them";
                out.notes.push(NoteDraft { at, say: say.into() });
            }
            for (at, known) in found.partly {
                let say = format!("{known}: only one of these types is meant");
                out.notes.push(NoteDraft { at, say });
            }
            let matches = found.matches;
            let matches = self.conditions.fulfilled(matches, &code.tree, cx.text, &resolver);
            if matches.is_empty() {
                continue;
            }
            let matches = self.only_once(matches, cx.text, out);
            let reaches = cx.packages.is_empty() || resolver.reaches(cx.packages, cx.text);
            let mut at: HashMap<Span, String> = HashMap::new();
            for m in matches {
                if written.iter().any(|w| w.contains(m.span)) {
                    continue;
                }
                let resolved = m.typed || m.names.iter().any(|n| !n.symbol.is_empty());
                if (!resolved && !reaches) || (rule.grows && self.done(rule, m.span, cx, code)) {
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
                    out.notes.push(NoteDraft {
                        at: m.span,
                        say: "the pattern reads in several ways here that would write different code; `as` in the recipe decides".into(),
                    });
                } else if !known {
                    at.insert(m.span, text);
                    out.drafts.push(draft);
                }
            }
        }
    }
}

/// The places that read as what the step wrote before.
pub(super) fn written_before(cx: &FileCx<'_>) -> Vec<Span> {
    let places = |own: &&str| {
        let found = cx.text.match_indices(*own).filter(|(_, t)| !t.is_empty());
        found.map(|(at, t)| Span::new(at, at + t.len())).collect::<Vec<_>>()
    };
    cx.own.iter().flat_map(places).collect()
}

impl CodeRunner {
    /// True if the code already is what `new` says.
    fn done(&self, rule: &Rule, at: Span, cx: &FileCx<'_>, code: &crate::contract::Code) -> bool {
        let resolver = cx.resolver(code);
        rule.outcome.news().any(|n| n.fits_at(&code.tree, at, cx.text, &resolver))
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
                "`{}` is bound here and at another place: nothing tells which one is meant",
                key(&m).join(", ")
            );
            out.notes.push(NoteDraft { at: m.span, say });
        }
        single
    }

    /// The draft at a match, once for each answer of other files; several answers are alternatives.
    fn answered(
        &self,
        rule: &Rule,
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
                    out.notes.push(NoteDraft { at: m.span, say });
                    return None;
                }
            }
        }
        let Some(query) = &self.query else { return self.draft(rule, action, &m, cx, code, out) };
        let mut drafts: Vec<(String, Draft)> = Vec::new();
        for answer in cx.answers_to(query) {
            let mut with = m.clone();
            for (slot, text) in answer {
                match with.slot(slot).map(|b| b.span.of(cx.text) == text) {
                    Some(true) => {}
                    Some(false) => break,
                    None => with.add_text(slot, text.clone()),
                }
            }
            let agrees = answer
                .iter()
                .all(|(slot, text)| m.slot(slot).is_none_or(|b| b.span.of(cx.text) == text));
            if agrees && let Some(draft) = self.draft(rule, action, &with, cx, code, out) {
                let label = answer.values().cloned().collect::<Vec<_>>().join(", ");
                if !drafts.iter().any(|(_, d)| d.change.splices == draft.change.splices) {
                    drafts.push((label, draft));
                }
            }
        }
        if drafts.len() < 2 {
            return drafts.pop().map(|d| d.1);
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
        rule: &Rule,
        action: (usize, usize),
        m: &Match,
        cx: &FileCx<'_>,
        code: &crate::contract::Code,
        out: &mut Found,
    ) -> Option<Draft> {
        let mut draft = Draft {
            action,
            digest: rule.digest,
            hull: m.span,
            tokens: m.own_tokens(&rule.old).collect(),
            change: Change::default(),
            certainty: m.certainty(),
            evidence: m.facts.clone(),
            alternatives: Vec::new(),
            tie: Tie::default(),
        };
        match self.tied(m, cx, code) {
            Ok(tie) => draft.tie = tie,
            Err(say) => {
                out.notes.push(NoteDraft { at: m.span, say });
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
                    "no journal tells whether this was done here before, and it must be done once"
                        .into(),
                at: None,
            });
        }
        let mut fail = |reason: String| out.notes.push(NoteDraft { at: m.span, say: reason });
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
        rule: &Rule,
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
            let collected = g.collect(&m, at, &mut along).map_err(|e| e.0)?;
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
        let Written { mut splices, mut facts, mut imports, mut released } = replacement
            .write(&rule.old, &m, &code.tree, cx.text, cx.line_end, &resolver)
            .map_err(|e| e.0)?;
        splices.extend(along.splices);
        splices.sort_by_key(|s| (s.span.start, s.span.end));
        facts.extend(along.facts);
        imports.extend(along.imports);
        released.extend(along.released);
        for symbol in &self.add {
            imports.push(self.language.import_of(symbol, Space::Value));
        }
        let drop_imports = self.drop.clone();
        Ok((Change { splices, imports, drop_imports, released, ..Change::default() }, facts))
    }
}
