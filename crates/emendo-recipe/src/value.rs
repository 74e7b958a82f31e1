//! Values with their places.

use emendo_text::Span;

/// A text value, and how its characters map back to the file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Text {
    /// The text, escapes undone and inputs filled in.
    pub text: String,
    /// The place, quotes included.
    pub span: Span,
    /// Where the first character stands, if each one stands for itself.
    exact: Option<u32>,
}

impl Text {
    /// A text from the file `source`, written at `span`.
    pub(crate) fn new(source: &str, span: Span, text: &str) -> Self {
        let raw = span.of(source);
        let exact = [3, 1].into_iter().find_map(|quotes: usize| {
            let inner = raw.get(quotes..raw.len().checked_sub(quotes)?)?;
            let skipped = if quotes == 3 {
                inner.len()
                    - inner.strip_prefix("\r\n").or(inner.strip_prefix('\n')).unwrap_or(inner).len()
            } else {
                0
            };
            (&inner[skipped..] == text).then_some(span.start + (quotes + skipped) as u32)
        });
        Self { text: text.to_owned(), span, exact }
    }

    /// A text that stands at a place without being written there to the letter.
    pub fn derived(text: String, span: Span) -> Self {
        Self { text, span, exact: None }
    }

    /// A place inside the text, as a place in the file; the whole value where that is not known.
    pub fn place(&self, inner: Span) -> Span {
        self.exact.map_or(self.span, |start| inner.shifted(start as usize))
    }
}

/// A value with its place.
#[derive(Clone, Debug)]
pub struct Node {
    /// The value.
    pub value: Value,
    /// Its place.
    pub span: Span,
}

/// A value.
#[derive(Clone, Debug)]
pub enum Value {
    /// Text.
    Text(Text),
    /// True or false.
    Bool(bool),
    /// A whole number.
    Integer(i64),
    /// Something TOML has and recipes have no use for (dates, fractions).
    Other(&'static str),
    /// A list.
    List(Vec<Node>),
    /// A table.
    Table(Table),
}

impl Value {
    /// What it is, for messages.
    pub fn what(&self) -> &'static str {
        match self {
            Self::Text(_) => "text",
            Self::Bool(_) => "true or false",
            Self::Integer(_) => "a whole number",
            Self::Other(what) => what,
            Self::List(_) => "a list",
            Self::Table(_) => "a table",
        }
    }
}

/// An entry of a table.
#[derive(Clone, Debug)]
pub struct Entry {
    /// The key.
    pub key: String,
    /// Where the key stands.
    pub key_span: Span,
    /// The value.
    pub node: Node,
}

/// A table, its entries in the order of the file.
#[derive(Clone, Debug, Default)]
pub struct Table {
    /// The entries.
    pub entries: Vec<Entry>,
}

impl Table {
    /// The entry of a key.
    pub fn entry(&self, key: &str) -> Option<&Entry> {
        self.entries.iter().find(|e| e.key == key)
    }

    /// The value of a key.
    pub fn get(&self, key: &str) -> Option<&Node> {
        self.entry(key).map(|e| &e.node)
    }

    /// The text of a key.
    pub fn text(&self, key: &str) -> Option<&Text> {
        match &self.get(key)?.value {
            Value::Text(t) => Some(t),
            _ => None,
        }
    }

    /// The texts of a key that holds one or a list.
    pub fn texts(&self, key: &str) -> Vec<&Text> {
        match self.get(key).map(|n| &n.value) {
            Some(Value::Text(t)) => vec![t],
            Some(Value::List(items)) => items
                .iter()
                .filter_map(|n| match &n.value {
                    Value::Text(t) => Some(t),
                    _ => None,
                })
                .collect(),
            _ => Vec::new(),
        }
    }

    /// The texts of a key that holds one, a list, or a list of lists: those of an inner list belong together.
    pub fn groups(&self, key: &str) -> Vec<Vec<&Text>> {
        let one = |n: &'_ Node| -> bool { matches!(n.value, Value::Text(_)) };
        match self.get(key).map(|n| &n.value) {
            Some(Value::Text(t)) => vec![vec![t]],
            Some(Value::List(items)) => items
                .iter()
                .filter_map(|n| match &n.value {
                    Value::Text(t) => Some(vec![t]),
                    Value::List(inner) if inner.iter().all(one) => Some(
                        inner
                            .iter()
                            .filter_map(|n| match &n.value {
                                Value::Text(t) => Some(t),
                                _ => None,
                            })
                            .collect(),
                    ),
                    _ => None,
                })
                .collect(),
            _ => Vec::new(),
        }
    }

    /// True if a key holds `true`.
    pub fn is_true(&self, key: &str) -> bool {
        matches!(self.get(key).map(|n| &n.value), Some(Value::Bool(true)))
    }

    /// The table of a key.
    pub fn table(&self, key: &str) -> Option<&Self> {
        match &self.get(key)?.value {
            Value::Table(t) => Some(t),
            _ => None,
        }
    }

    /// The tables of a key that holds one or several, with their places.
    pub fn tables(&self, key: &str) -> Vec<(&Self, Span)> {
        match self.get(key).map(|n| (&n.value, n.span)) {
            Some((Value::Table(t), span)) => vec![(t, span)],
            Some((Value::List(items), _)) => items
                .iter()
                .filter_map(|n| match &n.value {
                    Value::Table(t) => Some((t, n.span)),
                    _ => None,
                })
                .collect(),
            _ => Vec::new(),
        }
    }
}
