//! From text to recipe, along the tables of keys. Serde would stop at the first error; this walk finds all.

use std::collections::BTreeMap;

use emendo_text::{Diagnostic, Hasher, Severity, Span};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

use crate::keys::{
    ActionKind, COMMON, EXAMPLE, INCLUDE, INPUT, Key, LATER_KINDS, LIBRARY, LIBRARY_TYPE, MEMBER,
    RECIPE, SLOT, STEP, Shape,
};
use crate::model::{
    Action, Condition, Example, Glob, Globs, Include, Input, InputKind, Library, MemberOf, Name,
    Recipe, Scope, Source, Step, TypeOf,
};
use crate::value::{Entry, Node, Table, Text, Value};

/// What came of loading: a recipe, as far as it could be read, and all that is wrong with it.
pub struct Loaded {
    /// The recipe; only to be run if no diagnostic is an error.
    pub recipe: Recipe,
    /// Errors and warnings in the order of the file.
    pub diagnostics: Vec<Diagnostic>,
}

impl Loaded {
    /// True if anything is an error.
    pub fn failed(&self) -> bool {
        self.diagnostics.iter().any(|d| d.severity == Severity::Error)
    }
}

/// Loads a recipe. `kinds` are the kinds of actions that are built; `given` are values for its inputs.
pub fn load(
    source: Source,
    kinds: &[&'static dyn ActionKind],
    given: &BTreeMap<String, String>,
) -> Loaded {
    let text = source.text.clone();
    let mut loader =
        Loader { text: &text, kinds, inputs: BTreeMap::new(), unset: Vec::new(), out: Vec::new() };
    let (root, errors) = DeTable::parse_recoverable(&text);
    for e in errors {
        let span = e.span().unwrap_or(0..0);
        loader.out.push(
            Diagnostic::error(
                format!("this is no TOML: {}", e.message()),
                Span::new(span.start, span.end),
            )
            .help("recipes are TOML 1.0; write patterns in '...' or '''...''' strings"),
        );
    }
    Diagnostic::all_about(&mut loader.out, "toml");
    let inputs = loader.read_inputs(&root, given);
    let table = loader.table(root.get_ref());
    Diagnostic::all_about(&mut loader.out, "input");
    let recipe = loader.recipe(&table, inputs, source);
    let mut diagnostics = loader.out;
    Diagnostic::all_about(&mut diagnostics, "key");
    diagnostics.sort_by_key(Diagnostic::start);
    diagnostics.dedup();
    Loaded { recipe, diagnostics }
}

struct Loader<'a> {
    text: &'a str,
    kinds: &'a [&'static dyn ActionKind],
    inputs: BTreeMap<String, String>,
    /// Inputs without a value.
    unset: Vec<String>,
    out: Vec<Diagnostic>,
}

fn span_of<T>(s: &Spanned<T>) -> Span {
    Span::new(s.span().start, s.span().end)
}

