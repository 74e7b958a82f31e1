//! How edits are written into one another.

use crate::part::{Part, Shifted};
use crate::piece::{Piece, PieceMap};
use crate::span::Span;

/// One replacement in the input text of a step, owned by the edit `by`.
#[derive(Clone, Debug)]
pub struct Placed<'a> {
    /// The edit.
    pub by: u32,
    /// The bytes it replaces.
    pub span: Span,
    /// The whole place of the edit.
    pub hull: Span,
    /// It lies inside what its own edit copies, and is written there.
    pub inner: bool,
    /// What it writes instead.
    pub parts: &'a [Part],
}

impl Placed<'_> {
    /// In order of place. Of insertions at one point, what ends a place stands before what begins one; of two that end, the
    /// inner place's comes first, of two that begin, the outer's.
    fn order(&self) -> (u32, std::cmp::Reverse<u32>, bool, std::cmp::Reverse<u32>) {
        use std::cmp::Reverse;
        let (span, hull) = (self.span, self.hull);
        let (begins, depth) = match () {
            () if !span.is_empty() => (false, 0),
            () if !hull.is_empty() && hull.end == span.start => (false, hull.start),
            () => (true, hull.end),
        };
        (span.start, Reverse(span.end), begins, Reverse(depth))
    }
}

enum Task<'a> {
    /// A place of the input, with the edits inside it but those of `owner`.
    Place {
        span: Span,
        owner: Option<u32>,
    },
    /// Bytes of the input in which no edit lies.
    Keep(Span),
    /// The outermost splice over these bytes begins or ends.
    Mark(Span, bool),
    Text {
        by: u32,
        origin: Span,
        text: &'a str,
    },
    /// What follows is indented anew, up to the end of it.
    Open(&'a Shifted),
    Close {
        by: u32,
        origin: Span,
    },
}

/// Writes splices into a text: gives the new text and its pieces.
///
/// A splice whose edit lies inside another splice is written where that one copies the place; in
/// bytes that are taken away without a copy it is not written. Work is linear in text and splices
/// (but for the sort), and nothing recurses.
pub fn render(text: &str, map: &PieceMap, splices: &mut [Placed<'_>]) -> Rendered {
    splices.sort_by_key(Placed::order);
    let splices = &*splices;
    let mut out = Frame {
        text: String::with_capacity(text.len() + 64),
        pieces: Vec::with_capacity(map.pieces().len() + 2 * splices.len()),
        fixed: Vec::new(),
    };
    let mut outer: Vec<Frame> = Vec::new();
    let mut shifts: Vec<&Shifted> = Vec::new();
    let mut tasks = vec![Task::Place { span: Span::new(0, text.len()), owner: None }];
    let mut replaced = Vec::new();
    let mut kept = Vec::new();
    let mut began = 0;
    while let Some(task) = tasks.pop() {
        match task {
            Task::Mark(_, true) => began = out.text.len(),
            Task::Mark(span, false) => replaced.push((span, out.text.len() - began)),
            Task::Text { by, origin, text } => {
                out.text.push_str(text);
                push(&mut out.pieces, Piece::Written { by, len: text.len() as u32, origin });
            }
            Task::Keep(span) => {
                if outer.is_empty() {
                    kept.push((span, out.text.len() as u32));
                }
                let start = out.text.len();
                out.fixed.extend(Shifted::fixed_in(&shifts, span, start));
                out.text.push_str(span.of(text));
                map.slice(span).into_iter().for_each(|p| push(&mut out.pieces, p));
            }
            Task::Open(shift) => {
                shifts.push(shift);
                outer.push(std::mem::take(&mut out));
            }
            Task::Close { by, origin } => {
                if let (Some(shift), Some(around)) = (shifts.pop(), outer.pop()) {
                    let inner = std::mem::replace(&mut out, around).shifted(shift, by, origin);
                    out.text.push_str(&inner.text);
                    inner.pieces.into_iter().for_each(|p| push(&mut out.pieces, p));
                }
            }
            Task::Place { span, owner } => {
                let mut queue = Vec::new();
                place(splices, map, span, owner, &mut queue);
                tasks.extend(queue.into_iter().rev());
            }
        }
    }
    Rendered { text: out.text, pieces: out.pieces, kept, replaced }
}

/// What [`render`] gives.
#[derive(Clone, Debug)]
pub struct Rendered {
    /// The new text.
    pub text: String,
    /// Where its bytes come from.
    pub pieces: Vec<Piece>,
    /// Bytes of the input that stand in the new text, with the place where they begin there; without those that are indented
    /// anew.
    pub kept: Vec<(Span, u32)>,
    /// The replaced bytes of the input, outermost and in order, with the lengths of what stands there now.
    pub replaced: Vec<(Span, usize)>,
}

/// Queues what stands at one place: its outermost splices and the bytes between them.
fn place<'a>(
    splices: &[Placed<'a>],
    map: &PieceMap,
    span: Span,
    owner: Option<u32>,
    queue: &mut Vec<Task<'a>>,
) {
    let from = |at: u32| splices.partition_point(|s| s.span.start < at);
    let mut at = span.start;
    let mut i = from(at);
    let mut last: Option<&Placed<'_>> = None;
    while let Some(s) = splices.get(i).filter(|s| s.span.start <= span.end) {
        i += 1;
        let own = Some(s.by) == owner;
        let fits = owner.is_none() || (own && s.inner) || (!own && span.contains(s.hull));
        let nested = last.is_some_and(|l| l.by != s.by && holds(l.span, s.hull));
        if !fits || nested || !span.contains(s.span) || s.span.start < at {
            continue;
        }
        if s.span.start > at {
            queue.push(Task::Keep(Span { start: at, end: s.span.start }));
        }
        if !s.span.is_empty() {
            // Insertions at the same point that do not belong inside come first.
            let same = splices[i..].iter().take_while(|n| n.span.start == s.span.start);
            for n in same.filter(|n| n.span.is_empty() && !(n.by != s.by && holds(s.span, n.hull)))
            {
                marked(n, map, owner, queue);
            }
            i = from(s.span.end);
            last = Some(s);
        }
        marked(s, map, owner, queue);
        at = s.span.end;
    }
    if span.end > at {
        queue.push(Task::Keep(Span { start: at, end: span.end }));
    }
}

/// True if an edit lies inside a replaced place; an insertion at its edge stands beside it.
fn holds(place: Span, hull: Span) -> bool {
    let edge = hull.is_empty() && (hull.start == place.start || hull.start == place.end);
    place.contains(hull) && !edge
}

fn marked<'a>(s: &Placed<'a>, map: &PieceMap, owner: Option<u32>, queue: &mut Vec<Task<'a>>) {
    if owner.is_none() {
        queue.push(Task::Mark(s.span, true));
    }
    queue_parts(s, map, queue);
    if owner.is_none() {
        queue.push(Task::Mark(s.span, false));
    }
}

