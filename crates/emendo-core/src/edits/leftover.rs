//! What is left of the old API.

use emendo_lang::Certainty;
use serde::{Deserialize, Serialize};

use crate::edits::edit::StepKey;

/// A remaining use of the old API that no edit covers.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Leftover {
    /// The old symbol.
    pub symbol: String,
    /// The line in the original file, from 1.
    pub line: u32,
    /// The line's text.
    pub source: String,
    /// How sure it is that the place means or mentions the symbol.
    pub certainty: Certainty,
    /// Why.
    pub why: String,
    /// The step that is about the symbol.
    #[serde(flatten)]
    pub step: StepKey,
    /// What that step advises.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub advice: Option<String>,
}
