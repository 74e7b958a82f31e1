//! Finds the entries of settings files that an action is about.

use std::sync::Arc;

use emendo_docs::{Edits, Found as Entry, Node, NodeKind, Patch};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::Scope;
use emendo_text::{RelPath, Span};

use crate::contract::{Asks, FileCx, Found, Needs, NoteDraft, OldKey, Replaces, Runner, Tables};
use crate::setting::moves::Moves;
use crate::setting::near::Near;
use crate::setting::neighbours::{Besides, Neighbours, without_numbers};
use crate::setting::rule::{SettingRule, draft};
use crate::shared::{Filled, ValuePattern, fill};

pub(super) struct SettingRunner {
    pub(super) tables: Arc<Tables>,
    pub(super) scope: Scope,
    pub(super) rules: Vec<SettingRule>,
    pub(super) when: Option<ValuePattern>,
    pub(super) to: Option<String>,
    /// Values that are as the action would leave them, where it would change its own result again.
    pub(super) done: Option<ValuePattern>,
    pub(super) create: bool,
    pub(super) near: Option<Near>,
    pub(super) beside: Neighbours,
    pub(super) append: Option<String>,
    pub(super) remove_item: Option<String>,
    pub(super) remove: bool,
    pub(super) comment_out: bool,
    pub(super) needs: Needs,
}

impl Runner for SettingRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "setting",
            needs: self.needs.clone(),
            replaces: {
                let keys = self.old_keys();
                // A key of one word could be anything.
                let single = keys.iter().filter(|k| !k.key.trim_end_matches('.').contains('.'));
                let unnamed = single.map(|k| k.key.clone()).collect();
                Replaces { keys, unnamed, ..Replaces::NONE }
            },
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
            out.notes.push(NoteDraft::new(e.at, say));
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
                Some((*i, spelled[..known].iter().find_map(|k| rule.fits(format, cx.path, k))?))
            });
            let Some((row, rest)) = fit else { continue };
            let map = matches!(entry.pair().node.kind, NodeKind::Map(_));
            let rule = &self.rules[row];
            let found = self.beside.of((format, cx.path), &all, (entry, rule, rest));
            let Some(besides) = found else { continue };
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
            if self.one(&edits, (action, row), (n, entry), (rest, besides), &mut moves, out) && map
            {
                taken.push(entry.pair().span);
            }
        }
        if let Some(item) = &self.append {
            self.numbered(&edits, action, &all, item, out);
        }
        if self.create {
            self.created(cx, &edits, action, &all, out);
        }
        moves.write(action, &self.rules, out);
    }
}

impl SettingRunner {
    /// The keys that it renames or takes away.
    fn old_keys(&self) -> Vec<OldKey> {
        // Where a value decides, its own or a neighbour's, the key itself stays.
        let decided = self.when.is_some() || !self.beside.is_empty();
        let all = self.rules.iter().filter(|_| !decided);
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
        (rest, besides): (&str, Besides),
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
            out.notes.push(NoteDraft::new(pair.key_span(), advice.clone()));
            return true;
        }
        let mut evidence = vec![self.evidence(entry)];
        evidence.extend(besides.facts);
        if self.comment_out {
            match edits.comment_out(pair) {
                Some(patches) => self.push(action, pair.span, patches, evidence, out),
                None => {
                    let say =
                        format!("{} has no comments: take it out by hand", edits.format.title);
                    out.notes.push(NoteDraft::new(pair.span, say));
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
                    let say = "nothing else of this item would be left: take it out by hand";
                    out.notes.push(NoteDraft::new(pair.span, say));
                }
            }
            return true;
        }
        let mut patches = self.values(edits, &pair.node, &besides.slots, out);
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
                out.notes.push(NoteDraft::new(pair.key_span(), say));
            }
            // It goes to another place, with its value as it is then.
            Ok(None) => moves.shift(n, action.1, target, patches, evidence),
            Err(say) => out.notes.push(NoteDraft::new(pair.key_span(), say)),
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
    fn values(
        &self,
        edits: &Edits<'_>,
        node: &Node,
        besides: &[(String, String)],
        out: &mut Found,
    ) -> Vec<Patch> {
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
                    let mut all = slots.iter().chain(besides);
                    all.find(|(n, _)| n == name).map(|(_, v)| Filled::Text(v.clone()))
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
                    out.notes.push(NoteDraft::new(node.span, say));
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
                self.push((action, row), patch.span, vec![patch], vec![fact], out);
            }
        }
    }

    pub(super) fn push(
        &self,
        action: (usize, usize),
        hull: Span,
        patches: Vec<Patch>,
        evidence: Vec<Fact>,
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
