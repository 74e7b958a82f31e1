//! What other actions of a recipe do to the entries that one is about: what the step adds and renames, and what was renamed
//! before.

use emendo_recipe::Action;

use crate::contract::CompileCx;

/// The other actions on libraries.
pub(super) struct Around<'a> {
    /// Those of the same step.
    beside: Vec<&'a Action>,
    /// Those of earlier steps.
    before: Vec<&'a Action>,
    /// The words of ecosystems, which may stand before a coordinate.
    ecosystems: Vec<&'static str>,
}

/// A rename of the same step, to the same version.
pub(super) struct Moving {
    pub(super) old: String,
}

impl<'a> Around<'a> {
    pub(super) fn of(action: &Action, cx: &CompileCx<'a>) -> Self {
        let like = |a: &&Action| std::ptr::addr_eq(a.kind, action.kind) && a.span != action.span;
        let steps = &cx.recipe.steps;
        let own = steps.iter().position(|s| s.actions.iter().any(|a| a.span == action.span));
        let at = own.unwrap_or(steps.len());
        let beside = steps.get(at).map_or(&[][..], |s| s.actions.as_slice());
        Self {
            beside: beside.iter().filter(like).collect(),
            before: steps[..at].iter().flat_map(|s| &s.actions).filter(like).collect(),
            ecosystems: cx.tables.ecosystems.iter().map(|e| e.id).collect(),
        }
    }

    /// A text of an action, as a coordinate without its ecosystem.
    fn said(&self, action: &Action, key: &str) -> Option<String> {
        let text = &action.table.text(key)?.text;
        let mut heads =
            self.ecosystems.iter().filter_map(|id| text.strip_prefix(id)?.strip_prefix(':'));
        Some(heads.next().unwrap_or(text).to_owned())
    }

    /// The entries that stand for one that something is to come beside: it may have another name by now, or come in this
    /// step beside others.
    pub(super) fn anchors(&self, near: &str) -> Vec<String> {
        let mut out = vec![near.to_owned()];
        let mut at = 0;
        while let Some(name) = out.get(at).cloned() {
            at += 1;
            let renamed =
                self.before.iter().filter(|a| self.said(a, "old").as_ref() == Some(&name));
            let added = self.beside.iter().filter(|a| self.said(a, "add").as_ref() == Some(&name));
            let more: Vec<String> = renamed
                .filter_map(|a| self.said(a, "new"))
                .chain(
                    added.filter_map(|a| self.said(a, "after").or_else(|| self.said(a, "before"))),
                )
                .collect();
            out.extend(more.into_iter().filter(|m| *m != name).take(8));
            if at > 32 {
                break;
            }
        }
        out
    }

    /// True if the step adds this entry wherever others of its kind are.
    pub(super) fn adds(&self, coordinate: &str) -> bool {
        let free = |a: &&&Action| ["after", "before"].iter().all(|k| a.table.get(k).is_none());
        let mut all = self.beside.iter().filter(free);
        all.any(|a| self.said(a, "add").as_deref() == Some(coordinate))
    }

    /// The libraries that the step renames too, to the same version.
    pub(super) fn moving(&self, version: Option<&str>) -> Vec<Moving> {
        let same = |a: &&&Action| {
            a.table.get("new").is_some()
                && a.table.text("version").map(|v| v.text.as_str()) == version
        };
        let old = |a: &&Action| Some(Moving { old: self.said(a, "old")? });
        self.beside.iter().filter(same).filter_map(old).collect()
    }
}
