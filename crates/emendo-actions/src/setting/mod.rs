//! `setting`: keys and values of settings files, in every format, and what mentions the keys elsewhere.
//!
//! This file finds keys, `moves.rs` moves them, `mentions.rs` finds what mentions them.

mod keys;
mod mentions;
mod moves;
mod rule;

pub use self::keys::KeyWatch;

use std::sync::Arc;

use emendo_docs::{Edits, Found as Entry, Node, NodeKind, Patch};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::{Action, ActionKind, Key, Scope, Shape, Text, pairs};
use emendo_text::{Diagnostic, RelPath, Span};

use self::mentions::{Form, MentionRunner};
use self::moves::Moves;
use crate::contract::Tables;
use crate::contract::{
    Asks, CompileCx, FileCx, Found, Kind, Needs, NoteDraft, OldKey, Replaces, Runner, action_digest,
};
use crate::setting::rule::{SettingRule, draft};
use crate::shared::{Filled, ValuePattern, fill};

/// The kind.
pub(super) static SETTING: SettingKind = SettingKind;

pub(super) struct SettingKind;

/// Where keys are mentioned if the recipe does not say it.
const MENTIONS: [&str; 3] = ["${@{key}}", "${@{key}:@{_}}", "\"@{key}\""];

const KEYS: &[Key] = &[
    Key::new("key", Shape::Text, "the key, with dots; `*` as the last part takes all keys below"),
    Key::new("new", Shape::Text, "the new key; ends with `*` where `key` does"),
    Key::new("when_value", Shape::Text, "only where the value is this; slots may stand in it"),
    Key::new("to", Shape::Text, "the new value; slots of `when_value` may be used"),
    Key::new("create", Shape::Bool, "`to` is written where the key is missing too"),
    Key::new("append", Shape::Text, "an item to add to the list, if it is not there"),
    Key::new("remove_item", Shape::Text, "an item to remove from the list"),
    Key::new("remove", Shape::Bool, "take the entry away"),
    Key::new("comment_out", Shape::Bool, "comment the entry out"),
    Key::new("gone", Shape::Text, "advice: a note at each place"),
    Key::new(
        "mentions",
        Shape::Texts,
        "forms in which code, templates and values name the key: `${@{key}}`; an empty list for none",
    ),
    Key::new("pairs", Shape::Pairs, "many old and new keys"),
    Key::new("table", Shape::Text, "many old and new keys, from a CSV file of the recipe's folder"),
    Key::new("base", Shape::Base, "stands before each key of `pairs` and `table`"),
];

impl ActionKind for SettingKind {
    fn name(&self) -> &'static str {
        "setting"
    }
    fn about(&self) -> &'static str {
        "renames, changes, adds and removes settings, and what mentions their keys"
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
        let rules = rules(action, cx)?;
        let table = &action.table;
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
                return cx.refuse(
                    format!("nothing binds the slot `{missing}`"),
                    to.span,
                    "`when_value` binds slots",
                );
            }
        }
        let create = table.is_true("create");
        if create && to.is_none() {
            return cx.refuse("it is not clear which value to create", action.span, "write `to`");
        }
        let done = to.and_then(|to| own_result(when.as_ref()?, &to.text));
        // What is missing can't be looked for.
        let needs = match create {
            true => Needs(vec![vec![]]),
            false => Needs::of(rules.iter().flat_map(|r| r.spellings()).map(|k| vec![k])),
        };
        let text = |key: &str| table.text(key).map(|t| t.text.clone());
        Some(Box::new(SettingRunner {
            tables: cx.tables.clone(),
            scope: action.scope.clone(),
            rules,
            when,
            to: to.map(|t| t.text.clone()),
            done,
            create,
            append: text("append"),
            remove_item: text("remove_item"),
            remove: table.is_true("remove"),
            comment_out: table.is_true("comment_out"),
            needs,
        }))
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        // What is wrong was said before.
        let mut ignored = Vec::new();
        let mut quiet = CompileCx { out: &mut ignored, ..*cx };
        let Some(rules) = rules(action, &mut quiet) else { return Vec::new() };
        let forms: Vec<String> = match action.table.get("mentions") {
            Some(_) => action.table.texts("mentions").iter().map(|t| t.text.clone()).collect(),
            None => MENTIONS.iter().map(|m| (*m).to_owned()).collect(),
        };
        let mut compiled = Vec::new();
        for (i, form) in forms.iter().enumerate() {
            match Form::compile(form) {
                Ok(f) => compiled.push(f),
                Err(message) => {
                    let texts = action.table.texts("mentions");
                    let span = texts.get(i).map_or(action.span, |t| t.span);
                    cx.out.push(Diagnostic::error(message, span).help("for example `${@{key}}`"));
                }
            }
        }
        let told = |r: &SettingRule| r.new.is_some() || r.advice.is_some();
        if compiled.is_empty() || !rules.iter().any(told) {
            return Vec::new();
        }
        let languages = cx.tables.languages.iter().copied().map(Some).chain([None]);
        let one = |language| {
            MentionRunner::new(
                cx.tables.clone(),
                language,
                action.scope.clone(),
                rules.clone(),
                compiled.clone(),
            )
        };
        languages.map(|l| Box::new(one(l)) as Box<dyn Runner>).collect()
    }
}

