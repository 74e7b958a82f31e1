//! The table of settings formats: one row and one file each.

mod properties;

use emendo_text::{RelPath, Span};

/// A settings format.
pub struct Format {
    /// The word for it.
    pub id: &'static str,
    /// File name endings.
    pub extensions: &'static [&'static str],
    /// Reads all entries of a file.
    pub read: fn(&str) -> Vec<Setting>,
    /// Writes a key where another stands (escapes and all).
    pub write_key: fn(&str) -> String,
    /// Writes a value where another stands.
    pub write_value: fn(&str) -> String,
}

/// One entry of a settings file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Setting {
    /// The key, escapes undone.
    pub key: String,
    /// Where the key is written.
    pub key_span: Span,
    /// The value, escapes undone and continued lines joined.
    pub value: String,
    /// Where the value is written.
    pub value_span: Span,
    /// All that goes when the entry goes, without its line end.
    pub span: Span,
}

/// All formats.
pub const FORMATS: &[Format] = &[properties::PROPERTIES];

/// The format of a file, by its name.
pub fn format_of(path: &RelPath) -> Option<&'static Format> {
    let ending = path.extension()?;
    FORMATS.iter().find(|f| f.extensions.contains(&ending))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spans_hold_what_was_read() {
        let text = "# note\r\na.b = one\r\n  c\\:d:two\\\r\n    more\r\nempty\r\n! x\r\nlast=1";
        let found = (FORMATS[0].read)(text);
        let pairs: Vec<_> = found.iter().map(|s| (s.key.as_str(), s.value.as_str())).collect();
        assert_eq!(pairs, [("a.b", "one"), ("c:d", "twomore"), ("empty", ""), ("last", "1")]);
        for s in &found {
            assert!(s.span.contains(s.key_span) && s.span.contains(s.value_span));
        }
        assert_eq!(found[0].value_span.of(text), "one");
        assert_eq!(found[1].key_span.of(text), "c\\:d");
    }

    #[test]
    fn keys_and_values_survive_writing_and_reading() {
        let f = &FORMATS[0];
        for (key, value) in
            [("a b:c=d", " lead"), ("#x", "back\\slash"), ("ü", "tab\tnew\nline"), ("k", "")]
        {
            let text = format!("{}={}\n", (f.write_key)(key), (f.write_value)(value));
            let read = (f.read)(&text);
            assert_eq!((read[0].key.as_str(), read[0].value.as_str()), (key, value), "{text}");
        }
    }
}
