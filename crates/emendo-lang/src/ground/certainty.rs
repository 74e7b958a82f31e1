//! How sure a place is, why, and the names under which a run knows a symbol.

use emendo_text::{Lines, RelPath, Span};
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
    pairs: Vec<(String, String)>,
}

impl Spellings {
    /// From now on `old` and `new` are one symbol, with all that lies below.
    pub fn join(&mut self, old: &str, new: &str) {
        self.pairs.push((old.to_owned(), new.to_owned()));
    }

    /// All names of a symbol, its own first.
    pub fn of(&self, symbol: &str) -> Vec<String> {
        let mut out = vec![symbol.to_owned()];
        let mut i = 0;
        while i < out.len() && out.len() < 32 {
            for (a, b) in self.pairs.iter().flat_map(|(a, b)| [(a, b), (b, a)]) {
                if let Some(rest) = below(&out[i], a) {
                    let other = format!("{b}{rest}");
                    if !out.contains(&other) {
                        out.push(other);
                    }
                }
            }
            i += 1;
        }
        out
    }
}

/// What of `symbol` lies below `parent`, with its leading separator; empty if they are equal.
pub(crate) fn below<'a>(symbol: &'a str, parent: &str) -> Option<&'a str> {
    let rest = symbol.strip_prefix(parent)?;
    (rest.is_empty() || rest.starts_with(['.', ':', '/'])).then_some(rest)
}
