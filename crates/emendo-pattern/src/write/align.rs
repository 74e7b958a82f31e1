//! Which tokens of the old code stay where they are, and how little of a change is left then.

use emendo_text::{Part, Splice};

use crate::model::Key;
use crate::write::token::{NewToken, OldToken};

/// Drops what is equal at both ends of a splice and the file.
pub(super) fn shrink(mut s: Splice, text: &str) -> Splice {
    if let Some(Part::Text(first)) = s.parts.first_mut() {
        let old = s.span.of(text);
        let same: usize = first
            .chars()
            .zip(old.chars())
            .take_while(|(a, b)| a == b)
            .map(|(a, _)| a.len_utf8())
            .sum();
        // Words are never cut in two.
        let same = word_edge(old, first, same);
        first.replace_range(..same, "");
        s.span.start += same as u32;
        if first.is_empty() {
            s.parts.remove(0);
        }
    }
    if let Some(Part::Text(last)) = s.parts.last_mut() {
        let old = s.span.of(text);
        let same: usize = last
            .chars()
            .rev()
            .zip(old.chars().rev())
            .take_while(|(a, b)| a == b)
            .map(|(a, _)| a.len_utf8())
            .sum();
        let word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
        let mut same = same;
        while same > 0 {
            let inside = word(last[last.len() - same..].chars().next());
            let cut = inside
                && (word(last[..last.len() - same].chars().next_back())
                    || word(old[..old.len() - same].chars().next_back()));
            if !cut {
                break;
            }
            same -= last[last.len() - same..].chars().next().map_or(1, char::len_utf8);
        }
        last.truncate(last.len() - same);
        s.span.end -= same as u32;
        if last.is_empty() {
            s.parts.pop();
        }
    }
    s
}

fn word_edge(a: &str, b: &str, mut same: usize) -> usize {
    let word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    while same > 0 {
        let inside = word(a[..same].chars().next_back());
        if !(inside && (word(a[same..].chars().next()) || word(b[same..].chars().next()))) {
            break;
        }
        same -= a[..same].chars().next_back().map_or(1, char::len_utf8);
    }
    same
}

/// The pairs of tokens that stand in both, in order; slots weigh most, then names, then the rest.
pub(super) fn align(old: &[OldToken], new: &[NewToken]) -> Vec<(usize, usize)> {
    let weight = |k: &Key| match k {
        Key::Slot(..) => 16,
        Key::Name { .. } => 6,
        Key::Text(t) if t.starts_with(char::is_alphanumeric) => 4,
        Key::Literal(..) | Key::Part(_) => 4,
        Key::Text(_) | Key::Quote(..) => 2,
    };
    let same = |a: &Key, b: &Key| match (a, b) {
        // A symbol that the run renames is one under both its names.
        (Key::Name { symbol: a, also: x, .. }, Key::Name { symbol: b, also: y, .. }) => {
            a == b || x.contains(b) || y.contains(a)
        }
        (a, b) => a == b,
    };
    let (n, m) = (old.len(), new.len());
    let mut best = vec![vec![0u32; m + 1]; n + 1];
    for i in (0..n).rev() {
        for j in (0..m).rev() {
            let skip = best[i + 1][j].max(best[i][j + 1]);
            let take = if same(&old[i].key, &new[j].key) {
                best[i + 1][j + 1] + weight(&old[i].key)
            } else {
                0
            };
            best[i][j] = skip.max(take);
        }
    }
    let mut out = Vec::new();
    let (mut i, mut j) = (0, 0);
    while i < n && j < m {
        let take = same(&old[i].key, &new[j].key)
            && best[i][j] == best[i + 1][j + 1] + weight(&old[i].key);
        if take {
            out.push((i, j));
            i += 1;
            j += 1;
        } else if best[i][j + 1] == best[i + 1][j]
            && !new[j..].iter().any(|n| same(&old[i].key, &n.key))
        {
            // What is not in `new` at all must not push the tokens after it away from their partners.
            i += 1;
        } else if best[i][j + 1] >= best[i + 1][j] {
            // Of equally good alignments the one that keeps what stands first in the file.
            j += 1;
        } else {
            i += 1;
        }
    }
    out
}
