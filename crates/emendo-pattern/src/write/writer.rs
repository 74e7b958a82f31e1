//! Writes new tokens over the old ones of a match, piece by piece.

use emendo_lang::language::{Language, Space};
use emendo_lang::tree::{Tree, span, walk};
use emendo_lang::{Certainty, Fact, ImportName, Resolver, TypePiece};
use emendo_text::{Filter, Indents, Part, Shifted, Span, Splice};

use crate::Written;
use crate::found::{Bound, Match};
use crate::model::{Key, Pattern};
use crate::write::align::{align, shrink};
use crate::write::layout::{Layout, Tokens};
use crate::write::lines::{comment_behind, gathered, indent_at};
use crate::write::nest::{Nest, pair_up};
use crate::write::token::{Brackets, NewToken, OldToken};
use crate::write::tokens::old_tokens;
use crate::written::{Place, Unresolved};

pub(crate) struct Writer<'a> {
    pub(crate) language: &'static Language,
    pub(crate) m: &'a Match,
    tree: &'a Tree,
    pub(crate) text: &'a str,
    pub(crate) resolver: &'a Resolver<'a>,
    pub(crate) old: Vec<OldToken>,
    pub(crate) new: Vec<NewToken>,
    pub(crate) indent: &'a str,
    pub(crate) line_end: &'a str,
    pub(crate) layout: Layout,
    pub(crate) out: Written,
    pub(crate) failed: Option<Unresolved>,
}

impl<'a> Writer<'a> {
    pub(crate) fn new(old: &Pattern, m: &'a Match, at: Place<'a>) -> Self {
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
            layout: Layout::default(),
            out: Written::default(),
            failed: None,
        }
    }
}

