//! Writing one pattern over a match of another: what both share stays as it stands in the file.

mod align;
mod delete;
mod lines;
mod tokens;

use std::collections::BTreeMap;

use emendo_lang::language::{Language, Space};
use emendo_lang::tree::{Tree, span, walk};
use emendo_lang::{Certainty, Fact, ImportName, Resolver, Spellings};
use emendo_text::{Filter, Part, Span, Splice};

pub use lines::{delete_item, delete_splice};
pub(crate) use lines::{indent_at, line_start, with_end};

use crate::found::{Bound, Match};
use crate::model::{Key, Pattern, PatternError};
use crate::write::align::{align, shrink};
use crate::write::delete::delete;
use crate::write::tokens::{NewToken, OldToken, new_tokens, old_tokens};
use crate::written::{Place, Unresolved, Written};

/// The `new` of an action, compiled against its `old`.
#[derive(Debug)]
pub struct Replacement {
    pattern: Option<Pattern>,
    /// For each reading of `old`, the reading of `new` in the same position.
    readings: Vec<Option<usize>>,
}

impl Replacement {
    /// Compiles `new` against `old`. An empty `new` deletes.
    ///
    /// # Errors
    /// If `new` cannot be read where `old` stands, or uses a slot that `old` does not bind (`extra` are bound elsewhere).
    pub fn compile(
        old: &Pattern,
        new: &str,
        names: &BTreeMap<String, String>,
        extra: &[String],
    ) -> Result<Self, PatternError> {
        if new.trim().is_empty() {
            return Ok(Self { pattern: None, readings: vec![None; old.readings.len()] });
        }
        let mut pattern = Pattern::compile(old.language, new, names, None)?;
        unbound(old, &pattern, new, extra)?;
        let straight = dedent(new);
        if straight != new {
            pattern = Pattern::compile(old.language, &straight, names, None)?;
        }
        // What reads alike in several places was kept once: here it is asked for in the place of `old`.
        let contexts = old.language.contexts;
        for o in &old.readings {
            let name = contexts[o.context].name;
            if !pattern.readings.iter().any(|n| contexts[n.context].name == name)
                && let Ok(more) = Pattern::compile(old.language, &straight, names, Some(name))
            {
                pattern.readings.extend(more.readings);
            }
        }
        Self::placed(old, pattern, new)
    }

    /// Compiles what is written for a match of `old` at another place: it may be any kind of code.
    ///
    /// # Errors
    /// As [`Replacement::compile`], but for the place.
    pub fn compile_free(
        old: &Pattern,
        new: &str,
        names: &BTreeMap<String, String>,
        extra: &[String],
    ) -> Result<Self, PatternError> {
        let pattern = Pattern::compile(old.language, &dedent(new), names, None)?;
        unbound(old, &pattern, new, extra)?;
        Ok(Self { pattern: Some(pattern), readings: vec![Some(0); old.readings.len()] })
    }

    /// Pairs the readings of `old` with those of `new`.
    fn placed(old: &Pattern, pattern: Pattern, new: &str) -> Result<Self, PatternError> {
        let contexts = old.language.contexts;
        let readings: Vec<Option<usize>> = old
            .readings
            .iter()
            .map(|o| {
                let same = pattern.readings.iter().position(|n| n.context == o.context);
                let name = contexts[o.context].name;
                same.or_else(|| {
                    pattern.readings.iter().position(|n| contexts[n.context].name == name)
                })
            })
            .collect();
        if readings.iter().all(Option::is_none) {
            let list = |p: &Pattern| p.readings().join(" or ");
            return Err(PatternError {
                at: Span::new(0, new.len()),
                message: format!("this cannot stand where `old` stands: it reads as {}, `old` as {}", list(&pattern), list(old)),
                help: "write both as the same kind of code: two expressions, two statements, two declarations".into(),
            });
        }
        Ok(Self { pattern: Some(pattern), readings })
    }

