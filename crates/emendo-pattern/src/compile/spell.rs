//! How the slots of a pattern are spelled, so that it reads in its contexts.
//!
//! Each context is tried with plain words for the slots, then with spellings that often read. Where none does, slots are
//! spelled otherwise one by one: a trial says how far it came and which slots stand where it stopped; only those are
//! changed, and only what comes further is kept.
//! What stands in brackets is the same code whatever is around: once a pattern reads in one context, the others are
//! searched with the spellings that read there, and only slots outside of all brackets are changed besides.

use std::cmp::Reverse;

use emendo_lang::language::Context;
use emendo_lang::tree::{Tree, span};
use emendo_text::{Chunk, Repeat, Span};

use crate::compile::memo::{Choice, Shape};
use crate::compile::readings::same_shape;
use crate::compile::wrap::{Compiler, Placed, Wrapped};
use crate::compile::{LINK, MAX_SPELLINGS};
use crate::model::{HERE, Reading, TOKENS};

/// What makes the word for a slot a call.
const CALL: &str = "()";

/// How the slots are spelled, and what that reads as.
type Spelled = (Choice, Box<(Reading, Wrapped)>);

/// A way to spell the slots that does not read.
#[derive(Clone)]
struct Trial {
    /// The slots that stand where it stopped.
    slots: Vec<usize>,
    /// How far it came, and how little of it is wrong.
    score: (u32, u32),
}

