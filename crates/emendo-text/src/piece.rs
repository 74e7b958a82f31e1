//! Where each byte of an edited text comes from, and how edits are written into one another.

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

    fn cut(self, from: usize, to: usize) -> Self {
        match self {
            Self::Base(s) => Self::Base(Span::new(s.start as usize + from, s.start as usize + to)),
            Self::Written { by, origin, .. } => {
                Self::Written { by, len: (to - from) as u32, origin }
            }
        }
    }
}

/// A part of what a splice writes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Part {
    /// New text.
    Text(String),
    /// What stands at a place of the input, with the other edits inside it.
    Copy(Span),
}

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
}

/// Writes splices into a text: gives the new text and its pieces.
///
/// A splice whose edit lies inside another splice is written where that one copies the place; in
/// bytes that are taken away without a copy it is not written. Work is linear in text and splices
/// (but for the sort), and nothing recurses.
pub fn render(text: &str, map: &PieceMap, splices: &mut [Placed<'_>]) -> Rendered {
    splices.sort_by_key(|s| (s.span.start, std::cmp::Reverse(s.span.end)));
    let splices = &*splices;
    let mut out = String::with_capacity(text.len() + 64);
    let mut pieces: Vec<Piece> = Vec::with_capacity(map.pieces.len() + 2 * splices.len());
    let mut tasks = vec![Task::Place { span: Span::new(0, text.len()), owner: None }];
    let mut replaced = Vec::new();
    let mut began = 0;
    while let Some(task) = tasks.pop() {
        match task {
            Task::Mark(_, true) => began = out.len(),
            Task::Mark(span, false) => replaced.push((span, out.len() - began)),
            Task::Text { by, origin, text } => {
                out.push_str(text);
                push(&mut pieces, Piece::Written { by, len: text.len() as u32, origin });
            }
            Task::Keep(span) => {
                out.push_str(span.of(text));
                map.slice(span).into_iter().for_each(|p| push(&mut pieces, p));
            }
            Task::Place { span, owner } => {
                let mut queue = Vec::new();
                place(splices, map, span, owner, &mut queue);
                tasks.extend(queue.into_iter().rev());
            }
        }
    }
    Rendered { text: out, pieces, replaced }
}

/// What [`render`] gives.
#[derive(Clone, Debug)]
pub struct Rendered {
    /// The new text.
    pub text: String,
    /// Where its bytes come from.
    pub pieces: Vec<Piece>,
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
    queue.extend(s.parts.iter().map(|p| match p {
        Part::Text(text) => Task::Text { by: s.by, origin, text },
        Part::Copy(span) => Task::Place { span: *span, owner: Some(s.by) },
    }));
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
        let Rendered { text: out, pieces, replaced } = render(
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
}
