//! TOML 1.0, read by a library for its places only: nothing is printed from its tree.

use emendo_text::Span;
use toml_edit::{Document, Item, Key, Table, TableLike, Value};

use crate::doc::{Doc, DocError, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style};
use crate::formats::json::quote;

pub(super) const TOML: Format = Format {
    id: "toml",
    title: "TOML",
    extensions: &["toml"],
    names: &[],
    style: Style::Sections { header: |path| format!("[{}]", path.join(".")) },
    comments: &["#"],
    sign: " = ",
    dotted: true,
    split: true,
    relaxed: |_| false,
    mentions_anywhere: false,
    constant: false,
    typed: true,
    read,
    write_key: |key, _| bare_or_quoted(key),
    write_value,
};

fn read(text: &str) -> Doc {
    // A byte order mark is not part of a document.
    let lead = if text.starts_with('\u{feff}') { 3 } else { 0 };
    match Document::parse(&text[lead..]) {
        Ok(doc) => {
            let reader = Reader { text, lead };
            let mut pairs = Vec::new();
            reader.table(doc.as_table(), &mut Vec::new(), &mut pairs);
            pairs.sort_by_key(|p| p.span.start);
            reader.close(&mut pairs);
            let root = Node { span: Span::new(lead, text.len()), kind: NodeKind::Map(pairs) };
            Doc { roots: vec![root], errors: Vec::new() }
        }
        Err(e) => {
            let at = e.span().map_or(0, |s| s.start + lead).min(text.len());
            let message = e.message().to_owned();
            Doc { roots: Vec::new(), errors: vec![DocError { message, at: Span::at(at) }] }
        }
    }
}

struct Reader<'t> {
    text: &'t str,
    lead: usize,
}

