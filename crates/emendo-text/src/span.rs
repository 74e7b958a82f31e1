//! Byte ranges and line numbers.

use serde::{Deserialize, Serialize};

/// A half-open range of bytes in one text. Offsets are `u32`: texts over 4 GiB are not read.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct Span {
    /// First byte.
    pub start: u32,
    /// One past the last byte.
    pub end: u32,
}

impl Span {
    /// The span from `start` to `end`, both in bytes.
    pub fn new(start: usize, end: usize) -> Self {
        Self { start: start as u32, end: end as u32 }
    }

    /// An empty span at `at`: an insertion point.
    pub fn at(at: usize) -> Self {
        Self::new(at, at)
    }

    /// Length in bytes.
    pub fn len(self) -> usize {
        (self.end - self.start) as usize
    }

    /// True for an insertion point.
    pub fn is_empty(self) -> bool {
        self.start == self.end
    }

    /// True if every byte of `other` lies in `self`.
    pub fn contains(self, other: Self) -> bool {
        self.start <= other.start && other.end <= self.end
    }

    /// True if the two share a byte, or an insertion point lies strictly inside the other.
    pub fn meets(self, other: Self) -> bool {
        if self.is_empty() && other.is_empty() {
            return false;
        }
        self.start < other.end && other.start < self.end
    }

    /// The smallest span that holds both.
    pub fn hull(self, other: Self) -> Self {
        Self { start: self.start.min(other.start), end: self.end.max(other.end) }
    }

    /// As a range for slicing.
    pub fn range(self) -> std::ops::Range<usize> {
        self.start as usize..self.end as usize
    }

    /// The bytes of `text` it covers; empty where it does not fit `text`.
    pub fn of(self, text: &str) -> &str {
        text.get(self.range()).unwrap_or("")
    }

    /// The same length, `by` bytes further.
    pub fn shifted(self, by: usize) -> Self {
        Self { start: self.start + by as u32, end: self.end + by as u32 }
    }
}

/// Where the lines of a text begin, for turning offsets into line and column numbers.
#[derive(Clone, Debug)]
pub struct Lines {
    starts: Vec<u32>,
}

impl Lines {
    /// Finds the line starts of `text`; `\n`, `\r\n` and a lone `\r` end a line.
    pub fn new(text: &str) -> Self {
        let bytes = text.as_bytes();
        let mut starts = vec![0];
        for (i, b) in bytes.iter().enumerate() {
            let ends = *b == b'\n' || (*b == b'\r' && bytes.get(i + 1) != Some(&b'\n'));
            if ends {
                starts.push(i as u32 + 1);
            }
        }
        Self { starts }
    }

    /// Line number of an offset, from 1.
    pub fn line(&self, offset: u32) -> u32 {
        self.starts.partition_point(|s| *s <= offset) as u32
    }

    /// Index into the lines, from 0.
    pub fn index(&self, offset: u32) -> usize {
        self.line(offset) as usize - 1
    }

    /// Offset at which the line with this index (from 0) begins; the text's end for a line after the last.
    pub fn start(&self, index: usize, len: usize) -> usize {
        self.starts.get(index).map_or(len, |s| *s as usize)
    }

    /// Number of lines; a text that ends with a newline has an empty last one.
    pub fn count(&self) -> usize {
        self.starts.len()
    }
}