fn queue_parts<'a>(s: &Placed<'a>, map: &PieceMap, queue: &mut Vec<Task<'a>>) {
    let origin = map.origin(s.span);
    // An empty text marks where bytes were taken away, or a copy begins.
    queue.push(Task::Text { by: s.by, origin, text: "" });
    queue_each(s.parts, s.by, origin, queue);
}

fn queue_each<'a>(parts: &'a [Part], by: u32, origin: Span, queue: &mut Vec<Task<'a>>) {
    for part in parts {
        match part {
            Part::Text(text) => queue.push(Task::Text { by, origin, text }),
            Part::Copy(span) => queue.push(Task::Place { span: *span, owner: Some(by) }),
            Part::Shifted(shift) => {
                queue.push(Task::Open(shift));
                queue_each(&shift.parts, by, origin, queue);
                queue.push(Task::Close { by, origin });
            }
        }
    }
}

/// Adds a piece, joined to the one before where they are one run.
fn push(pieces: &mut Vec<Piece>, piece: Piece) {
    match (pieces.last_mut(), piece) {
        (Some(Piece::Base(last)), Piece::Base(next)) if last.end == next.start => {
            last.end = next.end;
        }
        (Some(Piece::Written { by, len: 0, .. }), Piece::Written { by: next, .. })
            if *by == next =>
        {
            pieces.pop();
            pieces.push(piece);
        }
        _ => pieces.push(piece),
    }
}

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

#[cfg(test)]
mod tests {
    use super::*;

    fn text(s: &str) -> Vec<Part> {
        vec![Part::Text(s.to_owned())]
    }

