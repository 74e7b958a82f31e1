//! Text from outside is shown so that it cannot deceive: control and bidirectional characters are spelled out.

use std::borrow::Cow;

fn hides(c: char) -> bool {
    let bidi = matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{200b}'..='\u{200f}' | '\u{061c}' | '\u{feff}');
    (c.is_control() && c != '\t' && c != '\n') || bidi
}

/// `text` with every control and bidirectional character (but tab and newline) written as `\u{..}`;
/// a carriage return before a newline is dropped.
pub fn visible(text: &str) -> Cow<'_, str> {
    if !text.chars().any(hides) {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len() + 8);
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '\r' if matches!(chars.peek(), Some('\n') | None) => {}
            c if hides(c) => out.push_str(&format!("\\u{{{:x}}}", u32::from(c))),
            c => out.push(c),
        }
    }
    Cow::Owned(out)
}

/// `text` on one line, for titles and paths: newlines and tabs become blanks, the rest as [`visible`].
pub fn one_line(text: &str) -> String {
    visible(text).split(['\n', '\t']).map(str::trim).collect::<Vec<_>>().join(" ").trim().to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hidden_characters_are_spelled_out() {
        assert_eq!(visible("a\x1b[31mb\u{202e}c"), "a\\u{1b}[31mb\\u{202e}c");
        assert_eq!(visible("plain\r\n"), "plain\n");
        assert_eq!(one_line("two\n\tlines"), "two  lines");
    }
}