    /// Makes the replacement know its symbols under their other names too.
    pub fn spell(&mut self, spellings: &Spellings) {
        if let Some(p) = &mut self.pattern {
            p.spell(spellings);
        }
    }

    /// True if it deletes.
    pub fn deletes(&self) -> bool {
        self.pattern.is_none()
    }

    /// The replacement as a pattern, for finding places where the work is done.
    pub fn pattern(&self) -> Option<&Pattern> {
        self.pattern.as_ref()
    }

    /// The replacement at a match as text of its own, for another place.
    ///
    /// # Errors
    /// If it cannot be written.
    pub(crate) fn fresh(
        &self,
        old: &Pattern,
        m: &Match,
        at: Place<'_>,
    ) -> Result<(Vec<Part>, Written), Unresolved> {
        let (Some(new), Some(ix)) = (&self.pattern, self.readings[m.reading]) else {
            return Ok((vec![Part::Copy(m.span)], Written::default()));
        };
        let mut writer = Writer::new(old, m, at);
        writer.old.clear();
        let (readings, language) = (&new.readings[ix], old.language);
        writer.new = new_tokens(language, m, &[], &old.readings[m.reading], readings, &new.source)?;
        let mut parts = Vec::new();
        for i in 0..writer.new.len() {
            if i > 0 {
                let gap = writer.reindent(&writer.new[i].gap);
                add(&mut parts, gap);
            }
            writer.token(i, &mut parts);
        }
        match writer.failed {
            Some(failed) => Err(failed),
            None => Ok((parts, writer.out)),
        }
    }

    /// The splices that write it over a match.
    ///
    /// # Errors
    /// If the place cannot be written: no reading of `new` fits it, or nothing whole can be deleted.
    pub fn write(
        &self,
        old: &Pattern,
        m: &Match,
        tree: &Tree,
        text: &str,
        line_end: &str,
        resolver: &Resolver<'_>,
    ) -> Result<Written, Unresolved> {
        let language = old.language;
        let Some(new) = &self.pattern else {
            return delete(language, m, tree, text);
        };
        let Some(ix) = self.readings[m.reading] else {
            let context = language.contexts[old.readings[m.reading].context].name;
            return Err(Unresolved(format!(
                "`new` cannot be read as the {context} that stands here"
            )));
        };
        let (old_count, new_count) =
            (old.readings[m.reading].roots.len(), new.readings[ix].roots.len());
        if new_count > old_count && m.place.1.is_some() {
            return Err(Unresolved(format!(
                "`new` has {new_count} parts where only one can stand: put braces around this place first"
            )));
        }
        let mut writer = Writer::new(old, m, Place { tree, text, line_end, resolver });
        writer.new = new_tokens(
            language,
            m,
            &writer.old,
            &old.readings[m.reading],
            &new.readings[ix],
            &new.source,
        )?;
        let root = &new.readings[ix].roots[0];
        let old_kind = old.readings[m.reading].roots[0].kind;
        let wrap = language.loose.contains(&root.kind)
            && !(language.loose.contains(&old_kind) && old_kind == root.kind)
            && language.binds(m.place.0, m.place.1);
        writer.run(wrap);
        match writer.failed {
            Some(failed) => Err(failed),
            None => Ok(writer.out),
        }
    }
}

fn unbound(
    old: &Pattern,
    new: &Pattern,
    source: &str,
    extra: &[String],
) -> Result<(), PatternError> {
    let template = emendo_text::Template::parse(source).map_err(|e| PatternError {
        at: e.at,
        message: e.message,
        help: e.help,
    })?;
    debug_assert!(!new.readings.is_empty());
    for (name, at, _) in template.slots() {
        if old.slots().any(|s| s == name) || extra.iter().any(|e| e == name) {
            continue;
        }
        let known: Vec<&str> = old.slots().chain(extra.iter().map(String::as_str)).collect();
        let help = match (name, known.as_slice()) {
            ("_", _) => "give the slot a name in `old` and use that name here".to_owned(),
            (_, []) => "`old` has no slots".to_owned(),
            _ => format!("`old` binds: {}", known.join(", ")),
        };
        let message = if name == "_" {
            "an unnamed slot cannot be written".to_owned()
        } else {
            format!("nothing binds the slot `{name}`")
        };
        return Err(PatternError { at, message, help });
    }
    Ok(())
}

