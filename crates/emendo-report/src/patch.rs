//! Changes of files as a unified diff that version control can apply: the bytes as they are, moves and modes too.
//!
//! The form is that of git's extended headers (its manual, "Generating patch text with -p") around hunks of POSIX `diff -u`.

use std::io::{self, Write};

use emendo_core::FileChange;
use emendo_text::RelPath;
use similar::{Algorithm, DiffTag, capture_diff_slices, group_diff_ops};

/// Lines around a change.
const CONTEXT: usize = 3;

/// Writes the changes.
///
/// # Errors
/// What `out` gives.
pub fn patch(changes: &[FileChange], out: &mut impl Write) -> io::Result<()> {
    changes.iter().try_for_each(|c| file(c, out))
}

fn file(c: &FileChange, out: &mut impl Write) -> io::Result<()> {
    let Some(path) = c.path() else { return Ok(()) };
    let (from, to) = (c.from.as_ref().unwrap_or(path), c.to.as_ref().unwrap_or(path));
    writeln!(out, "diff --git {} {}", name("a/", from), name("b/", to))?;
    let mode = if c.executable { "100755" } else { "100644" };
    match (&c.from, &c.to) {
        (None, _) => writeln!(out, "new file mode {mode}")?,
        (_, None) => writeln!(out, "deleted file mode {mode}")?,
        (Some(_), Some(_)) if from != to => {
            writeln!(out, "similarity index {}%", alike(&c.before, &c.after))?;
            writeln!(out, "rename from {}", name("", from))?;
            writeln!(out, "rename to {}", name("", to))?;
        }
        _ => {}
    }
    if c.before == c.after {
        return Ok(());
    }
    let end = |p: &RelPath| if p.as_str().contains(' ') { "\t" } else { "" };
    match c.from {
        None => writeln!(out, "--- /dev/null")?,
        Some(_) => writeln!(out, "--- {}{}", name("a/", from), end(from))?,
    }
    match c.to {
        None => writeln!(out, "+++ /dev/null")?,
        Some(_) => writeln!(out, "+++ {}{}", name("b/", to), end(to))?,
    }
    hunks(&c.before, &c.after, out)
}

fn lines(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|b| *b == b'\n').collect()
}

fn hunks(before: &[u8], after: &[u8], out: &mut impl Write) -> io::Result<()> {
    let (old, new) = (lines(before), lines(after));
    let ops = capture_diff_slices(Algorithm::Myers, &old, &new);
    for group in group_diff_ops(ops, CONTEXT) {
        let (Some(first), Some(last)) = (group.first(), group.last()) else { continue };
        let range = |start: usize, end: usize| match end - start {
            1 => format!("{}", start + 1),
            0 => format!("{start},0"),
            n => format!("{},{n}", start + 1),
        };
        let old_range = range(first.old_range().start, last.old_range().end);
        let new_range = range(first.new_range().start, last.new_range().end);
        writeln!(out, "@@ -{old_range} +{new_range} @@")?;
        for op in &group {
            if op.tag() == DiffTag::Equal {
                op.old_range().try_for_each(|i| line(b' ', old[i], out))?;
                continue;
            }
            op.old_range().try_for_each(|i| line(b'-', old[i], out))?;
            op.new_range().try_for_each(|i| line(b'+', new[i], out))?;
        }
    }
    Ok(())
}

fn line(sign: u8, text: &[u8], out: &mut impl Write) -> io::Result<()> {
    out.write_all(&[sign])?;
    out.write_all(text)?;
    if text.ends_with(b"\n") { Ok(()) } else { out.write_all(b"\n\\ No newline at end of file\n") }
}

/// How much of two texts is the same, in percent: lines that stand in both.
fn alike(before: &[u8], after: &[u8]) -> usize {
    if before == after {
        return 100;
    }
    let (old, new) = (lines(before), lines(after));
    let ops = capture_diff_slices(Algorithm::Myers, &old, &new);
    let equal = ops.iter().filter(|op| op.tag() == DiffTag::Equal);
    let same: usize = equal.flat_map(|op| op.old_range()).map(|i| old[i].len()).sum();
    // All of it only where all of it is the same.
    (same * 100 / before.len().max(after.len()).max(1)).min(99)
}

/// A path as git writes it: in quotes, with escapes, where it holds what would be read as something else.
fn name(lead: &str, path: &RelPath) -> String {
    let text = format!("{lead}{path}");
    let odd = |b: &u8| *b < 0x20 || *b >= 0x7f || *b == b'"' || *b == b'\\';
    if !text.as_bytes().iter().any(odd) {
        return text;
    }
    let mut out = String::from("\"");
    for b in text.bytes() {
        match b {
            b'"' | b'\\' => out.extend(['\\', char::from(b)]),
            b'\t' => out.push_str("\\t"),
            b'\n' => out.push_str("\\n"),
            b'\r' => out.push_str("\\r"),
            b if odd(&b) => out.push_str(&format!("\\{b:03o}")),
            b => out.push(char::from(b)),
        }
    }
    out.push('"');
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn path(p: &str) -> Option<RelPath> {
        RelPath::new(p).ok()
    }

    fn of(change: FileChange) -> String {
        let mut out = Vec::new();
        patch(&[change], &mut out).expect("writes");
        String::from_utf8(out).expect("is UTF-8")
    }

    #[test]
    fn a_file_that_moves_and_changes_and_names_that_need_quotes() {
        let change = FileChange {
            from: path("a b.txt"),
            to: path("tidé.txt"),
            before: b"one\r\ntwo\nthree".to_vec(),
            after: b"one\r\n2\nthree".to_vec(),
            executable: false,
        };
        let expected = "diff --git a/a b.txt \"b/tid\\303\\251.txt\"\nsimilarity index 71%\nrename from a b.txt\n\
            rename to \"tid\\303\\251.txt\"\n--- a/a b.txt\t\n+++ \"b/tid\\303\\251.txt\"\n@@ -1,3 +1,3 @@\n one\r\n-two\n+2\n three\n\\ No newline at end of file\n";
        assert_eq!(of(change), expected);
    }

    #[test]
    fn new_files_and_gone_ones_say_their_mode() {
        let new = FileChange {
            from: None,
            to: path("n"),
            before: Vec::new(),
            after: b"x\n".to_vec(),
            executable: false,
        };
        assert_eq!(
            of(new),
            "diff --git a/n b/n\nnew file mode 100644\n--- /dev/null\n+++ b/n\n@@ -0,0 +1 @@\n+x\n"
        );
        let gone = FileChange {
            from: path("g"),
            to: None,
            before: b"x\n".to_vec(),
            after: Vec::new(),
            executable: true,
        };
        assert_eq!(
            of(gone),
            "diff --git a/g b/g\ndeleted file mode 100755\n--- a/g\n+++ /dev/null\n@@ -1 +0,0 @@\n-x\n"
        );
    }
}
