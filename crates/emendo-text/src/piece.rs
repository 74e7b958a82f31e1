//! Where each byte of an edited text comes from.

use crate::Span;

/// A run of an edited text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Piece {
    /// Bytes of the original text.
    Base(Span),
    /// Bytes that an edit wrote. `len` may be 0: the edit took bytes away here.
    Written {
        /// The edit, as an index that the caller gives a meaning.
        by: u32,
        /// Length in bytes.
        len: u32,
        /// The original bytes it stands for.
        origin: Span,
    },
}

impl Piece {
    /// The pieces of an unedited text.
    pub fn whole(text: &str) -> Vec<Self> {
        if text.is_empty() { Vec::new() } else { vec![Self::Base(Span::new(0, text.len()))] }
    }

    /// Length in bytes.
    pub fn len(self) -> usize {
        match self {
            Self::Base(span) => span.len(),
            Self::Written { len, .. } => len as usize,
        }
    }

    /// True if it covers no byte.
    pub fn is_empty(self) -> bool {
        self.len() == 0
    }

    /// The original bytes it is or stands for.
    pub fn origin(self) -> Span {
        match self {
            Self::Base(span) | Self::Written { origin: span, .. } => span,
        }
    }

    pub(crate) fn cut(self, from: usize, to: usize) -> Self {
        match self {
            Self::Base(s) => Self::Base(Span::new(s.start as usize + from, s.start as usize + to)),
            Self::Written { by, origin, .. } => {
                Self::Written { by, len: (to - from) as u32, origin }
            }
        }
    }
}

/// The pieces of a text with their positions in it, for looking up ranges.
#[derive(Clone, Debug)]
pub struct PieceMap {
    pieces: Vec<Piece>,
    starts: Vec<u32>,
}

impl PieceMap {
    /// Indexes pieces by position.
    pub fn new(pieces: Vec<Piece>) -> Self {
        let mut at = 0u32;
        let starts = pieces
            .iter()
            .map(|p| {
                let start = at;
                at += p.len() as u32;
                start
            })
            .collect();
        Self { pieces, starts }
    }

    /// The pieces in order.
    pub fn pieces(&self) -> &[Piece] {
        &self.pieces
    }

    /// True if no edit has touched the text yet.
    pub fn untouched(&self) -> bool {
        !self.pieces.iter().any(|p| matches!(p, Piece::Written { .. }))
    }

    /// The pieces that `span` meets, cut to it, with the places of taken-away bytes strictly inside it.
    pub fn slice(&self, span: Span) -> Vec<Piece> {
        let mut out = Vec::new();
        let mut i = self.starts.partition_point(|s| *s < span.start).saturating_sub(1);
        // Empty pieces share a start with their neighbours: go back over them.
        while i > 0 && self.starts[i] == span.start && self.starts[i - 1] == span.start {
            i -= 1;
        }
        while i < self.pieces.len() && self.starts[i] <= span.end {
            let (piece, start) = (self.pieces[i], self.starts[i]);
            let end = start + piece.len() as u32;
            if piece.is_empty() {
                if span.start < start && start < span.end {
                    out.push(piece);
                }
            } else if end > span.start && start < span.end {
                let from = span.start.max(start) - start;
                let to = span.end.min(end) - start;
                out.push(piece.cut(from as usize, to as usize));
            }
            i += 1;
        }
        out
    }

    /// The original bytes that `span` is or stands for, as their hull; an insertion point for an empty span.
    pub fn origin(&self, span: Span) -> Span {
        let hull = self.slice(span).into_iter().map(Piece::origin).reduce(Span::hull);
        hull.unwrap_or_else(|| self.origin_point(span.start))
    }

    fn origin_point(&self, at: u32) -> Span {
        let i = self.starts.partition_point(|s| *s <= at);
        let Some(i) = i.checked_sub(1) else { return Span::at(0) };
        match self.pieces[i] {
            Piece::Base(s) => {
                let inside = (at - self.starts[i]).min(s.len() as u32);
                Span::at((s.start + inside) as usize)
            }
            Piece::Written { origin, .. } => origin,
        }
    }

    /// The edits that wrote bytes in `span`, each once.
    pub fn writers(&self, span: Span) -> Vec<u32> {
        let mut out: Vec<u32> = self
            .slice(span)
            .into_iter()
            .filter_map(|p| match p {
                Piece::Written { by, .. } => Some(by),
                Piece::Base(_) => None,
            })
            .collect();
        out.sort_unstable();
        out.dedup();
        out
    }
}
