//! `setting`: keys and values of settings files.

use emendo_docs::{Setting, format_of};
use emendo_lang::{Certainty, Fact, Splice, delete_splice};
use emendo_recipe::{Action, ActionKind, Key, Scope, Shape, Text, pairs};
use emendo_text::{Diagnostic, Digest, RelPath};

use super::values::{Filled, ValuePattern, fill};
use super::{CompileCx, FileCx, Kind, Runner, action_digest};
use crate::edit::{Change, Draft, Found, NoteDraft, Tie};
use crate::narrow::Needs;

/// The kind.
pub(super) static SETTING: SettingKind = SettingKind;

pub(super) struct SettingKind;

const KEYS: &[Key] = &[
    Key::new("key", Shape::Text, "the key, with dots; `*` as the last part takes all keys below"),
    Key::new("new", Shape::Text, "the new key; ends with `*` where `key` does"),
    Key::new("when_value", Shape::Text, "only where the value is this; slots may stand in it"),
    Key::new("to", Shape::Text, "the new value; slots of `when_value` may be used"),
    Key::new("remove", Shape::Bool, "take the entry away"),
    Key::new("pairs", Shape::Pairs, "many old and new keys"),
    Key::new("table", Shape::Text, "many old and new keys, from a CSV file of the recipe's folder"),
    Key::new("base", Shape::Base, "stands before each key of `pairs` and `table`"),
    Key::later("create"),
    Key::later("append"),
    Key::later("remove_item"),
    Key::later("comment_out"),
    Key::later("gone"),
    Key::later("mentions"),
];

impl ActionKind for SettingKind {
    fn name(&self) -> &'static str {
        "setting"
    }
    fn about(&self) -> &'static str {
        "renames, changes and removes settings"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

impl Kind for SettingKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let mut rows: Vec<(Text, Option<Text>, Option<String>)> =
            pairs(action, &cx.recipe.source, &|_| ".", cx.out)
                .into_iter()
                .map(|p| (p.old, p.new, p.advice))
                .collect();
        if let Some(key) = table.text("key") {
            rows.insert(0, (key.clone(), table.text("new").cloned(), None));
        }
        if rows.is_empty() {
            cx.out.push(
                Diagnostic::error("this action names no key", action.span)
                    .help("write `key`, `pairs` or `table`"),
            );
            return None;
        }
        let when = match table.text("when_value").map(|t| (t, ValuePattern::compile(&t.text))) {
            Some((t, Err(e))) => {
                cx.out.push(Diagnostic::error(e.message, t.place(e.at)).help(e.help));
                return None;
            }
            Some((_, Ok(p))) => Some(p),
            None => None,
        };
        let to = table.text("to");
        if let Some(to) = to {
            let slots = when.as_ref().map(ValuePattern::slots).unwrap_or_default();
            let known =
                |name: &str| slots.iter().any(|s| s == name).then(|| Filled::Text(String::new()));
            if let Err(missing) = fill(&to.text, known) {
                let d = Diagnostic::error(format!("nothing binds the slot `{missing}`"), to.span);
                cx.out.push(d.help("`when_value` binds slots"));
                return None;
            }
        }
        let done = to.and_then(|to| own_result(when.as_ref()?, &to.text));
        let remove = table.is_true("remove");
        let mut rules = Vec::new();
        for (old, new, advice) in rows {
            if new.is_none() && to.is_none() && !remove && advice.is_none() {
                let d = Diagnostic::error(format!("nothing happens to `{}`", old.text), old.span);
                cx.out.push(d.help("write `new`, `to` or `remove = true`"));
                continue;
            }
            let starred = |t: &Text| t.text == "*" || t.text.ends_with(".*");
            if let Some(new) = &new
                && starred(&old) != starred(new)
            {
                let d = Diagnostic::error(
                    "`*` must stand in both keys, as their last part, or in neither",
                    new.span,
                );
                cx.out.push(d.also(old.span, "the old key"));
                continue;
            }
            rules.push(Rule {
                digest: action_digest("setting", &old.text),
                all_below: starred(&old),
                key: old.text.trim_end_matches('*').to_owned(),
                new: new.map(|n| n.text.trim_end_matches('*').to_owned()),
                advice,
            });
        }
        let needs = Needs::of(rules.iter().map(|r| vec![r.key.clone()]));
        Some(Box::new(SettingRunner {
            scope: action.scope.clone(),
            rules,
            when,
            to: to.map(|t| t.text.clone()),
            done,
            remove,
            needs,
        }))
    }
}

/// The new value as a pattern, if `when` fits what it writes.
fn own_result(when: &ValuePattern, to: &str) -> Option<ValuePattern> {
    let filled = fill(to, |_| Some(Filled::Text("x".into()))).ok()?;
    when.fit(&filled)?;
    ValuePattern::compile(to).ok()
}