/// A key without the numbers of items.
fn without_numbers(key: &str) -> String {
    let parts = key.split('.').map(|p| p.split_once('[').map_or(p, |(name, _)| name));
    parts.collect::<Vec<_>>().join(".")
}

/// A new key with the numbers of items that the old one has.
fn numbers_kept(new: &str, old: &str) -> String {
    if new.contains('[') || new.split('.').count() != old.split('.').count() {
        return new.to_owned();
    }
    let parts = new.split('.').zip(old.split('.'));
    let part = |(new, old): (&str, &str)| match old.find('[') {
        Some(i) => format!("{new}{}", &old[i..]),
        None => new.to_owned(),
    };
    parts.map(part).collect::<Vec<_>>().join(".")
}

/// What the action says of keys.
fn rules(action: &Action, cx: &mut CompileCx<'_>) -> Option<Vec<SettingRule>> {
    let table = &action.table;
    let mut rows: Vec<(Text, Option<Text>, Option<String>)> =
        pairs(action, &cx.recipe.source, &|_| ".", cx.out)
            .into_iter()
            .map(|p| (p.old, p.new, p.advice))
            .collect();
    if let Some(key) = table.text("key") {
        rows.insert(0, (key.clone(), table.text("new").cloned(), None));
    }
    if rows.is_empty() && table.get("table").is_some() {
        return None;
    }
    if rows.is_empty() {
        return cx.refuse(
            "this action names no key",
            action.span,
            "write `key`, `pairs` or `table`",
        );
    }
    let gone = table.text("gone").map(|t| t.text.clone());
    let does = ["to", "append", "remove_item"].iter().any(|k| table.get(k).is_some())
        || ["remove", "comment_out"].iter().any(|k| table.is_true(k));
    let mut rules = Vec::new();
    for (old, new, advice) in rows {
        let advice = advice.or_else(|| gone.clone());
        if new.is_none() && !does && advice.is_none() {
            let d = Diagnostic::error(format!("nothing happens to `{}`", old.text), old.span);
            cx.out.push(d.help("write `new`, `to`, `append`, `remove = true` or `gone`"));
            continue;
        }
        let starred = |t: &Text| t.text == "*" || t.text.ends_with(".*");
        if let Some(new) = &new
            && starred(&old) != starred(new)
        {
            let message = "`*` must stand in both keys, as their last part, or in neither";
            let d = Diagnostic::error(message, new.span).also(old.span, "the old key");
            cx.out.push(d.help("`a.b.*` with `a.c.*` moves all that stands below a key"));
            continue;
        }
        // Several actions may be about one key.
        let ways = ["to", "append", "remove_item", "when_value"].iter();
        let told: Vec<&str> = ways.map(|k| table.text(k).map_or("", |t| t.text.as_str())).collect();
        let what = if does { format!("{} {}", old.text, told.join(" ")) } else { old.text.clone() };
        rules.push(SettingRule {
            digest: action_digest("setting", &what),
            all_below: starred(&old),
            key: old.text.trim_end_matches('*').to_owned(),
            new: new.map(|n| n.text.trim_end_matches('*').to_owned()),
            advice,
        });
    }
    Some(rules)
}

/// The new value as a pattern, if `when` fits what it writes.
fn own_result(when: &ValuePattern, to: &str) -> Option<ValuePattern> {
    let filled = fill(to, |_| Some(Filled::Text("x".into()))).ok()?;
    when.fit(&filled)?;
    ValuePattern::compile(to).ok()
}

