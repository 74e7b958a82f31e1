//! Text from outside is shown so that it cannot deceive: control and bidirectional characters are spelled out.

use std::borrow::Cow;

fn hides(c: char) -> bool {
    let bidi = matches!(c, '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{200b}'..='\u{200f}' | '\u{061c}' | '\u{feff}' | '\u{2028}' | '\u{2029}');
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

/// A name on one line, with nothing of it lost: newlines and tabs are spelled out too. For paths, ids and labels, which must
/// not be able to look like another line of the output.
pub fn visible_name(text: &str) -> Cow<'_, str> {
    if !text.contains(['\n', '\r', '\t']) {
        return visible(text);
    }
    let spelled = |c: char| match c {
        '\n' | '\r' | '\t' => format!("\\u{{{:x}}}", u32::from(c)),
        c => c.to_string(),
    };
    let text: String = text.chars().map(spelled).collect();
    Cow::Owned(visible(&text).into_owned())
}

/// True for characters that change how what stands around them is shown, or that are not shown at all.
pub fn is_hidden(c: char) -> bool {
    hides(c)
}

/// `text` on one line, for titles: newlines and tabs become blanks, the rest as [`visible`].
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
        assert_eq!(visible_name("a\n+b\tc"), "a\\u{a}+b\\u{9}c");
        assert_eq!(visible("a\u{2028}b\u{85}c"), "a\\u{2028}b\\u{85}c");
    }
}
