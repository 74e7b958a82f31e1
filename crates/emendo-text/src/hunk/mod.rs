//! Changed lines between an original and its pieces, each with the edits that changed it.

mod marks;
mod merge;

use serde::{Deserialize, Serialize};

pub use marks::{LineMark, line_marks};
pub use merge::merge_lines;

use crate::{Lines, Piece, Span};

/// What a line of a hunk is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum LineKind {
    /// Stands in both.
    Same,
    /// Only in the original.
    Removed,
    /// Only in the new text.
    Added,
}

/// One line of a hunk, without its line end.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct HunkLine {
    /// Same, removed or added.
    pub kind: LineKind,
    /// The line.
    pub text: String,
    /// True if the text ends here without a line end.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub unfinished: bool,
}

/// Changed lines that lie close together, with up to three lines around them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Hunk {
    /// First line in the original, from 1 (the line before, for an empty range).
    pub old_start: u32,
    /// Number of lines in the original.
    pub old_lines: u32,
    /// First line in the new text.
    pub new_start: u32,
    /// Number of lines in the new text.
    pub new_lines: u32,
    /// The edits that wrote or took away something here, as the indices in the pieces.
    pub by: Vec<u32>,
    /// The lines.
    pub lines: Vec<HunkLine>,
    /// The runs of changed lines among them, in order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub runs: Vec<ChangedRun>,
}

/// Changed lines that follow one another.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ChangedRun {
    /// The first of them, as an index into the lines of the hunk.
    pub from: u32,
    /// How many lines.
    pub lines: u32,
    /// The edits that changed exactly these, as the indices in the pieces.
    pub by: Vec<u32>,
}

const CONTEXT: usize = 3;

/// A changed range of whole lines in both texts, as line indices, and who changed it.
struct Change {
    old: (usize, usize),
    new: (usize, usize),
    by: Vec<u32>,
    /// The changes that it was put together from.
    places: Vec<PlaceChange>,
}

/// A change of one place, as line indices in both texts.
struct PlaceChange {
    old: (usize, usize),
    new: (usize, usize),
    by: Vec<u32>,
}

/// The hunks between `old` and the text `new` that `pieces` describe.
pub fn hunks(old: &str, new: &str, pieces: &[Piece]) -> Vec<Hunk> {
    let (ol, nl) = (Lines::new(old), Lines::new(new));
    let ranges = changed_ranges(old, pieces);
    let mut changes: Vec<Change> = Vec::new();
    for (o, n, by) in ranges {
        let change = whole_lines(o, n, by, &ol, &nl);
        match changes.last_mut() {
            Some(last) if change.old.0 < last.old.1 || change.new.0 < last.new.1 => {
                last.old.1 = last.old.1.max(change.old.1);
                last.new.1 = last.new.1.max(change.new.1);
                last.by.extend(change.by);
                last.places.extend(change.places);
            }
            _ => changes.push(change),
        }
    }
    let (old_lines, new_lines) = (split(old, &ol), split(new, &nl));
    let mut groups: Vec<Vec<Change>> = Vec::new();
    for change in changes {
        match groups.last_mut() {
            Some(group) if group.last().is_some_and(|l| change.old.0 <= l.old.1 + 2 * CONTEXT) => {
                group.push(change);
            }
            _ => groups.push(vec![change]),
        }
    }
    let hunks = groups.iter().map(|g| hunk(g, &old_lines, &new_lines));
    hunks.filter(|h| h.lines.iter().any(|l| l.kind != LineKind::Same)).collect()
}

/// The lines in which two texts differ, those that go before those that come.
pub fn changed_lines(old: &str, new: &str) -> Vec<HunkLine> {
    let (o, n): (Vec<&str>, Vec<&str>) = (old.lines().collect(), new.lines().collect());
    let mut out = Vec::new();
    compare(&o, &n, &mut out);
    removed_first(&mut out);
    out.retain(|l| l.kind != LineKind::Same);
    // The end of an excerpt is not the end of a file.
    out.iter_mut().for_each(|l| l.unfinished = false);
    out
}