impl Compiler<'_> {
    /// The readings in all contexts or in the one that is wanted, each shape once.
    pub(super) fn readings(&mut self, wanted: Option<&str>) -> Vec<Reading> {
        let shape = Shape::of(self, wanted);
        if let Some(known) = shape.known().and_then(|known| self.read_again(&known)) {
            // What cannot be read at all is searched anew, so that the place can be told.
            if !(self.thorough && known.is_empty()) {
                return known;
            }
        }
        let contexts = self.language.fragments.contexts;
        let mut readings: Vec<Reading> = Vec::new();
        for (index, first) in self.search(wanted) {
            for reading in self.more(index, &contexts[index], first) {
                let same = |r: &Reading| {
                    contexts[r.context].bodiless == contexts[index].bodiless
                        && same_shape(&r.roots, &reading.roots, false)
                };
                if !readings.iter().any(same) {
                    readings.push(reading);
                }
            }
        }
        shape.remember(&readings);
        readings
    }

    /// The readings of another pattern of the same shape, if all of them read here too.
    fn read_again(&mut self, known: &[(usize, Choice)]) -> Option<Vec<Reading>> {
        let contexts = self.language.fragments.contexts;
        let read = |(index, choice): &(usize, Choice)| {
            Some(self.trial(*index, contexts.get(*index)?, choice).ok()?.0)
        };
        known.iter().map(read).collect()
    }

    /// The contexts that can read the pattern, in their order, each with the first spelling that reads.
    fn search(&mut self, wanted: Option<&str>) -> Vec<(usize, Spelled)> {
        let contexts = self.language.fragments.contexts;
        // What begins with a bracket is code of its own, not what a call adds to its name.
        let source = self.source.trim_start();
        let links = self.language.words.member_after.iter().any(|t| source.starts_with(t));
        let asked = |c: &Context| wanted.is_none_or(|w| w == c.name) && (c.name != LINK || links);
        let plain = vec![0; self.template.slots().count()];
        let (mut found, mut open, mut good) = (Vec::new(), Vec::new(), Vec::new());
        for (i, c) in contexts.iter().enumerate().filter(|(_, c)| asked(c)) {
            match self.trial(i, c, &plain) {
                Ok(read) => {
                    if c.name != TOKENS && good.is_empty() {
                        good.push(plain.clone());
                    }
                    found.push((i, (plain.clone(), read)));
                }
                Err(trial) => open.push((i, trial)),
            }
        }
        open.sort_by_key(|(_, trial)| Reverse(trial.score));
        let guesses = self.guesses(!good.is_empty());
        for guessed in [true, false] {
            for (i, trial) in std::mem::take(&mut open) {
                let context = &contexts[i];
                let spelled = match guessed {
                    true => self.guess(i, context, &good, &guesses),
                    false => (self.guess(i, context, &good, &[]))
                        .or_else(|| self.climb(i, context, &trial, &good)),
                };
                let Some(spelled) = spelled else {
                    open.push((i, trial));
                    continue;
                };
                if context.name != TOKENS && !good.contains(&spelled.0) {
                    good.push(spelled.0.clone());
                }
                found.push((i, spelled));
            }
        }
        found.sort_by_key(|f| f.0);
        found
    }

    /// The readings in one context: the first one, and those in which list slots are items of another list.
    fn more(&mut self, index: usize, context: &Context, first: Spelled) -> Vec<Reading> {
        let (choice, first) = first;
        let mut readings = vec![first.0];
        for other in self.alternatives(&choice) {
            if let Ok(read) = self.trial(index, context, &other)
                && !readings.iter().any(|r| same_shape(&r.roots, &read.0.roots, true))
            {
                readings.push(read.0);
            }
        }
        // A list is no expression in needless parentheses, where it can be all that stands in brackets.
        let bracketed = self.bracketed_lists();
        let comma = self.language.fragments.placeholders.iter().position(|p| p.after == ",");
        if let Some(comma) = comma.filter(|_| !bracketed.is_empty()) {
            let mut other = choice;
            bracketed.iter().for_each(|s| other[*s] = comma);
            if let Ok(read) = self.trial(index, context, &other) {
                return vec![read.0];
            }
        }
        readings
    }

    /// True for a slot of any number of nodes; in `new` it need not be marked as one once more.
    pub(super) fn takes_many(&self, name: &str, repeat: Repeat) -> bool {
        let many = |r: Repeat| matches!(r, Repeat::Any | Repeat::Some);
        many(repeat) || name != "_" && self.slots.iter().any(|s| s.name == name && many(s.repeat))
    }

    /// The list slots that stand alone in parentheses, where nothing before them is called.
    fn bracketed_lists(&self) -> Vec<usize> {
        let chunks = &self.template.chunks;
        let mut out = Vec::new();
        let mut slot = 0;
        for (i, chunk) in chunks.iter().enumerate() {
            let Chunk::Slot { repeat, name, .. } = chunk else { continue };
            let (own, around) = (slot, i.checked_sub(1).map(|b| (&chunks[b], chunks.get(i + 1))));
            slot += 1;
            let Some((Chunk::Text { text: before, .. }, Some(Chunk::Text { text: behind, .. }))) =
                around
            else {
                continue;
            };
            let Some(outer) = before.trim_end().strip_suffix('(').map(str::trim_end) else {
                continue;
            };
            let word = outer.rsplit(|c: char| !(c.is_alphanumeric() || c == '_')).next();
            let called = match word.filter(|w| !w.is_empty()) {
                Some(word) => !self.language.names.reserved.contains(&word),
                None => outer.ends_with([')', ']', '>', '!', '?', '|', '}']),
            };
            let lone = self.takes_many(name, *repeat) && behind.trim_start().starts_with(')');
            out.extend((lone && !called).then_some(own));
        }
        out
    }

    /// How list slots may be spelled too, all of them or one, where the first spelling reads as something else.
    fn alternatives(&self, choice: &[usize]) -> Vec<Choice> {
        let lists: Vec<usize> = (self.template.slots().enumerate())
            .filter(|(_, (name, _, repeat))| *name == HERE || self.takes_many(name, *repeat))
            .map(|(i, _)| i)
            .collect();
        let mut out: Vec<Choice> = Vec::new();
        for (spelling, p) in self.language.fragments.placeholders.iter().enumerate() {
            if !p.also || p.after == "," {
                continue;
            }
            let with = |slots: &[usize]| {
                let mut other = choice.to_vec();
                slots.iter().for_each(|s| other[*s] = spelling);
                other
            };
            out.push(with(&lists));
            out.extend(lists.iter().map(|s| with(&[*s])));
        }
        out.retain(|o| o != choice);
        out.sort();
        out.dedup();
        out
    }

    /// Spellings of several slots that often read: all alike, since slots beside one another read only together, and all
    /// that stand like a statement alike; `known` if the pattern reads in some context.
    fn guesses(&self, known: bool) -> Vec<Choice> {
        let around = self.around();
        let mut out = Vec::new();
        if around.len() < 2 && !around.iter().any(|a| a.ended) {
            return out;
        }
        let all = &self.language.fragments.placeholders;
        let call = all.iter().position(|p| p.after == CALL);
        let spellings = (1..all.len()).filter(|s| Some(*s) != call);
        if known || self.thorough {
            out.extend(spellings.clone().map(|s| vec![s; around.len()]));
        }
        // An expression for a statement is a call where others cannot be one.
        let ended = |a: &Around| if a.ended { call.unwrap_or(0) } else { 0 };
        let plain = call.map(|_| 0).filter(|_| around.iter().any(|a| a.ended));
        for s in plain.into_iter().chain(spellings) {
            let spelled = around.iter().map(|a| if a.alone { s } else { ended(a) }).collect();
            if around.iter().any(|a| a.alone || a.ended) && !out.contains(&spelled) {
                out.push(spelled);
            }
        }
        out
    }

    /// The first that reads of the spellings that read elsewhere and those that often do.
    fn guess(
        &mut self,
        index: usize,
        context: &Context,
        good: &[Choice],
        guesses: &[Choice],
    ) -> Option<Spelled> {
        // A slot by itself is something else in each context.
        let several = |c: &&Choice| c.len() > 1 && c.iter().any(|s| *s > 0);
        for choice in good.iter().filter(several).chain(guesses) {
            if let Ok(read) = self.trial(index, context, choice) {
                return Some((choice.clone(), read));
            }
        }
        None
    }

    /// Looks for spellings of the slots that read, from the trial with plain words on; `good` read in other contexts.
    fn climb(
        &mut self,
        index: usize,
        context: &Context,
        plain: &Trial,
        good: &[Choice],
    ) -> Option<Spelled> {
        let spellings = self.language.fragments.placeholders.len();
        let slots = self.template.slots().count();
        let mut choice = vec![0usize; slots];
        let thorough = self.thorough;
        let known = !good.is_empty() && slots > 1;
        let around = self.around();
        let free = |slot: usize| !known || around[slot].outer;
        let mut best = plain.clone();
        let mut left = MAX_SPELLINGS;
        // An item of a list most often stands where the plain word does not read, whatever is beside it.
        let many: Vec<usize> = (self.template.slots().enumerate())
            .filter(|(_, (name, _, repeat))| self.takes_many(name, *repeat))
            .map(|(i, _)| i)
            .filter(|i| slots > 1 && free(*i))
            .collect();
        for slot in many {
            for spelling in 1..spellings {
                let mut other = choice.clone();
                other[slot] = spelling;
                left = left.saturating_sub(1);
                if let Ok(read) = self.trial(index, context, &other) {
                    return Some((other, read));
                }
            }
        }
        loop {
            let mut better = None;
            // What a slot is spelled as may go wrong far behind it.
            let all = 0..choice.len();
            let stopped = |s: &usize| thorough || best.slots.contains(s);
            let touched: Vec<usize> = all.filter(|s| free(*s) && stopped(s)).collect();
            for slot in touched {
                for spelling in (0..spellings).filter(|s| *s != choice[slot]) {
                    if !self.suits(&around[slot], spelling) {
                        continue;
                    }
                    if left == 0 {
                        return None;
                    }
                    left -= 1;
                    let mut other = choice.clone();
                    other[slot] = spelling;
                    match self.trial(index, context, &other) {
                        Ok(read) => return Some((other, read)),
                        Err(t) if t.score > best.score => {
                            best = t;
                            better = Some(other);
                        }
                        Err(_) => {}
                    }
                }
                if better.is_some() {
                    break;
                }
            }
            choice = better?;
        }
    }

    /// What stands around each slot.
    fn around(&self) -> Vec<Around> {
        let chunks = &self.template.chunks;
        let text = |i: Option<usize>| match i.and_then(|i| chunks.get(i)) {
            Some(Chunk::Text { text, .. }) => text.as_str(),
            _ => "",
        };
        let (mut depth, mut sound) = (0i32, true);
        let mut out = Vec::new();
        for (i, chunk) in chunks.iter().enumerate() {
            match chunk {
                Chunk::Text { text, .. } => {
                    for c in text.chars() {
                        depth += match c {
                            '(' | '[' | '{' => 1,
                            ')' | ']' | '}' => -1,
                            _ => 0,
                        };
                        sound &= depth >= 0;
                    }
                }
                Chunk::Slot { name, repeat, .. } => {
                    let before = text(i.checked_sub(1)).trim_end().chars().next_back();
                    let behind = text(Some(i + 1)).trim_start().chars().next();
                    // Slots beside one another are parts of one thing, but for lists.
                    let slot = |i: Option<usize>| {
                        i.and_then(|i| chunks.get(i))
                            .is_some_and(|c| matches!(c, Chunk::Slot { .. }))
                    };
                    let last_alone = out.last().is_none_or(|a: &Around| a.alone);
                    let opens = match before {
                        None => last_alone || !slot(i.checked_sub(2)),
                        Some(c) => matches!(c, '{' | '}' | ';' | ':'),
                    };
                    let goes_on = |c: char| c.is_alphanumeric() || "_}@#".contains(c);
                    let stops = match behind {
                        None => !slot(Some(i + 2)) || self.takes_many(name, *repeat),
                        Some(c) => goes_on(c),
                    };
                    let alone = opens && stops;
                    let ended = opens && behind == Some(';');
                    out.push(Around { outer: depth == 0, alone, ended, before, behind });
                }
            }
        }
        if !sound || depth != 0 {
            out.iter_mut().for_each(|a| a.outer = true);
        }
        out
    }

    /// True if a slot may be spelled so, by the signs around it: what ends a statement or a case is no item of a list, and
    /// behind a dot stands a word.
    fn suits(&self, around: &Around, spelling: usize) -> bool {
        let p = &self.language.fragments.placeholders[spelling];
        let ends = p.after.ends_with([';', ':', '}', ')']) && p.before != "{"
            || p.after.contains(": ") && p.before == "case ";
        if p.after == CALL && !around.ended {
            return false;
        }
        // Nothing is a member of an attribute.
        if p.before == "@" && around.behind == Some('.') {
            return false;
        }
        let goes_on = matches!(around.behind, Some(',' | ')' | ']' | '.' | '='));
        !(ends && goes_on || !p.before.is_empty() && around.before == Some('.'))
    }

    /// One way to spell the slots: what it reads as, or how far that came.
    fn trial(
        &mut self,
        index: usize,
        context: &Context,
        choice: &[usize],
    ) -> Result<Box<(Reading, Wrapped)>, Trial> {
        let wrapped = self.wrap(context, choice);
        let tree = Tree::parse(self.language, &wrapped.text);
        let slots = || wrapped.chunks.iter().filter(|c| c.slot.is_some());
        let failed = |places: &[Span], at: u32, size: u32| {
            let near = |c: &Placed| {
                places.iter().any(|p| p.start <= c.at.end + 2 && c.at.start <= p.end + 2)
            };
            let touched = slots().enumerate().filter(|(_, c)| near(c)).map(|(i, _)| i);
            Trial { slots: touched.collect(), score: (at, u32::MAX - size) }
        };
        if tree.has_error() {
            self.remember_error(&tree, &wrapped);
            let errors = tree.errors();
            let at = errors.iter().map(|e| e.start).min().unwrap_or(0);
            // Longer spellings of slots must not count as progress.
            let before: u32 = slots().filter(|c| c.at.end <= at).map(|c| c.at.len() as u32).sum();
            let size = errors.iter().map(|e| e.len() as u32 + 1).sum();
            return Err(failed(&errors, at - before.min(at), size));
        }
        match self.read(index, context, &tree, &wrapped) {
            Some(reading) => {
                let choice = choice.to_vec();
                Ok(Box::new((Reading { choice, ..reading }, wrapped)))
            }
            None => {
                let all: Vec<Span> = slots().map(|c| c.at).collect();
                let alone = |c: &&Placed| tree.node_at(c.at, &[]).is_none_or(|n| span(n) != c.at);
                let lost = slots().filter(alone).count() as u32;
                Err(failed(&all, u32::MAX, lost))
            }
        }
    }
}

/// What stands around a slot in a pattern.
struct Around {
    /// It is outside of all brackets.
    outer: bool,
    /// It stands where a statement or a declaration could.
    alone: bool,
    /// It does, but for the sign that ends it.
    ended: bool,
    /// The signs before and behind it, where no other slot is between.
    before: Option<char>,
    behind: Option<char>,
}
