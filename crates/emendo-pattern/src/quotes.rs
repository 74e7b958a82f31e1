//! Quotes around the contents of a literal.

/// The quotes of a literal.
pub(crate) struct Quoted {
    /// What stands before them, in small letters.
    pub(super) prefix: String,
    /// Bytes up to the contents.
    pub(super) open: usize,
    /// Bytes after the contents.
    pub(super) close: usize,
}

/// Takes a literal apart: `r#"x"#`, `'''x'''`, `@"x"`.
pub(crate) fn quoted(text: &str) -> Option<Quoted> {
    let first = text.find(['"', '\'', '`'])?;
    let quote = text[first..].chars().next()?;
    let count = text[first..].chars().take_while(|c| *c == quote).count();
    // Two quotes are an empty literal; an empty one of three has six.
    let count = match count {
        0..=2 => 1,
        6.. => 3,
        n => n,
    };
    let prefix = text[..first].to_lowercase();
    let hashes = prefix.chars().filter(|c| *c == '#').count();
    let (open, close) = (first + count, count + hashes);
    (text.len() >= open + close).then(|| Quoted { prefix: prefix.replace('#', ""), open, close })
}

/// Contents as they would be without escapes that only the quotes ask for.
pub(crate) fn plain(content: &str) -> String {
    content.replace("\\\"", "\"").replace("\\'", "'")
}
