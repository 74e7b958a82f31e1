//! A report as a page: one file that asks for nothing from anywhere. The report stands in it as the value that `--as json` gives, and a script
//! draws it; the page's policy allows that script and those styles and nothing else.

use std::collections::HashMap;

use emendo_text::{Hunk, LineKind, Lines, Span, Text, visible};
use serde_json::{Value, json};
use sha2::{Digest as _, Sha256};

use crate::json;
use crate::model::{Report, ReportRun};
use crate::words::{Class, classes};

const FRAME: &str = include_str!("page.html");
const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// What a page does not show of an edit: it has the lines.
const NOT_SHOWN: &[&str] = &[
    "seal",
    "shape",
    "weak",
    "before",
    "after",
    "with_inner",
    "parents",
    "provides",
    "needs",
    "origin",
];

/// The page.
pub fn page(report: &Report<'_>) -> String {
    let mut value = json::report(report);
    for (run, at) in report.applied.iter().zip(0..) {
        run_of(&mut value["applied"][at], run, report);
    }
    if let Some(run) = &report.proposed {
        run_of(&mut value["proposal"], run, report);
    }
    let title = report.runs().next().and_then(|r| r.proposal.header.recipes.first());
    let title = title.map_or(report.project.as_str(), |r| r.title.as_str());
    let parts = [
        ("@title@", escaped(&visible(title))),
        ("@style-hash@", hash(STYLE)),
        ("@script-hash@", hash(SCRIPT)),
        ("@style@", STYLE.to_owned()),
        ("@script@", SCRIPT.to_owned()),
        ("@data@", data(&value)),
    ];
    let mut out =
        String::with_capacity(FRAME.len() + parts.iter().map(|p| p.1.len()).sum::<usize>());
    let mut rest = FRAME;
    while let Some(at) = rest.find('@') {
        let (before, after) = rest.split_at(at);
        out.push_str(before);
        match parts.iter().find(|(name, _)| after.starts_with(name)) {
            Some((name, text)) => {
                out.push_str(text);
                rest = &after[name.len()..];
            }
            None => {
                out.push('@');
                rest = &after[1..];
            }
        }
    }
    out + rest
}

