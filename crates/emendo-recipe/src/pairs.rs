//! Many old and new names at once: `pairs` and `table`.

use emendo_text::{Diagnostic, Span};

use crate::model::{Action, Source};
use crate::value::{Text, Value};

/// One old with its new.
#[derive(Clone, Debug)]
pub struct Pair {
    /// The old name or pattern.
    pub old: Text,
    /// The new one; without it the pair is a note.
    pub new: Option<Text>,
    /// What to say to the reviewer.
    pub advice: Option<String>,
    /// Its line in a table, from 1.
    pub line: Option<u64>,
}

/// What a column of advice may be called.
const ADVICE: [&str; 7] = ["advice", "notes", "note", "comments", "comment", "remarks", "remark"];

/// Rows allowed in a table.
const MAX_ROWS: usize = 200_000;

/// The pairs of an action: `old` and `new`, `pairs`, and `table`, with `base` before each; `joint` says what stands
/// between a base and what is below it.
pub fn pairs(
    action: &Action,
    source: &Source,
    joint: &dyn Fn(&str) -> &'static str,
    out: &mut Vec<Diagnostic>,
) -> Vec<Pair> {
    let from = out.len();
    let found = gather(action, source, joint, out);
    Diagnostic::all_about(&mut out[from..], "table");
    found
}

fn gather(
    action: &Action,
    source: &Source,
    joint: &dyn Fn(&str) -> &'static str,
    out: &mut Vec<Diagnostic>,
) -> Vec<Pair> {
    let table = &action.table;
    let mut found: Vec<Pair> = Vec::new();
    if let Some(old) = table.text("old") {
        found.push(Pair {
            old: old.clone(),
            new: table.text("new").cloned(),
            advice: None,
            line: None,
        });
    }
    if let Some(Value::List(rows)) = table.get("pairs").map(|n| &n.value) {
        found.extend(rows.iter().filter_map(|row| from_list(row.span, &row.value, out)));
    }
    if let Some(path) = table.text("table") {
        found.extend(from_csv(path, source, out));
    }
    let base = |key: &str| match table.get("base").map(|n| &n.value) {
        Some(Value::Text(t)) => Some(t.text.clone()),
        Some(Value::Table(t)) => t.text(key).map(|t| t.text.clone()),
        _ => None,
    };
    for (key, pick) in [("old", 0), ("new", 1)] {
        let Some(base) = base(key) else { continue };
        for p in &mut found {
            let side = if pick == 0 { Some(&mut p.old) } else { p.new.as_mut() };
            if let Some(t) = side {
                *t = Text::derived(format!("{base}{}{}", joint(&base), t.text), t.span);
            }
        }
    }
    contradictions(&found, table.text("table"), out);
    found
}

fn from_list(span: Span, row: &Value, out: &mut Vec<Diagnostic>) -> Option<Pair> {
    let help = "a pair is [\"old\", \"new\"] or [\"old\", \"new\", \"advice\"]";
    let Value::List(cells) = row else {
        out.push(Diagnostic::error("this is not a pair", span).help(help));
        return None;
    };
    let texts: Vec<&Text> = cells
        .iter()
        .filter_map(|c| match &c.value {
            Value::Text(t) => Some(t),
            _ => None,
        })
        .collect();
    if texts.len() != cells.len() || !(2..=3).contains(&texts.len()) {
        out.push(Diagnostic::error("this is not a pair", span).help(help));
        return None;
    }
    let new = (!texts[1].text.is_empty()).then(|| texts[1].clone());
    Some(Pair {
        old: texts[0].clone(),
        new,
        advice: texts.get(2).map(|t| t.text.clone()),
        line: None,
    })
}

fn from_csv(path: &Text, source: &Source, out: &mut Vec<Diagnostic>) -> Vec<Pair> {
    let fail = |message: String| Diagnostic::error(message, path.span);
    let inside = emendo_text::RelPath::new(&path.text);
    let Ok(rel) = inside else {
        let help = "a table lies in the recipe's own folder: a relative path without `..`";
        out.push(fail(format!("`{}` is not a file of the recipe's folder", path.text)).help(help));
        return Vec::new();
    };
    let bytes = match source.file(&rel) {
        Ok(bytes) => bytes,
        Err(e) => {
            let d = fail(format!("cannot read the table `{}`: {e}", path.text));
            out.push(d.help("it is looked for beside the recipe, as CSV: old, new, advice"));
            return Vec::new();
        }
    };
    let Ok(text) = emendo_text::Text::decode(&bytes) else {
        let d = fail(format!("the table `{}` is not text", path.text));
        out.push(d.help("export it as CSV in UTF-8"));
        return Vec::new();
    };
    let faults = out.len();
    let rows = rows_of(path, text.as_str(), out);
    if rows.is_empty() && out.len() == faults {
        let d = fail(format!("the table `{}` has no rows", path.text));
        out.push(d.help("write a row for each old name: old, new, advice"));
    }
    rows
}

/// The rows of a table that lies anywhere, with what is wrong with it.
pub fn read_table(name: &str, bytes: &[u8]) -> (Vec<Pair>, Vec<Diagnostic>) {
    let mut out = Vec::new();
    let path = Text::derived(name.to_owned(), Span::at(0));
    let rows = match emendo_text::Text::decode(bytes) {
        Ok(text) => rows_of(&path, text.as_str(), &mut out),
        Err(_) => {
            let d = Diagnostic::error(format!("the table `{name}` is not text"), Span::at(0));
            out.push(d.help("export it as CSV in UTF-8"));
            Vec::new()
        }
    };
    contradictions(&rows, Some(&path), &mut out);
    (rows, out)
}

