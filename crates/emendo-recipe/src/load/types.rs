//! What a recipe says about types of libraries.

use crate::load::Loader;
use crate::model::{MemberOf, Scope, TypeOf};
use crate::value::{Entry, Table, Text, Value};

impl Loader<'_> {
    pub(crate) fn types(&mut self, root: &Table, scope: &Scope) -> Vec<TypeOf> {
        let mut out = Vec::new();
        for (table, _) in root.tables("library_type") {
            let Some(name) = table.text("name") else { continue };
            let scope = self.scope(table, scope);
            let texts = |t: &Table, key: &str| t.texts(key).into_iter().cloned().collect();
            let member = |e: &Entry| {
                let key = Text::derived(e.key.clone(), e.key_span);
                match &e.node.value {
                    Value::Text(gives) => {
                        Some(MemberOf { key, gives: gives.clone(), lambda: Vec::new() })
                    }
                    Value::Table(t) => {
                        let nothing = || Text::derived(String::new(), e.node.span);
                        let gives = t.text("gives").cloned().unwrap_or_else(nothing);
                        Some(MemberOf { key, gives, lambda: texts(t, "lambda") })
                    }
                    _ => None,
                }
            };
            let members = table.table("members").map_or(&[][..], |m| &m.entries);
            out.push(TypeOf {
                name: name.clone(),
                extends: texts(table, "extends"),
                members: members.iter().filter_map(member).collect(),
                exports: texts(table, "exports"),
                scope,
            });
        }
        out
    }
}
