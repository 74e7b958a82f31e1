//! Steps and their actions.

use std::collections::BTreeMap;

use emendo_text::{Diagnostic, Span};

use crate::keys::{COMMON, Key, STEP};
use crate::load::{Loader, kind_list};
use crate::model::{Action, AtLeast, Condition, Globs, Include, Name, Scope, Step, glob};
use crate::value::{Entry, Table, Value};

/// The recipe that a step includes.
fn include_of(step: &Table, span: Span) -> Option<Include> {
    let t = step.table("include")?;
    let map = t.table("inputs").map_or(&[][..], |m| &m.entries);
    let given = |e: &Entry| match &e.node.value {
        Value::Text(v) => Some((e.key.clone(), v.text.clone())),
        _ => None,
    };
    Some(Include {
        recipe: t.text("recipe")?.clone(),
        inputs: map.iter().filter_map(given).collect(),
        span: step.entry("include").map_or(span, |e| e.key_span),
        loaded: None,
    })
}

impl Loader<'_> {
    pub(crate) fn steps(&mut self, root: &Table, scope: &Scope) -> Vec<Step> {
        let mut steps: Vec<Step> = Vec::new();
        for (table, span) in root.tables("step") {
            let kinds: Vec<&str> = self.kinds.iter().map(|k| k.name()).collect();
            self.check_table(table, STEP, "`[[step]]`", span, &kinds);
            let scope = self.scope(table, scope);
            let text = |key: &str| table.text(key).map(|t| t.text.clone());
            let id = text("id").unwrap_or_default();
            if let Some(t) = table.text("id") {
                self.check_id(t);
                if let Some(other) = steps.iter().find(|s| s.id == id) {
                    let d = Diagnostic::error(format!("two steps have the id `{id}`"), t.span);
                    self.out.push(
                        d.also(other.span, "the first one")
                            .help("decisions refer to ids: give each step its own"),
                    );
                }
            }
            let mut actions = self.actions(table, &scope);
            actions.sort_by_key(|a| a.span.start);
            let include = include_of(table, span);
            if let (Some(include), Some(first)) = (&include, actions.first()) {
                let d = Diagnostic::error("`include` stands alone in its step", include.span);
                let d = d.about("include");
                let d = d.also(first.span, "this belongs to another step");
                self.out.push(d.help("put the action into a separate step, before or after it"));
            }
            if include.is_none() && table.text("title").is_none() {
                let d = Diagnostic::error("`[[step]]` has no `title`", span);
                self.out.push(d.help("`title` is a short title"));
            }
            // An unknown kind has been said.
            let unknown = table.entries.iter().any(|e| {
                STEP.iter().all(|k| k.name != e.key)
                    && matches!(e.node.value, Value::Table(_) | Value::List(_))
            });
            if include.is_none()
                && !unknown
                && table.get("include").is_none()
                && actions.is_empty()
                && !table.entries.iter().any(|e| kinds.contains(&e.key.as_str()))
            {
                self.out.push(
                    Diagnostic::error("this step has no action", span)
                        .help(format!("add one: {}", kind_list(self.kinds))),
                );
            }
            steps.push(Step {
                id,
                title: text("title").unwrap_or_default(),
                why: text("why"),
                caution: text("caution"),
                conditions: Condition::of(table),
                docs: text("docs"),
                span: table.text("id").map_or(span, |t| t.span),
                actions,
                include,
                at_least: AtLeast::of(table),
            });
        }
        steps
    }

    fn actions(&mut self, step: &Table, scope: &Scope) -> Vec<Action> {
        let mut out = Vec::new();
        for entry in &step.entries {
            let Some(kind) = self.kinds.iter().copied().find(|k| k.name() == entry.key) else {
                continue;
            };
            let tables = step.tables(&entry.key);
            if tables.is_empty() {
                let d = Diagnostic::error(
                    format!("`{}` must be a table, not {}", entry.key, entry.node.value.what()),
                    entry.node.span,
                );
                self.out
                    .push(d.help(format!("write `[[step.{}]]` on a line of its own", entry.key)));
            }
            for (table, span) in tables {
                let before = self.errors();
                let place = format!("`[[step.{}]]`", kind.name());
                let keys: Vec<&Key> = kind.keys().iter().chain(COMMON).collect();
                self.check_keys(table, &keys, &place, span, &[]);
                let inherited = if kind.about_code() {
                    scope.clone()
                } else {
                    // What a recipe says of files is about code; what a step says binds all of it.
                    let files = scope.files.clone().filter(|_| step.get("files").is_some());
                    Scope { files, lang: None, names: BTreeMap::new(), ..scope.clone() }
                };
                let scope = self.scope(table, &inherited);
                let broken = self.errors() > before;
                out.push(Action { kind, table: table.clone(), span, scope, broken });
            }
        }
        out
    }

    /// Adds what a table says about language, names and files to what it inherits.
    pub(crate) fn scope(&mut self, table: &Table, outer: &Scope) -> Scope {
        let mut scope = outer.clone();
        if let Some(lang) = table.text("lang") {
            scope.lang = Some(lang.clone());
        }
        if let Some(names) = table.table("names") {
            for e in &names.entries {
                if let Value::Text(t) = &e.node.value {
                    scope
                        .names
                        .insert(e.key.clone(), Name { symbol: t.text.clone(), span: t.span });
                }
            }
        }
        if table.get("files").is_some() {
            scope.files = Some(self.globs(table, "files"));
        }
        scope.not_files.0.extend(self.globs(table, "not_files").0);
        scope
    }

    fn globs(&mut self, table: &Table, key: &str) -> Globs {
        let mut out = Vec::new();
        for t in table.texts(key) {
            match glob(&t.text) {
                Ok(glob) => out.push(glob),
                Err(e) => {
                    let d = Diagnostic::error(format!("this is not a glob: {e}"), t.span);
                    self.out.push(d.help(
                        "`*` stays within a folder, `**` crosses folders, `{a,b}` is either",
                    ));
                }
            }
        }
        Globs(out)
    }
}