/// The rows of a table, whatever divides its columns.
fn rows_of(path: &Text, text: &str, out: &mut Vec<Diagnostic>) -> Vec<Pair> {
    let fail = |message: String| Diagnostic::error(message, path.span);
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter(text))
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let mut columns = [Some(0), Some(1), Some(2)];
    let mut rows: Vec<Pair> = Vec::new();
    let mut first = true;
    let lines = emendo_text::Lines::new(text);
    for record in reader.records() {
        let record = match record {
            Ok(r) => r,
            Err(e) => {
                out.push(fail(format!("the table `{}`: {e}", path.text)));
                break;
            }
        };
        // A record is said to begin where the one before ends, line end included.
        let at = record.position().map_or(0, |p| p.byte() as usize).min(text.len());
        let rest = text.get(at..).unwrap_or("");
        let at = at + rest.len() - rest.trim_start_matches(['\r', '\n']).len();
        let line = lines.line(at as u32).into();
        if record.iter().all(str::is_empty) {
            continue;
        }
        if std::mem::take(&mut first) {
            let begins = |c: &str, word: &str| {
                c.get(..word.len()).is_some_and(|head| head.eq_ignore_ascii_case(word))
                    && !c[word.len()..]
                        .starts_with(|c: char| c.is_alphanumeric() || ".:_/".contains(c))
            };
            let find = |name: &str| record.iter().position(|c| begins(c, name));
            if let Some(old) = find("old") {
                columns = [Some(old), find("new"), ADVICE.iter().find_map(|w| find(w))];
                continue;
            }
            // Words in plain language are not names: `Version 2, Version 3`.
            let words = |c: &str| {
                c.contains(' ') && c.chars().all(|c| c.is_alphanumeric() || " .-".contains(c))
            };
            // So is a column that is called what advice is called.
            let third = record.get(2).is_some_and(|c| ADVICE.iter().any(|w| begins(c, w)));
            if third || record.iter().take(2).all(words) {
                let message = format!("line {line} of `{}` is taken for a header", path.text);
                let d = Diagnostic::warning(message, path.span);
                out.push(d.help("call the columns old, new and advice, or leave the line out"));
                continue;
            }
        }
        if rows.len() >= MAX_ROWS {
            out.push(fail(format!("the table `{}` has more than {MAX_ROWS} rows", path.text)));
            break;
        }
        let cell = |n: usize| columns[n].and_then(|c| record.get(c)).filter(|c| !c.is_empty());
        let Some(old) = cell(0) else {
            let message = format!("line {line} of `{}` has no old name", path.text);
            let d = Diagnostic::warning(message, path.span);
            out.push(d.help("the row is passed over; the columns are old, new, advice, by the header or by position"));
            continue;
        };
        let at = |t: &str| Text::derived(t.to_owned(), path.span);
        let (new, advice) = (cell(1).map(at), cell(2).map(str::to_owned));
        rows.push(Pair { old: at(old), new, advice, line: Some(line) });
    }
    rows
}

/// What divides columns: the sign that the first line with any holds most often, outside of quotes.
fn delimiter(text: &str) -> u8 {
    let mut quoted = false;
    let mut counts = [(b',', 0_usize), (b';', 0), (b'\t', 0)];
    for c in text.chars() {
        match c {
            '"' => quoted = !quoted,
            '\n' if counts.iter().any(|c| c.1 > 0) => break,
            c if !quoted => {
                for (sign, n) in &mut counts {
                    *n += usize::from(char::from(*sign) == c);
                }
            }
            _ => {}
        }
    }
    // Of equals the first: a comma.
    counts.iter().rev().max_by_key(|c| c.1).map_or(b',', |c| c.0)
}

/// Equal `old` with another `new` is an error, and said twice it is worth knowing.
fn contradictions(found: &[Pair], table: Option<&Text>, out: &mut Vec<Diagnostic>) {
    let mut seen: std::collections::HashMap<&str, &Pair> = std::collections::HashMap::new();
    let place = |p: &Pair| match (p.line, table) {
        (Some(line), Some(t)) => format!(" (line {line} of `{}`)", t.text),
        _ => String::new(),
    };
    for p in found {
        let new = |p: &Pair| p.new.as_ref().map(|t| t.text.clone());
        let Some(first) = seen.get(p.old.text.as_str()).copied() else {
            seen.insert(&p.old.text, p);
            continue;
        };
        let d = if new(first) == new(p) {
            let message = format!("`{}` is said twice{}{}", p.old.text, place(first), place(p));
            Diagnostic::warning(message, p.old.span)
        } else {
            let say = |p: &Pair| new(p).map_or("a note".to_owned(), |n| format!("`{n}`"));
            let (a, b) = (say(first) + &place(first), say(p) + &place(p));
            Diagnostic::error(format!("`{}` becomes both {a} and {b}", p.old.text), p.old.span)
        };
        let d = if p.line.is_none() { d.also(first.old.span, "first said here") } else { d };
        out.push(d.help("keep one of the two rows"));
    }
}
