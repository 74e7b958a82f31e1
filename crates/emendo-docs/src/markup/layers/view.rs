//! A text of blanks as long as a page, into which code is copied at its own places.

use std::collections::{BTreeMap, HashMap};

use emendo_text::Span;

use crate::markup::entities;
use crate::markup::host::Role;
use crate::markup::layers::layer::{
    CodePiece, Held, KnownName, Layer, LongSign, MARK, StandIn, TakesImports,
};
use crate::markup::layers::names::bound;
use crate::markup::page::Page;

pub(super) struct View<'p, 't> {
    pub(super) page: &'p Page<'t>,
    bytes: Vec<u8>,
    pieces: Vec<CodePiece>,
    /// Where code stands: beginnings and ends.
    taken: BTreeMap<u32, u32>,
    stands: Vec<StandIn>,
    gaps: Vec<Span>,
    signs: Vec<LongSign>,
    pub(super) known: Vec<KnownName>,
    pub(super) uses: Vec<(String, Span)>,
    named: HashMap<&'t str, usize>,
    /// A new statement must be told from the line before.
    loose: bool,
}

impl<'p, 't> View<'p, 't> {
    pub(super) fn new(page: &'p Page<'t>, loose: bool) -> Self {
        let blank = |b: u8| if b.is_ascii_whitespace() { b } else { b' ' };
        Self {
            page,
            bytes: page.text.bytes().map(blank).collect(),
            pieces: Vec::new(),
            taken: BTreeMap::new(),
            stands: Vec::new(),
            gaps: Vec::new(),
            signs: Vec::new(),
            known: Vec::new(),
            uses: Vec::new(),
            named: HashMap::new(),
            loose,
        }
    }

    /// Writes a sign where no code stands.
    pub(super) fn put(&mut self, at: usize, sign: u8) {
        if let Some(b) = self.bytes.get_mut(at) {
            *b = sign;
        }
    }

    /// Writes a text near behind a place, on one line where no code stands; false if there is no room.
    pub(super) fn write_behind(&mut self, from: usize, text: &str) -> bool {
        const NEAR: usize = 200;
        let source = self.page.text.as_bytes();
        let next = self.page.code.partition_point(|c| (c.at.start as usize) < from);
        let code = self.page.code.get(next).map_or(source.len(), |c| c.at.start as usize);
        let end = code.min(source.len()).min(from + NEAR);
        let fits = |at: &usize| !source[*at..at + text.len()].contains(&b'\n');
        let place = (from..end.saturating_sub(text.len())).find(fits);
        for (i, sign) in text.bytes().enumerate() {
            place.into_iter().for_each(|at| self.put(at + i, sign));
        }
        place.is_some()
    }

    /// True if a place holds something, and nothing of it is code already: a page that is cut off may hold code within code.
    fn is_free(&self, at: Span) -> bool {
        let before = self.taken.range(..at.end).next_back();
        !at.is_empty() && before.is_none_or(|(_, end)| *end <= at.start)
    }

    /// Copies code; false where that is done already.
    pub(super) fn copy(&mut self, at: Span, held: Held) -> bool {
        if !self.is_free(at) {
            return false;
        }
        self.taken.insert(at.start, at.end);
        let (start, end) = (at.start as usize, at.end as usize);
        self.bytes[start..end].copy_from_slice(&self.page.text.as_bytes()[start..end]);
        self.pieces.push(CodePiece { at, held, whole: None });
        true
    }

    /// What the template writes into a piece of code becomes names and blanks.
    pub(super) fn fill(&mut self, at: Span) {
        let from = self.page.code.partition_point(|c| c.at.start < at.start);
        for code in self.page.code[from..].iter().take_while(|c| c.at.end <= at.end) {
            let (start, end) = (code.at.start as usize, code.at.end as usize);
            if code.role == Role::Gives {
                let name = self.name(code.at);
                self.bytes[start..end].copy_from_slice(name.as_bytes());
                self.stands.push(StandIn { name, at: code.at });
            } else {
                let blank = |b: &u8| if b.is_ascii_whitespace() { *b } else { b' ' };
                let blanks: Vec<u8> =
                    self.page.text.as_bytes()[start..end].iter().map(blank).collect();
                self.bytes[start..end].copy_from_slice(&blanks);
                self.gaps.push(code.at);
            }
        }
    }

