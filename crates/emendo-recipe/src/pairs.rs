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
}

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
    let table = &action.table;
    let mut found: Vec<Pair> = Vec::new();
    if let Some(old) = table.text("old") {
        found.push(Pair { old: old.clone(), new: table.text("new").cloned(), advice: None });
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
    contradictions(&found, out);
    found
}

fn from_list(span: Span, row: &Value, out: &mut Vec<Diagnostic>) -> Option<Pair> {
    let help = "a pair is [\"old\", \"new\"] or [\"old\", \"new\", \"advice\"]";
    let Value::List(cells) = row else {
        out.push(Diagnostic::error("this is no pair", span).help(help));
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
        out.push(Diagnostic::error("this is no pair", span).help(help));
        return None;
    }
    let new = (!texts[1].text.is_empty()).then(|| texts[1].clone());
    Some(Pair { old: texts[0].clone(), new, advice: texts.get(2).map(|t| t.text.clone()) })
}

fn from_csv(path: &Text, source: &Source, out: &mut Vec<Diagnostic>) -> Vec<Pair> {
    let fail = |message: String| Diagnostic::error(message, path.span);
    let inside = emendo_text::RelPath::new(&path.text);
    let Ok(rel) = inside else {
        let help = "a table lies in the recipe's own folder: a relative path without `..`";
        out.push(fail(format!("`{}` is no file of the recipe's folder", path.text)).help(help));
        return Vec::new();
    };
    let bytes = match source.file(&rel) {
        Ok(bytes) => bytes,
        Err(e) => {
            out.push(fail(format!("cannot read the table `{}`: {e}", path.text)));
            return Vec::new();
        }
    };
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes);
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(bytes);
    let mut columns = [Some(0), Some(1), Some(2)];
    let mut rows = Vec::new();
    for (i, record) in reader.records().enumerate() {
        let record = match record {
            Ok(r) => r,
            Err(e) => {
                out.push(fail(format!("the table `{}`: {e}", path.text)));
                break;
            }
        };
        if i == 0 && record.iter().any(|c| c.eq_ignore_ascii_case("old")) {
            let find = |name: &str| record.iter().position(|c| c.eq_ignore_ascii_case(name));
            columns = [find("old"), find("new"), find("advice")];
            continue;
        }
        if rows.len() >= MAX_ROWS {
            out.push(fail(format!("the table `{}` has more than {MAX_ROWS} rows", path.text)));
            break;
        }
        let cell = |n: usize| columns[n].and_then(|c| record.get(c)).filter(|c| !c.is_empty());
        let Some(old) = cell(0) else { continue };
        let at = |t: &str| Text::derived(t.to_owned(), path.span);
        rows.push(Pair { old: at(old), new: cell(1).map(at), advice: cell(2).map(str::to_owned) });
    }
    rows
}

/// Equal `old` with another `new` is an error.
fn contradictions(found: &[Pair], out: &mut Vec<Diagnostic>) {
    let mut seen: std::collections::HashMap<&str, &Pair> = std::collections::HashMap::new();
    for p in found {
        let new = |p: &Pair| p.new.as_ref().map(|t| t.text.clone());
        match seen.get(p.old.text.as_str()) {
            Some(first) if new(first) != new(p) => {
                let say = |p: &Pair| new(p).map_or("a note".to_owned(), |n| format!("`{n}`"));
                let message =
                    format!("`{}` becomes both {} and {}", p.old.text, say(first), say(p));
                out.push(
                    Diagnostic::error(message, p.old.span)
                        .also(first.old.span, "first said here")
                        .help("keep one of the two rows"),
                );
            }
            Some(_) => {}
            None => {
                seen.insert(&p.old.text, p);
            }
        }
    }
}
