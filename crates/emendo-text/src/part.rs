//! What one change writes: new text, and what stands in the file already.

use crate::span::Span;

/// A part of what a splice writes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// New text.
    Text(String),
    /// What stands at a place of the input, with the other edits inside it.
    Copy(Span),
    /// Parts whose lines are indented like the place that they go to.
    Shifted(Box<Shifted>),
}

impl Part {
    /// All texts and copies of some parts, in order.
    pub fn leaves(parts: &[Self]) -> Vec<&Self> {
        let mut out = Vec::with_capacity(parts.len());
        for p in parts {
            match p {
                Self::Shifted(s) => out.extend(Self::leaves(&s.parts)),
                leaf => out.push(leaf),
            }
        }
        out
    }

    /// The places that some parts copy.
    pub fn copies(parts: &[Self]) -> impl Iterator<Item = Span> + '_ {
        Self::leaves(parts).into_iter().filter_map(|p| match p {
            Self::Copy(span) => Some(*span),
            _ => None,
        })
    }

    /// What some parts give where nothing else is edited: `text` is the input.
    pub fn plain(parts: &[Self], text: &str) -> String {
        Self::plain_in(parts, text, &[]).0
    }

    /// The same, with the starts of the lines that stay as they are.
    fn plain_in(parts: &[Self], text: &str, shifts: &[&Shifted]) -> (String, Vec<usize>) {
        let (mut out, mut fixed) = (String::new(), Vec::new());
        for part in parts {
            match part {
                Self::Text(t) => out.push_str(t),
                Self::Copy(span) => {
                    fixed.extend(Shifted::fixed_in(shifts, *span, out.len()));
                    out.push_str(span.of(text));
                }
                Self::Shifted(s) => {
                    let around: Vec<&Shifted> = shifts.iter().copied().chain([&**s]).collect();
                    let (inner, lines) = Self::plain_in(&s.parts, text, &around);
                    out.push_str(&s.shift(&inner, &lines));
                }
            }
        }
        (out, fixed)
    }
}

/// Parts whose lines, but for the first, are indented like the place that they go to.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Shifted {
    /// What is written.
    pub parts: Vec<Part>,
    /// The indentation that its lines have, where they stand as deep as the first.
    pub from: String,
    /// The indentation that stands there instead.
    pub to: String,
    /// Where lines of the input begin that stay as they are: those inside literals.
    pub fixed: Vec<u32>,
}

/// What one line's indentation becomes: how many bytes of it stay, how many go, and what comes.
pub(crate) struct Change<'a> {
    pub(crate) at: usize,
    pub(crate) gone: usize,
    pub(crate) come: &'a str,
}

impl Shifted {
    /// The changes of a text, by the starts of its lines; `fixed` are those that stay.
    pub(crate) fn changes(&self, text: &str, fixed: &[usize]) -> Vec<Change<'_>> {
        let shared = self.from.bytes().zip(self.to.bytes()).take_while(|(a, b)| a == b).count();
        let mut out = Vec::new();
        let mut at = 0;
        while let Some(n) = text[at..].find('\n') {
            at += n + 1;
            let line = text[at..].split(['\n', '\r']).next().unwrap_or("");
            if !line.trim().is_empty() && line.starts_with(&self.from) && !fixed.contains(&at) {
                let come = &self.to[shared..];
                out.push(Change { at: at + shared, gone: self.from.len() - shared, come });
            }
        }
        out
    }

    /// A text with the changed indentation.
    pub(crate) fn shift(&self, text: &str, fixed: &[usize]) -> String {
        let mut out = String::with_capacity(text.len());
        let mut at = 0;
        for c in self.changes(text, fixed) {
            out.push_str(&text[at..c.at]);
            out.push_str(c.come);
            at = c.at + c.gone;
        }
        out.push_str(&text[at..]);
        out
    }

    /// Where lines of a copied place begin that stay as they are, if it is written at `start`.
    pub(crate) fn fixed_in(shifts: &[&Self], span: Span, start: usize) -> Vec<usize> {
        let all = shifts.iter().flat_map(|s| &s.fixed);
        let inside = all.filter(|at| span.start < **at && **at <= span.end);
        inside.map(|at| start + (*at - span.start) as usize).collect()
    }
}

/// One change of bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Splice {
    /// The bytes that are replaced.
    pub span: Span,
    /// What is written instead.
    pub parts: Vec<Part>,
    /// It lies inside a slot that the same edit copies, and goes along with it.
    pub inner: bool,
}

impl Splice {
    /// Replaces by plain text.
    pub fn text(span: Span, text: impl Into<String>) -> Self {
        let text = text.into();
        let parts = if text.is_empty() { Vec::new() } else { vec![Part::Text(text)] };
        Self { span, parts, inner: false }
    }

    /// A place of a text with some splices made in it, in order of their places; where they overlap, what the first took away stays away.
    pub fn written(text: &str, at: Span, splices: &[Self]) -> String {
        let (mut out, mut from) = (String::new(), at.start);
        for s in splices {
            out.push_str(Span { start: from, end: s.span.start.max(from) }.of(text));
            out.push_str(&Part::plain(&s.parts, text));
            from = s.span.end.max(from);
        }
        out.push_str(Span { start: from, end: at.end.max(from) }.of(text));
        out
    }

    /// The same without blanks that it would leave at the end of a line: those that it writes, and those before bytes
    /// that it takes away.
    #[must_use]
    pub fn without_end_blanks(mut self, text: &str) -> Self {
        const BLANKS: [char; 2] = [' ', '\t'];
        let rest = &text[self.span.end as usize..];
        if !(rest.is_empty() || rest.starts_with(['\n', '\r'])) {
            return self;
        }
        if let Some(Part::Text(last)) = self.parts.last_mut() {
            let kept = last.trim_end_matches(BLANKS).len();
            // A line that holds nothing but its indentation is for what follows.
            if kept > 0 && !last[..kept].ends_with('\n') || kept == 0 && self.parts.len() > 1 {
                if let Some(Part::Text(last)) = self.parts.last_mut() {
                    last.truncate(kept);
                }
            } else if kept == 0 {
                self.parts.clear();
            }
        }
        if matches!(self.parts.last(), Some(Part::Text(t)) if t.is_empty()) {
            self.parts.pop();
        }
        let before = &text[..self.span.start as usize];
        let kept = before.trim_end_matches(BLANKS).len();
        if self.parts.is_empty() && !self.span.is_empty() && !before[..kept].ends_with('\n') {
            self.span.start = kept as u32;
        }
        self
    }
}
