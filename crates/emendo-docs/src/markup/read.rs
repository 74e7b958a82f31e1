//! Reads markup tolerantly: whatever stands in a file, all else of it is known.
//!
//! The text is gone through once. A tag that is not closed ends with the file, an end tag closes the nearest element of its name, and code of
//! a template may stand anywhere: in text, in a tag, in a value, in a name.

use emendo_text::Span;

use crate::markup::host::{Delimiter, ENDED_BY, Host, Role};
use crate::markup::page::{Attribute, AttributeValue, CodePart, Element, Ending, Page, TextRun};

/// Reads a text as markup of this kind.
pub fn read<'t>(host: &'static Host, text: &'t str) -> Page<'t> {
    let mut reader = Reader {
        page: Page::new(host, text),
        at: 0,
        open: Vec::new(),
        never: vec![false; host.code.len() + 5],
        failed: 0,
    };
    reader.all();
    reader.page
}

struct Reader<'t> {
    page: Page<'t>,
    at: usize,
    /// The open elements, the outermost first.
    open: Vec<usize>,
    /// What is known not to come any more: the ends of code by their number, then those of the rest.
    never: Vec<bool>,
    /// How many pieces of code in brackets had no end.
    failed: usize,
}

/// So many of them may have none.
const MOST_FAILED: usize = 100;

/// Ends that are looked for besides those of code, after these in `never`.
#[derive(Clone, Copy)]
enum Other {
    Comment,
    Cdata,
    Double,
    Single,
    Call,
}

