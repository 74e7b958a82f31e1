//! Code from a template and pieces of other code: each is printed as its text, has parts, and is indented like the line that it is
//! printed on.

use std::fmt;
use std::io::Write as _;
use std::sync::Arc;

use minijinja::value::{Enumerator, Object, ObjectRepr};
use minijinja::{Environment, UndefinedBehavior, Value};

use crate::span::Span;
use crate::template::fill::{Bounded, FillError, said};
use crate::template::slots::Filter;

/// How much work a template may do, and how much more for each piece.
const FUEL: (u64, u64) = (200_000, 2_000);
/// Around what a value prints.
const MARKS: [char; 2] = ['\u{10FFFD}', '\u{10FFFC}'];
/// Filters of recipes that templates have by themselves, or cannot have: what a type is, code tells.
const OWN_FILTERS: [&str; 3] = ["lower", "upper", "type"];
/// Before the end of a line after which nothing is indented: the inside of a literal.
const FIXED: char = '\u{10FFFB}';

/// A value that a template may use.
#[derive(Clone, Debug, PartialEq)]
pub enum FillValue {
    /// There is none; it prints nothing.
    Nothing,
    /// True or false.
    Truth(bool),
    /// A whole number.
    Whole(i64),
    /// Any other number.
    Number(f64),
    /// A text.
    Text(String),
    /// Several in order.
    List(Vec<Self>),
    /// Several by name.
    Map(Vec<(String, Self)>),
    /// A piece of code.
    Piece(Arc<FillPiece>),
}

/// A piece of code: printed it is its text.
pub struct FillPiece {
    /// Its text, see [`piece_text`]; what is not there has none, and counts as false.
    pub text: String,
    /// Its parts by name.
    pub fields: Vec<(String, FillValue)>,
    /// What it is a list of.
    pub items: Option<Vec<FillValue>>,
    /// Called when it is printed.
    pub printed: Box<dyn Fn() + Send + Sync>,
}

impl fmt::Debug for FillPiece {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.debug_tuple("FillPiece").field(&self.text).finish()
    }
}

impl PartialEq for FillPiece {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

/// What a template gives.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FilledCode {
    /// The text, its lines ending in `\n`.
    pub text: String,
    /// What values printed in it, in order.
    pub values: Vec<Span>,
}

/// The text of a piece: its lines after the first lose the indentation of the line that it stands on, but for those that begin
/// inside of a literal. `fixed` are the starts of these in the text, `new` what some of its tokens become, both in order.
pub fn piece_text(text: &str, at: Span, fixed: &[u32], new: &[(Span, String)]) -> String {
    let line = text[..at.start as usize].rfind(['\n', '\r']).map_or(0, |i| i + 1);
    let lead = &text[line..at.start as usize];
    let lead = &lead[..lead.len() - lead.trim_start_matches([' ', '\t']).len()];
    let mut new = new.iter().filter(|n| at.contains(n.0)).peekable();
    let mut out = String::new();
    let mut start = at.start as usize;
    for (n, line) in at.of(text).split_inclusive('\n').enumerate() {
        let whole = fixed.binary_search(&(start as u32)).is_ok();
        let own = line.trim_end_matches(['\n', '\r']);
        let bare = match n > 0 && !whole {
            true => own.strip_prefix(lead).unwrap_or_else(|| own.trim_start_matches([' ', '\t'])),
            false => own,
        };
        let end = start + own.len();
        let mut from = end - bare.len();
        while let Some((token, by)) = new.next_if(|t| (t.0.start as usize) < end) {
            out.push_str(&text[from..(token.start as usize).max(from)]);
            out.push_str(by);
            from = token.end as usize;
        }
        out.push_str(&text[from.min(end)..end]);
        start += line.len();
        if line.ends_with('\n') {
            if fixed.binary_search(&(start as u32)).is_ok() {
                out.push(FIXED);
            }
            out.push('\n');
        }
    }
    out
}

/// Fills values into a template. What it writes may have at most `most` bytes. A name that has no value is an error.
///
/// # Errors
/// If the template is faulty, asks for what is not there, or goes beyond its bounds.
pub fn fill_code(
    template: &str,
    values: &[(String, FillValue)],
    most: usize,
) -> Result<FilledCode, FillError> {
    let mut env = Environment::new();
    let pieces: usize = values.iter().map(|v| v.1.count()).sum();
    env.set_fuel(Some(FUEL.0 + FUEL.1 * pieces as u64));
    env.set_undefined_behavior(UndefinedBehavior::Strict);
    env.set_keep_trailing_newline(true);
    env.set_trim_blocks(true);
    env.set_lstrip_blocks(true);
    for (word, filter) in Filter::WORDS.iter().filter(|w| !OWN_FILTERS.contains(&w.0)) {
        let filter = *filter;
        env.add_filter(*word, move |text: String| filter.apply(&text));
    }
    env.set_formatter(|out, _, value| {
        if value.is_none() {
            return Ok(());
        }
        let printed = value.to_string();
        if printed.contains(MARKS) {
            let kind = minijinja::ErrorKind::InvalidOperation;
            return Err(minijinja::Error::new(kind, "it uses a character that is kept for Emendo"));
        }
        Ok(write!(out, "{}{printed}{}", MARKS[0], MARKS[1])?)
    });
    let values: Value = values.iter().map(|(k, v)| (k.as_str(), Value::from(v))).collect();
    let mut out = Bounded { bytes: Vec::new(), most };
    let filled = env
        .template_from_str(&template.replace("\r\n", "\n"))
        .and_then(|t| t.render_captured_to(values, &mut out).map(|_| ()));
    filled.map_err(|e| said(&e, most))?;
    let _ = out.flush();
    Ok(laid_out(&String::from_utf8_lossy(&out.bytes)))
}

