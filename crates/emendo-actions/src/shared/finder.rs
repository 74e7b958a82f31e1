//! Where an action finds its places: what must stand around and within, and what other files must hold.

use std::sync::Arc;

use emendo_lang::{Certainty, Fact, Language, Resolver, Space};
use emendo_pattern::{Conditions, Match, Nearest, Pattern};
use emendo_recipe::Action;
use emendo_text::Span;

use crate::contract::{
    Answer, Code, CompileCx, FileCx, Found, NoteDraft, Query, Subject, TraceLog, TraceStage,
    TraceStop,
};
use crate::shared::along::queries;
use crate::shared::conditions::{bound_by, conditions};

/// More ways to answer all questions are not looked at.
const MAX_WAYS: usize = 256;

/// The keys of an action that say where, its pattern left out.
pub(crate) struct Finder {
    pub(crate) conditions: Conditions,
    pub(crate) queries: Vec<Arc<Query>>,
}

impl Finder {
    /// Compiles what an action says of where.
    pub(crate) fn compile(
        language: &'static Language,
        action: &Action,
        cx: &mut CompileCx<'_>,
    ) -> Self {
        let conditions = conditions(language, action, cx);
        let queries = queries(language, action, cx).into_iter().map(Arc::new).collect();
        Self { conditions, queries }
    }

    /// True if other files are asked for more than what they declare, besides the questions.
    pub(crate) fn asks_files(&self) -> bool {
        self.conditions.asks_files() || self.queries.iter().any(|q| q.conditions.asks_files())
    }

    /// The types that slots must be of: those of the project that are built on them count too.
    pub(crate) fn subjects<'p>(&'p self, own: impl Iterator<Item = &'p Pattern>) -> Vec<Subject> {
        let patterns = own.chain(self.conditions.positive());
        let patterns = patterns.chain(self.queries.iter().map(|q| &q.pattern));
        let types = patterns.flat_map(Pattern::type_symbols);
        let mut out: Vec<Subject> =
            types.map(|s| Subject { symbol: s.clone(), member: false, inherited: true }).collect();
        out.sort();
        out.dedup();
        out
    }

    /// The slots that it binds besides those of the pattern.
    pub(crate) fn binds(&self) -> Vec<String> {
        let mut out = bound_by(&self.conditions);
        for q in self.queries.iter().filter(|q| !q.none) {
            out.extend(q.pattern.slots().map(str::to_owned));
            out.extend(bound_by(&q.conditions));
        }
        out
    }

    /// The places of a pattern that fulfil all that is asked in the file itself. What cannot be told becomes a note.
    pub(crate) fn places(
        &self,
        pattern: &Pattern,
        cx: &FileCx<'_>,
        code: &Code,
        resolver: &Resolver<'_>,
        out: &mut Found,
    ) -> Vec<Match> {
        let found = pattern.places(&code.tree, cx.text, resolver);
        for at in found.gave_up {
            let say = "too many ways to fit the list slots of the pattern here: write more of the code between them";
            out.notes.push(NoteDraft::new(at, say));
        }
        for (at, known) in found.partly {
            let say = format!("{known}: only one of these types is meant");
            out.notes.push(NoteDraft::new(at, say));
        }
        if let Some(trace) = cx.trace {
            self.traced(pattern, &found.matches, (cx, code), resolver, trace);
        }
        let (at, mut open) = ((&code.tree, cx.text), Vec::new());
        let matches = self.conditions.fulfilled_or(found.matches, at, resolver, &mut open);
        for (at, say) in open {
            out.notes.push(NoteDraft::new(at, say));
        }
        if matches.is_empty() {
            return matches;
        }
        // What names nothing is looked for everywhere, whatever else the recipe holds.
        let names = pattern.names_any() || self.conditions.names_any();
        if !names || cx.packages.is_empty() || resolver.reaches(cx.packages, cx.text) {
            return matches;
        }
        let resolved = |m: &Match| m.typed || m.names.iter().any(|n| !n.symbol.is_empty());
        matches.into_iter().filter(resolved).collect()
    }

    /// Tells where it stops at the place that someone asks about.
    fn traced(
        &self,
        pattern: &Pattern,
        matches: &[Match],
        (cx, code): (&FileCx<'_>, &Code),
        resolver: &Resolver<'_>,
        trace: &TraceLog,
    ) {
        let what = pattern.source().to_owned();
        let stop = |stage, fitted, says| {
            trace.stop(TraceStop { what: what.clone(), stage, fitted, says });
        };
        let mut here = matches.iter().filter(|m| m.span.meets(trace.at)).peekable();
        if here.peek().is_none() {
            let near = pattern.nearest_in(&code.tree, cx.text, resolver, trace.at);
            if let Some(near) = near {
                let (stage, says) = stopped(&near, cx.text, resolver);
                stop(stage, near.fitted, says);
            }
            return;
        }
        for m in here {
            // All of the pattern fits: nothing comes nearer.
            let fitted = m.own_tokens(pattern).count() + 1;
            if let Some(key) = self.conditions.unfulfilled(m, (&code.tree, cx.text), resolver) {
                stop(
                    TraceStage::Around,
                    fitted,
                    format!("the pattern fits; `{key}` does not hold here"),
                );
            } else if !self.queries.is_empty() && self.with_answers(m, cx).is_empty() {
                let says = "the pattern fits; `elsewhere` does not hold".to_owned();
                stop(TraceStage::Elsewhere, fitted, says);
            } else if !cx.packages.is_empty()
                && (pattern.names_any() || self.conditions.names_any())
                && !resolver.reaches(cx.packages, cx.text)
                && !m.typed
            {
                let says = "the pattern fits; the file never refers to the library".to_owned();
                stop(TraceStage::Names, fitted, says);
            }
        }
    }

    /// A match with what other files answer, once for each way in which all questions are answered, and what tells
    /// the ways apart.
    pub(crate) fn with_answers(&self, m: &Match, cx: &FileCx<'_>) -> Vec<(Match, String)> {
        let mut ways = vec![(m.clone(), String::new())];
        for query in &self.queries {
            let Some(asked) = cx.asked(query) else { return Vec::new() };
            let mut next: Vec<(Match, String)> = Vec::new();
            for (m, label) in &ways {
                let fits = |a: &&Answer| {
                    (!query.same_file || a.path == *cx.path)
                        && a.slots.iter().all(|(slot, text)| m.holds_text(slot, text, cx.text))
                };
                let mut found = asked.found.iter().filter(fits);
                if query.none {
                    let mut m = m.clone();
                    m.facts.extend(asked.unread.then(unread));
                    next.extend(found.next().is_none().then(|| (m, label.clone())));
                    continue;
                }
                next.extend(found.map(|a| answered(m, label, a)));
            }
            next.truncate(MAX_WAYS);
            ways = next;
        }
        ways
    }
}

