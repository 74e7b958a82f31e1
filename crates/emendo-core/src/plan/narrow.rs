//! Which files can a step touch? Decided by the words in them, before anything is parsed.

use std::borrow::Cow;
use std::collections::{BTreeSet, HashSet};

use aho_corasick::{AhoCorasick, MatchKind};
use emendo_actions::{Needs, lossy, words};
use emendo_lang::Language;
use rustc_hash::{FxHashMap, FxHashSet};
use serde::{Deserialize, Serialize};

/// All words that any step of a run asks for, compiled for one look at each file.
pub struct Narrow {
    ids: FxHashMap<Vec<u8>, u32>,
    /// One word of each set; a text without any of them is not a candidate for anything.
    keys: Option<AhoCorasick>,
    everything: bool,
    declared: FxHashSet<u32>,
    /// Words in the head of a type that make the file worth a look: types that others are built on.
    headed: FxHashSet<u32>,
    /// A type may be declared without a word for that right before its name.
    anywhere: bool,
    type_keywords: FxHashSet<&'static [u8]>,
    package_keywords: FxHashSet<&'static [u8]>,
    /// Packages whose being the project's own matters, in segments.
    packages: Vec<Vec<Vec<u8>>>,
}

/// What of the project's own declarations matters to a run.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Declared {
    /// Names of types.
    pub(crate) types: BTreeSet<String>,
    /// Packages, with all below.
    pub(crate) packages: BTreeSet<String>,
    /// Names of types that types of the project may be built on.
    pub(crate) supers: BTreeSet<String>,
    /// A type may be declared without a word for that before its name, in a language that is asked about.
    pub(crate) anywhere: bool,
    /// Further words that are asked for one by one.
    pub(crate) words: BTreeSet<String>,
}

/// How many words the head of a type may have up to what it is built on.
const HEAD: u32 = 24;

/// The asked words that a text holds.
pub struct Present<'n> {
    narrow: &'n Narrow,
    bits: Cow<'n, [u64]>,
    /// The text seems to declare one of the types that the run asks for.
    pub declares: bool,
}

/// What was found in a text, to be kept until the text changes.
#[derive(Default)]
pub(crate) struct WordCache(Option<Vec<u64>>);

impl WordCache {
    /// The asked words in a text; it is read the first time only.
    pub(crate) fn present<'n>(&'n mut self, narrow: &'n Narrow, text: &[u8]) -> Present<'n> {
        let bits = self.0.get_or_insert_with(|| narrow.present(text).bits.into_owned());
        Present { narrow, bits: Cow::Borrowed(bits), declares: false }
    }
}

impl Narrow {
    /// Compiles needs, and what the project may declare itself.
    pub(crate) fn new<'a>(
        needs: impl IntoIterator<Item = &'a Needs>,
        own: &Declared,
        languages: &[&'static Language],
    ) -> Self {
        let mut ids: FxHashMap<Vec<u8>, u32> = FxHashMap::default();
        let mut id = |w: &str| {
            let next = ids.len() as u32;
            *ids.entry(token(w).as_bytes().to_vec()).or_insert(next)
        };
        let mut keys: HashSet<String> = HashSet::new();
        let mut everything = false;
        for set in needs.into_iter().flat_map(|n| &n.0) {
            for w in set {
                id(w);
            }
            match set.iter().max_by_key(|w| w.len()) {
                Some(longest) => drop(keys.insert(longest.clone())),
                None => everything = true,
            }
        }
        let mut declared = FxHashSet::default();
        for name in &own.types {
            declared.insert(id(name));
            keys.insert(name.clone());
        }
        let mut headed = FxHashSet::default();
        for name in &own.supers {
            headed.insert(id(name));
            keys.insert(name.clone());
        }
        for word in &own.words {
            id(word);
            keys.insert(word.clone());
        }
        // A package is looked for by its longest segment.
        let segments = |p: &String| words(p.as_bytes()).map(<[u8]>::to_vec).collect::<Vec<_>>();
        let packages: Vec<Vec<Vec<u8>>> = own.packages.iter().map(segments).collect();
        keys.extend(
            packages.iter().filter_map(|p| p.iter().max_by_key(|s| s.len())).map(|s| lossy(s)),
        );
        let mut keys: Vec<String> = keys.into_iter().collect();
        keys.sort();
        let keys = AhoCorasick::builder().match_kind(MatchKind::LeftmostFirst).build(&keys).ok();
        Self {
            ids,
            keys,
            everything,
            declared,
            headed,
            anywhere: own.anywhere,
            type_keywords: languages
                .iter()
                .flat_map(|l| l.declares.type_keywords)
                .map(|k| k.as_bytes())
                .collect(),
            package_keywords: languages
                .iter()
                .map(|l| l.imports.package_keyword.as_bytes())
                .filter(|k| !k.is_empty())
                .collect(),
            packages,
        }
    }

