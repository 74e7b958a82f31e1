//! What is left of the old API.

use emendo_lang::Certainty;
use emendo_text::{Digest, Hasher, RelPath};
use serde::{Deserialize, Serialize};

use crate::edits::edit::StepKey;

/// A remaining use of the old API that no edit covers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leftover {
    /// Its lasting id, by which it is ticked off.
    pub id: Digest,
    /// The old symbol; of several on the line, the one that is surest.
    pub symbol: String,
    /// The other old symbols of the line.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<String>,
    /// The line in the original file, from 1.
    pub line: u32,
    /// The line's text.
    pub source: String,
    /// How sure it is that the place means or mentions the symbol.
    pub certainty: Certainty,
    /// The project's settings or a comment protect the place: it is left on purpose.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub protected: bool,
    /// Why.
    pub why: String,
    /// The step that is about the symbol.
    #[serde(flatten)]
    pub step: StepKey,
    /// What that step advises.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub advice: Option<String>,
}

/// Makes one leftover of those of a line, and names them.
pub(crate) fn by_line(path: &RelPath, mut all: Vec<Leftover>) -> Vec<Leftover> {
    all.sort_by(|a, b| {
        (a.line, std::cmp::Reverse(a.certainty), &a.symbol).cmp(&(
            b.line,
            std::cmp::Reverse(b.certainty),
            &b.symbol,
        ))
    });
    let mut out: Vec<Leftover> = Vec::new();
    for l in all {
        match out.last_mut().filter(|o| o.line == l.line) {
            Some(same) if same.symbol != l.symbol && !same.also.contains(&l.symbol) => {
                same.also.push(l.symbol);
            }
            Some(_) => {}
            None => out.push(l),
        }
    }
    let mut equal = std::collections::HashMap::new();
    for l in &mut out {
        // Where it stands may change, what the line says must not; the old symbols may be fewer by then.
        let n = equal.entry(l.source.clone()).or_insert(0_u64);
        let mut h = Hasher::new();
        h.part("leftover").part(&l.step.recipe).part(path.as_str()).part(&l.source).number(*n);
        l.id = h.finish();
        *n += 1;
    }
    out
}