impl Loader<'_> {
    /// Inputs come first: the other values may refer to them.
    fn read_inputs(
        &mut self,
        root: &Spanned<DeTable<'_>>,
        given: &BTreeMap<String, String>,
    ) -> Vec<Input> {
        let mut inputs = Vec::new();
        let tables = root.get_ref().get("inputs").and_then(|v| v.get_ref().as_table());
        for (name, value) in tables.into_iter().flatten() {
            let name = name.get_ref().to_string();
            let text = |key: &str| {
                value.get_ref().as_table()?.get(key)?.get_ref().as_str().map(str::to_owned)
            };
            let kind =
                text("type").and_then(|t| InputKind::WORDS.iter().find(|w| w.0 == t).map(|w| w.1));
            let list = value.get_ref().as_table().and_then(|t| t.get("one_of"));
            let list = list.and_then(|v| v.get_ref().as_array());
            let one_of = list.into_iter().flatten().filter_map(|v| v.get_ref().as_str());
            inputs.push(Input {
                name,
                summary: text("summary"),
                default: text("default"),
                kind: kind.unwrap_or(InputKind::Text),
                one_of: one_of.map(str::to_owned).collect(),
                span: span_of(value),
            });
        }
        for input in &inputs {
            match given.get(&input.name).or(input.default.as_ref()) {
                Some(value) => {
                    let own = given.contains_key(&input.name);
                    self.out.extend(wrong_value(input, value, own));
                    self.inputs.insert(input.name.clone(), value.clone());
                }
                None => self.unset.push(input.name.clone()),
            }
        }
        for name in given.keys().filter(|n| !inputs.iter().any(|i| i.name == **n)) {
            let known: Vec<&str> = inputs.iter().map(|i| i.name.as_str()).collect();
            let help = if known.is_empty() {
                "this recipe takes no inputs".into()
            } else {
                format!("its inputs: {}", known.join(", "))
            };
            self.out.push(Diagnostic {
                labels: Vec::new(),
                ..Diagnostic::error(format!("the recipe has no input `{name}`"), Span::at(0))
                    .help(help)
            });
        }
        inputs
    }

    fn table(&mut self, t: &DeTable<'_>) -> Table {
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

    /// Fills inputs in.
    fn fill(&mut self, raw: &str, span: Span) -> Text {
        const OPEN: &str = "@{input.";
        if !raw.contains(OPEN) {
            return Text::new(self.text, span, raw);
        }
        let mut out = String::new();
        let mut rest = raw;
        while let Some(at) = rest.find(OPEN) {
            let Some(end) = rest[at..].find('}') else { break };
            let name = &rest[at + OPEN.len()..at + end];
            out.push_str(&rest[..at]);
            match self.inputs.get(name) {
                Some(value) => out.push_str(value),
                None if self.unset.iter().any(|u| u == name) => {
                    let d = Diagnostic::error(format!("the input `{name}` has no value"), span);
                    self.out.push(d.help(format!("give it one with `--input {name}=VALUE`, or a `default` in `[inputs.{name}]`")));
                }
                None => {
                    let d = Diagnostic::error(format!("there is no input `{name}`"), span);
                    self.out.push(d.help(format!("declare it: `[inputs.{name}]`")));
                }
            }
            rest = &rest[at + end + 1..];
        }
        out.push_str(rest);
        Text::derived(out, span)
    }

    fn recipe(&mut self, root: &Table, inputs: Vec<Input>, source: Source) -> Recipe {
        self.check_table(root, RECIPE, "the recipe", Span::at(0), &[]);
        if let Some(node) = root.get("emendo")
            && !matches!(node.value, Value::Integer(1))
        {
            self.out.push(
                Diagnostic::error("this version of the recipe format is not known", node.span)
                    .help("write `emendo = 1`"),
            );
        }
        let scope = self.scope(root, &Scope::default());
        let text = |key: &str| root.text(key).map(|t| t.text.clone());
        if let Some(id) = root.text("id") {
            self.check_id(id);
        }
        Diagnostic::all_about(&mut self.out, "key");
        let types = self.types(root, &scope);
        Diagnostic::all_about(&mut self.out, "type");
        Diagnostic::all_about(&mut self.out, "key");
        let steps = self.steps(root, &scope);
        Diagnostic::all_about(&mut self.out, "step");
        let examples = self.examples(root, &steps);
        Diagnostic::all_about(&mut self.out, "example");
        let mut hasher = Hasher::new();
        hasher.part(&source.text);
        for (k, v) in &self.inputs {
            hasher.part(k).part(v);
        }
        self.hash_tables(&steps, &source, &mut hasher);
        Recipe {
            id: text("id").unwrap_or_default(),
            title: text("title").unwrap_or_default(),
            summary: text("summary"),
            docs: text("docs"),
            library: root.table("library").map(library),
            inputs,
            types,
            requires: root.table("requires").cloned(),
            conditions: Condition::of(root),
            steps,
            examples,
            digest: hasher.finish(),
            source,
        }
    }

    fn hash_tables(&self, steps: &[Step], source: &Source, hasher: &mut Hasher) {
        let tables = steps.iter().flat_map(|s| &s.actions).filter_map(|a| a.table.text("table"));
        for path in tables {
            let rel = emendo_text::RelPath::new(&path.text).ok();
            hasher.part(rel.and_then(|r| source.file(&r).ok()).unwrap_or_default());
        }
    }

    fn check_id(&mut self, id: &Text) {
        let plain = !id.text.is_empty()
            && id.text.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | '.'));
        if !plain {
            self.out.push(
                Diagnostic::error(format!("`{}` is no id", id.text), id.span)
                    .help("letters, digits, `-`, `_` and `.` make an id"),
            );
        }
    }

    fn steps(&mut self, root: &Table, scope: &Scope) -> Vec<Step> {
        let mut steps: Vec<Step> = Vec::new();
        for (table, span) in root.tables("step") {
            let kinds: Vec<&str> =
                self.kinds.iter().map(|k| k.name()).chain(LATER_KINDS.iter().copied()).collect();
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
            let include = table.table("include").and_then(|t| {
                let map = t.table("inputs").map_or(&[][..], |m| &m.entries);
                let given = |e: &Entry| match &e.node.value {
                    Value::Text(v) => Some((e.key.clone(), v.text.clone())),
                    _ => None,
                };
                Some(Include {
                    recipe: t.text("recipe")?.clone(),
                    inputs: map.iter().filter_map(given).collect(),
                    span: table.entry("include").map_or(span, |e| e.key_span),
                    loaded: None,
                })
            });
            if let (Some(include), Some(first)) = (&include, actions.first()) {
                let d = Diagnostic::error("`include` stands alone in its step", include.span);
                let d = d.about("include");
                let d = d.also(first.span, "this belongs to another step");
                self.out.push(d.help("give the action a step of its own, before or behind it"));
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
            });
        }
        steps
    }

    fn actions(&mut self, step: &Table, scope: &Scope) -> Vec<Action> {
        let mut out = Vec::new();
        for entry in &step.entries {
            if LATER_KINDS.contains(&entry.key.as_str()) {
                self.out.push(
                    Diagnostic::error(
                        format!("`{}` actions are not built yet", entry.key),
                        entry.key_span,
                    )
                    .help(format!("built so far: {}", kind_list(self.kinds))),
                );
                continue;
            }
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
                    Scope { files: None, lang: None, names: BTreeMap::new(), ..scope.clone() }
                };
                let scope = self.scope(table, &inherited);
                let broken = self.errors() > before;
                out.push(Action { kind, table: table.clone(), span, scope, broken });
            }
        }
        out
    }

    fn errors(&self) -> usize {
        self.out.iter().filter(|d| d.severity == Severity::Error).count()
    }

    /// Adds what a table says about language, names and files to what it inherits.
    fn scope(&mut self, table: &Table, outer: &Scope) -> Scope {
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
            match globset::GlobBuilder::new(&t.text).literal_separator(true).build() {
                Ok(glob) => out.push(Glob(glob.compile_matcher())),
                Err(e) => {
                    let d = Diagnostic::error(format!("this is no glob: {}", e.kind()), t.span);
                    self.out.push(d.help(
                        "`*` stays within a folder, `**` crosses folders, `{a,b}` is either",
                    ));
                }
            }
        }
        Globs(out)
    }

    fn types(&mut self, root: &Table, scope: &Scope) -> Vec<TypeOf> {
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

    fn examples(&mut self, root: &Table, steps: &[Step]) -> Vec<Example> {
        let mut out = Vec::new();
        for (table, span) in root.tables("example") {
            self.check_table(table, EXAMPLE, "`[[example]]`", span, &[]);
            if let Some(step) = table.text("step")
                && !steps.iter().any(|s| s.id == step.text)
            {
                let ids: Vec<&str> = steps.iter().map(|s| s.id.as_str()).collect();
                self.out.push(
                    Diagnostic::error(format!("no step has the id `{}`", step.text), step.span)
                        .help(format!("the steps: {}", ids.join(", "))),
                );
            }
            if let Some(tree) = table.text("tree") {
                let texts = ["before", "after", "unchanged", "path"].iter();
                if let Some(e) = texts.filter_map(|k| table.entry(k)).next() {
                    let d = Diagnostic::error("an example is a tree or a text", e.key_span);
                    self.out.push(d.help("`tree` names a folder with `before` and `after` in it"));
                }
                out.push(Example {
                    title: table.text("title").map(|t| t.text.clone()),
                    step: table.text("step").cloned(),
                    lang: None,
                    path: None,
                    tree: Some(tree.clone()),
                    before: tree.clone(),
                    after: tree.clone(),
                    unchanged: false,
                    notes: table.texts("notes").into_iter().map(|t| t.text.clone()).collect(),
                    span,
                });
                continue;
            }
            let (before, after, unchanged) =
                match (table.text("before"), table.text("after"), table.text("unchanged")) {
                    (Some(b), Some(a), None) => (b, a, false),
                    (None, None, Some(u)) => (u, u, true),
                    // Only notes are expected.
                    (Some(b), None, None) if table.get("notes").is_some() => (b, b, false),
                    _ => {
                        let d = Diagnostic::error(
                            "an example needs `before` and `after`, or `unchanged`",
                            span,
                        );
                        self.out
                            .push(d.help("`unchanged` holds a look-alike that must stay as it is"));
                        continue;
                    }
                };
            out.push(Example {
                title: table.text("title").map(|t| t.text.clone()),
                step: table.text("step").cloned(),
                lang: table.text("lang").cloned(),
                path: table.text("path").cloned(),
                tree: None,
                before: before.clone(),
                after: after.clone(),
                unchanged,
                notes: table.texts("notes").into_iter().map(|t| t.text.clone()).collect(),
                span,
            });
        }
        out
    }

    fn check_table(&mut self, table: &Table, keys: &[Key], place: &str, span: Span, also: &[&str]) {
        self.check_keys(table, &keys.iter().collect::<Vec<_>>(), place, span, also);
    }

    fn check_keys(&mut self, table: &Table, keys: &[&Key], place: &str, span: Span, also: &[&str]) {
        let from = self.out.len();
        self.check_each(table, keys, place, span, also);
        Diagnostic::all_about(&mut self.out[from..], "key");
    }

    fn check_each(&mut self, table: &Table, keys: &[&Key], place: &str, span: Span, also: &[&str]) {
        for e in &table.entries {
            match keys.iter().find(|k| k.name == e.key) {
                Some(key) => self.check_value(key, e),
                None if also.contains(&e.key.as_str()) => {}
                None => self.unknown_key(e, keys, place, also),
            }
        }
        for key in keys.iter().filter(|k| k.required && table.get(k.name).is_none()) {
            let d = Diagnostic::error(format!("{place} has no `{}`", key.name), span);
            self.out.push(d.help(format!("`{}` is {}", key.name, key.about)));
        }
    }

    fn unknown_key(&mut self, e: &Entry, keys: &[&Key], place: &str, also: &[&str]) {
        let d = Diagnostic::error(format!("{place} has no key `{}`", e.key), e.key_span);
        let homes: Vec<&str> = places(self.kinds)
            .into_iter()
            .filter(|(_, ks)| ks.iter().any(|k| k.name == e.key))
            .map(|(p, _)| p)
            .collect();
        let near = keys.iter().map(|k| k.name).chain(also.iter().copied());
        let near = near.map(|n| (strsim::damerau_levenshtein(n, &e.key), n)).min();
        let help = match near {
            Some((distance, name)) if distance <= 2 && distance < e.key.len() => {
                format!("did you mean `{name}`?")
            }
            _ if !homes.is_empty() => {
                format!(
                    "`{}` belongs to {}; a key written after a sub-table's header lands in that sub-table: move it above",
                    e.key,
                    homes.join(" or ")
                )
            }
            _ => {
                let built = keys.iter().filter(|k| !matches!(k.shape, Shape::Later));
                let also = also.iter().filter(|n| !LATER_KINDS.contains(n));
                let names: Vec<&str> = built.map(|k| k.name).chain(also.copied()).collect();
                format!("its keys: {}", names.join(", "))
            }
        };
        self.out.push(d.help(help));
    }

    fn check_value(&mut self, key: &Key, e: &Entry) {
        let node = &e.node;
        let wrong = |what: &str| {
            Diagnostic::error(
                format!("`{}` must be {what}, not {}", key.name, node.value.what()),
                node.span,
            )
            .help(format!("`{}` is {}", key.name, key.about))
        };
        match (key.shape, &node.value) {
            (Shape::Later, _) => {
                let d = Diagnostic::error(format!("`{}` is not built yet", key.name), e.key_span);
                self.out.push(d.help("leave it out; the changelog says when it comes"));
            }
            (Shape::Text | Shape::Pattern, Value::Text(_))
            | (Shape::Bool, Value::Bool(_))
            | (Shape::Integer, Value::Integer(_)) => {}
            (Shape::Text | Shape::Pattern, _) => self.out.push(wrong("text")),
            (Shape::Bool, _) => self.out.push(wrong("true or false")),
            (Shape::Integer, _) => self.out.push(wrong("a whole number")),
            (Shape::Regex, Value::Text(t)) => self.check_regex(t),
            (Shape::Version, Value::Text(t)) => {
                if !t.text.starts_with(|c: char| {
                    c.is_ascii_digit() || matches!(c, 'v' | '^' | '~' | '=' | '>' | '[')
                }) {
                    self.out.push(
                        Diagnostic::error(format!("`{}` is no version", t.text), t.span)
                            .help("for example `3.0.2`"),
                    );
                }
            }
            (Shape::Requirement, Value::Text(t)) => self.check_requirement(t),
            (Shape::Regex | Shape::Version | Shape::Requirement, _) => self.out.push(wrong("text")),
            (
                Shape::Globs | Shape::Texts | Shape::Symbols | Shape::Words(_),
                Value::Text(_) | Value::List(_),
            ) => self.check_list(key, node),
            (Shape::Globs | Shape::Texts | Shape::Symbols | Shape::Words(_), _) => {
                self.out.push(wrong("text or a list of texts"));
            }
            (Shape::Names, Value::Table(t)) => self.check_names(t),
            (Shape::Table(keys), Value::Table(t)) => {
                self.check_table(t, keys, &format!("`{}`", key.name), node.span, &[]);
            }
            (Shape::Named(keys), Value::Table(t)) => {
                for e in &t.entries {
                    let place = format!("`{}.{}`", key.name, e.key);
                    match &e.node.value {
                        Value::Table(t) => self.check_table(t, keys, &place, e.node.span, &[]),
                        other => self.out.push(Diagnostic::error(
                            format!("{place} must be a table, not {}", other.what()),
                            e.node.span,
                        )),
                    }
                }
            }
            (Shape::NumbersOrAll, Value::Bool(true)) => {}
            (Shape::Numbers | Shape::NumbersOrAll, Value::List(items))
                if items.iter().all(|i| matches!(i.value, Value::Integer(n) if n > 0)) => {}
            (Shape::NumbersOrAll, _) => {
                self.out.push(wrong("a list of whole numbers from 1, or `true`"));
            }
            (Shape::Numbers, _) => self.out.push(wrong("a list of whole numbers from 1")),
            (Shape::Map, Value::Table(t)) => {
                for e in t.entries.iter().filter(|e| !matches!(e.node.value, Value::Text(_))) {
                    let message = format!("`{}.{}` must be text", key.name, e.key);
                    self.out.push(Diagnostic::error(message, e.node.span));
                }
            }
            (Shape::Members, Value::Table(t)) => self.check_members(t),
            (Shape::Map | Shape::Names | Shape::Members | Shape::Table(_) | Shape::Named(_), _) => {
                self.out.push(wrong("a table"));
            }
            // Steps and examples are checked where they are read.
            (Shape::Tables(keys), Value::Table(_) | Value::List(_)) => {
                let own = std::ptr::eq(keys, STEP) || std::ptr::eq(keys, EXAMPLE);
                if let Value::List(items) = &node.value {
                    for item in items.iter().filter(|i| !matches!(i.value, Value::Table(_))) {
                        self.out.push(Diagnostic::error(
                            format!("`{}` must hold tables, not {}", key.name, item.value.what()),
                            item.span,
                        ));
                    }
                }
                if !own && let Some(Value::Table(_) | Value::List(_)) = Some(&node.value) {
                    let holder = Table { entries: vec![e.clone()] };
                    for (t, span) in holder.tables(&e.key) {
                        self.check_table(t, keys, &format!("`{}`", key.name), span, &[]);
                    }
                }
            }
            (Shape::Tables(_), _) => self.out.push(wrong("tables")),
            (Shape::Pairs, Value::List(_)) | (Shape::Base, Value::Text(_) | Value::Table(_)) => {}
            (Shape::Pairs, _) => self.out.push(wrong("a list of pairs")),
            (Shape::Base, _) => self.out.push(wrong("text, or a table with `old` and `new`")),
        }
    }

    fn check_members(&mut self, members: &Table) {
        const RESERVED: &[&str] = &["name", "extends", "exports", "members", "lang"];
        for e in &members.entries {
            let place = format!("`members.{}`", e.key);
            match &e.node.value {
                Value::Text(_) => {}
                Value::Table(t) => self.check_table(t, MEMBER, &place, e.node.span, &[]),
                Value::List(_) if RESERVED.contains(&e.key.as_str()) => {}
                other => {
                    let d = Diagnostic::error(
                        format!("{place} must be a type, not {}", other.what()),
                        e.node.span,
                    );
                    self.out.push(d.help("write the type as text; `\"\"` gives nothing"));
                }
            }
            if RESERVED.contains(&e.key.as_str()) {
                let d = Diagnostic::warning(
                    format!("`{}` is taken as a member here", e.key),
                    e.key_span,
                );
                self.out.push(d.help(
                    "a key of the library type itself stands above its `members`; quote a member of this name",
                ));
            }
        }
    }

    fn check_list(&mut self, key: &Key, node: &Node) {
        let single = [node.clone()];
        let items: &[Node] = if let Value::List(items) = &node.value { items } else { &single };
        for item in items {
            let Value::Text(t) = &item.value else {
                self.out.push(Diagnostic::error(
                    format!("`{}` must hold texts, not {}", key.name, item.value.what()),
                    item.span,
                ));
                continue;
            };
            match key.shape {
                Shape::Symbols => self.check_symbol(t, true),
                Shape::Words(words) if !words.contains(&t.text.as_str()) => {
                    let d =
                        Diagnostic::error(format!("`{}` cannot be `{}`", key.name, t.text), t.span);
                    self.out.push(d.help(format!("one of: {}", words.join(", "))));
                }
                _ => {}
            }
        }
    }

    fn check_names(&mut self, names: &Table) {
        const RESERVED: &[&str] =
            &["files", "not_files", "lang", "slots", "old", "new", "why", "title", "caution"];
        for e in &names.entries {
            match &e.node.value {
                Value::Text(t) => {
                    self.check_symbol(t, false);
                    if RESERVED.contains(&e.key.as_str()) && !t.text.contains('.') {
                        let d = Diagnostic::warning(
                            format!("`{}` in `names` is read as a word of the pattern", e.key),
                            e.key_span,
                        );
                        self.out.push(d.help("if it is a key of the step or action, move it above the header of `names`"));
                    }
                }
                Value::Table(_) => {
                    let d =
                        Diagnostic::error(format!("`{}` is split by its dots", e.key), e.key_span);
                    self.out.push(d.help("quote a word with dots: `\"Level.INFO\" = \"...\"`"));
                }
                other => self.out.push(Diagnostic::error(
                    format!("a name stands for a symbol, not {}", other.what()),
                    e.node.span,
                )),
            }
        }
    }

    fn check_symbol(&mut self, t: &Text, glob: bool) {
        let part = |p: &str| {
            let star = glob && (p == "*" || p == "**");
            star || (!p.is_empty()
                && !p.starts_with(|c: char| c.is_ascii_digit())
                && p.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$' | '#')))
        };
        // A module that is a string stands before the last colon, or alone.
        let module = |m: &str| !m.is_empty() && !m.contains([' ', '\t', '\'', '"', ':']);
        let below = match t.text.rsplit_once(':') {
            Some((m, below)) if module(m) => below,
            _ if t.text.contains(['/', '@', '-']) && module(&t.text) => "",
            _ => &t.text,
        };
        let separator = if below.contains("::") { "::" } else { "." };
        if !below.is_empty() && !below.split(separator).all(part) {
            let d = Diagnostic::error(format!("`{}` is no symbol", t.text), t.span);
            self.out.push(d.help(
                "write the full name as the language does: `tidewire.client.Station`, `tidewire::Station`, `tidewire/client:Station`",
            ));
        }
    }

    fn check_regex(&mut self, t: &Text) {
        let Err(e) = regex::Regex::new(&t.text) else { return };
        let look = ["(?=", "(?!", "(?<=", "(?<!"]
            .iter()
            .find_map(|l| t.text.find(l).map(|at| (at, l.len())));
        let d = match look {
            Some((at, len)) => Diagnostic::error(
                "look-around is not part of these regular expressions",
                t.place(Span::new(at, at + len)),
            )
            .help("state what must not fit in `not_text`, beside `text`"),
            None => {
                let said = e.to_string();
                let reason = said
                    .lines()
                    .last()
                    .unwrap_or("")
                    .trim()
                    .trim_start_matches("error: ")
                    .to_owned();
                Diagnostic::error(format!("this is no regular expression: {reason}"), t.span).help(
                    "a literal special character is written with a backslash, in a '...' string",
                )
            }
        };
        self.out.push(d);
    }

    fn check_requirement(&mut self, t: &Text) {
        let fits = t.text.split(',').all(|p| {
            let p = p.trim().trim_start_matches(['<', '>', '=', '!']).trim();
            p.starts_with(|c: char| c.is_ascii_digit())
        });
        if !fits {
            self.out.push(
                Diagnostic::error(format!("`{}` is no version requirement", t.text), t.span)
                    .help("comparisons between commas: `>=2.4, <3`"),
            );
        }
    }
}

/// What is wrong with the value of an input; `given`: the user's own, not the default.
fn wrong_value(input: &Input, value: &str, given: bool) -> Option<Diagnostic> {
    let listed = input.one_of.is_empty() || input.one_of.iter().any(|v| v == value);
    if listed && input.kind.fits(value) {
        return None;
    }
    let whose = if given { "the input" } else { "the default of the input" };
    let help = if listed {
        let about = InputKind::WORDS.iter().find(|w| w.1 == input.kind).map_or("", |w| w.2);
        format!("it must be {about}")
    } else {
        format!("one of: {}", input.one_of.join(", "))
    };
    let message = format!("{whose} `{}` cannot be `{value}`", input.name);
    Some(Diagnostic::error(message, input.span).help(help))
}

fn library(t: &Table) -> Library {
    Library {
        name: t.text("name").map(|t| t.text.clone()).unwrap_or_default(),
        coordinates: t.texts("coordinates").into_iter().cloned().collect(),
        from: t.text("from").cloned(),
        to: t.text("to").cloned(),
    }
}

fn kind_list(kinds: &[&'static dyn ActionKind]) -> String {
    kinds.iter().map(|k| format!("`{}`", k.name())).collect::<Vec<_>>().join(", ")
}

/// Every place that has keys, for telling where one belongs.
fn places(kinds: &[&'static dyn ActionKind]) -> Vec<(&'static str, &'static [Key])> {
    let mut out: Vec<(&'static str, &'static [Key])> = vec![
        ("the recipe's top", RECIPE),
        ("`[library]`", LIBRARY),
        ("`[[library_type]]`", LIBRARY_TYPE),
        ("`[inputs.NAME]`", INPUT),
        ("`[step.include]`", INCLUDE),
        ("`[[step]]`", STEP),
        ("every action", COMMON),
        ("`slots.NAME`", SLOT),
        ("`[[example]]`", EXAMPLE),
    ];
    out.extend(kinds.iter().map(|k| (k.name(), k.keys())));
    out
}