/// Byte ranges in both texts that are not the same, from the pieces; bases out of order count as changed.
fn changed_ranges(old: &str, pieces: &[Piece]) -> Vec<(Span, Span, Vec<u32>)> {
    let mut out = Vec::new();
    let (mut old_at, mut new_at) = (0usize, 0usize);
    let mut open: Option<(usize, Vec<u32>)> = None;
    for (i, piece) in pieces.iter().enumerate() {
        match piece {
            Piece::Base(s) if s.start as usize >= old_at && in_order(pieces, i) => {
                let jump = s.start as usize > old_at;
                if open.is_some() || jump {
                    let (from, by) = open.take().unwrap_or((new_at, Vec::new()));
                    out.push((Span::new(old_at, s.start as usize), Span::new(from, new_at), by));
                }
                old_at = s.end as usize;
                new_at += s.len();
            }
            other => {
                let (_, by) = open.get_or_insert((new_at, Vec::new()));
                if let Piece::Written { by: who, .. } = other {
                    by.push(*who);
                }
                new_at += other.len();
            }
        }
    }
    if open.is_some() || old_at < old.len() {
        let (from, by) = open.unwrap_or((new_at, Vec::new()));
        out.push((Span::new(old_at, old.len()), Span::new(from, new_at), by));
    }
    out
}

/// False for a copied piece that would jump over bytes which come later: those are the ones in place.
fn in_order(pieces: &[Piece], i: usize) -> bool {
    let Piece::Base(here) = pieces[i] else { return false };
    let ahead = pieces[i + 1..].iter().take(64).filter_map(|p| match p {
        Piece::Base(s) => Some(*s),
        Piece::Written { .. } => None,
    });
    !ahead.into_iter().any(|s| s.end <= here.start && s.len() >= here.len())
}

fn whole_lines(o: Span, n: Span, by: Vec<u32>, ol: &Lines, nl: &Lines) -> Change {
    let lines = |s: Span, lines: &Lines| (lines.index(s.start), lines.index(s.end) + 1);
    let (old, new) = (lines(o, ol), lines(n, nl));
    let places = vec![PlaceChange { old, new, by: by.clone() }];
    Change { old, new, by, places }
}

fn split<'a>(text: &'a str, lines: &Lines) -> Vec<&'a str> {
    (0..lines.count())
        .map(|i| &text[lines.start(i, text.len())..lines.start(i + 1, text.len())])
        .collect()
}

fn hunk(group: &[Change], old: &[&str], new: &[&str]) -> Hunk {
    // The line after the last line end is empty and no line of its own.
    let count =
        |lines: &[&str]| lines.len() - usize::from(lines.last().is_some_and(|l| l.is_empty()));
    let (old_count, new_count) = (count(old), count(new));
    let first = &group[0];
    let before = first.old.0.min(first.new.0).min(CONTEXT);
    let (old_start, new_start) = (first.old.0 - before, first.new.0 - before);
    let mut out = Vec::new();
    let mut at = old_start;
    let mut by = Vec::new();
    let mut runs = Vec::new();
    for change in group {
        out.extend(old[at..change.old.0.min(old_count)].iter().map(|l| line(LineKind::Same, l)));
        let (old_end, new_end) = (change.old.1.min(old_count), change.new.1.min(new_count));
        let (old_from, new_from) = (change.old.0.min(old_end), change.new.0.min(new_end));
        let mut own = Vec::new();
        compare(&old[old_from..old_end], &new[new_from..new_end], &mut own);
        removed_first(&mut own);
        runs.extend(runs_of(&own, out.len(), change, (old_from, new_from)));
        out.append(&mut own);
        at = old_end;
        by.extend(change.by.iter().copied());
    }
    let after = (at + CONTEXT).min(old_count);
    out.extend(old[at.min(after)..after].iter().map(|l| line(LineKind::Same, l)));
    by.sort_unstable();
    by.dedup();
    trim(&mut out, (old_start, new_start), by, runs)
}

/// The runs of changed lines of a change, each with the edits whose lines it meets. `first`: where they begin in the hunk; `at`: in the texts.
fn runs_of(
    lines: &[HunkLine],
    first: usize,
    change: &Change,
    at: (usize, usize),
) -> Vec<ChangedRun> {
    let (mut old, mut new) = at;
    let meets = |a: (usize, usize), b: (usize, usize)| a.0 < b.1 && b.0 < a.1;
    let mut out = Vec::new();
    let mut from = first;
    for run in lines.chunk_by(|a, b| (a.kind == LineKind::Same) == (b.kind == LineKind::Same)) {
        let count = |not: LineKind| run.iter().filter(|l| l.kind != not).count();
        let (o, n) = ((old, old + count(LineKind::Added)), (new, new + count(LineKind::Removed)));
        (old, new) = (o.1, n.1);
        if run[0].kind != LineKind::Same {
            let here = change.places.iter().filter(|p| meets(p.old, o) || meets(p.new, n));
            let mut by: Vec<u32> = here.flat_map(|p| p.by.iter().copied()).collect();
            by.sort_unstable();
            by.dedup();
            out.push(ChangedRun { from: from as u32, lines: run.len() as u32, by });
        }
        from += run.len();
    }
    out
}

