//! Looks for keys of settings that are still named: in settings, pages, comments and texts.

use std::sync::Arc;

use emendo_lang::{Certainty, Language};
use emendo_text::{RelPath, Span};

use crate::contract::Tables;
use crate::contract::{Asks, FileCx, Found, Needs, OldKey, Remains, Runner};
use crate::setting::mentions::spelled;

/// Looks for keys in files of one language, or in all that are not code.
pub struct KeyWatch {
    tables: Arc<Tables>,
    language: Option<&'static Language>,
    keys: Vec<OldKey>,
    /// Keys that others became: what begins like an old one may be right.
    new: Vec<String>,
    needs: Needs,
}

impl KeyWatch {
    /// Looks for these keys. A key of one word could be anything, and is not looked for.
    pub fn new(tables: Arc<Tables>, language: Option<&'static Language>, keys: &[OldKey]) -> Self {
        let told = |k: &&OldKey| whole(k).contains('.');
        let keys: Vec<OldKey> = keys.iter().filter(told).cloned().collect();
        let needs = Needs::of(keys.iter().map(|k| vec![whole(k).to_owned()]));
        let new = keys.iter().filter_map(|k| k.new.clone()).collect();
        Self { tables, language, keys, new, needs }
    }

    /// The places that may name a key.
    fn places(&self, cx: &FileCx<'_>) -> Vec<(Span, &'static str)> {
        let Some(code) = cx.code else {
            return vec![(Span::new(0, cx.text.len()), "the file names it")];
        };
        let texts = code.facts.strings.iter().map(|s| (*s, "a literal names it"));
        texts.chain(code.facts.comments.iter().map(|c| (*c, "a comment names it"))).collect()
    }
}

/// A key without the dot before all that begins so.
fn whole(key: &OldKey) -> &str {
    key.key.trim_end_matches('.')
}

impl Runner for KeyWatch {
    fn asks(&self) -> Asks {
        let (language, needs) = (self.language, self.needs.clone());
        Asks { kind: "leftovers", language, needs, ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        match self.language {
            Some(language) => language.claims(path),
            None => self.tables.language_of(path).is_none(),
        }
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}

    fn remains(&self, cx: &FileCx<'_>, out: &mut Vec<Remains>) {
        for (place, why) in self.places(cx) {
            for key in &self.keys {
                let below = key.key.ends_with('.');
                for at in spelled(cx.text, place, &key.key, below) {
                    let named = &cx.text[at.start as usize..];
                    if self.new.iter().any(|n| n.len() > key.key.len() && named.starts_with(n)) {
                        continue;
                    }
                    let (symbol, certainty) = (key.key.clone(), Certainty::Likely);
                    out.push(Remains { at, symbol, certainty, why: why.to_owned(), fact: None });
                }
            }
        }
    }
}
