//! A file as it is and as it will be, by lines.

use std::collections::HashMap;

use emendo_core::{FileRecord, World};
use emendo_report::{Class, classes};
use emendo_text::{Digest, LineKind, LineMark, Lines, RelPath, Span, Text};

/// The lines of a text.
#[derive(Debug)]
pub(crate) struct TextLines {
    text: String,
    starts: Lines,
    classes: Vec<(Span, Class)>,
    /// Which lines are known, where the text as a whole is not: each with the number of its line in the text, from 0.
    only: Option<HashMap<u32, usize>>,
}

impl TextLines {
    fn new(world: &World, path: &RelPath, text: String, only: Option<HashMap<u32, usize>>) -> Self {
        let starts = Lines::new(&text);
        let classes = if only.is_some() { Vec::new() } else { classes(world, path, &text) };
        Self { text, starts, classes, only }
    }

    /// How many lines there are; none where only some are known.
    pub(crate) fn count(&self) -> u32 {
        if self.only.is_some() {
            return 0;
        }
        let ends = self.text.ends_with(['\n', '\r']) || self.text.is_empty();
        (self.starts.count() - usize::from(ends)) as u32
    }

    fn span(&self, line: u32) -> Option<Span> {
        let index = match &self.only {
            Some(only) => *only.get(&line)?,
            None => (line as usize).checked_sub(1).filter(|i| *i < self.starts.count())?,
        };
        let start = self.starts.start(index, self.text.len());
        let end = self.starts.start(index + 1, self.text.len());
        let body = self.text.get(start..end)?.trim_end_matches(['\n', '\r']).len();
        Some(Span::new(start, start + body))
    }

    /// A line, from 1, without its end.
    pub(crate) fn line(&self, line: u32) -> &str {
        self.span(line).map_or("", |s| s.of(&self.text))
    }

    /// The words of a line that have a colour, in bytes of the line.
    pub(crate) fn classes(&self, line: u32) -> Vec<(usize, usize, Class)> {
        let Some(span) = self.span(line) else { return Vec::new() };
        let from = self.classes.partition_point(|(s, _)| s.end <= span.start);
        let here = self.classes[from..].iter().take_while(|(s, _)| s.start < span.end);
        let cut = |at: u32| (at.clamp(span.start, span.end) - span.start) as usize;
        here.map(|(s, c)| (cut(s.start), cut(s.end), *c)).collect()
    }

    /// The lines that a span of the text covers, and what stands before and after it on the first and last of them.
    pub(crate) fn around(&self, at: Span) -> Option<(u32, u32, &str, &str)> {
        if self.only.is_some() || at.end as usize > self.text.len() {
            return None;
        }
        let first = self.starts.line(at.start);
        let last = self.starts.line(at.end.max(at.start + 1) - 1).max(first);
        let (head, tail) = (self.span(first)?, self.span(last)?);
        let before = self.text.get(head.start as usize..at.start as usize)?;
        let after = self.text.get(at.end as usize..(tail.end.max(at.end)) as usize)?;
        Some((first, last, before, after))
    }

    /// The line of a place in the text, from 1.
    pub(crate) fn line_of(&self, at: u32) -> u32 {
        self.starts.line(at)
    }
}

/// A file of a proposal.
#[derive(Debug)]
pub(crate) struct FileText {
    /// As it is.
    pub(crate) old: TextLines,
    /// As it will be with all that is in.
    pub(crate) new: TextLines,
    /// It is not as it was when it was proposed; only the lines that the proposal kept are known.
    pub(crate) changed: bool,
    marks: HashMap<(bool, u32), Vec<LineMark>>,
}

impl FileText {
    /// From the bytes of a file, if they are those that were proposed on.
    pub(crate) fn new(
        world: &World,
        path: &RelPath,
        record: Option<&FileRecord>,
        bytes: Option<&[u8]>,
    ) -> Self {
        let fresh = |b: &&[u8]| record.is_none_or(|r| Digest::of(b) == r.base);
        let to_come = record.is_some_and(|r| r.fate.created);
        let text = match (bytes.filter(fresh), bytes) {
            // What is no text has no lines.
            (Some(b), _) => Some(Text::decode(b).unwrap_or_else(|_| Text::new(""))),
            (None, None) if to_come => Some(Text::new("")),
            _ => None,
        };
        let mut marks: HashMap<(bool, u32), Vec<LineMark>> = HashMap::new();
        for m in record.iter().flat_map(|r| &r.marks) {
            marks.entry((m.new, m.line)).or_default().push(*m);
        }
        let Some(text) = text else {
            let (old, new) = record.map(known_lines).unwrap_or_default();
            let lines = |(text, only): Known| TextLines::new(world, path, text, Some(only));
            return Self { old: lines(old), new: lines(new), changed: true, marks };
        };
        let old = text.as_str().to_owned();
        let new = record.map_or_else(|| old.clone(), |r| after(&old, r));
        let lines = |text| TextLines::new(world, path, text, None);
        Self { old: lines(old), new: lines(new), changed: false, marks }
    }

    /// The parts of a line that edits changed.
    pub(crate) fn marks(&self, new: bool, line: u32) -> &[LineMark] {
        self.marks.get(&(new, line)).map_or(&[], Vec::as_slice)
    }

    /// One side.
    pub(crate) fn side(&self, new: bool) -> &TextLines {
        if new { &self.new } else { &self.old }
    }
}

/// The text with its changed lines; line ends do not matter for showing it.
fn after(old: &str, record: &FileRecord) -> String {
    let lines: Vec<&str> = old.split_inclusive('\n').collect();
    let mut out = String::with_capacity(old.len() + 256);
    let mut at = 0;
    for h in &record.hunks {
        let from = (h.old_start as usize).saturating_sub(usize::from(h.old_lines > 0));
        for line in lines.get(at..from.min(lines.len())).unwrap_or_default() {
            out.push_str(line);
        }
        for l in h.lines.iter().filter(|l| l.kind != LineKind::Removed) {
            out.push_str(&l.text);
            if !l.unfinished {
                out.push('\n');
            }
        }
        at = from + h.old_lines as usize;
    }
    lines.get(at..).unwrap_or_default().iter().for_each(|l| out.push_str(l));
    out
}

/// Some lines of a text: one after another, and where each stands among them.
type Known = (String, HashMap<u32, usize>);

/// The lines that a proposal kept of a file.
fn known_lines(record: &FileRecord) -> (Known, Known) {
    let (mut old, mut new) = (Known::default(), Known::default());
    for h in &record.hunks {
        let first = |start: u32, lines: u32| start + u32::from(lines == 0);
        let mut at = (first(h.old_start, h.old_lines), first(h.new_start, h.new_lines));
        for l in &h.lines {
            let put = |side: &mut Known, at: &mut u32| {
                side.1.insert(*at, side.1.len());
                side.0.push_str(&l.text);
                side.0.push('\n');
                *at += 1;
            };
            if l.kind != LineKind::Added {
                put(&mut old, &mut at.0);
            }
            if l.kind != LineKind::Removed {
                put(&mut new, &mut at.1);
            }
        }
    }
    (old, new)
}