    /// A name for a value of the template, as long as its text; equal texts have equal names.
    fn name(&mut self, at: Span) -> String {
        let next = self.named.len();
        let text = at.of(self.page.text);
        let mut n = *self.named.entry(text).or_insert(next);
        let mut digits = Vec::new();
        let room = text.len().saturating_sub(MARK.len());
        for _ in 0..room {
            digits.push(b"0123456789abcdefghijklmnopqrstuvwxyz"[n % 36]);
            n /= 36;
            if n == 0 {
                break;
            }
        }
        digits.resize(room, b'_');
        let digits: String = digits.into_iter().map(char::from).collect();
        format!("{MARK}{digits}")
    }

    /// A script: all of it.
    pub(super) fn script(&mut self, content: Span) {
        if self.copy(content, Held::Script) {
            self.fill(content);
        }
    }

    /// An expression that stands by itself.
    pub(super) fn expression(&mut self, at: Span, held: Held) {
        let text = at.of(self.page.text).trim_start();
        if text.trim().is_empty() || !self.is_free(at) {
            return;
        }
        let (start, end) = (at.start as usize, at.end as usize);
        let whole = ["{", "function", "class", "async function"];
        if !self.loose {
            self.put(end, b';');
        } else if whole.iter().any(|w| text.starts_with(w)) {
            self.put(start - 1, b'(');
            self.put(end, b')');
        }
        self.copy(at, held);
    }

    /// Tells each piece from the one before, which need not end with a sign. No line is added where the page has one: lines are counted.
    fn part_pieces(&mut self) {
        let (mut before, mut value) = (0, false);
        for piece in self.pieces.clone() {
            let start = piece.at.start as usize;
            let wrapped = start > 0 && self.bytes[start - 1] == b'(';
            let sign = if wrapped {
                Some('(')
            } else {
                piece.at.of(self.page.text).trim_start().chars().next()
            };
            let goes_on =
                sign.is_some_and(|c| matches!(c, '(' | '[' | '`' | '+' | '-' | '/' | '*'));
            let place = start - usize::from(wrapped);
            let parted = self.page.text.get(before..start).is_none_or(|t| t.contains('\n'));
            // Statements go on where others end, but for those behind a value.
            if place > before && (piece.whole.is_none() || value) && before > 0 {
                if goes_on {
                    self.put(place - 1, b';');
                } else if !parted {
                    self.put(place - 1, b'\n');
                }
            }
            before = piece.at.end as usize;
            value = piece.whole.is_none();
        }
    }

    /// A name that is shorter than what the page writes for it.
    pub(super) fn long_name(&mut self, at: Span, name: &str) {
        if name.len() > at.len() || !name.is_ascii() {
            return;
        }
        if !self.copy(at, Held::Hyphened) {
            return;
        }
        for i in 0..at.len() {
            let sign = name.as_bytes().get(i).copied().unwrap_or(b' ');
            self.put(at.start as usize + i, sign);
        }
        self.signs.push(LongSign { at, sign: at.start });
    }

    /// Names that a pattern makes known; values in it are code.
    pub(super) fn bind(&mut self, at: Span, within: Span, held: Held) {
        let bound = bound(self.page.text, at, within);
        self.known.extend(bound.names);
        for value in bound.values {
            self.expression(value, held);
        }
    }

