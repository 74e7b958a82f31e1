//! Does what is written for sure stand in the result that is expected?

use std::ops::Range;

use similar::{Algorithm, DiffOp, capture_diff_slices};

/// The words of a text, and what stands between them sign by sign.
fn words(text: &str) -> Vec<&str> {
    let mut out = Vec::new();
    let mut from = 0;
    for (i, c) in text.char_indices() {
        if !(c.is_alphanumeric() || c == '_') {
            out.push(&text[from..i]);
            out.push(&text[i..i + c.len_utf8()]);
            from = i + c.len_utf8();
        }
    }
    out.push(&text[from..]);
    out.retain(|w| !w.is_empty());
    out
}

/// The words of the second text that the first has not, and those of the first that the second has not.
fn changed(first: &[&str], second: &[&str]) -> (Vec<Range<usize>>, Vec<Range<usize>>) {
    let ops = capture_diff_slices(Algorithm::Patience, first, second);
    let ops = || ops.iter().filter(|op| !matches!(op, DiffOp::Equal { .. }));
    let some = |r: Range<usize>, of: &[&str]| {
        let blank = of[r.clone()].iter().all(|w| w.trim().is_empty());
        (!blank).then_some(r)
    };
    let new = ops().filter_map(|op| some(op.new_range(), second)).collect();
    let gone = ops().filter_map(|op| some(op.old_range(), first)).collect();
    (new, gone)
}

/// A text without its imports: how they are put together depends on all that is written.
fn body(text: &str) -> String {
    let imports = ["use ", "import ", "from ", "using ", "export {"];
    let kept = |l: &&str| !imports.iter().any(|i| l.trim_start().starts_with(i));
    text.split_inclusive('\n').filter(kept).collect()
}

/// Words that were written over `before` and are not in `after`; `written` is `before` with only the sure edits made.
pub fn unexpected(before: &str, written: &str, after: &str) -> Vec<String> {
    let (before, written, after) = (body(before), body(written), body(after));
    let (before, written, after) = (words(&before), words(&written), words(&after));
    let (own, _) = changed(&before, &written);
    let (_, gone) = changed(&written, &after);
    let lost = |i: &usize| gone.iter().any(|g| g.contains(i));
    let lost = own.into_iter().flatten().filter(lost).map(|i| written[i].to_owned());
    lost.filter(|w| !w.trim().is_empty()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_taken_back_is_unexpected() {
        let before = "a.open(1);\nb.open(2);\n";
        let after = "a.start(1);\nb.begin(2);\n";
        assert!(unexpected(before, "a.start(1);\nb.open(2);\n", after).is_empty());
        assert!(unexpected(before, before, after).is_empty());
        assert_eq!(unexpected(before, "a.start(1);\nb.start(2);\n", after), ["start"]);
        assert_eq!(
            unexpected(before, "a.start(1);\nb.open(3);\n", "a.start(1);\nb.open(2);\n"),
            ["3"]
        );
    }
}