impl Reader<'_> {
    fn bytes(&self) -> &[u8] {
        self.page.text.as_bytes()
    }

    fn rest(&self) -> &str {
        &self.page.text[self.at..]
    }

    fn starts(&self, what: &str) -> bool {
        self.bytes()[self.at..].starts_with(what.as_bytes())
    }

    fn all(&mut self) {
        let mut text = self.at;
        while self.at < self.page.text.len() {
            let (before, parent) = (self.at, self.open.last().copied());
            if !self.one() {
                // A sign of the text.
                self.at = before + self.step();
                continue;
            }
            self.text_run(text, before, parent, false);
            text = self.at;
        }
        let parent = self.open.last().copied();
        self.text_run(text, self.page.text.len(), parent, false);
        self.close_from(0, self.page.text.len());
    }

    /// To the next place where something may begin, at least one character on.
    fn step(&self) -> usize {
        let bytes = &self.bytes()[self.at + 1..];
        let host = self.page.host;
        let begins = |b: &u8| {
            *b == b'<'
                || host.code.iter().any(|d| d.open.as_bytes()[0] == *b)
                || host.calls.is_some_and(|c| c == char::from(*b))
        };
        1 + bytes.iter().position(begins).unwrap_or(bytes.len())
    }

    fn text_run(&mut self, start: usize, end: usize, parent: Option<usize>, raw: bool) {
        if start < end {
            self.page.texts.push(TextRun { at: Span::new(start, end), parent, raw });
        }
    }

    /// Reads code, a comment, a tag. False if nothing of that begins here.
    fn one(&mut self) -> bool {
        if self.code() {
            return true;
        }
        if !self.starts("<") {
            return false;
        }
        if self.starts("<!--") {
            let Some(end) = self.find(Other::Comment, "-->", self.at + 4) else { return false };
            self.page.comments.push(Span::new(self.at, end));
            self.within(end);
            return true;
        }
        if self.starts("<![CDATA[") {
            let Some(end) = self.find(Other::Cdata, "]]>", self.at + 9) else { return false };
            let parent = self.open.last().copied();
            self.text_run(self.at + 9, end - 3, parent, true);
            self.at = end;
            return true;
        }
        match self.bytes().get(self.at + 1) {
            Some(b'!') => self.declaration(),
            Some(b'?') => {
                let end = self.rest().find("?>").map_or(self.page.text.len(), |i| self.at + i + 2);
                self.at = end;
                true
            }
            Some(b'/') => self.end_tag(),
            Some(b) if begins_name(*b) => self.start_tag(),
            _ => false,
        }
    }

    /// Where an end is found, after it; what was missed once is not looked for again.
    fn find(&mut self, which: Other, end: &str, from: usize) -> Option<usize> {
        let n = self.page.host.code.len() + which as usize;
        if self.never[n] {
            return None;
        }
        let found = self.page.text.get(from..).and_then(|t| t.find(end));
        self.never[n] = found.is_none();
        Some(from + found? + end.len())
    }

    /// A document type, with what it declares in brackets.
    fn declaration(&mut self) -> bool {
        let (mut depth, mut quote) = (0_usize, None);
        for (i, b) in self.bytes()[self.at..].iter().enumerate().skip(2) {
            match (quote, b) {
                (Some(q), b) if q == *b => quote = None,
                (Some(_), _) => {}
                (None, b'"' | b'\'') => quote = Some(*b),
                (None, b'[') => depth += 1,
                (None, b']') => depth = depth.saturating_sub(1),
                (None, b'>') if depth == 0 => {
                    self.at += i + 1;
                    return true;
                }
                _ => {}
            }
        }
        false
    }

    /// Code of the template at this place.
    fn code(&mut self) -> bool {
        let Some((n, delimiter)) = self.delimiter() else { return self.call() };
        let Some(end) = self.code_end(n, delimiter) else { return false };
        let inner = Span::new(self.at + delimiter.open.len(), end - closing(delimiter));
        let at = Span::new(self.at, end);
        let Delimiter { role, holds, .. } = delimiter;
        self.page.code.push(CodePart { at, inner, role, holds });
        self.at = end;
        true
    }

    /// Goes on to a place through what is no markup: code of the template is code there all the same.
    fn within(&mut self, end: usize) {
        while self.at < end {
            let (before, known) = (self.at, self.page.code.len());
            let code = match self.delimiter() {
                Some((_, d)) => d.everywhere && self.alone(d, end) && self.code(),
                None => self.call(),
            };
            if !code || self.at > end {
                self.page.code.truncate(known);
                self.at = before;
                self.at += self.step();
            }
        }
        self.at = end;
    }

    /// True if what begins here is no brackets of a script within one another.
    fn alone(&self, d: Delimiter, end: usize) -> bool {
        if d.open != "{{" {
            return true;
        }
        let line = self.page.text[self.at..end].lines().next().unwrap_or("");
        line.find("}}").is_some_and(|close| !line[..close].contains(';'))
    }

    /// Where code in brackets ends; a file in which many of them have no end has no such code.
    fn nested(&mut self, n: usize, from: usize, open: usize, signs: (u8, u8)) -> Option<usize> {
        let end = nested_end(self.bytes(), from, open, signs);
        if end.is_none() {
            self.failed += 1;
            self.never[n] = self.failed > MOST_FAILED;
        }
        end
    }

    /// A call of the template at this place: its sign, a name, and what stands in brackets.
    fn call(&mut self) -> bool {
        let Some(sign) = self.page.host.calls.filter(|c| self.rest().starts_with(*c)) else {
            return false;
        };
        // An address of mail has one too.
        if self.page.text[..self.at].ends_with(|c: char| c.is_alphanumeric()) {
            return false;
        }
        let from = self.at + sign.len_utf8();
        let bytes = &self.bytes()[from..];
        let name = bytes.iter().take_while(|b| b.is_ascii_alphanumeric() || **b == b'_').count();
        let blank = bytes[name..].iter().take_while(|b| **b == b' ').count();
        if name == 0 || bytes.get(name + blank) != Some(&b'(') {
            return false;
        }
        let inner = from + name + blank + 1;
        let calls = self.page.host.code.len() + Other::Call as usize;
        if self.never[calls] {
            return false;
        }
        let Some(end) = self.nested(calls, inner, 1, (b'(', b')')) else { return false };
        let word = &self.page.text[from..from + name];
        let role = if self.page.host.giving.contains(&word) { Role::Gives } else { Role::Controls };
        let (at, inner) = (Span::new(self.at, end), Span::new(inner, end - 1));
        let holds = self.page.host.calls_hold;
        self.page.code.push(CodePart { at, inner, role, holds });
        self.at = end;
        true
    }

    fn delimiter(&self) -> Option<(usize, Delimiter)> {
        let mut all = self.page.host.code.iter().copied().enumerate();
        // A sign written twice stands for itself.
        let before = self.at.checked_sub(1).map(|i| char::from(self.page.text.as_bytes()[i]));
        let escaped = self.page.host.calls.is_some() && self.page.host.calls == before;
        all.find(|(_, d)| self.starts(d.open))
            .filter(|(_, d)| !(self.starts("<%%") || escaped && d.open.starts_with('{')))
    }

    fn code_end(&mut self, n: usize, d: Delimiter) -> Option<usize> {
        let from = self.at + d.open.len();
        if self.never[n] {
            return None;
        }
        if d.nested {
            let braces = d.open.bytes().filter(|b| *b == b'{').count();
            return self.nested(n, from, braces, (b'{', b'}'));
        }
        let found = self.page.text.get(from..).and_then(|t| t.find(d.close));
        self.never[n] = found.is_none();
        Some(from + found? + d.close.len())
    }

    fn end_tag(&mut self) -> bool {
        let start = self.at;
        let name = self.tag_name(start + 2);
        let close = self.page.text[name.end as usize..].find('>');
        let empty = name.is_empty() && !self.page.text[start..].starts_with("</>");
        let Some(close) = close.filter(|_| !empty) else {
            self.at = start;
            return false;
        };
        let tag = Span::new(start, name.end as usize + close + 1);
        let host = self.page.host;
        let wanted = name.of(self.page.text);
        let same =
            |i: &usize| host.same_name(self.page.elements[*i].name.of(self.page.text), wanted);
        match self.open.iter().rposition(same) {
            Some(depth) => {
                self.close_from(depth + 1, start);
                if let Some(i) = self.open.pop() {
                    let element = &mut self.page.elements[i];
                    element.content.end = tag.start;
                    element.ending = Ending::Tag { tag, name };
                }
            }
            None => self.page.stray.push(tag),
        }
        self.at = tag.end as usize;
        true
    }

    /// Ends the open elements from a depth on, without end tags.
    fn close_from(&mut self, depth: usize, at: usize) {
        for i in self.open.drain(depth..) {
            self.page.elements[i].content.end = at as u32;
        }
    }

    /// The name that begins at a place, and goes on after it: what code of the template gives out is part of it, other code is not.
    fn tag_name(&mut self, from: usize) -> Span {
        self.at = from;
        while let Some(b) = self.bytes().get(self.at) {
            if let Some((_, d)) = self.delimiter() {
                if d.role != Role::Gives || !self.code() {
                    break;
                }
                continue;
            }
            if b.is_ascii_whitespace() || matches!(b, b'>' | b'/' | b'<' | b'=' | b'"' | b'\'') {
                break;
            }
            self.at += 1;
        }
        Span::new(from, self.at)
    }

    fn start_tag(&mut self) -> bool {
        let start = self.at;
        let codes = self.page.code.len();
        let name = self.tag_name(start + 1);
        let Some((attributes, closed)) = self.attributes() else {
            // A sign of the text after all.
            self.page.code.truncate(codes);
            self.at = start;
            return false;
        };
        let word = name.of(self.page.text).to_owned();
        if self.page.host.implied {
            self.end_implied(&word, start);
        }
        let tag = Span::new(start, self.at);
        let void = self.page.host.is_void(&word);
        let ending = match (closed, void) {
            (true, _) => Ending::Itself,
            (false, true) => Ending::Void,
            (false, false) => Ending::Missing,
        };
        let parent = self.open.last().copied();
        let content = Span::at(self.at);
        let number = self.page.elements.len();
        self.page.elements.push(Element { parent, name, attributes, start: tag, content, ending });
        if ending == Ending::Missing {
            self.open.push(number);
            if self.page.host.is_raw(&word) {
                self.raw_content(&word);
            }
        }
        true
    }

    /// What an element begins may be the end of others, as HTML says.
    fn end_implied(&mut self, word: &str, at: usize) {
        loop {
            let Some(last) = self.open.last() else { return };
            let name = self.page.elements[*last].name.of(self.page.text);
            let row = ENDED_BY.iter().find(|(n, _)| self.page.host.same_name(n, name));
            let Some((_, by)) = row else { return };
            if !by.iter().any(|b| self.page.host.same_name(b, word)) {
                return;
            }
            self.close_from(self.open.len() - 1, at);
        }
    }

    /// The content of a script or a style: all up to its end tag.
    fn raw_content(&mut self, word: &str) {
        let from = self.at;
        let end = format!("</{word}");
        let rest = self.rest().as_bytes();
        let same = |w: &[u8]| w.eq_ignore_ascii_case(end.as_bytes());
        let len = rest.windows(end.len()).position(same).unwrap_or(rest.len());
        let parent = self.open.last().copied();
        // In others what stands for characters is read.
        let raw = ["script", "style"].iter().any(|w| word.eq_ignore_ascii_case(w));
        self.text_run(from, from + len, parent, raw);
        self.within(from + len);
    }

    /// The attributes of a start tag to its end, and whether it closes itself; none if the tag has no end.
    fn attributes(&mut self) -> Option<(Vec<Attribute>, bool)> {
        let mut out = Vec::new();
        loop {
            let b = *self.bytes().get(self.at)?;
            match b {
                b if b.is_ascii_whitespace() => self.at += 1,
                b'>' => {
                    self.at += 1;
                    return Some((out, false));
                }
                b'/' if self.bytes().get(self.at + 1) == Some(&b'>') => {
                    self.at += 2;
                    return Some((out, true));
                }
                b'/' => self.at += 1,
                _ if self.code() => {}
                // Another tag begins: this one was none.
                b'<' => return None,
                b'=' | b'"' | b'\'' => self.at += 1,
                _ => out.push(self.attribute()?),
            }
        }
    }

    fn attribute(&mut self) -> Option<Attribute> {
        let start = self.at;
        loop {
            self.at = self.attribute_name_end();
            if self.delimiter().is_none() || !self.code() {
                break;
            }
        }
        if self.at == start {
            self.at += 1;
        }
        let name = Span::new(start, self.at);
        let blank = |b: &u8| b.is_ascii_whitespace();
        let skip = self.bytes()[self.at..].iter().take_while(|b| blank(b)).count();
        if self.bytes().get(self.at + skip) != Some(&b'=') {
            return Some(Attribute { name, value: None, span: name });
        }
        self.at += skip + 1;
        self.at += self.bytes()[self.at..].iter().take_while(|b| blank(b)).count();
        let value = self.value()?;
        Some(Attribute { name, value: Some(value), span: Span::new(start, self.at) })
    }

    fn attribute_name_end(&self) -> usize {
        let host = self.page.host;
        let mut at = self.at;
        while let Some(b) = self.bytes().get(at) {
            let ends = b.is_ascii_whitespace()
                || matches!(b, b'>' | b'=' | b'<')
                || *b == b'/' && self.bytes().get(at + 1) == Some(&b'>');
            let code =
                || host.code.iter().any(|d| self.bytes()[at..].starts_with(d.open.as_bytes()));
            if ends || code() {
                break;
            }
            at += 1;
        }
        at
    }

    /// The value that begins here.
    fn value(&mut self) -> Option<AttributeValue> {
        let codes = self.page.code.len();
        let quote = self.bytes().get(self.at).copied().filter(|b| matches!(b, b'"' | b'\''));
        let Some(quote) = quote else { return self.bare_value(codes) };
        let start = self.at + 1;
        let which = if quote == b'"' { Other::Double } else { Other::Single };
        let word = if quote == b'"' { "\"" } else { "'" };
        // Without an end the rest of the file would be the value.
        self.find(which, word, start)?;
        self.at = start;
        loop {
            let b = *self.bytes().get(self.at)?;
            if b == quote {
                break;
            }
            if self.delimiter().is_none() || !self.code() {
                self.at += 1;
            }
        }
        let inner = Span::new(start, self.at);
        self.at += 1;
        let has_code = self.page.code.len() > codes;
        Some(AttributeValue { inner, quote: Some(char::from(quote)), has_code })
    }

    fn bare_value(&mut self, codes: usize) -> Option<AttributeValue> {
        let start = self.at;
        loop {
            let b = *self.bytes().get(self.at)?;
            let closes = b == b'/' && self.bytes().get(self.at + 1) == Some(&b'>');
            if b.is_ascii_whitespace() || b == b'>' || closes {
                break;
            }
            if self.delimiter().is_none() || !self.code() {
                self.at += 1;
            }
        }
        let has_code = self.page.code.len() > codes;
        Some(AttributeValue { inner: Span::new(start, self.at), quote: None, has_code })
    }
}

