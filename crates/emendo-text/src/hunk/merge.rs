//! Puts two changed versions of one text together, line by line.

use std::ops::Range;

/// Changed lines of one version: which lines of the base they replace, and which of its own they are.
struct Change {
    base: Range<usize>,
    own: Range<usize>,
}

/// `ours`, with what `theirs` changed in `base` besides. Where both changed the same lines, or lines that touch, `ours` stands.
pub fn merge_lines(base: &[u8], ours: &[u8], theirs: &[u8]) -> Vec<u8> {
    if base == ours {
        return theirs.to_vec();
    }
    if base == theirs || ours == theirs {
        return ours.to_vec();
    }
    let (b, o, t) = (lines(base), lines(ours), lines(theirs));
    let (by_us, by_them) = (changes(&b, &o), changes(&b, &t));
    let mut out = Vec::with_capacity(ours.len() + theirs.len() / 8);
    let (mut at, mut i, mut j) = (0, 0, 0);
    loop {
        let first = match (by_us.get(i), by_them.get(j)) {
            (None, None) => break,
            (Some(us), Some(them)) => us.base.start.min(them.base.start),
            (Some(one), None) | (None, Some(one)) => one.base.start,
        };
        b[at..first].iter().for_each(|l| out.extend_from_slice(l));
        let (us, them) = (i, j);
        let mut end = first;
        // Changes of both that meet are one place.
        loop {
            let more = |all: &[Change], n: usize| {
                all.get(n).filter(|c| c.base.start <= end).map(|c| c.base.end)
            };
            if let Some(e) = more(&by_us, i) {
                (i, end) = (i + 1, end.max(e));
            } else if let Some(e) = more(&by_them, j) {
                (j, end) = (j + 1, end.max(e));
            } else {
                break;
            }
        }
        let (own, all, texts) = match us == i {
            true => (&by_them[them..j], first..end, &t),
            false => (&by_us[us..i], first..end, &o),
        };
        let range = stretched(own, all);
        texts[range].iter().for_each(|l| out.extend_from_slice(l));
        at = end;
    }
    b[at..].iter().for_each(|l| out.extend_from_slice(l));
    out
}

/// The lines of a version that stand for a range of the base which holds all these changes.
fn stretched(changes: &[Change], base: Range<usize>) -> Range<usize> {
    let (Some(first), Some(last)) = (changes.first(), changes.last()) else { return 0..0 };
    let before = first.base.start - base.start;
    let after = base.end - last.base.end;
    first.own.start - before..last.own.end + after
}

fn lines(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|b| *b == b'\n').collect()
}

fn changes(base: &[&[u8]], own: &[&[u8]]) -> Vec<Change> {
    let ops = similar::capture_diff_slices(similar::Algorithm::Myers, base, own);
    let changed = ops.into_iter().filter(|op| op.tag() != similar::DiffTag::Equal);
    changed.map(|op| Change { base: op.old_range(), own: op.new_range() }).collect()
}

#[cfg(test)]
mod tests {
    use super::merge_lines;

    fn merged(base: &str, ours: &str, theirs: &str) -> String {
        String::from_utf8(merge_lines(base.as_bytes(), ours.as_bytes(), theirs.as_bytes()))
            .expect("is UTF-8")
    }

    #[test]
    fn changes_apart_are_both_there_and_ours_stands_where_they_meet() {
        let base = "a\nb\nc\nd\ne\nf\n";
        assert_eq!(merged(base, "A\nb\nc\nd\ne\nf\n", "a\nb\nc\nd\nE\nf\n"), "A\nb\nc\nd\nE\nf\n");
        assert_eq!(merged(base, "a\nX\nc\nd\ne\nf\n", "a\nY\nc\nd\ne\nF\n"), "a\nX\nc\nd\ne\nF\n");
        assert_eq!(merged(base, "a\nb\nf\n", "a\nb\nc\nD\ne\nf\ng\n"), "a\nb\nf\ng\n");
        assert_eq!(merged(base, "n\na\nb\nc\nd\ne\nf\n", base), "n\na\nb\nc\nd\ne\nf\n");
        assert_eq!(merged(base, base, "a\n"), "a\n");
    }

    #[test]
    fn lines_that_came_on_both_sides_of_a_change_stand() {
        let (base, ours) = ("a\nb\nc\n", "1\na\nb\nc\n3\n");
        assert_eq!(merged(base, ours, "a\nB\nc\n"), "1\na\nB\nc\n3\n");
        assert_eq!(merged("a", "a\nb", "A"), "a\nb");
    }
}
