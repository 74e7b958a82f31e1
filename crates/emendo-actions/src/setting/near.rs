//! `after` and `before`: the entry that what is created comes beside.

use emendo_docs::{Edits, Found as Entry, Pair, Side};
use emendo_recipe::{Action, Step};
use emendo_text::Diagnostic;

use crate::contract::{CompileCx, FileCx};
use crate::setting::neighbours::without_numbers;

/// The entry that what is created comes beside.
pub(super) struct Near {
    pub(super) side: Side,
    /// Its key, and the keys of those that stand for it: under another name, or beside one that the step creates.
    keys: Vec<String>,
}

impl Near {
    /// Reads `after` or `before`. An error: both stand there, or nothing is created.
    pub(super) fn compile(action: &Action, cx: &mut CompileCx<'_>) -> Result<Option<Self>, ()> {
        let table = &action.table;
        let (text, side) = match (table.text("after"), table.text("before")) {
            (None, None) => return Ok(None),
            (Some(a), Some(b)) => {
                let d = Diagnostic::error("`after` and `before` name two places", b.span);
                cx.out.push(d.also(a.span, "the other one").help("keep one of the two"));
                return Err(());
            }
            (Some(t), None) => (t, Side::After),
            (None, Some(t)) => (t, Side::Before),
        };
        if !table.is_true("create") {
            let word = if side == Side::After { "after" } else { "before" };
            let message = format!("`{word}` says where a new setting comes, and none is created");
            let d = Diagnostic::error(message, text.span);
            cx.out.push(d.help("write `create = true`, or leave it out"));
            return Err(());
        }
        let own = cx.recipe.steps.iter().find(|s| s.actions.iter().any(|a| a.span == action.span));
        Ok(Some(Self { side, keys: stand_ins(&text.text, own, action) }))
    }

    /// The entries that it names in a file, as whole keys or as they stand beside the new one.
    pub(super) fn anchors<'e>(
        &'e self,
        cx: &'e FileCx<'_>,
        (edits, all): (&'e Edits<'_>, &'e [Entry<'_>]),
        (place, around): (usize, &'e str),
        like: Option<&'e Entry<'_>>,
    ) -> impl Iterator<Item = &'e Pair> {
        let same = move |written: &str, key: &str| {
            let whole = match around.is_empty() {
                true => key.to_owned(),
                false => format!("{around}.{key}"),
            };
            let fits = |wanted: &str| {
                edits.format.same_key(cx.path, written, wanted)
                    || like.is_some() && without_numbers(written) == without_numbers(wanted)
            };
            fits(key) || fits(&whole)
        };
        // In an item of a list, or in one of several elements, only what stands there.
        let near = move |e: &&Entry<'_>| like.is_none_or(|l| e.stands_beside(l));
        self.keys.iter().flat_map(move |key| {
            let fits = move |e: &&Entry<'_>| e.doc == place && same(&e.path(), key);
            all.iter().filter(near).filter(fits).map(Entry::pair)
        })
    }
}

/// A key with those that stand for it: under its old name where the step renames it, or beside what the step creates too.
fn stand_ins(key: &str, step: Option<&Step>, action: &Action) -> Vec<String> {
    let mut out = vec![key.to_owned()];
    let like = |a: &&Action| std::ptr::addr_eq(a.kind, action.kind) && a.span != action.span;
    let others: Vec<&Action> = step.map_or(&[][..], |s| &s.actions).iter().filter(like).collect();
    let text = |a: &Action, key: &str| a.table.text(key).map(|t| t.text.clone());
    let mut at = 0;
    while let Some(name) = out.get(at).cloned().filter(|_| at < 32) {
        at += 1;
        for other in &others {
            let found = match () {
                () if text(other, "new").as_ref() == Some(&name) => text(other, "key"),
                () if text(other, "key").as_ref() == Some(&name) => {
                    text(other, "after").or_else(|| text(other, "before"))
                }
                () => None,
            };
            out.extend(found.filter(|f| *f != name));
        }
    }
    out
}