/// A value that may stand inside a script element: nothing in it can end that.
fn data(value: &Value) -> String {
    let text = value.to_string();
    text.replace('<', "\\u003c").replace('\u{2028}', "\\u2028").replace('\u{2029}', "\\u2029")
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// The source that the policy allows: the digest of a text, as the standard for such policies writes it.
fn hash(text: &str) -> String {
    const SIGNS: &[u8; 64] = b"ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    let digest = Sha256::digest(text.as_bytes());
    let mut out = String::new();
    for three in digest.chunks(3) {
        let bits =
            three.iter().fold(0_u32, |n, b| n << 8 | u32::from(*b)) << (8 * (3 - three.len()));
        for i in 0..4 {
            let sign = SIGNS[(bits >> (18 - 6 * i)) as usize & 63];
            out.push(if i <= three.len() { char::from(sign) } else { '=' });
        }
    }
    out
}

/// Adds to the lines of a run what is drawn of them: the words that have a colour, and the parts that edits changed.
fn run_of(value: &mut Value, run: &ReportRun<'_>, report: &Report<'_>) {
    let Some(files) = value["files"].as_array_mut() else { return };
    for ((value, file), outcome) in files.iter_mut().zip(&run.proposal.files).zip(run.outcomes) {
        for edit in value["edits"].as_array_mut().into_iter().flatten() {
            if let Value::Object(map) = edit {
                NOT_SHOWN.iter().for_each(|key| drop(map.remove(*key)));
            }
        }
        if file.hunks.is_empty() {
            continue;
        }
        let sides =
            [(outcome.from.as_ref(), &outcome.before), (outcome.to.as_ref(), &outcome.after)];
        let sides = sides.map(|(path, bytes)| {
            let text = Text::decode(bytes).map(|t| t.as_str().to_owned()).unwrap_or_default();
            let words = path.map_or(Vec::new(), |p| classes(report.world, p, &text));
            Side { lines: Lines::new(&text), words, text }
        });
        let mut marks = Marks::new();
        for m in &file.marks {
            marks.entry((m.new, m.line)).or_default().push((m.from as usize, m.to as usize));
        }
        for (value, hunk) in value["hunks"].as_array_mut().into_iter().flatten().zip(&file.hunks) {
            lines_of(value, hunk, &marks, &sides);
        }
    }
}

/// The parts of lines that edits changed, in bytes: by whether they stand in the new text, and the line.
type Marks = HashMap<(bool, u32), Vec<(usize, usize)>>;

/// A text with its words.
struct Side {
    text: String,
    lines: Lines,
    words: Vec<(Span, Class)>,
}

impl Side {
    /// Where a line stands, from 1.
    fn line(&self, line: u32) -> Span {
        let i = line.saturating_sub(1) as usize;
        Span::new(self.lines.start(i, self.text.len()), self.lines.start(i + 1, self.text.len()))
    }

    fn words(&self, line: u32, shown: &str) -> Vec<Value> {
        let span = self.line(line);
        let from = self.words.partition_point(|(s, _)| s.end <= span.start);
        let here = self.words[from..].iter().take_while(|(s, _)| s.start < span.end);
        let cut = |at: u32| (at.clamp(span.start, span.end) - span.start) as usize;
        let word = |(s, class): &(Span, Class)| {
            let (from, to) = (units(shown, cut(s.start)), units(shown, cut(s.end)));
            json!([from, to, letter(*class)])
        };
        here.map(word).collect()
    }
}

/// Units of UTF-16 before a byte, as scripts count.
fn units(text: &str, at: usize) -> usize {
    let at = at.min(text.len());
    text.get(..at).map_or(at, |t| t.encode_utf16().count())
}

fn letter(class: Class) -> &'static str {
    match class {
        Class::Comment => "c",
        Class::Text => "t",
        Class::Number => "n",
        Class::Keyword => "k",
        Class::Key => "y",
    }
}

fn lines_of(value: &mut Value, hunk: &Hunk, marks: &Marks, [before, after]: &[Side; 2]) {
    let Some(lines) = value["lines"].as_array_mut() else { return };
    let (mut old, mut new) = (hunk.old_start.max(1), hunk.new_start.max(1));
    for (value, line) in lines.iter_mut().zip(&hunk.lines) {
        let removed = line.kind == LineKind::Removed;
        let words = match removed {
            true => before.words(old, &line.text),
            false => after.words(new, &line.text),
        };
        if !words.is_empty() {
            value["words"] = json!(words);
        }
        if line.kind != LineKind::Same {
            let number = if removed { old } else { new };
            let here = marks.get(&(!removed, number)).into_iter().flatten();
            let mut marks: Vec<[usize; 2]> =
                here.map(|(from, to)| [units(&line.text, *from), units(&line.text, *to)]).collect();
            marks.sort_unstable();
            // A line that is new as a whole has no part that is newer than the rest.
            let whole =
                marks.iter().any(|m| m[0] == 0 && m[1] >= units(&line.text, line.text.len()));
            if !marks.is_empty() && !whole {
                value["marks"] = json!(marks);
            }
        }
        old += u32::from(line.kind != LineKind::Added);
        new += u32::from(line.kind != LineKind::Removed);
    }
}

#[cfg(test)]
mod tests {
    #[test]
    fn digests_are_as_policies_write_them() {
        // The digest of the empty text, known from the standard that defines it.
        assert_eq!(super::hash(""), "47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=");
    }

    #[test]
    fn nothing_ends_the_data() {
        let value = serde_json::json!({ "text": "</script><!-- \u{2028}" });
        let text = super::data(&value);
        assert!(!text.contains('<') && !text.contains('\u{2028}'));
        assert_eq!(serde_json::from_str::<serde_json::Value>(&text).ok(), Some(value));
    }
}
