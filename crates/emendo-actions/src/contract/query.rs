//! Questions of actions about other files.

use std::collections::BTreeMap;

use emendo_pattern::Pattern;

/// A question about other files: where does this pattern fit, and what do its slots hold there?
#[derive(Debug)]
pub struct Query {
    /// The pattern.
    pub pattern: Pattern,
    /// Only in these files.
    pub files: Option<emendo_recipe::Globs>,
}

/// An answer to a [`Query`]: what the slots hold.
pub type Answer = BTreeMap<String, String>;