/// Takes the marks out, and indents what stands between them.
fn laid_out(marked: &str) -> FilledCode {
    let (mut text, mut values) = (String::new(), Vec::new());
    let mut indent = String::new();
    let (mut from, mut inside, mut fixed) = (0, false, false);
    let mut chars = marked.chars().peekable();
    while let Some(c) = chars.next() {
        if c == MARKS[0] {
            let line = text.rfind('\n').map_or(0, |i| i + 1);
            let lead = &text[line..];
            indent = lead[..lead.len() - lead.trim_start_matches([' ', '\t']).len()].to_owned();
            (from, inside) = (text.len(), true);
        } else if c == MARKS[1] {
            if text.len() > from {
                values.push(Span::new(from, text.len()));
            }
            inside = false;
        } else if c == FIXED {
            fixed = true;
            continue;
        } else {
            text.push(c);
            let blank = matches!(chars.peek(), Some('\n' | '\r') | None);
            if c == '\n' && inside && !fixed && !blank {
                text.push_str(&indent);
            }
        }
        fixed = false;
    }
    FilledCode { text, values }
}

impl FillValue {
    /// How many pieces it holds.
    fn count(&self) -> usize {
        match self {
            Self::List(all) => 1 + all.iter().map(Self::count).sum::<usize>(),
            Self::Map(all) => 1 + all.iter().map(|(_, v)| v.count()).sum::<usize>(),
            Self::Piece(piece) => {
                let items = piece.items.iter().flatten();
                let fields = piece.fields.iter().map(|(_, v)| v);
                1 + items.chain(fields).map(Self::count).sum::<usize>()
            }
            _ => 1,
        }
    }
}

impl From<&FillValue> for Value {
    fn from(value: &FillValue) -> Self {
        match value {
            FillValue::Nothing => Self::from(()),
            FillValue::Truth(v) => Self::from(*v),
            FillValue::Whole(v) => Self::from(*v),
            FillValue::Number(v) => Self::from(*v),
            FillValue::Text(v) => Self::from(v.as_str()),
            FillValue::List(all) => Self::from(all.iter().map(Self::from).collect::<Vec<_>>()),
            FillValue::Map(all) => all.iter().map(|(k, v)| (k.as_str(), Self::from(v))).collect(),
            FillValue::Piece(piece) => Self::from_dyn_object(Arc::new(Shown(piece.clone()))),
        }
    }
}

/// A piece as a template sees it.
#[derive(Debug)]
struct Shown(Arc<FillPiece>);

impl Object for Shown {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        if self.0.items.is_some() { ObjectRepr::Seq } else { ObjectRepr::Plain }
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        let Some(name) = key.as_str() else {
            let at = usize::try_from(key.as_i64()?).ok()?;
            return self.0.items.as_ref()?.get(at).map(Value::from);
        };
        if name == "text" {
            (self.0.printed)();
            return Some(Value::from(self.0.text.as_str()));
        }
        self.0.fields.iter().find(|f| f.0 == name).map(|f| Value::from(&f.1))
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        match &self.0.items {
            Some(items) => Enumerator::Seq(items.len()),
            None => Enumerator::NonEnumerable,
        }
    }

    fn is_true(self: &Arc<Self>) -> bool {
        self.0.items.as_ref().map_or(!self.0.text.is_empty(), |items| !items.is_empty())
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        (self.0.printed)();
        f.write_str(&self.0.text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn piece(text: &str, fields: Vec<(String, FillValue)>) -> FillValue {
        FillValue::Piece(Arc::new(FillPiece {
            text: text.to_owned(),
            fields,
            items: None,
            printed: Box::new(|| ()),
        }))
    }

    #[test]
    fn pieces_are_printed_with_their_parts_and_indented_like_their_line() {
        let text = "  go(() => {\n    y();\n\n  }, `\n a`)";
        let new = [(Span::new(17, 18), "x".to_owned())];
        let body = piece_text(text, Span::new(2, 34), &[30], &new);
        let path = piece("'/a'", vec![("value".into(), FillValue::Text("/a".into()))]);
        let item = piece(&body, vec![("path".into(), path), ("gone".into(), FillValue::Nothing)]);
        let values = [("all".to_owned(), FillValue::List(vec![item]))];
        let template = "r = [\n{% for i in all %}\n\t{{ i.path.value | quote | unquote }}{{ i.gone }}: {{ i }},\n{% endfor %}\n]\n";
        let filled = fill_code(template, &values, 1000).expect("it fills");
        assert_eq!(filled.text, "r = [\n\t/a: go(() => {\n\t  x();\n\n\t}, `\n a`),\n]\n");
        assert_eq!(filled.values[0].of(&filled.text), "/a");
        let unknown = fill_code("{{ all[0].other }}", &values, 1000);
        assert!(unknown.is_err_and(|e| e.line == 1));
        assert!(fill_code("{{ all[0].path.text == \"'/a'\" }}", &values, 1000).is_ok());
    }
}
