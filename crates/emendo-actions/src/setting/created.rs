//! Settings that are missing, where they come.

use emendo_docs::{Edits, Found as Entry, Patch};
use emendo_lang::{Certainty, Fact};
use emendo_text::Span;

use crate::contract::{FileCx, Found, NoteDraft};
use crate::setting::neighbours::parent;
use crate::setting::rule::{SettingRule, draft};
use crate::setting::runner::SettingRunner;
use crate::shared::{Filled, fill};

impl SettingRunner {
    /// Settings that are missing: in files that the recipe names, or that hold what stands beside them.
    pub(super) fn created(
        &self,
        cx: &FileCx<'_>,
        edits: &Edits<'_>,
        action: usize,
        all: &[Entry<'_>],
        out: &mut Found,
    ) {
        let Some(to) = self.to.as_ref().filter(|_| self.when.is_none()) else { return };
        for (row, rule) in self.rules.iter().enumerate().filter(|(_, r)| !r.all_below) {
            if self.beside.is_empty() {
                self.created_once(cx, (edits, all), ((action, row), rule, to), out);
            } else {
                self.created_beside(cx, (edits, all), ((action, row), rule, to), out);
            }
        }
    }

    fn created_once(
        &self,
        cx: &FileCx<'_>,
        (edits, all): (&Edits<'_>, &[Entry<'_>]),
        (action, rule, to): ((usize, usize), &SettingRule, &str),
        out: &mut Found,
    ) {
        let key = rule.new.as_ref().unwrap_or(&rule.key);
        let near = parent(key);
        let has = |wanted: &str| all.iter().any(|e| e.path() == wanted);
        let known = has(key) || has(&rule.key) || has(&edits.format.spelled_key(key));
        let heads = [format!("{near}."), edits.format.spelled_key(&format!("{near}."))];
        let stands = |e: &Entry<'_>| heads.iter().any(|h| e.path().starts_with(h.as_str()));
        let beside = !near.is_empty() && all.iter().any(stands);
        if known || !(beside || self.scope.files.is_some()) {
            return;
        }
        let path: Vec<String> = key.split('.').map(str::to_owned).collect();
        let raw = edits.format.written(to, "");
        let doc = all.iter().find(|e| e.path().starts_with(near)).map_or(0, |e| e.doc);
        let patch = edits.insert(&path, &raw, doc).map(|p| match &self.near {
            Some(n) => edits.beside(p, n.anchors(cx, (edits, all), (doc, near), None), n.side),
            None => p,
        });
        let says = if beside { Certainty::Certain } else { Certainty::Likely };
        let fact = Fact { says, text: format!("`{key}` is not set here"), at: None };
        self.coming((action, rule), (key, patch, 0), vec![fact], out);
    }

    /// In each map whose other entries have the values that the recipe says.
    fn created_beside(
        &self,
        cx: &FileCx<'_>,
        (edits, all): (&Edits<'_>, &[Entry<'_>]),
        (action, rule, to): ((usize, usize), &SettingRule, &str),
        out: &mut Found,
    ) {
        let format = edits.format;
        let key = rule.new.as_ref().unwrap_or(&rule.key);
        let name = key.rsplit('.').next().unwrap_or(key);
        for like in self.beside.places((format, cx.path), all, key) {
            // The key as it would stand here.
            let here = |name: &str| match parent(&like.path()) {
                "" => name.to_owned(),
                around => format!("{around}.{name}"),
            };
            let there = |e: &Entry<'_>, wanted: &str| {
                e.stands_beside(like)
                    && (e.path() == here(wanted) || format.same_key(cx.path, &e.path(), key))
            };
            let old = rule.key.rsplit('.').next().unwrap_or(key);
            let known = all.iter().any(|e| there(e, name) || there(e, old));
            let Some(besides) = self.beside.of((format, cx.path), all, (like, rule, "")) else {
                continue;
            };
            if known {
                continue;
            }
            let slot = |name: &str| {
                let value = besides.slots.iter().find(|(n, _)| n == name);
                value.map(|(_, v)| Filled::Text(v.clone()))
            };
            let raw = format.written(&fill(to, slot).unwrap_or_else(|_| to.to_owned()), "");
            let near = parent(&like.path()).to_owned();
            let patch = edits.insert_beside(like, name, &raw).map(|p| match &self.near {
                Some(n) => {
                    let anchors = n.anchors(cx, (edits, all), (like.doc, &near), Some(like));
                    edits.beside(p, anchors, n.side)
                }
                None => p,
            });
            let at = like.pair().span.start as usize;
            self.coming((action, rule), (key, patch, at), besides.facts, out);
        }
    }

    /// An entry that comes, or a note that it should.
    fn coming(
        &self,
        (action, rule): ((usize, usize), &SettingRule),
        (key, patch, at): (&str, Option<Patch>, usize),
        facts: Vec<Fact>,
        out: &mut Found,
    ) {
        match patch {
            Some(patch) => {
                out.drafts.extend(draft(action, rule.digest, patch.span, vec![patch], facts));
            }
            None => {
                let say = format!("`{key}` is to be set here by hand");
                out.notes.push(NoteDraft::new(Span::at(at), say));
            }
        }
    }
}
