//! Where the lines of one text stand in another version of it.

/// Lines of a text, and where each stands in a later one.
#[derive(Clone, Debug, Default)]
pub struct LineMap {
    /// Runs of equal lines: where they begin, from 0, in both, and how many.
    same: Vec<(usize, usize, usize)>,
}

impl LineMap {
    /// Compares two texts.
    pub fn between(before: &[u8], after: &[u8]) -> Self {
        if before == after {
            return Self { same: vec![(0, 0, usize::MAX)] };
        }
        let lines = |t: &'_ [u8]| t.split(|b| *b == b'\n').map(<[u8]>::to_vec).collect::<Vec<_>>();
        let (old, new) = (lines(before), lines(after));
        let ops = similar::capture_diff_slices(similar::Algorithm::Myers, &old, &new);
        let same = ops.iter().filter(|op| op.tag() == similar::DiffTag::Equal);
        Self {
            same: same
                .map(|op| (op.old_range().start, op.new_range().start, op.old_range().len()))
                .collect(),
        }
    }

    /// Where a line stands, both from 1; one that changed stands where the line before it leaves off.
    pub fn at(&self, line: u32) -> u32 {
        let at = line.saturating_sub(1) as usize;
        let n = self.same.partition_point(|(old, ..)| *old <= at);
        let Some((old, new, len)) = n.checked_sub(1).and_then(|n| self.same.get(n)) else {
            return line;
        };
        let to = if at - old < *len { new + (at - old) } else { new + len };
        u32::try_from(to + 1).unwrap_or(line)
    }
}

#[cfg(test)]
mod tests {
    use super::LineMap;

    #[test]
    fn lines_move_with_what_comes_before_them() {
        let map = LineMap::between(b"a\nb\nc\nd\n", b"a\nX\nY\nb\nd\n");
        assert_eq!([1, 2, 3, 4].map(|l| map.at(l)), [1, 4, 5, 5]);
        assert_eq!(LineMap::between(b"a\n", b"a\n").at(7), 7);
    }
}