struct SettingRunner {
    tables: Arc<Tables>,
    scope: Scope,
    rules: Vec<SettingRule>,
    when: Option<ValuePattern>,
    to: Option<String>,
    /// Values that are as the action would leave them, where it would change its own result again.
    done: Option<ValuePattern>,
    create: bool,
    append: Option<String>,
    remove_item: Option<String>,
    remove: bool,
    comment_out: bool,
    needs: Needs,
}

impl Runner for SettingRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "setting",
            needs: self.needs.clone(),
            replaces: Replaces { keys: self.old_keys(), ..Replaces::NONE },
            rows: {
                let star = |r: &SettingRule| if r.all_below { "*" } else { "" };
                self.rules.iter().map(|r| format!("{}{}", r.key, star(r))).collect()
            },
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        let named = self.scope.files.is_some();
        self.tables.format_of(path).is_some()
            && self.scope.covers(path)
            && (named || self.tables.ecosystem_of(path).is_none() && !self.tables.is_lock(path))
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(format) = cx.tables.format_of(cx.path) else { return };
        let doc = (format.read)(cx.text);
        if let Some(e) = doc.errors.first().filter(|_| doc.roots.is_empty()) {
            let say = format!("this {} file cannot be read: {}", format.title, e.message);
            out.notes.push(NoteDraft { at: e.at, say });
            return;
        }
        let edits = Edits { format, text: cx.text, doc: &doc };
        let all = doc.all_with_items();
        // The longest key that fits decides.
        let mut order: Vec<usize> = (0..self.rules.len()).collect();
        order.sort_by_key(|i| {
            std::cmp::Reverse((self.rules[*i].key.len(), !self.rules[*i].all_below))
        });
        let mut moves = Moves::new(cx, &edits, &all);
        let mut taken: Vec<Span> = Vec::new();
        for (n, entry) in all.iter().enumerate() {
            if taken.iter().any(|t| t.contains(entry.pair().span) && *t != entry.pair().span) {
                continue;
            }
            let key = entry.path();
            // A number at the end tells an item of a list: a rename takes it along.
            let spelled = [key.clone(), entry.numbered(), without_numbers(&key)];
            let inner = spelled[2].len() == key.len() || !key.ends_with(']');
            let fit = order.iter().find_map(|i| {
                let rule = &self.rules[*i];
                let known = if inner || rule.new.is_some() { 3 } else { 2 };
                let fits = |k: &String| rule.fits(format, cx.path, k).map(str::to_owned);
                Some((*i, spelled[..known].iter().find_map(fits)?))
            });
            let Some((row, rest)) = fit else { continue };
            let map = matches!(entry.pair().node.kind, NodeKind::Map(_));
            let rule = &self.rules[row];
            let whole = rule.all_below && rest.is_empty();
            // What stands below is gone through by itself where the map as a whole can't be meant.
            let split = || {
                let target = rule.target("");
                target.is_some_and(|t| all.iter().any(|e| e.doc == entry.doc && e.path() == t))
            };
            let by_value = self.when.is_some() || self.to.is_some() || self.append.is_some();
            let single = matches!(entry.pair().node.kind, NodeKind::Text(_) | NodeKind::List(_));
            if map && (by_value || (whole && split())) || whole && single {
                continue;
            }
            if self.one(&edits, (action, row), (n, entry), &rest, &mut moves, out) && map {
                taken.push(entry.pair().span);
            }
        }
        if let Some(item) = &self.append {
            self.numbered(&edits, action, &all, item, out);
        }
        if self.create {
            self.created(&edits, action, &all, out);
        }
        moves.write(action, &self.rules, out);
    }
}

impl SettingRunner {
    /// The keys that it renames or takes away.
    fn old_keys(&self) -> Vec<OldKey> {
        // Where a value decides, the key itself stays.
        let all = self.rules.iter().filter(|_| self.when.is_none());
        let goes = all.filter(|r| r.new.is_some() || r.advice.is_some() || self.remove);
        let old = |r: &SettingRule| OldKey {
            key: r.key.clone(),
            new: r.new.clone(),
            advice: r.advice.clone(),
        };
        goes.map(old).collect()
    }

