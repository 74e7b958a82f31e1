//! What authors write for something else: words that stand elsewhere, or are called otherwise here. Only messages use it.

use crate::keys::Key;

/// Words that are written for a key: where, the word, the key.
const KEYS: &[(&str, &str, &str)] = &[
    ("the recipe", "name", "title"),
    ("the recipe", "description", "summary"),
    ("the recipe", "language", "lang"),
    ("the recipe", "version", "emendo"),
    ("the recipe", "steps", "step"),
    ("the recipe", "examples", "example"),
    ("the recipe", "types", "library_type"),
    ("`[[step]]`", "name", "title"),
    ("`[[step]]`", "description", "why"),
    ("`[[step]]`", "reason", "why"),
    ("`[[step]]`", "warning", "caution"),
    ("`[[step.code]]`", "find", "old"),
    ("`[[step.code]]`", "pattern", "old"),
    ("`[[step.code]]`", "from", "old"),
    ("`[[step.code]]`", "before", "old"),
    ("`[[step.code]]`", "replace", "new"),
    ("`[[step.code]]`", "to", "new"),
    ("`[[step.code]]`", "with", "new"),
    ("`[[step.code]]`", "after", "new"),
    ("`[[step.code]]`", "where", "slots"),
    ("`[[step.symbol]]`", "kind", "what"),
    ("`[[step.symbol]]`", "type", "what"),
    ("`[[step.symbol]]`", "from", "old"),
    ("`[[step.symbol]]`", "to", "new"),
    ("`[[step.symbol]]`", "remove", "gone"),
    ("`[[step.symbol]]`", "say", "gone"),
    ("`[[step.symbol]]`", "advice", "gone"),
    ("`[[step.signature]]`", "old", "callable"),
    ("`[[step.signature]]`", "function", "callable"),
    ("`[[step.signature]]`", "method", "callable"),
    ("`[[step.signature]]`", "remove", "drop"),
    ("`[[step.setting]]`", "old", "key"),
    ("`[[step.setting]]`", "from", "key"),
    ("`[[step.setting]]`", "value", "to"),
    ("`[[step.setting]]`", "advice", "gone"),
    ("`[[step.setting]]`", "say", "gone"),
    ("`[[step.library]]`", "name", "old"),
    ("`[[step.library]]`", "library", "old"),
    ("`[[step.library]]`", "coordinate", "old"),
    ("`[[step.library]]`", "from", "below"),
    ("`[[step.library]]`", "to", "version"),
    ("`[[step.note]]`", "old", "find"),
    ("`[[step.note]]`", "pattern", "find"),
    ("`[[step.note]]`", "text", "say"),
    ("`[[step.note]]`", "message", "say"),
    ("`[[step.note]]`", "note", "say"),
    ("`slots.", "kind", "form"),
    ("`slots.", "matches", "text"),
    ("`slots.", "regex", "text"),
    ("`slots.", "pattern", "is"),
    ("`slots.", "symbol", "means"),
    ("`[[example]]`", "old", "before"),
    ("`[[example]]`", "input", "before"),
    ("`[[example]]`", "new", "after"),
    ("`[[example]]`", "output", "after"),
    ("`[[example]]`", "expected", "after"),
    ("`[[example]]`", "file", "path"),
];

/// Words that are written for a value: the word, the value.
const VALUES: &[(&str, &str)] = &[
    ("class", "type"),
    ("interface", "type"),
    ("struct", "type"),
    ("enum", "type"),
    ("trait", "type"),
    ("record", "type"),
    ("field", "property"),
    ("attribute", "property"),
    ("member", "method"),
    ("func", "function"),
    ("fn", "function"),
    ("namespace", "package"),
    ("const", "constant"),
    ("variable", "constant"),
    ("decorator", "annotation"),
    ("variant", "enum-case"),
    ("str", "string"),
    ("text", "string"),
    ("int", "number"),
    ("integer", "number"),
    ("float", "number"),
    ("bool", "boolean"),
    ("nil", "null"),
    ("none", "null"),
    ("identifier", "name"),
    ("variable", "name"),
    ("array", "list"),
    ("dict", "object"),
    ("map", "object"),
    ("lambda", "function"),
    ("closure", "function"),
    ("library", "dependency"),
    ("package", "dependency"),
    ("runtime", "toolchain"),
    ("registry", "repository"),
];

/// The key that is meant by a word in a place, if that is one of its keys.
pub(super) fn key_for<'k>(place: &str, word: &str, keys: &[&'k Key]) -> Option<&'k str> {
    let word = word.to_lowercase();
    let fits = |k: &&(&str, &str, &str)| place.starts_with(k.0) && k.1 == word;
    let meant = KEYS.iter().find(fits)?.2;
    keys.iter().find(|k| k.name == meant).map(|k| k.name)
}

/// The value that is meant by a word, among those that there are.
pub(super) fn value_for<'w>(word: &str, words: &[&'w str]) -> Option<&'w str> {
    let word = word.to_lowercase();
    let meant = VALUES.iter().filter(|v| v.0 == word).map(|v| v.1);
    let listed = meant.filter_map(|m| words.iter().find(|w| **w == m).copied()).next();
    listed.or_else(|| near(&word, words.iter().copied()))
}

/// The word that differs from another by a slip of the hand.
pub(super) fn near<'w>(word: &str, words: impl Iterator<Item = &'w str>) -> Option<&'w str> {
    let (distance, meant) = words.map(|n| (strsim::damerau_levenshtein(n, word), n)).min()?;
    // In short words two letters are half of it.
    let most = if word.len() > 4 { 2 } else { 1 };
    (distance <= most && distance < word.len()).then_some(meant)
}