    /// A quick look: false if the text cannot be a candidate for anything.
    pub fn may_matter(&self, bytes: &[u8]) -> bool {
        self.everything || self.keys.as_ref().is_none_or(|k| k.is_match(bytes))
    }

    /// The asked words in a text, in one pass over it.
    pub fn present(&self, bytes: &[u8]) -> Present<'_> {
        let mut bits = vec![0u64; self.ids.len().div_ceil(64)];
        let mut declares = false;
        let mut before: &[u8] = b"";
        let mut head = 0u32;
        let mut rest = words(bytes);
        while let Some(word) = rest.next() {
            if let Some(id) = self.ids.get(word) {
                bits[*id as usize / 64] |= 1 << (id % 64);
                declares |= self.declared.contains(id)
                    && (self.anywhere || self.type_keywords.contains(before));
                declares |= head > 0 && self.headed.contains(id);
            }
            head = if self.type_keywords.contains(word) { HEAD } else { head.saturating_sub(1) };
            if !self.packages.is_empty() && self.package_keywords.contains(word) {
                let begins = |p: &Vec<Vec<u8>>| {
                    rest.clone().zip(p).filter(|(a, b)| *a == b.as_slice()).count() == p.len()
                };
                declares |= self.packages.iter().any(begins);
            }
            before = word;
        }
        Present { narrow: self, bits: Cow::Owned(bits), declares }
    }
}

/// A name as texts are cut into words: without a sign at its end that some languages take in names.
fn token(name: &str) -> &str {
    name.trim_end_matches(['?', '!', '='])
}

impl Present<'_> {
    /// True if the text may hold what is needed.
    pub fn meets(&self, needs: &Needs) -> bool {
        needs.met(|w| self.holds(w))
    }

    /// True if the text holds this word; it must be among those that are asked for.
    pub(crate) fn holds(&self, word: &str) -> bool {
        self.narrow
            .ids
            .get(token(word).as_bytes())
            .is_some_and(|id| self.bits[*id as usize / 64] & (1 << (id % 64)) != 0)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whole_words_of_one_set_together() {
        let needs =
            Needs::of([vec!["a.Station".to_owned(), "open".to_owned()], vec!["Gauge".to_owned()]]);
        let own = Declared {
            types: BTreeSet::from(["Gauge".to_owned()]),
            packages: BTreeSet::from(["a.mole".to_owned()]),
            ..Declared::default()
        };
        let narrow = Narrow::new([&needs], &own, emendo_languages::LANGUAGES);
        let met =
            |t: &str| narrow.may_matter(t.as_bytes()) && narrow.present(t.as_bytes()).meets(&needs);
        assert!(met("a . Station . open()") && met("Gauge") && met("x-Gauge-y"));
        assert!(!met("a.Station.opened") && !met("Station open") && !met("Gauges"));
        assert!(narrow.present(b"class Gauge").declares && !narrow.present(b"new Gauge").declares);
        let own =
            |t: &str| narrow.may_matter(t.as_bytes()) && narrow.present(t.as_bytes()).declares;
        assert!(own("package a.mole.x;") && own("package a . mole;"));
        assert!(!own("package a.moles;") && !own("import a.mole;"));
    }
}
