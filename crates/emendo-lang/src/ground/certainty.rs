//! How sure a place is, why, and the names under which a run knows a symbol.

use emendo_text::{Lines, RelPath, Span};
use rustc_hash::FxHashMap;
use serde::{Deserialize, Serialize};

/// How sure it is that a place is what a recipe means.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Certainty {
    /// The spelling fits and nothing contradicts.
    Unsure,
    /// Resolved by one inference that could be wrong.
    Likely,
    /// Everything named resolved.
    Certain,
}

impl Certainty {
    /// All levels, the surest first.
    pub const ALL: [Self; 3] = [Self::Certain, Self::Likely, Self::Unsure];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Certain => "certain",
            Self::Likely => "likely",
            Self::Unsure => "unsure",
        }
    }
}

/// One piece of evidence: what it says, in plain words, and where it stands in the file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fact {
    /// How sure this fact leaves the place.
    pub says: Certainty,
    /// The fact. `{line}` stands for the line of `at`.
    pub text: String,
    /// Where it stands.
    pub at: Option<Span>,
}

impl Fact {
    /// The same fact as another file tells it: nothing of it stands in the file that is told.
    #[must_use]
    pub fn from_file(&self, path: Option<&RelPath>, text: &str) -> Self {
        let line = self.at.map(|at| Lines::new(text).line(at.start));
        let place = match (line, path) {
            (Some(line), Some(path)) => format!("{line} of {path}"),
            (Some(line), None) => line.to_string(),
            (None, _) => String::new(),
        };
        Self { says: self.says, text: self.text.replace("{line}", &place), at: None }
    }
}

/// How sure facts leave a place: as sure as the weakest of them. A place that nothing speaks for is unsure.
pub fn weakest(facts: &[Fact]) -> Certainty {
    facts.iter().map(|f| f.says).min().unwrap_or(Certainty::Unsure)
}

/// Symbols that a run has renamed are one symbol under two names.
#[derive(Clone, Debug, Default)]
pub struct Spellings {
    /// By each end of a pair, the other end, with the number of the pair.
    others: FxHashMap<String, Vec<(u32, String)>>,
    pairs: u32,
}

impl Spellings {
    /// From now on `old` and `new` are one symbol, with all that lies below.
    pub fn join(&mut self, old: &str, new: &str) {
        for (end, other) in [(old, new), (new, old)] {
            self.others.entry(end.to_owned()).or_default().push((self.pairs, other.to_owned()));
        }
        self.pairs += 1;
    }

    /// All names of a symbol, its own first.
    pub fn of(&self, symbol: &str) -> Vec<String> {
        let mut out = vec![symbol.to_owned()];
        let mut i = 0;
        while i < out.len() && out.len() < 32 {
            let mut more: Vec<(u32, String)> = Vec::new();
            for (end, rest) in parents(&out[i]) {
                let Some(others) = self.others.get(end) else { continue };
                more.extend(others.iter().map(|(n, other)| (*n, format!("{other}{rest}"))));
            }
            more.sort_by_key(|m| m.0);
            for (_, other) in more {
                if !out.contains(&other) {
                    out.push(other);
                }
            }
            i += 1;
        }
        out
    }
}

/// What one action makes of symbols, with all that lies below them.
#[derive(Clone, Debug, Default)]
pub struct Renames {
    /// By old name, the new one, with its place in the order.
    news: FxHashMap<String, (usize, String)>,
}

impl Renames {
    /// Takes old and new names; where two fit a symbol, the first counts.
    pub fn new(pairs: &[(String, String)]) -> Self {
        let mut news = FxHashMap::default();
        for (n, (old, new)) in pairs.iter().enumerate() {
            news.entry(old.clone()).or_insert_with(|| (n, new.clone()));
        }
        Self { news }
    }

    /// The new name of a symbol.
    pub fn of(&self, symbol: &str) -> Option<String> {
        let hits = parents(symbol).filter_map(|(end, rest)| Some((self.news.get(end)?, rest)));
        let ((_, new), rest) = hits.min_by_key(|((n, _), _)| *n)?;
        Some(format!("{new}{rest}"))
    }
}

/// A symbol and all that it lies below, each with the rest of it.
fn parents(symbol: &str) -> impl Iterator<Item = (&str, &str)> {
    let cuts = symbol.match_indices(['.', ':', '/', '\\']).map(|(at, _)| at);
    cuts.chain(std::iter::once(symbol.len())).map(|at| symbol.split_at(at))
}

/// What of `symbol` lies below `parent`, with its leading separator; empty if they are equal.
pub(crate) fn below<'a>(symbol: &'a str, parent: &str) -> Option<&'a str> {
    let rest = symbol.strip_prefix(parent)?;
    (rest.is_empty() || rest.starts_with(['.', ':', '/', '\\'])).then_some(rest)
}