/// Takes away the indentation that all lines share, and blank lines at the ends.
fn dedent(source: &str) -> String {
    let body = source.trim_start_matches(['\n', '\r']).trim_end();
    let lines = || body.lines().filter(|l| !l.trim().is_empty());
    let shared = lines().map(|l| l.len() - l.trim_start().len()).min().unwrap_or(0);
    let cut = body.lines().map(|l| l.get(shared..).unwrap_or(""));
    cut.collect::<Vec<_>>().join("\n")
}

struct Writer<'a> {
    language: &'static Language,
    m: &'a Match,
    tree: &'a Tree,
    text: &'a str,
    resolver: &'a Resolver<'a>,
    old: Vec<OldToken>,
    new: Vec<NewToken>,
    indent: &'a str,
    line_end: &'a str,
    out: Written,
    failed: Option<Unresolved>,
}

impl<'a> Writer<'a> {
    fn new(old: &Pattern, m: &'a Match, at: Place<'a>) -> Self {
        Self {
            language: old.language,
            m,
            tree: at.tree,
            text: at.text,
            resolver: at.resolver,
            old: old_tokens(old, m),
            new: Vec::new(),
            indent: indent_at(at.text, m.span.start as usize),
            line_end: at.line_end,
            out: Written::default(),
            failed: None,
        }
    }
}