struct SettingRunner {
    scope: Scope,
    rules: Vec<Rule>,
    when: Option<ValuePattern>,
    to: Option<String>,
    /// Values that are as the action would leave them, where it would change its own result again.
    done: Option<ValuePattern>,
    remove: bool,
    needs: Needs,
}

struct Rule {
    digest: Digest,
    /// The key, or what stands before `*`.
    key: String,
    all_below: bool,
    new: Option<String>,
    advice: Option<String>,
}

impl Rule {
    /// The new key for an old one, if the rule is about it.
    fn fits<'k>(&self, key: &'k str) -> Option<&'k str> {
        if self.all_below {
            return key.strip_prefix(self.key.as_str()).filter(|rest| !rest.is_empty());
        }
        (key == self.key).then_some("")
    }
}

impl Runner for SettingRunner {
    fn kind(&self) -> &'static str {
        "setting"
    }
    fn covers(&self, path: &RelPath) -> bool {
        format_of(path).is_some() && self.scope.covers(path)
    }
    fn needs(&self) -> &Needs {
        &self.needs
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(format) = format_of(cx.path) else { return };
        let settings = (format.read)(cx.text);
        // The longest key that fits decides.
        let mut order: Vec<usize> = (0..self.rules.len()).collect();
        order.sort_by_key(|i| {
            std::cmp::Reverse((self.rules[*i].key.len(), !self.rules[*i].all_below))
        });
        for s in &settings {
            let Some((row, rest)) =
                order.iter().find_map(|i| Some((*i, self.rules[*i].fits(&s.key)?)))
            else {
                continue;
            };
            let slots = match &self.when {
                Some(when) => match when.fit(&s.value) {
                    Some(slots) => slots,
                    None => continue,
                },
                None => Vec::new(),
            };
            self.one(cx, (action, row), s, rest, &slots, &settings, format, out);
        }
    }
}

impl SettingRunner {
    #[allow(clippy::too_many_arguments)]
    fn one(
        &self,
        cx: &FileCx<'_>,
        action: (usize, usize),
        s: &Setting,
        rest: &str,
        slots: &[(String, String)],
        all: &[Setting],
        format: &emendo_docs::Format,
        out: &mut Found,
    ) {
        let rule = &self.rules[action.1];
        if let Some(advice) = &rule.advice
            && rule.new.is_none()
        {
            out.notes.push(NoteDraft { at: s.span, say: advice.clone() });
            return;
        }
        let mut splices = Vec::new();
        if self.remove {
            splices.push(delete_splice(cx.text, s.span, |_| None));
        } else {
            if let Some(new) = &rule.new {
                let key = format!("{new}{rest}");
                if key != s.key && all.iter().any(|o| o.key == key) {
                    let say = format!(
                        "`{}` should become `{key}`, which this file has already: keep one of the two",
                        s.key
                    );
                    out.notes.push(NoteDraft { at: s.key_span, say });
                    return;
                }
                if key != s.key {
                    splices.push(Splice::text(s.key_span, (format.write_key)(&key)));
                }
            }
            let done = self.done.as_ref().is_some_and(|d| d.fit(&s.value).is_some());
            if let Some(to) = self.to.as_ref().filter(|_| !done) {
                let value = |name: &str| {
                    slots.iter().find(|(n, _)| n == name).map(|(_, v)| Filled::Text(v.clone()))
                };
                let to = fill(to, value).unwrap_or_else(|_| to.clone());
                if to != s.value {
                    splices.push(Splice::text(s.value_span, (format.write_value)(&to)));
                }
            }
        }
        if splices.is_empty() {
            return;
        }
        let (says, text) = self.evidence(s);
        out.drafts.push(Draft {
            action,
            digest: rule.digest,
            hull: s.span,
            tokens: vec![s.key_span],
            change: Change { splices, ..Change::default() },
            certainty: says,
            evidence: vec![Fact { says, text, at: Some(s.key_span) }],
            alternatives: Vec::new(),
            tie: Tie::default(),
        });
    }

    /// A key of several parts is a name of its own; a single word could belong to anything.
    fn evidence(&self, s: &Setting) -> (Certainty, String) {
        if s.key.contains('.') {
            (Certainty::Certain, format!("the key is `{}`", s.key))
        } else if self.scope.files.is_some() {
            (
                Certainty::Likely,
                format!("the key `{}` is a single word, in a file that the recipe names", s.key),
            )
        } else {
            (
                Certainty::Unsure,
                format!("the key `{}` is a single word that anything could use", s.key),
            )
        }
    }
}