impl Reader<'_> {
    fn span(&self, range: std::ops::Range<usize>) -> Span {
        Span::new(range.start + self.lead, range.end + self.lead)
    }

    fn part(&self, key: &Key) -> Option<KeyPart> {
        let range = key.span()?;
        Some(KeyPart { text: key.get().to_owned(), span: self.span(range) })
    }

    /// The pairs of a table: those under headings stand beside it, with the whole path.
    fn table(&self, table: &Table, path: &mut Vec<KeyPart>, out: &mut Vec<Pair>) {
        let mut own = Vec::new();
        for (name, item) in table.iter() {
            let Some(key) = table.key(name).and_then(|k| self.part(k)) else { continue };
            path.push(key);
            match item {
                Item::Table(t) if t.is_dotted() => {
                    self.dotted(t, &mut vec![path[path.len() - 1].clone()], &mut own);
                }
                Item::Table(t) => self.heading(t, path, out),
                Item::ArrayOfTables(all) => {
                    for t in all.iter() {
                        self.heading(t, path, out);
                    }
                }
                Item::Value(v) => own.extend(self.pair(vec![path[path.len() - 1].clone()], v)),
                Item::None => {}
            }
            path.pop();
        }
        out.extend(own);
    }

    fn heading(&self, table: &Table, path: &mut Vec<KeyPart>, out: &mut Vec<Pair>) {
        let mut inner = Vec::new();
        let mut beside = Vec::new();
        self.table(table, path, &mut beside);
        // What stands under headings of its own is not part of this one.
        let (headings, own): (Vec<Pair>, Vec<Pair>) = beside.into_iter().partition(|p| p.heading);
        inner.extend(own);
        inner.sort_by_key(|p| p.span.start);
        if !table.is_implicit()
            && let Some(span) = table.span()
        {
            let span = self.span(span);
            let keys = self.header_keys(span, path);
            let node = Node { span, kind: NodeKind::Map(inner) };
            out.push(Pair { keys, node, span, heading: true });
        }
        out.extend(headings);
    }

    /// The parts of a path as they stand in this heading: an outer key may have been written first elsewhere.
    fn header_keys(&self, header: Span, path: &[KeyPart]) -> Vec<KeyPart> {
        let line_end = self.text[header.start as usize..]
            .find('\n')
            .map_or(self.text.len(), |i| header.start as usize + i);
        let mut from = header.start as usize;
        let mut out = Vec::new();
        for part in path {
            let raw = part.span.of(self.text);
            let at = self.text[from..line_end]
                .find(raw)
                .map_or(part.span, |i| Span::new(from + i, from + i + raw.len()));
            from = (at.end as usize).max(from).min(line_end);
            out.push(KeyPart { text: part.text.clone(), span: at });
        }
        out
    }

    fn dotted(&self, table: &dyn TableLike, path: &mut Vec<KeyPart>, out: &mut Vec<Pair>) {
        for (name, item) in table.iter() {
            let Some(key) = table.key(name).and_then(|k| self.part(k)) else { continue };
            path.push(key);
            match item {
                Item::Table(t) => self.dotted(t, path, out),
                Item::Value(Value::InlineTable(t)) if t.is_dotted() => self.dotted(t, path, out),
                Item::Value(v) => out.extend(self.pair(path.clone(), v)),
                _ => {}
            }
            path.pop();
        }
    }

    /// The parts of a dotted key as they stand before its last one: an outer part may have been written first elsewhere.
    fn dotted_keys(&self, mut keys: Vec<KeyPart>) -> Vec<KeyPart> {
        let Some(mut from) = keys.last().map(|k| k.span.start as usize) else { return keys };
        let outer = keys.len() - 1;
        for key in keys[..outer].iter_mut().rev() {
            let before = self.text[..from].trim_end_matches([' ', '\t']);
            let Some(before) = before.strip_suffix('.') else { break };
            let before = before.trim_end_matches([' ', '\t']);
            let begin = match before.chars().next_back() {
                Some(q @ ('"' | '\'')) => before[..before.len() - 1].rfind(q).unwrap_or(0),
                _ => {
                    let bare = |c: char| c.is_ascii_alphanumeric() || c == '-' || c == '_';
                    before.trim_end_matches(bare).len()
                }
            };
            key.span = Span::new(begin, before.len());
            from = begin;
        }
        keys
    }

    fn pair(&self, keys: Vec<KeyPart>, value: &Value) -> Option<Pair> {
        let node = self.value(value)?;
        let keys = self.dotted_keys(keys);
        let span = keys.first()?.span.hull(node.span);
        Some(Pair { keys, node, span, heading: false })
    }

    fn value(&self, value: &Value) -> Option<Node> {
        let span = self.span(value.span()?);
        let kind = match value {
            Value::String(s) => NodeKind::Text(s.value().clone()),
            Value::Array(all) => NodeKind::List(all.iter().filter_map(|v| self.value(v)).collect()),
            Value::InlineTable(t) => {
                let mut pairs = Vec::new();
                self.dotted(t, &mut Vec::new(), &mut pairs);
                pairs.sort_by_key(|p| p.span.start);
                NodeKind::Map(pairs)
            }
            _ => NodeKind::Text(span.of(self.text).to_owned()),
        };
        Some(Node { span, kind })
    }

    /// A heading's values end where the next heading begins.
    fn close(&self, pairs: &mut [Pair]) {
        let starts: Vec<u32> = pairs.iter().filter(|p| p.heading).map(|p| p.span.start).collect();
        for p in pairs.iter_mut().filter(|p| p.heading) {
            let next = starts.iter().copied().find(|s| *s > p.span.start);
            let end = next.unwrap_or(self.text.len() as u32);
            let last = p.node.pairs().iter().map(|q| q.span.end).max();
            let own = last.unwrap_or(p.span.end).min(end);
            p.node.span = Span { start: p.span.start, end: own };
            p.span = p.node.span;
        }
    }
}

fn bare_or_quoted(key: &str) -> String {
    let bare =
        !key.is_empty() && key.chars().all(|c| c.is_ascii_alphanumeric() || c == '-' || c == '_');
    if bare { key.to_owned() } else { quote(key) }
}

fn write_value(value: &str, old: &str) -> String {
    if old.starts_with('\'') && !old.starts_with("'''") && !value.contains(['\'', '\n']) {
        return format!("'{value}'");
    }
    let number = crate::formats::json::is_plain(value) && value != "null";
    if !old.starts_with(['"', '\'']) && (number || value.starts_with(['[', '{'])) {
        return value.to_owned();
    }
    quote(value)
}