impl Writer<'_> {
    fn run(&mut self, wrap: bool) {
        let anchors = align(&self.old, &self.new);
        let kept = |i: usize| anchors.iter().any(|(o, _)| *o == i);
        let named = self
            .old
            .iter()
            .enumerate()
            .filter(|(i, t)| matches!(t.key, Key::Name { .. }) && !kept(*i));
        self.out.released = named.map(|(_, t)| t.at).collect();
        self.effects(&anchors);
        let mut edges: Vec<Option<(usize, usize)>> = vec![None];
        edges.extend(anchors.into_iter().map(Some));
        edges.push(None);
        for i in 1..edges.len() {
            self.region(edges[i - 1], edges[i], i == 1, i + 1 == edges.len(), wrap);
        }
        self.pull_up(&edges);
        self.push_down(&edges);
        self.out.splices.sort_by_key(|s| (s.span.start, s.span.end));
    }

    /// A token that `new` sets on a line of its own, and `old` did not, begins one, unless it does so already.
    fn push_down(&mut self, edges: &[Option<(usize, usize)>]) {
        for w in edges.windows(2) {
            let (Some(prev), Some(here)) = (w[0], w[1]) else { continue };
            let adjacent = prev.0 + 1 == here.0 && prev.1 + 1 == here.1;
            let (old, new) = (&self.old[here.0], &self.new[here.1]);
            let gap = Span { start: self.old[prev.0].at.end, end: old.at.start };
            let text = gap.of(self.text);
            let breaks = |s: &str| s.contains(['\n', '\r']);
            if adjacent
                && breaks(&new.gap)
                && !breaks(&old.gap)
                && !breaks(text)
                && text.trim().is_empty()
            {
                let written = self.reindent(&new.gap);
                self.push(Splice::text(gap, written));
            }
        }
    }

    /// A slot with effects that is dropped, repeated or moved past another may change what happens.
    fn effects(&mut self, anchors: &[(usize, usize)]) {
        let mut told = Vec::new();
        for (i, old) in self.old.iter().enumerate() {
            let Key::Slot(name, _) = &old.key else { continue };
            let uses = self.new.iter().filter(|n| n.key == old.key).count();
            let in_place = anchors.iter().any(|(o, _)| *o == i);
            let what = match (uses, in_place) {
                (0, _) => "left out",
                (1, true) => continue,
                (1, false) => "moved",
                _ => "repeated",
            };
            if !told.contains(name) && self.has_effects(old.at) {
                told.push(name.clone());
                self.out.facts.push(Fact {
                    says: Certainty::Likely,
                    text: format!("`{name}` may do something when it is evaluated, and is {what}"),
                    at: Some(old.at),
                });
            }
        }
    }

    fn has_effects(&self, at: Span) -> bool {
        let mut found = false;
        for root in self.tree.roots_at(at) {
            let smallest = root.node.descendant_for_byte_range(at.start as usize, at.end as usize);
            walk(smallest.unwrap_or(root.node), |n| {
                found |= at.contains(span(n)) && self.language.effects.contains(&n.kind());
                !found && span(n).meets(at)
            });
        }
        found
    }

    /// Writes what differs between two kept tokens.
    fn region(
        &mut self,
        prev: Option<(usize, usize)>,
        next: Option<(usize, usize)>,
        first: bool,
        last: bool,
        wrap: bool,
    ) {
        let deleted: Vec<Span> = self.old
            [prev.map_or(0, |p| p.0 + 1)..next.map_or(self.old.len(), |n| n.0)]
            .iter()
            .map(|t| t.at)
            .collect();
        let range = prev.map_or(0, |p| p.1 + 1)..next.map_or(self.new.len(), |n| n.1);
        let close = prev.is_some_and(|p| self.new[p.1].parens);
        let open = next.is_some_and(|n| self.new[n.1].parens);
        let mut lead = if first && wrap { "(".to_owned() } else { String::new() };
        let mut tail = if last && wrap { ")".to_owned() } else { String::new() };
        if close {
            lead = format!("){lead}");
        }
        if open {
            tail.push('(');
        }
        if deleted.is_empty() && range.is_empty() && lead.is_empty() && tail.is_empty() {
            return;
        }
        let start = prev.map(|p| self.old[p.0].at.end).or(deleted.first().map(|d| d.start));
        let end = next.map(|n| self.old[n.0].at.start).or(deleted.last().map(|d| d.end));
        let (start, end) = match (start, end) {
            (Some(s), Some(e)) => (s, e),
            (Some(s), None) => (s, s),
            (None, Some(e)) => (e, e),
            (None, None) => (self.m.span.start, self.m.span.start),
        };
        if deleted.is_empty() && range.is_empty() {
            // Only parentheses.
            if !lead.is_empty() {
                self.push(Splice::text(Span { start, end: start }, lead));
            }
            if !tail.is_empty() {
                self.push(Splice::text(Span { start: end, end }, tail));
            }
            return;
        }
        let region = Region { prev, next, deleted, range, start, end };
        let (before, parts, after) = self.inserted(&region);
        self.place(&region, lead, before, parts, after, tail);
    }

    /// The text for the new tokens of a region: the gap before, the tokens, the gap behind.
    fn inserted(&mut self, r: &Region) -> (String, Vec<Part>, String) {
        let gap_of = |w: &Self, n: (usize, usize)| w.reindent(&w.new[n.1].gap);
        if r.range.is_empty() {
            let between = match (r.prev, r.next) {
                (Some(_), Some(n)) => gap_of(self, n),
                _ => String::new(),
            };
            return (between, Vec::new(), String::new());
        }
        let mut before =
            r.prev.map_or(String::new(), |_| self.reindent(&self.new[r.range.start].gap));
        let mut after = r.next.map_or(String::new(), |n| gap_of(self, n));
        let own_line = self.layout(r, &mut before, &mut after);
        let mut parts = Vec::new();
        for i in r.range.clone() {
            let token = &self.new[i];
            let inner_gap = (i + 1 < r.range.end).then(|| self.new[i + 1].gap.clone());
            let separator = token.separator;
            self.token(i, &mut parts);
            if let Some(inner_gap) = inner_gap {
                let blank = inner_gap.trim().is_empty();
                let written = match &own_line {
                    Some(line) if separator && blank => line.clone(),
                    _ => self.reindent(&inner_gap),
                };
                add(&mut parts, written);
            } else if separator
                && let Some(line) = &own_line
                && after.trim().is_empty()
            {
                after.clone_from(line);
            }
        }
        (before, parts, after)
    }

    /// The exceptions to "white space comes from `new`": one-per-line lists, and brackets inside brackets.
    /// Gives the break that follows each separator, if the list has one item a line.
    fn layout(&self, r: &Region, before: &mut String, after: &mut String) -> Option<String> {
        let original = Span { start: r.start, end: r.end }.of(self.text);
        let is = |t: &NewToken, set: &[&str]| matches!(&t.key, Key::Text(k) if set.contains(&k.as_str()));
        let (first, last) = (&self.new[r.range.start], &self.new[r.range.end - 1]);
        let breaks = |s: &str| s.contains('\n') || s.contains('\r');
        const OPEN: &[&str] = &["(", "[", "{"];
        const CLOSE: &[&str] = &[")", "]", "}"];
        if r.deleted.is_empty() && breaks(original) && original.trim().is_empty() {
            if r.prev.is_some_and(|p| is(&self.new[p.1], OPEN)) && is(last, OPEN) {
                original.clone_into(after);
                return None;
            }
            if r.next.is_some_and(|n| is(&self.new[n.1], CLOSE)) && is(first, CLOSE) {
                original.clone_into(before);
                return None;
            }
        }
        if r.deleted.is_empty()
            && breaks(original)
            && original.trim().is_empty()
            && !first.separator
            && !last.separator
        {
            // What comes into brackets that are broken over lines stands on the line of what was there.
            if r.prev.is_some_and(|p| is(&self.new[p.1], OPEN)) && !breaks(before) && !breaks(after)
            {
                original.clone_into(before);
                return None;
            }
        }
        if r.deleted.is_empty() && !breaks(original) && original.trim().is_empty() {
            // Blanks that the author of the code set inside brackets stay inside them.
            let unlike = |n: (usize, usize)| self.old[n.0].gap != original;
            if let Some(next) = r.next.filter(|n| is(&self.new[n.1], CLOSE) && unlike(*n)) {
                if after.as_str() == self.old[next.0].gap {
                    original.clone_into(after);
                }
            } else if let (Some(prev), Some(next)) = (r.prev, r.next.filter(|n| unlike(*n)))
                && is(&self.new[prev.1], OPEN)
                && *before == self.old[next.0].gap
            {
                original.clone_into(before);
            }
        }
        let line_of = |at: u32| {
            let start = line_start(self.text, at as usize);
            let lead = &self.text[start..at as usize];
            (lead.trim().is_empty() && start > 0).then(|| format!("{}{lead}", self.line_end))
        };
        if first.separator {
            let line = line_of(self.old[r.prev?.0].at.start);
            if line.is_some()
                && r.deleted.is_empty()
                && breaks(original)
                && original.trim().is_empty()
            {
                original.clone_into(after);
            }
            return line;
        }
        if last.separator && r.deleted.is_empty() && original.trim().is_empty() {
            let line = line_of(self.old[r.next?.0].at.start)?;
            original.clone_into(before);
            return Some(line);
        }
        None
    }

    /// One new token as parts.
    fn token(&mut self, i: usize, parts: &mut Vec<Part>) {
        let token = &self.new[i];
        match &token.key {
            Key::Text(_) | Key::Literal(..) | Key::Part(_) => add(parts, token.text.clone()),
            Key::Quote(..) => {
                let written = self.quote(i);
                add(parts, written);
            }
            Key::Slot(name, filters) => {
                let parens = token.parens;
                let Some(bound) = self.m.slot(name).cloned() else { return };
                if parens {
                    add(parts, "(".to_owned());
                }
                slot(&bound, filters, self.text, parts);
                if parens {
                    add(parts, ")".to_owned());
                }
            }
            Key::Name { word, symbol, also, space } => {
                let (word, symbol, also, space) =
                    (word.clone(), symbol.clone(), also.clone(), *space);
                match self.name(&word, &symbol, &also, space) {
                    Ok(written) => add(parts, written),
                    Err(e) => self.failed = Some(e),
                }
            }
        }
    }

    /// The quotes of a new literal: those of the literal in the file that its slot stood in, if it did.
    fn quote(&self, i: usize) -> String {
        let token = &self.new[i];
        let Key::Quote(prefix, open) = &token.key else { return token.text.clone() };
        let is_slot = |t: &&NewToken| matches!(t.key, Key::Slot(..));
        let slot = if *open {
            self.new[i..].iter().find(is_slot)
        } else {
            self.new[..i].iter().rev().find(is_slot)
        };
        let found = slot.and_then(|slot| {
            let at = self.old.iter().position(|o| o.key == slot.key)?;
            let is_quote = |o: &&OldToken| o.key == Key::Quote(prefix.clone(), *open);
            let mut before = self.old[..at].iter().rev();
            if *open { before.find(is_quote) } else { self.old[at..].iter().find(is_quote) }
        });
        found.map_or_else(|| token.text.clone(), |o| o.at.of(self.text).to_owned())
    }

    /// How a named symbol is written here, and what must be imported for it.
    fn name(
        &mut self,
        word: &str,
        symbol: &str,
        also: &[String],
        space: Space,
    ) -> Result<String, Unresolved> {
        let at = self.m.span.start;
        let names = &self.language.names;
        let simple = names.last(symbol);
        // A word with dots, or of the author's own choosing, is imported by its last part.
        let path: Vec<&str> = if word.contains(names.separator) {
            word.split(names.separator).collect()
        } else {
            vec![simple]
        };
        if self.resolver.means(&path, space, at, symbol).is_some() {
            self.out.imports.extend(self.resolver.facts.import_of(symbol));
            return Ok(path.join(names.separator));
        }
        // The file may know the symbol by another name already.
        for other in std::iter::once(symbol).chain(also.iter().map(String::as_str)) {
            let local =
                self.resolver.facts.imports.iter().find(|i| !i.wildcard && i.path() == other);
            if let Some(local) = local.and_then(|i| i.local())
                && self.resolver.means(&[local], space, at, other).is_some()
            {
                self.out.imports.extend(self.resolver.facts.import_of(other));
                return Ok(local.to_owned());
            }
        }
        for other in also {
            let last = names.last(other);
            if self.resolver.means(&[last], space, at, other).is_some() {
                self.out.imports.extend(self.resolver.facts.import_of(other));
                return Ok(last.to_owned());
            }
        }
        if let Some((written, import)) = self.qualified(symbol) {
            self.out.imports.push(import);
            return Ok(written);
        }
        if self.m.names.iter().any(|n| n.full) && names.full_names {
            return Ok(symbol.to_owned());
        }
        let spelled = self.resolver.spell(symbol, space, at).map_err(Unresolved)?;
        self.out.imports.extend(spelled.imports);
        Ok(spelled.text)
    }

    /// The name behind a module that the old code names too: `tide.open` beside `tide.close`.
    fn qualified(&self, symbol: &str) -> Option<(String, ImportName)> {
        let names = &self.language.names;
        let wanted = names.segments(symbol);
        self.m.names.iter().find_map(|n| {
            let text = n.span.of(self.text);
            let (first, _) = text.split_once(names.separator)?;
            let import = self.resolver.imported(first.trim(), Space::Value)?;
            let head: Vec<&str> = import.segments.iter().map(|s| s.0.as_str()).collect();
            let head = if import.binds_root { &head[..1] } else { &head[..] };
            let rest = wanted.strip_prefix(head).filter(|r| !r.is_empty())?;
            let written =
                format!("{}{}{}", first.trim(), names.separator, rest.join(names.separator));
            Some((written, import.name()))
        })
    }

    /// Puts new text into the file: over the old tokens, with everything between them that is no blank kept.
    fn place(
        &mut self,
        r: &Region,
        lead: String,
        before: String,
        parts: Vec<Part>,
        after: String,
        tail: String,
    ) {
        let whole = Span { start: r.start, end: r.end };
        let mut gaps = Vec::new();
        let mut at = r.start;
        for d in &r.deleted {
            gaps.push(Span { start: at, end: d.start.max(at) });
            at = d.end;
        }
        gaps.push(Span { start: at, end: r.end.max(at) });
        let full = |g: &Span| !g.of(self.text).trim().is_empty();
        let join = |before: String, after: String| {
            let mut out = Vec::new();
            add(&mut out, lead.clone() + &before);
            for p in &parts {
                match p {
                    Part::Text(t) => add(&mut out, t.clone()),
                    copy => out.push(copy.clone()),
                }
            }
            add(&mut out, after + &tail);
            out
        };
        if !gaps.iter().any(full) {
            // One token for one token: blanks that the author of the code set differently stay.
            let single = r.deleted.len() == 1 && r.range.len() == 1;
            let keep = |gap: &Span, old: Option<&OldToken>, new: String| match old {
                Some(old) if single && gap.of(self.text) != old.gap => gap.of(self.text).to_owned(),
                _ => new,
            };
            let first_deleted = r.prev.map_or(0, |p| p.0 + 1);
            let before =
                keep(&gaps[0], self.old.get(first_deleted).filter(|_| r.prev.is_some()), before);
            let after = keep(&gaps[gaps.len() - 1], r.next.and_then(|n| self.old.get(n.0)), after);
            self.push(Splice { span: whole, parts: join(before, after), inner: false });
            return;
        }
        let Some(first) = r.deleted.first().copied() else {
            // Nothing goes: the new tokens stand directly behind the kept one.
            let point = if r.prev.is_some() { r.start } else { r.end };
            let (before, after) =
                if r.prev.is_some() { (before, String::new()) } else { (String::new(), after) };
            self.push(Splice {
                span: Span { start: point, end: point },
                parts: join(before, after),
                inner: false,
            });
            return;
        };
        let last_gap = gaps[gaps.len() - 1];
        let keep_first = full(&gaps[0]) || r.prev.is_none();
        let span = Span { start: if keep_first { first.start } else { r.start }, end: first.end };
        let only = r.deleted.len() == 1;
        let keep_last = full(&last_gap) || r.next.is_none();
        let extend = only && !keep_last;
        let mut span = if extend { Span { start: span.start, end: r.end } } else { span };
        let last_text = last_gap.of(self.text);
        if only
            && keep_last
            && !r.range.is_empty()
            && after.is_empty()
            && !last_text.contains(['\n', '\r'])
        {
            // A comment that follows inline moves up to the new token.
            span.end += (last_text.len() - last_text.trim_start().len()) as u32;
        }
        if keep_first && r.prev.is_some() && r.next.is_none() && r.range.is_empty() {
            // Nothing follows: the blanks that led to what goes, go too.
            span.start = r.start + gaps[0].of(self.text).trim_end().len() as u32;
        }
        let before = if keep_first { String::new() } else { before };
        let tail_gap = if extend { after.clone() } else { String::new() };
        self.push(Splice { span, parts: join(before, tail_gap), inner: false });
        for (i, d) in r.deleted.iter().enumerate().skip(1) {
            let start = if full(&gaps[i]) { d.start } else { gaps[i].start };
            let last = i + 1 == r.deleted.len();
            let inline = last
                && !r.range.is_empty()
                && after.is_empty()
                && !last_text.contains(['\n', '\r']);
            let blanks = if inline { last_text.len() - last_text.trim_start().len() } else { 0 };
            let end = if last && !keep_last { r.end } else { d.end + blanks as u32 };
            let written = if last && !keep_last { after.clone() } else { String::new() };
            self.push(Splice::text(Span { start, end }, written));
        }
    }

    /// A slot alone on its line is pulled up where `new` shows it inline beside something new.
    fn pull_up(&mut self, edges: &[Option<(usize, usize)>]) {
        for w in edges.windows(3) {
            let (Some(prev), Some(here), next) = (w[0], w[1], w[2]) else { continue };
            if !matches!(self.new[here.1].key, Key::Slot(..))
                || prev.0 + 1 != here.0
                || prev.1 + 1 != here.1
            {
                continue;
            }
            let (at, before) = (self.old[here.0].at, self.old[prev.0].at);
            let gap = Span { start: before.end, end: at.start };
            let gap_text = gap.of(self.text);
            let inline = self.new[here.1].gap.as_str();
            let changed_behind = next
                .map_or(here.1 + 1 < self.new.len() || here.0 + 1 < self.old.len(), |n| {
                    n.0 != here.0 + 1 || n.1 != here.1 + 1
                });
            let breaks = |s: &str| s.contains(['\n', '\r']);
            let line_end = self.text[at.end as usize..]
                .find(['\n', '\r'])
                .map_or(self.text.len(), |i| at.end as usize + i);
            let own = self.old[here.0 + 1..].iter().take_while(|t| (t.at.end as usize) <= line_end);
            let covered = own.map(|t| t.at.end as usize).last().unwrap_or(at.end as usize);
            let alone = self.text[covered..line_end].trim().is_empty()
                && covered < self.m.span.end as usize;
            // More items of the same list on later lines keep the list one-per-line.
            let list_goes_on = next.is_some_and(|n| {
                self.new[here.1 + 1..n.1].iter().any(|t| t.separator)
                    && self.old[here.0 + 1..n.0].len() <= 1
            });
            if breaks(gap_text)
                && gap_text.trim().is_empty()
                && !breaks(inline)
                && !breaks(at.of(self.text))
                && changed_behind
                && alone
                && !list_goes_on
            {
                let inline = inline.to_owned();
                self.push(Splice::text(gap, inline));
            }
        }
    }

    /// A gap of `new` with the file's line ends and the indentation of the place.
    fn reindent(&self, gap: &str) -> String {
        if !gap.contains('\n') {
            return gap.to_owned();
        }
        let tabs = self.indent.contains('\t');
        let mut out = String::new();
        for (i, line) in gap.split('\n').enumerate() {
            if i == 0 {
                out.push_str(line.trim_end_matches('\r'));
                continue;
            }
            out.push_str(self.line_end);
            let body = line.trim_start_matches(' ');
            let width = line.len() - body.len();
            if body.is_empty() && i + 1 < gap.split('\n').count() {
                continue;
            }
            out.push_str(self.indent);
            if tabs {
                out.push_str(&"\t".repeat(width / 4));
                out.push_str(&" ".repeat(width % 4));
            } else {
                out.push_str(&" ".repeat(width));
            }
            out.push_str(body);
        }
        out
    }

    /// Adds a splice, without the bytes that it would write as they stand.
    fn push(&mut self, splice: Splice) {
        let splice = shrink(splice, self.text);
        if !(splice.span.is_empty() && splice.parts.is_empty()) {
            self.out.splices.push(splice);
        }
    }
}

struct Region {
    prev: Option<(usize, usize)>,
    next: Option<(usize, usize)>,
    deleted: Vec<Span>,
    range: std::ops::Range<usize>,
    start: u32,
    end: u32,
}

fn add(parts: &mut Vec<Part>, text: String) {
    if text.is_empty() {
        return;
    }
    match parts.last_mut() {
        Some(Part::Text(last)) => last.push_str(&text),
        _ => parts.push(Part::Text(text)),
    }
}

fn slot(bound: &Bound, filters: &[Filter], text: &str, parts: &mut Vec<Part>) {
    let own = bound.text.clone();
    if !filters.is_empty() {
        let plain = own.unwrap_or_else(|| bound.span.of(text).to_owned());
        add(parts, filters.iter().fold(plain, |t, f| f.apply(&t)));
        return;
    }
    match own {
        Some(text) => add(parts, text),
        None if !bound.parts.is_empty() => parts.extend(bound.parts.iter().cloned()),
        None if bound.span.is_empty() => {}
        None => parts.push(Part::Copy(bound.span)),
    }
}