    /// Names that are used with a sign before them: `$level` is what `level` holds. A call is another function.
    pub(super) fn signed(&mut self, sign: u8) {
        let part = |b: u8| b.is_ascii_alphanumeric() || b == b'_' || b == b'$' || !b.is_ascii();
        for piece in &self.pieces {
            let text = piece.at.of(self.page.text).as_bytes();
            for at in text.iter().enumerate().filter(|(_, b)| **b == sign).map(|(i, _)| i) {
                let before = at.checked_sub(1).map_or(b' ', |i| text[i]);
                let name = text[at + 1..].iter().take_while(|b| part(**b)).count();
                let called = text.get(at + 1 + name) == Some(&b'(');
                let begins =
                    text.get(at + 1).is_some_and(|b| b.is_ascii_alphabetic() || *b == b'_');
                if begins && !part(before) && before != b'.' && !called {
                    let start = piece.at.start as usize + at + 1;
                    let span = Span::new(start, start + name);
                    self.uses.push((span.of(self.page.text).to_owned(), span));
                }
            }
        }
        self.uses.sort_by_key(|u| u.1);
    }

    /// Statements in brackets, told from those that follow on the same line.
    pub(super) fn part(&mut self, at: Span, whole: Span, next: Option<Span>, close: &'static str) {
        if !self.copy(at, Held::Brackets(close)) {
            return;
        }
        if let Some(piece) = self.pieces.last_mut() {
            piece.whole = Some(whole);
        }
        let end = at.end as usize;
        let line = self.page.text[end..].find('\n').map_or(self.page.text.len(), |n| end + n);
        if next.is_some_and(|n| (n.start as usize) < line) {
            self.put(end, b'\n');
        }
    }

    /// Undoes what stands for characters in a value. What is shorter than its text is filled up with blanks beside the signs that belong
    /// together; within strings only quotes are undone.
    pub(super) fn undo(&mut self, at: Span) {
        let text = at.of(self.page.text);
        if !text.contains('&') {
            return;
        }
        let start = at.start as usize;
        let mut string: Option<char> = None;
        let mut chars = text.char_indices();
        while let Some((i, c)) = chars.next() {
            let entity = (c == '&').then(|| entities::at_start(&text[i..])).flatten();
            let Some((sign, len)) = entity else {
                if matches!(c, '"' | '\'' | '`') {
                    string = toggled(string, c);
                }
                continue;
            };
            let span = Span::new(start + i, start + i + len);
            for _ in 1..len {
                chars.next();
            }
            let quote = matches!(sign, '"' | '\'' | '`');
            if !sign.is_ascii() || string.is_some_and(|s| s != sign) {
                continue;
            }
            let closes = string.is_some();
            if quote {
                string = toggled(string, sign);
            }
            for b in &mut self.bytes[span.start as usize..span.end as usize] {
                *b = b' ';
            }
            // An opening quote and the first of several signs stand last, all others first.
            let joins = text[i + len..].starts_with(['&', '|', '=']);
            let last = if quote { !closes } else { joins };
            let place = if last { span.end as usize - 1 } else { span.start as usize };
            self.bytes[place] = sign as u8;
            self.signs.push(LongSign { at: span, sign: place as u32 });
        }
    }

    pub(super) fn layer(mut self, ending: &'static str, takes: TakesImports) -> Layer {
        self.pieces.sort_by_key(|p| p.at);
        if self.loose {
            self.part_pieces();
        }
        self.stands.sort_by_key(|s| s.at);
        // Only whole characters are copied, and only they are written over.
        let view = String::from_utf8_lossy(&self.bytes).into_owned();
        Layer {
            ending,
            view,
            pieces: self.pieces,
            stands: self.stands,
            gaps: self.gaps,
            signs: self.signs,
            known: self.known,
            uses: self.uses,
            imports: Vec::new(),
            takes,
            hoisted: false,
        }
    }
}

fn toggled(string: Option<char>, quote: char) -> Option<char> {
    match string {
        Some(s) if s == quote => None,
        Some(s) => Some(s),
        None => Some(quote),
    }
}
