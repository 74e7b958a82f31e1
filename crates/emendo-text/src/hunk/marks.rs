//! Which characters of a line each edit wrote, or took away.

use serde::{Deserialize, Serialize};

use crate::{Lines, Piece, Span};

/// A part of a line that an edit changed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineMark {
    /// The edit, as the index in the pieces.
    pub by: u32,
    /// It stands in the new text; else it stands in the original.
    pub new: bool,
    /// The line, from 1.
    pub line: u32,
    /// Its first byte in the line.
    pub from: u32,
    /// One past its last byte in the line.
    pub to: u32,
}

/// The changed parts of all lines between `old` and the text `new` that `pieces` describe, in order of pieces. What was written as it was
/// before has none.
pub fn line_marks(old: &str, new: &str, pieces: &[Piece]) -> Vec<LineMark> {
    let lines = (Lines::new(old), Lines::new(new));
    let mut out = Vec::new();
    let mut at = 0;
    for piece in pieces {
        let written = Span::new(at, at + piece.len());
        at += piece.len();
        let Piece::Written { by, origin, .. } = *piece else { continue };
        if written.of(new) == origin.of(old) {
            continue;
        }
        mark(&mut out, (by, false), origin, (old, &lines.0));
        mark(&mut out, (by, true), written, (new, &lines.1));
    }
    out
}

/// The parts of a span, line by line, without line ends.
fn mark(
    out: &mut Vec<LineMark>,
    (by, new): (u32, bool),
    span: Span,
    (text, lines): (&str, &Lines),
) {
    if span.is_empty() {
        return;
    }
    let (first, last) = (lines.index(span.start), lines.index(span.end - 1));
    for i in first..=last {
        let start = lines.start(i, text.len());
        let end = lines.start(i + 1, text.len());
        let body = text[start..end].trim_end_matches(['\n', '\r']).len();
        let from = (span.start as usize).saturating_sub(start);
        let to = (span.end as usize - start).min(body);
        if from < to {
            let line = i as u32 + 1;
            out.push(LineMark { by, new, line, from: from as u32, to: to as u32 });
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_of_several_lines_and_what_stays_is_none() {
        let (old, new) = ("a bb\r\nc d\n", "a XX\r\nY d\n");
        let pieces = [
            Piece::Base(Span::new(0, 2)),
            Piece::Written { by: 1, len: 5, origin: Span::new(2, 7) },
            Piece::Base(Span::new(7, 8)),
            Piece::Written { by: 2, len: 1, origin: Span::new(8, 9) },
            Piece::Base(Span::new(9, 10)),
        ];
        let mark = |new, line, from, to| LineMark { by: 1, new, line, from, to };
        let expected =
            [mark(false, 1, 2, 4), mark(false, 2, 0, 1), mark(true, 1, 2, 4), mark(true, 2, 0, 1)];
        assert_eq!(line_marks(old, new, &pieces), expected);
    }
}