/// Why a pattern stops at a place, in plain words.
fn stopped(near: &Nearest, text: &str, resolver: &Resolver<'_>) -> (TraceStage, String) {
    let found = emendo_lang::tree::in_line(near.at.of(text));
    let found: String = found.chars().take(80).collect();
    match (&near.symbol, &near.slot) {
        (Some(symbol), _) if near.wanted == found => {
            (TraceStage::Names, other_meaning(&found, symbol, near.at, resolver))
        }
        (_, Some(slot)) if slot != "_" => {
            let asked: Vec<String> = near.asked.iter().map(|k| format!("`{k}`")).collect();
            let why = match asked.as_slice() {
                [] => "it takes no such code".to_owned(),
                [one] => format!("{one} does not allow it"),
                several => format!("one of {} does not allow it", several.join(", ")),
            };
            let says = format!("`@{{{slot}}}` can't be `{found}`: {why}");
            (TraceStage::Slots, says)
        }
        _ if near.wanted.is_empty() => {
            (TraceStage::Shape, format!("the pattern ends, and `{found}` follows"))
        }
        _ => {
            let says = format!("the pattern wants `{}`, and here is `{found}`", near.wanted);
            (TraceStage::Shape, says)
        }
    }
}

/// What a name means, where that is not the symbol.
pub(crate) fn other_meaning(name: &str, symbol: &str, at: Span, resolver: &Resolver<'_>) -> String {
    let mut all = [Space::Type, Space::Value].into_iter();
    let other = all.find_map(|s| resolver.candidates(&[name], s, at.start).into_iter().next());
    match other.filter(|o| o != symbol) {
        Some(other) => format!("`{name}` means `{other}` here, not `{symbol}`"),
        None => format!("nothing tells that `{name}` means `{symbol}` here"),
    }
}

/// A match with an answer.
fn answered(m: &Match, label: &str, a: &Answer) -> (Match, String) {
    let mut with = m.clone();
    for (slot, text) in &a.slots {
        if with.slot(slot).is_none() {
            with.add_named(slot, text.clone(), a.types.get(slot).cloned());
        }
    }
    with.facts.extend(a.facts.iter().cloned());
    let own = a.slots.values().cloned().collect::<Vec<_>>().join(", ");
    let both = if label.is_empty() { own } else { format!("{label}; {own}") };
    (with, both)
}

fn unread() -> Fact {
    let text = "not all files could be read, and what must not stand elsewhere may stand there";
    Fact { says: Certainty::Likely, text: text.to_owned(), at: None }
}