impl Writer<'_> {
    pub(crate) fn run(&mut self, unit: usize, wrap: Option<Brackets>) {
        let mut anchors = self.anchors();
        for carry in [Self::brackets, Self::question_marks, Self::type_arguments, Self::trailing] {
            if carry(self, &anchors) {
                anchors = self.anchors();
            }
        }
        self.signed_keys(&anchors);
        self.effects(&anchors);
        if self.change_places(&anchors) {
            anchors = self.anchors();
        }
        self.plan(&anchors, unit);
        let written = |b: &&Bound| {
            let mut tokens = self.new.iter().filter(|t| t.span == Some(b.span)).peekable();
            tokens.peek().is_some() && tokens.all(|t| t.brackets.is_none())
        };
        let wholes = self.m.slots.iter().filter(|b| b.is_one()).filter(written);
        self.out.wholes = wholes.map(|b| b.span).collect();
        let kept = |i: usize| anchors.iter().any(|(o, _)| *o == i);
        let named = self
            .old
            .iter()
            .enumerate()
            .filter(|(i, t)| matches!(t.key, Key::Name { .. }) && !kept(*i));
        self.out.released = named.map(|(_, t)| t.at).collect();
        self.out.released.extend(self.become_members(&anchors));
        let mut edges: Vec<Option<(usize, usize)>> = vec![None];
        edges.extend(anchors.into_iter().map(Some));
        edges.push(None);
        for i in 1..edges.len() {
            self.region(edges[i - 1], edges[i], i == 1, i + 1 == edges.len(), wrap);
        }
        self.pull_up(&edges);
        self.close_up(&edges);
        self.push_down(&edges);
        self.regap(&edges);
        self.shift(&edges);
        self.out.splices.sort_by_key(|s| (s.span.start, s.span.end));
    }

    /// The tokens that stay, in order: old and new.
    fn anchors(&self) -> Vec<(usize, usize)> {
        let mut anchors = align(&self.old, &self.new);
        pair_up(
            &mut anchors,
            &Nest::of(self.old.iter().map(|t| &t.key)),
            &Nest::of(self.new.iter().map(|t| &t.key)),
        );
        anchors
    }

    /// Plans where lines end in what is written; `unit` is how far in one level of `new` is.
    pub(crate) fn plan(&mut self, anchors: &[(usize, usize)], unit: usize) {
        let facts = self.resolver.facts;
        let own = if self.indent.contains('\t') { "\t" } else { "" };
        let level = facts.indent_unit(self.text).unwrap_or(own);
        let level = if level.is_empty() { " ".repeat(unit) } else { level.to_owned() };
        let mut indents = Indents::new((&level, unit), self.line_end, self.indent);
        self.layout = Layout::new(&self.tokens(anchors), &level, &mut indents);
    }

    pub(super) fn tokens<'t>(&'t self, anchors: &'t [(usize, usize)]) -> Tokens<'t> {
        let (text, old, new) = (self.text, self.old.as_slice(), self.new.as_slice());
        let mut kept = vec![None; new.len()];
        anchors.iter().for_each(|(o, n)| kept[*n] = Some(*o));
        Tokens { text, old, new, anchors, kept, start: self.m.span.start as usize }
    }

    /// Items that stay beside one another in a list that is indented otherwise now follow it, with the comments between.
    fn regap(&mut self, edges: &[Option<(usize, usize)>]) {
        for w in edges.windows(2) {
            let (Some(prev), Some(here)) = (w[0], w[1]) else { continue };
            let adjacent = prev.0 + 1 == here.0 && prev.1 + 1 == here.1;
            let Some((from, to)) = self.layout.regaps[here.1].clone().filter(|_| adjacent) else {
                continue;
            };
            let gap = Span { start: self.old[prev.0].at.end, end: self.old[here.0].at.start };
            let parts = vec![Part::Text(gap.of(self.text).to_owned())];
            let shifted = Shifted { parts, from: from.clone(), to: to.clone(), fixed: Vec::new() };
            let mut text = Part::plain(&[Part::Shifted(Box::new(shifted))], self.text);
            // The last line holds nothing but blanks: it is the item's own.
            if let Some(rest) = text.strip_suffix(from.as_str()) {
                text = format!("{rest}{to}");
            }
            self.push(Splice::text(gap, text));
        }
    }

    /// What comes to stand deeper, or less deep, takes its lines along.
    fn shift(&mut self, edges: &[Option<(usize, usize)>]) {
        for (_, n) in edges.iter().flatten() {
            if let (Some(span), Some(_)) = (self.new[*n].span, &self.layout.shifts[*n]) {
                let parts = self.shifted(*n, vec![Part::Copy(span)]);
                self.out.splices.push(Splice { span, parts, inner: false });
            }
        }
    }

    /// Parts of a token, indented like the place that it goes to.
    fn shifted(&self, i: usize, parts: Vec<Part>) -> Vec<Part> {
        let Some((from, to)) = self.layout.shifts.get(i).cloned().flatten() else { return parts };
        let Some(span) = self.new[i].span else { return parts };
        let fixed = self.resolver.facts.lines_in_strings(self.text, span);
        vec![Part::Shifted(Box::new(Shifted { parts, from, to, fixed }))]
    }

    /// A token that `new` sets on a line of its own, and `old` did not, begins one, unless it does so already.
    fn push_down(&mut self, edges: &[Option<(usize, usize)>]) {
        for w in edges.windows(2) {
            let (Some(prev), Some(here)) = (w[0], w[1]) else { continue };
            let adjacent = prev.0 + 1 == here.0 && prev.1 + 1 == here.1;
            let (old, new) = (&self.old[here.0], &self.new[here.1]);
            let gap = Span { start: self.old[prev.0].at.end, end: old.at.start };
            let text = gap.of(self.text);
            let lines = |s: &str| s.matches('\n').count();
            let more = lines(&new.gap) > lines(&old.gap).max(lines(text));
            let says = !new.gap.trim().is_empty() && old.gap.trim().is_empty();
            if adjacent && (more || says) && text.trim().is_empty() && !new.as_it_stands {
                let written = self.gap(here.1);
                self.push(Splice::text(gap, written));
            }
        }
    }

    /// Words that stay, and name a member now where they named something by themselves.
    fn become_members(&self, anchors: &[(usize, usize)]) -> Vec<Span> {
        let after = self.language.words.member_after;
        let dot =
            |key: Option<&Key>| matches!(key, Some(Key::Text(t)) if after.contains(&t.as_str()));
        let old = |o: usize| dot(o.checked_sub(1).map(|b| &self.old[b].key));
        let new = |n: usize| dot(n.checked_sub(1).map(|b| &self.new[b].key));
        let all = anchors.iter().filter(|(o, n)| {
            let word = !matches!(self.old[*o].key, Key::Slot(..) | Key::Literal(..));
            word && new(*n) && !old(*o)
        });
        all.map(|(o, _)| self.old[*o].at).collect()
    }

    /// A slot with effects that is dropped, repeated or moved past another may change what happens.
    fn effects(&mut self, anchors: &[(usize, usize)]) {
        let mut told = Vec::new();
        for (i, old) in self.old.iter().enumerate() {
            let Key::Slot(name, _) = &old.key else { continue };
            let uses = self.new.iter().filter(|n| n.key == old.key).count();
            let in_place = anchors.iter().any(|(o, _)| *o == i);
            if uses == 0 && self.m.sifted.contains(name) && !told.contains(name) {
                told.push(name.clone());
                let held = emendo_lang::tree::in_line(old.at.of(self.text));
                let held: String = held.chars().take(60).collect();
                let text = format!(
                    "`{name}` holds more than what is collected, and the rest is lost: `{held}`"
                );
                self.out.facts.push(Fact { says: Certainty::Unsure, text, at: Some(old.at) });
                continue;
            }
            let what = match (uses, in_place) {
                (0, _) => "left out",
                (1, true) => continue,
                (1, false) => "moved",
                _ => "repeated",
            };
            // What was collected out of it is written elsewhere.
            let collected = self.m.slot(name).is_some_and(|b| b.count == 0);
            if !told.contains(name) && !collected && self.has_effects(old.at) {
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
                found |= at.contains(span(n)) && self.language.flow.effects.contains(&n.kind());
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
        wrap: Option<Brackets>,
    ) {
        let deleted: Vec<Span> = self.old
            [prev.map_or(0, |p| p.0 + 1)..next.map_or(self.old.len(), |n| n.0)]
            .iter()
            .map(|t| t.at)
            .collect();
        let range = prev.map_or(0, |p| p.1 + 1)..next.map_or(self.new.len(), |n| n.1);
        let close = prev.and_then(|p| self.new[p.1].brackets);
        let open = next.and_then(|n| self.new[n.1].brackets);
        let around = |side: fn(Brackets) -> &'static str, here: bool| {
            wrap.filter(|_| here).map_or_else(String::new, |w| side(w).to_owned())
        };
        let mut lead = around(|w| w.0, first);
        let mut tail = around(|w| w.1, last);
        if let Some((_, close)) = close {
            lead.insert_str(0, close);
        }
        if let Some((open, _)) = open {
            tail.push_str(open);
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
        let behind = (next.is_none() && deleted.is_empty() && !range.is_empty())
            .then(|| comment_behind(self.tree, self.text, end))
            .flatten()
            .filter(|_| self.gap(range.start).contains('\n'));
        let (start, end) = behind.map_or((start, end), |c| (c, c));
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

    /// One new token as parts.
    pub(crate) fn token(&mut self, i: usize, parts: &mut Vec<Part>) {
        let token = &self.new[i];
        match &token.key {
            Key::Text(_) | Key::Literal(..) | Key::Part(_) => add(parts, token.text.clone()),
            Key::Quote(..) => {
                let written = self.quote(i);
                add(parts, written);
            }
            Key::Slot(name, filters) => {
                let brackets = token.brackets;
                let Some(bound) = self.m.slot(name).cloned() else { return };
                if filters.contains(&Filter::Type) {
                    let filters = filters.clone();
                    match self.static_type(&bound) {
                        Ok(text) => add(parts, filters.iter().fold(text, |t, f| f.apply(&t))),
                        Err(e) => self.failed = Some(e),
                    }
                    return;
                }
                if let (Some(symbol), true) = (bound.symbol.as_deref(), filters.is_empty()) {
                    let word = self.language.names.last(symbol).to_owned();
                    match self.name(&word, symbol, &[], Space::Type) {
                        Ok(written) => add(parts, written),
                        Err(e) => self.failed = Some(e),
                    }
                    return;
                }
                if let Some((open, _)) = brackets {
                    add(parts, open.to_owned());
                }
                let mut own = Vec::new();
                if bound.gathered.is_empty() {
                    slot(&bound, filters, self.text, &mut own);
                } else {
                    let line = self.layout.lines.get(i).map_or("", String::as_str);
                    own.extend(gathered(&bound.gathered, self.line_end, line));
                }
                for part in self.shifted(i, own) {
                    match part {
                        Part::Text(t) => add(parts, t),
                        other => parts.push(other),
                    }
                }
                if let Some((_, close)) = brackets {
                    add(parts, close.to_owned());
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
        // The package stands there already.
        let stands = |n: &crate::found::NameUse| {
            n.last_only && names.parent(&n.symbol) == names.parent(symbol)
        };
        if self.m.names.iter().any(stands) {
            return Ok(simple.to_owned());
        }
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
            return Ok(names.in_full(symbol));
        }
        let word = Some(word).filter(|_| self.is_own_word(symbol));
        let spelled = self.resolver.spell_as(symbol, word, space, at).map_err(Unresolved)?;
        let is_type = space == Space::Type;
        let imports = spelled.imports.into_iter().map(|i| ImportName { is_type, ..i });
        self.out.imports.extend(imports);
        Ok(spelled.text)
    }

    /// True if a word of the recipe may stand for the symbol as it is. For a module that holds where the old code is of an imported module
    /// too: else the word is that of something global.
    fn is_own_word(&self, symbol: &str) -> bool {
        let names = &self.language.names;
        let imports = &self.resolver.facts.imports;
        let module = |symbol: &str| {
            let first = names.segments(symbol).first().map(|s| (*s).to_owned());
            imports.iter().any(|i| i.segments.first().map(|s| &s.0) == first.as_ref())
        };
        let alone = names.segments(symbol).len() < 2;
        !alone || !names.builtin.contains(&symbol) && self.m.names.iter().any(|n| module(&n.symbol))
    }

    /// The static type of what a slot holds, as it is written here.
    fn static_type(&mut self, bound: &Bound) -> Result<String, Unresolved> {
        if bound.text.is_some() || bound.count != 1 {
            let text = format!("what `{}` holds here is no one expression", bound.name);
            return Err(Unresolved(text));
        }
        let told = self.resolver.static_type(bound.span).map_err(Unresolved)?;
        self.out.facts.extend(told.fact);
        let mut text = String::new();
        for piece in told.pieces {
            match piece {
                TypePiece::Text(piece) => text.push_str(&piece),
                TypePiece::Symbol(symbol) => {
                    let word = self.language.names.last(&symbol).to_owned();
                    text.push_str(&self.name(&word, &symbol, &[], Space::Type)?);
                }
            }
        }
        Ok(text)
    }

    /// The name after a module that the old code names too: `tide.open` beside `tide.close`.
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

    /// Adds a splice, without the bytes that it would write as they stand.
    pub(crate) fn push(&mut self, splice: Splice) {
        let splice = shrink(splice, self.text).without_end_blanks(self.text);
        if !(splice.span.is_empty() && splice.parts.is_empty()) {
            self.out.splices.push(splice);
        }
    }
}

pub(crate) struct Region {
    pub(crate) prev: Option<(usize, usize)>,
    pub(crate) next: Option<(usize, usize)>,
    pub(crate) deleted: Vec<Span>,
    pub(crate) range: std::ops::Range<usize>,
    pub(crate) start: u32,
    pub(crate) end: u32,
}

pub(crate) fn add(parts: &mut Vec<Part>, text: String) {
    if text.is_empty() {
        return;
    }
    match parts.last_mut() {
        Some(Part::Text(last)) => last.push_str(&text),
        _ => parts.push(Part::Text(text)),
    }
}

pub(crate) fn slot(bound: &Bound, filters: &[Filter], text: &str, parts: &mut Vec<Part>) {
    let own = bound.text.clone();
    if !filters.is_empty() {
        let plain = own.unwrap_or_else(|| bound.span.of(text).to_owned());
        add(parts, filters.iter().fold(plain, |t, f| f.apply(&t)));
        return;
    }
    match own {
        Some(text) => add(parts, text),
        None if bound.span.is_empty() => {}
        None => parts.push(Part::Copy(bound.span)),
    }
}