/// Lines above which a changed region is shown as it is, without looking for equal lines inside: that takes time
/// that grows with the square of the differences.
const MAX_COMPARED: usize = 2000;

fn compare(o: &[&str], n: &[&str], out: &mut Vec<HunkLine>) {
    if o.len() + n.len() > MAX_COMPARED {
        out.extend(o.iter().map(|l| line(LineKind::Removed, l)));
        out.extend(n.iter().map(|l| line(LineKind::Added, l)));
        return;
    }
    for op in similar::capture_diff_slices(similar::Algorithm::Myers, o, n) {
        let (tag, or, nr) = op.as_tag_tuple();
        if tag == similar::DiffTag::Equal {
            out.extend(o[or].iter().map(|l| line(LineKind::Same, l)));
        } else {
            out.extend(o[or].iter().map(|l| line(LineKind::Removed, l)));
            out.extend(n[nr].iter().map(|l| line(LineKind::Added, l)));
        }
    }
}

/// Puts the removed lines of each changed run before its added ones, as people expect to read them.
fn removed_first(lines: &mut [HunkLine]) {
    for run in lines.chunk_by_mut(|a, b| a.kind != LineKind::Same && b.kind != LineKind::Same) {
        run.sort_by_key(|l| l.kind == LineKind::Added);
    }
}

/// Cuts unchanged lines at the ends to the usual context and counts.
fn trim(
    lines: &mut Vec<HunkLine>,
    (mut old_start, mut new_start): (usize, usize),
    by: Vec<u32>,
    mut runs: Vec<ChangedRun>,
) -> Hunk {
    let same = |l: &&HunkLine| l.kind == LineKind::Same;
    let lead = lines.iter().take_while(same).count().saturating_sub(CONTEXT);
    if lead < lines.len() {
        lines.drain(..lead);
        old_start += lead;
        new_start += lead;
        runs.iter_mut().for_each(|r| r.from -= lead as u32);
    }
    let tail = lines.iter().rev().take_while(same).count().saturating_sub(CONTEXT);
    lines.truncate(lines.len() - tail);
    let count = |not: LineKind| lines.iter().filter(|l| l.kind != not).count() as u32;
    let (old_lines, new_lines) = (count(LineKind::Added), count(LineKind::Removed));
    let first = |start: usize, n: u32| start as u32 + u32::from(n > 0);
    Hunk {
        old_start: first(old_start, old_lines),
        old_lines,
        new_start: first(new_start, new_lines),
        new_lines,
        by,
        lines: std::mem::take(lines),
        runs,
    }
}

fn line(kind: LineKind, text: &str) -> HunkLine {
    let body = text.trim_end_matches(['\n', '\r']);
    HunkLine { kind, text: body.to_owned(), unfinished: body.len() == text.len() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Part, PieceMap, Placed, Rendered, render};

    #[test]
    fn a_changed_line_shows_three_lines_around_and_its_edit() {
        let old: String = (1..=20).map(|i| format!("line {i}\n")).collect();
        let at = old.find("line 10").expect("there");
        let parts = [Part::Text("LINE".into())];
        let span = Span::new(at, at + 4);
        let map = PieceMap::new(Piece::whole(&old));
        let Rendered { text: new, pieces, .. } = render(
            &old,
            &map,
            &mut [Placed { by: 3, span, hull: span, inner: false, parts: &parts }],
        );
        let hunks = hunks(&old, &new, &pieces);
        assert_eq!(hunks.len(), 1);
        let h = &hunks[0];
        assert_eq!((h.old_start, h.old_lines, h.new_start, h.new_lines), (7, 7, 7, 7));
        assert_eq!(h.by, vec![3]);
        assert_eq!(h.runs, vec![ChangedRun { from: 3, lines: 2, by: vec![3] }]);
        assert_eq!(h.lines.iter().filter(|l| l.kind == LineKind::Added).count(), 1);
    }

    #[test]
    fn taken_away_lines_and_a_missing_final_newline() {
        let old = "a\nb\nc";
        let span = Span::new(2, 4);
        let map = PieceMap::new(Piece::whole(old));
        let Rendered { text: new, pieces, .. } =
            render(old, &map, &mut [Placed { by: 0, span, hull: span, inner: false, parts: &[] }]);
        assert_eq!(new, "a\nc");
        let h = &hunks(old, &new, &pieces)[0];
        assert_eq!((h.old_start, h.old_lines, h.new_start, h.new_lines), (1, 3, 1, 2));
        assert!(h.lines.last().is_some_and(|l| l.unfinished));
    }
}
