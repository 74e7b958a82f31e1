//! A text while it is rendered, and how the indentation of its lines changes.

use crate::part::Shifted;
use crate::piece::Piece;
use crate::span::Span;

/// A text as it is rendered.
#[derive(Default)]
pub(crate) struct Frame {
    pub(crate) text: String,
    pub(crate) pieces: Vec<Piece>,
    /// Lines that stay as they are.
    pub(crate) fixed: Vec<usize>,
}

impl Frame {
    /// With the indentation of its lines changed, which the edit `by` writes.
    pub(crate) fn shifted(self, shift: &Shifted, by: u32, origin: Span) -> Self {
        let changes = shift.changes(&self.text, &self.fixed);
        if changes.is_empty() {
            return self;
        }
        let text = shift.shift(&self.text, &self.fixed);
        let mut pieces = Vec::with_capacity(self.pieces.len() + 2 * changes.len());
        let mut rest = self.pieces.into_iter();
        let mut open: Option<Piece> = rest.next();
        let mut at = 0;
        // Takes pieces up to a place of the old text; what is not kept is let go.
        let mut take = |to: usize, keep: bool, pieces: &mut Vec<Piece>| {
            while let Some(piece) = open {
                if at + piece.len() > to {
                    if to > at {
                        if keep {
                            pieces.push(piece.cut(0, to - at));
                        }
                        open = Some(piece.cut(to - at, piece.len()));
                        at = to;
                    }
                    return;
                }
                at += piece.len();
                if keep || piece.is_empty() {
                    pieces.push(piece);
                }
                open = rest.next();
            }
        };
        for c in &changes {
            take(c.at, true, &mut pieces);
            pieces.push(Piece::Written { by, len: c.come.len() as u32, origin });
            take(c.at + c.gone, false, &mut pieces);
        }
        take(usize::MAX, true, &mut pieces);
        Self { text, pieces, fixed: Vec::new() }
    }
}
