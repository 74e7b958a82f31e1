//! Symbols that a module of the library passes on: a file that takes them from there holds other words.

use std::collections::BTreeSet;

use emendo_actions::{Asks, words};
use emendo_lang::Language;

use crate::plan::step::RecipeType;

/// Adds, to what an action needs of a file, what one holds that has its symbols from a module that passes them on.
pub(crate) fn add_exported(asks: &mut Asks, types: &[RecipeType]) {
    let Some(language) = asks.language else { return };
    let mut more = Vec::new();
    for (_, module, learned) in types.iter().filter(|t| t.0.id == language.id) {
        for symbol in learned.exports().filter(|e| concerns(language, asks, e)) {
            let (gone, come) = (cut(&language.names.parent(symbol)), cut(module));
            let taken = asks.needs.0.iter().filter(|set| gone.iter().all(|w| set.contains(w)));
            more.extend(taken.map(|set| {
                let kept = set.iter().filter(|w| !gone.contains(w.as_str())).cloned();
                kept.chain(come.iter().cloned()).collect::<BTreeSet<_>>().into_iter().collect()
            }));
        }
    }
    asks.needs.0.extend(more);
}

/// True if an action is about a symbol, or about what lies below it.
fn concerns(language: &Language, asks: &Asks, exported: &str) -> bool {
    let below = |s: &str| {
        s.strip_prefix(exported).is_some_and(|r| {
            r.is_empty() || r.starts_with(language.names.separator) || r.starts_with('(')
        })
    };
    asks.symbols.iter().any(|s| below(s))
}

fn cut(path: &str) -> BTreeSet<String> {
    words(path.as_bytes()).map(|w| String::from_utf8_lossy(w).into_owned()).collect()
}
