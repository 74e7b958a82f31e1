//! `beside`: what stands beside an entry, in the same map, decides whether it is meant.

use emendo_docs::{Format, Found as Entry, Pair};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::{Table, Value};
use emendo_text::RelPath;

use crate::contract::CompileCx;
use crate::setting::rule::SettingRule;
use crate::shared::ValuePattern;

/// Keys of the same map with the values that they must have.
pub(super) struct Neighbours(Vec<(String, ValuePattern)>);

/// What the neighbours of an entry give.
pub(super) struct Besides {
    pub(super) slots: Vec<(String, String)>,
    pub(super) facts: Vec<Fact>,
}

/// The map that an entry stands in.
struct Around<'a> {
    doc: usize,
    items: &'a [(usize, usize)],
    way: &'a [&'a Pair],
    /// What stands before the last part of its key, as the file writes it and as the recipe does.
    parents: [String; 2],
}

impl Neighbours {
    /// Reads the table of a recipe; `None`, with a message, if a value cannot be read.
    pub(super) fn compile(table: &Table, cx: &mut CompileCx<'_>) -> Option<Self> {
        let mut out = Vec::new();
        for e in table.table("beside").into_iter().flat_map(|t| &t.entries) {
            let Value::Text(t) = &e.node.value else { continue };
            match ValuePattern::compile(&t.text) {
                Ok(pattern) => out.push((e.key.clone(), pattern)),
                Err(wrong) => return cx.refuse(wrong.message, t.place(wrong.at), wrong.help),
            }
        }
        Some(Self(out))
    }

    pub(super) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The slots that they bind.
    pub(super) fn slots(&self) -> impl Iterator<Item = String> + '_ {
        self.0.iter().flat_map(|(_, p)| p.slots())
    }

    /// Words that a file must hold.
    pub(super) fn first(&self) -> Option<&str> {
        self.0.first().map(|(key, _)| key.as_str())
    }

    /// What the neighbours of an entry give; `None` if they are not there, or have other values. `rest`: what stands in its key
    /// after what the rule names.
    pub(super) fn of(
        &self,
        (format, path): (&Format, &RelPath),
        all: &[Entry<'_>],
        (entry, rule, rest): (&Entry<'_>, &SettingRule, &str),
    ) -> Option<Besides> {
        let whole = entry.path();
        let written = match (rule.all_below, rest.is_empty()) {
            (true, true) => whole,
            (true, false) => {
                whole[..whole.len() - rest.len()].trim_end_matches(['.', '_']).to_owned()
            }
            (false, _) => parent(&whole).to_owned(),
        };
        let wanted = match rule.all_below {
            true => rule.key.trim_end_matches('.').to_owned(),
            false => parent(&rule.key).to_owned(),
        };
        // What stands below the key has the key itself around it.
        let depth = match rule.all_below && rest.is_empty() {
            true => entry.way.len(),
            false => entry.way.len() - 1,
        };
        let around = Around {
            doc: entry.doc,
            items: &entry.items,
            way: &entry.way[..depth],
            parents: [written, wanted],
        };
        let mut out = Besides { slots: Vec::new(), facts: Vec::new() };
        for (key, pattern) in &self.0 {
            let (slots, fact) = all
                .iter()
                .filter(|e| e.stands_in(around.doc, around.items, around.way))
                .find_map(|e| {
                    let own = e.path();
                    around.keys(key).iter().find(|k| format.same_key(path, &own, k))?;
                    let value = e.pair().node.text()?;
                    let text = format!("`{own}` beside it is `{value}`");
                    let at = Some(e.pair().span);
                    Some((pattern.fit(value)?, Fact { says: Certainty::Certain, text, at }))
                })?;
            out.slots.extend(slots);
            out.facts.push(fact);
        }
        Some(out)
    }

    /// The entries that have the first of the neighbours' keys, one in each map that could be meant by a key.
    pub(super) fn places<'e, 'd>(
        &self,
        (format, path): (&Format, &RelPath),
        all: &'e [Entry<'d>],
        key: &str,
    ) -> Vec<&'e Entry<'d>> {
        let Some(first) = self.first() else { return Vec::new() };
        let wanted = joined(parent(key), first);
        let fits = |e: &&Entry<'_>| {
            let own = e.path();
            format.same_key(path, &own, &wanted) || without_numbers(&own) == wanted
        };
        all.iter().filter(fits).collect()
    }
}

impl Around<'_> {
    fn keys(&self, name: &str) -> [String; 2] {
        [joined(&self.parents[0], name), joined(&self.parents[1], name)]
    }
}

/// What stands before the last part of a key.
pub(super) fn parent(key: &str) -> &str {
    key.rsplit_once('.').map_or("", |k| k.0)
}

fn joined(parent: &str, name: &str) -> String {
    if parent.is_empty() { name.to_owned() } else { format!("{parent}.{name}") }
}

/// A key without the numbers of items.
pub(super) fn without_numbers(key: &str) -> String {
    let parts = key.split('.').map(|p| p.split_once('[').map_or(p, |(name, _)| name));
    parts.collect::<Vec<_>>().join(".")
}