    #[test]
    fn an_inner_edit_moves_with_the_copied_place() {
        let src = "old(inner(1), 2)";
        let map = PieceMap::new(Piece::whole(src));
        let swap =
            [Part::Copy(Span::new(14, 15)), Part::Text(", ".into()), Part::Copy(Span::new(4, 12))];
        let inner = text("deep");
        let mut splices = [
            Placed {
                by: 0,
                span: Span::new(4, 15),
                hull: Span::new(0, 16),
                inner: false,
                parts: &swap,
            },
            Placed {
                by: 1,
                span: Span::new(4, 9),
                hull: Span::new(4, 12),
                inner: false,
                parts: &inner,
            },
        ];
        let Rendered { text: out, pieces, .. } = render(src, &map, &mut splices);
        assert_eq!(out, "old(2, deep(1))");
        assert_eq!(pieces.iter().map(|p| p.len()).sum::<usize>(), out.len());
    }

    #[test]
    fn an_insertion_at_the_edge_of_a_deleted_line_stays() {
        let src = "old\nkeep\n";
        let map = PieceMap::new(Piece::whole(src));
        let (line, edge) = (Span::new(0, 4), text("new\n"));
        for at in [0, 4] {
            let point = Span::at(at);
            let mut splices = [
                Placed { by: 0, span: line, hull: line, inner: false, parts: &[] },
                Placed { by: 1, span: point, hull: point, inner: false, parts: &edge },
            ];
            assert_eq!(render(src, &map, &mut splices).text, "new\nkeep\n", "at {at}");
        }
    }

    #[test]
    fn a_second_step_knows_who_wrote_before() {
        let src = "alpha beta";
        let map = PieceMap::new(Piece::whole(src));
        let first = text("gamma");
        let span = Span::new(6, 10);
        let Rendered { text: out, pieces, replaced, .. } = render(
            src,
            &map,
            &mut [Placed { by: 7, span, hull: span, inner: false, parts: &first }],
        );
        assert_eq!(out, "alpha gamma");
        assert_eq!(replaced, [(span, 5)]);
        let map = PieceMap::new(pieces);
        assert_eq!(map.writers(Span::new(0, 11)), vec![7]);
        assert_eq!(map.writers(Span::new(0, 6)), Vec::<u32>::new());
        assert_eq!(map.origin(Span::new(7, 9)), Span::new(6, 10));
    }

    #[test]
    fn nothing_recurses_however_deep_the_nesting() {
        let depth = 50_000;
        let src = format!("{}x{}", "(".repeat(depth), ")".repeat(depth));
        let map = PieceMap::new(Piece::whole(&src));
        let parts: Vec<[Part; 3]> = (0..depth)
            .map(|i| {
                let inner = Part::Copy(Span::new(i + 1, src.len() - i - 1));
                [Part::Text("[".into()), inner, Part::Text("]".into())]
            })
            .collect();
        let mut splices: Vec<Placed<'_>> = parts
            .iter()
            .enumerate()
            .map(|(i, p)| {
                let span = Span::new(i, src.len() - i);
                Placed { by: i as u32, span, hull: span, inner: false, parts: p }
            })
            .collect();
        let out = render(&src, &map, &mut splices).text;
        assert_eq!(out, format!("{}x{}", "[".repeat(depth), "]".repeat(depth)));
    }

    #[test]
    fn lines_follow_the_place_and_literals_stay() {
        let src = "a(\n  b {\n    c\n\n  d`\n  e`\n  })";
        let inner = Span::new(5, src.len() - 1);
        let fixed = vec![src.find("  e").unwrap_or(0) as u32];
        let shifted = |from: &str, to: &str| {
            let (from, to, fixed) = (from.to_owned(), to.to_owned(), fixed.clone());
            vec![Part::Shifted(Box::new(Shifted {
                parts: vec![Part::Copy(inner)],
                from,
                to,
                fixed,
            }))]
        };
        let map = PieceMap::new(Piece::whole(src));
        for (to, want) in [
            ("      ", "a(\n  b {\n        c\n\n      d`\n  e`\n      })"),
            ("", "a(\n  b {\n  c\n\nd`\n  e`\n})"),
            ("\t", "a(\n  b {\n\t  c\n\n\td`\n  e`\n\t})"),
        ] {
            let parts = shifted("  ", to);
            let mut placed =
                [Placed { by: 0, span: inner, hull: inner, inner: false, parts: &parts }];
            let out = render(src, &map, &mut placed);
            assert_eq!(out.text, want);
            assert_eq!(out.pieces.iter().map(|p| p.len()).sum::<usize>(), out.text.len());
            assert_eq!(Part::plain(&parts, src), &want[5..want.len() - 1]);
        }
    }
}