    /// What becomes of an entry. True if what stands in it goes with it.
    fn one(
        &self,
        edits: &Edits<'_>,
        action: (usize, usize),
        (n, entry): (usize, &Entry<'_>),
        rest: &str,
        moves: &mut Moves<'_>,
        out: &mut Found,
    ) -> bool {
        let rule = &self.rules[action.1];
        let pair = entry.pair();
        if pair.keys.is_empty()
            && (rule.new.is_some() || rule.advice.is_some() || self.remove || self.comment_out)
        {
            // The text beside attributes: what becomes of the element is said of the element.
            return false;
        }
        if let Some(advice) = rule.advice.as_ref().filter(|_| rule.new.is_none()) {
            if self.when.is_some() && self.fitting(&pair.node).is_none() {
                return false;
            }
            out.notes.push(NoteDraft { at: pair.key_span(), say: advice.clone() });
            return true;
        }
        let evidence = self.evidence(entry);
        if self.comment_out {
            match edits.comment_out(pair) {
                Some(patches) => self.push(action, pair.span, patches, evidence, out),
                None => {
                    let say =
                        format!("{} has no comments: take it out by hand", edits.format.title);
                    out.notes.push(NoteDraft { at: pair.span, say });
                }
            }
            return true;
        }
        if self.remove {
            if self.fitting(&pair.node).is_none() {
                return true;
            }
            match (entry.item(), edits.remove_in_item(entry)) {
                (None, _) => moves.remove(n, action.1, evidence),
                (_, Some(patch)) => self.push(action, pair.span, vec![patch], evidence, out),
                _ => {
                    let say = "nothing else of this item would be left: take it out by hand".into();
                    out.notes.push(NoteDraft { at: pair.span, say });
                }
            }
            return true;
        }
        let mut patches = self.values(edits, &pair.node, out);
        if self.when.is_some() && self.fitting(&pair.node).is_none() {
            return false;
        }
        let Some(target) = rule.target(rest) else {
            self.push(action, pair.span, patches, evidence, out);
            return true;
        };
        let target = match entry.items.is_empty() {
            true => numbers_kept(&target, &entry.path()),
            false => without_numbers(&target),
        };
        if target == entry.path() {
            return true;
        }
        match moves.rename(n, &target) {
            Ok(Some(patch)) => {
                patches.extend(patch);
                self.push(action, pair.span, patches, evidence, out);
            }
            Ok(None) if entry.item().is_some() => {
                let say = format!("this is `{target}` from now on: move it by hand");
                out.notes.push(NoteDraft { at: pair.key_span(), say });
            }
            // It goes to another place, with its value as it is then.
            Ok(None) => moves.shift(n, action.1, target, patches, evidence),
            Err(say) => out.notes.push(NoteDraft { at: pair.key_span(), say }),
        }
        true
    }

    /// The slots of a value that the action is about; `None` if it is not.
    fn fitting(&self, node: &Node) -> Option<Vec<(String, String)>> {
        let Some(when) = &self.when else { return Some(Vec::new()) };
        match &node.kind {
            NodeKind::Text(t) => when.fit(t),
            NodeKind::List(items) => items.iter().filter_map(Node::text).find_map(|t| when.fit(t)),
            _ => None,
        }
    }

    /// What becomes of a value, or of the items of a list.
    fn values(&self, edits: &Edits<'_>, node: &Node, out: &mut Found) -> Vec<Patch> {
        let mut patches = Vec::new();
        let single = std::slice::from_ref(node);
        let each = match &node.kind {
            NodeKind::List(items) => items.as_slice(),
            NodeKind::Map(_) => &[],
            _ => single,
        };
        if let Some(to) = &self.to {
            for item in each {
                let old = item.text().unwrap_or("");
                let Some(slots) = self.when.as_ref().map_or(Some(Vec::new()), |w| w.fit(old))
                else {
                    continue;
                };
                if self.done.as_ref().is_some_and(|d| d.fit(old).is_some()) {
                    continue;
                }
                let value = |name: &str| {
                    slots.iter().find(|(n, _)| n == name).map(|(_, v)| Filled::Text(v.clone()))
                };
                let new = fill(to, value).unwrap_or_else(|_| to.clone());
                if !edits.format.stands(&new, old, item.span.of(edits.text)) {
                    patches.push(edits.value(item, &new));
                }
            }
        }
        if let Some(item) = &self.append {
            let has = match &node.kind {
                NodeKind::Text(t) => t.split([',', '\n']).any(|p| p.trim() == item),
                _ => node.items().iter().any(|i| i.text() == Some(item)),
            };
            match edits.append(node, item).filter(|_| !has) {
                Some(patch) => patches.push(patch),
                None if !has => {
                    let say = format!("`{item}` is to be added here by hand: this is not a list");
                    out.notes.push(NoteDraft { at: node.span, say });
                }
                None => {}
            }
        }
        if let Some(item) = &self.remove_item {
            match &node.kind {
                NodeKind::List(items) => {
                    let found = items.iter().find(|i| i.text() == Some(item));
                    patches.extend(found.map(|i| edits.remove_item(node, i)));
                }
                NodeKind::Text(t) if t.split(',').any(|p| p.trim() == item) => {
                    let sign = if t.contains(", ") { ", " } else { "," };
                    let kept = t.split(',').map(str::trim).filter(|p| p != item);
                    let kept: Vec<&str> = kept.collect();
                    patches.push(edits.value(node, &kept.join(sign)));
                }
                _ => {}
            }
        }
        patches
    }

    /// Lists that are written as keys with numbers.
    fn numbered(
        &self,
        edits: &Edits<'_>,
        action: usize,
        all: &[Entry<'_>],
        item: &str,
        out: &mut Found,
    ) {
        for (row, rule) in self.rules.iter().enumerate().filter(|(_, r)| !r.all_below) {
            if let Some(patch) = edits.append_numbered(all, &rule.key, item) {
                let text = format!("`{}` is a list of numbered keys", rule.key);
                let fact = Fact { says: Certainty::Certain, text, at: None };
                self.push((action, row), patch.span, vec![patch], fact, out);
            }
        }
    }

    /// Settings that are missing: in files that the recipe names, or that hold what stands beside them.
    fn created(&self, edits: &Edits<'_>, action: usize, all: &[Entry<'_>], out: &mut Found) {
        let Some(to) = self.to.as_ref().filter(|_| self.when.is_none()) else { return };
        for (row, rule) in self.rules.iter().enumerate().filter(|(_, r)| !r.all_below) {
            let key = rule.new.as_ref().unwrap_or(&rule.key);
            let near = key.rsplit_once('.').map_or("", |k| k.0);
            let has = |wanted: &str| all.iter().any(|e| e.path() == wanted);
            let known = has(key) || has(&rule.key) || has(&edits.format.spelled_key(key));
            let beside =
                !near.is_empty() && all.iter().any(|e| e.path().starts_with(&format!("{near}.")));
            if known || !(beside || self.scope.files.is_some()) {
                continue;
            }
            let path: Vec<String> = key.split('.').map(str::to_owned).collect();
            let raw = edits.format.written(to, "");
            let doc = all.iter().find(|e| e.path().starts_with(near)).map_or(0, |e| e.doc);
            match edits.insert(&path, &raw, doc) {
                Some(patch) => {
                    let text = format!("`{key}` is not set here");
                    let says = if beside { Certainty::Certain } else { Certainty::Likely };
                    let at = patch.span;
                    let fact = Fact { says, text, at: None };
                    self.push((action, row), at, vec![patch], fact, out);
                }
                None => {
                    let say = format!("`{key}` is to be set here by hand");
                    out.notes.push(NoteDraft { at: Span::at(0), say });
                }
            }
        }
    }

    fn push(
        &self,
        action: (usize, usize),
        hull: Span,
        patches: Vec<Patch>,
        evidence: Fact,
        out: &mut Found,
    ) {
        out.drafts.extend(draft(action, self.rules[action.1].digest, hull, patches, evidence));
    }

    /// A key of several parts is a name of its own; a single word could belong to anything.
    fn evidence(&self, entry: &Entry<'_>) -> Fact {
        let key = entry.path();
        let (says, text) = if key.contains('.') || key.matches('_').count() > 1 {
            (Certainty::Certain, format!("the key is `{key}`"))
        } else if self.scope.files.is_some() {
            let text = format!("the key `{key}` is a single word, in a file that the recipe names");
            (Certainty::Likely, text)
        } else {
            (Certainty::Unsure, format!("the key `{key}` is a single word that anything could use"))
        };
        Fact { says, text, at: Some(entry.pair().key_span()) }
    }
}
