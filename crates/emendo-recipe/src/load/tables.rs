//! Tables and their values, with their places.

use emendo_text::Hasher;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use crate::load::{Loader, span_of};
use crate::model::{Source, Step};
use crate::value::{Entry, Node, Table, Value};

impl Loader<'_> {
    pub(crate) fn table(&mut self, t: &DeTable<'_>) -> Table {
        let mut entries: Vec<Entry> = t
            .iter()
            .map(|(k, v)| Entry {
                key: k.get_ref().to_string(),
                key_span: span_of(k),
                node: self.node(v),
            })
            .collect();
        entries.sort_by_key(|e| e.key_span.start);
        Table { entries }
    }

    fn node(&mut self, v: &Spanned<DeValue<'_>>) -> Node {
        let span = span_of(v);
        let value = match v.get_ref() {
            DeValue::String(s) => Value::Text(self.fill(s, span)),
            DeValue::Boolean(b) => Value::Bool(*b),
            DeValue::Integer(i) => {
                let digits = i.as_str().replace('_', "");
                i64::from_str_radix(&digits, i.radix())
                    .map_or(Value::Other("a number out of range"), Value::Integer)
            }
            DeValue::Float(_) => Value::Other("a fraction"),
            DeValue::Datetime(_) => Value::Other("a date"),
            DeValue::Array(items) => Value::List(items.iter().map(|i| self.node(i)).collect()),
            DeValue::Table(t) => Value::Table(self.table(t)),
        };
        Node { value, span }
    }

    pub(crate) fn hash_tables(&self, steps: &[Step], source: &Source, hasher: &mut Hasher) {
        let tables = steps.iter().flat_map(|s| &s.actions).filter_map(|a| a.table.text("table"));
        for path in tables {
            let rel = emendo_text::RelPath::new(&path.text).ok();
            hasher.part(rel.and_then(|r| source.file(&r).ok()).unwrap_or_default());
        }
    }
}