fn begins_name(b: u8) -> bool {
    b.is_ascii_alphabetic() || matches!(b, b'_' | b':' | b'.') || !b.is_ascii()
}

/// How many bytes of a piece of code are its end.
fn closing(d: Delimiter) -> usize {
    match d.nested {
        true => d.open.bytes().filter(|b| *b == b'{').count(),
        false => d.close.len(),
    }
}

/// Longer code in braces is none: a brace stood alone.
const LONGEST: usize = 1 << 14;

/// Where code in brackets ends: brackets in it are counted, strings passed over.
fn nested_end(bytes: &[u8], from: usize, open: usize, signs: (u8, u8)) -> Option<usize> {
    let (mut depth, mut quote, mut at) = (open, None, from);
    let bytes = &bytes[..bytes.len().min(from + LONGEST)];
    while let Some(b) = bytes.get(at) {
        match (quote, *b) {
            (Some(_), b'\\') => at += 1,
            (Some(q), b) if b == q => quote = None,
            // A string in a template ends with its line, or it is an apostrophe.
            (Some(b'"' | b'\''), b'\n') => quote = None,
            (Some(_), _) => {}
            (None, b'"' | b'\'' | b'`') => quote = Some(*b),
            (None, b) if b == signs.0 => depth += 1,
            (None, b) if b == signs.1 => {
                depth -= 1;
                if depth == 0 {
                    return Some(at + 1);
                }
            }
            _ => {}
        }
        at += 1;
    }
    None
}
